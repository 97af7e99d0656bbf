// Package coverage says which of the addresses that visitors know a plan answers,
// weighted by their visits, and which it has forgotten.
package coverage

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
	"young-compass/internal/pair"
	"young-compass/internal/plan"
	"young-compass/internal/route"
	"young-compass/internal/visits"
)

// Coverage is what a plan answers of the addresses that are known.
type Coverage struct {
	Addresses      int    `json:"addresses"`
	Answered       int    `json:"answered"`
	Visits         int    `json:"visits"`
	AnsweredVisits int    `json:"answered_visits"`
	Lost           []Lost `json:"-"` // most visited first

	Groups []Group `json:"-"` // by kind, then by language, then by state
}

// Known is an address that visitors, or a list, know. What is known of its page
// may be missing.
type Known struct {
	Address  address.Address
	Kind     string
	Language string
	State    string
	Title    string
	Visits   int
	From     string // pages with links to it, as logs say, or the list that has it
	Answers  bool   // the site answers it today, as logs say
}

// Group counts both sides: the known addresses of pages of a kind, in a language
// or in a state, and the pages that the plan has of it now.
type Group struct {
	By             string `json:"by"` // kind, language or state
	Name           string `json:"name"`
	Addresses      int    `json:"addresses"`
	Answered       int    `json:"answered"`
	Visits         int    `json:"visits"`
	AnsweredVisits int    `json:"answered_visits"`
	Pages          int    `json:"pages"`
}

// Lost is an address that nothing answers.
type Lost struct {
	Address  address.Address
	Visits   int
	From     string // pages with links to it, as logs say, or the list that has it
	Pattern  string // the source of a redirect that leads it, and all like it, to the proposed page; empty: none is known
	Target   string // of that redirect
	Proposed inventory.Ref
	Title    string // of the proposed page

	Confidence float64 // how surely it is that page, from 0 to 1; 0 where parameters decide
	Doubtful   bool    // it is likelier that it isn't: a person should look
	Answers    bool    // the site answers it today: it isn't gone
}

// Percent returns the share of visits that are answered, and that of addresses,
// in percent; 100 where there are none.
func (c Coverage) Percent() (visits, addresses float64) {
	share := func(n, of int) float64 {
		if of == 0 {
			return 100
		}
		return 100 * float64(n) / float64(of)
	}
	return share(c.AnsweredVisits, c.Visits), share(c.Answered, c.Addresses)
}

// Of looks up every address of the book, of the logs and of further lists. An
// address is answered when a visitor ends at a page, at a listed file, at
// another host, or is told that the page is gone. Addresses of other hosts and
// requests of robots alone don't count.
func Of(p *plan.Plan, known []Known) Coverage {
	var c Coverage
	decide := newDeciding(p)
	var open []Known // the lost addresses whose page must be guessed
	groups := map[[2]string]*Group{}
	group := func(by, name string) *Group {
		key := [2]string{by, cmp.Or(name, "(unknown)")}
		if groups[key] == nil {
			groups[key] = &Group{By: by, Name: key[1]}
		}
		return groups[key]
	}
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		for _, g := range []*Group{group("kind", page.Kind), group("language", page.Language),
			group("state", string(page.State))} {
			g.Pages++
		}
	}
	all := slices.Collect(maps.Values(merged(p, known)))
	all = slices.DeleteFunc(all, func(k Known) bool { return !p.Site.Has(k.Address.Host) })
	pages, answers := make([]*inventory.Page, len(all)), make([]bool, len(all))
	route.Parallel(len(all), func(_, from, to int) {
		for i := from; i < to; i++ {
			pages[i], answers[i] = answered(p, all[i].Address)
		}
	})
	for i, k := range all {
		page, ok := pages[i], answers[i]
		if page != nil {
			k.Kind, k.Language, k.State = cmp.Or(k.Kind, page.Kind), cmp.Or(k.Language, page.Language),
				cmp.Or(k.State, string(page.State))
		}
		its := []*Group{group("kind", k.Kind), group("language", k.Language), group("state", k.State)}
		c.Addresses++
		c.Visits += k.Visits
		for _, g := range its {
			g.Addresses++
			g.Visits += k.Visits
		}
		if ok {
			c.Answered++
			c.AnsweredVisits += k.Visits
			for _, g := range its {
				g.Answered++
				g.AnsweredVisits += k.Visits
			}
			continue
		}
		lost := Lost{Address: k.Address, Visits: k.Visits, From: k.From, Answers: k.Answers}
		if ref, from, ok := decide.page(k.Address); ok {
			lost.Proposed, lost.Pattern, lost.Title = ref, from, p.Pages.Find(ref).Title
			lost.Target = ref.String() // a page may move; but a pattern needs an address
			if current, ok := p.CurrentAddress(ref); ok && strings.Contains(from, "{") {
				if lost.Target = current.Local(); p.Site.IsLanguageHost(current.Host) {
					lost.Target = current.String()
				}
			}
		} else {
			open = append(open, k)
		}
		c.Lost = append(c.Lost, lost)
	}
	byAddress := map[address.Address]*Lost{}
	for i := range c.Lost {
		byAddress[c.Lost[i].Address] = &c.Lost[i]
	}
	slices.SortFunc(open, func(a, b Known) int { return strings.Compare(a.Address.String(), b.Address.String()) })
	var lost []*Lost
	for _, k := range open {
		lost = append(lost, byAddress[k.Address])
	}
	propose(p, lost, open)
	slices.SortFunc(c.Lost, func(a, b Lost) int {
		return cmp.Or(cmp.Compare(b.Visits, a.Visits), strings.Compare(a.Address.String(), b.Address.String()))
	})
	for _, g := range groups {
		c.Groups = append(c.Groups, *g)
	}
	slices.SortFunc(c.Groups, func(a, b Group) int {
		return cmp.Or(strings.Compare(a.By, b.By), strings.Compare(a.Name, b.Name))
	})
	return c
}

