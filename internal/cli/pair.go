package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/pair"
	"young-compass/internal/project"
	"young-compass/internal/term"
)

// pairing is one run of pair.
type pairing struct {
	*app
	sure   float64
	sample int
	review bool
}

func (a *app) pairCommand() *cobra.Command {
	p := &pairing{app: a}
	c := &cobra.Command{
		Use:   "pair OLD NEW --output FILE",
		Short: "Find for each old page the new one that took its place",
		Long: `Reads files only. OLD and NEW are each a table with a column of addresses, a list of
addresses, a sitemap, a feed, or the folder of a project. Writes a list of
redirects with a confidence and the reason for each: what two pages have in common
in ids, titles, words of their addresses, headings, text and dates, and how the
pages around them moved. 410 is proposed where nothing fits. Of the pairs said at
0.9 about nine in ten are right; see docs/pairing.md.

With --review a person goes through the doubtful ones on the whole screen, by
keyboard. What is decided is saved in FILE; the same command goes on from there.
Then redirects merge FILE takes the list into a project.`,
		Args: cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, args []string) error { return p.run(args[0], args[1]) },
	}
	c.Flags().Float64Var(&p.sure, "sure", 0.9, "a person need not look at pairs from this `CONFIDENCE` on")
	c.Flags().IntVar(&p.sample, "sample", 12, "show the `N` most doubtful pairs; 0: all")
	c.Flags().BoolVar(&p.review, "review", false, "go through the doubtful pairs on the whole screen")
	return c
}

func (p *pairing) run(oldName, newName string) error {
	if p.sure < 0 || p.sure > 1 {
		return errors.New("--sure: write a confidence from 0 to 1")
	}
	if p.review && p.output == "" {
		return errors.New("--review: say with --output in which file to save")
	}
	in, ok := p.stdin.(*os.File)
	if p.review && !(ok && term.IsTerminal(in) && term.IsTerminal(p.stdout)) {
		return errors.New("--review needs a terminal")
	}
	after, found, err := p.side(newName)
	if err != nil {
		return err
	}
	before, more, err := p.side(oldName)
	if err != nil {
		return err
	}
	found = append(found, more...)
	if finding.Worst(found, finding.Error) && p.output != "" {
		p.say("nothing written while there are errors")
		p.output = ""
		return p.print(report{findings: found})
	}
	decided, err := p.decided(before, after)
	if err != nil {
		return err
	}
	bar := term.NewProgress(p.stderr, "pairing", int64(len(before)), term.Plain)
	matches := pair.Pair(before, after, func(n int) {
		if !p.quiet {
			bar.Add(int64(n))
		}
	})
	bar.Done()
	if p.review {
		return p.reviewOnScreen(in, pair.NewReview(before, after, matches, p.sure, decided))
	}
	rows := pair.Proposals(before, after, matches, decided)
	if p.output != "" {
		if err := p.write(p.output, pair.Encode(rows)); err != nil {
			return err
		}
		p.output = ""
	}
	r := p.report(rows, len(after))
	r.findings = found
	return p.print(r)
}

// side reads the pages of one side: of a project, or of a file.
func (p *pairing) side(name string) ([]pair.Page, []finding.Finding, error) {
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		site, found, err := project.Load(name)
		var input *finding.Input
		if errors.As(err, &input) {
			input.Finding.Where.File = filepath.Join(name, input.Finding.Where.File)
		}
		if err != nil {
			return nil, nil, err
		}
		for i := range found {
			found[i].Where.File = filepath.Join(name, found[i].Where.File)
		}
		return pair.OfPlan(site), found, nil
	}
	f, err := p.open(name)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = f.Close() }()
	base := address.Address{Scheme: "https", Host: "site.invalid", Path: "/"} // paths are compared, never asked for
	return pair.Read(name, f, base)
}

// decided reads what the list of a run before says was decided.
func (p *pairing) decided(before, after []pair.Page) (map[int]pair.Decision, error) {
	if p.output == "" {
		return map[int]pair.Decision{}, nil
	}
	f, err := os.Open(p.output)
	if errors.Is(err, fs.ErrNotExist) {
		return map[int]pair.Decision{}, nil
	}
	if err != nil {
		return nil, unfinished{err}
	}
	defer func() { _ = f.Close() }()
	decided, err := pair.ReadDecided(p.output, f, before, after)
	if err != nil {
		return nil, fmt.Errorf("%w (--output replaces a list of pairs alone)", err)
	}
	return decided, nil
}

func (p *pairing) report(rows []pair.Proposal, newPages int) report {
	r := report{columns: []string{"from", "to", "confidence", "reason"}, name: "pairs", items: rows}
	var paired, gone, decided int
	var doubtful []pair.Proposal
	used := map[string]bool{}
	for _, row := range rows {
		used[row.To] = true
		switch {
		case row.Decided:
			decided++
		case row.Confidence < p.sure:
			doubtful = append(doubtful, row)
		case row.Status == 410:
			gone++
		default:
			paired++
		}
	}
	delete(used, "")
	slices.SortStableFunc(doubtful, func(a, b pair.Proposal) int { return cmp.Compare(a.Confidence, b.Confidence) })
	for _, row := range doubtful {
		if p.sample > 0 && len(r.rows) == p.sample {
			break
		}
		to := row.To
		if row.Status == 410 {
			to = "gone (410)"
		}
		r.rows = append(r.rows, []string{row.From, to, strconv.FormatFloat(row.Confidence, 'f', 2, 64), row.Reason})
	}
	r.counts = []count{{"old", "old pages", len(rows)}, {"paired", "surely paired", paired},
		{"gone", "surely gone", gone}, {"doubtful", "doubtful", len(doubtful)},
		{"decided", "decided by a person", decided}, {"unused", "new pages without an old one", newPages - len(used)}}
	return r
}
