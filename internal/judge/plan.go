// Package judge says what is wrong with a plan: where its parts contradict one another, and where a redirect leads
// somebody to the wrong place. Each finding is made once, here.
package judge

import (
	"fmt"
	"runtime"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
)

// Plan finds what contradicts itself in a plan: what Rest finds, and of its redirects those that it answers wrongly.
// Redirects says more of them.
func Plan(p *plan.Plan) []finding.Finding {
	found := Rest(p)
	for _, f := range redirect.Check(p.Redirects, p.World()) {
		switch f.Code {
		case "loop", "chain", "conflict", finding.ForeignTarget:
			found = append(found, f)
		}
	}
	found = append(found, liveSources(p)...)
	if !finding.Worst(found, finding.Error) {
		found = append(found, endless(p)...)
	}
	finding.Sort(found)
	return found
}

// collector collects findings.
type collector struct{ found []finding.Finding }

func (c *collector) add(code finding.Code, severity finding.Severity, where finding.Place, what, advice string) {
	c.found = append(c.found, finding.Finding{Code: code, Severity: severity, Where: where, What: what, Advice: advice})
}

// liveSources finds the redirects that are ignored.
func liveSources(p *plan.Plan) []finding.Finding {
	var c collector
	for i := range p.Redirects.Len() {
		if page, ok := p.LivePage(i); ok {
			c.liveSource(p.Redirects.Row(i), page)
		}
	}
	return c.found
}

func (c *collector) liveSource(row redirect.Redirect, page inventory.Ref) {
	c.add(finding.LiveSource, finding.Warning, row.Place(),
		fmt.Sprintf("%s is the address of the live page %s, so this redirect is ignored", row.From, page),
		"delete the row, or give the page another address first")
}

// Rest finds what contradicts itself in a plan, but for where its redirects lead.
//
//   - foreign-target: a pattern of the plan to a host that is neither the site's nor known
//   - idle-pattern: a pattern of the plan that leads to what it reads
//   - unknown-page: a redirect to a page that has no address
//   - noise-source: an address that is told by a parameter which is left out
//   - shared-address: a current address that two pages have
//   - orphan-address: an address of a page that is no longer in the inventory
//   - away-without-redirect: a page that is away, and nothing says where its visitors go
func Rest(p *plan.Plan) []finding.Finding {
	var c collector
	for _, rule := range p.Settings.Rules {
		if to, err := address.Resolve(p.Site.Origin, rule.Target.Sample()); err == nil {
			c.found = append(c.found, redirect.ForeignTarget(rule.Where, to, p.Site, p.Known)...)
		}
		if to := strings.TrimPrefix(rule.To, p.Site.Origin.Base()); p.Small(to) == p.Small(rule.From) {
			c.add(finding.IdlePattern, finding.Warning, rule.Where, fmt.Sprintf("the pattern %s leads to itself", rule.From),
				"delete it, or write the target that was meant; capitals need no pattern under letters: lower")
		}
	}
	for _, row := range p.Redirects.All() {
		if !row.ToPage() {
			continue
		}
		if _, ok := p.CurrentAddress(row.Page); !ok {
			c.add(finding.UnknownPage, finding.Error, row.Place(),
				fmt.Sprintf("the target %s has no address", row.Page),
				"name a page of "+project.PagesFile+" that is in the address book")
		}
	}
	c.noise(p)
	c.book(p)
	finding.Sort(c.found)
	return c.found
}

// noise finds addresses that are told by a noise parameter.
func (c *collector) noise(p *plan.Plan) {
	noisy := func(where finding.Place, path, query string) {
		for _, q := range address.SplitQuery(query) {
			if p.Parameters.ClassOf(q.Name, path) == parameter.Noise {
				c.add(finding.NoiseSource, finding.Warning, where,
					fmt.Sprintf("%s is a noise parameter, which is left out, but this address is told by it",
						address.Printable(q.Name)),
					"give the parameter no class there; what only old addresses use needs none")
			}
		}
	}
	for i := range p.Redirects.Len() {
		if s := p.Redirects.Source(i); s.Query != "" && !p.Redirects.IsPattern(i) {
			noisy(p.Redirects.Row(i).Place(), s.Path, s.Query)
		}
	}
	for _, e := range p.Book.Entries {
		noisy(finding.Place{File: p.Book.File, Line: e.Line}, e.Address.Path, e.Address.Query)
	}
	for _, pattern := range p.Rules().Patterns {
		path, query, _ := strings.Cut(pattern.Example(), "?")
		noisy(pattern.Where, path, query)
	}
}

