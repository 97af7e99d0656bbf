// Package term prints for people: the one table printer, colours and the
// progress bar.
package term

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// IsTerminal reports whether w is a terminal.
func IsTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	if !ok {
		return false
	}
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
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

// Dim returns s in a quieter colour.
func (p Paint) Dim(s string) string { return p.with("2", s) }

// Severity returns the name of a severity in its colour.
func (p Paint) Severity(s finding.Severity) string {
	return p.with(map[finding.Severity]string{finding.Error: "1;31", finding.Warning: "1;35", finding.Note: "36"}[s], string(s))
}

// Table prints rows under their column names, aligned, without borders. Cells
// are shown printable.
func Table(w io.Writer, paint Paint, columns []string, rows [][]string) error {
	t := table.NewWriter()
	style := table.StyleDefault
	style.Options = table.Options{SeparateHeader: true}
	style.Box.MiddleHorizontal, style.Box.PaddingLeft, style.Box.PaddingRight = "-", "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	header := make(table.Row, len(columns))
	for i, c := range columns {
		header[i] = paint.Bold(c)
	}
	t.AppendHeader(header)
	for _, row := range rows {
		cells := make(table.Row, len(row))
		for i, cell := range row {
			cells[i] = address.Printable(cell)
		}
		t.AppendRow(cells)
	}
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

// Findings prints findings, each with its reasons below.
func Findings(w io.Writer, paint Paint, list []finding.Finding) error {
	var b strings.Builder
	for _, f := range list {
		fmt.Fprintf(&b, "%s: %s %s: %s\n", paint.Bold(address.Printable(f.Where.String())), paint.Severity(f.Severity), f.Code, address.Printable(f.What))
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

// Progress shows on a terminal how much of a known amount is done; anywhere
// else it is silent.
type Progress struct {
	w     io.Writer
	what  string
	total int
	done  int
}

// NewProgress starts a bar on w.
func NewProgress(w io.Writer, what string, total int) *Progress {
	if !IsTerminal(w) {
		w = io.Discard
	}
	return &Progress{w: w, what: what, total: total}
}

// Step counts one more; the last one wipes the bar.
func (p *Progress) Step() {
	p.done++
	const width = 30
	filled := width * p.done / max(1, p.total)
	fmt.Fprintf(p.w, "\r%s [%s%s] %d of %d", p.what, strings.Repeat("=", filled), strings.Repeat(" ", width-filled), p.done, p.total)
	if p.done >= p.total {
		fmt.Fprintf(p.w, "\r\x1b[K")
	}
}
