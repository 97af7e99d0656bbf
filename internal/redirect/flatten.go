package redirect

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/table"
)

// Compose returns the one status for several steps: temporary if any of them
// is, and then the strictest of that sort.
func Compose(statuses []int) int {
	for _, s := range []int{303, 307, 302, 308} {
		if slices.Contains(statuses, s) {
			return s
		}
	}
	return 301
}

// Flatten returns the map in which every source leads straight to its final
// address, with the status of the whole way, and without rows that stand behind
// another with their source. Where rows contradict each other or lead round in a
// circle it returns what Check says of them, and no map.
func Flatten(rows []Row, world World) (flat []Row, found []finding.Finding) {
	c := check(rows, world)
	for _, f := range c.found {
		if slices.Contains([]string{"loop", "into-loop", "self", "conflict"}, f.Code) {
			found = append(found, f)
		}
	}
	if len(found) > 0 {
		return nil, found
	}
	f := flattener{World: world, rows: rows, index: c.index, tails: map[address.Address]tail{}}
	for i, row := range rows {
		if c.later[i] {
			continue
		}
		straight, ok := f.straight(row)
		if !ok {
			found = append(found, finding.Finding{Code: "loop", Severity: finding.Error, Where: row.place(), What: fmt.Sprintf("the way from %s goes round in a circle, with the parameters that travel", row.From),
				Why: "a visitor never arrives; browsers give up with an error", Advice: "say query: drop in one of its rows, or lead it elsewhere"})
			continue
		}
		flat = append(flat, straight)
	}
	if len(found) > 0 {
		return nil, found
	}
	return flat, nil
}

// Part parts the rows that Flatten refuses, those in and into circles, to
// themselves, and all with a source that leads to several places, from the
// others.
func Part(rows []Row, world World) (fine, refused []Row) {
	for i, stuck := range check(rows, world).stuck {
		if stuck {
			refused = append(refused, rows[i])
		} else {
			fine = append(fine, rows[i])
		}
	}
	return fine, refused
}

// flattener follows ways. What comes after an address depends on nothing else,
// so that each is followed once.
type flattener struct {
	World
	rows  []Row
	index *Index
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
	for _, n := range f.index.Match(at.Host, at.Path, address.SplitQuery(at.Query), f.index.Named(at.Path)) {
		row := f.rows[n]
		to := compose(here, row)
		switch {
		case row.Gone():
			return step{row: row, status: 301, ends: true}
		case row.ToPage():
			return step{row: to, status: cmp.Or(row.Status, 301), drop: row.Drop, ends: true}
		}
		to.Target = f.Site.Rebase(to.Target)
		same := at
		if same.Fragment = to.Target.Fragment; to.Target != same {
			return step{row: to, status: cmp.Or(row.Status, 301), drop: row.Drop}
		}
	}
	spelled := f.spell(at)
	spelled.Fragment = at.Fragment
	return step{row: Row{Target: spelled}, ends: spelled == at}
}

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

// Encode writes rows as a table. Targets are pages, paths on the site, or
// addresses; columns that hold nothing are left out, but for the first three.
func Encode(rows []Row, site address.Site) []byte {
	columns := []string{"from", "to", "status"}
	for _, name := range []string{"query", "reason", "source", "since"} {
		if slices.ContainsFunc(rows, func(r Row) bool { return r.Note(name) != "" }) {
			columns = append(columns, name)
		}
	}
	return table.EncodeRecords(columns, func(yield func([]string) bool) {
		for _, r := range rows {
			record := []string{r.From, r.goalText(site), strconv.Itoa(cmp.Or(r.Status, 301))}
			for _, name := range columns[3:] {
				record = append(record, r.Note(name))
			}
			if !yield(record) {
				return
			}
		}
	})
}

// Note returns what a row says in a further column.
func (r Row) Note(column string) string {
	if column == "query" {
		if r.Drop {
			return "drop"
		}
		return ""
	}
	return r.notes[column]
}

// goalText returns the target as it is written into a list.
func (r Row) goalText(site address.Site) string {
	switch {
	case r.Gone():
		return ""
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
