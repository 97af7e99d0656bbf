package relink

import (
	"strings"
)

// json finds links in strings. A name tells whether a path is an address too.
func (f *finder) json() {
	b := f.text
	name := ""
	for i := 0; i < len(b); i++ {
		if b[i] != '"' {
			continue
		}
		end := quoted(b, i)
		if end >= len(b) {
			return
		}
		l := escapes(b[i+1 : end])
		next := end + 1
		for next < len(b) && isSpace(b[next]) {
			next++
		}
		if next < len(b) && b[next] == ':' {
			name = string(l.text)
		} else {
			f.value(i+1, l, namesAddress(name))
		}
		i = end
	}
}

// namesAddress reports whether a name is one that addresses have in JSON.
func namesAddress(name string) bool {
	name = strings.ToLower(name)
	for _, end := range []string{"url", "href", "src", "link", "@id", "permalink", "canonical", "sameas", "target"} {
		if strings.HasSuffix(name, end) {
			return true
		}
	}
	return false
}
