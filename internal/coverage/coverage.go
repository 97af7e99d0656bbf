// Package coverage says which of the addresses that visitors know a plan answers,
// weighted by their visits, and which it has forgotten.
package coverage

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/slug"
	"young-compass/internal/visits"
)

// Coverage is what a plan answers of the addresses that are known.
type Coverage struct {
	Addresses      int    `json:"addresses"`
	Answered       int    `json:"answered"`
	Visits         int    `json:"visits"`
	AnsweredVisits int    `json:"answered_visits"`
	Lost           []Lost `json:"-"` // most visited first
}

// Lost is an address that nothing answers.
type Lost struct {
	Address  address.Address
	Visits   int
	From     string // pages with links to it, as logs say
	Proposed inventory.Ref
	Title    string // of the proposed page
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
func Of(p *plan.Plan, known []visits.Visit, further []address.Address) Coverage {
	weight := map[address.Address]int{}
	links := map[address.Address]string{}
	for _, e := range p.Book.Entries {
		if page := p.Pages.Find(e.Page); page == nil || page.State != inventory.Draft {
			weight[p.Site.Rebase(e.Address)] += 0
		}
	}
	for _, a := range further {
		weight[p.Site.Rebase(a)] += 0
	}
	for _, v := range known {
		if v.Visitors == 0 {
			continue
		}
		a := p.Site.Rebase(v.Address)
		weight[a] += v.Visitors
		if v.Referrers != "" {
			links[a] = v.Referrers
		}
	}
	var c Coverage
	w := words{}
	for a, n := range weight {
		if !p.Site.Has(a.Host) {
			continue
		}
		c.Addresses++
		c.Visits += n
		if answered(p, a) {
			c.Answered++
			c.AnsweredVisits += n
			continue
		}
		lost := Lost{Address: a, Visits: n, From: links[a]}
		if page := w.nearest(p, a); page != nil {
			lost.Proposed, lost.Title = page.Ref, page.Title
		}
		c.Lost = append(c.Lost, lost)
	}
	slices.SortFunc(c.Lost, func(a, b Lost) int {
		return cmp.Or(cmp.Compare(b.Visits, a.Visits), strings.Compare(a.Address.String(), b.Address.String()))
	})
	return c
}

func answered(p *plan.Plan, a address.Address) bool {
	t, err := p.Trace(plan.Request{Method: "GET", Address: a})
	return err == nil && t.Answer.Outcome != plan.Unknown
}

// words are those of each live page: of its title, and of the end of its
// address.
type words map[inventory.Ref][]string

// leastAlike is how much of their words an address and a page must share, at
// least, for the page to be proposed.
const leastAlike = 0.34

// nearest returns the live page that shares most words with an address; none
// when two share as many, or none enough.
func (w words) nearest(p *plan.Plan, a address.Address) *inventory.Page {
	own := wordsOf(address.Decode(p.Shape(a.Path)))
	best, most := (*inventory.Page)(nil), leastAlike
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		if page.State != inventory.Live {
			continue
		}
		theirs, ok := w[page.Ref]
		if !ok {
			theirs = wordsOf(page.Title)
			if current, have := p.CurrentAddress(page.Ref); have {
				path := strings.TrimRight(current.Path, "/")
				theirs = append(theirs, wordsOf(path[strings.LastIndexByte(path, '/')+1:])...)
			}
			slices.Sort(theirs)
			theirs = slices.Compact(theirs)
			w[page.Ref] = theirs
		}
		switch alike := alike(own, theirs); {
		case alike > most:
			best, most = page, alike
		case alike == most:
			best = nil
		}
	}
	return best
}

func wordsOf(text string) []string {
	list := strings.Split(slug.Make(strings.ReplaceAll(text, "/", " "), ""), "-")
	slices.Sort(list)
	return slices.DeleteFunc(slices.Compact(list), func(word string) bool { return len(word) < 3 })
}

// alike returns which share of the words of both are words of each.
func alike(a, b []string) float64 {
	both := 0
	for _, word := range a {
		if _, ok := slices.BinarySearch(b, word); ok {
			both++
		}
	}
	if both == 0 {
		return 0
	}
	return float64(both) / float64(len(a)+len(b)-both)
}
