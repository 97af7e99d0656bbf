package table

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"young-compass/internal/finding"
)

// Clean returns a text as a field of a file can hold it: lines end in a line feed, other control characters (C0 but the
// tab, DEL, C1) are spaces, and bytes that are no UTF-8 are the replacement character.
func Clean(s string) string {
	if fine(s) {
		return s
	}
	s = strings.ReplaceAll(s, "\r\n", "\n")
	return strings.Map(func(r rune) rune {
		switch {
		case r == '\r':
			return '\n'
		case r == '\t' || r == '\n':
		case r < ' ' || r >= 0x7f && r < 0xa0:
			return ' '
		}
		return r
	}, strings.ToValidUTF8(s, "\ufffd"))
}

// Plain reports whether Clean changes nothing of a text but how its lines end.
func Plain(s string) bool { return fine(s) || fine(strings.ReplaceAll(s, "\r", "\n")) }

// fine reports whether Clean has nothing to do.
func fine(s string) bool {
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c < ' ' && c != '\n' && c != '\t', c == 0x7f:
			return false
		case c == 0xc2 && i+1 < len(s) && s[i+1] < 0xa0:
			return false
		case c >= 0x80:
			if r, size := utf8.DecodeRuneInString(s[i:]); r == utf8.RuneError && size <= 1 {
				return false
			} else {
				i += size - 1
			}
		}
	}
	return true
}

// Guard keeps a spreadsheet from taking a cell for a formula.
func Guard(cell string) string {
	if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
		return "'" + cell
	}
	return cell
}

// GuardText does what Guard does for what isn't a number.
//
//	-5, +47 55 00 12    stay
//	=HYPERLINK("...")   '=HYPERLINK("...")
func GuardText(cell string) string {
	if cell != "" && (cell[0] == '+' || cell[0] == '-') && strings.Trim(cell, "+-0123456789.,:()/ ") == "" {
		return cell
	}
	return Guard(cell)
}

// Check reads a table again that is to be written. The error says where it can't be read.
func Check(file string, data []byte) error {
	t, err := Open(file, bytes.NewReader(data), nil)
	for err == nil {
		var batch *Batch
		if batch, err = t.Batch(); err == nil {
			if bad := batch.Each(func(Row) {}); len(bad) > 0 {
				err = &finding.Input{Finding: bad[0]}
			}
		}
	}
	if errors.Is(err, io.EOF) {
		return nil
	}
	return fmt.Errorf("what was to be written into %s could not be read again, so nothing is written: %v", file, err)
}
