// Package xmltext reads XML token by token within bounds: no entity is
// expanded but XML's own and HTML's, no token is longer than a MiB, nothing
// lies deeper than a page of any sitemap or feed needs.
package xmltext

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"

	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/unicode"

	"young-compass/internal/finding"
)

// The bounds of a document.
const (
	maxToken = 1 << 20 // bytes
	maxDepth = 64
)

// Reader gives the tokens of a document, and the text of its elements.
type Reader struct {
	file    string
	decoder *xml.Decoder
	source  *source
	depth   int
}

// New reads a document; file is its name in errors.
func New(file string, r io.Reader) *Reader {
	s := &source{r: bufio.NewReaderSize(r, 64<<10)}
	start, _ := s.r.Peek(4)
	wide := orderOf(start)
	switch {
	case wide != nil:
		s.r = bufio.NewReaderSize(wide.NewDecoder().Reader(s.r), 64<<10)
	case strings.HasPrefix(string(start), "\ufeff"):
		_, _ = s.r.Discard(3)
	}
	d := xml.NewDecoder(s)
	d.CharsetReader = func(label string, r io.Reader) (io.Reader, error) {
		if wide != nil { // whatever the document calls it: it is read already
			return r, nil
		}
		return charset.NewReaderLabel(label, r)
	}
	d.Entity = xml.HTMLEntity
	return &Reader{file: file, decoder: d, source: s}
}

// orderOf returns in which order of bytes a document is written whose characters take two each, or nil for any other: by
// its byte order mark, or by how every document begins (XML 1.0, appendix F.1).
func orderOf(start []byte) encoding.Encoding {
	switch {
	case bytes.HasPrefix(start, []byte("\xff\xfe")), bytes.HasPrefix(start, []byte("<\x00")):
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case bytes.HasPrefix(start, []byte("\xfe\xff")), bytes.HasPrefix(start, []byte("\x00<")):
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	}
	return nil
}

// Line returns the line that has been read to, from 1.
func (r *Reader) Line() int {
	line, _ := r.decoder.InputPos()
	return line
}

// Next returns the next token, or io.EOF behind the root element. Other errors
// are a *finding.Input, unless they come from the file itself.
func (r *Reader) Next() (xml.Token, error) {
	r.source.token = 0
	token, err := r.decoder.Token()
	if err != nil {
		if errors.Is(err, io.EOF) && r.depth == 0 {
			return nil, io.EOF
		}
		return nil, r.unreadable(err)
	}
	switch token.(type) {
	case xml.StartElement:
		if r.depth++; r.depth > maxDepth {
			return nil, r.unreadable(fmt.Errorf("its elements lie more than %d deep in one another", maxDepth))
		}
	case xml.EndElement:
		r.depth--
	}
	return token, nil
}

// Text returns the text of the element that has just begun, with that of the
// elements in it, and reads behind its end.
func (r *Reader) Text() (string, error) {
	var b strings.Builder
	for depth := r.depth; r.depth >= depth; {
		token, err := r.Next()
		if err != nil {
			return "", err
		}
		if text, ok := token.(xml.CharData); ok {
			if b.Len()+len(text) > maxToken {
				return "", r.unreadable(errTooLong)
			}
			b.Write(text)
		}
	}
	return strings.TrimSpace(b.String()), nil
}

// Skip reads behind the end of the element that has just begun.
func (r *Reader) Skip() error {
	for depth := r.depth; r.depth >= depth; {
		if _, err := r.Next(); err != nil {
			return err
		}
	}
	return nil
}

// Attribute returns the value of an attribute, whatever its namespace.
func Attribute(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return strings.TrimSpace(a.Value)
		}
	}
	return ""
}

var errTooLong = errors.New("a piece of it has more than 1 MiB")

func (r *Reader) unreadable(err error) error {
	var syntax *xml.SyntaxError
	what := err.Error()
	switch {
	case errors.As(err, &syntax):
		what = syntax.Msg
	case r.source.failed != nil && !errors.Is(r.source.failed, io.EOF) && !errors.Is(r.source.failed, errTooLong):
		return fmt.Errorf("reading %s: %w", r.file, r.source.failed)
	}
	if errors.Is(err, io.EOF) || what == "unexpected EOF" {
		what = "it breaks off"
	}
	line, column := r.decoder.InputPos()
	return finding.Unreadable(finding.Place{File: r.file, Line: line, Column: column},
		"this can't be read as XML: "+what, "export it again")
}

// source passes bytes on one by one, as the decoder wants them, and counts
// those of a token.
type source struct {
	r      *bufio.Reader
	token  int
	failed error
}

func (s *source) ReadByte() (byte, error) {
	if s.token++; s.token > maxToken {
		s.failed = errTooLong
		return 0, errTooLong
	}
	c, err := s.r.ReadByte()
	if err != nil {
		s.failed = err
	}
	return c, err
}

func (s *source) Read(p []byte) (int, error) {
	if s.token > maxToken {
		s.failed = errTooLong
		return 0, errTooLong
	}
	n, err := s.r.Read(p)
	s.token += n
	if err != nil {
		s.failed = err
	}
	return n, err
}
