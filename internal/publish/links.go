package publish

import (
	"errors"
	"fmt"
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/template"
)

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
