package coverage

import (
	"cmp"
	"fmt"
	"path"
	"slices"

	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/visits"
)

// answers reports whether a status says that something is there: a page, or a redirect to one.
func answers(status int) bool {
	return status == 200 || status == 304 || status == 301 || status == 308
}

// Scripts finds the scripts and files that visitors ask for and get today, and that the plan redirects to where no page
// is, because nothing lists them: a shop's basket, a search.
func Scripts(p *plan.Plan, list []visits.Visit) []finding.Finding {
	type script struct {
		visits  int
		example string
		to      string
	}
	scripts := map[string]*script{}
	for _, v := range list {
		if v.Visitors == 0 || v.Status != 200 && v.Status != 304 || !p.Site.Has(v.Address.Host) || path.Ext(v.Address.Path) == "" ||
			p.EntryAt(v.Address.Host, v.Address.Path, v.Address.Query) != nil {
			continue
		}
		at := p.Site.Rebase(v.Address)
		t, err := p.Trace(plan.Request{Method: "GET", Address: at})
		if err != nil || len(t.Hops) == 0 || t.Answer.Outcome != plan.Unknown || t.Final.Path == at.Path {
			continue
		}
		s := scripts[at.Path]
		if s == nil {
			s = &script{example: at.Local(), to: t.Final.Local()}
			scripts[at.Path] = s
		}
		s.visits += v.Visitors
	}
	var found []finding.Finding
	for at, s := range scripts {
		found = append(found, finding.Finding{Code: finding.ScriptMoved, Severity: finding.Warning,
			Where: finding.Place{File: p.File, URL: p.Site.Origin.Base() + at}, Visits: s.visits,
			What:   fmt.Sprintf("%s is answered today (%d visits), and the plan redirects it to %s, where no page is", s.example, s.visits, s.to),
			Advice: fmt.Sprintf("list it in site.files (%s), or lead it to a page", at)})
	}
	slices.SortFunc(found, func(a, b finding.Finding) int {
		return cmp.Or(cmp.Compare(b.Visits, a.Visits), cmp.Compare(a.Where.URL, b.Where.URL))
	})
	return found
}
