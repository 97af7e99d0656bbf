package probe

import (
	"context"
	"fmt"
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
	s := &Section{Kind: Hosts, Columns: []string{"page", "spelling"}}
	origins := hostOrigins(p.Site)
	for _, origin := range origins {
		s.Columns = append(s.Columns, short(origin, p.Site.Origin.Host))
	}
	var targets []plan.Known
	for _, a := range pages {
		for _, spelling := range Spellings(p, a.Path) {
			for _, origin := range origins {
				origin.Path = spelling.Path
				targets = append(targets, plan.Known{Address: origin})
			}
		}
	}
	var row []string
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
		} else {
			s.Findings = append(s.Findings, *f)
		}
		if row = append(row, o.cell(f)); next%len(origins) == 0 {
			s.Rows = append(s.Rows, row)
		}
	})
	s.Counts = []Count{{"pages", "pages", len(pages)}, {"spellings", "spellings asked", asked},
		{"right", "end as the plan says", right}}
	finding.Sort(s.Findings)
	return s, err
}

// short names a scheme and host in a few letters: "http", "https www.".
func short(a address.Address, origin string) string {
	switch host, ok := strings.CutSuffix(a.Host, origin); {
	case ok && host == "":
		return a.Scheme
	case ok:
		return a.Scheme + " " + host
	}
	return a.Scheme + " " + a.Host
}

// nameOf returns the page and the spelling of a row.
func nameOf(p *plan.Plan, pages []address.Address, row int) []string {
	for _, a := range pages {
		list := Spellings(p, a.Path)
		if row < len(list) {
			name := ""
			if row == 0 {
				name = a.Path
			}
			return []string{name, list[row].Name}
		}
		row -= len(list)
	}
	return []string{"", ""}
}

// cell says in a few letters where an address ends, and in how many hops.
func (o Observation) cell(f *finding.Finding) string {
	text := fmt.Sprint(o.Status)
	switch {
	case o.Err != nil:
		text = "none"
	case o.Foreign:
		text = "away"
	}
	switch len(o.Hops) {
	case 0:
	case 1:
		text = "1 hop " + text
	default:
		text = fmt.Sprintf("%d hops %s", len(o.Hops), text)
	}
	if f != nil {
		text += " !"
	}
	return text
}
