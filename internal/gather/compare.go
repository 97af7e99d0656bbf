package gather

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/inventory"
)

// Comparison sets two inventories side by side, as at the two ends of a move.
type Comparison struct {
	Counts    []SideBySide      `json:"counts"`
	Both      int               `json:"-"`
	Titles    int               `json:"-"` // of these, told by their titles alone
	Addresses int               `json:"-"` // of these, told by their addresses
	Left      []*inventory.Page `json:"-"` // pages that only the first has
	Right     []*inventory.Page `json:"-"`
}

// SideBySide counts pages of a kind, in a language, in a state.
type SideBySide struct {
	Kind     string `json:"kind"`
	Language string `json:"language"`
	State    string `json:"state"`
	Left     int    `json:"left"`
	Right    int    `json:"right"`
}

// Side is one side of a comparison: pages, and their addresses.
type Side struct {
	Pages *inventory.Inventory
	Book  *book.Book
}

// named returns the pages by what they are known as: by their own names, unless known tells a page at one of their
// addresses.
func (s Side) named(known func(address.Address) (inventory.Ref, bool)) map[inventory.Ref]inventory.Ref {
	names := make(map[inventory.Ref]inventory.Ref, len(s.Pages.Pages))
	for i := range s.Pages.Pages {
		ref := s.Pages.Pages[i].Ref
		names[ref] = ref
	}
	if s.Book == nil {
		return names
	}
	for _, e := range s.Book.Entries {
		if ref, ok := known(e.Address); ok && names[e.Page] == e.Page {
			names[e.Page] = ref
		}
	}
	return names
}

// Compare sets two sides beside each other. Pages are the same by their addresses, as far as known tells pages by them,
// then by their names, and those left over by their titles, where only one page on each side has it in that language.
func Compare(one, other Side, known func(address.Address) (inventory.Ref, bool)) Comparison {
	left, right := one.Pages, other.Pages
	leftNames, rightNames := one.named(known), other.named(known)
	var c Comparison
	counts := map[SideBySide]*SideBySide{}
	count := func(key SideBySide) *SideBySide {
		if counts[key] == nil {
			counts[key] = &SideBySide{key.Kind, key.Language, key.State, 0, 0}
		}
		return counts[key]
	}
	kinds := [2]map[inventory.Ref]string{kindsOf(left, leftNames), kindsOf(right, rightNames)}
	for i := range left.Pages {
		count(kindOn(&left.Pages[i], leftNames, kinds[1])).Left++
	}
	for i := range right.Pages {
		count(kindOn(&right.Pages[i], rightNames, kinds[0])).Right++
	}
	for _, n := range counts {
		c.Counts = append(c.Counts, *n)
	}
	slices.SortFunc(c.Counts, func(a, b SideBySide) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.Language, b.Language),
			strings.Compare(a.State, b.State))
	})
	c.Left, c.Right = missing(left, leftNames, rightNames), missing(right, rightNames, leftNames)
	c.Both = len(left.Pages) - len(c.Left)
	for i := range left.Pages {
		if right.Find(left.Pages[i].Ref) == nil {
			c.Addresses++ // or on this side alone
		}
	}
	c.Addresses -= len(c.Left)

	type name struct{ language, title string }
	nameOf := func(p *inventory.Page) name {
		return name{p.Language, strings.ToLower(strings.Join(strings.Fields(p.Title), " "))}
	}
	byName := func(pages []*inventory.Page) map[name]int {
		n := map[name]int{}
		for _, p := range pages {
			if p.Title != "" {
				n[nameOf(p)]++
			}
		}
		return n
	}
	onLeft, onRight := byName(c.Left), byName(c.Right)
	same := func(p *inventory.Page) bool { n := nameOf(p); return onLeft[n] == 1 && onRight[n] == 1 }
	all := len(c.Left)
	c.Left, c.Right = slices.DeleteFunc(c.Left, same), slices.DeleteFunc(c.Right, same)
	c.Titles = all - len(c.Left)
	c.Both += c.Titles
	return c
}

// kindsOf returns the kinds that pages are said to be of, by what they are known as.
func kindsOf(inv *inventory.Inventory, names map[inventory.Ref]inventory.Ref) map[inventory.Ref]string {
	kinds := map[inventory.Ref]string{}
	for i := range inv.Pages {
		if p := &inv.Pages[i]; p.Kind != "" && p.Kind != "page" {
			kinds[names[p.Ref]] = p.Kind
		}
	}
	return kinds
}

// kindOn returns where a page is counted. Where its side says no kind, as a sitemap doesn't, it is of the kind that the
// other side says, and in the language in which it is known.
func kindOn(p *inventory.Page, names map[inventory.Ref]inventory.Ref, others map[inventory.Ref]string) SideBySide {
	at := SideBySide{Kind: p.Kind, Language: names[p.Ref].Language, State: string(p.State)}
	if at.Kind == "" || at.Kind == "page" {
		at.Kind = cmp.Or(others[names[p.Ref]], "page")
	}
	return at
}

// missing returns the pages of one inventory that another doesn't have, by key
// and language.
func missing(from *inventory.Inventory, names, others map[inventory.Ref]inventory.Ref) []*inventory.Page {
	known := make(map[inventory.Ref]bool, len(others))
	for _, name := range others {
		known[name] = true
	}
	var list []*inventory.Page
	for i := range from.Pages {
		if p := &from.Pages[i]; !known[names[p.Ref]] {
			list = append(list, p)
		}
	}
	slices.SortFunc(list, func(a, b *inventory.Page) int { return a.Ref.Compare(b.Ref) })
	return list
}
