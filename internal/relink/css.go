package relink

import (
	"bytes"
	"strings"
)

// css finds what a style loads: url(...) and @import "...".
func (f *finder) css() {
	b := f.text
	for i := 0; i < len(b); i++ {
		switch c := b[i]; {
		case c == '/' && i+1 < len(b) && b[i+1] == '*':
			n := bytes.Index(b[i+2:], []byte("*/"))
			if n < 0 {
				return
			}
			i += n + 3
		case c == '"' || c == '\'':
			i = quoted(b, i)
		case c == '@' && len(b) > i+7 && strings.EqualFold(string(b[i+1:i+7]), "import"):
			j := i + 7
			for j < len(b) && isSpace(b[j]) {
				j++
			}
			if j < len(b) && (b[j] == '"' || b[j] == '\'') {
				end := quoted(b, j)
				f.address(j+1, slashed(b[j+1:end]))
				i = end
			} else {
				i = j - 1
			}
		case (c|0x20) == 'u' && len(b) > i+4 && strings.EqualFold(string(b[i:i+4]), "url(") && (i == 0 || !isWord(b[i-1])):
			j := i + 4
			for j < len(b) && isSpace(b[j]) {
				j++
			}
			if j < len(b) && (b[j] == '"' || b[j] == '\'') {
				end := quoted(b, j)
				f.address(j+1, slashed(b[j+1:end]))
				i = end
				continue
			}
			end := j
			for end < len(b) && b[end] != ')' {
				if b[end] == '\\' {
					end++
				}
				end++
			}
			end = min(end, len(b))
			f.address(j, slashed(b[j:end]))
			i = end
		}
	}
}

func isWord(c byte) bool { return isAlphanumeric(c) || c == '-' || c == '_' }

// quoted returns where a string ends that begins at i with a quote; a backslash takes the next byte along.
func quoted(b []byte, i int) int {
	for j := i + 1; j < len(b); j++ {
		switch b[j] {
		case '\\':
			j++
		case b[i]:
			return j
		}
	}
	return len(b)
}

// slashed returns the text of a string in CSS: a backslash stands before what would end it.
func slashed(b []byte) layer {
	d := decoder{from: b}
	for i := 0; i+1 < len(b); i++ {
		if b[i] != '\\' {
			continue
		}
		d.put(i, i+2, string(b[i+1:i+2]))
		i++
	}
	return d.layer(strings.NewReplacer(`\`, `\\`, `"`, `\"`, `'`, `\'`, "(", `\(`, ")", `\)`).Replace)
}
