package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/finding"
	"young-compass/internal/table"
	"young-compass/internal/term"
)

// count is one figure of a summary. Without a name it isn't in the JSON, where
// findings are counted by their codes anyway.
type count struct {
	name, words string
	n           int
}

// report is what a command has to say, in every format.
type report struct {
	columns  []string
	rows     [][]string
	items    any // the rows as JSON
	name     string
	more     map[string]any // further lists as JSON, by name
	changed  [2]int         // columns of what was and what is to be
	counts   []count
	findings []finding.Finding
	text     func(w io.Writer, style term.Style) error // instead of a table
}

// told is the text of a report whose rows a person doesn't want to see: they
// are there as CSV and JSON.
func told(io.Writer, term.Style) error { return nil }

// print writes a report and returns errFindings when it is bad enough.
func (a *app) print(r report) error {
	if err := a.ctx.Err(); err != nil {
		return err
	}
	for i := range r.findings {
		a.locate(&r.findings[i].Where)
		for j := range r.findings[i].Related {
			a.locate(&r.findings[i].Related[j])
		}
	}
	finding.Sort(r.findings)
	w := a.stdout
	var file strings.Builder
	if a.output != "" {
		w = &file
	}
	if err := a.printTo(w, r); err != nil {
		return unfinished{fmt.Errorf("printing: %w", err)}
	}
	if a.output != "" {
		if err := a.write(a.output, []byte(file.String())); err != nil {
			return err
		}
	}
	if finding.Worst(r.findings, a.limit) {
		return errFindings
	}
	return nil
}

func (a *app) printTo(w io.Writer, r report) error {
	switch a.format {
	case "json":
		return a.printJSON(&visibleJSON{w: w}, r)
	case "csv":
		return printCSV(w, r)
	case "junit":
		return printJUnit(w, r.findings, a.limit)
	case "sarif":
		return printSARIF(&visibleJSON{w: w}, r.findings)
	}
	style := a.style(w)
	if a.output != "" {
		style.Width = 0 // of a file
	}
	out := term.Wrapping(w, style)
	if err := a.printText(out, style, r); err != nil {
		return err
	}
	return out.Flush()
}

// printText prints a report for a person.
func (a *app) printText(w io.Writer, style term.Style, r report) error {
	if !a.quiet {
		switch {
		case r.text != nil:
			if err := r.text(w, style); err != nil {
				return err
			}
		case len(r.rows) > 0:
			if err := term.Changes(w, style, r.columns, r.rows, r.changed[0], r.changed[1]); err != nil {
				return err
			}
			_, _ = fmt.Fprintln(w)
		}
		if err := printCounts(w, style, r.counts); err != nil {
			return err
		}
	}
	return term.Findings(w, style, r.findings, a.all)
}

// printCounts prints the summary: in one line while it is short.
func printCounts(w io.Writer, style term.Style, counts []count) error {
	if len(counts) > 6 {
		for _, c := range counts {
			if _, err := fmt.Fprintf(w, "%s %s\n", style.Bold(fmt.Sprintf("%6d", c.n)), c.words); err != nil {
				return err
			}
		}
		return nil
	}
	var words []string
	for _, c := range counts {
		words = append(words, style.Bold(fmt.Sprint(c.n))+" "+c.words)
	}
	if len(words) == 0 {
		return nil
	}
	_, err := fmt.Fprintln(w, strings.Join(words, ", "))
	return err
}

func (a *app) printJSON(w io.Writer, r report) error {
	summary := map[string]any{"findings": finding.Count(r.findings)}
	for _, c := range r.counts {
		if c.name != "" {
			summary[c.name] = c.n
		}
	}
	parts := map[string]any{"summary": summary, "findings": nil}
	if r.items != nil {
		parts[r.name] = r.items
	}
	maps.Copy(parts, r.more)
	out := bufio.NewWriter(w)
	mark := "{\n"
	for _, name := range slices.Sorted(maps.Keys(parts)) {
		_, _ = fmt.Fprintf(out, "%s  %q: ", mark, name)
		mark = ",\n"
		if name == "findings" {
			if err := writeList(out, "  ", r.findings, func(f finding.Finding) any { return f }); err != nil {
				return err
			}
			continue
		}
		var b bytes.Buffer
		e := json.NewEncoder(&b)
		e.SetIndent("  ", "  ")
		e.SetEscapeHTML(false)
		if err := e.Encode(parts[name]); err != nil {
			return err
		}
		_, _ = out.Write(bytes.TrimSuffix(b.Bytes(), []byte("\n")))
	}
	_, _ = out.WriteString("\n}\n")
	return out.Flush()
}

// printCSV writes the rows, or the findings where there are no rows, one after the other.
func printCSV(w io.Writer, r report) error {
	return table.WriteShown(w, func(yield func([]string) bool) {
		if r.columns != nil {
			if yield(r.columns) {
				slices.Values(r.rows)(yield)
			}
			return
		}
		if !yield([]string{"code", "severity", "where", "what", "advice"}) {
			return
		}
		for _, f := range r.findings {
			if !yield([]string{string(f.Code), string(f.Severity), f.Where.String(), f.What, f.Advice}) {
				return
			}
		}
	})
}