// OfVisits returns the addresses that visitors asked for.
func OfVisits(list []visits.Visit) []Known {
	var known []Known
	for _, v := range list {
		if v.Visitors > 0 {
			known = append(known, Known{Address: v.Address, Visits: v.Visitors, From: v.Referrers, Answers: answers(v.Status)})
		}
	}
	return known
}

// merged returns the addresses of the book and the known ones, each once, on the
// origin and with what is known of its page, in no order.
func merged(p *plan.Plan, known []Known) map[address.Address]Known {
	all := map[address.Address]Known{}
	add := func(k Known) {
		a := p.Site.Rebase(k.Address)
		have := all[a]
		all[a] = Known{Address: a, Kind: cmp.Or(have.Kind, k.Kind), Language: cmp.Or(have.Language, k.Language),
			State: cmp.Or(have.State, k.State), Title: cmp.Or(have.Title, k.Title), Visits: have.Visits + k.Visits,
			From: cmp.Or(k.From, have.From), Answers: have.Answers || k.Answers}
	}
	for _, e := range p.Book.Entries {
		k := Known{Address: e.Address, Language: e.Page.Language}
		if page := p.Pages.Find(e.Page); page != nil {
			if page.State == inventory.Draft {
				continue
			}
			k.Kind, k.State = page.Kind, string(page.State)
		}
		add(k)
	}
	for _, k := range known {
		add(k)
	}
	return all
}

// answered reports whether an address is answered, and by which page, if it is
// one.
func answered(p *plan.Plan, a address.Address) (*inventory.Page, bool) {
	t, err := p.Trace(plan.Request{Method: "GET", Address: a})
	if err != nil || t.Answer.Outcome == plan.Unknown {
		return nil, false
	}
	return p.Pages.Find(t.Answer.Page), true
}

// propose notes for lost addresses which page took their place, as far as it can be told: as pair tells it, from their
// paths, titles and languages.
func propose(p *plan.Plan, lost []*Lost, known []Known) {
	if len(lost) == 0 {
		return
	}
	var before []pair.Page
	for _, k := range known {
		before = append(before, pair.Page{Address: k.Address, Written: k.Address.Local(), Title: k.Title, Kind: k.Kind,
			Language: k.Language})
	}
	after := pair.OfPlan(p)
	for i, m := range pair.Pair(before, after, nil) {
		if len(m.Candidates) == 0 {
			continue
		}
		best := m.Candidates[0]
		if best.Confidence < leastLikely || len(best.Reasons) == 0 {
			continue
		}
		lost[i].Proposed, lost[i].Title = after[best.New].Ref, after[best.New].Title
		lost[i].Confidence, lost[i].Doubtful = best.Confidence, m.Best() == nil
	}
}

// leastLikely is how likely a page must be to be named as one to look at, if there is any reason.
const leastLikely = 0.05
