package design

import (
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/visits"
)

// Visits returns how often visitors asked for each page, by any of its
// addresses, and how often in all for something that is there now.
func Visits(p *plan.Plan, list []visits.Visit) (byPage map[inventory.Ref]int, all int) {
	byPage = map[inventory.Ref]int{}
	for _, v := range list {
		if v.Visitors == 0 || v.Status >= 400 {
			continue
		}
		t, err := p.Trace(plan.Request{Method: "GET", Address: v.Address})
		if err != nil || t.Answer.Page == (inventory.Ref{}) {
			continue
		}
		byPage[t.Answer.Page] += v.Visitors
		all += v.Visitors
	}
	return byPage, all
}
