package relink_test

import (
	"bytes"
	"testing"

	"young-compass/internal/relink"
)

// Hostile texts come to an end: a form that looked ahead from each byte would take minutes for these.
func TestHostileTexts(t *testing.T) {
	l := relink.New(ferries(t), relink.AsWritten)
	page := at(t, l, "https://skerrywick.example/ports")
	size := 1 << 20
	if testing.Short() {
		size >>= 5
	}
	for _, piece := range []string{"<", "<a ", "`", "``x", "//skerrywick.example", "'//skerrywick.example",
		"http://skerrywick.example/{", "http://skerrywick.example/(", "$a$", "$b", "'", `"`, `\`, "url(", "@import ",
		`s:1:"`, "a:1:{", "[", "](", `{"`, "<![CDATA[", "<!--", "&#x41;", "&", "COPY a FROM stdin;\n", "<a href='", "/*",
		"a:9:{i:0;"} {
		t.Run(piece, func(*testing.T) {
			for _, form := range relink.Forms() {
				l.Relink(bytes.Repeat([]byte(piece), size/len(piece)), form, page)
			}
		})
	}
}
