// Package plan holds the one function that a site is: request in, answer out.
// A plan is made of the rules a person wrote (young-compass.yaml), the pages
// (pages.csv), the address book (addresses.csv) and the redirects
// (redirects.csv).
package plan

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/redirect"
)

// The files of a project folder.
const (
	ConfigFile    = "young-compass.yaml"
	PagesFile     = "pages.csv"
	AddressesFile = "addresses.csv"
	RedirectsFile = "redirects.csv"
)

// Plan is everything a person decided about a site's addresses.
type Plan struct {
	*Config
	Pages     *inventory.Inventory
	Book      *book.Book
	Redirects *redirect.List
	Rules     []Rule // of the configuration, then those among the redirects

	current map[inventory.Ref]int // position in Book.Entries
	index   *redirect.Index       // numbers: the redirects, then the book's entries
	ignored []bool                // redirects from a live page's current address

	ruleCauses []Cause // by rule
	reader     *reader
	answerers  *sync.Pool
}

// Load reads a project folder. A file that can't be read as what it should be
// is an error; bad rows are findings, and so is what New finds.
func Load(dir string) (*Plan, []finding.Finding, error) {
	data, err := os.ReadFile(filepath.Join(dir, ConfigFile))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, finding.Unreadable(finding.Place{File: ConfigFile}, "there is no such file", "young-compass init starts a project, --project names its folder")
	}
	if err != nil {
		return nil, nil, fmt.Errorf("reading the plan: %w", err)
	}
	config, err := readConfig(ConfigFile, data)
	if err != nil {
		return nil, nil, err
	}
	pages, entries := &inventory.Inventory{File: PagesFile}, &book.Book{File: AddressesFile}
	rows := redirect.NewList(config.Site)
	var found, more []finding.Finding
	for _, source := range []struct {
		name string
		read func(io.Reader) error
	}{
		{PagesFile, func(r io.Reader) (err error) {
			pages, more, err = inventory.Read(PagesFile, r, config.Languages.Default)
			return err
		}},
		{AddressesFile, func(r io.Reader) (err error) {
			entries, more, err = book.Read(AddressesFile, r)
			return err
		}},
		{RedirectsFile, func(r io.Reader) (err error) {
			more, err = rows.Read(RedirectsFile, r)
			return err
		}},
	} {
		f, err := os.Open(filepath.Join(dir, source.name))
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, nil, fmt.Errorf("reading %s: %w", source.name, err)
		}
		err = source.read(f)
		_ = f.Close()
		if err != nil {
			return nil, nil, err
		}
		found = append(found, more...)
	}
	p, problems := New(config, pages, entries, rows)
	return p, append(found, problems...), nil
}

// New puts a plan together and reports what contradicts itself in it.
func New(config *Config, pages *inventory.Inventory, entries *book.Book, rows *redirect.List) (*Plan, []finding.Finding) {
	p := &Plan{Config: config, Pages: pages, Book: entries, Redirects: rows}
	p.Reindex()
	return p, p.check()
}

// Reindex makes the plan answer by its parts as they are now.
func (p *Plan) Reindex() {
	p.current = p.Book.Current()
	rows := p.Redirects.Len()
	p.index = redirect.NewIndex(p.Site, p.Paths.Lower, func(n int) redirect.Source {
		if n < rows {
			return p.Redirects.Source(n)
		}
		return p.bookSource(p.Book.Entries[n-rows])
	})
	p.Rules = slices.Clip(p.Config.Rules)
	for i := range rows {
		if p.Redirects.IsPattern(i) {
			row := p.Redirects.Row(i)
			p.index.Skip()
			p.Rules = append(p.Rules, Rule{Pattern: row.Pattern, Status: row.Status, Drop: row.Drop, Where: row.Place()})
			continue
		}
		p.index.Add(p.Redirects.Source(i))
	}
	for _, e := range p.Book.Entries {
		p.index.Add(p.bookSource(e))
	}
	p.ruleCauses = make([]Cause, len(p.Rules))
	for i, rule := range p.Rules {
		p.ruleCauses[i] = Cause{File: rule.Where.File, Line: rule.Where.Line, Rule: fmt.Sprintf("pattern %s to %s", rule.From, rule.To)}
	}
	p.reader = &reader{rules: p.automaton()}
	p.answerers = &sync.Pool{}
	p.ignored = make([]bool, rows)
	for i := range rows {
		if len(p.Book.Entries) == 0 {
			break // no live page has an address
		}
		p.ignored[i] = p.liveSource(p.Redirects.Row(i)) != nil
	}
}

