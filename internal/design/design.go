// Package design proposes an address for every live page from the plan's
// templates, says what would move and what collides, and accepts proposals
// into the address book.
package design

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/redirect"
	"young-compass/internal/slug"
	"young-compass/internal/template"
)

// Proposal is the address that a page would have.
type Proposal struct {
	Page inventory.Page
	Old  address.Address // the current one as noted in the book; zero for a new page
	New  address.Address
}

// New reports whether the page enters the book for the first time.
func (p Proposal) IsNew() bool { return p.Old == address.Address{} }

// Moves reports whether the page changes its address.
func (p Proposal) Moves() bool { return p.Old != p.New }

// Propose returns a proposal for every live page, by key and language, and
// what stands in the way.
func Propose(p *plan.Plan) ([]Proposal, []finding.Finding) {
	d := designer{plan: p, current: p.Book.Current()}
	d.checkFields()
	pages := slices.Clone(p.Pages.Pages)
	slices.SortStableFunc(pages, func(a, b inventory.Page) int { return strings.Compare(a.Ref.String(), b.Ref.String()) })
	var proposals []Proposal
	for _, page := range pages {
		if page.State != inventory.Live {
			continue
		}
		a, ok := d.address(page)
		if !ok {
			continue
		}
		proposal := Proposal{Page: page, New: a}
		if i, ok := d.current[page.Ref]; ok {
			proposal.Old = p.Book.Entries[i].Address
		}
		proposals = append(proposals, proposal)
		d.judge(page, a)
	}
	d.collide(proposals)
	finding.Sort(d.found)
	return proposals, d.found
}

type designer struct {
	plan    *plan.Plan
	current map[inventory.Ref]int
	found   []finding.Finding
	missing map[string]bool // kind and field that no page has
}

func (d *designer) add(code string, severity finding.Severity, where finding.Place, what, advice string) *finding.Finding {
	d.found = append(d.found, finding.Finding{Code: code, Severity: severity, Where: where, What: what, Advice: advice})
	return &d.found[len(d.found)-1]
}

func (d *designer) row(page inventory.Page) finding.Place {
	return finding.Place{File: d.plan.Pages.File, Line: page.Line}
}

// checkFields finds templates that name a field no page of their kind has.
func (d *designer) checkFields() {
	d.missing = map[string]bool{}
	for _, kind := range d.plan.Kinds {
		pages, have := 0, map[string]bool{}
		names, optional := kind.Address.Names(), optionalVariables(kind)
		for _, page := range d.plan.Pages.Pages {
			if page.Kind != kind.Name {
				continue
			}
			pages++
			for _, name := range names {
				have[name] = have[name] || d.field(kind, page, name) != "" || optional[name] && d.plan.Pages.HasColumn(name)
			}
		}
		for _, name := range names {
			if pages > 0 && !have[name] {
				d.missing[kind.Name+" "+name] = true
				field := name
				if name == "slug" {
					field = kind.Slug
				}
				d.add("unknown-field", finding.Error, kind.Where, fmt.Sprintf("the address of the kind %s names %s, but no page of the kind has the field %q", kind.Name, name, field),
					"add the column to "+d.plan.Pages.File+", or correct the name")
			}
		}
	}
}

// field returns the text that a variable of the kind's template is made from.
func (d *designer) field(kind plan.Kind, page inventory.Page, name string) string {
	if name == "slug" {
		return page.Field(kind.Slug)
	}
	if value := page.Field(name); value != "" {
		return value
	}
	if parts := strings.SplitN(page.Field("date"), "-", 3); len(parts) == 3 {
		switch name {
		case "year":
			return parts[0]
		case "month":
			return parts[1]
		case "day":
			return parts[2]
		}
	}
	return ""
}

// address returns the address that the plan gives a page.
func (d *designer) address(page inventory.Page) (address.Address, bool) {
	origin := d.plan.Site.Origin
	if page.Fixed != "" {
		a, err := address.Resolve(origin, page.Fixed)
		if err != nil || a.Fragment != "" || a.Origin() != origin {
			d.add("bad-fixed", finding.Error, d.row(page), fmt.Sprintf("the fixed address %q of %s is no address on %s", page.Fixed, page.Ref, origin), "write a path such as /tickets")
			return a, false
		}
		return a, true
	}
	if current, ok := d.plan.CurrentAddress(page.Ref); ok && current == origin {
		return origin, true // the home page stays at home
	}
	kind, ok := d.plan.KindOf(page.Kind)
	if !ok {
		d.add("unknown-kind", finding.Error, d.row(page), fmt.Sprintf("%s is of the kind %q, for which %s has no address", page.Ref, page.Kind, d.plan.File), "add the kind under kinds:, or give the page a fixed address")
		return address.Address{}, false
	}
	if !d.plan.Languages.Has(page.Language) {
		d.add("unknown-language", finding.Error, d.row(page), fmt.Sprintf("%s is in a language that the plan doesn't know", page.Ref), "add it under languages: others:, with its prefix")
		return address.Address{}, false
	}
	values, ok := d.values(kind, page)
	if !ok {
		return address.Address{}, false
	}
	t := kind.Address.MapLiterals(func(word string) string {
		if own := d.plan.Languages.Words[word][page.Language]; own != "" {
			return own
		}
		return word
	})
	text := t.Expand(values)
	if prefix := d.plan.Languages.Prefix(page.Language); prefix != "" {
		text = "/" + prefix + text
	}
	a, err := address.Resolve(origin, text)
	if err != nil {
		d.add("bad-address", finding.Error, d.row(page), fmt.Sprintf("%s would get %q: %v", page.Ref, text, err), "correct the kind's template")
		return a, false
	}
	if d.plan.Paths.Lower {
		a.Path = address.Fold(a.Path)
	}
	return a, true
}

