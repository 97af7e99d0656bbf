package address

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The tables of RFC 3986 sections 5.4.1 and 5.4.2. Links that lead to no http
// address are errors here, "http:g" as a strict parser reads it among them.
func TestReference(t *testing.T) {
	base, err := Parse("http://a/b/c/d;p?q")
	require.NoError(t, err)
	for link, want := range map[string]string{
		"g:h": "", "g": "http://a/b/c/g", "./g": "http://a/b/c/g", "g/": "http://a/b/c/g/", "/g": "http://a/g",
		"//g": "http://g/",
		"?y":  "http://a/b/c/d;p?y", "g?y": "http://a/b/c/g?y", "#s": "http://a/b/c/d;p?q#s", "g#s": "http://a/b/c/g#s",
		"g?y#s": "http://a/b/c/g?y#s",
		";x":    "http://a/b/c/;x", "g;x": "http://a/b/c/g;x", "g;x?y#s": "http://a/b/c/g;x?y#s",
		"":  "http://a/b/c/d;p?q",
		".": "http://a/b/c/", "./": "http://a/b/c/", "..": "http://a/b/", "../": "http://a/b/", "../g": "http://a/b/g",
		"../..": "http://a/", "../../": "http://a/", "../../g": "http://a/g",
		"../../../g": "http://a/g", "../../../../g": "http://a/g", "/./g": "http://a/g", "/../g": "http://a/g",
		"g.": "http://a/b/c/g.", ".g": "http://a/b/c/.g", "g..": "http://a/b/c/g..", "..g": "http://a/b/c/..g",
		"./../g": "http://a/b/g", "./g/.": "http://a/b/c/g/", "g/./h": "http://a/b/c/g/h", "g/../h": "http://a/b/c/h",
		"g;x=1/./y": "http://a/b/c/g;x=1/y", "g;x=1/../y": "http://a/b/c/y",
		"g?y/./x": "http://a/b/c/g?y/./x", "g?y/../x": "http://a/b/c/g?y/../x", "g#s/./x": "http://a/b/c/g#s/./x",
		"g#s/../x": "http://a/b/c/g#s/../x", "http:g": "",
		"http://a/b/c/%2e%2E/x": "http://a/b/x", "mailto:crew@skerrywick.example": "", "javascript:alert(1)": "",
		"a\x01b": "", "\xff": "",
		// as browsers read them (WHATWG, URL)
		`\\h\x`: "http://h/x", `\x`: "http://a/x", `..\x`: "http://a/b/x", `http:\\h/x`: "http://h/x", `x?\`: `http://a/b/c/x?\`,
		`/\h`: "http://h/",
	} {
		a, err := Reference(base, link)
		if want == "" {
			assert.Error(t, err, link)
			continue
		}
		if assert.NoError(t, err, link) {
			assert.Equal(t, want, a.String(), link)
		}
	}
}

// What a link leads to is in normal form, and leads to itself from anywhere.
func FuzzReference(f *testing.F) {
	f.Add("https://skerrywick.example/a/b?c", "../x/./y?z#w")
	f.Add("http://a", "//b:80/%7e")
	f.Fuzz(func(t *testing.T, from, link string) {
		base, err := Parse(from)
		if err != nil {
			return
		}
		a, err := Reference(base, link)
		if err != nil {
			return
		}
		again, err := Reference(base, a.String())
		if len(a.String()) <= MaxLength {
			require.NoError(t, err, a)
			assert.Equal(t, a, again)
		}
	})
}
