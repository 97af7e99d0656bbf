// Package term prints for people: the one table printer, colours and the
// progress bar.
package term

import (
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// IsTerminal reports whether a file, for reading or writing, is a terminal. Other devices, such as /dev/null, are none.
func IsTerminal(file any) bool {
	f, ok := file.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// Paint colours text, or doesn't.
type Paint bool

func (p Paint) with(code, s string) string {
	if !p {
		return s
	}
	return "\x1b[" + code + "m" + s + "\x1b[0m"
}

// Bold returns s in bold.
func (p Paint) Bold(s string) string { return p.with("1", s) }

// Old returns a text as what is taken away; marked is the part of it that matters.
func (p Paint) Old(s string, marked bool) string { return p.part("31", s, marked) }

// New returns a text as what takes its place; marked is the part of it that matters.
func (p Paint) New(s string, marked bool) string { return p.part("32", s, marked) }

func (p Paint) part(code, s string, marked bool) string {
	if s == "" {
		return ""
	}
	if marked {
		code = "1;4;" + code
	}
	return p.with(code, s)
}

// Dim returns s in a quieter colour.
func (p Paint) Dim(s string) string { return p.with("2", s) }

// Doubt returns s as what a person has to decide.
func (p Paint) Doubt(s string) string { return p.with("1;35", s) }

// Severity returns the name of a severity in its colour.
func (p Paint) Severity(s finding.Severity) string {
	return p.with(map[finding.Severity]string{finding.Error: "1;31", finding.Warning: "1;35", finding.Note: "36"}[s],
		string(s))
}

// stateColumn is the column of a table whose words are painted.
const stateColumn = "state"

// state paints how far something is.
func (p Paint) state(word string) string {
	switch word {
	case "done":
		return p.New(word, false)
	case "failing":
		return p.Old(word, false)
	case "unknown":
		return p.Dim(word)
	}
	return address.Printable(word)
}

// Table prints rows under their column names, aligned, numbers to the right,
// without borders. Cells are shown printable.
func Table(w io.Writer, paint Paint, columns []string, rows [][]string) error {
	t := table.NewWriter()
	style := table.StyleDefault
	style.Options = table.Options{SeparateHeader: true}
	style.Box.MiddleHorizontal, style.Box.PaddingLeft, style.Box.PaddingRight = "-", "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	header := make(table.Row, len(columns))
	for i, c := range columns {
		header[i] = paint.Bold(address.Printable(c))
	}
	t.AppendHeader(header)
	for _, row := range rows {
		cells := make(table.Row, len(row))
		for i, cell := range row {
			cells[i] = address.Printable(cell)
			if columns[i] == stateColumn {
				cells[i] = paint.state(cell)
			}
		}
		t.AppendRow(cells)
	}
	var configs []table.ColumnConfig
	for i := range columns {
		if numbers(rows, i) {
			configs = append(configs, table.ColumnConfig{Number: i + 1, Align: text.AlignRight,
				AlignHeader: text.AlignRight})
		}
	}
	t.SetColumnConfigs(configs)
	lines := strings.Split(t.Render(), "\n")
	width := 0
	for i, line := range lines {
		if lines[i] = strings.TrimRight(line, " "); i != 1 {
			width = max(width, text.StringWidthWithoutEscSequences(lines[i]))
		}
	}
	lines[1] = strings.Repeat("-", width) // the rule is as long as the longest line
	_, err := io.WriteString(w, strings.Join(lines, "\n")+"\n")
	return err
}

// numbers reports whether a column holds nothing but numbers.
func numbers(rows [][]string, column int) bool {
	some := false
	for _, row := range rows {
		if strings.Trim(row[column], "0123456789") != "" {
			return false
		}
		some = some || row[column] != ""
	}
	return some
}

// Findings prints findings, each with its reasons below.
func Findings(w io.Writer, paint Paint, list []finding.Finding) error {
	var b strings.Builder
	for _, f := range list {
		fmt.Fprintf(&b, "%s: %s %s: %s\n", paint.Bold(address.Printable(f.Where.String())), paint.Severity(f.Severity),
			f.Code, address.Printable(f.What))
		if f.Visits > 0 {
			fmt.Fprintf(&b, "    visits: %s\n", paint.Bold(fmt.Sprint(f.Visits)))
		}
		for _, e := range f.Evidence {
			fmt.Fprintf(&b, "    %s\n", address.Printable(e))
		}
		if f.Why != "" {
			fmt.Fprintf(&b, "    %s\n", paint.Dim(address.Printable(f.Why)))
		}
		if f.Advice != "" {
			fmt.Fprintf(&b, "    => %s\n", address.Printable(f.Advice))
		}
	}
	_, err := io.WriteString(w, b.String())
	return err
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
	_, _ = fmt.Fprint(p.w, "\r"+p.line(time.Since(p.start))+"\x1b[K")
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