// bookSource returns where an entry is met: one that is served stands on the
// origin, whatever scheme and host it was noted with.
func (p *Plan) bookSource(e book.Entry) redirect.Source {
	if p.serves(e) {
		return redirect.SourceOf(p.Site.Rebase(e.Address))
	}
	return redirect.SourceOf(e.Address)
}

func (p *Plan) serves(e book.Entry) bool {
	page := p.Pages.Find(e.Page)
	return page != nil && page.State == inventory.Live && (e.State == book.Current || e.State == book.Shown)
}

// liveSource returns the entry of the live page from whose current address the
// row would lead away, or nil.
func (p *Plan) liveSource(row redirect.Row) *book.Entry {
	if row.Pattern != nil || row.Host != "" && row.Host != p.Site.Origin.Host {
		return nil
	}
	for _, n := range p.index.Match(p.Site.Origin.Host, row.Path, address.SplitQuery(row.Query), p.index.Named(row.Path)) {
		if e := p.entry(n); e != nil && e.State == book.Current && p.serves(*e) {
			return e
		}
	}
	return nil
}

// entry returns the entry of the book with a number of the index; nil for a
// redirect.
func (p *Plan) entry(number int) *book.Entry {
	if number -= p.Redirects.Len(); number >= 0 {
		return &p.Book.Entries[number]
	}
	return nil
}

// CurrentAddress returns the page's one address, on the site's origin.
func (p *Plan) CurrentAddress(r inventory.Ref) (address.Address, bool) {
	i, ok := p.current[r]
	if !ok {
		return address.Address{}, false
	}
	return p.Site.Rebase(p.Book.Entries[i].Address), true
}

