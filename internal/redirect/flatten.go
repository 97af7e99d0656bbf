package redirect

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/table"
	"young-compass/internal/template"
)

// Refused returns those findings with which no list can be made flat.
func Refused(found []finding.Finding) (refused []finding.Finding) {
	for _, f := range found {
		switch f.Code {
		case "loop", "into-loop", "self", "conflict":
			refused = append(refused, f)
		}
	}
	return refused
}

// Flatten returns the map in which every source leads straight to its final
// address, with the status of the whole way, and without rows that stand behind
// another with their source. A pattern whose target always meets another one is
// composed with it; where it meets a listed row for some addresses, these are
// listed too. Where rows contradict each other or lead round in a circle it
// returns what Check says of them, and no map.
func Flatten(list *List, world World) (flat *List, found []finding.Finding) {
	c := check(list, world)
	if found = Refused(c.found); len(found) > 0 {
		return nil, found
	}
	f := flattener{checker: c, tails: map[address.Address]tail{}}
	flat = NewList(list.Site)
	flat.Columns = list.Columns
	put := func(row Row) {
		straight, ok := f.straight(row)
		if !ok {
			found = append(found, finding.Finding{Code: "loop", Severity: finding.Error, Where: row.Place(), What: fmt.Sprintf("the way from %s goes round in a circle, with the parameters that travel", row.From),
				Why: "a visitor never arrives; browsers give up with an error", Advice: "say query: drop in one of its rows, or lead it elsewhere"})
			return
		}
		flat.Append(straight)
	}
	for i, row := range list.All() {
		switch {
		case c.later(i):
		case row.Pattern == nil:
			put(row)
		default:
			rows, bad := f.pattern(row, i)
			if bad != nil {
				found = append(found, *bad)
			}
			for _, row := range rows {
				if row.Pattern == nil {
					put(row)
				} else {
					flat.Append(row)
				}
			}
		}
	}
	if len(found) > 0 {
		return nil, found
	}
	return flat, nil
}

// Straighten returns the rows of a list as they lead through those of another one,
// to which they are to be put, and through one another.
func Straighten(more, have *List, world World) *List {
	both := NewList(more.Site)
	both.Append(slices.Collect(rowsOf(have))...)
	both.Append(slices.Collect(rowsOf(more))...)
	f := flattener{checker: check(both, world), tails: map[address.Address]tail{}}
	out := NewList(more.Site)
	out.Columns = more.Columns
	for _, row := range more.All() {
		if straight, ok := f.straight(row); ok && row.Pattern == nil {
			row = straight
		}
		out.Append(row)
	}
	return out
}

// pattern returns a pattern whose target isn't redirected again: where all its
// addresses meet one listed row it leads where that leads; those that do are
// listed before it; and the patterns that it always meets are composed into it. A
// finding says what can't be made flat.
func (f *flattener) pattern(row Row, number int) ([]Row, *finding.Finding) {
	target := f.targetReader(row.Pattern)
	if target == nil {
		return []Row{row}, nil
	}
	if len(target.Classes()) == 0 {
		at, err := address.Resolve(f.Site.Origin, row.Pattern.To)
		if err != nil {
			return []Row{row}, nil
		}
		end, ok := f.straight(Row{Target: at, Status: row.Status, Drop: row.Drop})
		if !ok || end.Gone() || end.ToPage() {
			return f.stuckPattern(row, number, "all of it leads to "+row.To+", which is redirected to a page or gone")
		}
		if row.Pattern, err = NewPattern(row.From, end.To, row.Pattern.Reader.Classes(), f.Site); err != nil {
			return f.stuckPattern(row, number, err.Error())
		}
		row.To, row.Status, row.Drop = end.To, end.Status, end.Drop
		return []Row{row}, nil
	}
	rows, bad := f.exceptions(row, number, target)
	if bad != nil {
		return nil, bad
	}
	composed, bad := f.compose(row, number)
	if bad != nil || composed.To == row.To {
		return append(rows, composed), bad
	}
	further, bad := f.pattern(composed, number)
	for _, row := range further {
		if !slices.ContainsFunc(rows, func(have Row) bool { return have.From == row.From }) { // else what it meets first decides
			rows = append(rows, row)
		}
	}
	return rows, bad
}

