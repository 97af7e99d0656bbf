package spelling_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/spelling"
)

func TestNearest(t *testing.T) {
	forms := []string{"htaccess", "apache", "nginx", "caddy", "haproxy"}
	for wrong, meant := range map[string]string{"ngnix": "nginx", "nginx": "nginx", "apachee": "apache", "htacess": "htaccess",
		"": "", "x": "", "lighttpd": "", "cady": "caddy", "proxy": "haproxy"} {
		assert.Equal(t, meant, spelling.Nearest(wrong, forms), wrong)
	}
	assert.Equal(t, "did you mean nginx? There are htaccess, apache, nginx, caddy, haproxy", spelling.Choices("NGNIX", forms))
	assert.Equal(t, "there are htaccess, apache, nginx, caddy, haproxy", spelling.Choices("lighttpd", forms))
}

func TestMistyped(t *testing.T) {
	columns := []string{"key", "title", "state", "address", "language", "canonical"}
	for wrong, meant := range map[string]string{"adress": "address", "addresss": "address", "langauge": "language", "adres": "",
		"language": "", "stage": "", "titel": "", "cannonical": "canonical", "": "", "heading": ""} {
		assert.Equal(t, meant, spelling.Mistyped(wrong, columns), wrong)
	}
}
