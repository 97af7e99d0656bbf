// Package plan holds the one function that a site is: request in, answer out. A plan is made of the rules that a
// person wrote (package planfile), the pages, the address book and the redirects. What leads where is package
// resolve's matter; here it becomes an answer, with its reasons.
package plan

import (
	"iter"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/planfile"
	"young-compass/internal/redirect"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
)

// Plan is everything a person decided about a site's addresses.
type Plan struct {
	*planfile.Settings
	Pages     *inventory.Inventory
	Book      *book.Book
	Redirects *redirect.List

	current   map[inventory.Ref]int // position in Book.Entries
	ignored   map[int]bool          // rows that start at a live page's current address
	rules     *resolve.Rules
	answerers *sync.Pool
}

// New puts a plan together.
func New(settings *planfile.Settings, pages *inventory.Inventory, entries *book.Book, rows *redirect.List) *Plan {
	p := &Plan{Settings: settings, Pages: pages, Book: entries, Redirects: rows}
	p.Reindex()
	return p
}

// With returns the plan with other redirects.
func (p *Plan) With(rows *redirect.List) *Plan { return New(p.Settings, p.Pages, p.Book, rows) }

// Rules returns what decides where a request leads. The first entries are the rows of Redirects, by their numbers;
// the book's follow.
func (p *Plan) Rules() *resolve.Rules { return p.rules }

// World returns what the plan's redirects stand in, for checking them.
func (p *Plan) World() redirect.World { return redirect.World{Rules: p.rules, Known: p.Known} }

// Reindex makes the plan answer by its parts as they are now.
func (p *Plan) Reindex() {
	p.current = p.Book.Current()
	rows := p.Redirects.Len()
	r := &resolve.Rules{Speller: p.Speller, Scope: p.Scope, Parameters: &p.Parameters, Decisions: decisions{p},
		Says: p.Says}
	r.Index = route.NewIndex(p.Site, p.Paths.Lower, func(n int) route.Source {
		if n < rows {
			return p.Redirects.Source(n)
		}
		return p.bookSource(p.Book.Entries[n-rows])
	})
	r.Index.Fill(rows+len(p.Book.Entries), func(n int) bool { return n < rows && p.Redirects.IsPattern(n) })
	for _, rule := range p.Settings.Rules {
		r.Patterns = append(r.Patterns, resolve.Pattern{Pattern: rule.Pattern, Status: rule.Status, Drop: rule.Drop,
			Except: rule.Except, Row: -1, Where: rule.Where,
			Cause: resolve.Cause{File: rule.Where.File, Line: rule.Where.Line, Rule: "pattern " + rule.From + " to " +
				rule.To}})
	}
	r.Patterns = append(r.Patterns, p.Redirects.Patterns()...)
	p.rules, p.answerers = r, &sync.Pool{}
	p.ignored = map[int]bool{}
	if rows == 0 {
		return
	}
	for _, e := range p.Book.Entries {
		if e.State != book.Current || !p.serves(e) {
			continue
		}
		a := p.Site.Rebase(e.Address)
		for _, n := range r.Index.Match(p.Site.Origin.Host, a.Path, address.SplitQuery(a.Query),
			r.Index.Named(a.Path)) {
			if n < rows {
				if host := p.Redirects.Source(n).Host; host == "" || host == p.Site.Origin.Host {
					p.ignored[n] = true
				}
			}
		}
	}
}

// bookSource returns where an entry is met: one that is served stands on the
// origin, whatever scheme and host it was noted with.
func (p *Plan) bookSource(e book.Entry) route.Source {
	if p.serves(e) {
		return route.SourceOf(p.Site.Rebase(e.Address))
	}
	return route.SourceOf(e.Address)
}

func (p *Plan) serves(e book.Entry) bool {
	page := p.Pages.Find(e.Page)
	return page != nil && page.State == inventory.Live && (e.State == book.Current || e.State == book.Shown)
}

// LivePage returns the page from whose current address a row would lead away, so that the row is ignored.
func (p *Plan) LivePage(row int) (inventory.Ref, bool) {
	if !p.ignored[row] {
		return inventory.Ref{}, false
	}
	s := p.Redirects.Source(row)
	for _, n := range p.rules.Index.Match(p.Site.Origin.Host, s.Path, address.SplitQuery(s.Query),
		p.rules.Index.Named(s.Path)) {
		if e := p.Served(n); e != nil && e.State == book.Current {
			return e.Page, true
		}
	}
	return inventory.Ref{}, false
}

// EntryAt returns the entry of the book that a request for an address meets, or nil.
func (p *Plan) EntryAt(host, path, query string) *book.Entry {
	return p.entryAt(host, path, address.SplitQuery(query))
}

