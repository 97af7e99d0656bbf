package relink

import (
	"bytes"
	"encoding/binary"
	"sort"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/net/html"
)

// edit puts a text in the place of some bytes. One that only tells of a link leaves them.
type edit struct {
	from, to int
	text     string
	tells    bool
	link     *Link // nil for what must change because a link does
	value    *bool // of a serialised value: set when one of its edits can't be, so that none must be
}

// layer is a text as it is meant, read from bytes in which some characters are written otherwise. It knows where
// each of its bytes is written, so that an edit of the text becomes an edit of the bytes, and all others stay as
// they are.
//
//	written  /a?x=1&amp;y=2
//	text     /a?x=1&y=2        its byte 6, the &, is written at 6 to 11
type layer struct {
	text  []byte
	jumps []jump              // where text and bytes are of different lengths; none: they are the same
	write func(string) string // writes new text
}

// jump is a character that is written otherwise than it is meant.
type jump struct {
	text, width   int // where it stands in the text, and how long it is there
	bytes, length int // the same among the bytes
}

// plainLayer returns a text that is written as it is meant.
func plainLayer(b []byte) layer {
	return layer{text: b, write: func(s string) string { return s }}
}

// at returns where a byte of the text is written. It reports false in the midst of a character that is written
// otherwise.
func (l *layer) at(i int) (int, bool) {
	n := sort.Search(len(l.jumps), func(n int) bool { return l.jumps[n].text+min(l.jumps[n].width, 1) > i })
	if n == 0 {
		return i, true
	}
	j := l.jumps[n-1] // the last one that begins before i
	if i < j.text+j.width {
		return 0, false
	}
	return j.bytes + j.length + i - j.text - j.width, true
}

// out returns the edit of the bytes that one of the text is. A link that can't be written there is told of instead.
func (l *layer) out(e edit) edit {
	from, begins := l.at(e.from)
	to, ends := l.at(e.to)
	switch {
	case !begins || !ends: // in the midst of a character
		from, to = l.near(e.from), l.near(e.to)
		e.keep(Unwritable)
	case !e.tells:
		e.text = l.write(e.text)
	}
	e.from, e.to = from, to
	return e
}

// keep makes an edit one that only tells of its link.
func (e *edit) keep(why Reason) {
	if e.tells = true; e.link != nil && e.link.Reason.Changes() {
		e.link.Reason = why
	}
	if e.value != nil {
		*e.value = true
	}
}

// near returns where the character begins in which a byte of the text is.
func (l *layer) near(i int) int {
	n := sort.Search(len(l.jumps), func(n int) bool { return l.jumps[n].text > i })
	if n == 0 {
		return i
	}
	return l.jumps[n-1].bytes
}

// decoder makes a layer of bytes in which some characters are written otherwise.
type decoder struct {
	l    layer
	from []byte
	done int // how many of the bytes are in the text
}

// put notes that the bytes from i to j mean a text.
func (d *decoder) put(i, j int, means string) {
	if d.l.jumps == nil {
		d.l.text = make([]byte, 0, len(d.from))
	}
	d.l.text = append(d.l.text, d.from[d.done:i]...)
	d.l.jumps = append(d.l.jumps, jump{len(d.l.text), len(means), i, j - i})
	d.l.text = append(d.l.text, means...)
	d.done = j
}

// layer returns the layer; write writes new text.
func (d *decoder) layer(write func(string) string) layer {
	d.l.write = write
	if d.l.jumps == nil {
		d.l.text = d.from
	} else {
		d.l.text = append(d.l.text, d.from[d.done:]...)
	}
	return d.l
}

// wide returns a text in UTF-16, which begins with a byte order mark.
func wide(b []byte) layer {
	var order interface {
		binary.ByteOrder
		binary.AppendByteOrder
	} = binary.LittleEndian
	if b[0] == 0xfe {
		order = binary.BigEndian
	}
	d := decoder{from: b[:len(b)&^1]}
	d.put(0, 2, "")
	for i := 2; i < len(d.from); {
		r, size := rune(order.Uint16(d.from[i:])), 2
		if utf16.IsSurrogate(r) && i+4 <= len(d.from) {
			if both := utf16.DecodeRune(r, rune(order.Uint16(d.from[i+2:]))); both != utf8.RuneError {
				r, size = both, 4
			}
		}
		d.put(i, i+size, string(r))
		i += size
	}
	return d.layer(func(s string) string {
		var out []byte
		for _, u := range utf16.Encode([]rune(s)) {
			out = order.AppendUint16(out, u)
		}
		return string(out)
	})
}

