package caddy

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What Caddy would leave out of the query of an internal address.
func TestEmptyItem(t *testing.T) {
	for query, want := range map[string]bool{"a": false, "a=1&b={x}": false, "a=1&&b": true, "&a": true, "a&": true,
		"a&=b": true, "=b": false, "a==b": false, "a=": false} {
		assert.Equal(t, want, emptyItem(query), query)
	}
}
