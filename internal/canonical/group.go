package canonical

import (
	"fmt"
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/fingerprint"
	"young-compass/internal/language"
)

// Group is addresses that show the same text, or nearly the same.
type Group struct {
	Members  []address.Address // in order
	Likeness float64           // of the two that are least alike, of those compared; 1: the same
	Ends     []address.Address // what the members resolve to, each once
}

// Canonical returns the one address that all members resolve to.
func (g Group) Canonical() (address.Address, bool) {
	if len(g.Ends) == 1 {
		return g.Ends[0], true
	}
	return address.Address{}, false
}

// Texts returns the text of each page that has one, without what the site
// repeats, by address in order.
func (w Web) Texts() ([]address.Address, []fingerprint.Text) {
	var list []address.Address
	var sketches []fingerprint.Sketch
	for _, a := range w.Sorted() {
		if p := w[a]; p.HTML && p.Status == 200 {
			list = append(list, a)
			sketches = append(sketches, p.Signals.Text)
		}
	}
	repeated := fingerprint.Repeated(sketches)
	texts := make([]fingerprint.Text, len(sketches))
	for i, s := range sketches {
		texts[i] = s.Main(repeated)
	}
	return list, texts
}

// Groups returns the addresses that show the same text, or nearly the same.
func (w Web) Groups() []Group {
	list, texts := w.Texts()
	pairs := fingerprint.Pairs(texts)
	least := map[int]float64{}
	groups := fingerprint.Groups(len(list), pairs)
	group := map[int]int{}
	for n, members := range groups {
		least[n] = 1
		for _, m := range members {
			group[m] = n
		}
	}
	for _, p := range pairs {
		least[group[p.A]] = min(least[group[p.A]], p.Likeness)
	}
	var out []Group
	for n, members := range groups {
		g := Group{Likeness: least[n]}
		for _, m := range members {
			g.Members = append(g.Members, list[m])
			if end := w.Resolve(list[m]).End; !slices.Contains(g.Ends, end) {
				g.Ends = append(g.Ends, end)
			}
		}
		slices.SortFunc(g.Ends, address.Compare)
		out = append(out, g)
	}
	return out
}

// Group says why a group has no canonical address, or nothing when it has one,
// or when its addresses differ in their parameters alone, are translations of
// each other, or have a finding of their own (explained).
func (c Checker) Group(g Group, explained func(address.Address) bool) *finding.Finding {
	if _, ok := g.Canonical(); ok {
		return nil
	}
	var ends []address.Address
	for _, a := range g.Ends {
		same := func(b address.Address) bool { return b.Host == a.Host && b.Path == a.Path && b.Scheme == a.Scheme }
		if !slices.ContainsFunc(ends, same) && !explained(a) {
			ends = append(ends, a)
		}
	}
	ends = slices.DeleteFunc(ends, func(a address.Address) bool {
		p := c.Web[a]
		return p == nil || p.NoIndex() || slices.ContainsFunc(ends,
			func(b address.Address) bool {
				return a != b && c.translates(a, b) && (g.Likeness < 1 || c.regional(a, b))
			})
	})
	if len(ends) < 2 {
		return nil
	}
	f := &finding.Finding{Where: finding.Place{URL: ends[0].String()},
		Advice: "let the others redirect to one of them, or name it as their canonical address"}
	for _, a := range ends[1:] {
		f.Related = append(f.Related, finding.Place{URL: a.String()})
	}
	chosen := 0
	for _, a := range ends {
		f.Evidence = append(f.Evidence, a.String())
		if _, ok := Choice(c.Web[a]); ok {
			chosen++
		}
	}
	who := "each names itself as the canonical one"
	if chosen == 0 {
		who = "none names a canonical one"
	} else if chosen < len(ends) {
		who = fmt.Sprintf("%d name themselves, the others none", chosen)
	}
	f.Code, f.Severity = finding.DuplicateContent, finding.Error
	f.What = fmt.Sprintf("%d addresses show the same text, and %s", len(ends), who)
	if g.Likeness < 1 {
		f.Code, f.Severity = finding.NearDuplicate, finding.Warning
		f.What = fmt.Sprintf("%d addresses show nearly the same text (%.0f %%), and %s", len(ends), 100*g.Likeness, who)
		f.Advice = "say on each what is different, or " + f.Advice
	}
	f.Why = "a search engine chooses one of them on its own"
	return f
}

// translates reports whether a page names another as its translation.
func (c Checker) translates(a, b address.Address) bool {
	for _, alternate := range Alternates(c.Web[a]) {
		if alternate.Err == nil && c.Web.Resolve(alternate.To).End == b {
			return true
		}
	}
	return false
}

// regional reports whether two pages are in one language: for several regions, perhaps, with one text.
func (c Checker) regional(a, b address.Address) bool {
	return language.Same(c.Web[a].Signals.Language, c.Web[b].Signals.Language)
}

// Copied says which texts of the site addresses on other hosts show, and whether
// they say whose they are.
func (c Checker) Copied() []finding.Finding {
	if len(c.Copies) == 0 {
		return nil
	}
	list, texts := c.Web.Texts()
	var sketches []fingerprint.Sketch
	for _, a := range list {
		sketches = append(sketches, c.Web[a].Signals.Text)
	}
	repeated := fingerprint.Repeated(sketches)
	var found []finding.Finding
	for _, a := range Web(c.Copies).Sorted() {
		p := c.Copies[a]
		if !p.HTML || p.Status != 200 {
			continue
		}
		text := p.Signals.Text.Main(repeated)
		best, likeness := -1, 0.0
		for i := range texts {
			if l := fingerprint.Likeness(texts[i], text); l > likeness && !texts[i].Little() &&
				c.Web.Resolve(list[i]).End == list[i] {
				best, likeness = i, l
			}
		}
		if best < 0 || likeness < fingerprint.Near || text.Little() {
			continue
		}
		f := finding.Finding{Code: finding.Copied, Severity: finding.Warning, Where: finding.Place{URL: a.String()},
			Related: []finding.Place{{URL: list[best].String()}},
			What:    fmt.Sprintf("%s shows the text of %s (%.0f %%)", a, list[best], 100*likeness),
			Why:     "a search engine may show the copy instead",
			Advice:  fmt.Sprintf(`ask for <link rel="canonical" href="%s"> there, or for its removal`, list[best])}
		if choice, ok := Choice(p); ok && c.Plan.Site.Has(choice.To.Host) {
			f.Code, f.Severity, f.Why, f.Advice = finding.CopiedWithCredit, finding.Note,
				"it names the site's address as the canonical one", ""
		}
		found = append(found, f)
	}
	return found
}