func (c *checker) stuckPattern(row Row, number int, why string) ([]Row, *finding.Finding) {
	f := c.finding(number, "chain", finding.Error, fmt.Sprintf("%s can't be made flat: %s", row.From, why), "", "lead it elsewhere, or list the addresses")
	return nil, &f
}

// exceptions returns the addresses that a pattern leads to a listed row, as rows
// of their own, or as patterns where some variables don't matter.
func (f *flattener) exceptions(row Row, number int, target *template.Reader) (rows []Row, bad *finding.Finding) {
	for i := range f.list.Len() {
		source := f.list.Source(i)
		if source.Path == "" || f.later(i) {
			continue
		}
		values, ok := target.ReadPath(PatternPath(source.Path), f.Fold)
		if !ok || !target.ReadQuery(address.SplitQuery(source.Query), values) {
			continue
		}
		to, err := row.Pattern.Leads(values, f.Site)
		if node, _ := f.meets(to, false, -1); err != nil || int(node) != i {
			continue
		}
		from := row.From
		for name := range row.Pattern.Reader.Classes() {
			if value, bound := values[name]; bound {
				from = strings.ReplaceAll(from, "{"+name+"}", strings.Join(value, "/"))
			}
		}
		exception := Row{From: from, To: to.String(), Target: to, Status: row.Status, Drop: row.Drop, File: row.File, Line: row.Line, notes: row.notes}
		if !strings.Contains(from, "{") {
			if exception.Source, err = ReadSource(from, f.Site); err != nil {
				continue // no request has it
			}
			if node, _ := f.meets(onHost(f.Site.Origin, exception.Source), true, -1); node < 0 || f.rowOf(node) != number {
				continue // something before the pattern decides there
			}
			rows = append(rows, exception)
			continue
		}
		if strings.Contains(from, "*}") || strings.Contains(from, "{?") || strings.Contains(from, "{&") || strings.Contains(from, "{/") {
			_, bad = f.stuckPattern(row, number, fmt.Sprintf("some of it leads to %s, which line %d redirects again", to.Local(), f.list.at(i).line))
			return nil, bad
		}
		end, ok := f.straight(exception)
		if !ok || end.Gone() || end.ToPage() {
			_, bad = f.stuckPattern(row, number, fmt.Sprintf("some of it leads to %s, which line %d redirects to a page or gone", to.Local(), f.list.at(i).line))
			return nil, bad
		}
		exception = end
		if exception.Pattern, err = NewPattern(from, end.To, remaining(row.Pattern.Reader.Classes(), values), f.Site); err != nil {
			_, bad = f.stuckPattern(row, number, err.Error())
			return nil, bad
		}
		rows = append(rows, exception)
	}
	return rows, nil
}

// onHost returns the address that a source is, on its own host or else on that of
// another address.
func onHost(a address.Address, s Source) address.Address {
	a.Host, a.Path, a.Query = cmp.Or(s.Host, a.Host), s.Path, s.Query
	return a
}

// remaining returns the classes of the variables that have no value.
func remaining(classes map[string]template.Class, values template.Values) map[string]template.Class {
	maps.DeleteFunc(classes, func(name string, _ template.Class) bool { _, bound := values[name]; return bound })
	return classes
}

// compose returns a pattern with those that its target always meets composed
// into it; a finding when it meets one that can't be composed.
func (c *checker) compose(row Row, number int) (Row, *finding.Finding) {
	for range maxRounds {
		target := c.targetReader(row.Pattern)
		if target == nil || len(target.Classes()) == 0 {
			return row, nil
		}
		n := slices.IndexFunc(c.patterns, func(q numbered) bool {
			_, ok := template.Overlap(target, q.Reader, c.Fold)
			return ok && q.row != number && !c.later(q.row)
		})
		if n < 0 {
			return row, nil
		}
		q := c.patterns[n]
		names, ok := template.Align(target, q.Reader, c.Fold)
		if !ok || len(target.Query())+len(q.Reader.Query()) > 0 {
			f := c.finding(number, "chain", finding.Error, fmt.Sprintf("%s leads to some of what %s in line %d reads, so the two can't be made one", row.From, q.From, c.list.at(q.row).line), "", "narrow one of them by class, or list the addresses")
			return row, &f
		}
		next := c.list.Row(q.row)
		p, err := NewPattern(row.From, q.Target.Rename(names).String(), row.Pattern.Reader.Classes(), c.Site)
		if err != nil {
			f := c.finding(number, "chain", finding.Error, fmt.Sprintf("%s and %s can't be made one: %v", row.From, q.From, err), "", "list the addresses")
			return row, &f
		}
		row.Pattern, row.To = p, p.To
		row.Status = Compose([]int{cmp.Or(row.Status, 301), cmp.Or(next.Status, 301)})
		row.Drop = row.Drop || next.Drop
	}
	return row, nil
}

