// Package canonical works out which address each of a site's addresses resolves
// to, from what the site says: redirects, Link headers and link elements (RFC
// 6596). It also finds where these contradict each other, and which addresses
// show the same text.
package canonical

import (
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/crawl"
)

// Web is what a site answered, by address.
type Web map[address.Address]*crawl.Page

// Sorted returns the addresses in order.
func (w Web) Sorted() []address.Address {
	list := make([]address.Address, 0, len(w))
	for a := range w {
		list = append(list, a)
	}
	slices.SortFunc(list, address.Compare)
	return list
}

// The signals by which an address names another.
const (
	Redirect = "redirect"
	Header   = "link header"
	Element  = "link element"
	Refresh  = "meta refresh" // to another path
)

// Named is a canonical address that a page names.
type Named struct {
	By      string // Header or Element
	Link    string // as written
	To      address.Address
	Outside bool  // it isn't in the head, where alone it counts
	Err     error // it can't be read
}

// Relative reports whether the link isn't written out with scheme and host.
func (n Named) Relative() bool {
	_, err := address.Parse(n.Link)
	return err != nil && n.Err == nil
}

// NamedBy returns all canonical addresses that a page names, the header's first.
func NamedBy(p *crawl.Page) []Named {
	var list []Named
	add := func(by, link string, outside bool) {
		n := Named{By: by, Link: link, Outside: outside}
		base := p.Base()
		if by == Header {
			base = p.Address
		}
		n.To, n.Err = address.Reference(base, link)
		n.To.Fragment = ""
		list = append(list, n)
	}
	if p.Header.Canonical != "" {
		add(Header, p.Header.Canonical, false)
	}
	for _, c := range p.Signals.Canonicals {
		add(Element, c.Link, c.Outside)
	}
	return list
}

// Choice returns the one canonical address that a page names where it counts.
// There is none when it names no address, or several.
func Choice(p *crawl.Page) (Named, bool) {
	var choice Named
	found := false
	for _, n := range NamedBy(p) {
		switch {
		case n.Outside || n.Err != nil:
		case found && n.To != choice.To:
			return Named{}, false
		case !found:
			choice, found = n, true
		}
	}
	return choice, found
}

// Step is one signal that was followed.
type Step struct {
	At, To address.Address
	By     string
}

// Resolution is where the signals of an address end.
type Resolution struct {
	Steps []Step
	End   address.Address
	Loop  bool // they lead in a circle
}

// Resolve follows the signals of an address until they name no other.
func (w Web) Resolve(a address.Address) Resolution {
	r := Resolution{End: a}
	seen := []address.Address{a}
	for {
		to, by := w.next(r.End)
		if by == "" {
			return r
		}
		r.Steps = append(r.Steps, Step{r.End, to, by})
		if i := slices.Index(seen, to); i >= 0 {
			r.Loop, r.End = true, to
			for _, b := range seen[i:] { // a page that its own redirect comes back to is the end
				if p := w[b]; p != nil && p.Status == 200 {
					r.End, r.Loop = b, w.moves(seen[i:]) != len(seen[i:])-1
					break
				}
			}
			return r
		}
		seen = append(seen, to)
		r.End = to
	}
}

// moves counts the addresses that redirect.
func (w Web) moves(list []address.Address) (n int) {
	for _, a := range list {
		if p := w[a]; p != nil && p.To != (address.Address{}) {
			n++
		}
	}
	return n
}

// next returns the address that another names, and by what; nothing when it
// names itself, or none.
func (w Web) next(a address.Address) (to address.Address, by string) {
	p := w[a]
	if p == nil {
		return a, ""
	}
	if to := p.To; to != (address.Address{}) {
		to.Fragment = ""
		return to, Redirect
	}
	if n, ok := Choice(p); ok && n.To != a {
		return n.To, n.By
	}
	if p.Signals.Refresh != "" {
		if to, err := address.Reference(p.Base(), p.Signals.Refresh); err == nil && to.Path != a.Path {
			to.Fragment = ""
			return to, Refresh
		}
	}
	return a, ""
}

// Indexable reports whether an address shows a page that a search engine may
// have in its index for itself.
func (w Web) Indexable(a address.Address) bool {
	p := w[a]
	return p != nil && p.HTML && p.Status == 200 && !p.NoIndex() && !p.Blocked && w.Resolve(a).End == a
}
