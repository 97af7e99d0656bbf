package deploy

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
)

// A file without a word of https, where the plan leads everybody there, is told.
func TestFilesThatDontAnswerOnHTTPS(t *testing.T) {
	secure, err := address.Parse("https://skerrywick.example/")
	require.NoError(t, err)
	open := secure
	open.Scheme = "http"
	for _, c := range []struct {
		form, text string
		origin     address.Address
		told       bool
	}{
		{"nginx", "server {\n  listen 80;\n}", secure, true},
		{"nginx", "server {\n  listen 80;\n  listen [::]:443 ssl;\n}", secure, false},
		{"nginx", "server {\n  # listen 443 ssl;\n  listen 80;\n}", secure, true},
		{"nginx", "server {\n  listen 8443 ssl; listen 80;\n}", secure, false},
		{"nginx", "server {\n  listen 80;\n}", open, false},
		{"apache", "<VirtualHost *:80>\n</VirtualHost>", secure, true},
		{"apache", "<VirtualHost *:443>\n  SSLEngine on\n</VirtualHost>", secure, false},
		{"haproxy", "frontend a\n  bind :80\n", secure, true},
		{"haproxy", "frontend a\n  bind :80\n  bind :443 ssl crt x.pem\n", secure, false},
		{"caddy", "skerrywick.example {\n}", secure, false},
		{"htaccess", "RewriteEngine On\n", secure, false},
	} {
		target, ok := TargetOf(c.form)
		require.True(t, ok)
		p := &plan.Plan{Settings: &planfile.Settings{}}
		p.Site.Origin = c.origin
		found := Place{Target: target, File: "site"}.insecure(p, []byte(c.text))
		assert.Equal(t, c.told, len(found) == 1, "%s: %s", c.form, c.text)
		for _, f := range found {
			assert.Equal(t, finding.NoSecureListener, f.Code)
		}
	}
}
