package report

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/design"
	"young-compass/internal/figure"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/route"
	"young-compass/internal/step"
	"young-compass/internal/visits"
)

// way is where an address that the plan knows leads.
type way struct {
	from   address.Address
	page   inventory.Ref // at its end; zero: none
	end    address.Address
	hops   int
	ending ending
	itself bool // it is a live page's own address
	visits int
}

// ending is how a way ends.
type ending string

const (
	atPage    ending = "a page"
	gone      ending = "gone (410)"
	elsewhere ending = "another host"
	forNow    ending = "a page, for now"
	nothing   ending = "nothing (404)"
	endless   ending = "a circle"
	closed    ending = "left alone by the plan"
)

// waysOf follows every address that the plan knows.
func waysOf(p *plan.Plan, list []visits.Visit) []way {
	known := slices.Collect(p.KnownAddresses())
	asked := map[string]int{}
	for _, v := range list {
		asked[p.Site.Rebase(v.Address).String()] += v.Visitors
	}
	ways := make([]way, len(known))
	route.Parallel(len(known), func(_, from, to int) {
		for i := from; i < to; i++ {
			ways[i] = wayOf(p, known[i].Address)
			ways[i].visits = asked[p.Site.Rebase(known[i].Address).String()]
		}
	})
	return ways
}

func wayOf(p *plan.Plan, from address.Address) way {
	w := way{from: from}
	t, err := p.Trace(plan.Request{Method: "GET", Address: from})
	if err != nil {
		w.ending = endless
		return w
	}
	w.hops, w.page, w.end = len(t.Hops), t.Answer.Page, t.Final.Address
	switch t.Answer.Outcome {
	case plan.Served:
		w.ending = atPage
		for _, h := range t.Hops {
			if h.Status == 302 || h.Status == 307 || h.Status == 303 {
				w.ending = forNow
			}
		}
	case plan.Gone:
		w.ending = gone
	case plan.Foreign:
		w.ending = elsewhere
	case plan.Unknown:
		w.ending = nothing
	default:
		w.ending = closed
	}
	if current, ok := p.CurrentAddress(w.page); ok {
		w.itself = w.hops == 0 && w.ending == atPage && current.Local() == from.Local() || current == from
	}
	return w
}

// sectionOf names the part of a site where an address stands.
func sectionOf(a address.Address) string {
	if part := design.Part(a); part != "" {
		return "/" + part
	}
	return "the home page"
}

// redirects is the section that shows where the addresses lead that are not those of pages.
func redirects(e *step.Evidence, ways []way) *Section {
	s := &Section{Title: "Where old addresses lead"}
	type key struct {
		from, to string
		ink      figure.Ink
	}
	sums := map[key]figure.Flow{}
	hops := map[string]*figure.Bar{}
	old, visited := 0, 0
	for _, w := range ways {
		if w.itself {
			continue
		}
		old++
		visited += w.visits
		name, bad := hopsName(w)
		if hops[name] == nil {
			hops[name] = &figure.Bar{Name: name}
		}
		hops[name].Of++
		if !bad {
			hops[name].Good++
		}
		k := key{from: sectionOf(w.from), to: string(w.ending), ink: figure.Bad}
		switch w.ending {
		case atPage, forNow:
			k.to, k.ink = sectionOf(w.end), figure.First
		case gone, elsewhere, closed:
			k.ink = figure.Other
		}
		sum := sums[k]
		sums[k] = figure.Flow{From: k.from, To: k.to, Ink: k.ink, Addresses: sum.Addresses + 1, Weight: sum.Weight + w.visits}
	}
	if old == 0 {
		s.Missing = "young-compass gather SOURCE..., then design --write"
		s.Lead = "The address book has no address but those of the pages."
		return s
	}
	unit := "visits"
	var flows []figure.Flow
	for _, f := range sums {
		if visited == 0 {
			unit, f.Weight = "addresses", f.Addresses
		}
		flows = append(flows, f)
	}
	s.Lead = plural(old, "old address leads", "old addresses lead") + " on: from the part of the site on the left to the one on the right. " +
		"The wider a band is, the more " + unit + " take that way."
	picture := figure.Flows("redirects", "Where old addresses lead, by "+unit, unit, flows)
	s.Picture = &picture
	table := Table{Caption: "Old addresses by the hops that a visitor makes",
		Columns: []Column{{"hops", false}, {"addresses", true}}}
	var bars []figure.Bar
	for _, name := range hopsOrder() {
		if b := hops[name]; b != nil {
			bars = append(bars, *b)
			state := Yes
			if b.Good == 0 {
				state = No
			}
			table.add([]Cell{{Text: name, State: state}, number(b.Of, old)})
		}
	}
	s.Figures = append(s.Figures, figure.Bars("hops", "Old addresses by the hops that a visitor makes", "addresses", bars))
	s.Tables = append(s.Tables, table, longest(e, ways))
	return s
}

func hopsOrder() []string {
	return []string{"one hop", "gone, as it says (410)", "answers itself", "two hops", "three hops or more", "nothing there (404)",
		"a circle"}
}

// hopsName names how many hops a way has; bad says that it should be otherwise.
func hopsName(w way) (name string, bad bool) {
	order := hopsOrder()
	switch {
	case w.ending == endless:
		return order[6], true
	case w.ending == nothing:
		return order[5], true
	case w.ending == gone:
		return order[1], false
	case w.hops == 0:
		return order[2], false
	case w.hops == 1:
		return order[0], false
	case w.hops == 2:
		return order[3], true
	}
	return order[4], true
}

// longest is the table of the ways that aren't as they should be; where there are none, of the most visited.
func longest(e *step.Evidence, ways []way) Table {
	var list []way
	caption := "Ways that should be shorter, or end elsewhere"
	for _, w := range ways {
		if _, bad := hopsName(w); bad && !w.itself {
			list = append(list, w)
		}
	}
	if len(list) == 0 {
		caption = "The most visited old addresses"
		for _, w := range ways {
			if !w.itself {
				list = append(list, w)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b way) int {
		return cmp.Or(cmp.Compare(b.visits, a.visits), strings.Compare(a.from.String(), b.from.String()))
	})
	t := Table{Caption: caption, Columns: []Column{{"old address", false}, {"leads to", false}, {"hops", true}, {"visits", true}}}
	for _, w := range list {
		to := string(w.ending)
		if w.ending == atPage || w.ending == forNow || w.ending == elsewhere {
			to = strings.TrimPrefix(w.end.Readable(), e.Plan.Site.Origin.Base())
		}
		t.add([]Cell{{Text: w.from.Readable()}, {Text: to}, plain(w.hops), plain(w.visits)})
	}
	return t
}
