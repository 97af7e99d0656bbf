package relink

import (
	"fmt"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/pair"
	"young-compass/internal/plan"
)

// maxProposed bounds for how many addresses pages are looked for, and proposable is how sure one must be.
const (
	maxProposed = 5000
	proposable  = 0.5
)

// Propose adds to the findings of links that lead to nothing the page that probably took its place, as far as pairing
// finds one. Links are never changed by that.
func Propose(p *plan.Plan, found []finding.Finding) {
	var before []pair.Page
	number := map[string]int{}
	for _, f := range found {
		if _, met := number[f.Where.URL]; met || !leadsNowhere(&f) || len(before) == maxProposed {
			continue
		}
		at, err := address.Parse(f.Where.URL)
		if err != nil {
			continue
		}
		number[f.Where.URL] = len(before)
		before = append(before, former(p, at))
	}
	if len(before) == 0 {
		return
	}
	after := pair.OfPlan(p)
	matches := pair.Pair(before, after, nil)
	for i := range found {
		n, ok := number[found[i].Where.URL]
		if !ok || !leadsNowhere(&found[i]) {
			continue
		}
		if best := matches[n].Best(); best != nil && best.Confidence >= proposable {
			found[i].Advice = fmt.Sprintf("perhaps %s took its place (%.2f: %s)", after[best.New].Address,
				best.Confidence, strings.Join(best.Reasons, ", "))
		}
	}
}

func leadsNowhere(f *finding.Finding) bool {
	return f.Where.URL != "" && (f.Code == finding.LinkGone || f.Code == finding.LinkUnknown)
}

// former is what is known of the page that had an address.
func former(p *plan.Plan, at address.Address) pair.Page {
	page := pair.Page{Address: at, Written: at.Local()}
	answer, err := p.Answer(plan.Request{Method: "GET", Address: at})
	if err != nil || answer.Page == (inventory.Ref{}) {
		return page
	}
	if known := p.Pages.Find(answer.Page); known != nil {
		page.Language, page.Kind, page.Title = known.Language, known.Kind, known.Title
	}
	return page
}
