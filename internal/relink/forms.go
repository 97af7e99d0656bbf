package relink

import (
	"bytes"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/markup"
)

// html finds the links in attributes, styles and scripts (HTML, section 4).
func (f *finder) html() {
	scan := markup.New(f.text)
	based := false
	script := Form("") // of the script or style that is open
	tag, names := tag{text: f.text}, smallNames{}
	for {
		switch t := scan.Next(); t.Kind {
		case markup.End:
			return
		case markup.EndTag:
			script = ""
		case markup.Text:
			if script != "" {
				f.in(t.From, plainLayer(f.text[t.From:t.To]), script)
			}
		case markup.StartTag:
			tag.element, tag.attributes = t.Name, tag.attributes[:0]
			for a := range scan.Attributes() {
				if name := names.small(a.Name); a.To > 0 && !tag.has(name) {
					tag.attributes = append(tag.attributes, named{name, a})
				}
			}
			for _, a := range tag.attributes {
				f.attribute(&tag, a.name, a.From, a.To)
			}
			switch string(t.Name) {
			case "base":
				if tag.has("href") && !based {
					based = true
					f.rebase(tag.said("href"))
				}
			case "style":
				script = CSS
			case "script":
				script = scriptForm(strings.ToLower(tag.said("type")))
			}
		}
	}
}

// tag is a tag that is being read.
type tag struct {
	text       []byte
	element    []byte
	attributes []named
}

type named struct {
	name string // in small letters
	markup.Attribute
}

func (t *tag) has(name string) bool {
	return slices.ContainsFunc(t.attributes, func(a named) bool { return a.name == name })
}

// said returns the value of an attribute as it is meant.
func (t *tag) said(name string) string {
	for _, a := range t.attributes {
		if a.name == name {
			return strings.TrimSpace(string(markup.Unescaped(t.text[a.From:a.To])))
		}
	}
	return ""
}

// smallNames are names in small letters, by how they are written: each is made once.
type smallNames map[string]string

// maxNames bounds how many names are kept.
const maxNames = 1000

func (n smallNames) small(name []byte) string {
	small, ok := n[string(name)]
	if !ok {
		small = strings.ToLower(string(name))
		if len(n) < maxNames {
			n[string(name)] = small
		}
	}
	return small
}

// rebase makes links relative to what a base element names.
func (f *finder) rebase(href string) {
	a, err := address.Reference(f.at.base, strings.TrimSpace(href))
	if err != nil {
		return
	}
	f.at = f.Place(bare(a))
}

// scriptForm is the form of a script's text by its type.
func scriptForm(kind string) Form {
	if strings.HasSuffix(kind, "json") || kind == "importmap" || kind == "speculationrules" {
		return JSON
	}
	return Text
}

// attribute looks for links in the value of an attribute.
func (f *finder) attribute(t *tag, name string, from, to int) {
	switch name {
	case "class", "id", "alt", "title", "width", "height", "name", "type", "rel", "lang":
		return // most attributes
	case "xmlns", "itemtype", "vocab", "typeof", "datatype", "profile":
		return // names of vocabularies, which only look like addresses
	}
	l := references(f.text[from:to])
	switch name {
	case "href", "src", "poster", "action", "formaction", "cite", "manifest", "background", "longdesc", "xlink:href":
		f.address(from, l)
	case "data":
		if string(t.element) == "object" {
			f.address(from, l)
		}
	case "ping":
		f.list(from, l)
	case "srcset", "imagesrcset":
		f.candidates(from, l)
	case "style":
		f.in(from, l, CSS)
	case "srcdoc":
		f.in(from, l, HTML)
	case "content":
		if string(t.element) == "meta" && strings.EqualFold(t.said("http-equiv"), "refresh") {
			f.refresh(from, l)
			return
		}
		if isAbsolute(bytes.TrimSpace(l.text)) {
			f.address(from, l)
		}
	default:
		switch text := bytes.TrimSpace(l.text); {
		case strings.HasPrefix(name, "on"):
			f.in(from, l, Text)
		case isAbsolute(text):
			f.address(from, l)
		case strings.HasPrefix(name, "data-") && len(text) > 0:
			f.value(from, l, false)
		}
	}
}

// list takes a layer for addresses with spaces between them.
func (f *finder) list(from int, l layer) {
	for i := 0; i < len(l.text); {
		if isSpace(l.text[i]) {
			i++
			continue
		}
		end := i
		for end < len(l.text) && !isSpace(l.text[end]) {
			end++
		}
		f.part(from, l, i, end)
		i = end
	}
}

