package page

import (
	"bytes"
	"slices"
	"strings"

	"golang.org/x/net/html/atom"

	"young-compass/internal/fingerprint"
	"young-compass/internal/markup"
)

// parser reads a page token by token.
type parser struct {
	data   []byte
	scan   *markup.Scanner
	s      Signals
	inside atom.Atom // the element whose text is being collected
	text   strings.Builder
	linked map[string]bool
	title  bool // a title is open
	body   bool // the head is over
	svg    bool
	mute   atom.Atom // the element whose text nobody sees
	plain  strings.Builder
	room   int // how many bytes of text are still kept in plain

	blocks fingerprint.Builder
	frames []stretch // menus, headers, footers
	mains  []stretch // what the page marks as its main text
}

// stretch is a stretch of blocks of text in an element.
type stretch struct {
	element  atom.Atom
	from, to int // to is -1 while the element is open
}

// attributes are those of an element that say something.
type attributes struct {
	lang, href, rel, hreflang, name, content, equiv, src, action, kind string
}

// attributes reads those of the tag that was met last; the first of a name
// counts.
func (p *parser) attributes() (a attributes) {
	for _, attribute := range p.scan.Attributes() {
		if into := a.named(attribute.Name); into != nil && *into == "" {
			*into = string(bytes.TrimSpace(markup.Unescaped(p.data[attribute.From:attribute.To])))
		}
	}
	return a
}

func (a *attributes) named(key []byte) *string {
	switch string(key) {
	case "lang":
		return &a.lang
	case "href":
		return &a.href
	case "rel":
		return &a.rel
	case "hreflang":
		return &a.hreflang
	case "name":
		return &a.name
	case "content":
		return &a.content
	case "http-equiv":
		return &a.equiv
	case "src", "data", "poster":
		return &a.src
	case "action":
		return &a.action
	case "type":
		return &a.kind
	}
	return nil
}

func (p *parser) start(tag atom.Atom) {
	if !p.body && !ofHead(tag) {
		p.body = true
	}
	if isBlock(tag) {
		p.blocks.Break()
	}
	var a attributes
	if speaks(tag) {
		a = p.attributes()
	}
	switch tag {
	case atom.Html:
		p.s.Language = a.lang
	case atom.Svg:
		p.svg = true
	case atom.Script, atom.Style, atom.Noscript, atom.Template:
		if p.mute == 0 {
			p.mute = tag
		}
	case atom.Title:
		p.title = true
		if p.s.Title == "" && !p.svg {
			p.collect(tag)
		}
	case atom.H1, atom.H2:
		if len(p.s.Headings) < maxHeadings {
			p.collect(tag)
		}
	case atom.Base:
		if p.s.Base == "" {
			p.s.Base = a.href
		}
	case atom.Meta:
		p.meta(a)
	case atom.Link:
		p.link(a)
	case atom.A, atom.Area:
		if a.href != "" && !p.linked[a.href] && len(p.s.Links) < maxLinks {
			p.linked[a.href] = true
			p.s.Links = append(p.s.Links, a.href)
		}
		if a.hreflang != "" && strings.EqualFold(a.rel, "alternate") {
			p.s.Mentioned++
		}
	case atom.Form:
		if a.action != "" && len(p.s.Forms) < maxMarks && !slices.Contains(p.s.Forms, a.action) {
			p.s.Forms = append(p.s.Forms, a.action)
		}
	case atom.Input:
		p.s.Password = p.s.Password || strings.EqualFold(a.kind, "password")
	case atom.Nav, atom.Header, atom.Footer, atom.Aside:
		if !slices.ContainsFunc(p.mains, stretch.open) {
			p.frames = append(p.frames, stretch{tag, p.blocks.Mark(), -1})
		}
	case atom.Main, atom.Article:
		p.mains = append(p.mains, stretch{tag, p.blocks.Mark(), -1})
	}
	p.loads(tag, a)
}

// loads notes what an element loads or sends by http.
func (p *parser) loads(tag atom.Atom, a attributes) {
	link := a.src
	switch tag {
	case atom.Img, atom.Script, atom.Iframe, atom.Source, atom.Video, atom.Audio, atom.Embed, atom.Track, atom.Object:
	case atom.Form:
		link = a.action
	case atom.Link:
		if rel := strings.ToLower(a.rel); strings.Contains(rel, "stylesheet") || strings.Contains(rel, "icon") ||
			strings.Contains(rel, "preload") || strings.Contains(rel, "manifest") {
			link = a.href
		}
	default:
		return
	}
	if len(link) > 7 && strings.EqualFold(link[:7], "http://") && len(p.s.Insecure) < maxMarks {
		p.s.Insecure = append(p.s.Insecure, Load{tag.String(), link})
	}
}

// ofHead reports whether an element doesn't end the head (HTML, section 13.2.6.4.4).
func ofHead(tag atom.Atom) bool {
	switch tag {
	case atom.Html, atom.Head, atom.Title, atom.Base, atom.Basefont, atom.Bgsound, atom.Link, atom.Meta, atom.Noframes,
		atom.Noscript, atom.Script, atom.Style, atom.Template:
		return true
	}
	return false
}

// speaks reports whether the attributes of an element say anything.
func speaks(tag atom.Atom) bool {
	switch tag {
	case atom.Html, atom.Base, atom.Meta, atom.Link, atom.A, atom.Area, atom.Input, atom.Img, atom.Script, atom.Iframe,
		atom.Source, atom.Video, atom.Audio, atom.Embed, atom.Track, atom.Object, atom.Form:
		return true
	}
	return false
}

