package judge

import (
	"cmp"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/visits"
)

// Weigh notes in findings how many visits they touch, where nothing says so yet: those of the page where a finding
// stands, by whatever address visitors came; for a row of the address book or of the redirects those of its address alone.
func Weigh(p *plan.Plan, list []visits.Visit, found []finding.Finding) {
	if len(list) == 0 || len(found) == 0 {
		return
	}
	asked, ended, byPage := map[string]int{}, map[string]int{}, map[inventory.Ref]int{}
	for _, v := range list {
		if v.Visitors == 0 || !p.Site.Has(v.Address.Host) {
			continue
		}
		asked[p.Site.Rebase(v.Address).String()] += v.Visitors
		t, err := p.Trace(plan.Request{Method: "GET", Address: v.Address})
		if err != nil || t.Answer.Page == (inventory.Ref{}) {
			continue
		}
		byPage[t.Answer.Page] += v.Visitors
		if current, ok := p.CurrentAddress(t.Answer.Page); ok {
			ended[current.String()] += v.Visitors
		}
	}
	byPlace := map[finding.Place]int{}
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		byPlace[finding.Place{File: p.Pages.File, Line: page.Line}] += byPage[page.Ref]
	}
	for i := range p.Book.Entries {
		e := &p.Book.Entries[i]
		byPlace[finding.Place{File: p.Book.File, Line: e.Line}] += asked[p.Site.Rebase(e.Address).String()]
	}
	for i := range p.Redirects.Len() {
		row := p.Redirects.Row(i)
		if from, err := address.Resolve(p.Site.Origin, row.From); err == nil && row.Pattern == nil {
			at := row.Place()
			byPlace[finding.Place{File: at.File, Line: at.Line}] += asked[p.Site.Rebase(from).String()]
		}
	}
	for i := range found {
		f := &found[i]
		switch {
		case f.Visits > 0:
		case f.Where.File == "":
			f.Visits = cmp.Or(ended[f.Where.URL], asked[f.Where.URL])
		case f.Where.Line > 0:
			f.Visits = byPlace[finding.Place{File: f.Where.File, Line: f.Where.Line}]
		}
	}
}
