package redirect

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// Choose says whether a new row takes the place of one that has its source and
// leads elsewhere.
type Choose func(have, take Redirect) (bool, error)

// Merged is what became of two lists.
type Merged struct {
	List     *List
	Added    int
	Replaced int
	Known    int // rows that say what one before says
}

// Merge puts further rows to those of a list, with their notes in the columns
// that it has and in reason, source and since. Where a row has the source of
// another one and leads elsewhere, choose decides; without it both are told as a
// conflict, and there is no list. Other contradictions are Check's to find.
func Merge(have, more *List, world World, choose Choose) (Merged, []finding.Finding, error) {
	result := Merged{List: have.Clone()}
	for _, name := range []string{"reason", "source", "since", "class"} {
		result.List.addColumn(name)
	}
	m := merger{World: world, have: have, added: map[string]int{}}
	var found []finding.Finding
	for _, row := range more.All() {
		row.notes = slices.DeleteFunc(slices.Clone(row.notes),
			func(n note) bool { return !slices.Contains(result.List.Columns, n.column) })
		i := m.find(row)
		if i < 0 {
			m.added[m.key(row)] = result.List.Len()
			result.List.Append(row)
			result.Added++
			continue
		}
		switch old := result.List.Row(i); {
		case old.goal() == row.goal():
			result.Known++
		case choose == nil:
			found = append(found, finding.Finding{Code: finding.Conflict, Severity: finding.Error, Where: row.Place(),
				Related: []finding.Place{old.Place()},
				What: fmt.Sprintf("%s leads to %s here, and to %s in %s", row.From, row.goal(), old.goal(),
					old.Place()),
				Advice: "take one of the two out, or answer on a terminal which is right"})
		default:
			take, err := choose(old, row)
			if err != nil {
				return Merged{}, nil, err
			}
			if take {
				result.List.replace(i, row)
				result.Replaced++
			}
		}
	}
	if len(found) > 0 {
		return Merged{}, found, nil
	}
	return result, nil, nil
}

// Shares reports whether a row of more has the source of a row of have, whose world this is.
func Shares(have, more *List, world World) bool {
	m := merger{World: world, have: have, added: map[string]int{}}
	for _, row := range more.All() {
		if m.find(row) >= 0 {
			return true
		}
	}
	return false
}

// Together returns the rows of two lists as one.
func Together(have, more *List) *List {
	both := have.Clone()
	for i := range more.Len() {
		both.appendFrom(more, i)
	}
	return both
}

// Surely says which rows of a list of pairs are taken.
type Surely struct {
	Confidence float64 // at least, from 0 to 1
	Gone       bool    // also rows that say that a page is gone
}

// Left is how many rows of a list of pairs weren't taken.
type Left struct{ Unsure, Gone int }

// Sure returns the rows of a list of pairs that are sure enough, or that a person decided, and counts the others. They
// say where they come from and since when, unless they did already. All rows of another list are sure.
func (l *List) Sure(wanted Surely, source, since string) (*List, Left) {
	sure, left := NewList(l.Site), Left{}
	for _, row := range l.All() {
		if own, err := strconv.ParseFloat(row.Note("confidence"), 64); err == nil && row.Note("decided") == "" {
			if own < wanted.Confidence {
				left.Unsure++
				continue
			}
			if row.Status == 410 && !wanted.Gone {
				left.Gone++
				continue
			}
		}
		for _, n := range []note{{"source", source}, {"since", since}} {
			if row.Note(n.column) == "" {
				row.SetNote(n.column, n.text)
			}
		}
		sure.Append(row)
	}
	return sure, left
}

// merger is a merge under way.
type merger struct {
	World
	have     *List
	added    map[string]int // rows that were added, by their sources
	patterns map[string]int // the first row of each pattern that was there, by what it reads
}

// find returns the number of the row that has a row's source, or -1.
func (m *merger) find(row Redirect) int {
	if i, ok := m.added[m.key(row)]; ok {
		return i
	}
	if row.Pattern == nil {
		if n := m.Rules.Index.Find(row.Source); n >= 0 && n < m.have.Len() {
			return n
		}
		return -1
	}
	if m.patterns == nil {
		m.patterns = map[string]int{}
		for _, p := range slices.Backward(m.have.patterns) {
			m.patterns[readingOf(p.Pattern, m.Rules.Paths.Lower)] = p.row
		}
	}
	if i, ok := m.patterns[readingOf(row.Pattern, m.Rules.Paths.Lower)]; ok {
		return i
	}
	return -1
}

// key returns a text that is equal for rows with one source.
func (m *merger) key(r Redirect) string {
	if r.Pattern != nil {
		return "pattern " + readingOf(r.Pattern, m.Rules.Paths.Lower)
	}
	return r.Host + " " + m.Rules.Key(r.Path) + " " + r.Signature()
}

// Sorted returns the list with its rows by their sources; patterns stand behind
// them, in the order in which they are met.
func (l *List) Sorted() *List {
	order := make([]int, l.Len())
	for i := range order {
		order[i] = i
	}
	compare := func(a, b int) int {
		x, y := l.at(a), l.at(b)
		switch {
		case x.pattern || y.pattern:
			return cmp.Or(btoi(x.pattern)-btoi(y.pattern), a-b)
		case x.plain && y.plain:
			return cmp.Or(strings.Compare(x.from, y.from), a-b)
		}
		return cmp.Or(strings.Compare(l.Source(a).Host, l.Source(b).Host), strings.Compare(x.from, y.from), a-b)
	}
	begun := 1 // how many are in order already: all but what was added, as a rule
	for begun < len(order) && compare(begun-1, begun) <= 0 {
		begun++
	}
	if begun >= len(order) {
		return l
	}
	first, rest := order[:begun], order[begun:]
	slices.SortFunc(rest, compare)
	sorted := NewList(l.Site)
	sorted.Columns = l.Columns
	for len(first)+len(rest) > 0 {
		from := &rest
		if len(rest) == 0 || len(first) > 0 && compare(first[0], rest[0]) <= 0 {
			from = &first
		}
		sorted.appendFrom(l, (*from)[0])
		*from = (*from)[1:]
	}
	return sorted
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// Weigh notes in findings how often visitors asked for the source of the row where each stands, and for all the rows
// of a circle or a conflict.
func (e *Examined) Weigh(found []finding.Finding, visits func(yield func(address.Address, int) bool)) {
	c := e.checker
	byPlace := map[finding.Place]int{}
	for a, n := range visits {
		if row := c.asked(a); row >= 0 {
			byPlace[c.list.place(row)] += n
		}
	}
	if len(byPlace) == 0 {
		return
	}
	for i := range found {
		f := &found[i]
		f.Visits = byPlace[f.Where]
		if f.Code != finding.Loop && f.Code != finding.Conflict {
			continue
		}
		for _, place := range f.Related {
			f.Visits += byPlace[place]
		}
	}
}

// asked returns the row that is written for an address, or -1. A row that a page's own address hides has visitors all
// the same.
func (c *checker) asked(a address.Address) int {
	if !c.Site.Has(a.Host) {
		return -1
	}
	for _, n := range c.Index.Match(a.Host, a.Path, address.SplitQuery(a.Query), c.walker.Named(a.Path)) {
		if n < c.list.Len() {
			return n
		}
	}
	c.walker.Start("GET", a)
	if _, err := c.walker.Step(); err != nil || len(c.walker.Steps) == 0 {
		return -1
	}
	if node, _ := c.node(c.walker, true, -1); node >= 0 {
		return c.rowOf(node)
	}
	return -1
}
