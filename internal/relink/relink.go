// Package relink brings the links in a site's content to their final addresses: it turns bytes into the same bytes
// with other addresses, and says what it did. What a link is depends on the form: see Form.
//
//	<a href="http://www.skerrywick.example/index.php?item=214&amp;lang=de">
//	<a href="https://skerrywick.example/de/routes/kvitsund">
package relink

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"young-compass/internal/address"
	"young-compass/internal/plan"
)

// Form is how links stand in a text.
type Form string

// The forms.
const (
	HTML     Form = "html"     // attributes that hold addresses, styles, scripts, JSON
	CSS      Form = "css"      // url() and @import
	JSON     Form = "json"     // strings
	XML      Form = "xml"      // attributes and texts that are an address
	Markdown Form = "markdown" // links, references, and HTML
	Text     Form = "text"     // absolute addresses of the site; also scripts
	SQL      Form = "sql"      // string literals of a dump
	PHP      Form = "php"      // serialised values
)

// Forms returns all forms.
func Forms() []Form { return []Form{HTML, CSS, JSON, XML, Markdown, Text, SQL, PHP} }

// Link is a link of which something is to be said.
type Link struct {
	From, To     string // as they are meant, whatever they look like in the text
	Address      string // where one leads that is gone or unknown
	Reason       Reason
	Unknown      bool // no page has the address
	Form         Form // of the text in which it stands
	Line, Column int  // from 1, in bytes
}

// Linker brings links to where a plan leads. It must not be used by two at a time.
type Linker struct {
	*linker
	written map[string]bool // sums of documents whose links are written for their new places already
}

// New returns a linker for as long as the plan doesn't change. way says how new links are written.
func New(p *plan.Plan, way Way) *Linker { return &Linker{linker: newLinker(p, way)} }

// Place returns where the links of a document stand that is found at an address: relative ones are written for where
// the plan leads that.
func (l *Linker) Place(at address.Address) Place {
	to := at
	if l.plan.Site.Has(at.Host) {
		if d := l.follow(bare(at)); d.moved {
			to = d.to
		}
	}
	return Place{base: at, to: to}
}

// Relink returns a text with its links where they should lead, and the links of which there is something to say, in
// their order.
func (l *Linker) Relink(text []byte, form Form, at Place) ([]byte, []Link) {
	whole := plainLayer(text)
	if isUTF16(text) {
		whole = wide(text)
	}
	edits := l.find(whole.text, form, at, 0)
	for i, e := range edits {
		edits[i] = whole.out(e)
	}
	slices.SortStableFunc(edits, func(a, b edit) int { return cmp.Or(a.from-b.from, a.to-b.to) })
	return l.apply(text, edits, &counter{line: 1})
}

// Value does the same with a value of a database, which may be of any form.
func (l *Linker) Value(text []byte, at Place) ([]byte, []Link) {
	f := finder{Linker: l, text: text, at: at, form: SQL}
	f.value(0, plainLayer(text), false)
	slices.SortStableFunc(f.edits, func(a, b edit) int { return cmp.Or(a.from-b.from, a.to-b.to) })
	return l.apply(text, f.edits, &counter{line: 1})
}

// apply makes the edits, which are in their order.
func (l *Linker) apply(text []byte, edits []edit, lines *counter) ([]byte, []Link) {
	lines.text = text
	end := 0
	for i := range edits {
		if e := &edits[i]; !e.tells && e.from < end {
			e.keep(Unwritable) // another link reaches into it
		} else if !e.tells {
			end = e.to
		}
	}
	var out bytes.Buffer
	var links []Link
	if len(edits) > 0 {
		links = make([]Link, 0, len(edits))
	}
	done := 0
	for _, e := range edits {
		if e.value != nil && *e.value {
			e.keep(Unwritable)
		}
		if e.link != nil {
			e.link.Line, e.link.Column = lines.at(e.from)
			links = append(links, *e.link)
		}
		if e.tells {
			continue
		}
		if out.Cap() == 0 {
			out.Grow(len(text) + len(text)/16)
		}
		out.Write(text[done:e.from])
		out.WriteString(e.text)
		done = e.to
	}
	if done == 0 {
		return text, links
	}
	out.Write(text[done:])
	return out.Bytes(), links
}

// counter counts lines up to places that come one after the other.
type counter struct {
	text              []byte
	line, start, done int // the line that was come to, where it begins, and how far was looked
}

func (c *counter) at(i int) (line, column int) {
	for c.done < i {
		n := bytes.IndexByte(c.text[c.done:i], '\n')
		if n < 0 {
			c.done = i
			break
		}
		c.done += n + 1
		c.line, c.start = c.line+1, c.done
	}
	return c.line, i - c.start + 1
}

