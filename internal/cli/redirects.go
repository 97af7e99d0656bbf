package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
	"young-compass/internal/source"
	"young-compass/internal/spelling"
	"young-compass/internal/visits"
)

// lists is what the commands on redirects work on: the project's map, or lists
// in its plan, or lists of a site that has no plan.
type lists struct {
	*app
	origin string
	hosts  []string
}

func (l *lists) flags(c *cobra.Command) {
	c.Flags().StringVar(&l.origin, "origin", "", "judge lists without a project, of the site at `URL`")
	c.Flags().StringArrayVar(&l.hosts, "host", nil, "`HOST` is the site's too, with --origin")
}

func (a *app) redirectsCommand() *cobra.Command {
	c := &cobra.Command{Use: "redirects", Short: "The redirect map, from files", Args: cobra.ArbitraryArgs, RunE: group}
	c.AddCommand(a.checkCommand(), a.addCommand(), a.mergeCommand(), a.flattenCommand(), a.foldCommand(), a.previewCommand(),
		a.coverageCommand())
	return c
}

// group runs a command that is nothing without one of its own: it says which there are.
func group(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return c.Help()
	}
	var names []string
	for _, one := range c.Commands() {
		if one.IsAvailableCommand() {
			names = append(names, one.Name())
		}
	}
	return fmt.Errorf("%s: %s is not one of its commands; %s", c.Name(), address.Printable(args[0]), spelling.Choices(args[0], names))
}

func (a *app) checkCommand() *cobra.Command {
	l := &lists{app: a}
	var seen string
	c := &cobra.Command{
		Use:   "check [FILE...]",
		Short: "Find redirects that contradict or undo each other, or lead nowhere",
		Long: `Reads files only. Checks the project's redirects.csv, or other lists with the
columns from, to, status, as they would stand in the plan. A list may also be a
per-folder file of Apache httpd (.htaccess): its redirects are read, and what is no row
of a list is listed by line. Finds rows that lead
round in a circle (loop, into-loop, self), that are redirected again (chain,
hidden-chain), that contradict, repeat or hide one another (conflict, duplicate,
shadowed), that lead where no page is (dead-target), to the home page or into another
language, with the wrong status, from where no request comes, to where none should go.
The worst come first, and of these the most visited. See docs/redirects.md. With
--origin no project is needed.`,
		RunE: func(_ *cobra.Command, files []string) error {
			rows, found, world, p, err := l.read(files)
			if err != nil {
				return err
			}
			known, err := l.visits(p, seen)
			if err != nil {
				return err
			}
			examined := redirect.Examine(rows, world)
			switch {
			case p == nil:
				found = slices.Concat(found, examined.Found, judge.HomeTargets(rows))
			case len(files) == 0:
				found = slices.Concat(found, judge.Rest(p), judge.Redirects(p, examined))
			default:
				found = append(found, judge.Redirects(p, examined)...)
			}
			examined.Weigh(found, func(yield func(address.Address, int) bool) {
				for _, v := range known {
					if v.Visitors > 0 && !yield(v.Address, v.Visitors) {
						return
					}
				}
			})
			r := redirectsReport(rows, found)
			finding.Sort(found)
			return a.print(r)
		},
	}
	l.flags(c)
	c.Flags().StringVar(&seen, "visits", "",
		"how often addresses were visited stands in `FILE`, not in the project's "+project.VisitsFile)
	return c
}

// visits reads how often addresses were visited: from a file, or from the
// project's.
func (l *lists) visits(p *plan.Plan, file string) (known []visits.Visit, err error) {
	read := func(path string, r io.Reader) (found []finding.Finding, err error) {
		known, found, err = visits.Read(path, r)
		return found, err
	}
	if file == "" {
		if p != nil {
			err = l.readIfThere(project.VisitsFile, read)
		}
		return known, err
	}
	f, err := l.open(file)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	found, err := read(file, f)
	if err == nil && len(found) > 0 {
		err = &finding.Input{Finding: found[0]}
	}
	return known, err
}

