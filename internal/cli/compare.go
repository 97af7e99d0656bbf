package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/term"
)

// compareWith sets the sources, or the project, beside other ones.
func (g *gathering) compareWith(p *plan.Plan, sources []string) error {
	left := gather.Side{Pages: p.Pages, Book: p.Book}
	var found []finding.Finding
	if len(sources) > 0 {
		var err error
		if left, found, err = g.side(p, sources); err != nil {
			return err
		}
	}
	right, more, err := g.side(p, g.compare)
	if err != nil {
		return err
	}
	c := gather.Compare(left, right, func(a address.Address) (inventory.Ref, bool) {
		if e := p.EntryAt(a.Host, a.Path, a.Query); e != nil {
			return e.Page, true
		}
		return inventory.Ref{}, false
	})
	r := report{columns: []string{"only", "page", "kind", "state", "title"}, name: "only",
		findings: append(found, more...)}
	type onlyPage struct {
		Side  string `json:"side"`
		Page  string `json:"page"`
		Kind  string `json:"kind"`
		State string `json:"state"`
		Title string `json:"title"`
	}
	items := []onlyPage{}
	for _, s := range []struct {
		side  string
		pages []*inventory.Page
	}{{"left", c.Left}, {"right", c.Right}} {
		for _, page := range s.pages {
			items = append(items, onlyPage{s.side, page.Ref.String(), page.Kind, string(page.State), page.Title})
			r.rows = append(r.rows, []string{s.side, page.Ref.String(), page.Kind, string(page.State), page.Title})
		}
	}
	r.items, r.more = items, map[string]any{"counts": c.Counts}
	r.counts = []count{{"both", "on both sides", c.Both}, {"by_address", "of them told by their addresses", c.Addresses},
		{"by_title", "of them told by their titles", c.Titles},
		{"left", "only left", len(c.Left)}, {"right", "only right", len(c.Right)}}
	r.text = func(w io.Writer, style term.Style) error {
		name := "project"
		if len(sources) > 0 {
			name = strings.Join(sources, " ")
		}
		if _, err := fmt.Fprintf(w, "left: %s\nright: %s\n\n", address.Printable(name),
			address.Printable(strings.Join(g.compare, " "))); err != nil {
			return err
		}
		var rows [][]string
		for _, n := range c.Counts {
			sign := ""
			if n.Left != n.Right {
				sign = fmt.Sprintf("%+d", n.Right-n.Left)
			}
			rows = append(rows, []string{n.Kind, n.Language, n.State, fmt.Sprint(n.Left), fmt.Sprint(n.Right), sign})
		}
		if err := term.Table(w, style, []string{"kind", "language", "state", "left", "right", ""}, rows); err != nil {
			return err
		}
		_, _ = fmt.Fprintln(w)
		if len(r.rows) > 0 {
			if err := term.Table(w, style, r.columns, r.rows); err != nil {
				return err
			}
			_, _ = fmt.Fprintln(w)
		}
		return nil
	}
	return g.print(r)
}

// side returns the pages of one side of a move: of sources, or of a project.
func (g *gathering) side(p *plan.Plan, sources []string) (gather.Side, []finding.Finding, error) {
	if len(sources) == 1 {
		if _, err := os.Stat(filepath.Join(sources[0], project.PlanFile)); err == nil {
			other, found, err := project.Load(sources[0])
			if err != nil {
				return gather.Side{}, nil, err
			}
			return gather.Side{Pages: other.Pages, Book: other.Book}, only(found, finding.BadRow), nil
		}
	}
	gatherer := g.gatherer(p)
	if err := g.readAll(gatherer, p, sources); err != nil {
		return gather.Side{}, nil, err
	}
	summaries, found := gatherer.Merge()
	for _, s := range summaries {
		g.tell(s)
	}
	return gather.Side{Pages: gatherer.Pages, Book: gatherer.Book}, found, nil
}
