package probe

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/sitefile"
)

// pageOf returns the page that the plan serves at an address.
func (v *Survey) pageOf(a address.Address) (inventory.Ref, bool) {
	answer, err := v.Plan.Answer(plan.Request{Method: "GET", Address: a})
	if err != nil || answer.Outcome != plan.Served || answer.Page.Key == "" {
		return inventory.Ref{}, false
	}
	return answer.Page, true
}

// planned returns the canonical address that the plan gives a page at an
// address.
func (v *Survey) planned(a address.Address) (address.Address, bool) {
	answer, err := v.Plan.Answer(plan.Request{Method: "GET", Address: a})
	if err != nil || answer.Outcome != plan.Served || answer.Canonical == "" {
		return a, false
	}
	planned, err := address.Parse(answer.Canonical)
	return planned, err == nil
}

// live returns the current addresses of the live pages, in order.
func (v *Survey) live() []address.Address {
	var list []address.Address
	for _, page := range v.Plan.Pages.Pages {
		if a, ok := v.Plan.CurrentAddress(page.Ref); ok && page.State == inventory.Live {
			list = append(list, a)
		}
	}
	slices.SortFunc(list, address.Compare)
	return slices.Compact(list)
}

// judgeIndex looks at what keeps pages out of an index.
func (v *Survey) judgeIndex(s *Section) {
	noindex, blocked := 0, 0
	for _, a := range v.Web.Sorted() {
		p := v.Web[a]
		if p.Blocked {
			blocked++
		}
		if !p.HTML || p.Status != 200 || !p.NoIndex() {
			continue
		}
		noindex++
		ref, ok := v.pageOf(a)
		planned := v.Plan.Pages.Find(ref)
		switch {
		case p.Blocked:
			s.add(finding.NoindexBlocked, finding.Error, a, "it says noindex, and robots.txt blocks it",
				"the noindex is never seen, so that the address stays in the index",
				"let robots.txt allow it until it has left the index, and block it then")
			v.explained[a] = true
		case ok && a.Query == "" && planned != nil && planned.Robots == "":
			s.add(finding.LiveNoindex, finding.Error, a, fmt.Sprintf("it says noindex, but %s is a live page", ref),
				"nobody finds it by searching", "take the noindex away, or note it in the column robots of pages.csv")
			v.explained[a] = true
		}
	}
	for _, origin := range v.origins() {
		rules := v.Rules[origin]
		at := origin
		at.Path = "/robots.txt"
		switch {
		case rules.Failure != "":
			s.add(finding.RobotsUnavailable, finding.Error, at,
				fmt.Sprintf("%s doesn't answer (%s)", at, rules.Failure),
				"crawlers then take everything for forbidden (RFC 9309 section 2.3.1.4)",
				"let it answer 200, or 404 when there is none")
		case rules.Status >= 500:
			s.add(finding.RobotsUnavailable, finding.Error, at, fmt.Sprintf("%s answers %d", at, rules.Status),
				"crawlers then take everything for forbidden (RFC 9309 section 2.3.1.4)",
				"let it answer 200, or 404 when there is none")
		case rules.More || rules.Size > 500<<10:
			s.add(finding.RobotsTooLong, finding.Warning, at, fmt.Sprintf("%s is longer than 500 KiB", at),
				"what stands behind isn't read (RFC 9309 section 2.5)", "shorten it")
		}
	}
	v.judgeBlocked(s)
	s.Counts = append(s.Counts, Count{"noindex", "pages say noindex", noindex},
		Count{"blocked", "addresses are blocked", blocked})
	for _, host := range v.Plan.Staging {
		a := address.Address{Scheme: "https", Host: host, Path: "/"}
		if p := v.Staging[a]; p == nil || p.Status != 200 {
			a.Scheme = "http"
		}
		if p := v.Staging[a]; p != nil && p.Status == 200 {
			what := fmt.Sprintf("%s is open to everybody", a)
			if p.NoIndex() {
				what += ", though it says noindex"
			}
			s.add(finding.StagingOpen, finding.Error, a, what, "search engines find it, and show the site twice",
				"ask for a password there")
		}
	}
}

// judgeBlocked compares a robots.txt with what the plan keeps crawlers from.
func (v *Survey) judgeBlocked(s *Section) {
	rules := v.Rules[v.Plan.Site.Origin]
	if len(v.Plan.Blocked) == 0 || rules.Failure != "" || rules.Status >= 500 {
		return
	}
	at := v.Plan.Site.Origin
	at.Path = "/robots.txt"
	for _, pattern := range v.Plan.Blocked {
		example := strings.TrimSuffix(strings.ReplaceAll(pattern, "*", ""), "$")
		if rules.Allows("*", example) {
			s.add(finding.BlockMissing, finding.Warning, at, fmt.Sprintf("robots.txt lets crawlers ask for %s", pattern),
				"the plan keeps them from it (site.blocked)", "put the plan's lines in: emit robots --install FILE")
		}
	}
}

func (v *Survey) origins() []address.Address {
	var list []address.Address
	for origin := range v.Rules {
		list = append(list, origin)
	}
	slices.SortFunc(list, address.Compare)
	return list
}

