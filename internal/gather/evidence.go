package gather

import (
	"maps"
	"slices"
	"strings"

	"young-compass/internal/accesslog"
	"young-compass/internal/address"
	"young-compass/internal/language"
	"young-compass/internal/propose"
	"young-compass/internal/source"
)

// Evidence returns what the sources that were read say of the site's addresses, before they are merged: package propose
// works the plan out from it by which they can be merged. Addresses of which no host is known have none.
func (g *Gatherer) Evidence() propose.Evidence {
	e := evidence{at: map[address.Address]int{}, first: map[string]address.Address{}, base: g.Base}
	if e.base == (address.Address{}) {
		e.base = address.Address{Scheme: "https", Host: propose.Nowhere, Path: "/"}
	}
	for _, r := range g.records {
		if form := g.summaries[r.source].Form; form != source.Log {
			e.record(r, says(form))
		}
	}
	for _, l := range g.logs {
		for _, target := range slices.Sorted(maps.Keys(l.log.Tallies)) {
			e.logged(target, visitedAs(l.log.Tallies[target]))
		}
	}
	for _, a := range g.sitemaps { // the host that robots.txt says is the site's
		e.seen(a.Origin()).Says |= propose.Sitemap | propose.Canonical
	}
	e.Asked = slices.Compact(slices.Sorted(slices.Values(g.asked)))
	e.Linked = slices.Compact(slices.Sorted(slices.Values(g.linked)))
	for i := range e.Seen {
		if e.Seen[i].Address.Host == propose.Nowhere {
			e.Seen[i].Address.Host = ""
		}
	}
	return e.Evidence
}

// evidence is collected.
type evidence struct {
	propose.Evidence
	base address.Address
	at   map[address.Address]int

	first map[string]address.Address // of each page that has a key
}

func says(form source.Form) propose.Says {
	switch form {
	case source.Feed:
		return propose.Feed
	case source.HTML, source.Site:
		return propose.Page
	case source.Sitemap:
		return propose.Sitemap
	}
	return propose.Table
}

// seen returns the place of an address.
func (e *evidence) seen(a address.Address) *propose.Seen {
	a.Fragment = ""
	i, ok := e.at[a]
	if !ok {
		i = len(e.Seen)
		e.at[a] = i
		e.Seen = append(e.Seen, propose.Seen{Address: a})
	}
	return &e.Seen[i]
}

// seenInLog is what a log says of an address.
type seenInLog struct{ visits, status, bytes int }

func visitedAs(t *accesslog.Tally) (v seenInLog) {
	most := 0
	for _, h := range t.ByStatus {
		v.visits += h.Visitors
		if h.Visitors > most {
			v.status, most = h.Status, h.Visitors
		}
	}
	v.bytes = int(t.Bytes)
	return v
}

// record takes up a record.
func (e *evidence) record(r *record, says propose.Says) {
	if r.address == "" {
		return
	}
	a, err := address.Resolve(e.base, r.address)
	if err != nil {
		return
	}
	a.Fragment = ""
	home, err := address.Reference(a, r.canonical)
	other := r.canonical != "" && err == nil && home != a
	if other && r.get("title") == "" && r.get("heading") == "" && says == propose.Page { // it was seen to redirect
		e.Moves = append(e.Moves, propose.Move{From: a, To: home})
		return
	}
	s := e.seen(a)
	s.Says |= says
	if r.key != "" {
		s.Page = r.key
		if first, ok := e.first[s.Page+"@"+r.language]; ok && first != a {
			s.Says |= propose.Elsewhere // a further address of the same page
		} else {
			e.first[s.Page+"@"+r.language] = a
		}
	}
	if s.Language == "" {
		s.Language = r.language
	}
	if s.Title == "" {
		s.Title = r.get("title")
	}
	if r.canonical != "" && err == nil {
		if other {
			s.Says |= propose.Elsewhere
		}
		home.Fragment = ""
		e.seen(home).Says |= propose.Canonical
	}
	for _, alternate := range r.alternates {
		to, err := address.Reference(a, alternate.address)
		if err != nil {
			continue
		}
		if strings.EqualFold(alternate.language, language.Default) {
			if to.Path == "/" || e.XDefault == "" {
				e.XDefault = to.Host + to.Path
			}
			continue
		}
		e.Translated = append(e.Translated, propose.Translated{Language: alternate.language, Address: to})
	}
}

// logged takes up what a log says of an address.
func (e *evidence) logged(target string, v seenInLog) {
	if strings.HasPrefix(target, "//") {
		target = e.base.Base() + target
	}
	a, err := address.Resolve(e.base, target)
	if err != nil {
		return
	}
	s := e.seen(a)
	s.Says |= propose.Log
	s.Visits += v.visits
	if v.status != 0 {
		s.Status = v.status
	}
	s.Bytes = v.bytes
}
