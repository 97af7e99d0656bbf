package publish

import (
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"net/url"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/sitefile"
	"young-compass/internal/template"
)

// HTML returns the lines that belong into the head of the page.
//
//	<link rel="canonical" href="https://skerrywick.example/ports/kvitsund">
//	<link rel="alternate" hreflang="de" href="https://skerrywick.example/de/haefen/kvitsund">
func (p *Page) HTML() string {
	var b strings.Builder
	fmt.Fprintf(&b, "<link rel=\"canonical\" href=\"%s\">\n", html.EscapeString(p.Canonical))
	for _, a := range p.Alternates {
		fmt.Fprintf(&b, "<link rel=\"alternate\" hreflang=\"%s\" href=\"%s\">\n", html.EscapeString(a.Language),
			html.EscapeString(a.Location))
	}
	return b.String()
}

// Link returns the same as the value of a header Link (RFC 8288).
func (p *Page) Link() string {
	list := []string{fmt.Sprintf(`<%s>; rel="canonical"`, p.Canonical)}
	for _, a := range p.Alternates {
		list = append(list, fmt.Sprintf(`<%s>; rel="alternate"; hreflang="%s"`, a.Location, a.Language))
	}
	return strings.Join(list, ", ")
}

// headJSON is what a page says as JSON, for a template.
type headJSON struct {
	Page       string          `json:"page"`
	Address    string          `json:"address"`
	Canonical  string          `json:"canonical"`
	Alternates []alternateJSON `json:"alternates"`
}

type alternateJSON struct {
	Language string `json:"hreflang"`
	Location string `json:"href"`
}

// MarshalJSON writes what the page says.
func (p *Page) MarshalJSON() ([]byte, error) {
	h := headJSON{p.Ref.String(), p.Address.String(), p.Canonical, []alternateJSON{}}
	for _, a := range p.Alternates {
		h.Alternates = append(h.Alternates, alternateJSON(a))
	}
	return json.Marshal(h)
}

// Rows returns the lines of the head as rows of a table: page, address, rel, hreflang, href.
func (p *Page) Rows() [][]string {
	rows := [][]string{{p.Ref.String(), p.Address.String(), "canonical", "", p.Canonical}}
	for _, a := range p.Alternates {
		rows = append(rows, []string{p.Ref.String(), p.Address.String(), "alternate", a.Language, a.Location})
	}
	return rows
}

// FileName is the name of a file for the page that no other page has.
//
//	port-kvitsund.de.html    port%2Fkvitsund.de.html
func (p *Page) FileName() string {
	name := strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|%`, r) {
			return '/'
		}
		return r
	}, p.Key+"."+p.Language)
	if strings.HasPrefix(name, ".") || strings.Contains(name, "/") {
		name = url.PathEscape(p.Key) + "." + url.PathEscape(p.Language)
	}
	return name + ".html"
}

// ErrLanguageHosts says why headers can't name canonical addresses.
var ErrLanguageHosts = errors.New("rules for headers don't tell hosts apart, and languages of this site have hosts of their own")

// WithLinks returns the plan with a rule for each page that adds its header Link. Requests with a parameter that selects
// content get none, since the page is canonical for itself there. Pages that a path alone doesn't tell are left out, and
// told.
func WithLinks(p *plan.Plan, pages []Page) (*plan.Plan, []finding.Finding, error) {
	if len(p.Site.LanguageHosts) > 0 {
		return nil, nil, ErrLanguageHosts
	}
	var found []finding.Finding
	settings := *p.Settings
	settings.Headers = slices.Clone(p.Headers)
	var selecting []string
	for _, c := range p.Parameters.All {
		if c.Class == parameter.Identity || c.Class == parameter.Pagination {
			selecting = append(selecting, c.Name)
		}
	}
	if len(selecting) > 0 {
		settings.Headers = append(settings.Headers, planfile.Headers{For: address.NewPlaces([]string{"/"}), Having: selecting,
			Fields: []planfile.Header{{Name: "Link"}}})
	}
	told := map[string]int{} // by path: how many pages have it
	for i := range pages {
		told[p.Key(pages[i].Address.Path)]++
	}
	for i := range pages {
		page := &pages[i]
		if page.Address.Query != "" || told[p.Key(page.Address.Path)] > 1 {
			found = append(found, LeftOut(p, page.Page, "its path alone doesn't tell it, so that no header can",
				"let the page say it in its head"))
			continue
		}
		t, err := template.Parse(page.Address.Path)
		var reader *template.Reader
		if err == nil {
			reader, err = template.NewReader(t, nil)
		}
		if err != nil {
			return nil, nil, fmt.Errorf("writing a rule for %s: %w", page.Address, err)
		}
		settings.Headers = append(settings.Headers, planfile.Headers{Reader: reader,
			Fields: []planfile.Header{{Name: "Link", Value: []template.Piece{{Literal: page.Link()}}}},
			Where:  finding.Place{File: p.Pages.File, Line: page.Line}})
	}
	return plan.New(&settings, p.Pages, p.Book, p.Redirects), found, nil
}

// RobotsLines returns what the plan has in the robots.txt of a host.
func RobotsLines(p *plan.Plan, sitemaps []Sitemap, host string) sitefile.RobotsLines {
	lines := sitefile.RobotsLines{Blocked: p.Blocked, Ours: func(sitemap string) bool {
		a, err := address.Resolve(p.Site.Origin, sitemap)
		return err == nil && p.Site.Has(a.Host)
	}}
	for _, s := range sitemaps {
		if s.Host == host {
			lines.Sitemaps = append(lines.Sitemaps, s.Address)
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
