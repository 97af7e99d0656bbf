package design

import (
	"slices"

	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/lint"
	"young-compass/internal/plan"
)

// Subjects returns the addresses of the live pages for judging: as they are and,
// where that is something else, as the plan would have them. Other addresses at
// which a page is met count among the first.
func Subjects(p *plan.Plan) (before, after []lint.Subject) {
	proposals, _ := Propose(p, Options{})
	moved := false
	better := map[inventory.Ref]string{}
	for _, q := range proposals {
		better[q.Page.Ref] = q.New.Local()
		s := lint.Subject{Kind: q.Page.Kind, Title: q.Page.Title, Language: q.Page.Language,
			Where: finding.Place{File: p.Pages.File, Line: q.Page.Line}}
		if kind, ok := p.KindOf(q.Page.Kind); ok {
			s.Dated = slices.ContainsFunc(kind.Address.Names(),
				func(name string) bool { return name == "year" || name == "date" })
		}
		s.Address, s.Text = q.New, q.New.Readable()
		after = append(after, s)
		if !q.IsNew() {
			moved = moved || q.Moves()
			s.Address, s.Text, s.Better = *q.Old, q.Old.Readable(), q.New.Local()
			before = append(before, s)
		}
	}
	for _, e := range p.Book.Entries { // spellings that are addresses of their own
		page := p.Pages.Find(e.Page)
		if e.State == book.Variant && page != nil && page.State == inventory.Live && moved {
			before = append(before, lint.Subject{Text: e.Address.Readable(), Address: e.Address, Kind: page.Kind,
				Title: page.Title, Language: page.Language, Where: finding.Place{File: p.Book.File, Line: e.Line},
				Better: better[e.Page]})
		}
	}
	if !moved {
		return after, nil
	}
	return before, after
}
