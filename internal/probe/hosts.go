package probe

import (
	"context"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
)

// Spelling is one way to write the address of a page.
type Spelling struct {
	Name string
	Path string
}

// Spellings returns the ways to write a path that people and programs use.
func Spellings(p *plan.Plan, path string) []Spelling {
	list := []Spelling{{"as it is", path}}
	add := func(name, path string) {
		if !slices.ContainsFunc(list, func(s Spelling) bool { return s.Path == path }) {
			list = append(list, Spelling{name, path})
		}
	}
	bare := strings.TrimSuffix(path, "/")
	if bare == "" {
		add("two slashes", "//")
	} else if bare == path {
		add("a slash", path+"/")
	} else {
		add("no slash", bare)
	}
	if bare != "" {
		add("capitals", strings.ToUpper(path))
	}
	for _, name := range p.Paths.Index[:min(1, len(p.Paths.Index))] {
		add("index file", bare+"/"+name)
	}
	if bare != "" && !strings.Contains(bare[strings.LastIndexByte(bare, '/'):], ".") {
		add("extension", bare+".html")
	}
	if language := p.Languages.Default; language != "" {
		add("language", "/"+language+path)
	}
	return list
}

// SampleOfKinds returns the home page and one live page of every kind, in the
// default language if there is one.
func SampleOfKinds(p *plan.Plan) []address.Address {
	list := []address.Address{p.Site.Origin}
	kinds := map[string]bool{}
	for _, main := range []bool{true, false} {
		for _, page := range p.Pages.Pages {
			a, ok := p.CurrentAddress(page.Ref)
			if ok && page.State == inventory.Live && !kinds[page.Kind] && a.Query == "" && a != p.Site.Origin &&
				(page.Language == p.Languages.Default || !main) {
				kinds[page.Kind] = true
				list = append(list, a)
			}
		}
	}
	return list
}

// origins returns http and https of each host of the site.
func hostOrigins(site address.Site) []address.Address {
	var list []address.Address
	for _, host := range slices.Concat([]string{site.Origin.Host}, site.Hosts) {
		for _, scheme := range []string{"https", "http"} {
			list = append(list, address.Address{Scheme: scheme, Host: host, Path: "/"})
		}
	}
	return list
}

// AskHosts asks for every spelling of some pages on every host, and compares
// where each ends with the plan.
func AskHosts(ctx context.Context, p *plan.Plan, client Getter, pages []address.Address, progress func()) (*Section,
	error) {
	origins := hostOrigins(p.Site)
	s := &Section{Kind: Hosts, Spelled: Spelled{Origins: origins}}
	var targets []plan.Known
	for _, a := range pages {
		for _, spelling := range Spellings(p, a.Path) {
			for _, origin := range origins {
				origin.Path = spelling.Path
				targets = append(targets, plan.Known{Address: origin})
			}
		}
	}
	out := outages{}
	var row SpelledRow
	asked, right := 0, 0
	next := 0
	err := Run(ctx, p, client, slices.Values(targets), progress, func(o Observation) {
		page := next / len(origins)
		if next%len(origins) == 0 {
			row = nameOf(p, pages, page)
		}
		next++
		asked++
		f := o.difference()
		if f == nil {
			right++
		} else if !o.out(out) {
			s.Findings = append(s.Findings, *f)
		}
		row.Ends = append(row.Ends, End{Hops: len(o.Hops), Status: o.Status, Failed: o.Err != nil, Away: o.Foreign,
			Differs: f != nil})
		if next%len(origins) == 0 {
			s.Spelled.Rows = append(s.Spelled.Rows, row)
		}
	})
	s.Counts = []Count{{"pages", "pages", len(pages)}, {"spellings", "spellings asked", asked},
		{"right", "end as the plan says", right}}
	s.Findings = append(s.Findings, out.findings()...)
	finding.Sort(s.Findings)
	return s, err
}

// nameOf returns the page and the spelling of a row.
func nameOf(p *plan.Plan, pages []address.Address, row int) SpelledRow {
	for _, a := range pages {
		list := Spellings(p, a.Path)
		if row < len(list) {
			name := ""
			if row == 0 {
				name = a.Path
			}
			return SpelledRow{Page: name, Spelling: list[row].Name}
		}
		row -= len(list)
	}
	return SpelledRow{}
}
