package cli

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/term"
)

// folding is a run of redirects fold.
type folding struct {
	*app
	write string
}

// foldProposal is a proposal as JSON.
type foldProposal struct {
	Number int      `json:"number"`
	From   string   `json:"from"`
	To     string   `json:"to"`
	Status int      `json:"status,omitempty"`
	Class  string   `json:"class"`
	Rows   []string `json:"rows"`
	Reads  uint64   `json:"reads,omitempty"`
	Others []string `json:"others"`
	Visits int      `json:"visits,omitempty"`
}

func (a *app) foldCommand() *cobra.Command {
	f := &folding{app: a}
	var proposes bool
	c := &cobra.Command{
		Use:   "fold",
		Short: "Propose patterns in the place of rows that make the same edit",
		Long: `Reads files only. Rows whose addresses keep their middle and change what is around it
(/blog/2019/winter.html to /notices/winter) could be one pattern. Each proposal says which
rows, and which addresses the pattern also reads that nobody listed: their answer changes,
and that is for a person to decide. How many known addresses are among them (of the book,
and of the logs that gather counted) is shown. Each row's own address is answered as before.
--write takes the proposals of these numbers into redirects.csv.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if f.write != "" && a.output == "" {
				end, err := a.alone(c)
				if err != nil {
					return err
				}
				defer end()
			}
			return f.run()
		},
	}
	c.Flags().BoolVar(&proposes, "propose", true, "print the proposals; nothing is written without --write")
	c.Flags().StringVar(&f.write, "write", "", "take the proposals of these `NUMBERS`, such as 1,3, or all")
	return c
}

func (f *folding) run() error {
	p, found, err := f.load()
	if err != nil {
		return err
	}
	if bad := only(found, finding.BadRow); len(bad) > 0 {
		f.say("nothing is proposed while rows can't be read")
		return f.print(report{findings: bad})
	}
	known, _, err := f.known(p, nil)
	if err != nil {
		return err
	}
	folds := coverage.Folds(p, known)
	if f.write == "" {
		return f.print(foldReport(p, folds))
	}
	chosen, err := choice(f.write, folds)
	if err != nil {
		return err
	}
	list, err := coverage.Folded(p, chosen)
	if err != nil {
		return unfinished{err}
	}
	if f.output == "" {
		f.output = f.in(project.RedirectsFile)
	}
	if err := f.app.write(f.output, list.Encode()); err != nil {
		return err
	}
	f.output = ""
	gone := 0
	for _, c := range chosen {
		gone += len(c.Rows)
	}
	return f.print(report{counts: []count{{"patterns", "patterns", len(chosen)}, {"folded", "rows in their place before", gone},
		{"rows", "redirects now", list.Len()}}})
}

// choice returns the proposals that a person named by their numbers.
func choice(numbers string, folds []coverage.Fold) (chosen []coverage.Fold, err error) {
	if numbers == "all" {
		return folds, nil
	}
	seen := map[int]bool{}
	for word := range strings.SplitSeq(numbers, ",") {
		n, err := strconv.Atoi(strings.TrimSpace(word))
		if err != nil || n < 1 || n > len(folds) || seen[n] {
			return nil, fmt.Errorf("--write: %q is no number of a proposal, or stands there twice; there are %d", word, len(folds))
		}
		seen[n] = true
		chosen = append(chosen, folds[n-1])
	}
	return chosen, nil
}

// foldReport shows proposals.
func foldReport(p *plan.Plan, folds []coverage.Fold) report {
	r := report{name: "folds", columns: []string{"number", "rows", "pattern", "class", "reads", "known among the others"}}
	items := []foldProposal{}
	rows := 0
	for i, f := range folds {
		item := foldProposal{Number: i + 1, From: f.From, To: f.To, Status: f.Status, Class: f.Class, Reads: f.Reads, Others: []string{},
			Visits: f.Visits}
		for _, n := range f.Rows {
			item.Rows = append(item.Rows, p.Redirects.Row(n).From)
		}
		reads := "any number"
		if f.Reads > 0 {
			reads = fmt.Sprintf("%d addresses", f.Reads)
		}
		others := "none"
		if len(f.Others) > 0 {
			others = fmt.Sprintf("%d (%d visits), such as %s", len(f.Others), f.Visits, shorten(f.Others[0].Address.Readable(), p.Site))
		}
		for _, k := range f.Others {
			item.Others = append(item.Others, k.Address.String())
		}
		r.rows = append(r.rows, []string{fmt.Sprint(i + 1), fmt.Sprint(len(f.Rows)), f.From + " -> " + f.To, f.Class, reads, others})
		items = append(items, item)
		rows += len(f.Rows)
	}
	r.items = items
	r.counts = []count{{"folds", "proposals", len(folds)}, {"folded", "rows that they would take the place of", rows},
		{"rows", "redirects", p.Redirects.Len()}}
	r.text = func(w io.Writer, style term.Style) error {
		if len(r.rows) == 0 {
			_, err := fmt.Fprintln(w, "no three rows make the same edit")
			return err
		}
		if err := term.Table(w, style, r.columns, r.rows); err != nil {
			return err
		}
		_, err := fmt.Fprintln(w, "\nThe answer changes for addresses that a pattern reads and nobody listed. --write NUMBERS takes proposals.")
		return err
	}
	return r
}
