// Package coverage says which of the addresses that visitors know a plan answers,
// weighted by their visits, and which it has forgotten.
package coverage

import (
	"cmp"
	"math"
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
	Answers  bool   // the site answers it today: it isn't gone
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
	w, decide := newWords(p), newDeciding(p)
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
	for _, k := range merged(p, known) {
		if !p.Site.Has(k.Address.Host) {
			continue
		}
		page, ok := answered(p, k.Address)
		if page != nil {
			k.Kind, k.Language, k.State = cmp.Or(k.Kind, page.Kind), cmp.Or(k.Language, page.Language),
				cmp.Or(k.State, string(page.State))
		}
		all := []*Group{group("kind", k.Kind), group("language", k.Language), group("state", k.State)}
		c.Addresses++
		c.Visits += k.Visits
		for _, g := range all {
			g.Addresses++
			g.Visits += k.Visits
		}
		if ok {
			c.Answered++
			c.AnsweredVisits += k.Visits
			for _, g := range all {
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
		} else if page := w.nearest(p, k); page != nil {
			lost.Proposed, lost.Title = page.Ref, page.Title
		}
		c.Lost = append(c.Lost, lost)
	}
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

// words are the live pages by the words of their titles and of the ends of their addresses.
type words struct {
	pages  []described
	having map[string][]int32 // the positions of the pages that have a word
}

// described is a page with its words, sorted.
type described struct {
	page  *inventory.Page
	words []string
}

// leastAlike is the smallest share of common words, from 0 to 1, at which a page is proposed for an address.
const leastAlike = 0.34

// newWords notes the words of a plan's live pages.
func newWords(p *plan.Plan) *words {
	w := &words{having: map[string][]int32{}}
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		if page.State != inventory.Live {
			continue
		}
		list := wordsOf(page.Title)
		if current, ok := p.CurrentAddress(page.Ref); ok {
			path := strings.TrimRight(current.Path, "/")
			list = append(list, wordsOf(path[strings.LastIndexByte(path, '/')+1:])...)
		}
		slices.Sort(list)
		list = slices.Compact(list)
		for _, word := range list {
			w.having[word] = append(w.having[word], int32(len(w.pages)))
		}
		w.pages = append(w.pages, described{page, list})
	}
	return w
}

// nearest returns the live page that shares most words with an address and its title. It returns none if no page shares
// enough, or if two pages share equally many. Only pages that have one of the rarer words are compared: a page that
// shares enough words has at least one of those.
func (w *words) nearest(p *plan.Plan, k Known) *inventory.Page {
	own := wordsOf(address.Decode(p.Shape(k.Address.Path)) + " " + k.Title)
	if len(own) == 0 {
		return nil
	}
	rarest := slices.Clone(own)
	slices.SortStableFunc(rarest, func(a, b string) int { return len(w.having[a]) - len(w.having[b]) })
	needed := int(math.Ceil(leastAlike * float64(len(own))))
	best, most := (*inventory.Page)(nil), leastAlike
	seen := map[int32]bool{}
	for i, word := range rarest[:len(rarest)-needed+1] {
		if float64(len(rarest)-i) < most*float64(len(rarest)) {
			break // a page that has none of the words before shares too few
		}
		for _, n := range w.having[word] {
			if seen[n] {
				continue
			}
			seen[n] = true
			switch alike := alike(own, w.pages[n].words); {
			case alike > most:
				best, most = w.pages[n].page, alike
			case alike == most:
				best = nil
			}
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
