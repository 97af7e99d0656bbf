// Package page reads the signals of one HTML page: what it says of its title,
// its language, its canonical address, its translations and its links, what it
// loads, and a sketch of its text.
package page

import (
	"fmt"
	"io"
	"strings"

	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding"

	"young-compass/internal/fingerprint"
	"young-compass/internal/markup"
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
	Further    int         `json:",omitempty"` // translations beyond those, which are not looked at
	Mentioned  int         `json:",omitempty"` // translations that <a rel=alternate hreflang> links to, for people
	Feeds      []string    `json:",omitempty"` // of <link rel=alternate type=application/rss+xml> or atom
	Links      []string    `json:",omitempty"` // of <a href> and <area href>, each once
	Forms      []string    `json:",omitempty"` // where forms are sent, each once
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

// Says reports whether what a page or a header tells crawlers holds a directive, such as noindex; "none" holds all.
//
//	noindex, nofollow
func Says(robots, directive string) bool {
	apart := func(r rune) bool { return r == ',' || r == ' ' }
	for word := range strings.FieldsFuncSeq(strings.ToLower(robots), apart) {
		if word == directive || word == "none" {
			return true
		}
	}
	return false
}

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

	// MaxAlternates is how many translations of a page are looked at.
	MaxAlternates = 500
)

// Read reads a page of at most MaxSize bytes in any encoding that browsers
// know; contentType is what the server said of it, or empty. Broken markup is
// no error.
func Read(r io.Reader, contentType string) (Signals, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxSize))
	if err != nil {
		return Signals{}, fmt.Errorf("reading a page: %w", err)
	}
	return Parse(data, contentType), nil
}

// ReadText reads a page as Read does, and returns beside its signals the words of its body: at most n bytes of them,
// a space between two, those in menus, headers and footers left out.
func ReadText(r io.Reader, contentType string, n int) (Signals, string, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxSize))
	if err != nil {
		return Signals{}, "", fmt.Errorf("reading a page: %w", err)
	}
	s, text := parse(data, contentType, n)
	return s, text, nil
}

// Parse reads a page as Read does.
func Parse(data []byte, contentType string) Signals {
	s, _ := parse(data, contentType, 0)
	return s
}

// parse reads a page, and keeps at most n bytes of its text.
func parse(data []byte, contentType string, n int) (Signals, string) {
	if data = data[:min(len(data), MaxSize)]; len(data) == 0 {
		return Signals{}, ""
	}
	coding, name, _ := charset.DetermineEncoding(data[:min(len(data), 1024)], contentType)
	if name != "utf-8" && coding != encoding.Nop {
		if decoded, err := coding.NewDecoder().Bytes(data); err == nil {
			data = decoded[:min(len(decoded), 2*MaxSize)]
		}
	}
	p := parser{data: data, scan: markup.New(data), linked: map[string]bool{}, room: n}
	for {
		switch t := p.scan.Next(); t.Kind {
		case markup.End:
			p.sketch()
			return p.s, strings.ToValidUTF8(p.plain.String(), "")
		case markup.StartTag:
			p.start(atom.Lookup(t.Name))
		case markup.EndTag:
			p.end(atom.Lookup(t.Name))
		case markup.Text:
			text := data[t.From:t.To]
			if !t.Raw {
				text = markup.Unescaped(text)
			}
			p.words(text)
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
