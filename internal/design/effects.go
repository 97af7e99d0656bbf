package design

import (
	"young-compass/internal/address"
	"young-compass/internal/book"
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

// Touched returns how many of these visits were to pages that move.
func Touched(proposals []Proposal, byPage map[inventory.Ref]int) int {
	touched := 0
	for _, p := range proposals {
		if !p.Held && !p.IsNew() && p.Moves() {
			touched += byPage[p.Page.Ref]
		}
	}
	return touched
}

// Redirects returns the addresses from which an accepted book leads to each
// live page, and how many there are in all.
func Redirects(p *plan.Plan, accepted *book.Book) (byPage map[inventory.Ref][]*address.Address, all int) {
	byPage = map[inventory.Ref][]*address.Address{}
	for i, e := range accepted.Entries {
		if page := p.Pages.Find(e.Page); (e.State == book.Former || e.State == book.Variant) && page != nil &&
			page.State == inventory.Live {
			byPage[e.Page] = append(byPage[e.Page], &accepted.Entries[i].Address)
			all++
		}
	}
	return byPage, all
}

// Moving returns the live pages for which the plan's templates say another address than they have.
func Moving(p *plan.Plan) (list []inventory.Ref) {
	if len(p.Kinds) == 0 {
		return nil
	}
	proposals, _ := Propose(p, Options{})
	for _, q := range proposals {
		if q.Moves() && q.Page.State == inventory.Live {
			list = append(list, q.Page.Ref)
		}
	}
	return list
}
