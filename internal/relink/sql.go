package relink

import (
	"bytes"
	"strings"
)

// dialect is how a dump writes strings.
type dialect struct {
	backslash bool // a backslash takes the next byte along in any string, as in MariaDB and MySQL
}

// dialectOf tells the dialect of a dump from its beginning.
func dialectOf(sample []byte) dialect {
	text := string(sample[:min(len(sample), 64<<10)])
	switch {
	case strings.Contains(text, "PostgreSQL database dump"), strings.Contains(text, "standard_conforming_strings = on"),
		strings.Contains(text, "BEGIN TRANSACTION;"), strings.Contains(text, "PRAGMA foreign_keys"):
		return dialect{}
	}
	return dialect{backslash: true}
}

// sql finds links in the string literals of a dump, and in the rows of COPY.
func (f *finder) sql() {
	b, d := f.text, dialectOf(f.text)
	for i := 0; i < len(b); {
		switch c := b[i]; {
		case c == '\'':
			backslash := d.backslash || i > 0 && (b[i-1]|0x20) == 'e' && (i < 2 || !isWord(b[i-2]))
			end := literal(b, i, backslash)
			if end >= len(b) {
				return // it breaks off
			}
			if i > 0 && (b[i-1]|0x20) == 'x' && (i < 2 || !isWord(b[i-2])) {
				i = end + 1 // hexadecimal
				continue
			}
			f.value(i+1, literalText(b[i+1:end], backslash), false)
			i = end + 1
		case c == '"' || c == '`':
			n := bytes.IndexByte(b[i+1:], c)
			if n < 0 {
				return
			}
			i += n + 2
		case c == '-' && bytes.HasPrefix(b[i:], []byte("--")), c == '#' && d.backslash:
			i = behind(b, i, "\n")
		case c == '/' && bytes.HasPrefix(b[i:], []byte("/*")):
			i = behind(b, i+2, "*/")
		case c == '$' && !d.backslash && (i == 0 || !isWord(b[i-1])):
			i = f.dollar(i)
		case (c|0x20) == 'c' && !d.backslash && (i == 0 || b[i-1] == '\n') && len(b) > i+5 &&
			strings.EqualFold(string(b[i:i+5]), "copy "):
			i = f.copied(i)
		default:
			i++
		}
	}
}

// literal returns where a string literal ends that begins at i: at a quote that isn't doubled.
func literal(b []byte, i int, backslash bool) int {
	for j := i + 1; j < len(b); j++ {
		switch {
		case b[j] == '\\' && backslash:
			j++
		case b[j] == '\'':
			if j+1 < len(b) && b[j+1] == '\'' {
				j++
				continue
			}
			return j
		}
	}
	return len(b)
}

// literalText returns the text of a string literal: two quotes are one, and with backslash \n and the like stand for
// characters.
func literalText(b []byte, backslash bool) layer {
	d := decoder{from: b}
	for i := 0; i+1 < len(b); i++ {
		switch {
		case b[i] == '\'' && b[i+1] == '\'':
			d.put(i, i+2, "'")
			i++
		case b[i] == '\\' && backslash:
			means := string(b[i+1 : i+2])
			switch b[i+1] {
			case '0':
				means = "\x00"
			case 'n':
				means = "\n"
			case 'r':
				means = "\r"
			case 't':
				means = "\t"
			case 'b':
				means = "\b"
			case 'Z':
				means = "\x1a"
			}
			d.put(i, i+2, means)
			i++
		}
	}
	pairs := []string{"'", "''"}
	if backslash {
		pairs = []string{"'", `\'`, `\`, `\\`, `"`, `\"`}
	}
	return d.layer(strings.NewReplacer(pairs...).Replace)
}

// maxOpen bounds how often the end of a string is looked for in vain.
const maxOpen = 100

// dollar reads a string between dollar signs, and returns where the text goes on.
//
//	$body$It's here$body$
func (f *finder) dollar(i int) int {
	b := f.text
	end := i + 1
	for end < len(b) && isWord(b[end]) {
		end++
	}
	if end >= len(b) || b[end] != '$' || end > i+1 && b[i+1]-'0' < 10 {
		return i + 1
	}
	mark := string(b[i : end+1])
	if f.open > maxOpen {
		return i + 1
	}
	close := bytes.Index(b[end+1:], []byte(mark))
	if close < 0 {
		f.open++
		return i + 1
	}
	f.value(end+1, plainLayer(b[end+1:end+1+close]), false)
	return end + 1 + close + len(mark)
}

// copied reads the rows of COPY ... FROM stdin, and returns where the text goes on.
func (f *finder) copied(i int) int {
	b := f.text
	line := behind(b, i, "\n")
	if !strings.HasSuffix(strings.ToLower(strings.TrimRight(string(b[i:line]), " \r\n")), "from stdin;") {
		return i + 1
	}
	for i = line; i < len(b); {
		end := behind(b, i, "\n")
		row := bytes.TrimRight(b[i:end], "\r\n")
		if string(row) == `\.` {
			return end
		}
		for from := i; from <= i+len(row); {
			to := from + bytes.IndexByte(append(b[from:i+len(row):i+len(row)], '\t'), '\t')
			if field := b[from:to]; string(field) != `\N` && len(field) > 0 {
				f.value(from, copiedText(field), false)
			}
			from = to + 1
		}
		i = end
	}
	return len(b)
}

// copiedText returns a field of COPY's text format.
func copiedText(b []byte) layer {
	d := decoder{from: b}
	for i := 0; i+1 < len(b); i++ {
		if b[i] != '\\' {
			continue
		}
		means := string(b[i+1 : i+2])
		switch b[i+1] {
		case 'b':
			means = "\b"
		case 'f':
			means = "\f"
		case 'n':
			means = "\n"
		case 'r':
			means = "\r"
		case 't':
			means = "\t"
		case 'v':
			means = "\v"
		}
		d.put(i, i+2, means)
		i++
	}
	return d.layer(strings.NewReplacer(`\`, `\\`, "\t", `\t`, "\n", `\n`, "\r", `\r`).Replace)
}