// Part parts the rows that Flatten refuses, those in and into circles, to
// themselves, and all with a source that leads to several places, from the
// others.
func Part(list *List, world World) (fine, refused *List) {
	fine, refused = NewList(list.Site), NewList(list.Site)
	c := check(list, world)
	for i, row := range list.All() {
		if c.flags[i]&stuck != 0 {
			refused.Append(row)
		} else {
			fine.Append(row)
		}
	}
	return fine, refused
}

// flattener follows ways. What comes after an address depends on nothing else,
// so that each is followed once.
type flattener struct {
	*checker
	tails map[address.Address]tail
}

// tail is what comes after an address: its end, and what the way there is like.
type tail struct {
	end      Row // its target, as far as there is one
	statuses []int
	drop     bool
}

// straight returns a row that leads to the end of its way at once; false when
// the way has no end.
func (f *flattener) straight(row Row) (Row, bool) {
	if row.Gone() || row.ToPage() {
		row.Status = cmp.Or(row.Status, 301)
		row.To = row.goalText(f.Site)
		return row, true
	}
	t, ok := f.follow(f.Site.Rebase(row.Target))
	if !ok {
		return row, false
	}
	row.Page, row.Target, row.Drop = t.end.Page, t.end.Target, row.Drop || t.drop
	row.Status = Compose(append([]int{cmp.Or(row.Status, 301)}, t.statuses...))
	if t.end.Gone() {
		row.Status = 410
	}
	row.To = row.goalText(f.Site)
	return row, true
}

// follow returns what comes after an address; false when nothing ever ends.
func (f *flattener) follow(at address.Address) (tail, bool) {
	var way []address.Address
	var steps []step
	seen := map[address.Address]bool{}
	t, known := f.tails[at]
	for !known {
		if seen[at] {
			return tail{}, false
		}
		seen[at] = true
		s := f.step(at)
		way, steps = append(way, at), append(steps, s)
		if s.ends {
			t = tail{end: s.row}
			break
		}
		at = s.row.Target
		t, known = f.tails[at]
	}
	for i, at := range slices.Backward(way) {
		if s := steps[i]; s.status != 0 && !slices.Contains(t.statuses, s.status) {
			t.statuses = append(slices.Clip(t.statuses), s.status)
		}
		t.drop = t.drop || steps[i].drop
		f.tails[at] = t
	}
	return t, true
}

// step is one hop from an address.
type step struct {
	row    Row // with its target as the visitor meets it
	status int // 0: the site's own rules, or none
	drop   bool
	ends   bool
}

