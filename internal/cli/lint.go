package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/design"
	"young-compass/internal/finding"
	"young-compass/internal/lint"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/term"
)

func (a *app) lintCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "lint [FILE|-]",
		Short: "Judge addresses: can people read, type and guess them?",
		Long: `Reads files only. Judges the project's addresses, or those of a file: one a line,
or a table with a column address. Each finding names the part, says why it matters,
and proposes a better address. docs/lint.md has the formula of the readability.`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			p, err := a.planIfAny(len(files) > 0)
			if err != nil {
				return err
			}
			rules := lint.Judge{}
			if p != nil {
				rules = lint.Judge{Limits: lint.Limits{Depth: p.Paths.Depth, Length: p.Paths.Length},
					DefaultLanguage: p.Languages.Default}
			}
			var before, after []lint.Subject
			var found []finding.Finding
			if len(files) > 0 {
				before, found, err = a.lintFile(p, files[0])
			} else {
				before, after = design.Subjects(p)
			}
			if err != nil {
				return err
			}
			found = append(found, rules.Findings(before)...)
			if p != nil && len(files) == 0 {
				if err := a.weigh(p, found); err != nil {
					return err
				}
			}
			return a.print(lintReport(rules, before, after, found))
		},
	}
	return c
}

// planIfAny loads the project; without one it returns nil, if that will do.
func (a *app) planIfAny(optional bool) (*plan.Plan, error) {
	if _, err := os.Stat(a.in(project.PlanFile)); optional && errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	p, _, err := a.load()
	return p, err
}

func (a *app) lintFile(p *plan.Plan, file string) ([]lint.Subject, []finding.Finding, error) {
	base := address.Address{Scheme: "https", Host: "site.example", Path: "/"}
	if p != nil {
		base = p.Site.Origin
	}
	f, err := a.open(file)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = f.Close() }()
	return lint.Read(file, f, base)
}

func lintReport(judge lint.Judge, before, after []lint.Subject, found []finding.Finding) report {
	r := report{name: "figures", findings: found}
	figures := []lint.Summary{judge.Summarise(before)}
	if after != nil {
		figures = append(figures, judge.Summarise(after))
	}
	r.items = figures
	counts := finding.Count(found)
	codes := make([]string, 0, len(counts))
	for code := range counts {
		codes = append(codes, code)
	}
	slices.SortFunc(codes, func(x, y string) int {
		return cmp.Or(cmp.Compare(counts[y], counts[x]),
			strings.Compare(x, y))
	})
	r.text = func(w io.Writer, style term.Style) error { return printFigures(w, style, figures, codes, counts) }
	return r
}

// printFigures prints the summary on one screen: before and after side by side.
func printFigures(w io.Writer, style term.Style, figures []lint.Summary, codes []string, counts map[string]int) error {
	columns := []string{"", "addresses"}
	if len(figures) > 1 {
		columns = []string{"", "now", "as designed"}
	}
	var rows [][]string
	line := func(name string, value func(lint.Summary) string) {
		row := []string{name}
		for _, f := range figures {
			row = append(row, value(f))
		}
		rows = append(rows, row)
	}
	line("addresses", func(s lint.Summary) string { return fmt.Sprint(s.Addresses) })
	line("readability, of 100", func(s lint.Summary) string { return fmt.Sprint(s.Readability) })
	line("with parameters", func(s lint.Summary) string { return share(s.Queries, s.Addresses) })
	for i, length := range figures[0].Lengths {
		line("characters: "+span(length), func(s lint.Summary) string { return bar(s.Lengths[i].Count, s.Addresses) })
	}
	for i, depth := range figures[0].Depths {
		line("segments: "+span(depth), func(s lint.Summary) string { return bar(s.Depths[i].Count, s.Addresses) })
	}
	line("first segments", func(s lint.Summary) string {
		var words []string
		for _, c := range s.First[:min(4, len(s.First))] {
			words = append(words, fmt.Sprintf("%s %d", c.Word, c.Count))
		}
		return strings.Join(words, ", ")
	})
	if err := term.Table(w, style, columns, rows); err != nil {
		return err
	}
	var words []string
	for _, code := range codes {
		words = append(words, fmt.Sprintf("%s %s", style.Bold(fmt.Sprint(counts[code])), code))
	}
	if _, err := fmt.Fprintln(w); err != nil {
		return err
	}
	for part := range slices.Chunk(words, 6) {
		if _, err := fmt.Fprintln(w, strings.Join(part, ", ")); err != nil {
			return err
		}
	}
	_, err := fmt.Fprintln(w)
	return err
}

func span(r lint.Range) string {
	switch {
	case r.From == r.To:
		return fmt.Sprint(r.From)
	case r.To >= 1000:
		return fmt.Sprintf("%d or more", r.From)
	}
	return fmt.Sprintf("%d to %d", r.From, r.To)
}

func share(n, of int) string {
	if of == 0 {
		return "0"
	}
	return fmt.Sprintf("%d (%d %%)", n, 100*n/of)
}

// bar draws a count as a bar, 30 characters for all.
func bar(n, of int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf("%s %d", strings.Repeat("=", max(1, 30*n/of)), n)
}
