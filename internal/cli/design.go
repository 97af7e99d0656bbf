package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/coverage"
	"young-compass/internal/design"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/project"
	"young-compass/internal/spelling"
	"young-compass/internal/term"
	"young-compass/internal/visits"
)

// designing is a run of design: its flags.
type designing struct {
	*app
	write, redirects bool
	sample           int
	only, language   string
	collide          string
}

func (a *app) designCommand() *cobra.Command {
	d := &designing{app: a}
	c := &cobra.Command{
		Use:   "design",
		Short: "Propose addresses, show what moves and collides; --write accepts",
		Long: `Reads files only. Gives every live page the address that the plan's templates
say, beside the one it has: the tree of addresses before and after, what moves and
stays, what collides, how many visits are touched. --write accepts the proposals
into the address book: former addresses stay bound to their pages, so that they
redirect in one hop. Where two pages would get one address the page that had it
first keeps it; --collide says how the others are told apart: number, parent (the
page's parent, section or region, else its kind), date, or ask.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if d.write {
				end, err := d.alone(c)
				if err != nil {
					return err
				}
				defer end()
			}
			return d.run()
		},
	}
	f := c.Flags()
	f.BoolVar(&d.write, "write", false, "accept the proposals into the address book")
	f.IntVar(&d.sample, "sample", 12, "show `N` pages, spread over all; 0: every page")
	f.BoolVar(&d.redirects, "redirects", false, "show the redirects that follow, instead of the pages")
	f.StringVar(&d.only, "only", "", "design the pages of one `KIND`; the others stay")
	f.StringVar(&d.language, "language", "", "design the pages in one `LANGUAGE`; the others stay")
	f.StringVar(&d.collide, "collide", "", "tell pages with one address apart by `RULE`: number, parent, date or ask")
	return c
}

func (d *designing) run() error {
	p, found, err := d.judged()
	if err != nil {
		return err
	}
	if len(p.Pages.Pages) == 0 {
		return errors.New("design: there are no pages yet; gather them first: young-compass gather SOURCE")
	}
	o := design.Options{Only: d.only, Language: d.language, Ask: d.ask()}
	if o.Collide, err = planfile.ParseCollide(d.collide); err != nil {
		return fmt.Errorf("--collide: %w", err)
	}
	if _, ok := p.KindOf(d.only); d.only != "" && !ok {
		return fmt.Errorf("--only: %s is not a kind of the plan; %s", address.Printable(d.only),
			spelling.Choices(d.only, kindsOf(p)))
	}
	if d.language != "" && !p.Languages.Has(d.language) {
		return fmt.Errorf("--language: %s is not a language of the plan; %s", address.Printable(d.language),
			spelling.Choices(d.language, p.Languages.Tags()))
	}
	known, err := d.visits()
	if err != nil {
		return err
	}
	byPage, all := design.Visits(p, known)
	proposals, more := design.Propose(p, o)
	after := design.Accept(p.Book, proposals, d.today())
	if len(only(found, finding.UnknownPage)) > 0 { // a page that gets its address now is known from now on
		then := judge.Plan(plan.New(p.Settings, p.Pages, after, p.Redirects))
		found = slices.DeleteFunc(found, func(f finding.Finding) bool {
			return f.Code == finding.UnknownPage && !slices.ContainsFunc(then, func(g finding.Finding) bool {
				return g.Code == f.Code && g.Where == f.Where
			})
		})
	}
	r := d.report(p, proposals, after, byPage, all)
	r.findings = slices.Concat(found, more, coverage.Scripts(p, known))
	judge.Weigh(p, known, r.findings)
	if d.write {
		if finding.Worst(r.findings, finding.Error) {
			d.say("nothing written while there are errors")
		} else if err := d.accept(p, proposals, after); err != nil {
			return err
		}
	}
	return d.print(r)
}

// accept writes the book; and the inventory before it, where a person said an
// address.
func (d *designing) accept(p *plan.Plan, proposals []design.Proposal, after *book.Book) error {
	accepted := project.Accepted{Addresses: after.Encode()}
	if slices.ContainsFunc(proposals, func(q design.Proposal) bool { return q.Solved == planfile.CollideAsk }) {
		accepted.Pages = p.Pages.Encode()
	}
	return accepted.Write(d.change)
}

// ask returns how a person is asked for an address.
func (d *designing) ask() func(design.Collision) (string, error) {
	answers := bufio.NewScanner(d.stdin)
	return func(c design.Collision) (string, error) {
		_, _ = fmt.Fprintf(d.stderr, "%s belongs to %s (%s).\nLast words of the address of %s (%s), or a whole "+
			"path; nothing leaves it open: ",
			c.Address.Readable(), c.Owner, address.Printable(c.Title), c.Page.Ref, address.Printable(c.Page.Title))
		if !answers.Scan() {
			_, _ = fmt.Fprintln(d.stderr)
			return "", errors.Join(io.EOF, answers.Err())
		}
		return strings.TrimSpace(answers.Text()), nil
	}
}

// visits reads what the logs count, if any were gathered.
func (a *app) visits() (list []visits.Visit, err error) {
	err = a.readIfThere(project.VisitsFile, func(path string, r io.Reader) (found []finding.Finding, err error) {
		list, found, err = visits.Read(path, r)
		return found, err
	})
	return list, err
}

// weigh notes in findings how many visits they touch, where logs were gathered.
func (a *app) weigh(p *plan.Plan, found []finding.Finding) error {
	list, err := a.visits()
	judge.Weigh(p, list, found)
	return err
}

// move is a row of design, as JSON.
type move struct {
	Page      string   `json:"page"`
	Title     string   `json:"title"`
	Old       string   `json:"old,omitempty"`
	New       string   `json:"new"`
	What      string   `json:"what"`
	Solved    string   `json:"told_apart,omitempty"`
	More      []string `json:"more,omitempty"`
	Visits    int      `json:"visits"`
	Redirects []string `json:"redirects"`
}

func (d *designing) report(p *plan.Plan, proposals []design.Proposal, after *book.Book, byPage map[inventory.Ref]int,
	all int) report {
	held := len(proposals)
	proposals = slices.DeleteFunc(slices.Clone(proposals), func(q design.Proposal) bool { return q.Held })
	held -= len(proposals)
	leading, redirects := design.Redirects(p, after)
	touched := design.Touched(proposals, byPage)
	counts := map[string]int{}
	var olds, news []address.Address
	for _, q := range proposals {
		counts[whatOf(q)]++
		news = append(news, q.New)
		if !q.IsNew() {
			olds = append(olds, *q.Old)
		}
	}
	before, then := design.Tree(olds), design.Tree(news)
	r := report{name: "pages", more: map[string]any{"tree": map[string]*design.Node{"before": before, "after": then}}}
	r.counts = []count{{"pages", "live pages", len(proposals)}, {"move", "move", counts["moves"]},
		{"stay", "stay", counts["stays"]}, {"new", "new", counts["new"]},
		{"redirects", "redirects follow", redirects}}
	if held > 0 {
		r.counts = append(r.counts, count{"held", "not designed this time", held})
	}
	if all > 0 {
		r.more["visits"] = map[string]int{"touched": touched, "all": all}
	}
	total := len(proposals)
	if d.format == "table" && d.sample > 0 {
		if changing := slices.DeleteFunc(slices.Clone(proposals),
			func(q design.Proposal) bool { return whatOf(q) == "stays" }); len(changing) > 0 {
			proposals = changing // what stays as it is can be left out
		}
		proposals = spread(proposals, d.sample)
	}
	items := make([]move, len(proposals))
	for i, q := range proposals {
		items[i] = moveOf(p, q, leading[q.Page.Ref], byPage)
	}
	r.items = items
	r.columns, r.rows = d.rows(p, proposals, items, leading, all > 0)
	r.text = func(w io.Writer, style term.Style) error {
		if err := printTrees(w, style, before, then); err != nil {
			return err
		}
		if len(r.rows) > 0 {
			was, is := 0, 0
			if !d.redirects {
				was, is = len(r.columns)-3, len(r.columns)-1
			}
			if err := term.Changes(w, style, r.columns, r.rows, was, is); err != nil {
				return err
			}
		}
		if len(proposals) < total {
			_, _ = fmt.Fprintln(w, style.Dim(fmt.Sprintf("%d of %d; --sample 0 shows all", len(proposals), total)))
		}
		if all > 0 {
			_, _ = fmt.Fprintf(w, "\n%s of %d visits in the logs were to pages that move; they are redirected\n",
				style.Bold(fmt.Sprint(touched)), all)
		} else {
			_, _ = fmt.Fprintln(w)
		}
		return nil
	}
	return r
}

func whatOf(q design.Proposal) string {
	switch {
	case q.IsNew():
		return "new"
	case q.Moves():
		return "moves"
	}
	return "stays"
}

func moveOf(p *plan.Plan, q design.Proposal, leading []*address.Address, byPage map[inventory.Ref]int) move {
	m := move{Page: q.Page.Ref.String(), Title: q.Page.Title, New: p.Site.Rebase(q.New).String(), What: whatOf(q),
		Solved: string(q.Solved), Visits: byPage[q.Page.Ref], Redirects: []string{}}
	if !q.IsNew() {
		m.Old = q.Old.String()
	}
	for _, a := range q.More {
		m.More = append(m.More, a.String())
	}
	for _, a := range leading {
		m.Redirects = append(m.Redirects, a.String())
	}
	return m
}

// rows returns what a person sees of the pages: where each goes, or with
// --redirects what leads there.
func (d *designing) rows(p *plan.Plan, proposals []design.Proposal, items []move,
	leading map[inventory.Ref][]*address.Address, visited bool) (columns []string, rows [][]string) {
	if d.redirects {
		for _, q := range proposals {
			for _, a := range leading[q.Page.Ref] {
				rows = append(rows, []string{"301", a.Readable(), shorten(q.New.Readable(), p.Site)})
			}
		}
		return []string{"status", "from", "to"}, rows
	}
	if d.format == "csv" { // to be read into a content system
		for _, q := range proposals {
			old := ""
			if !q.IsNew() {
				old = q.Old.String()
			}
			slug := path.Base(address.Decode(q.New.Path))
			if slug == "/" {
				slug = ""
			}
			rows = append(rows, []string{q.Page.Key, q.Page.Language, q.Page.Kind, q.Page.Title, slug,
				p.Site.Rebase(q.New).String(), old, whatOf(q)})
		}
		return []string{"key", "language", "kind", "title", "slug", "address", "old address", "what"}, rows
	}
	// Most pages come from one host: it is said once.
	base := ""
	for _, q := range proposals {
		switch {
		case q.IsNew():
		case base == "" || base == q.Old.Base():
			base = q.Old.Base()
		default:
			base = p.Site.Origin.Base()
		}
	}
	columns = []string{"page", "old address", "", "new address"}
	if base != "" && base != p.Site.Origin.Base() {
		columns[1] += " on " + base
	}
	if visited {
		columns = slices.Insert(columns, 1, "visits")
	}
	sign := map[string]string{"new": "+", "moves": "->", "stays": "="}
	for i, q := range proposals {
		old := ""
		if !q.IsNew() {
			old = strings.TrimPrefix(q.Old.Readable(), base)
		}
		row := []string{items[i].Page, old, sign[items[i].What], shorten(q.New.Readable(), p.Site)}
		if q.Solved != planfile.CollideNever {
			row[3] += "  (told apart: " + string(q.Solved) + ")"
		}
		if visited {
			row = slices.Insert(row, 1, fmt.Sprint(items[i].Visits))
		}
		rows = append(rows, row)
	}
	return columns, rows
}

// spread returns n proposals out of all, spread over them.
func spread(all []design.Proposal, n int) []design.Proposal {
	if len(all) <= n {
		return all
	}
	some := make([]design.Proposal, n)
	for i := range some {
		some[i] = all[i*len(all)/n]
	}
	return some
}

// treeLines is how many lines of a tree are shown.
const treeLines = 19

// printTrees prints the trees of addresses before and after side by side.
func printTrees(w io.Writer, style term.Style, before, after *design.Node) error {
	left, right := treeText(before, treeLines), treeText(after, treeLines)
	if before.Pages == 0 {
		left = nil
	}
	var rows [][]string
	for i := range max(len(left), len(right)) {
		row := []string{"", ""}
		if i < len(left) {
			row[0] = left[i]
		}
		if i < len(right) {
			row[1] = right[i]
		}
		rows = append(rows, row)
	}
	if err := term.Table(w, style, []string{"before", "after"}, rows); err != nil {
		return err
	}
	_, err := fmt.Fprintln(w)
	return err
}

// treeText draws a tree in at most so many lines.
func treeText(root *design.Node, lines int) []string {
	open := root.Opened(lines)
	out := []string{fmt.Sprintf("%s  %d", root.Segment, root.Pages)}
	drawBelow(root, "  ", open, &out)
	return out
}

func drawBelow(n *design.Node, indent string, open map[*design.Node]bool, out *[]string) {
	for _, c := range n.Branches() {
		*out = append(*out, fmt.Sprintf("%s%s  %d", indent, c.Segment, c.Pages))
		if open[c] {
			drawBelow(c, indent+"  ", open, out)
		}
	}
	switch single := n.Rest(); {
	case single == 1:
		*out = append(*out, indent+"1 page")
	case single > 1:
		*out = append(*out, fmt.Sprintf("%s%d pages", indent, single))
	}
}

// shorten leaves the origin out of an address in a table.
func shorten(s string, site address.Site) string {
	return strings.TrimPrefix(s, site.Origin.Base())
}
