package planfile

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"young-compass/internal/finding"
)

// The bounds of a plan's text, which hold before the YAML package sees it: it takes gigabytes for what is nested
// deeply.
const (
	maxDepth  = 64     // of brackets and braces
	maxIndent = 200    // columns, so that blocks can't be nested deeper either
	maxDashes = 16     // of lists in lists on one line
	maxItems  = 20_000 // keys, and items of lists: its time grows with their square
)

// bounded returns the plan's text without a byte order mark, or says where it is no text, or nested too deeply.
func bounded(file string, data []byte) ([]byte, error) {
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	depth, quote, items, line := 0, byte(0), 0, 0
	for text := range bytes.Lines(data) {
		line++
		fail := func(at int, what, advice string) error {
			return finding.Unreadable(finding.Place{File: file, Line: line, Column: 1 + utf8.RuneCount(text[:at])}, what, advice)
		}
		if !utf8.Valid(text) {
			at := 0
			for utf8.FullRune(text[at:]) {
				r, size := utf8.DecodeRune(text[at:])
				if r == utf8.RuneError && size <= 1 {
					break
				}
				at += size
			}
			return nil, fail(at, "this byte is no UTF-8", "save the file as UTF-8")
		}
		if at := bytes.IndexFunc(text, func(r rune) bool {
			return r < ' ' && r != '\t' && r != '\n' && r != '\r' || r >= 0x7f && r < 0xa0
		}); at >= 0 {
			return nil, fail(at, fmt.Sprintf("a control character (%q) stands here", text[at:at+1]), "delete it")
		}
		indent := len(text) - len(bytes.TrimLeft(text, " \t"))
		if indent > maxIndent && indent < len(bytes.TrimRight(text, "\r\n")) {
			return nil, fail(maxIndent, fmt.Sprintf("more than %d columns of indentation", maxIndent), "a plan needs few")
		}
		dashes := bytes.TrimLeft(text, " \t")
		for n := 0; len(dashes) > 1 && (dashes[0] == '-' || dashes[0] == '?') && dashes[1] == ' '; n++ {
			if n == maxDashes {
				return nil, fail(indent, fmt.Sprintf("more than %d lists in lists", maxDashes), "a plan needs few")
			}
			dashes = bytes.TrimLeft(dashes[1:], " ")
		}
		for i := 0; i < len(text); i++ {
			switch c := text[i]; {
			case quote != 0:
				if c == '\\' && quote == '"' {
					i++
				} else if c == quote {
					quote = 0
				}
			case (c == '"' || c == '\'') && (i == 0 || strings.IndexByte(" \t[{,:(", text[i-1]) >= 0):
				quote = c
			case c == '#' && (i == 0 || text[i-1] == ' ' || text[i-1] == '\t'):
				i = len(text)
			case c == '[' || c == '{':
				if depth++; depth > maxDepth {
					return nil, fail(i, fmt.Sprintf("more than %d brackets within one another", maxDepth),
						"close those that are open, or quote what is a text")
				}
			case (c == ']' || c == '}') && depth > 0:
				depth--
			case c == ',' && depth > 0,
				(c == ':' || c == '-') && (i+1 == len(text) || strings.IndexByte(" \t\r\n", text[i+1]) >= 0):
				if items++; items > maxItems {
					return nil, fail(i, fmt.Sprintf("more than %d keys and items", maxItems),
						"long lists of redirects belong into redirects.csv")
				}
			}
		}
	}
	return data, nil
}