// check finds what contradicts itself in the plan.
func (p *Plan) check() []finding.Finding {
	found := slices.DeleteFunc(redirect.Check(p.Redirects, redirect.World{Site: p.Site, Fold: p.Paths.Lower}), func(f finding.Finding) bool {
		return f.Code != "loop" && f.Code != "chain" && f.Code != "conflict" // what the plan answers wrongly; Judge tells the rest
	})
	add := func(code string, severity finding.Severity, where finding.Place, what, advice string) {
		found = append(found, finding.Finding{Code: code, Severity: severity, Where: where, What: what, Advice: advice})
	}
	foreign := func(where finding.Place, to address.Address) {
		if to.Host != "" && !p.Site.Has(to.Host) && !slices.Contains(p.Known, to.Host) {
			add("foreign-target", finding.Warning, where, fmt.Sprintf("this leads to %s, which is neither the site's nor listed as known", to.Host), "add the host under site: known:, if it is right")
		}
	}
	for _, rule := range p.Rules {
		if to, err := address.Resolve(p.Site.Origin, sample(rule.Target)); err == nil {
			foreign(rule.Where, to)
		}
	}
	for i, row := range p.Redirects.All() {
		where := row.Place()
		foreign(where, row.Target)
		if p.ignored[i] {
			e := p.liveSource(row)
			add("live-source", finding.Warning, where, fmt.Sprintf("%s is the address of the live page %s, so this redirect is ignored", row.From, e.Page), "delete the row, or give the page another address first")
		}
		if row.ToPage() {
			if _, ok := p.CurrentAddress(row.Page); !ok {
				add("unknown-page", finding.Error, where, fmt.Sprintf("the target %s has no address", row.Page), "name a page of "+PagesFile+" that is in the address book")
			}
		}
	}
	noisy := func(where finding.Place, path, query string) {
		for _, q := range address.SplitQuery(query) {
			if p.ClassOf(q.Name, path) == Noise {
				add("noise-source", finding.Warning, where, fmt.Sprintf("%s is a noise parameter, which is left out, but this address is told by it", address.Printable(q.Name)), "give the parameter no class there; what only old addresses use needs none")
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
	for _, rule := range p.Rules {
		path, query, _ := strings.Cut(rule.Example(), "?")
		noisy(rule.Where, path, query)
	}
	orphans := map[inventory.Ref]bool{}
	for _, e := range p.Book.Entries {
		where := finding.Place{File: p.Book.File, Line: e.Line}
		page := p.Pages.Find(e.Page)
		if page == nil {
			if !orphans[e.Page] {
				orphans[e.Page] = true
				add("orphan-address", finding.Warning, where, fmt.Sprintf("the page %s is no longer in %s, so %s answers 404", e.Page, PagesFile, e.Address), "write a redirect from it, or keep the page with the state gone")
			}
			continue
		}
		if e.State == book.Current && page.State == inventory.Away {
			source := redirect.SourceOf(e.Address)
			hits := p.index.Match(e.Address.Host, source.Path, address.SplitQuery(source.Query), p.index.Named(source.Path))
			if len(hits) == 0 || p.entry(hits[0]) != nil {
				add("away-without-redirect", finding.Error, where, fmt.Sprintf("%s is away, but nothing says where its visitors go meanwhile", e.Page), "add a redirect with the status 302 from "+e.Address.Local()+" to "+RedirectsFile)
			}
		}
	}
	if !finding.Worst(found, finding.Error) {
		found = append(found, p.endless()...)
	}
	finding.Sort(found)
	return found
}

// endless finds requests that the plan never answers.
func (p *Plan) endless() []finding.Finding {
	try := func(all *Answerer, where finding.Place, a address.Address) []finding.Finding {
		all.way.start(all, "GET", a)
		if all.way.ends(p) {
			return nil
		}
		if _, err := all.Answer(Request{Method: "GET", Address: a}); err != nil {
			where.URL = a.String()
			return []finding.Finding{{Code: "loop", Severity: finding.Error, Where: where, What: err.Error(), Advice: "let the last of these lead somewhere else"}}
		}
		return nil
	}
	workers := runtime.GOMAXPROCS(0)
	parts := make([][]finding.Finding, workers)
	var all sync.WaitGroup
	for worker := range workers {
		all.Go(func() {
			own := p.Answerer()
			rows := p.Redirects.Len()
			for i := rows * worker / workers; i < rows*(worker+1)/workers; i++ {
				if row := p.Redirects.Row(i); row.Pattern == nil && !p.leadsToTheEnd(own, row) {
					parts[worker] = append(parts[worker], try(own, row.Place(), p.onOrigin(row.Source))...)
				}
			}
		})
	}
	all.Wait()
	found := slices.Concat(parts...)
	own := p.Answerer()
	for _, e := range p.Book.Entries {
		found = append(found, try(own, finding.Place{File: p.Book.File, Line: e.Line}, p.Site.Rebase(e.Address))...)
	}
	for _, rule := range p.Rules {
		if a, err := address.Resolve(p.Site.Origin, rule.Example()); err == nil {
			found = append(found, try(own, rule.Where, a)...)
		}
	}
	return found
}

// leadsToTheEnd reports whether a redirect leads to where nothing leads on.
func (p *Plan) leadsToTheEnd(a *Answerer, row redirect.Row) bool {
	if row.Gone() || row.ToPage() || row.Target.Query != "" {
		return row.Gone()
	}
	a.way.start(a, "GET", p.Site.Rebase(row.Target))
	return a.way.ends(p)
}

// onOrigin returns the address that a source is on its host, or on the origin.
func (p *Plan) onOrigin(s redirect.Source) address.Address {
	a := p.Site.Origin
	if s.Host != "" {
		a.Host = s.Host
	}
	a.Path, a.Query = s.Path, s.Query
	return a
}