// part takes a part of a layer for one address.
func (f *finder) part(from int, l layer, i, end int) {
	if e, ok := f.edit(l.text[i:end], f.at); ok {
		e.from, e.to = e.from+i, e.to+i
		f.take(from, l, []edit{e})
	}
}

// candidates reads a set of images (HTML, section 4.8.4.2.1).
//
//	/a.jpg 1x, /a-2x.jpg 2x
func (f *finder) candidates(from int, l layer) {
	for i := 0; i < len(l.text); {
		if isSpace(l.text[i]) || l.text[i] == ',' {
			i++
			continue
		}
		end := i
		for end < len(l.text) && !isSpace(l.text[end]) {
			end++
		}
		next := end
		for end > i && l.text[end-1] == ',' {
			end--
		}
		f.part(from, l, i, end)
		if i = next; end < next {
			continue
		}
		for depth := 0; i < len(l.text) && (l.text[i] != ',' || depth > 0); i++ {
			switch l.text[i] {
			case '(':
				depth++
			case ')':
				depth--
			}
		}
	}
}

// refresh reads where a page sends its visitors after a while: "5; url=/ports".
func (f *finder) refresh(from int, l layer) {
	i := bytes.IndexAny(l.text, ";,")
	if i < 0 {
		return
	}
	rest := string(l.text[i+1:])
	text := strings.TrimLeft(rest, " \t\r\n\f")
	if len(text) > 3 && strings.EqualFold(text[:3], "url") {
		if after := strings.TrimLeft(text[3:], " \t\r\n\f"); strings.HasPrefix(after, "=") {
			text = strings.TrimLeft(after[1:], " \t\r\n\f")
		}
	}
	start := len(l.text) - len(text)
	end := len(l.text)
	if text != "" && (text[0] == '"' || text[0] == '\'') {
		start++
		if n := strings.IndexByte(text[1:], text[0]); n >= 0 {
			end = start + n
		}
	}
	if start < end {
		f.part(from, l, start, end)
	}
}

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

// json finds links in strings. A name tells whether a path is an address too.
func (f *finder) json() {
	b := f.text
	name := ""
	for i := 0; i < len(b); i++ {
		if b[i] != '"' {
			continue
		}
		end := quoted(b, i)
		if end >= len(b) {
			return
		}
		l := escapes(b[i+1 : end])
		next := end + 1
		for next < len(b) && isSpace(b[next]) {
			next++
		}
		if next < len(b) && b[next] == ':' {
			name = string(l.text)
		} else {
			f.value(i+1, l, namesAddress(name))
		}
		i = end
	}
}

// namesAddress reports whether a name is one that addresses have in JSON.
func namesAddress(name string) bool {
	name = strings.ToLower(name)
	for _, end := range []string{"url", "href", "src", "link", "@id", "permalink", "canonical", "sameas", "target"} {
		if strings.HasSuffix(name, end) {
			return true
		}
	}
	return false
}

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

// markdown finds inline links, references and autolinks, and what HTML there is. Code is left alone.
//
//	[Tides](/guides/tides.html "All tides")    [tides]: /guides/tides.html    <https://skerrywick.example/tides>
func (f *finder) markdown() {
	fence := ""
	for start := 0; start < len(f.text); {
		end := behind(f.text, start, "\n")
		line := string(f.text[start:end])
		trimmed := strings.TrimLeft(line, " ")
		mark := ""
		for _, m := range []string{"```", "~~~"} {
			if strings.HasPrefix(trimmed, m) {
				mark = m
			}
		}
		switch {
		case mark != "" && fence == "":
			fence = mark
		case mark != "" && mark == fence:
			fence = ""
		case fence == "":
			f.markdownLine(start, end)
		}
		start = end
	}
}