// isBlock reports whether an element begins or ends a block of text.
func isBlock(tag atom.Atom) bool {
	switch tag {
	case atom.P, atom.Div, atom.Li, atom.Ul, atom.Ol, atom.Dl, atom.Dt, atom.Dd, atom.H1, atom.H2, atom.H3, atom.H4,
		atom.H5, atom.H6, atom.Td, atom.Th, atom.Tr, atom.Table,
		atom.Section, atom.Article, atom.Main, atom.Nav, atom.Header, atom.Footer, atom.Aside, atom.Form, atom.Pre,
		atom.Blockquote, atom.Figure, atom.Figcaption, atom.Br, atom.Hr,
		atom.Body, atom.Title, atom.Option, atom.Fieldset, atom.Address, atom.Caption:
		return true
	}
	return false
}

func (s stretch) open() bool { return s.to < 0 }

func (s stretch) has(block int) bool { return block >= s.from && block < s.to }

// close ends the innermost open stretch of an element.
func (p *parser) close(list []stretch, tag atom.Atom) {
	for i := len(list) - 1; i >= 0; i-- {
		if list[i].element == tag && list[i].open() {
			list[i].to = p.blocks.Mark()
			return
		}
	}
}

func (p *parser) collect(tag atom.Atom) {
	p.inside = tag
	p.text.Reset()
}

func (p *parser) end(tag atom.Atom) {
	if isBlock(tag) {
		p.blocks.Break()
	}
	switch tag {
	case atom.Head:
		p.body = true
	case atom.Title:
		p.title = false
	case atom.Svg:
		p.svg = false
	case atom.Nav, atom.Header, atom.Footer, atom.Aside:
		p.close(p.frames, tag)
	case atom.Main, atom.Article:
		p.close(p.mains, tag)
	}
	if tag == p.mute {
		p.mute = 0
	}
	if p.inside == 0 || tag != p.inside {
		return
	}
	p.inside = 0
	text := trimmed(p.text.String())
	switch {
	case text == "":
	case tag == atom.Title:
		p.s.Title = text
	default:
		p.s.Headings = append(p.s.Headings, text)
	}
}

// words takes the text that was met.
func (p *parser) words(text []byte) {
	if p.mute != 0 {
		return
	}
	if p.inside != 0 && p.text.Len() < maxText {
		p.text.Write(text)
	}
	if p.title || p.svg {
		return
	}
	if !p.body && len(bytes.TrimSpace(text)) > 0 {
		p.body = true
	}
	p.blocks.Add(text)
	if p.room > 0 && !slices.ContainsFunc(p.frames, stretch.open) {
		p.keep(text)
	}
}

// keep keeps words of the text itself, as long as there is room.
func (p *parser) keep(text []byte) {
	for word := range bytes.FieldsSeq(text) {
		if len(word) >= p.room {
			p.room = 0
			return
		}
		p.room -= len(word) + 1
		p.plain.Write(word)
		p.plain.WriteByte(' ')
	}
}

// sketch sums up the text: what the page marks as its main text, or else all but
// menus, headers and footers, or, if nothing is left, all.
func (p *parser) sketch() {
	all := p.blocks.Mark()
	for i := range p.mains {
		if p.mains[i].open() {
			p.mains[i].to = all
		}
	}
	in := func(list []stretch) func(int) bool {
		return func(block int) bool {
			return slices.ContainsFunc(list, func(s stretch) bool { return s.has(block) })
		}
	}
	keep := in(p.mains)
	if len(p.mains) == 0 {
		frame := in(p.frames)
		keep = func(block int) bool { return !frame(block) }
	}
	for block := range all {
		if keep(block) {
			p.blocks.Keep(keep)
			break
		}
	}
	p.s.Text = p.blocks.Sketch()
}

func (p *parser) meta(a attributes) {
	switch {
	case strings.EqualFold(a.name, "robots"):
		p.s.Robots = strings.Trim(p.s.Robots+", "+strings.ToLower(a.content), ", ")
	case strings.EqualFold(a.equiv, "content-language"):
		p.s.Content = a.content
	case strings.EqualFold(a.equiv, "refresh"):
		if _, rest, ok := strings.Cut(a.content, ";"); ok {
			rest = strings.TrimSpace(rest)
			if len(rest) > 4 && strings.EqualFold(rest[:4], "url=") {
				p.s.Refresh = strings.Trim(rest[4:], `"' `)
			}
		}
	}
}

func (p *parser) link(a attributes) {
	if a.href == "" {
		return
	}
	for rel := range strings.FieldsSeq(strings.ToLower(a.rel)) {
		switch {
		case rel == "canonical" && len(p.s.Canonicals) < maxMarks:
			p.s.Canonicals = append(p.s.Canonicals, Canonical{a.href, p.body})
		case rel == "alternate" && a.hreflang != "" && len(p.s.Alternates) < MaxAlternates:
			p.s.Alternates = append(p.s.Alternates, Alternate{a.hreflang, a.href, p.body})
		case rel == "alternate" && a.hreflang != "":
			p.s.Further++
		case rel == "alternate" && (a.kind == "application/rss+xml" || a.kind == "application/atom+xml") &&
			len(p.s.Feeds) < maxMarks:
			p.s.Feeds = append(p.s.Feeds, a.href)
		case rel == "prev":
			p.s.Prev = a.href
		case rel == "next":
			p.s.Next = a.href
		}
	}
}
