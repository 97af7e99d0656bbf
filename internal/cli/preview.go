package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
	"young-compass/internal/plan"
)

// caughtAddress is an address that a pattern answers, as JSON.
type caughtAddress struct {
	Address string `json:"address"`
	Visits  int    `json:"visits"`
	To      string `json:"to"`
	Mistake string `json:"mistake,omitempty"`
}

// patternPreview is what a pattern does, as JSON.
type patternPreview struct {
	Where      finding.Place   `json:"where"`
	From       string          `json:"from"`
	To         string          `json:"to"`
	Visits     int             `json:"visits"`
	Exceptions int             `json:"exceptions"`
	Caught     []caughtAddress `json:"caught"`
}

func (a *app) previewCommand() *cobra.Command {
	var sample int
	var lists []string
	c := &cobra.Command{
		Use:   "preview [FILE...]",
		Short: "Show which known addresses each pattern answers, and which by mistake",
		Long: `Reads files only. For each pattern of the plan and of redirects.csv: how many of the
known addresses it answers (of the book, of the logs that gather counted, and of
further lists), where they end, and which of them it leads where no page is, or to the
home page. Listed redirects and pages go before patterns; those are counted as
exceptions. --list FILE tries a list of redirects instead of the project's.`,
		RunE: func(_ *cobra.Command, files []string) error {
			p, _, err := a.load()
			if err != nil {
				return err
			}
			var found []finding.Finding
			if len(lists) > 0 {
				rows, bad, err := a.readRedirects(p.Site, folderfile.HabitsOf(p.Paths), lists)
				if err != nil {
					return err
				}
				found = bad
				p = p.With(rows)
			}
			known, bad, err := a.known(p, files)
			if err != nil {
				return err
			}
			r := previewReport(p, coverage.Patterns(p, known), sample)
			r.findings = append(r.findings, append(found, bad...)...)
			return a.print(r)
		},
	}
	c.Flags().IntVar(&sample, "sample", 3, "show `N` addresses of each pattern; 0: all")
	c.Flags().StringArrayVar(&lists, "list", nil, "try the redirects of `FILE` instead of the project's")
	return c
}

func previewReport(p *plan.Plan, catches []coverage.Catch, sample int) report {
	r := report{columns: []string{"pattern", "answers", "visits", "exceptions", "such as", "ends at"}, name: "patterns"}
	items := []patternPreview{}
	caught := 0
	for _, c := range catches {
		item := patternPreview{Where: c.Where, From: c.From, To: c.To, Visits: c.Visits, Exceptions: c.Exceptions,
			Caught: []caughtAddress{}}
		first := []string{c.From + " -> " + c.To, fmt.Sprint(len(c.Caught)), fmt.Sprint(c.Visits),
			fmt.Sprint(c.Exceptions), "", ""}
		for i, at := range c.Caught {
			item.Caught = append(item.Caught, caughtAddress{at.Address.String(), at.Visits, at.To, at.Mistake})
			if sample > 0 && i >= sample {
				continue
			}
			first[4], first[5] = shorten(at.Address.Readable(), p.Site), shorten(at.To, p.Site)
			r.rows = append(r.rows, first)
			first = make([]string, 6)
		}
		if len(c.Caught) == 0 {
			r.rows = append(r.rows, first)
		}
		for _, m := range c.Mistakes() {
			r.findings = append(r.findings, finding.Finding{Code: finding.CaughtByMistake, Severity: finding.Warning,
				Where: c.Where, Visits: m.Visits,
				What:   fmt.Sprintf("%s leads %s to %s: %s", c.From, m.Address.Local(), m.To, m.Mistake),
				Advice: "list this address on its own, or narrow the pattern by class"})
		}
		caught += len(c.Caught)
		items = append(items, item)
	}
	r.items = items
	r.counts = []count{{"patterns", "patterns", len(catches)}, {"caught", "known addresses answered by them", caught}}
	return r
}