// read reads the lists, and says in which world they stand; the plan is nil
// without a project.
func (l *lists) read(files []string) (rows *redirect.List, found []finding.Finding, world redirect.World, p *plan.Plan,
	err error) {
	if l.origin != "" {
		if len(files) == 0 {
			return nil, nil, world, nil, errors.New("--origin: name the lists to read")
		}
		site, err := address.SiteOf(l.origin, l.hosts)
		if err != nil {
			return nil, nil, world, nil, fmt.Errorf("--origin, --host: %w", err)
		}
		rows, found, err = l.readRedirects(site, folderfile.Habits{}, files)
		// Nothing is known of how this site spells its addresses.
		return rows, found, redirect.Alone(rows, address.Speller{Site: site, Paths: address.Paths{Doubled: true}}), nil,
			err
	}
	if p, found, err = l.load(); err != nil {
		return nil, nil, world, nil, err
	}
	if len(files) > 0 {
		if rows, found, err = l.readRedirects(p.Site, folderfile.HabitsOf(p.Paths), files); err != nil {
			return nil, nil, world, nil, err
		}
		p = p.With(rows)
	}
	return p.Redirects, found, p.World(), p, nil
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
func (a *app) readRedirects(site address.Site, of folderfile.Habits, files []string) (rows *redirect.List, found []finding.Finding,
	err error) {
	rows = redirect.NewList(site)
	for _, file := range files {
		bad, err := a.readList(rows, of, file)
		if err != nil {
			return nil, nil, err
		}
		found = append(found, bad...)
	}
	return rows, found, nil
}

// readList appends a list: a table, or the redirects of a per-folder file.
func (a *app) readList(rows *redirect.List, of folderfile.Habits, file string) ([]finding.Finding, error) {
	f, err := a.open(file)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	text := bufio.NewReaderSize(f, source.SampleSize)
	sample, err := text.Peek(source.SampleSize)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, unfinished{fmt.Errorf("reading %s: %w", file, err)}
	}
	if !folderfile.Matches(sample) {
		return rows.Read(file, text)
	}
	rules, err := io.ReadAll(io.LimitReader(text, folderfile.MaxSize+1))
	if err != nil {
		return nil, unfinished{fmt.Errorf("reading %s: %w", file, err)}
	}
	return rows.ReadFolderFile(file, rules, of)
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
another, or can't be read; with --aside FILE these rows go there, the others are
written, and the exit status is 1. Rows with too many or too few fields must be mended
first.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			rows, found, world, p, err := l.read(files)
			if err != nil {
				return err
			}
			var unread []redirect.Unread
			if aside != "" {
				unread = rows.Unread
				found = slices.DeleteFunc(found, func(f finding.Finding) bool {
					return slices.ContainsFunc(unread, func(u redirect.Unread) bool { return u.Problem.Where == f.Where })
				})
			}
			if finding.Worst(found, finding.Error) {
				return l.refuse(found, "nothing written while there are errors")
			}
			var put *redirect.List
			if aside != "" {
				if rows, put = redirect.Part(rows, world); p != nil {
					world = p.With(rows).World()
				} else {
					world = redirect.Alone(rows, world.Rules.Speller)
				}
			}
			flat, found := redirect.Flatten(rows, world, redirect.Straight)
			for _, f := range found {
				if f.Severity == finding.Warning {
					a.say("%s", f)
				}
			}
			if flat == nil {
				return l.refuse(found, "nothing written while there are errors; --aside FILE goes on without these rows")
			}
			if err := a.put(flat.Encode()); err != nil {
				return err
			}
			if put.Len()+len(unread) == 0 {
				return nil
			}
			if err := a.write(aside, redirect.EncodeAside(put, unread)); err != nil {
				return err
			}
			a.say("%d rows lead round in a circle or contradict one another, %d can't be read; they are in %s",
				put.Len(), len(unread), aside)
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
