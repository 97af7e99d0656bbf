package publish

import (
	"fmt"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/sitefile"
)

// RobotsLines returns what the plan has in the robots.txt of a host.
func RobotsLines(p *plan.Plan, pages []Page, host string) sitefile.RobotsLines {
	lines := sitefile.RobotsLines{Blocked: p.Blocked, Ours: func(sitemap string) bool {
		a, err := address.Resolve(p.Site.Origin, sitemap)
		return err == nil && p.Site.Has(a.Host)
	}}
	for i := range pages {
		if pages[i].Listed && pages[i].Address.Host == host {
			lines.Sitemaps = []string{pages[i].Address.Base() + "/" + sitefile.Index}
			break
		}
	}
	return lines
}

// Blocked returns findings about live pages that a robots.txt keeps crawlers from, though they are to list them, or to see
// their noindex.
func Blocked(p *plan.Plan, pages []Page, robots sitefile.Robots, host, file string) []finding.Finding {
	var found []finding.Finding
	for i := range pages {
		page := &pages[i]
		if page.Address.Host != host || robots.Allows("*", page.Address.Local()) {
			continue
		}
		what, advice := "though it may be listed", "let robots.txt allow it, or write noindex into its column robots"
		switch {
		case page.Canonical != page.Address.String():
			what, advice = "so that nobody sees that it names another page as its canonical one", "let robots.txt allow it"
		case !page.Listed:
			what, advice = "so that nobody sees its noindex", "let robots.txt allow it until it has left the index"
		}
		found = append(found, finding.Finding{Code: finding.BlockedPage, Severity: finding.Warning,
			Where: finding.Place{File: file, URL: page.Address.String()},
			What:  fmt.Sprintf("robots.txt blocks %s (%s), %s", page.Address, page.Ref, what), Advice: advice})
	}
	return found
}
