package table

import (
	"bufio"
	"bytes"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"young-compass/internal/finding"
)

// decode returns the text of a file as UTF-8 without byte order mark, within
// bounds. Text that isn't UTF-8 is taken for Windows-1252, of which Latin-1 is
// a part.
func decode(file string, raw *bufio.Reader, sample []byte) (*bufio.Reader, *textLimit, error) {
	var from encoding.Encoding
	switch {
	case bytes.HasPrefix(sample, []byte("\xff\xfe")):
		from = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case bytes.HasPrefix(sample, []byte("\xfe\xff")):
		from = unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	case bytes.HasPrefix(sample, []byte("\ufeff")):
		_, _ = raw.Discard(3)
	case bytes.IndexByte(sample, 0) >= 0:
		return nil, nil, finding.Unreadable(finding.Place{File: file}, "this is not a text: it holds NUL bytes",
			"save the table as CSV")
	case !validBeginning(sample):
		from = charmap.Windows1252
	}
	var text io.Reader = raw
	if from != nil {
		text = from.NewDecoder().Reader(raw)
	}
	limit := &textLimit{file: file, r: text}
	return bufio.NewReaderSize(limit, sampleSize), limit, nil
}

// validBeginning reports whether a sample is UTF-8, but for a letter that its
// end may have cut.
func validBeginning(sample []byte) bool {
	for cut := range min(utf8.UTFMax, len(sample)+1) {
		if utf8.Valid(sample[:len(sample)-cut]) {
			return cut == 0 || !utf8.FullRune(sample[len(sample)-cut:])
		}
	}
	return false
}

// delimiter returns what separates the names in the first line, outside quotes; or what a line before it says, as some
// spreadsheets write it, which is read.
//
//	sep=;
func delimiter(text *bufio.Reader) rune {
	sample, _ := text.Peek(4096)
	first, _, _ := strings.Cut(string(sample), "\n")
	if told, ok := strings.CutPrefix(strings.ToLower(strings.TrimSuffix(first, "\r")), "sep="); ok && len(told) == 1 &&
		strings.Contains(",;\t", told) {
		_, _ = text.Discard(min(len(first)+1, len(sample)))
		return rune(told[0])
	}
	counts := map[rune]int{}
	quoted := false
	for _, r := range first {
		if r == '"' {
			quoted = !quoted
		} else if !quoted {
			counts[r]++
		}
	}
	best := ','
	for _, d := range []rune{',', ';', '\t'} {
		if counts[d] > counts[best] {
			best = d
		}
	}
	return best
}

// textLimit passes text on until a line or a row is longer than any table's.
type textLimit struct {
	file   string
	r      io.Reader
	line   int
	length int
	record int // bytes since the row before; set back by the reader of rows
}

func (l *textLimit) Read(p []byte) (int, error) {
	n, err := l.r.Read(p)
	if l.record += n; l.record > maxRecord {
		return 0, finding.Unreadable(finding.Place{File: l.file, Line: l.line + 1},
			"a row of more than 8 MiB ends about here", "there may be a quote without its partner before")
	}
	for rest := p[:n]; len(rest) > 0; {
		i := bytes.IndexByte(rest, '\n')
		if i < 0 {
			l.length += len(rest)
			break
		}
		if l.length+i > maxLine {
			l.length += i
			break
		}
		l.line, l.length, rest = l.line+1, 0, rest[i+1:]
	}
	if l.length > maxLine {
		return 0, finding.Unreadable(finding.Place{File: l.file, Line: l.line + 1}, "a line of more than 1 MiB",
			"this seems to be no table; save it as CSV")
	}
	return n, err
}
