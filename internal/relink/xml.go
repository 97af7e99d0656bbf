package relink

import (
	"bytes"
	"slices"
	"strings"
)

// xml finds attributes and texts that are one address; texts may hold HTML as well.
func (f *finder) xml() {
	b := f.text
	for i := 0; i < len(b); {
		if b[i] != '<' {
			end := i + bytes.IndexByte(b[i:], '<')
			if end < i {
				end = len(b)
			}
			f.xmlText(i, references(b[i:end]))
			i = end
			continue
		}
		switch rest := b[i:]; {
		case bytes.HasPrefix(rest, []byte("<!--")):
			i = behind(b, i+4, "-->")
		case bytes.HasPrefix(rest, []byte("<![CDATA[")):
			start := i + len("<![CDATA[")
			i = behind(b, start, "]]>")
			f.xmlText(start, plainLayer(bytes.TrimSuffix(b[start:i], []byte("]]>"))))
		case len(rest) > 1 && (rest[1] == '?' || rest[1] == '!' || rest[1] == '/'):
			i = behind(b, i+2, ">")
		default:
			i = f.xmlTag(i + 1)
		}
	}
}

// behind returns where the text goes on behind a mark, or where it ends.
func behind(b []byte, from int, mark string) int {
	if n := bytes.Index(b[from:], []byte(mark)); n >= 0 {
		return from + n + len(mark)
	}
	return len(b)
}

func (f *finder) xmlText(from int, l layer) {
	switch text := bytes.TrimSpace(l.text); {
	case isAbsolute(text):
		f.address(from, l)
	case hasTags(text):
		f.in(from, l, HTML)
	}
}

// xmlTag reads the attributes of a tag whose name begins at i, and returns where it ends.
func (f *finder) xmlTag(i int) int {
	b := f.text
	for i < len(b) && b[i] != '>' {
		if b[i] != '"' && b[i] != '\'' {
			i++
			continue
		}
		n := bytes.IndexByte(b[i+1:], b[i])
		if n < 0 {
			return len(b)
		}
		l := references(b[i+1 : i+1+n])
		name := strings.TrimRight(string(b[max(0, i-40):i]), "= \t\r\n")
		name = strings.ToLower(name[strings.LastIndexAny(name, " \t\r\n<")+1:])
		switch {
		case strings.HasPrefix(name, "xmlns"): // the name of a vocabulary, which only looks like an address
		case isAbsolute(bytes.TrimSpace(l.text)),
			slices.Contains([]string{"href", "src", "xlink:href", "xml:base"}, name):
			f.address(i+1, l)
		}
		i += n + 2
	}
	return min(i+1, len(b))
}
