// Package term prints for people: the one table printer, colours and the
// progress bar.
package term

import (
	"cmp"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"golang.org/x/term"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// IsTerminal reports whether a file, for reading or writing, is a terminal. Other devices, such as /dev/null, are none.
func IsTerminal(file any) bool {
	f, ok := file.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// Style is how to print for a reader. The zero value is for files and other programs: without colours, without drawn
// characters, with lines of any length.
type Style struct {
	Colour bool
	Drawn  bool // rules are drawn with characters beyond ASCII
	Width  int  // columns that a line may take; 0: any number
}

// StyleOf returns how to print on w: with colours and drawn characters on a terminal alone, in its width. environ looks
// up variables: NO_COLOR and TERM=dumb take the colours away; LC_ALL, LC_CTYPE and LANG say whether more than ASCII can
// be shown (POSIX 8.2); COLUMNS says a width wherever it goes (POSIX 8.3).
func StyleOf(w io.Writer, environ func(string) string) Style {
	var s Style
	if IsTerminal(w) {
		dumb := environ("TERM") == "dumb"
		s.Colour = environ("NO_COLOR") == "" && !dumb
		locale := strings.ToUpper(cmp.Or(environ("LC_ALL"), environ("LC_CTYPE"), environ("LANG")))
		s.Drawn = !dumb && (strings.Contains(locale, "UTF-8") || strings.Contains(locale, "UTF8"))
		s.Width = widthOf(w)
	}
	if columns, err := strconv.Atoi(environ("COLUMNS")); err == nil && columns > 0 {
		s.Width = columns
	}
	if s.Width > 0 {
		s.Width = max(s.Width, leastWidth)
	}
	return s
}

// widthOf returns how many columns a terminal has; 0: nobody knows.
func widthOf(w io.Writer) int {
	f, ok := w.(*os.File)
	if !ok {
		return 0
	}
	width, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return width
}

// leastWidth is how narrow lines are made at most.
const leastWidth = 20

func (p Style) with(code, s string) string {
	if !p.Colour {
		return s
	}
	return "\x1b[" + code + "m" + s + "\x1b[0m"
}

// Bold returns s in bold.
func (p Style) Bold(s string) string { return p.with("1", s) }

// Old returns a text as what is taken away; marked is the part of it that matters.
func (p Style) Old(s string, marked bool) string { return p.part("31", s, marked) }

// New returns a text as what takes its place; marked is the part of it that matters.
func (p Style) New(s string, marked bool) string { return p.part("32", s, marked) }

func (p Style) part(code, s string, marked bool) string {
	if s == "" {
		return ""
	}
	if marked {
		code = "1;4;" + code
	}
	return p.with(code, s)
}

// Dim returns s in a quieter colour.
func (p Style) Dim(s string) string { return p.with("2", s) }

// Doubt returns s as what a person has to decide.
func (p Style) Doubt(s string) string { return p.with("1;35", s) }

// Severity returns the name of a severity in its colour.
func (p Style) Severity(s finding.Severity) string {
	return p.with(map[finding.Severity]string{finding.Error: "1;31", finding.Warning: "1;35", finding.Note: "36"}[s],
		string(s))
}

// Progress shows on a terminal how much of a known amount is done, how fast it
// goes and how long it will take; anywhere else it is silent.
type Progress struct {
	w       io.Writer // nil: silent
	what    string
	unit    Unit
	total   int64
	done    int64
	start   time.Time
	printed time.Time
}

// Unit says how amounts are written.
type Unit func(n int64) string

// Plain writes an amount as a number.
func Plain(n int64) string { return fmt.Sprint(n) }

// Bytes writes an amount in the largest binary unit that fits.
func Bytes(n int64) string {
	size, i := float64(n), 0
	for ; size >= 1024 && i < 4; i++ {
		size /= 1024
	}
	if i == 0 {
		return fmt.Sprintf("%d B", n)
	}
	return fmt.Sprintf("%.1f %ciB", size, "KMGT"[i-1])
}

// NewProgress starts a bar on w. A total of 0 means that nobody knows it.
func NewProgress(w io.Writer, what string, total int64, unit Unit) *Progress {
	if !IsTerminal(w) {
		w = nil
	}
	return &Progress{w: w, what: what, unit: unit, total: total, start: time.Now()}
}

// Add counts n more.
func (p *Progress) Add(n int64) {
	p.done += n
	if p.w == nil || time.Since(p.printed) < 100*time.Millisecond {
		return
	}
	p.printed = time.Now()
	line := p.line(time.Since(p.start))
	if width := widthOf(p.w); width > 0 {
		line = Cut(line, width-1) // a line that goes on below can't be written over
	}
	_, _ = fmt.Fprint(p.w, "\r"+line+"\x1b[K")
}

// Done wipes the bar.
func (p *Progress) Done() {
	if p.w != nil {
		_, _ = fmt.Fprint(p.w, "\r\x1b[K")
	}
}

// line is the bar after some time.
func (p *Progress) line(after time.Duration) string {
	rate := float64(p.done) / max(after.Seconds(), 0.001)
	speed := p.unit(int64(rate)) + "/s"
	if p.total <= 0 || p.done > p.total {
		return fmt.Sprintf("%s: %s, %s", address.Printable(p.what), p.unit(p.done), speed)
	}
	const width = 30
	filled := int(width * p.done / p.total)
	left := time.Duration(float64(p.total-p.done) / max(rate, 0.001) * float64(time.Second)).Round(time.Second)
	return fmt.Sprintf("%s [%s%s] %s of %s, %s, %s left", address.Printable(p.what), strings.Repeat("=", filled),
		strings.Repeat(" ", width-filled),
		p.unit(p.done), p.unit(p.total), speed, left)
}

// Reader counts what is read from r.
func (p *Progress) Reader(r io.Reader) io.Reader { return progressReader{p, r} }

type progressReader struct {
	p *Progress
	r io.Reader
}

func (r progressReader) Read(b []byte) (int, error) {
	n, err := r.r.Read(b)
	r.p.Add(int64(n))
	return n, err
}