// optionalVariables returns which variables of a kind's template may be absent.
func optionalVariables(kind plan.Kind) map[string]bool {
	optional := map[string]bool{}
	if r, err := template.NewReader(kind.Address, nil); err == nil {
		for _, e := range r.Elements() {
			optional[e.Name] = e.List
		}
	}
	return optional
}

// values returns the variables of the kind's template for a page. Only a list
// of segments may be left out.
func (d *designer) values(kind plan.Kind, page inventory.Page) (template.Values, bool) {
	values := template.Values{}
	optional := optionalVariables(kind)
	for _, name := range kind.Address.Names() {
		text := d.field(kind, page, name)
		parts := []string{text}
		if optional[name] {
			parts = strings.Split(text, "/")
		}
		for _, part := range parts {
			if s := slug.Make(part, page.Language); s != "" {
				values[name] = append(values[name], s)
			}
		}
		if len(values[name]) > 0 || optional[name] && text == "" || d.missing[kind.Name+" "+name] {
			continue
		}
		what := fmt.Sprintf("%s has nothing for %s in its address", page.Ref, name)
		if text != "" {
			what = fmt.Sprintf("%s: %q holds no letter or digit for %s", page.Ref, text, name)
		}
		d.add("missing-field", finding.Error, d.row(page), what, "fill the field in, or give the page a fixed address")
		return nil, false
	}
	for _, name := range kind.Address.Names() {
		if len(values[name]) == 0 && !optional[name] {
			return nil, false
		}
	}
	return values, true
}

// judge warns of addresses longer or deeper than the plan allows.
func (d *designer) judge(page inventory.Page, a address.Address) {
	paths := d.plan.Paths
	if n := len(a.Path); paths.Length > 0 && n > paths.Length {
		d.add("long-address", finding.Warning, d.row(page), fmt.Sprintf("%s has %d characters; the plan allows %d", a.Path, n, paths.Length), "shorten the title, or give the page a fixed address")
	}
	if n := strings.Count(a.Path, "/"); paths.Depth > 0 && n > paths.Depth {
		d.add("deep-address", finding.Warning, d.row(page), fmt.Sprintf("%s has %d segments; the plan allows %d", a.Path, n, paths.Depth), "leave a section out")
	}
}

// collide finds pages that would get one address, addresses that belong to
// another page already, and addresses that the plan itself redirects away.
func (d *designer) collide(proposals []Proposal) {
	index := &redirect.Index{Site: d.plan.Site, Fold: d.plan.Paths.Lower}
	key := func(a address.Address) string {
		a = d.plan.Site.Rebase(a)
		return a.Host + index.Key(a.Path) + "?" + a.Query
	}
	owners := map[string]int{}
	bound := map[string]book.Entry{}
	for _, e := range d.plan.Book.Entries {
		if k := key(e.Address); bound[k].Page == (inventory.Ref{}) || e.State == book.Current {
			bound[k] = e
		}
	}
	for i, proposal := range proposals {
		page, k := proposal.Page, key(proposal.New)
		if first, ok := owners[k]; ok {
			other := proposals[first]
			f := d.add("collision", finding.Error, d.row(page), fmt.Sprintf("%s (%q) and %s (%q) would both get %s", other.Page.Ref, other.Page.Title, page.Ref, page.Title, proposal.New.Path), "give one of them an address in the column fixed, or another title")
			f.Related = []finding.Place{d.row(other.Page)}
			continue
		}
		owners[k] = i
		if e, ok := bound[k]; ok && e.Page != page.Ref {
			f := d.add("taken", finding.Error, d.row(page), fmt.Sprintf("%s would get %s, which has been an address of %s", page.Ref, proposal.New.Path, e.Page), "visitors with the old link expect the other page; give this one a fixed address, or change the page in "+d.plan.Book.File)
			f.Related = []finding.Place{{File: d.plan.Book.File, Line: e.Line}}
		}
	}
	if finding.Worst(d.found, finding.Error) {
		return
	}
	accepted, _ := plan.New(d.plan.Config, d.plan.Pages, Accept(d.plan.Book, proposals, ""), d.plan.Redirects)
	for _, proposal := range proposals {
		a, err := accepted.Answer(plan.Request{Method: "GET", Address: proposal.New})
		if err == nil && (a.Outcome != plan.Served || a.Page != proposal.Page.Ref) {
			d.add("reserved", finding.Error, d.row(proposal.Page), fmt.Sprintf("%s would get %s, which the plan answers otherwise (%s %s)", proposal.Page.Ref, proposal.New.Path, a.Outcome, a.To), "give it a fixed address")
		}
	}
}

// Accept returns the book with the proposals accepted: where a page moves, its
// former address stays bound to it, so that visitors are redirected.
func Accept(b *book.Book, proposals []Proposal, today string) *book.Book {
	next := b.With(slices.Clone(b.Entries))
	type bond struct {
		page inventory.Ref
		at   address.Address
	}
	positions := make(map[bond]int, len(next.Entries))
	for i, e := range next.Entries {
		positions[bond{e.Page, e.Address}] = i
	}
	current := next.Current()
	for _, p := range proposals {
		if !p.Moves() {
			continue
		}
		if i, ok := current[p.Page.Ref]; ok {
			next.Entries[i].State = book.Former
		}
		if i, ok := positions[bond{p.Page.Ref, p.New}]; ok {
			next.Entries[i].State = book.Current
			continue
		}
		next.Entries = append(next.Entries, book.Entry{Address: p.New, Page: p.Page.Ref, State: book.Current, Since: today})
	}
	return next
}