func (p *Plan) entryAt(host, path string, params []address.Param) *book.Entry {
	for _, n := range p.rules.Index.Match(host, path, params, p.rules.Index.Named(path)) {
		if e := p.bookEntry(n); e != nil {
			return e
		}
	}
	return nil
}

// bookEntry returns the entry of the book with a number of the index; nil for a
// redirect.
func (p *Plan) bookEntry(number int) *book.Entry {
	if number -= p.Redirects.Len(); number >= 0 {
		return &p.Book.Entries[number]
	}
	return nil
}

// Served returns the entry of the live page that an entry of the index serves, by its number, or nil.
func (p *Plan) Served(number int) *book.Entry {
	if e := p.bookEntry(number); e != nil && p.serves(*e) {
		return e
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

// IsHomePage reports whether a page is a home page: its address is the root of the
// site, or of a language.
func (p *Plan) IsHomePage(r inventory.Ref) bool {
	a, ok := p.CurrentAddress(r)
	if !ok || a.Query != "" {
		return false
	}
	path := strings.Trim(a.Path, "/")
	return path == "" || path == p.Languages.Prefix(r.Language) && path != ""
}

// Known is an address that a plan knows.
type Known struct {
	Address address.Address
	Page    inventory.Ref // of an address of the book
	Where   finding.Place
}

// KnownAddresses yields every address that the plan knows, once, in the order of its files.
func (p *Plan) KnownAddresses() iter.Seq[Known] {
	return func(yield func(Known) bool) {
		ofBook := make(map[address.Address]bool, len(p.Book.Entries))
		for _, e := range p.Book.Entries {
			if !ofBook[e.Address] && !yield(Known{e.Address, e.Page, finding.Place{File: p.Book.File, Line: e.Line}}) {
				return
			}
			ofBook[e.Address] = true
		}
		for i := range p.Redirects.Len() {
			row := p.Redirects.Row(i)
			if a, err := address.Resolve(p.Site.Origin, row.From); err == nil && row.Pattern == nil && !ofBook[a] &&
				!yield(Known{Address: a, Where: row.Place()}) {
				return
			}
		}
	}
}

// decisions are those of the redirects and the book.
type decisions struct{ *Plan }

// Ignored reports whether an entry is a redirect from a live page's current address.
func (p decisions) Ignored(number int) bool { return p.ignored[number] }

// Decision returns what becomes of a request that meets the source with a number.
func (p decisions) Decision(number int) resolve.Decision {
	if number < p.Redirects.Len() {
		if p.ignored[number] {
			return resolve.Decision{}
		}
		return p.Redirects.Decision(number, p.CurrentAddress)
	}
	e := p.Book.Entries[number-p.Redirects.Len()]
	page := p.Pages.Find(e.Page)
	current, known := p.CurrentAddress(e.Page)
	cause := func(rule string) resolve.Cause { return resolve.Cause{File: p.Book.File, Line: e.Line, Rule: rule} }
	name := e.Page.String()
	d := resolve.Decision{Kind: resolve.Held, Page: name, Target: current}
	if page != nil && page.State == inventory.Live {
		if !known {
			d.Kind, d.Cause = resolve.Live, cause("the page "+name+" has no current address")
			return d
		}
		d.Path = current.Path
		switch {
		case e.State == book.Shown:
			d.Kind, d.Path, d.Cause = resolve.Live, e.Address.Path, cause("")
		case e.State == book.Current:
			d.Kind, d.Cause = resolve.Live, cause("")
		case e.State == book.Variant:
			d.Kind, d.Cause = resolve.Former, cause("is another address of "+name)
		default:
			d.Kind, d.Cause = resolve.Former, cause("was the address of "+name)
		}
		d.Names = route.SourceOf(e.Address).Names()
		return d
	}
	if page != nil && page.State == inventory.Gone {
		d.Kind, d.Cause = resolve.Gone, cause("the page "+name+" is gone")
	}
	if row := p.rowOfCurrent(e.Page); row >= 0 && e.State != book.Current && known {
		then := p.Redirects.Decision(row, p.CurrentAddress)
		d.Kind, d.Then, d.Else = resolve.Away, &then, d.Kind
		d.Names, d.Cause = route.SourceOf(e.Address).Names(), cause("was an address of "+name)
	}
	return d
}

// rowOfCurrent returns the redirect from the current address of a page that
// isn't live, or -1.
func (p *Plan) rowOfCurrent(r inventory.Ref) int {
	i, ok := p.current[r]
	if !ok {
		return -1
	}
	a := p.Book.Entries[i].Address
	for _, n := range p.rules.Index.Match(a.Host, a.Path, address.SplitQuery(a.Query), p.rules.Index.Named(a.Path)) {
		if n < p.Redirects.Len() && !p.ignored[n] {
			return n
		}
	}
	return -1
}
