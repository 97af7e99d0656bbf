package gather

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/inventory"
)

// Comparison sets two inventories side by side, as at the two ends of a move.
type Comparison struct {
	Counts []SideBySide      `json:"counts"`
	Both   int               `json:"-"`
	Titles int               `json:"-"` // of these, told by their titles alone
	Left   []*inventory.Page `json:"-"` // pages that only the first has
	Right  []*inventory.Page `json:"-"`
}

// SideBySide counts pages of a kind, in a language, in a state.
type SideBySide struct {
	Kind     string `json:"kind"`
	Language string `json:"language"`
	State    string `json:"state"`
	Left     int    `json:"left"`
	Right    int    `json:"right"`
}

// Compare sets two inventories side by side. Pages are the same by their names,
// and those left over by their titles, where only one page on each side has it
// in that language.
func Compare(left, right *inventory.Inventory) Comparison {
	var c Comparison
	counts := map[SideBySide]*SideBySide{}
	for i, list := range [][]Count{CountPages(left, nil), CountPages(right, nil)} {
		for _, n := range list {
			key := SideBySide{Kind: n.Kind, Language: n.Language, State: n.State}
			if counts[key] == nil {
				counts[key] = &SideBySide{n.Kind, n.Language, n.State, 0, 0}
			}
			if i == 0 {
				counts[key].Left = n.Pages
			} else {
				counts[key].Right = n.Pages
			}
		}
	}
	for _, n := range counts {
		c.Counts = append(c.Counts, *n)
	}
	slices.SortFunc(c.Counts, func(a, b SideBySide) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.Language, b.Language),
			strings.Compare(a.State, b.State))
	})
	c.Left, c.Right = missing(left, right), missing(right, left)
	c.Both = len(left.Pages) - len(c.Left)

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

// missing returns the pages of one inventory that another doesn't have, by key
// and language.
func missing(from, in *inventory.Inventory) []*inventory.Page {
	var list []*inventory.Page
	for i := range from.Pages {
		if p := &from.Pages[i]; in.Find(p.Ref) == nil {
			list = append(list, p)
		}
	}
	slices.SortFunc(list, func(a, b *inventory.Page) int { return a.Ref.Compare(b.Ref) })
	return list
}
