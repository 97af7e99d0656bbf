package csvfile

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

// The bounds of a table.
const (
	maxLine    = 1 << 20 // bytes without a line feed
	maxColumns = 10000
	sampleSize = 64 << 10 // bytes that are looked at to find the encoding out
)

// decode returns the text of a file as UTF-8 without byte order mark. Text that
// isn't UTF-8 is taken for Windows-1252, of which Latin-1 is a part.
func decode(file string, r io.Reader) (*bufio.Reader, error) {
	raw := bufio.NewReaderSize(r, sampleSize)
	sample, err := raw.Peek(sampleSize)
	if err != nil && err != io.EOF {
		return nil, err
	}
	var from encoding.Encoding
	switch {
	case bytes.HasPrefix(sample, []byte("\xff\xfe")):
		from = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case bytes.HasPrefix(sample, []byte("\xfe\xff")):
		from = unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	case bytes.HasPrefix(sample, []byte("\ufeff")):
		_, _ = raw.Discard(3)
	case bytes.IndexByte(sample, 0) >= 0:
		return nil, finding.Unreadable(finding.Place{File: file}, "this is no text: it holds NUL bytes", "save the table as CSV")
	case !validBeginning(sample):
		from = charmap.Windows1252
	}
	var text io.Reader = raw
	if from != nil {
		text = from.NewDecoder().Reader(raw)
	}
	return bufio.NewReaderSize(&lineLimit{file: file, r: text}, sampleSize), nil
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

// delimiter returns what separates the names in the first line.
func delimiter(text *bufio.Reader) rune {
	sample, _ := text.Peek(4096)
	first, _, _ := strings.Cut(string(sample), "\n")
	best, most := ',', 0
	for _, d := range []rune{',', ';', '\t'} {
		if n := strings.Count(first, string(d)); n > most {
			best, most = d, n
		}
	}
	return best
}

// lineLimit passes text on until a line is longer than any table's.
type lineLimit struct {
	file   string
	r      io.Reader
	line   int
	length int
}

func (l *lineLimit) Read(p []byte) (int, error) {
	n, err := l.r.Read(p)
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
		return 0, finding.Unreadable(finding.Place{File: l.file, Line: l.line + 1}, "a line of more than 1 MiB", "this seems to be no table; save it as CSV")
	}
	return n, err
}