// maxDepth is how deep texts of one form may lie in texts of another.
const maxDepth = 8

// find returns the edits that a text needs.
func (l *Linker) find(text []byte, form Form, at Place, depth int) []edit {
	if depth > maxDepth {
		return nil
	}
	f := finder{Linker: l, text: text, at: at, depth: depth, form: form}
	switch form {
	case HTML:
		f.html()
	case CSS:
		f.css()
	case JSON:
		f.json()
	case XML:
		f.xml()
	case Markdown:
		f.markdown()
	case PHP:
		f.php()
	case SQL:
		f.sql()
	default:
		f.absolute(0, len(text))
	}
	return f.edits
}

// finder looks for links in a text.
type finder struct {
	*Linker
	text  []byte
	at    Place
	depth int
	form  Form
	edits []edit
	open  int // strings between dollar signs that have no end
}

// in returns the edits of some of the text, read as a layer, by another form.
func (f *finder) in(from int, l layer, form Form) {
	for _, e := range f.find(l.text, form, f.at, f.depth+1) {
		f.take(from, l, e)
	}
}

// take takes up an edit of a layer that begins at a byte of the text.
func (f *finder) take(from int, l layer, e edit) {
	e = l.out(e)
	e.from, e.to = e.from+from, e.to+from
	f.edits = append(f.edits, e)
}

// address takes a layer for one address, but for spaces around it.
func (f *finder) address(from int, l layer) {
	if e, ok := f.edit(l.text, f.at); ok {
		f.take(from, l, e)
	}
}

const spaces = " \t\r\n\f"

// edit returns the edit that a text needs which is one address; false where there is nothing to do or to tell.
func (f *finder) edit(text []byte, at Place) (edit, bool) {
	text = bytes.TrimRight(text, spaces)
	end := len(text)
	text = bytes.TrimLeft(text, spaces)
	start := end - len(text)
	if len(text) == 0 {
		return edit{}, false
	}
	o := f.link(text, at)
	from, to := o.from, o.to
	if from == to && o.reason.Changes() { // the document moves along with what it links to
		o.reason = ""
	}
	if !o.ours || o.reason == "" && !o.unknown {
		return edit{}, false
	}
	if o.reason == "" {
		o.reason = Unknown
	}
	link := &Link{From: from, To: to, Reason: o.reason, Unknown: o.unknown, Form: f.form, Address: o.nothing}
	if from == to {
		return edit{from: start, to: end, tells: true, link: link}, true
	}
	// What both begin and end with stays as it is written.
	first := 0
	for first < len(to) && first < len(from) && to[first] == from[first] && to[first] < utf8.RuneSelf {
		first++
	}
	last := 0
	for last < len(to)-first && last < len(from)-first {
		if c := to[len(to)-1-last]; c != from[len(from)-1-last] || c >= utf8.RuneSelf {
			break
		}
		last++
	}
	return edit{from: start + first, to: end - last, text: to[first : len(to)-last], link: link}, true
}

// value looks for links in a text that may be of any form. named says that its name is one that addresses have.
func (f *finder) value(from int, l layer, named bool) {
	text := bytes.TrimSpace(l.text)
	switch {
	case len(text) == 0:
	case isSerialised(text):
		f.in(from, l, PHP)
	case likeSerialised(text):
		f.take(from, l, edit{to: len(l.text), tells: true, link: &Link{Reason: Broken, Form: PHP}})
	case (text[0] == '{' || text[0] == '[') && bytes.IndexByte(text, '"') > 0:
		f.in(from, l, JSON)
	case hasTags(text):
		f.in(from, l, HTML)
	case isAbsolute(text), named && !bytes.ContainsAny(text, " \n"):
		f.address(from, l)
	default:
		f.in(from, l, Text)
	}
}

// hasTags reports whether a text has what looks like a tag.
func hasTags(text []byte) bool {
	for i := 0; ; i++ {
		n := bytes.IndexByte(text[i:], '<')
		if n < 0 || i+n+1 >= len(text) {
			return false
		}
		i += n
		if c := text[i+1]; isLetter(c) || c == '/' || c == '!' {
			return bytes.IndexByte(text[i:], '>') > 0
		}
	}
}

// isAbsolute reports whether a text is one absolute address and no more.
func isAbsolute(text []byte) bool {
	scheme, _, ok := strings.Cut(string(text[:min(len(text), len("https://"))]), "://")
	scheme = strings.ToLower(scheme)
	return ok && (scheme == "http" || scheme == "https") && !bytes.ContainsAny(text, " \t\r\n\"'<>")
}

func isLetter(c byte) bool { return (c|0x20)-'a' < 26 }

func isSpace(c byte) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' || c == '\f' }
