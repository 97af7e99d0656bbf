// Package page reads the signals of one HTML page: what it says of its title,
// its language, its canonical address, its translations and its links.
package page

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"
)

// MaxSize is how many bytes of a page are read.
const MaxSize = 2 << 20

// Signals are what a page says of itself. Texts are plain, links as written.
type Signals struct {
	Title      string
	Headings   []string // h1 and h2, in their order
	Language   string   // of <html lang>
	Base       string   // of <base href>
	Canonical  string
	Robots     string // "noindex, nofollow" of <meta name=robots>
	Refresh    string // where <meta http-equiv=refresh> leads
	Alternates []Alternate
	Links      []string // of <a href> and <area href>, each once
}

// Alternate is a link to the same page in another language.
type Alternate struct{ Language, Link string }

// The bounds of what is kept of a page.
const (
	maxText     = 1000 // bytes of a title or heading
	maxHeadings = 50
	maxLinks    = 5000
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
			return p.s, nil
		case html.StartTagToken, html.SelfClosingTagToken:
			p.start()
		case html.EndTagToken:
			name, _ := p.tokens.TagName()
			p.end(atom.Lookup(name))
		case html.TextToken:
			if p.inside != 0 && p.text.Len() < maxText {
				p.text.Write(p.tokens.Text())
			}
		}
	}
}

type parser struct {
	tokens *html.Tokenizer
	s      Signals
	inside atom.Atom // the element whose text is being collected
	text   strings.Builder
	linked map[string]bool
	svg    bool
}

func (p *parser) start() {
	name, more := p.tokens.TagName()
	tag := atom.Lookup(name)
	attributes := map[string]string{}
	for more {
		var key, value []byte
		key, value, more = p.tokens.TagAttr()
		if k := string(key); slices.Contains([]string{"lang", "href", "rel", "hreflang", "name", "content", "http-equiv"}, k) {
			if _, twice := attributes[k]; !twice {
				attributes[k] = strings.TrimSpace(string(value))
			}
		}
	}
	switch tag {
	case atom.Html:
		p.s.Language = attributes["lang"]
	case atom.Svg:
		p.svg = true
	case atom.Title:
		if p.s.Title == "" && !p.svg {
			p.collect(tag)
		}
	case atom.H1, atom.H2:
		if len(p.s.Headings) < maxHeadings {
			p.collect(tag)
		}
	case atom.Base:
		if p.s.Base == "" {
			p.s.Base = attributes["href"]
		}
	case atom.Meta:
		p.meta(attributes)
	case atom.Link:
		p.link(attributes)
	case atom.A, atom.Area:
		if href := attributes["href"]; href != "" && !p.linked[href] && len(p.s.Links) < maxLinks {
			p.linked[href] = true
			p.s.Links = append(p.s.Links, href)
		}
	}
}

func (p *parser) collect(tag atom.Atom) {
	p.inside = tag
	p.text.Reset()
}

func (p *parser) end(tag atom.Atom) {
	if tag == atom.Svg {
		p.svg = false
	}
	if p.inside == 0 || tag != p.inside {
		return
	}
	p.inside = 0
	text := strings.Join(strings.Fields(strings.ToValidUTF8(p.text.String(), "")), " ")
	if len(text) > maxText {
		text = strings.ToValidUTF8(text[:maxText], "")
	}
	switch {
	case text == "":
	case tag == atom.Title:
		p.s.Title = text
	default:
		p.s.Headings = append(p.s.Headings, text)
	}
}

func (p *parser) meta(a map[string]string) {
	switch {
	case strings.EqualFold(a["name"], "robots"):
		p.s.Robots = strings.ToLower(a["content"])
	case strings.EqualFold(a["http-equiv"], "refresh"):
		if _, rest, ok := strings.Cut(a["content"], ";"); ok {
			rest = strings.TrimSpace(rest)
			if len(rest) > 4 && strings.EqualFold(rest[:4], "url=") {
				p.s.Refresh = strings.Trim(rest[4:], `"' `)
			}
		}
	}
}

func (p *parser) link(a map[string]string) {
	rel := strings.Fields(strings.ToLower(a["rel"]))
	switch {
	case a["href"] == "":
	case slices.Contains(rel, "canonical"):
		if p.s.Canonical == "" {
			p.s.Canonical = a["href"]
		}
	case slices.Contains(rel, "alternate") && a["hreflang"] != "" && len(p.s.Alternates) < maxLinks:
		p.s.Alternates = append(p.s.Alternates, Alternate{a["hreflang"], a["href"]})
	}
}
