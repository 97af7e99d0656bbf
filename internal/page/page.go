// Package page reads the signals of one HTML page: what it says of its title,
// its language, its canonical address, its translations and its links, what it
// loads, and a sketch of its text.
package page

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/charset"

	"young-compass/internal/fingerprint"
)

// MaxSize is how many bytes of a page are read.
const MaxSize = 2 << 20

// Signals are what a page says of itself. Texts are plain, links as written.
type Signals struct {
	Title      string      `json:",omitempty"`
	Headings   []string    `json:",omitempty"` // h1 and h2, in their order
	Language   string      `json:",omitempty"` // of <html lang>
	Content    string      `json:",omitempty"` // of <meta http-equiv=content-language>
	Base       string      `json:",omitempty"` // of <base href>
	Canonicals []Canonical `json:",omitempty"` // every one that there is
	Robots     string      `json:",omitempty"` // "noindex, nofollow" of <meta name=robots>
	Refresh    string      `json:",omitempty"` // where <meta http-equiv=refresh> leads
	Prev, Next string      `json:",omitempty"` // of <link rel=prev> and <link rel=next>
	Alternates []Alternate `json:",omitempty"`
	Links      []string    `json:",omitempty"` // of <a href> and <area href>, each once
	Insecure   []Load      `json:",omitempty"` // what is loaded by http
	Password   bool        `json:",omitempty"` // a form asks for one
	Text       fingerprint.Sketch
}

// Canonical is a link element that names the page's canonical address.
type Canonical struct {
	Link    string
	Outside bool `json:",omitempty"` // it isn't in the head, where alone it counts
}

// Alternate is a link to the same page in another language.
type Alternate struct {
	Language, Link string
	Outside        bool `json:",omitempty"` // it isn't in the head, where alone it counts
}

// Load is something that a page loads, or a form that it sends.
type Load struct{ Element, Link string }

// Canonical returns the first canonical link of the head, or nothing.
func (s Signals) Canonical() string {
	for _, c := range s.Canonicals {
		if !c.Outside {
			return c.Link
		}
	}
	return ""
}

// The bounds of what is kept of a page.
const (
	maxText     = 1000 // bytes of a title or heading
	maxHeadings = 50
	maxLinks    = 5000
	maxMarks    = 50 // canonical links, insecure loads
)

// Read reads a page of at most MaxSize bytes in any encoding that browsers
// know; contentType is what the server said of it, or empty. Broken markup is
// no error.
func Read(r io.Reader, contentType string) (Signals, error) {
	text, err := charset.NewReader(io.LimitReader(r, MaxSize), contentType)
	if errors.Is(err, io.EOF) {
		return Signals{}, nil
	}
	if err != nil {
		return Signals{}, fmt.Errorf("reading the text of a page: %w", err)
	}
	p := parser{tokens: html.NewTokenizer(text), linked: map[string]bool{}}
	p.tokens.SetMaxBuf(MaxSize)
	for {
		switch p.tokens.Next() {
		case html.ErrorToken:
			if err := p.tokens.Err(); !errors.Is(err, io.EOF) && !errors.Is(err, html.ErrBufferExceeded) {
				return p.s, fmt.Errorf("reading a page: %w", err)
			}
			p.sketch()
			return p.s, nil
		case html.StartTagToken, html.SelfClosingTagToken:
			p.start()
		case html.EndTagToken:
			p.end()
		case html.TextToken:
			p.words()
		}
	}
}

// trimmed returns a text of at most maxText bytes with single spaces.
func trimmed(s string) string {
	s = strings.Join(strings.Fields(strings.ToValidUTF8(s, "")), " ")
	if len(s) > maxText {
		s = strings.ToValidUTF8(s[:maxText], "")
	}
	return s
}
