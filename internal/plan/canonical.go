package plan

import (
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
)

// canonical returns the one address of what is served: the page's own, or the
// one it defers to, with the parameters that select content.
func (p *Plan) canonical(r inventory.Ref, current address.Address, params []address.Param) string {
	if page := p.Pages.Find(r); page != nil && page.Canonical != "" {
		if ref, ok := inventory.ParseRef(page.Canonical); ok {
			if a, ok := p.CurrentAddress(ref); ok {
				current = a
			}
		} else if a, err := address.Resolve(p.Site.Origin, page.Canonical); err == nil {
			return a.String()
		}
	}
	items := address.SplitQuery(current.Query)
	for _, class := range []parameter.Class{parameter.Identity, parameter.Pagination} {
		for _, declared := range p.Parameters.All {
			if declared.Class != class {
				continue
			}
			for _, q := range params {
				if _, have := address.First(items, q.Name); have || !declared.Matches(q.Name, current.Path) {
					continue
				}
				if class == parameter.Pagination && q.Value == "=1" {
					continue
				}
				items = append(items, q)
			}
		}
	}
	current.Query = address.JoinQuery(items)
	return current.String()
}

// unclassified returns the parameters that the plan says nothing about.
func (p *Plan) unclassified(current address.Address, params []address.Param) []string {
	var names []string
	for _, q := range params {
		_, own := address.First(address.SplitQuery(current.Query), q.Name)
		if q.Raw != "" && !own && p.Parameters.ClassOf(q.Name, current.Path) == "" && !slices.Contains(names, q.Name) {
			names = append(names, q.Name)
		}
	}
	return names
}
