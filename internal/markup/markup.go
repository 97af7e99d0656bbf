// Package markup takes HTML apart into texts and tags, and says where each stands (HTML, section 13.2.5). Text is passed
// over in one go, where a tokenizer looks at each byte: that is most of a page.
package markup

import (
	"bytes"
	"html"
)

// Scanner takes a document apart.
type Scanner struct {
	data []byte
	at   int
	raw  string // the element whose text has no tags
	last []Attribute
}

// maxAttributes bounds how many attributes of a tag are read.
const maxAttributes = 1000

// New returns a scanner of a document in UTF-8. The document must not change.
func New(data []byte) *Scanner { return &Scanner{data: data} }

// Kind is what a scanner met.
type Kind uint8

// What a scanner meets.
const (
	End Kind = iota
	Text
	StartTag
	EndTag
)

// Token is a text or a tag.
//
//	<p class="a">Tides &amp; ports</p>    StartTag p, Text "Tides &amp; ports", EndTag p
type Token struct {
	Kind     Kind
	Name     []byte // of a tag, in small letters
	From, To int    // of a text
	Raw      bool   // a text in which references count for nothing: of a script, a style and the like
}

// Next goes on to the next text or tag. Comments are passed over.
func (s *Scanner) Next() Token {
	for s.at < len(s.data) {
		if s.raw != "" {
			t := Token{Kind: Text, From: s.at, To: s.endOf(s.raw), Raw: s.raw != "title" && s.raw != "textarea"}
			s.at, s.raw = t.To, ""
			if t.From == t.To {
				continue
			}
			return t
		}
		if s.data[s.at] != '<' || !s.opens(s.at) {
			start := s.at
			return Token{Kind: Text, From: start, To: start + len(s.words())}
		}
		if kind, name := s.markup(); kind != End {
			return Token{Kind: kind, Name: name}
		}
	}
	return Token{}
}

// words returns the text up to the next tag.
func (s *Scanner) words() []byte {
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
func (s *Scanner) opens(i int) bool {
	if i+1 >= len(s.data) {
		return false
	}
	c := s.data[i+1]
	return c == '!' || c == '?' || isLetter(c) || c == '/' && i+2 < len(s.data)
}

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }

func isSpace(c byte) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' || c == '\f' }

// markup passes over a tag or a comment; it returns End for a comment.
func (s *Scanner) markup() (Kind, []byte) {
	d := s.data[s.at:]
	switch {
	case bytes.HasPrefix(d, []byte("<!--")):
		s.at += commentEnd(d)
		return End, nil
	case d[1] == '!', d[1] == '?', d[1] == '/' && !isLetter(d[2]):
		end := bytes.IndexByte(d, '>')
		if end < 0 {
			end = len(d) - 1
		}
		s.at += end + 1
		return End, nil
	}
	k, i := StartTag, 1
	if d[1] == '/' {
		k, i = EndTag, 2
	}
	first := i
	for i < len(d) && !isSpace(d[i]) && d[i] != '/' && d[i] != '>' {
		i++
	}
	name := small(d[first:i])
	if !s.attributes(s.at + i) { // the file ends in the tag
		return End, nil
	}
	if k == StartTag {
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
	for i := 4; ; i++ { // each byte is looked at once, however many comments there are
		n := bytes.Index(d[i:], []byte("--"))
		if n < 0 {
			return len(d)
		}
		i += n
		switch rest := d[i+2:]; {
		case bytes.HasPrefix(rest, []byte(">")):
			return i + len("-->")
		case bytes.HasPrefix(rest, []byte("!>")):
			return i + len("--!>")
		}
	}
}

// attributes reads those of a tag, and goes on behind its ">". It reports false where there is none.
func (s *Scanner) attributes(i int) bool {
	s.last = s.last[:0]
	for d := s.data; i < len(d); {
		switch c := d[i]; {
		case c == '>':
			s.at = i + 1
			return true
		case isSpace(c), c == '/':
			i++
		default:
			var a Attribute
			if a, i = attribute(d, i); len(s.last) < maxAttributes {
				s.last = append(s.last, a)
			}
		}
	}
	s.at = len(s.data)
	return false
}

// small returns a name in small letters; itself where it is.
func small(name []byte) []byte {
	for _, c := range name {
		if 'A' <= c && c <= 'Z' || c >= 0x80 {
			return bytes.ToLower(name)
		}
	}
	return name
}

// Attribute is an attribute of a tag.
type Attribute struct {
	Name     []byte // in small letters
	From, To int    // of its value, without quotes; both 0 where it has none
}

// attribute reads the attribute that begins at i, and returns where it ends.
func attribute(d []byte, i int) (a Attribute, end int) {
	start := i
	for i++; i < len(d) && !isSpace(d[i]) && d[i] != '/' && d[i] != '>' && d[i] != '='; {
		i++
	}
	a.Name = small(d[start:min(i, len(d))])
	j := i
	for j < len(d) && isSpace(d[j]) {
		j++
	}
	if j >= len(d) || d[j] != '=' {
		return a, i
	}
	for j++; j < len(d) && isSpace(d[j]); {
		j++
	}
	if j < len(d) && (d[j] == '"' || d[j] == '\'') {
		k := bytes.IndexByte(d[j+1:], d[j])
		if k < 0 {
			a.From, a.To = j+1, len(d)
			return a, len(d)
		}
		a.From, a.To = j+1, j+1+k
		return a, j + k + 2
	}
	k := j
	for k < len(d) && !isSpace(d[k]) && d[k] != '>' {
		k++
	}
	a.From, a.To = j, k
	return a, k
}

// Attributes returns those of the tag that was met last, until the next one.
func (s *Scanner) Attributes() []Attribute { return s.last }

// endOf returns where the end tag of a raw element begins, or the data ends.
func (s *Scanner) endOf(name string) int {
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

// Unescaped replaces character references.
func Unescaped(b []byte) []byte {
	if bytes.IndexByte(b, '&') < 0 {
		return b
	}
	return []byte(html.UnescapeString(string(b)))
}
