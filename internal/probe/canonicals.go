package probe

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
)

// judgeCanonicals looks at every canonical link, and at the addresses that show
// the same text.
func (v *Survey) judgeCanonicals(s *Section) {
	checker := canonical.Checker{Web: v.Web, Plan: v.Plan, Copies: v.Copies}
	own, other, none, moved := 0, 0, 0, 0
	reported := map[address.Address]finding.Code{} // by address without parameters
	var unmarked []finding.Finding
	for _, a := range v.Web.Sorted() {
		p := v.Web[a]
		if p.To != (address.Address{}) {
			moved++
		}
		if p.HTML && p.Status == 200 {
			switch choice, ok := canonical.Choice(p); {
			case !ok:
				none++
			case choice.To == a:
				own++
			default:
				other++
			}
		}
		if f := checker.Page(p); f != nil {
			bare := a
			bare.Query = ""
			told := reported[bare] == f.Code || (f.Code == finding.CanonicalNoindex ||
				f.Code == finding.CanonicalBlocked) && v.explains(f.Related[0].URL)
			reported[bare] = f.Code
			v.explained[a] = f.Severity == finding.Error || v.explained[a]
			switch {
			case told:
				continue // the same head with other parameters, or a consequence
			case f.Code == finding.NoCanonical:
				unmarked = append(unmarked, *f)
				continue
			}
			s.Findings = append(s.Findings, *f)
			for _, other := range f.Related {
				if to, err := address.Parse(other.URL); err == nil && f.Code == finding.CanonicalChain {
					v.explained[to] = true
				}
			}
		}
	}
	for _, a := range v.Web.Sorted() {
		if !v.explained[a] {
			v.againstPlan(s, a)
		}
	}
	s.unmarked(unmarked)
	v.judgeMoves(s)
	groups := v.Web.Groups()
	for _, g := range groups {
		f := checker.Group(g, func(a address.Address) bool { return v.explained[a] })
		group := Group{First: g.Members[0], Addresses: len(g.Members), Likeness: g.Likeness}
		if end, ok := g.Canonical(); ok {
			group.Canonical = end
		} else {
			group.OnePath = !slices.ContainsFunc(g.Ends,
				func(a address.Address) bool { return a.Path != g.Ends[0].Path })
		}
		if f != nil {
			f.Advice = v.prefer(g.Ends) + f.Advice
			s.Findings = append(s.Findings, *f)
			group.Code = f.Code
		}
		s.Groups = append(s.Groups, group)
	}
	slices.SortStableFunc(s.Groups, func(a, b Group) int { return address.Compare(a.Canonical, b.Canonical) })
	s.Findings = append(s.Findings, checker.Copied()...)
	out := outages{}
	for _, a := range v.Web.Sorted() {
		if p := v.Web[a]; p.Failure != "" {
			if out.add(a, finding.Place{URL: a.String()}, p.Failure, p.Problem) {
				v.explained[a] = true
				continue
			}
			s.add(finding.NoAnswer, finding.Error, a, address.Printable(p.Problem), "",
				"ask again; if it stays so, look at the server")
			v.explained[a] = true
		}
	}
	s.Findings = append(s.Findings, out.findings()...)
	for _, a := range v.Heads.Sorted() {
		p := v.Heads[a]
		if p.Status == 404 || p.Status == 410 || p.Failure == fetch.NoName {
			s.add(finding.ExternalBroken, finding.Warning, v.Outside[a].From,
				fmt.Sprintf("it links to %s, which answers %s", a, cmp.Or(string(p.Failure), fmt.Sprint(p.Status))), "",
				"mend the link, or take it away", a)
		}
	}
	v.judgeLinked(s)
	v.judgeSeries(s)
	if len(v.Endless) > 0 {
		a := v.Plan.Site.Origin
		a.Path = v.Endless[0]
		f := s.add(finding.EndlessLinks, finding.Warning, a, "links lead on and on here, so not all were asked for",
			"crawlers of search engines lose their time here too",
			"let robots.txt forbid it, or link with rel=nofollow")
		f.Evidence = v.Endless[:min(len(v.Endless), maxEvidence)]
	}
	s.Counts = []Count{{"pages", "pages", own + other + none}, {"own", "name themselves", own},
		{"other", "name another", other}, {"none", "name none or several", none},
		{"redirects", "addresses redirect", moved}, {"groups", "groups show the same text", len(groups)}}
}

