package cli

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/relink"
	"young-compass/internal/term"
)

func TestWriteDifference(t *testing.T) {
	var b bytes.Buffer
	writeDifference(&b, term.Style{}, false, relink.Document{Path: "a", Before: []byte("1\n2\nold"), After: []byte("1\n2\nnew")})
	const end = "\\ No newline at end of file\n"
	assert.Equal(t, "--- a\n+++ a\n@@ -1,3 +1,3 @@\n 1\n 2\n-old\n"+end+"+new\n"+end, b.String())
	b.Reset()
	long := strings.Repeat("a ", 500)
	writeDifference(&b, term.Style{}, true, relink.Document{Path: "a", Before: []byte("\x1b[2J" + long + "old"),
		After: []byte("\x1b[2J" + long + "new")})
	assert.NotContains(t, b.String(), "\x1b", "nothing that moves a terminal's cursor")
	assert.Contains(t, b.String(), "old\n\\ No newline at end of file\n+...")
}
