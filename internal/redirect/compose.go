package redirect

import (
	"cmp"
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

// pattern returns a pattern whose target isn't redirected again: where all its
// addresses meet one listed row it leads where that leads; those that do are
// listed before it; and the patterns that it always meets are composed into it. A
// finding says what can't be made flat.
func (f *flattener) pattern(row Redirect, number int) ([]Redirect, *finding.Finding) {
	target := row.Pattern.Writes(f.Site)
	if target == nil || !f.clear(target, row.Pattern) {
		return []Redirect{row}, nil
	}
	if len(target.Classes()) == 0 {
		at, err := address.Resolve(f.Site.Origin, row.Pattern.To)
		if err != nil {
			return []Redirect{row}, nil
		}
		end, how := f.straight(Redirect{Source: route.Source{Query: strings.Join(row.Pattern.Names(), "&")}, Target: at,
			Status: row.Status, Drop: row.Drop}, number)
		if how == unwritable {
			return []Redirect{row}, nil
		}
		if how == endless || end.Gone() || end.ToPage() {
			return f.stuckPattern(row, number, "all of it leads to "+row.To+", which is redirected to a page or gone")
		}
		if row.Pattern, err = route.NewPattern(row.From, end.To, row.Pattern.Reader.Classes(), f.Site); err != nil {
			return f.stuckPattern(row, number, err.Error())
		}
		row.To, row.Status, row.Drop = end.To, end.Status, end.Drop
		return []Redirect{row}, nil
	}
	rows, ok, bad := f.exceptions(row, number, target)
	if bad != nil || !ok {
		return []Redirect{row}, bad
	}
	composed, bad := f.compose(row, number)
	if bad != nil || composed.To == row.To {
		return append(rows, composed), bad
	}
	further, bad := f.pattern(composed, number)
	for _, row := range further {
		known := slices.ContainsFunc(rows, func(have Redirect) bool { return have.From == row.From })
		if !known { // of two with one source, the pattern that is met first decides
			rows = append(rows, row)
		}
	}
	return rows, bad
}

// clear reports whether what a pattern writes can be followed as a whole: the plan leaves no part of the site alone,
// no parameter is noise in a part of it, and no address of the book and nothing with parameters is met by what the
// pattern writes.
func (f *flattener) clear(target *template.Reader, own *route.Pattern) bool {
	if _, again := template.Overlap(target, own.Reader, f.Paths.Lower); again {
		return false // it meets what it writes
	}
	if !f.Scope.All() || len(f.Parameters.NoiseScopes()) > 0 {
		return false
	}
	if slices.ContainsFunc(f.Patterns, func(q resolve.Pattern) bool {
		_, ok := template.Overlap(target, q.Reader, f.Paths.Lower)
		return ok && len(q.Reader.Query()) > 0
	}) {
		return false
	}
	for n := range f.sourcesRead(target) {
		if n >= f.list.Len() || f.Index.Source(n).Query != "" && len(target.Query()) == 0 {
			return false
		}
	}
	return true
}

// sourcesRead returns the numbers of the entries whose paths a pattern writes. They are found among those that begin
// as it does.
func (f *flattener) sourcesRead(target *template.Reader) iter.Seq[int] {
	if f.sorted == nil {
		f.sorted = []keyed{}
		for n := range f.Index.Len() {
			if source := f.Index.Source(n); source.Path != "" && (n >= f.list.Len() || !f.idle(n)) {
				f.sorted = append(f.sorted, keyed{f.Small(route.PatternPath(source.Path)), n})
			}
		}
		slices.SortFunc(f.sorted, func(a, b keyed) int {
			return cmp.Or(strings.Compare(a.path, b.path),
				a.number-b.number)
		})
	}
	begin := f.Small(target.Elements()[0].Literal)
	first, _ := slices.BinarySearchFunc(f.sorted, begin,
		func(k keyed, s string) int { return strings.Compare(k.path, s) })
	return func(yield func(int) bool) {
		var numbers []int
		for _, k := range f.sorted[first:] {
			if !strings.HasPrefix(k.path, begin) {
				break
			}
			if _, ok := target.ReadPath(route.PatternPath(f.Index.Source(k.number).Path), f.Paths.Lower); ok {
				numbers = append(numbers, k.number)
			}
		}
		slices.Sort(numbers)
		for _, n := range numbers {
			if !yield(n) {
				return
			}
		}
	}
}

// keyed is an entry with its path as patterns read it.
type keyed struct {
	path   string
	number int
}

func (c *checker) stuckPattern(row Redirect, number int, why string) ([]Redirect, *finding.Finding) {
	f := c.finding(number, finding.Chain, finding.Error, fmt.Sprintf("%s can't be made flat: %s", row.From, why), "",
		"lead it elsewhere, or list the addresses")
	return nil, &f
}

// exceptions returns the addresses that a pattern leads to a listed row, as rows
// of their own, or as patterns where some variables don't matter. It reports
// false when one of them can't be written, so that the pattern must stay.
func (f *flattener) exceptions(row Redirect, number int, target *template.Reader) (rows []Redirect, ok bool,
	bad *finding.Finding) {
	for i := range f.sourcesRead(target) {
		if i >= f.list.Len() {
			continue
		}
		source := f.list.Source(i)
		values, ok := target.ReadPath(route.PatternPath(source.Path), f.Paths.Lower)
		if !ok || !target.ReadQuery(address.SplitQuery(source.Query), values) {
			continue
		}
		to, err := row.Pattern.Leads(values, f.Site)
		if err != nil || f.decides(to) != i {
			continue
		}
		from := row.From
		for name := range row.Pattern.Reader.Classes() {
			if value, bound := values[name]; bound {
				from = strings.ReplaceAll(from, "{"+name+"}", strings.Join(value, "/"))
			}
		}
		exception := Redirect{From: from, To: to.String(), Target: to, Status: row.Status, Drop: row.Drop, File: row.File,
			Line: row.Line, notes: row.notes}
		if !strings.Contains(from, "{") {
			if exception.Source, err = route.ReadSource(from, f.Site); err != nil {
				continue // no request has it
			}
			f.walker.Start("GET", exception.Source.On(f.Site.Origin))
			if _, err := f.walker.Step(); err != nil || len(f.walker.Steps) == 0 {
				continue
			}
			if step := f.walker.Steps[0]; step.By != resolve.ByPattern || f.Patterns[step.Number].Row != number {
				continue // something before the pattern decides there
			}
			if _, how := f.straight(exception, number); how == unwritable {
				return nil, false, nil
			}
			rows = append(rows, exception)
			continue
		}
		if strings.Contains(from, "*}") || strings.Contains(from, "{?") || strings.Contains(from, "{&") ||
			strings.Contains(from, "{/") {
			_, bad = f.stuckPattern(row, number, fmt.Sprintf("some of it leads to %s, which line %d redirects again",
				to.Local(), f.list.at(i).line))
			return nil, false, bad
		}
		end, how := f.straight(exception, number)
		if how == unwritable {
			return nil, false, nil
		}
		if how == endless || end.Gone() || end.ToPage() {
			_, bad = f.stuckPattern(row, number,
				fmt.Sprintf("some of it leads to %s, which line %d redirects to a page or gone", to.Local(),
					f.list.at(i).line))
			return nil, false, bad
		}
		exception = end
		if exception.Pattern, err = route.NewPattern(from, end.To, remaining(row.Pattern.Reader.Classes(), values),
			f.Site); err != nil {
			_, bad = f.stuckPattern(row, number, err.Error())
			return nil, false, bad
		}
		rows = append(rows, exception)
	}
	return rows, true, nil
}

// decides returns the number of the entry that decides about a request for an address, or -1.
func (f *flattener) decides(a address.Address) int {
	return f.Rules.Decides(a.Host, a.Path, address.SplitQuery(a.Query), f.walker.Named(a.Path))
}

// remaining returns the classes of the variables that have no value.
func remaining(classes map[string]template.Class, values template.Values) map[string]template.Class {
	maps.DeleteFunc(classes, func(name string, _ template.Class) bool { _, bound := values[name]; return bound })
	return classes
}

// compose returns a pattern with those that its target always meets composed into it; a finding when it meets one of
// the list that can't be composed. One of the plan may stay the plan's to lead on.
func (f *flattener) compose(row Redirect, number int) (Redirect, *finding.Finding) {
	refuse := func(why, advice string) (Redirect, *finding.Finding) {
		bad := f.finding(number, finding.Chain, finding.Error, why, "", advice)
		return row, &bad
	}
	for range resolve.MaxRounds {
		target := row.Pattern.Writes(f.Site)
		if target == nil || len(target.Classes()) == 0 || !f.clear(target, row.Pattern) {
			return row, nil
		}
		q, one, err := f.Through(row.Pattern)
		switch {
		case err != nil:
			return refuse(fmt.Sprintf("%s and %s can't be made one: %v", row.From, q.From, err), "list the addresses")
		case q == nil, one == nil && q.Row < 0:
			return row, nil
		case one == nil:
			return refuse(fmt.Sprintf("%s leads to some of what %s in line %d reads, so the two can't be made one",
				row.From, q.From, q.Cause.Line), "narrow one of them by class, or list the addresses")
		}
		row.Pattern, row.To = one, one.To
		row.Status = resolve.ComposeWritten(row.Status, q.Status)
		row.Drop = row.Drop || q.Drop
	}
	return row, nil
}
