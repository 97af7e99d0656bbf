package redirect

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/template"
)

// Fold is rows that make the same edit, and the pattern that makes it too.
//
//	/blog/2019/winter.html  /notices/winter      /blog/2019/{v1}.html  /notices/{v1}  v1=slug
//	/blog/2019/summer.html  /notices/summer
type Fold struct {
	From, To string
	Class    string
	Status   int
	Drop     bool
	Rows     []int  // by their numbers
	Reads    uint64 // how many addresses the pattern reads; 0: more than can be counted
}

// leastFolded is how many rows a pattern takes the place of, at least.
const leastFolded = 3

// edit is what a row does to an address: another beginning and another end around some segments in the middle, which stay.
type edit struct {
	before, after     string // of the source
	toBefore, toAfter string // of the target
	segments          int
	status            int
	drop              bool
}

// Folds returns which rows could become patterns, those of most rows first. Rows stay as they are that lead to a page by
// its key, that have parameters, hosts or fragments, or whose middle is no variable of a pattern.
func (l *List) Folds() []Fold {
	middles := map[edit][]int{}
	var order []edit
	for i := range l.Len() {
		r := l.at(i)
		if r.pattern || !r.plain || strings.ContainsAny(r.to, "?#{}") || strings.ContainsAny(r.from, "{}") || !r.local && r.path == 0 {
			continue
		}
		e, ok := editOf(r.from, r.to, int(r.path))
		if !ok {
			continue
		}
		e.status, e.drop = int(r.status), r.drop
		if middles[e] == nil {
			order = append(order, e)
		}
		middles[e] = append(middles[e], i)
	}
	var folds []Fold
	for _, e := range order {
		if rows := middles[e]; len(rows) >= leastFolded {
			if f, ok := l.fold(e, rows); ok {
				folds = append(folds, f)
			}
		}
	}
	slices.SortStableFunc(folds, func(a, b Fold) int {
		return cmp.Or(cmp.Compare(len(b.Rows), len(a.Rows)), strings.Compare(a.From, b.From))
	})
	return folds
}

// editOf finds the longest stretch of whole segments that source and target share, perhaps without an extension at its
// end. path is where the target's path begins.
func editOf(from, to string, path int) (e edit, ok bool) {
	longest := 0
	for i := range len(from) {
		if from[i] != '/' {
			continue
		}
		for j := path; j < len(to); j++ {
			if to[j] != '/' {
				continue
			}
			n := common(from[i+1:], to[j+1:])
			if n > 0 && n >= longest { // of two, the one nearer to the end
				longest = n
				middle := from[i+1 : i+1+n]
				e = edit{before: from[:i+1], after: from[i+1+n:], toBefore: to[:j+1], toAfter: to[j+1+n:], segments: 1 + strings.Count(middle, "/")}
			}
		}
	}
	return e, longest > 0 && e.before+e.after != "/"
}

// common returns how long the stretch is with which both texts begin, up to the end of a segment or an extension in both.
func common(a, b string) (n int) {
	border := func(s string, i int) bool { return i == len(s) || s[i] == '/' || s[i] == '.' }
	for i := 0; ; i++ {
		if i > 0 && border(a, i) && border(b, i) && a[i-1] != '/' {
			n = i
		}
		if i >= len(a) || i >= len(b) || a[i] != b[i] {
			return n
		}
	}
}

// fold makes the pattern of rows with one edit.
func (l *List) fold(e edit, rows []int) (Fold, bool) {
	f := Fold{From: e.before, To: e.toBefore, Status: e.status, Drop: e.drop, Rows: rows, Reads: 1}
	values := make([][]string, e.segments)
	for _, i := range rows {
		from := l.at(i).from
		for k, segment := range strings.Split(from[len(e.before):len(from)-len(e.after)], "/") {
			values[k] = append(values[k], segment)
		}
	}
	var classes []string
	for k, list := range values {
		part := list[0]
		if slices.ContainsFunc(list, func(v string) bool { return v != part }) {
			class, reads, ok := narrowest(list)
			if !ok {
				return f, false
			}
			if f.Reads *= reads; reads > manyValues {
				f.Reads = 0
			}
			name := "v" + strconv.Itoa(len(classes)+1)
			part, classes = "{"+name+"}", append(classes, name+"="+class)
		}
		if k > 0 {
			part = "/" + part
		}
		f.From, f.To = f.From+part, f.To+part
	}
	f.From, f.To, f.Class = f.From+e.after, f.To+e.toAfter, strings.Join(classes, " ")
	_, ok := l.patternOf(f)
	return f, ok
}

// patternOf returns the fold as a row.
func (l *List) patternOf(f Fold) (Redirect, bool) {
	written := fields{from: f.From, to: f.To, class: f.Class}
	if f.Status != 0 {
		written.status = strconv.Itoa(f.Status)
	}
	if f.Drop {
		written.query = "drop"
	}
	var row Redirect
	if problem := written.parse(&row, l.Site); problem != nil || row.Pattern == nil {
		return row, false
	}
	row.SetNote("class", f.Class)
	row.SetNote("reason", fmt.Sprintf("in place of %d rows", len(f.Rows)))
	return row, true
}

// manyValues is how many values of a class are counted.
const manyValues = 1 << 20

// narrowest returns the narrowest class that has all of these values, and how many values it has, or more than manyValues.
func narrowest(values []string) (class string, reads uint64, ok bool) {
	shortest, longest := len(values[0]), 0
	for _, v := range values {
		shortest, longest = min(shortest, len(v)), max(longest, len(v))
	}
	const many = manyValues + 1
	for _, name := range []string{"digits", "slug", "segment"} {
		c, err := template.ParseClass(name)
		if err != nil || slices.ContainsFunc(values, func(v string) bool { return !c.Holds(v) }) {
			continue
		}
		if name != "digits" {
			return name, many, true
		}
		if longest > 6 {
			return name, many, true
		}
		for n := shortest; n <= longest; n++ {
			power := uint64(1)
			for range n {
				power *= 10
			}
			reads += power
		}
		if shortest == longest {
			return fmt.Sprintf("[0-9]{%d}", shortest), reads, true
		}
		return fmt.Sprintf("[0-9]{%d,%d}", shortest, longest), reads, true
	}
	return "", 0, false
}

// Folded returns the list with patterns in the place of rows. Patterns stand behind all rows, so that what stays listed
// goes before them.
func (l *List) Folded(folds []Fold) *List {
	gone := map[int]bool{}
	out := NewList(l.Site)
	out.Columns = slices.Clone(l.Columns)
	out.addColumn("class")
	for _, f := range folds {
		for _, i := range f.Rows {
			gone[i] = true
		}
	}
	for i := range l.Len() {
		if !gone[i] {
			out.appendFrom(l, i)
		}
	}
	for _, f := range folds {
		if row, ok := l.patternOf(f); ok {
			out.Append(row)
		}
	}
	return out
}
