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
type Choose func(have, take Row) (bool, error)

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
func Merge(have, more *List, fold bool, choose Choose) (Merged, []finding.Finding, error) {
	m := merger{fold: fold, rows: slices.Collect(rowsOf(have)), sources: map[string]int{}}
	for i, row := range m.rows {
		key := m.key(row)
		if _, known := m.sources[key]; !known {
			m.sources[key] = i
		}
	}
	result := Merged{}
	var found []finding.Finding
	for row := range rowsOf(more) {
		key := m.key(row)
		i, known := m.sources[key]
		switch {
		case !known:
			m.sources[key] = len(m.rows)
			m.rows = append(m.rows, row)
			result.Added++
		case m.rows[i].goal() == row.goal():
			result.Known++
		case choose == nil:
			old := m.rows[i]
			found = append(found, finding.Finding{Code: finding.Conflict, Severity: finding.Error, Where: row.Place(), Related: []finding.Place{old.Place()},
				What: fmt.Sprintf("%s leads to %s here, and to %s in %s", row.From, row.goal(), old.goal(), old.Place()), Advice: "take one of the two out, or answer on a terminal which is right"})
		default:
			take, err := choose(m.rows[i], row)
			if err != nil {
				return Merged{}, nil, err
			}
			if take {
				m.rows[i] = row
				result.Replaced++
			}
		}
	}
	if len(found) > 0 {
		return Merged{}, found, nil
	}
	result.List = NewList(have.Site)
	result.List.Columns = slices.Clone(have.Columns)
	for _, name := range []string{"reason", "source", "since", "class"} {
		result.List.addColumn(name)
	}
	for _, row := range m.rows {
		row.notes = slices.DeleteFunc(slices.Clone(row.notes), func(n note) bool { return !slices.Contains(result.List.Columns, n.column) })
		result.List.Append(row)
	}
	return result, nil, nil
}

// Together returns the rows of two lists as one.
func Together(have, more *List) *List {
	both := NewList(more.Site)
	both.Append(slices.Collect(rowsOf(have))...)
	both.Append(slices.Collect(rowsOf(more))...)
	return both
}

func rowsOf(l *List) func(yield func(Row) bool) {
	return func(yield func(Row) bool) {
		for _, row := range l.All() {
			if !yield(row) {
				return
			}
		}
	}
}

// Unsure reports whether the row is one of a list of pairs that is less sure than
// confidence, and that nobody decided.
func (r Row) Unsure(confidence float64) bool {
	own, err := strconv.ParseFloat(r.Note("confidence"), 64)
	return err == nil && own < confidence && r.Note("decided") == ""
}

// merger is a merge under way.
type merger struct {
	fold    bool // letters of paths don't count
	rows    []Row
	sources map[string]int // the first row by its source
}

// key returns a text that is equal for rows with one source.
func (m *merger) key(r Row) string {
	if r.Pattern != nil {
		return "pattern " + readingOf(r.Pattern, m.fold)
	}
	return r.Host + " " + address.Key(r.Path, m.fold) + " " + r.Signature()
}

// Sorted returns the list with its rows by their sources; patterns stand behind
// them, in the order in which they are met.
func (l *List) Sorted() *List {
	rows := slices.Collect(rowsOf(l))
	slices.SortStableFunc(rows, func(a, b Row) int {
		switch {
		case a.Pattern != nil && b.Pattern != nil:
			return 0
		case a.Pattern != nil:
			return 1
		case b.Pattern != nil:
			return -1
		}
		return cmp.Or(strings.Compare(a.Host, b.Host), strings.Compare(a.From, b.From))
	})
	sorted := NewList(l.Site)
	sorted.Columns = l.Columns
	sorted.Append(rows...)
	return sorted
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
