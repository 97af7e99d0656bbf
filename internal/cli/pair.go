package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

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
addresses, a sitemap, a feed, an access log, a folder of HTML pages, or the folder of a
project. Writes a list of redirects with a confidence and the reason for each: what
two pages have in common in ids, titles, words of their addresses, headings, text and
dates, and how the pages around them moved. A page is proposed where it is likelier
right than wrong, else 410, with what speaks for it; see docs/pairing.md.

With --review a person goes through the doubtful ones on the whole screen, by
keyboard, most visited first. What is decided teaches how the others moved, and is
saved in FILE; the same command goes on from there. Then redirects merge FILE takes
the list into a project; rows that say 410 only with --gone.`,
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
	weighed := pair.New(before, after, func(n int) {
		if !p.quiet {
			bar.Add(int64(n))
		}
	})
	bar.Done()
	matches := weighed.Matches(decided)
	if p.review {
		r := pair.NewReview(before, after, matches, p.sure, decided)
		r.Anew = weighed.Matches
		return p.reviewOnScreen(in, r)
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
	base := address.Address{Scheme: "https", Host: "site.invalid", Path: "/"} // paths are compared, never asked for
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		if _, err := os.Stat(filepath.Join(name, project.PlanFile)); errors.Is(err, fs.ErrNotExist) {
			return pair.ReadFolder(name, os.DirFS(name), base)
		}
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
	var listed []pair.Proposal
	slices.SortStableFunc(doubtful, func(a, b pair.Proposal) int {
		return cmp.Or(cmp.Compare(b.Visits, a.Visits), cmp.Compare(a.Confidence, b.Confidence))
	})
	for _, row := range doubtful {
		if p.sample > 0 && len(r.rows) == p.sample {
			break
		}
		listed = append(listed, row)
		r.rows = append(r.rows, []string{row.From, proposed(row), strconv.FormatFloat(row.Confidence, 'f', 2, 64), row.Reason})
	}
	r.counts = []count{{"old", "old pages", len(rows)}, {"paired", "surely paired", paired},
		{"gone", "surely gone", gone}, {"doubtful", "doubtful", len(doubtful)},
		{"decided", "decided by a person", decided}, {"unused", "new pages without an old one", newPages - len(used)}}
	r.text = func(w io.Writer, style term.Style) error { return doubtfulText(w, style, listed, len(doubtful)) }
	return r
}

// proposed says where a row leads, for a person.
func proposed(row pair.Proposal) string {
	switch {
	case row.Open():
		return "not known"
	case row.Status == 410:
		return "gone (410)"
	}
	return row.To
}

// doubtfulWidth is how many columns the text of doubtful pairs takes at most.
const doubtfulWidth = 80

// doubtfulText writes doubtful pairs for a person: two or three lines for each, the origin that all have in common once
// above them.
//
//	0.67  Ferry times
//	      /ferry-times.html -> gone (410)?
//	      no page of the new site has "ferry"; closest is notice-winter@en (0.22): ...
func doubtfulText(w io.Writer, style term.Style, rows []pair.Proposal, all int) error {
	if len(rows) == 0 {
		return nil
	}
	origin := commonOrigin(rows)
	title := fmt.Sprintf("%d of %d doubtful pairs", len(rows), all)
	if origin != "" {
		title += "; old pages of " + origin
	}
	var b strings.Builder
	b.WriteString(term.Cut(title, doubtfulWidth) + "\n\n")
	for _, row := range rows {
		to := "-> " + proposed(row)
		if row.Status == 410 && !row.Open() {
			to += "?"
		}
		from := strings.TrimPrefix(row.From, origin)
		lead := strconv.FormatFloat(row.Confidence, 'f', 2, 64) + "  "
		if row.Title != "" {
			b.WriteString(lead + style.Bold(term.Cut(row.Title, doubtfulWidth-len(lead))) + "\n")
			lead = "      "
		}
		if len(from)+len(to)+1 <= doubtfulWidth-len(lead) {
			b.WriteString(lead + term.Cut(from+" "+to, doubtfulWidth-len(lead)) + "\n")
		} else {
			b.WriteString(lead + term.CutMiddle(from, doubtfulWidth-len(lead)) + "\n")
			b.WriteString("      " + term.CutMiddle(to, doubtfulWidth-6) + "\n")
		}
		for _, line := range term.Wrap(row.Reason, doubtfulWidth-6, 3) {
			b.WriteString("      " + style.Dim(line) + "\n")
		}
	}
	_, err := io.WriteString(w, b.String()+"\n")
	return err
}

// commonOrigin returns the scheme and host that all old addresses begin with; empty when they differ.
func commonOrigin(rows []pair.Proposal) string {
	common := ""
	for i, row := range rows {
		scheme, rest, ok := strings.Cut(row.From, "://")
		if !ok {
			return ""
		}
		host, _, _ := strings.Cut(rest, "/")
		if origin := scheme + "://" + host; i == 0 {
			common = origin
		} else if origin != common {
			return ""
		}
	}
	return common
}
