package relink

import (
	"bytes"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/markup"
)

// html finds the links in attributes, styles and scripts (HTML, section 4).
func (f *finder) html() {
	scan := markup.New(f.text)
	based := false
	script := Form("") // of the script or style that is open
	tag := tag{text: f.text}
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
			tag.element, tag.attributes = t.Name, scan.Attributes()
			for i, a := range tag.attributes {
				if a.To > 0 && !named(tag.attributes[:i], a.Name) {
					f.attribute(&tag, a)
				}
			}
			switch string(t.Name) {
			case "base":
				if named(tag.attributes, []byte("href")) && !based {
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
	attributes []markup.Attribute // the first of a name counts
}

// named reports whether one of the attributes has the name, and a value.
func named(attributes []markup.Attribute, name []byte) bool {
	for i := range attributes {
		if attributes[i].To > 0 && string(attributes[i].Name) == string(name) {
			return true
		}
	}
	return false
}

// said returns the value of an attribute as it is meant.
func (t *tag) said(name string) string {
	for _, a := range t.attributes {
		if a.To > 0 && string(a.Name) == name {
			return strings.TrimSpace(string(markup.Unescaped(t.text[a.From:a.To])))
		}
	}
	return ""
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
func (f *finder) attribute(t *tag, a markup.Attribute) {
	switch string(a.Name) {
	case "class", "id", "alt", "title", "width", "height", "name", "type", "rel", "lang":
		return // most attributes
	case "xmlns", "itemtype", "vocab", "typeof", "datatype", "profile":
		return // names of vocabularies, which only look like addresses
	}
	from, l := a.From, references(f.text[a.From:a.To])
	switch string(a.Name) {
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
		case bytes.HasPrefix(a.Name, []byte("on")):
			f.in(from, l, Text)
		case isAbsolute(text):
			f.address(from, l)
		case bytes.HasPrefix(a.Name, []byte("data-")) && len(text) > 0:
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
		f.take(from, l, e)
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