// judgeSitemaps looks at what sitemaps list.
func (v *Survey) judgeSitemaps(s *Section) {
	s.Sitemaps = v.Sitemaps
	for _, m := range v.Sitemaps {
		at := m.Address
		switch {
		case m.Failure != "":
			s.add(finding.SitemapUnreadable, finding.Error, at, fmt.Sprintf("%s doesn't answer (%s)", at, m.Failure),
				"", "put it there, or take it out of robots.txt")
		case m.Status != 200:
			s.add(finding.SitemapUnreadable, finding.Error, at, fmt.Sprintf("%s answers %d", at, m.Status), "",
				"put it there, or take it out of robots.txt")
		case m.Problem != "":
			s.add(finding.SitemapUnreadable, finding.Error, at,
				fmt.Sprintf("%s is not a sitemap: %s", at, address.Printable(m.Problem)),
				"what stands behind the mistake isn't read", "mend it; see sitemaps 0.9")
		case !m.Named:
			s.add(finding.SitemapNotNamed, finding.Warning, at, fmt.Sprintf("robots.txt doesn't name %s", at),
				"search engines may not know of it", "add to robots.txt: Sitemap: "+at.String())
		}
		if m.Entries > sitefile.MaxEntries || m.Size > sitefile.MaxSize {
			s.add(finding.SitemapTooLarge, finding.Error, at,
				fmt.Sprintf("%s has %d entries and %d bytes; 50,000 and 50 MiB is the most", at, m.Entries, m.Size), "",
				"divide it, and list the parts in an index")
		}
		for _, u := range m.Wrong {
			what, advice := fmt.Sprintf("line %d: %q is not an address", u.Line, address.Printable(u.Location)),
				"write it with scheme and host"
			if _, err := address.Parse(u.Location); err == nil {
				what, advice = fmt.Sprintf("line %d: %q is not a date", u.Line, address.Printable(u.Modified)),
					"write it as 2026-11-23"
			}
			s.add(finding.SitemapEntry, finding.Warning, at, what, "", advice)
		}
	}
	v.judgeEntries(s)
	s.Counts = append(s.Counts, Count{"sitemaps", "sitemaps", len(v.Sitemaps)},
		Count{"listed", "addresses listed", len(v.Listed)})
}

func (v *Survey) judgeEntries(s *Section) {
	var listed []address.Address
	for a := range v.Listed {
		listed = append(listed, a)
	}
	slices.SortFunc(listed, address.Compare)
	resolved := map[address.Address]bool{}
	for _, a := range listed {
		p, end := v.Web[a], v.Web.Resolve(a).End
		resolved[end] = true
		report := func(code finding.Code, what, advice string) {
			s.add(code, finding.Error, a, "the sitemap lists it, "+what,
				"a sitemap lists canonical addresses that answer 200, nothing else", advice, v.Listed[a].Sitemap)
		}
		switch {
		case !v.Plan.Site.Has(a.Host):
			report(finding.SitemapForeign, "on another host", "leave it out")
		case a.Scheme == "http" && v.Plan.Site.Origin.Scheme == "https":
			report(finding.SitemapInsecure, "on http", "list "+end.String())
		case p == nil || p.Failure != "":
		case p.To != (address.Address{}):
			report(finding.SitemapRedirects, "which redirects", "list "+end.String())
		case p.Status != 200:
			report(finding.SitemapMissing, fmt.Sprintf("which answers %d", p.Status), "leave it out")
		case v.explained[a]:
		case p.NoIndex():
			report(finding.SitemapNoindex, "which says noindex", "leave it out, or take the noindex away")
		case p.Blocked:
			report(finding.SitemapBlocked, "which robots.txt blocks", "leave it out, or let robots.txt allow it")
		case end != a:
			report(finding.SitemapNotCanonical, "whose canonical address is "+end.String(), "list that one")
		}
	}
	if len(v.Listed) == 0 {
		return
	}
	v.judgeListings(s)
	var missing []address.Address
	for _, a := range v.live() {
		if p := v.Web[a]; p != nil && !resolved[a] && !v.explained[a] && v.Web.Indexable(a) {
			missing = append(missing, a)
		}
	}
	s.many(finding.NotInSitemap, finding.Note, missing, fmt.Sprintf("%d live pages are in no sitemap", len(missing)),
		"", "list them in a sitemap, and name it in robots.txt")
}

// judgeListings compares what sitemaps say of pages with what the plan says: their dates, and their translations where
// the sitemap names any.
func (v *Survey) judgeListings(s *Section) {
	named := false
	for _, l := range v.Listed {
		named = named || len(l.Alternates) > 0
	}
	var dates, translations []address.Address
	for _, page := range v.said {
		l, ok := v.Listed[page.Address]
		if !ok || !page.Listed || v.explained[page.Address] {
			continue
		}
		said, ok := sitefile.Date(page.Field("modified"))
		if ok && l.Modified != "" && !strings.HasPrefix(l.Modified, said) && !strings.HasPrefix(said, l.Modified) {
			dates = append(dates, page.Address)
		}
		if named && !sameAlternates(l.Alternates, page.Alternates) {
			translations = append(translations, page.Address)
		}
	}
	const why, advice = "it was made from an older plan, or by something else", "write it anew: emit sitemap"
	s.many(finding.SitemapDiffers, finding.Warning, dates,
		fmt.Sprintf("the sitemap has other dates than the plan for %d pages", len(dates)), why, advice)
	s.many(finding.SitemapDiffers, finding.Warning, translations,
		fmt.Sprintf("the sitemap names other translations than the plan for %d pages", len(translations)), why, advice)
}

// sameAlternates reports whether two lists name the same translations, in any order.
func sameAlternates(a, b []sitefile.Alternate) bool {
	set := func(list []sitefile.Alternate) []string {
		var words []string
		for _, x := range list {
			words = append(words, strings.ToLower(x.Language)+" "+x.Location)
		}
		slices.Sort(words)
		return slices.Compact(words)
	}
	return slices.Equal(set(a), set(b))
}