// references returns a text of HTML or XML as it is meant: character references stand for characters. New text has
// &amp; for &, unless the text has a bare one where an address has its parameters.
func references(b []byte) layer {
	if bytes.IndexByte(b, '&') < 0 {
		return layer{text: b, write: referred}
	}
	d := decoder{from: b}
	bare := false
	for i := 0; i < len(b); i++ {
		n := bytes.IndexByte(b[i:], '&')
		if n < 0 {
			break
		}
		i += n
		end := i + 1
		for end < len(b) && end-i < 34 && (isAlphanumeric(b[end]) || b[end] == '#') {
			end++
		}
		if end < len(b) && b[end] == ';' {
			end++
		}
		written := string(b[i:end])
		// What follows decides about a reference without a semicolon in an attribute (HTML, section 13.2.5.73).
		if !strings.HasSuffix(written, ";") && end < len(b) && b[end] == '=' {
			bare = true
			continue
		}
		means := html.UnescapeString(written)
		if means == written || !strings.HasSuffix(written, ";") {
			bare = true
			continue
		}
		d.put(i, end, means)
		i = end - 1
	}
	if bare {
		return d.layer(func(s string) string { return strings.ReplaceAll(referred(s), "&amp;", "&") })
	}
	return d.layer(referred)
}

// referred writes a text with character references.
func referred(s string) string {
	if !strings.ContainsAny(s, `&<>"'`) {
		return s
	}
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;", "'", "&#39;").Replace(s)
}

func isAlphanumeric(c byte) bool { return c-'0' < 10 || (c|0x20)-'a' < 26 }

// escapes returns the text of a string in JSON or JavaScript, without its quotes: \/ and \u0026 stand for
// characters. A new slash or & is written as the others are.
func escapes(b []byte) layer {
	d := decoder{from: b}
	slash, ampersand := false, ""
	for i := 0; i+1 < len(b); i++ {
		if b[i] != '\\' {
			continue
		}
		means, length := escape(b[i:])
		slash = slash || b[i+1] == '/'
		if means == "&" {
			ampersand = string(b[i : i+length])
		}
		d.put(i, i+length, means)
		i += length - 1
	}
	return d.layer(func(s string) string {
		var out strings.Builder
		for _, r := range s {
			switch {
			case r == '/' && slash:
				out.WriteString(`\/`)
			case r == '&' && ampersand != "":
				out.WriteString(ampersand)
			case r == '"', r == '\\':
				out.WriteString(`\` + string(r))
			case r == '\'', r == '<', r == '>':
				out.WriteString(`\u` + leftPad(strconv.FormatInt(int64(r), 16), 4))
			default:
				out.WriteRune(r)
			}
		}
		return out.String()
	})
}

func leftPad(s string, n int) string { return strings.Repeat("0", max(0, n-len(s))) + s }

// meant returns what a backslash and a character mean: the control character in means at the place that the character
// has in letters, else the character itself.
func meant(c byte, letters, means string) string {
	if i := strings.IndexByte(letters, c); i >= 0 {
		return means[i : i+1]
	}
	return string([]byte{c})
}

// escape returns what an escape sequence at the beginning of b means, and its length.
func escape(b []byte) (means string, length int) {
	switch b[1] {
	case 'x':
		if n, ok := hexadecimal(b, 2, 2); ok {
			return string(rune(n)), 4
		}
	case 'u':
		n, ok := hexadecimal(b, 2, 4)
		if !ok {
			break
		}
		if utf16.IsSurrogate(n) && len(b) >= 12 && b[6] == '\\' && b[7] == 'u' {
			if low, ok := hexadecimal(b, 8, 4); ok && utf16.DecodeRune(n, low) != utf8.RuneError {
				return string(utf16.DecodeRune(n, low)), 12
			}
		}
		return string(n), 6
	}
	if b[1] < utf8.RuneSelf {
		return meant(b[1], "nrtbf", "\n\r\t\b\f"), 2
	}
	_, size := utf8.DecodeRune(b[1:])
	return string(b[1 : 1+size]), 1 + size
}

func hexadecimal(b []byte, from, digits int) (rune, bool) {
	if len(b) < from+digits {
		return 0, false
	}
	n, err := strconv.ParseUint(string(b[from:from+digits]), 16, 32)
	return rune(n), err == nil
}
