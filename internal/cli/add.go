package cli

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
	"young-compass/internal/inventory"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
	"young-compass/internal/term"
)

func (a *app) addCommand() *cobra.Command {
	var status int
	var reason string
	var anyway bool
	c := &cobra.Command{
		Use:   "add FROM [TO]",
		Short: "Put one redirect into the project's map",
		Long: `Reads files only. Adds a row to redirects.csv and keeps the file flat and sorted: rows
that lead to FROM lead where it leads now. TO is a page (key@language), a path or an
address; without it, or with --status 410, the page is gone. Where FROM leads
elsewhere already, a terminal is asked; else nothing is written. So it is where FROM is a
live page, or where TO is no page: --anyway writes it all the same.`,
		Args: cobra.RangeArgs(1, 2),
		RunE: func(c *cobra.Command, args []string) error {
			to := ""
			if len(args) == 2 {
				to = args[1]
			} else if !c.Flags().Changed("status") {
				status = 410
			}
			var row strings.Builder
			w := csv.NewWriter(&row)
			_ = w.Write([]string{"from", "to", "status", "reason", "source", "since"}) // a strings.Builder doesn't fail
			_ = w.Write([]string{args[0], to, fmt.Sprint(status), reason, "by hand", a.today()})
			w.Flush()
			const from = "the command line"
			return a.take(c, from, func(p *plan.Plan, list *redirect.List) (*redirect.List, []finding.Finding, error) {
				found, err := list.Read(from, strings.NewReader(row.String()))
				if err == nil && !anyway && list.Len() == 1 {
					with := p.With(redirect.Together(p.Redirects, list))
					for _, f := range judge.Mistaken(with, p.Redirects.Len()) {
						f.Severity, f.Where.Line, f.Advice = finding.Error, 0, f.Advice+"; --anyway writes it all the same"
						found = append(found, f)
					}
				}
				return list, found, err
			})
		},
	}
	c.Flags().IntVar(&status, "status", 301, "301, 302, 303, 307, 308 or 410")
	c.Flags().BoolVar(&anyway, "anyway", false, "write it though FROM is a live page, or TO is none")
	c.Flags().StringVar(&reason, "reason", "", "why, for those who read the list later")
	return c
}

func (a *app) mergeCommand() *cobra.Command {
	var sure redirect.Surely
	c := &cobra.Command{
		Use:   "merge FILE",
		Short: "Put a list of redirects into the project's map",
		Long: `Reads files only. Adds the rows of a list, such as pair writes, or the redirects of a
per-folder file (.htaccess), to redirects.csv and keeps the file flat and sorted.
Where a row contradicts one that is there, a terminal is asked which is right; else nothing is written, and they are listed. Of a list that
pair wrote, --sure 0.9 takes the rows that are as sure, or that a person decided; rows
that say that a page is gone only with --gone, or where a person decided.`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return a.take(c, args[0], func(p *plan.Plan, list *redirect.List) (*redirect.List, []finding.Finding, error) {
				found, err := a.readList(list, folderfile.HabitsOf(p.Paths), args[0])
				taken, left := list.Sure(sure, filepath.Base(args[0]), a.today())
				if left.Unsure > 0 {
					a.say("%d rows are less sure, and not taken", left.Unsure)
				}
				if left.Gone > 0 {
					a.say("%d rows say that a page is gone, and are not taken; look at them, and say --gone", left.Gone)
				}
				return taken, found, err
			})
		},
	}
	c.Flags().BoolVar(&sure.Gone, "gone", false, "of a list that pair wrote, take also rows that say a page is gone (410)")
	c.Flags().Float64Var(&sure.Confidence, "sure", 0, "leave out rows with less `CONFIDENCE` that nobody decided")
	return c
}

// take puts the rows that read returns into the project's map; it gets an empty list of the site.
func (a *app) take(c *cobra.Command, from string,
	read func(*plan.Plan, *redirect.List) (*redirect.List, []finding.Finding, error)) error {
	if a.output == "" {
		end, err := a.alone(c)
		if err != nil {
			return err
		}
		defer end()
	}
	p, found, err := a.load()
	if err != nil {
		return err
	}
	more, bad, err := read(p, redirect.NewList(p.Site))
	if err != nil {
		return err
	}
	refuse := func(found []finding.Finding) error {
		a.say("nothing written while there are errors")
		a.output = ""
		return a.print(report{findings: found})
	}
	bad = append(bad, only(found, finding.BadRow)...) // a row of the map would be lost, one of another file lead elsewhere
	if finding.Worst(bad, finding.Error) {
		return refuse(bad)
	}
	taken, found, err := project.Take(p, more, a.choose())
	if err != nil {
		return err
	}
	if len(found) > 0 {
		return refuse(found)
	}
	if a.output == "" {
		a.output = a.in(project.RedirectsFile)
	}
	if err := a.write(a.output, taken.Data); err != nil {
		return err
	}
	a.output = ""
	for _, row := range more.All() {
		if _, ok := p.CurrentAddress(row.Page); !ok && row.Page != (inventory.Ref{}) {
			a.say("%s has no address yet, so %s leads nowhere until design --write gives it one", row.Page, row.From)
		}
	}
	return a.print(report{counts: []count{
		{"added", "added from " + from, taken.Added}, {"replaced", "replaced", taken.Replaced},
		{"known", "known already", taken.Known},
		{"changed", "rows changed or new", taken.Changed}, {"rows", "redirects", taken.List.Len()},
	}})
}

// choose asks a person which of two rows is right; nil where there is none to
// ask.
func (a *app) choose() redirect.Choose {
	if !term.IsTerminal(a.stdin) || !term.IsTerminal(a.stderr) {
		return nil
	}
	answers := bufio.NewReader(a.stdin)
	return func(have, take redirect.Redirect) (bool, error) {
		for {
			_, _ = fmt.Fprintf(a.stderr, "%s\n  1  %s\n  2  %s\nWhich is right? 1 or 2, q ends without writing: ",
				address.Printable(have.From), address.Printable(described(have)), address.Printable(described(take)))
			line, err := answers.ReadString('\n')
			switch strings.TrimSpace(line) {
			case "1":
				return false, nil
			case "2":
				return true, nil
			case "q":
				return false, errors.New("nothing written")
			}
			if err != nil {
				return false, unfinished{fmt.Errorf("reading the answer: %w", err)}
			}
		}
	}
}

// described says where a row leads, and where it stands.
func described(r redirect.Redirect) string {
	status := r.Status
	if status == 0 {
		status = 301
	}
	to := "leads to " + r.To
	if r.Gone() {
		to = "is gone"
	}
	return fmt.Sprintf("%s (%d), as %s says", to, status, r.Place())
}