// judgeLinked finds links of the site to addresses that redirect for good. Those on http are told with the others there.
func (v *Survey) judgeLinked(s *Section) {
	moved := map[address.Address]bool{} // whether a page links there
	for a := range v.Linked {
		p := v.Web[a]
		if p != nil && (p.Status == 301 || p.Status == 308) && a.Scheme == v.Plan.Site.Origin.Scheme {
			moved[a] = false
		}
	}
	if len(moved) == 0 {
		return
	}
	for _, p := range v.Web {
		for _, link := range p.Signals.Links {
			to, err := address.Reference(p.Base(), link)
			to.Fragment = ""
			if _, ok := moved[to]; ok && err == nil {
				moved[to] = true
			}
		}
	}
	var linked []address.Address
	for a, ok := range moved {
		if ok {
			linked = append(linked, a)
		}
	}
	s.many(finding.LinkRedirected, finding.Warning, linked,
		fmt.Sprintf("pages link to %d addresses that redirect", len(linked)), "each click is a hop",
		"bring the site's content to final addresses: relink")
}

// prefer says for which of some addresses most speaks, by the signals that are
// no choice by themselves: the plan, the sitemap, the links of other pages.
func (v *Survey) prefer(list []address.Address) string {
	type weighed struct {
		address.Address
		planned, listed bool
		links           int
	}
	var best weighed
	for i, a := range list {
		planned, ok := v.planned(a)
		_, listed := v.Listed[a]
		w := weighed{a, ok && planned == a, listed, v.Linked[a].Count}
		order := cmp.Or(compareBool(w.planned, best.planned), compareBool(w.listed, best.listed),
			cmp.Compare(w.links, best.links), cmp.Compare(len(best.Path+best.Query), len(w.Path+w.Query)))
		if i == 0 || order > 0 {
			best = w
		}
	}
	var reasons []string
	if best.planned {
		reasons = append(reasons, "the plan names it")
	}
	if best.listed {
		reasons = append(reasons, "the sitemap lists it")
	}
	return fmt.Sprintf("most speaks for %s (%s); ", best.Address,
		strings.Join(append(reasons, fmt.Sprintf("%d pages link to it", best.links)), ", "))
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// maxEach is how many pages without a canonical link are told one by one.
const maxEach = 20

// unmarked tells which pages name no canonical address.
func (s *Section) unmarked(list []finding.Finding) {
	if len(list) <= maxEach {
		s.Findings = append(s.Findings, list...)
		return
	}
	f := list[0]
	f.What = fmt.Sprintf("%d pages name no canonical address", len(list))
	f.Advice = "let the content system write a canonical link into the head of each, such as " +
		strings.TrimPrefix(f.Advice, "write into its head ")
	for _, other := range list[:maxEvidence] {
		f.Evidence = append(f.Evidence, other.Where.URL)
	}
	s.Findings = append(s.Findings, f)
}

// judgeMoves looks at redirects that lead nowhere.
func (v *Survey) judgeMoves(s *Section) {
	var circles, foreign []address.Address
	for _, a := range v.Web.Sorted() {
		p := v.Web[a]
		r := v.Web.Resolve(a)
		switch {
		case p.Location != "" && p.To == (address.Address{}):
			s.add(finding.RedirectUnreadable, finding.Error, a,
				fmt.Sprintf("it leads to %q, which is not an http or https address", address.Printable(p.Location)), "",
				"write the address of a page there")
		case p.To == (address.Address{}):
		case r.Loop:
			circles = append(circles, a)
		case private(p.To.Host):
			s.add(finding.RedirectPrivate, finding.Error, a,
				fmt.Sprintf("it leads to %s, which nobody outside can reach", p.To), "",
				"write the address of a page there", p.To)
		case !v.Plan.Site.Has(p.To.Host) && !slices.Contains(v.Plan.Known, p.To.Host):
			foreign = append(foreign, a)
		}
	}
	s.many(finding.RedirectLoop, finding.Error, circles, fmt.Sprintf("%d addresses redirect in a circle", len(circles)),
		"nobody ever arrives", "let one of each circle answer itself")
	s.many(finding.RedirectForeign, finding.Warning, foreign,
		fmt.Sprintf("%d addresses redirect to hosts that the plan doesn't know", len(foreign)),
		"somebody may have put them there", "add the hosts to known: in young-compass.yaml, or delete the redirects")
}

// private reports whether a host is an address in a network that isn't public.
func private(host string) bool {
	if i := strings.LastIndexByte(host, ':'); i >= 0 && !strings.HasSuffix(host, "]") {
		host = host[:i]
	}
	ip, err := netip.ParseAddr(strings.Trim(host, "[]"))
	return host == "localhost" || strings.HasSuffix(host, ".localhost") || err == nil && fetch.Private(ip)
}

// againstPlan compares the canonical address of a page with the plan's. What
// parameters do is told with these.
func (v *Survey) againstPlan(s *Section, a address.Address) {
	choice, ok := canonical.Choice(v.Web[a])
	if !ok || a.Query != "" {
		return
	}
	planned, ok := v.planned(a)
	if ok && planned != choice.To {
		s.add(finding.CanonicalAgainstPlan, finding.Error, a,
			fmt.Sprintf("it names %s as its canonical address; the plan says %s", choice.To, planned), "",
			fmt.Sprintf(`write <link rel="canonical" href="%s">`, planned), choice.To)
		v.explained[a] = true
	}
}
