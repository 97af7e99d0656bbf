package relink

import (
	"bytes"
	"strconv"
)

// isSerialised reports whether a text is a value as PHP's serialize writes it, from its beginning to its end.
func isSerialised(text []byte) bool {
	if len(text) < 4 || text[1] != ':' && !bytes.HasPrefix(text, []byte("N;")) {
		return false
	}
	switch text[0] {
	case 's', 'a', 'O', 'C':
	default:
		return false // no text in it
	}
	p := serialised{text: text}
	return p.value(0) && p.at == len(text)
}

// likeSerialised reports whether a text begins and ends as a serialised value does.
func likeSerialised(text []byte) bool {
	if len(text) < 4 || text[1] != ':' || text[2]-'0' > 9 || bytes.IndexByte([]byte("saOC"), text[0]) < 0 {
		return false
	}
	last := text[len(text)-1]
	return bytes.IndexByte(text, '"') > 0 && (last == '}' || last == ';')
}

// php finds links in the strings of a serialised value, and makes their lengths right. A value in which anything
// isn't as it should be is left alone.
//
//	a:1:{s:4:"link";s:32:"http://skerrywick.example/tides/";}
func (f *finder) php() {
	p := serialised{text: f.text}
	space := len(f.text) - len(bytes.TrimLeft(f.text, " \t\r\n"))
	p.at = space
	p.each = func(key bool, length, from, to int) {
		if key {
			return
		}
		before := len(f.edits)
		f.value(from, plainLayer(f.text[from:to]), false)
		size := to - from
		for _, e := range f.edits[before:] {
			if !e.tells {
				size += len(e.text) - (e.to - e.from)
			}
		}
		if size != to-from {
			digits := from - len(`:"`)
			f.edits = append(f.edits, edit{from: length, to: digits, text: strconv.Itoa(size)})
		}
	}
	p.value(0)
	broken := false
	for i := range f.edits {
		f.edits[i].value = &broken
	}
}

// serialised reads a value as PHP writes it.
type serialised struct {
	text []byte
	at   int
	each func(key bool, length, from, to int) // for each string: where its length, its bytes begin and end
}

// value reads one value; false where it isn't written as it should be.
func (p *serialised) value(depth int) bool { return p.read(depth, false) }

func (p *serialised) read(depth int, key bool) bool {
	if depth > 64 || p.at+1 >= len(p.text) {
		return false
	}
	kind := p.text[p.at]
	if kind == 'N' {
		return p.skip("N;")
	}
	p.at++
	if !p.skip(":") {
		return false
	}
	switch kind {
	case 'i', 'b', 'd', 'r', 'R':
		n := bytes.IndexByte(p.text[p.at:], ';')
		if n < 1 || n > 40 {
			return false
		}
		p.at += n + 1
		return true
	case 's':
		return p.string(key) && p.skip(";")
	case 'E': // a case of an enumeration
		return p.string(true) && p.skip(";")
	case 'a':
		n, ok := p.number()
		return ok && p.skip("{") && p.pairs(n, depth) && p.skip("}")
	case 'O':
		if !p.string(true) || !p.skip(":") {
			return false
		}
		n, ok := p.number()
		return ok && p.skip("{") && p.pairs(n, depth) && p.skip("}")
	case 'C':
		if !p.string(true) || !p.skip(":") {
			return false
		}
		n, ok := p.number()
		if !ok || !p.skip("{") || p.at+n > len(p.text) {
			return false
		}
		p.at += n // in a form of the class's own
		return p.skip("}")
	}
	return false
}

// pairs reads keys and values.
func (p *serialised) pairs(n, depth int) bool {
	for range n {
		if !p.read(depth+1, true) || !p.read(depth+1, false) {
			return false
		}
	}
	return true
}

// number reads a number and the colon behind it.
func (p *serialised) number() (int, bool) {
	n := bytes.IndexByte(p.text[p.at:], ':')
	if n < 1 || n > 10 {
		return 0, false
	}
	number, err := strconv.Atoi(string(p.text[p.at : p.at+n]))
	p.at += n + 1
	return number, err == nil && number >= 0 && number <= len(p.text)
}

// string reads a length and as many bytes between quotes.
func (p *serialised) string(key bool) bool {
	length := p.at
	n, ok := p.number()
	if !ok || !p.skip(`"`) || p.at+n >= len(p.text) {
		return false
	}
	from := p.at
	p.at += n
	if p.each != nil {
		p.each(key, length, from, p.at)
	}
	return p.skip(`"`)
}

func (p *serialised) skip(mark string) bool {
	if !bytes.HasPrefix(p.text[p.at:], []byte(mark)) {
		return false
	}
	p.at += len(mark)
	return true
}