// book finds addresses of pages that are gone from the inventory, or away.
func (c *collector) book(p *plan.Plan) {
	orphans := map[inventory.Ref]bool{}
	for _, e := range p.Book.Entries {
		where := finding.Place{File: p.Book.File, Line: e.Line}
		page := p.Pages.Find(e.Page)
		if page == nil {
			if !orphans[e.Page] {
				orphans[e.Page] = true
				c.add(finding.OrphanAddress, finding.Warning, where,
					fmt.Sprintf("the page %s is no longer in %s, so %s answers 404", e.Page, project.PagesFile,
						e.Address),
					"write a redirect from it, or keep the page with the state gone")
			}
			continue
		}
		if e.State == book.Current {
			c.shared(p, e)
		}
		if e.State != book.Current || page.State != inventory.Away {
			continue
		}
		source := route.SourceOf(e.Address)
		params := address.SplitQuery(source.Query)
		hits := p.Rules().Index.Match(e.Address.Host, source.Path, params, p.Rules().Index.Named(source.Path))
		if len(hits) == 0 || hits[0] >= p.Redirects.Len() {
			c.add(finding.AwayWithoutRedirect, finding.Error, where,
				fmt.Sprintf("%s is away, but nothing says where its visitors go meanwhile", e.Page),
				"add a redirect with the status 302 from "+e.Address.Local()+" to "+project.RedirectsFile)
		}
	}
}

// shared finds the current address of a page that is another page's, too: which of them a visitor gets is nobody's word.
func (c *collector) shared(p *plan.Plan, e book.Entry) {
	at := p.Site.Rebase(e.Address)
	rows := p.Redirects.Len()
	index := p.Rules().Index
	for _, n := range index.Match(at.Host, at.Path, address.SplitQuery(at.Query), index.Named(at.Path)) {
		if n < rows {
			continue
		}
		other := p.Book.Entries[n-rows]
		if other.Page == e.Page || other.State != book.Current && other.State != book.Shown || p.Pages.Find(other.Page) == nil ||
			other.State == book.Current && other.Line >= e.Line || p.Site.Rebase(other.Address) != at {
			continue
		}
		c.add(finding.SharedAddress, finding.Error, finding.Place{File: p.Book.File, Line: e.Line},
			fmt.Sprintf("%s is the address of %s, and in line %d that of %s", e.Address, e.Page, other.Line, other.Page),
			"let one of them be former, or give one of the pages another address")
		return
	}
}

// endless finds requests that the plan never answers.
func endless(p *plan.Plan) []finding.Finding {
	try := func(w *resolve.Walker, where finding.Place, a address.Address) []finding.Finding {
		w.Start("GET", a)
		if w.Nothing() {
			return nil
		}
		if _, err := w.Walk(nil); err != nil {
			where.URL = a.String()
			return []finding.Finding{{Code: finding.Loop, Severity: finding.Error, Where: where, What: err.Error(),
				Advice: "let the last of these lead somewhere else"}}
		}
		return nil
	}
	parts := make([][]finding.Finding, runtime.GOMAXPROCS(0))
	route.Parallel(p.Redirects.Len(), func(part, from, to int) {
		w := p.Rules().Walker()
		for i := from; i < to; i++ {
			if row := p.Redirects.Row(i); row.Pattern == nil && !leadsToTheEnd(p, w, row) {
				parts[part] = append(parts[part], try(w, row.Place(), row.Source.On(p.Site.Origin))...)
			}
		}
	})
	found := slices.Concat(parts...)
	w := p.Rules().Walker()
	for _, e := range p.Book.Entries {
		found = append(found, try(w, finding.Place{File: p.Book.File, Line: e.Line}, p.Site.Rebase(e.Address))...)
	}
	for _, pattern := range p.Rules().Patterns {
		if a, err := address.Resolve(p.Site.Origin, pattern.Example()); err == nil {
			found = append(found, try(w, pattern.Where, a)...)
		}
	}
	return found
}

// leadsToTheEnd reports whether a redirect leads to where surely nothing leads on.
func leadsToTheEnd(p *plan.Plan, w *resolve.Walker, row redirect.Redirect) bool {
	if row.Gone() || row.ToPage() || row.Target.Query != "" {
		return row.Gone()
	}
	w.Start("GET", p.Site.Rebase(row.Target))
	return w.Nothing()
}
