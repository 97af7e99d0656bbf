package relink

import (
	"bytes"
	"strings"
)

// dialect is how a dump writes strings.
type dialect struct {
	backslash bool // a backslash takes the next byte along in any string, as in MariaDB and MySQL
}

// sampleSize is how many bytes of a dump tell its dialect.
const sampleSize = 64 << 10

// dialectOf tells the dialect of a dump from its beginning.
func dialectOf(sample []byte) dialect {
	text := string(sample[:min(len(sample), sampleSize)])
	switch {
	case strings.Contains(text, "PostgreSQL database dump"), strings.Contains(text, "standard_conforming_strings = on"),
		strings.Contains(text, "BEGIN TRANSACTION;"), strings.Contains(text, "PRAGMA foreign_keys"):
		return dialect{}
	}
	return dialect{backslash: true}
}

// statements is how far the reading of a dump has come.
type statements struct {
	dialect
	copying bool // rows of COPY follow
}

// sql finds links in the string literals of a dump, and in the rows of COPY.
func (f *finder) sql() {
	f.statements(0, &statements{dialect: dialectOf(f.text)}, true)
}

// lookAhead is how many bytes tell what begins.
const lookAhead = 8

// statements reads a dump from i on, and returns how far it came: to the end, or, unless this is the last of the
// dump, to the beginning of what isn't there to its end.
func (f *finder) statements(i int, s *statements, last bool) int {
	b := f.text
	for i < len(b) {
		if !last && len(b)-i < lookAhead {
			return i
		}
		end := i + 1 // -1: it isn't there to its end
		switch c := b[i]; {
		case s.copying:
			end = f.row(i, s, last)
		case c == '\'':
			end = f.literal(i, s, last)
		case c == '"' || c == '`':
			end = ended(b, i+1, string(c))
		case c == '-' && bytes.HasPrefix(b[i:], []byte("--")), c == '#' && s.backslash:
			end = ended(b, i, "\n")
		case c == '/' && bytes.HasPrefix(b[i:], []byte("/*")):
			end = ended(b, i+2, "*/")
		case c == '$' && !s.backslash && (i == 0 || !isWord(b[i-1])):
			end = f.dollar(i, last)
		case (c|0x20) == 'c' && !s.backslash && (i == 0 || b[i-1] == '\n') && hasPrefixFold(b[i:], "copy "):
			if line := ended(b, i, "\n"); line > 0 {
				s.copying = hasSuffixFold(bytes.TrimRight(b[i:line], " \r\n"), "from stdin;")
				if s.copying {
					end = line
				}
			} else {
				end = -1
			}
		}
		if end < 0 {
			if last {
				return len(b)
			}
			return i
		}
		i = end
	}
	return i
}

// ended returns where the text goes on behind a mark; -1 where there is none.
func ended(b []byte, from int, mark string) int {
	if n := bytes.Index(b[min(from, len(b)):], []byte(mark)); n >= 0 {
		return from + n + len(mark)
	}
	return -1
}

func hasPrefixFold(b []byte, prefix string) bool {
	return len(b) >= len(prefix) && strings.EqualFold(string(b[:len(prefix)]), prefix)
}

func hasSuffixFold(b []byte, suffix string) bool {
	return len(b) >= len(suffix) && strings.EqualFold(string(b[len(b)-len(suffix):]), suffix)
}

// literal reads a string literal that begins at i, and returns where the text goes on; -1 where it has no end.
func (f *finder) literal(i int, s *statements, last bool) int {
	b := f.text
	before := byte(0) // the letter of E'' or x''
	if i > 0 && (i < 2 || !isWord(b[i-2])) {
		before = b[i-1] | 0x20
	}
	backslash := s.backslash || before == 'e'
	end := literalEnd(b, i, backslash)
	if end >= len(b) || !last && end+1 == len(b) { // perhaps the quote is doubled
		return -1
	}
	if before != 'x' { // hexadecimal
		f.value(i+1, literalText(b[i+1:end], backslash), false)
	}
	return end + 1
}

// literalEnd returns where a string literal ends that begins at i: at a quote that isn't doubled.
func literalEnd(b []byte, i int, backslash bool) int {
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
			d.put(i, i+2, meant(b[i+1], "0nrtbZ", "\x00\n\r\t\b\x1a"))
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

// dollar reads a string between dollar signs, and returns where the text goes on; -1 where it has no end yet.
//
//	$body$It's here$body$
func (f *finder) dollar(i int, last bool) int {
	b := f.text
	end := i + 1
	for end < len(b) && isWord(b[end]) {
		end++
	}
	switch {
	case end >= len(b) && !last:
		return -1
	case end >= len(b) || b[end] != '$' || end > i+1 && b[i+1]-'0' < 10 || f.open > maxOpen:
		return i + 1
	}
	mark := string(b[i : end+1])
	behind := ended(b, end+1, mark)
	switch {
	case behind < 0 && !last:
		return -1
	case behind < 0:
		f.open++
		return i + 1
	}
	f.value(end+1, plainLayer(b[end+1:behind-len(mark)]), false)
	return behind
}

// row reads a row of COPY, and returns where the next begins; -1 where it isn't there to its end.
func (f *finder) row(i int, s *statements, last bool) int {
	b := f.text
	end := ended(b, i, "\n")
	if end < 0 {
		if !last {
			return -1
		}
		end = len(b)
	}
	row := bytes.TrimRight(b[i:end], "\r\n")
	if string(row) == `\.` {
		s.copying = false
		return end
	}
	for from := i; from <= i+len(row); {
		to := i + len(row)
		if n := bytes.IndexByte(b[from:to], '\t'); n >= 0 {
			to = from + n
		}
		if field := b[from:to]; string(field) != `\N` && len(field) > 0 {
			f.value(from, copiedText(field), false)
		}
		from = to + 1
	}
	return end
}

// copiedText returns a field of COPY's text format.
func copiedText(b []byte) layer {
	d := decoder{from: b}
	for i := 0; i+1 < len(b); i++ {
		if b[i] != '\\' {
			continue
		}
		d.put(i, i+2, meant(b[i+1], "bfnrtv", "\b\f\n\r\t\v"))
		i++
	}
	return d.layer(strings.NewReplacer(`\`, `\\`, "\t", `\t`, "\n", `\n`, "\r", `\r`).Replace)
}