// step takes the row that an address meets, else the site's own rules. A row
// that leads to where the visitor is already is no step.
func (f *flattener) step(at address.Address) step {
	here := Row{Target: at}
	if !f.Site.Has(at.Host) || f.Served != nil && f.Served(at) && f.Site.Rebase(at) == at {
		return step{row: here, ends: true}
	}
	params := address.SplitQuery(at.Query)
	named := f.named(at.Path)
	hits := f.index.Match(at.Host, at.Path, params, named)
	for _, n := range hits {
		row := f.list.Row(n)
		to := compose(here, row)
		switch {
		case row.Gone():
			return step{row: row, status: 301, ends: true}
		case row.ToPage():
			return step{row: to, status: cmp.Or(row.Status, 301), drop: row.Drop, ends: true}
		}
		if to.Target = f.Site.Rebase(to.Target); moves(at, to.Target) {
			return step{row: to, status: cmp.Or(row.Status, 301), drop: row.Drop}
		}
	}
	for _, k := range f.reading(at.Path) {
		p := f.patterns[k]
		values, ok := p.Reads(at.Path, params, named, f.Fold)
		if !ok || f.Site.IsHome(at.Host) || f.later(p.row) {
			continue
		}
		row := f.list.Row(p.row)
		target, err := p.Leads(values, f.Site)
		if err != nil {
			continue
		}
		row.Query, row.Target = joinNames(p.Names()), target
		to := compose(here, row)
		if to.Target = f.Site.Rebase(to.Target); moves(at, to.Target) {
			return step{row: to, status: cmp.Or(row.Status, 301), drop: row.Drop}
		}
	}
	spelled := f.spell(at)
	spelled.Fragment = at.Fragment
	return step{row: Row{Target: spelled}, ends: spelled == at}
}

// moves reports whether a step leads elsewhere.
func moves(from, to address.Address) bool {
	from.Fragment = to.Fragment
	return from != to
}

// joinNames returns a query with these names.
func joinNames(names []string) string { return strings.Join(names, "&") }

// compose lets a row lead where the next one on its way leads. What of its
// target's parameters the next one doesn't name travels on.
func compose(row, next Row) Row {
	fragment, own := row.Target.Fragment, address.SplitQuery(row.Target.Query)
	row.Status, row.To, row.Page, row.Target = next.Status, next.To, next.Page, next.Target
	if next.Gone() {
		return row
	}
	if row.Target.Fragment == "" {
		row.Target.Fragment = fragment
	}
	row.Drop = row.Drop || next.Drop
	if next.ToPage() || next.Drop {
		return row
	}
	leave := next.Names()
	target := address.SplitQuery(next.Target.Query)
	for _, q := range target {
		leave = append(leave, q.Name)
	}
	own = slices.DeleteFunc(own, func(q address.Param) bool { return slices.Contains(leave, q.Name) })
	row.Target.Query = address.JoinQuery(append(target, own...))
	return row
}

// Encode writes a list as a table. Targets are pages, paths on the site, or
// addresses; columns that hold nothing are left out, but for the first three.
func (l *List) Encode() []byte {
	columns := []string{"from", "to", "status"}
	holds := map[string]bool{}
	for _, row := range l.All() {
		holds["query"] = holds["query"] || row.Drop
		for _, n := range row.notes {
			holds[n.column] = true
		}
	}
	for _, name := range append([]string{"query"}, l.Columns...) {
		if holds[name] {
			columns = append(columns, name)
		}
	}
	return table.EncodeRecords(columns, func(yield func([]string) bool) {
		for _, row := range l.All() {
			record := []string{row.From, row.goalText(l.Site), strconv.Itoa(cmp.Or(row.Status, 301))}
			for _, name := range columns[3:] {
				record = append(record, row.Note(name))
			}
			if !yield(record) {
				return
			}
		}
	})
}

// EncodeAside writes the rows that a flat map can't have: those of a list, and
// rows that can't be read, with what is wrong with them.
func EncodeAside(refused *List, unread []Unread) []byte {
	return table.EncodeRecords([]string{"from", "to", "status", "problem"}, func(yield func([]string) bool) {
		for _, r := range refused.All() {
			if !yield([]string{r.From, r.goalText(refused.Site), strconv.Itoa(cmp.Or(r.Status, 301)), "leads round in a circle, or contradicts another row"}) {
				return
			}
		}
		for _, u := range unread {
			if !yield([]string{u.From, u.To, u.Status, u.Problem.Code + ": " + u.Problem.What}) {
				return
			}
		}
	})
}

// goalText returns the target as it is written into a list.
func (r Row) goalText(site address.Site) string {
	switch {
	case r.Gone():
		return ""
	case r.Pattern != nil:
		return r.To
	case r.ToPage():
		if r.Target.Fragment != "" {
			return fmt.Sprintf("%s#%s", r.Page, r.Target.Fragment)
		}
		return r.Page.String()
	case r.Target.Origin() == site.Origin:
		return r.Target.Local()
	}
	return r.Target.String()
}
