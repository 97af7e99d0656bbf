package cli

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/redirect"
	"young-compass/internal/term"
	"young-compass/internal/visits"
)

// lists is what the commands on redirects work on: the project's map, or lists
// in its plan, or lists of a site that has no plan.
type lists struct {
	*app
	home  string
	hosts []string
}

func (l *lists) flags(c *cobra.Command) {
	c.Flags().StringVar(&l.home, "home", "", "judge lists without a project, of the site at `URL`")
	c.Flags().StringArrayVar(&l.hosts, "host", nil, "`HOST` is the site's too, with --home")
}

func (a *app) redirectsCommand() *cobra.Command {
	c := &cobra.Command{Use: "redirects", Short: "The redirect map, from files"}
	c.AddCommand(a.checkCommand(), a.flattenCommand(), a.coverageCommand())
	return c
}

func (a *app) checkCommand() *cobra.Command {
	l := &lists{app: a}
	c := &cobra.Command{
		Use:   "check [FILE...]",
		Short: "Find redirects that contradict or undo each other, or lead nowhere",
		Long: `Reads files only. Checks the project's redirects.csv, or other lists with the
columns from, to, status, as they would stand in the plan. Finds rows that lead
round in a circle (loop, into-loop, self), that are redirected again (chain,
hidden-chain), that contradict or repeat one another (conflict, duplicate), that
lead where no page is (dead-target), to the home page or into another language, with
the wrong status, from where no request comes, to where none should go. See
docs/redirects.md. With --home no project is needed.`,
		RunE: func(_ *cobra.Command, files []string) error {
			rows, found, world, p, err := l.read(files)
			if err != nil {
				return err
			}
			if p == nil {
				return a.print(redirectsReport(rows, append(found, redirect.Check(rows, world)...)))
			}
			judged := p.Judge(rows)
			counts := finding.Count(judged)
			found = slices.DeleteFunc(found, func(f finding.Finding) bool { return counts[f.Code] > 0 && f.Code != "wrong-status" && len(files) == 0 })
			return a.print(redirectsReport(rows, append(found, judged...)))
		},
	}
	l.flags(c)
	return c
}

// read reads the lists, and says in which world they stand; the plan is nil
// without a project.
func (l *lists) read(files []string) (rows *redirect.List, found []finding.Finding, world redirect.World, p *plan.Plan, err error) {
	if l.home != "" {
		if len(files) == 0 {
			return nil, nil, world, nil, errors.New("--home: name the lists to read")
		}
		if world.Site, err = address.SiteOf(l.home, l.hosts); err != nil {
			return nil, nil, world, nil, fmt.Errorf("--home, --host: %w", err)
		}
		rows, found, err = l.readRedirects(world.Site, files)
		return rows, found, world, nil, err
	}
	if p, found, err = l.load(); err != nil {
		return nil, nil, world, nil, err
	}
	if rows = p.Redirects; len(files) > 0 {
		rows, found, err = l.readRedirects(p.Site, files)
	}
	return rows, found, p.World(), p, err
}

// redirectsReport counts what a list of redirects has: the graver codes always,
// others when they occur.
func redirectsReport(rows *redirect.List, found []finding.Finding) report {
	r := report{findings: found, counts: []count{{"rows", "redirects", rows.Len()}}}
	counts := finding.Count(found)
	always := []string{"loop", "chain", "conflict", "bad-row"}
	for _, code := range always {
		r.counts = append(r.counts, count{code, code, counts[code]})
	}
	for _, code := range slices.Sorted(maps.Keys(counts)) {
		if !slices.Contains(always, code) {
			r.counts = append(r.counts, count{"", code, counts[code]})
		}
	}
	return r
}

// readRedirects reads lists as one map.
func (a *app) readRedirects(site address.Site, files []string) (rows *redirect.List, found []finding.Finding, err error) {
	rows = redirect.NewList(site)
	for _, file := range files {
		f, err := a.open(file)
		if err != nil {
			return nil, nil, err
		}
		bad, err := rows.Read(file, f)
		_ = f.Close()
		if err != nil {
			return nil, nil, err
		}
		found = append(found, bad...)
	}
	return rows, found, nil
}