func (f *finder) markdownLine(start, end int) {
	b := f.text[:end]
	i := start
	for i < end && b[i] == ' ' {
		i++
	}
	if i < end && b[i] == '[' { // perhaps a reference
		if n := bytes.Index(b[i:], []byte("]:")); n > 0 && bytes.IndexByte(b[i:i+n], '(') < 0 {
			f.destination(i+n+2, end)
			return
		}
	}
	plain := start // where the text begins that may hold absolute addresses
	closed := bytes.LastIndexByte(b[start:], '>') + start
	flush := func(to int) {
		if plain < to {
			f.absolute(plain, to)
		}
	}
	for i = start; i < end; i++ {
		switch b[i] {
		case '\\':
			i++
		case '`':
			run := 1
			for i+run < end && b[i+run] == '`' {
				run++
			}
			flush(i)
			if n := bytes.Index(b[i+run:], bytes.Repeat([]byte("`"), run)); n >= 0 {
				i += run + n + run - 1
			} else {
				i += run - 1
			}
			plain = i + 1
		case '<':
			if i > closed {
				continue
			}
			n := bytes.IndexByte(b[i:], '>')
			flush(i)
			if inner := b[i+1 : i+n]; isAbsolute(inner) {
				f.address(i+1, plainLayer(inner))
			} else {
				f.in(i, plainLayer(b[i:i+n+1]), HTML)
			}
			i += n
			plain = i + 1
		case ']':
			if i+1 < end && b[i+1] == '(' {
				flush(i)
				i = f.destination(i+2, end)
				plain = i
				i--
			}
		}
	}
	flush(end)
}

// destination reads where a link of Markdown leads, and returns where that ends (CommonMark, section 6.3).
func (f *finder) destination(i, end int) int {
	b := f.text
	for i < end && isSpace(b[i]) {
		i++
	}
	if i < end && b[i] == '<' {
		n := bytes.IndexByte(b[i:end], '>')
		if n < 0 {
			return end
		}
		f.address(i+1, plainLayer(b[i+1:i+n]))
		return i + n + 1
	}
	start, depth := i, 0
	for ; i < end && !isSpace(b[i]); i++ {
		switch b[i] {
		case '\\':
			i++
		case '(':
			depth++
		case ')':
			if depth--; depth < 0 {
				f.address(start, plainLayer(b[start:i]))
				return i
			}
		}
	}
	i = min(i, end)
	f.address(start, plainLayer(b[start:i]))
	return i
}

// absolute finds the absolute addresses of the site in a part of the text: http://host/..., //host/... behind a
// quote, and both with \/ for each slash.
func (f *finder) absolute(from, to int) {
	b := f.text[:to]
	for i := from; i < to; {
		n := bytes.IndexByte(b[i:], '/')
		if n < 0 {
			return
		}
		at := i + n
		escaped := at > from && b[at-1] == '\\'
		slashes, start := 2, at
		if escaped {
			slashes, start = 3, at-1
		}
		if !bytes.HasPrefix(b[start:], []byte(`\/\/`)) && !bytes.HasPrefix(b[start:], []byte("//")) {
			i = at + 1
			continue
		}
		host := at + slashes
		if !escaped {
			host = start + 2
		}
		i = max(host, at+1)
		begin, ok := f.begins(from, start)
		if !ok {
			continue
		}
		end, ours := f.ends(host, to)
		if !ours {
			i = end
			continue
		}
		span := b[begin:end]
		l := plainLayer(span)
		if escaped {
			l = escapes(span)
		}
		f.address(begin, l)
		i = end
	}
}

// begins returns where an absolute address begins whose slashes stand at i.
func (f *finder) begins(from, i int) (int, bool) {
	b := f.text
	for _, scheme := range []string{"https:", "http:"} {
		if start := i - len(scheme); start >= from && strings.EqualFold(string(b[start:i]), scheme) {
			return start, start == 0 || !isAlphanumeric(b[start-1])
		}
	}
	return i, i > from && strings.IndexByte(`"'(=`, b[i-1]) >= 0
}

// ends returns where an absolute address ends whose host begins at i, and whether it is one of the site's that is
// whole.
func (f *finder) ends(i, to int) (end int, ours bool) {
	b := f.text
	end = i
	for end < to && (isAlphanumeric(b[end]) || b[end] == '-' || b[end] == '.' || b[end] >= 0x80) {
		end++
	}
	host := strings.TrimSuffix(strings.ToLower(string(b[i:end])), ".")
	if ascii, err := address.Host(host); err == nil {
		host = ascii
	}
	if !f.plan.Site.Has(host) {
		return end, false
	}
	depth := 0
	for end < to {
		if end-i > address.MaxLength {
			return end, false
		}
		c := b[end]
		if c == '\\' && end+1 < to && b[end+1] == '/' {
			end += 2
			continue
		}
		if c <= ' ' || strings.IndexByte("\"'`<>\\{}|^]", c) >= 0 {
			break
		}
		if c == '(' {
			depth++
		}
		if c == ')' {
			if depth--; depth < 0 {
				break
			}
		}
		end++
	}
	if end < to && b[end] == '{' { // a template goes on here
		return end, false
	}
	for end > i && strings.IndexByte(".,;:!?*", b[end-1]) >= 0 {
		end--
	}
	return end, end > i
}
