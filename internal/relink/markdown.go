package relink

import (
	"bytes"
	"strings"
)

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
		f.unescaped(i+1, i+n)
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
				f.unescaped(start, i)
				return i
			}
		}
	}
	i = min(i, end)
	f.unescaped(start, i)
	return i
}

// unescaped notes the address between two places, unless a backslash stands in it: there it keeps the sign behind it from
// meaning anything, and an address with another spelling could end the link earlier.
//
//	[a](fares\_\(new\))
func (f *finder) unescaped(start, end int) {
	if bytes.IndexByte(f.text[start:end], '\\') < 0 {
		f.address(start, plainLayer(f.text[start:end]))
	}
}
