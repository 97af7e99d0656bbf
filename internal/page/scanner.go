package page

import (
	"bytes"
	"html"
)

// scanner takes HTML apart into texts and tags, as far as reading signals needs
// it (HTML, section 13.2.5). Text is passed over in one go, where a tokenizer
// looks at each byte: that is most of a page.
type scanner struct {
	data []byte
	at   int
	raw  string // the element whose text has no tags
	rest []byte // attributes of the tag that was met last
}

// kind is what a scanner met.
type kind int

const (
	atEnd kind = iota
	text
	startTag
	endTag
)

// next goes on to the next text or tag. A tag's name is in small letters; both
// hold until data is changed.
func (s *scanner) next() (kind, []byte) {
	for s.at < len(s.data) {
		if s.raw != "" {
			end := s.endOf(s.raw)
			content := s.data[s.at:end]
			unescape := s.raw == "title" || s.raw == "textarea"
			s.at, s.raw = end, ""
			if len(content) == 0 {
				continue
			}
			if unescape {
				content = unescaped(content)
			}
			return text, content
		}
		if s.data[s.at] != '<' || !s.opens(s.at) {
			return text, unescaped(s.words())
		}
		if k, name := s.markup(); k != atEnd {
			return k, name
		}
	}
	return atEnd, nil
}

// words returns the text up to the next tag.
func (s *scanner) words() []byte {
	start := s.at
	for s.at++; s.at < len(s.data); s.at++ {
		i := bytes.IndexByte(s.data[s.at:], '<')
		if i < 0 {
			s.at = len(s.data)
			break
		}
		if s.at += i; s.opens(s.at) {
			break
		}
	}
	return s.data[start:min(s.at, len(s.data))]
}

// opens reports whether the "<" at i begins markup.
func (s *scanner) opens(i int) bool {
	if i+1 >= len(s.data) {
		return false
	}
	c := s.data[i+1]
	return c == '!' || c == '?' || isLetter(c) || c == '/' && i+2 < len(s.data)
}

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }

func isSpace(c byte) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' || c == '\f' }

// markup passes over a tag or a comment; it returns atEnd for a comment.
func (s *scanner) markup() (kind, []byte) {
	d := s.data[s.at:]
	switch {
	case bytes.HasPrefix(d, []byte("<!--")):
		s.at += commentEnd(d)
		return atEnd, nil
	case d[1] == '!', d[1] == '?', d[1] == '/' && !isLetter(d[2]):
		end := bytes.IndexByte(d, '>')
		if end < 0 {
			end = len(d) - 1
		}
		s.at += end + 1
		return atEnd, nil
	}
	k, i := startTag, 1
	if d[1] == '/' {
		k, i = endTag, 2
	}
	first := i
	for i < len(d) && !isSpace(d[i]) && d[i] != '/' && d[i] != '>' {
		i++
	}
	name := bytes.ToLower(d[first:i])
	end := tagEnd(d, i)
	if end < 0 { // the file ends in the tag
		s.at = len(s.data)
		return atEnd, nil
	}
	s.rest = d[i:end]
	s.at += end + 1
	if k == startTag {
		switch n := string(name); n {
		case "script", "style", "title", "textarea", "iframe", "noembed", "noframes", "xmp", "plaintext":
			s.raw = n
		}
	}
	return k, name
}

// commentEnd returns the length of the comment that d begins with.
func commentEnd(d []byte) int {
	for _, short := range []string{"<!-->", "<!--->"} {
		if bytes.HasPrefix(d, []byte(short)) {
			return len(short)
		}
	}
	end := len(d)
	for _, mark := range []string{"-->", "--!>"} {
		if i := bytes.Index(d[4:], []byte(mark)); i >= 0 {
			end = min(end, 4+i+len(mark))
		}
	}
	return end
}

// tagEnd returns where the ">" of a tag stands, from i on, or -1.
func tagEnd(d []byte, i int) int {
	for i < len(d) {
		switch c := d[i]; {
		case c == '>':
			return i
		case isSpace(c), c == '/':
			i++
		default:
			_, _, i = attribute(d, i)
		}
	}
	return -1
}

// attribute reads the attribute that begins at i, and returns where it ends.
func attribute(d []byte, i int) (name, value []byte, end int) {
	start := i
	for i++; i < len(d) && !isSpace(d[i]) && d[i] != '/' && d[i] != '>' && d[i] != '='; {
		i++
	}
	name = d[start:min(i, len(d))]
	j := i
	for j < len(d) && isSpace(d[j]) {
		j++
	}
	if j >= len(d) || d[j] != '=' {
		return name, nil, i
	}
	for j++; j < len(d) && isSpace(d[j]); {
		j++
	}
	if j < len(d) && (d[j] == '"' || d[j] == '\'') {
		k := bytes.IndexByte(d[j+1:], d[j])
		if k < 0 {
			return name, d[j+1:], len(d)
		}
		return name, d[j+1 : j+1+k], j + k + 2
	}
	k := j
	for k < len(d) && !isSpace(d[k]) && d[k] != '>' {
		k++
	}
	return name, d[j:k], k
}

// attributes yields those of the tag that was met last, names in small letters.
func (s *scanner) attributes(yield func(name, value []byte)) {
	d := s.rest
	for i := 0; i < len(d); {
		if isSpace(d[i]) || d[i] == '/' {
			i++
			continue
		}
		name, value, end := attribute(d, i)
		yield(bytes.ToLower(name), unescaped(value))
		i = end
	}
}

// endOf returns where the end tag of a raw element begins, or the data ends.
func (s *scanner) endOf(name string) int {
	for i := s.at; i < len(s.data); i++ {
		j := bytes.IndexByte(s.data[i:], '<')
		if j < 0 {
			break
		}
		i += j
		d := s.data[i:]
		if len(d) > len(name)+2 && d[1] == '/' && name != "plaintext" &&
			bytes.EqualFold(d[2:2+len(name)], []byte(name)) {
			if c := d[2+len(name)]; isSpace(c) || c == '/' || c == '>' {
				return i
			}
		}
	}
	return len(s.data)
}

// unescaped replaces character references.
func unescaped(b []byte) []byte {
	if bytes.IndexByte(b, '&') < 0 {
		return b
	}
	return []byte(html.UnescapeString(string(b)))
}
