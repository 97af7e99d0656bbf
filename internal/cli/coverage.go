package cli

import (
	"errors"
	"fmt"
	"io"
	"math"

	"github.com/spf13/cobra"

	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/pair"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/term"
)

// lostAddress is an address that nothing answers, as JSON.
type lostAddress struct {
	Address  string `json:"address"`
	Visits   int    `json:"visits"`
	From     string `json:"linked_from,omitempty"`
	Proposed string `json:"proposed,omitempty"`
	Pattern  string `json:"pattern,omitempty"`
	Target   string `json:"target,omitempty"`
	Answers  bool   `json:"answers_today"`

	Confidence float64 `json:"confidence,omitempty"`
	Doubtful   bool    `json:"doubtful,omitempty"`
}

// known reads the addresses of the logs that gather counted, and of further
// lists.
func (a *app) known(p *plan.Plan, files []string) (known []coverage.Known, found []finding.Finding, err error) {
	list, err := a.visits()
	if err != nil {
		return nil, nil, err
	}
	known = coverage.OfVisits(list)
	for _, file := range files {
		f, err := a.open(file)
		if err != nil {
			return nil, nil, err
		}
		pages, bad, err := pair.Read(file, f, p.Site.Origin)
		_ = f.Close()
		if err != nil {
			return nil, nil, err
		}
		found = append(found, bad...)
		for _, page := range pages {
			known = append(known, coverage.Known{Address: page.Address, Kind: page.Kind, Language: page.Language,
				Title: page.Title, From: file})
		}
	}
	return known, found, nil
}

func (a *app) coverageCommand() *cobra.Command {
	var least float64
	var sample int
	c := &cobra.Command{
		Use:   "coverage [FILE...]",
		Short: "Say which known addresses the plan answers, weighted by visits",
		Long: `Reads files only. Looks up every address of the book, of the logs that gather
counted (visits.csv), and of further lists: addresses one a line, a sitemap, a feed,
or a table with a column address, such as an old inventory or a search service's
table of addresses not found. Counts both sides by kind, language and state. Shows
those that nothing answers, most visited first, each with the page that its parameters
decide and the redirect to write, with the page that pair finds likeliest to have
taken its place ("look at" where that is doubtful), or 410. A sitemap that was handed in earlier shows what search services
still ask for.`,
		RunE: func(_ *cobra.Command, files []string) error {
			if least < 0 || least > 100 {
				return errors.New("--at-least: write a percentage from 0 to 100")
			}
			p, _, err := a.load()
			if err != nil {
				return err
			}
			known, found, err := a.known(p, files)
			if err != nil {
				return err
			}
			of := coverage.Of(p, known)
			r := coverageReport(p, of, sample)
			r.findings = found
			if byVisits, _ := of.Percent(); byVisits < least {
				r.findings = append(r.findings, finding.Finding{Code: finding.LowCoverage, Severity: finding.Error,
					Where: finding.Place{File: project.RedirectsFile},
					What: fmt.Sprintf("%.1f %% of the visits are answered; at least %.1f %% are wanted", byVisits,
						least), Advice: "add redirects for the addresses above"})
			}
			return a.print(r)
		},
	}
	c.Flags().Float64Var(&least, "at-least", 0, "exit with 1 when less than `PERCENT` of the visits are answered")
	c.Flags().IntVar(&sample, "sample", 20, "show the `N` most visited lost addresses; 0: all")
	return c
}

func coverageReport(p *plan.Plan, of coverage.Coverage, sample int) report {
	r := report{columns: []string{"visits", "lost address", "proposed", "linked from"}, name: "lost"}
	items := []lostAddress{}
	for _, lost := range of.Lost {
		item := lostAddress{Address: lost.Address.String(), Visits: lost.Visits, From: lost.From, Answers: lost.Answers}
		proposed := "nothing is like it: gone (410)?"
		if lost.Answers {
			proposed = "it answers today: redirect it, or list it in site.files"
		}
		if lost.Proposed.Key != "" {
			item.Proposed = lost.Proposed.String()
			item.Confidence, item.Doubtful = math.Round(1000*lost.Confidence)/1000, lost.Doubtful
			proposed = fmt.Sprintf("%s (%s)", lost.Proposed, lost.Title)
			if lost.Doubtful {
				proposed = "look at " + proposed
			}
			if lost.Pattern != "" {
				item.Pattern, item.Target = lost.Pattern, lost.Target
				proposed = fmt.Sprintf("%s: redirects add '%s' %s", lost.Proposed, lost.Pattern, lost.Target)
			}
		}
		items = append(items, item)
		if sample == 0 || len(r.rows) < sample {
			r.rows = append(r.rows, []string{fmt.Sprint(lost.Visits), shorten(lost.Address.Readable(), p.Site),
				proposed, lost.From})
		}
	}
	r.items, r.more = items, map[string]any{"coverage": of, "groups": of.Groups}
	var groups [][]string
	for _, g := range of.Groups {
		groups = append(groups, []string{g.By, g.Name, fmt.Sprint(g.Addresses), fmt.Sprint(g.Answered),
			fmt.Sprint(g.Visits), fmt.Sprint(g.AnsweredVisits), fmt.Sprint(g.Pages)})
	}
	r.counts = []count{{"lost", "lost addresses", len(of.Lost)}}
	r.text = func(w io.Writer, style term.Style) error {
		byVisits, byAddress := of.Percent()
		_, _ = fmt.Fprintf(w, "The plan answers %s of %d visits, and %s of %d addresses.\n\n",
			style.Bold(fmt.Sprintf("%.1f %%", byVisits)), of.Visits, style.Bold(fmt.Sprintf("%.1f %%", byAddress)),
			of.Addresses)
		if err := term.Table(w, style, []string{"by", "", "known addresses", "answered", "visits", "answered",
			"pages now"}, groups); err != nil || len(r.rows) == 0 {
			return err
		}
		_, _ = fmt.Fprintln(w)
		if err := term.Table(w, style, r.columns, r.rows); err != nil {
			return err
		}
		_, err := fmt.Fprintln(w)
		return err
	}
	return r
}