func (a *app) flattenCommand() *cobra.Command {
	l := &lists{app: a}
	var aside string
	c := &cobra.Command{
		Use:   "flatten FILE...",
		Short: "Write the map in which every source leads straight to its end",
		Long: `Reads files only. Writes, as CSV to standard output or --output, the same map with
every source leading straight to its final address, without duplicates, in the order
of the lists. It is refused while rows lead round in a circle or contradict one
another; with --aside FILE these rows go there, the others are written, and the exit
status is 1. Rows that can't be read must be mended first.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			rows, found, world, p, err := l.read(files)
			if err != nil {
				return err
			}
			if p != nil {
				world = p.Ends()
			}
			if finding.Worst(found, finding.Error) {
				return l.refuse(found, "nothing written while there are errors")
			}
			var put *redirect.List
			if aside != "" {
				rows, put = redirect.Part(rows, world)
			}
			flat, found := redirect.Flatten(rows, world)
			if len(found) > 0 {
				return l.refuse(found, "nothing written while there are errors; --aside FILE goes on without these rows")
			}
			if err := a.put(flat.Encode()); err != nil {
				return err
			}
			if put.Len() == 0 {
				return nil
			}
			if err := a.write(aside, put.Encode()); err != nil {
				return err
			}
			a.say("%d rows lead round in a circle or contradict one another; they are in %s", put.Len(), aside)
			return errFindings
		},
	}
	l.flags(c)
	c.Flags().StringVar(&aside, "aside", "", "put rows in trouble into `FILE`, and go on")
	return c
}

// refuse prints why nothing is written; the file that --output names is for the
// map alone.
func (l *lists) refuse(found []finding.Finding, why string) error {
	l.say("%s", why)
	l.output = ""
	return l.print(report{findings: found})
}

// put writes a result that is a file: to --output, else to standard output.
func (a *app) put(data []byte) error {
	if a.output != "" {
		return a.write(a.output, data)
	}
	if _, err := a.stdout.Write(data); err != nil {
		return unfinished{err}
	}
	return nil
}

// lostAddress is an address that nothing answers, as JSON.
type lostAddress struct {
	Address  string `json:"address"`
	Visits   int    `json:"visits"`
	From     string `json:"linked_from,omitempty"`
	Proposed string `json:"proposed,omitempty"`
}

func (a *app) coverageCommand() *cobra.Command {
	var least float64
	var sample int
	c := &cobra.Command{
		Use:   "coverage [FILE...]",
		Short: "Say which known addresses the plan answers, weighted by visits",
		Long: `Reads files only. Looks up every address of the book, of the logs that gather
counted (visits.csv), and of further lists: addresses one a line, or a table with a
column address, such as a search service's table of addresses not found. Shows those
that nothing answers, most visited first, each with the page that shares most words
with it.`,
		RunE: func(_ *cobra.Command, files []string) error {
			if least < 0 || least > 100 {
				return errors.New("--at-least: write a percentage from 0 to 100")
			}
			p, _, err := a.load()
			if err != nil {
				return err
			}
			var known []visits.Visit
			if err := a.readIfThere(visits.FileName, func(path string, r io.Reader) (found []finding.Finding, err error) {
				known, found, err = visits.Read(path, r)
				return found, err
			}); err != nil {
				return err
			}
			var further []address.Address
			var found []finding.Finding
			for _, file := range files {
				subjects, bad, err := a.lintFile(p, file)
				if err != nil {
					return err
				}
				found = append(found, bad...)
				for _, s := range subjects {
					further = append(further, s.Address)
				}
			}
			of := coverage.Of(p, known, further)
			r := coverageReport(p, of, sample)
			r.findings = found
			if byVisits, _ := of.Percent(); byVisits < least {
				r.findings = append(r.findings, finding.Finding{Code: "low-coverage", Severity: finding.Error, Where: finding.Place{File: plan.RedirectsFile},
					What: fmt.Sprintf("%.1f %% of the visits are answered; at least %.1f %% are wanted", byVisits, least), Advice: "add redirects for the addresses above"})
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
		item := lostAddress{Address: lost.Address.String(), Visits: lost.Visits, From: lost.From}
		proposed := ""
		if lost.Proposed.Key != "" {
			item.Proposed = lost.Proposed.String()
			proposed = fmt.Sprintf("%s (%s)", lost.Proposed, lost.Title)
		}
		items = append(items, item)
		if sample == 0 || len(r.rows) < sample {
			r.rows = append(r.rows, []string{fmt.Sprint(lost.Visits), shorten(lost.Address.Readable(), p.Site), proposed, lost.From})
		}
	}
	r.items, r.more = items, map[string]any{"coverage": of}
	r.counts = []count{{"lost", "lost addresses", len(of.Lost)}}
	r.text = func(w io.Writer, paint term.Paint) error {
		byVisits, byAddress := of.Percent()
		_, _ = fmt.Fprintf(w, "The plan answers %s of %d visits, and %s of %d addresses.\n\n", paint.Bold(fmt.Sprintf("%.1f %%", byVisits)), of.Visits, paint.Bold(fmt.Sprintf("%.1f %%", byAddress)), of.Addresses)
		if len(r.rows) == 0 {
			return nil
		}
		if err := term.Table(w, paint, r.columns, r.rows); err != nil {
			return err
		}
		_, err := fmt.Fprintln(w)
		return err
	}
	return r
}
