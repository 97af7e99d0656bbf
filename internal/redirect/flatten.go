package redirect

import (
	"cmp"
	"fmt"
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
)

// Refused returns those findings with which no list can be made flat.
func Refused(found []finding.Finding) (refused []finding.Finding) {
	for _, f := range found {
		switch f.Code {
		case "loop", finding.IntoLoop, "self", "conflict":
			refused = append(refused, f)
		}
	}
	return refused
}

// Mode says what a flat map must be like.
type Mode int

// The modes.
const (
	// Straight is for a list that is handed on: every row leads to its end at once, and has a status. Where a request
	// that brings parameters along could have ended elsewhere on the way, a warning says so.
	Straight Mode = iota
	// Exact is for a map in use: no request is answered otherwise than before. A row that could not say what its way
	// says stays as it is.
	Exact
)

// Flatten returns the map in which every source leads straight to its final address, with the status of the whole
// way, and without rows that stand behind another with their source. A pattern whose target always meets another one
// is composed with it; where it meets a listed row for some addresses, these are listed too. Where rows contradict
// each other or lead round in a circle there is no map, and the findings are those that Check has of them; else they
// are warnings.
func Flatten(list *List, world World, mode Mode) (flat *List, found []finding.Finding) {
	c := check(list, world)
	if found = Refused(c.found); len(found) > 0 {
		return nil, found
	}
	f := flattener{checker: c, mode: mode, tails: map[address.Address]tail{}}
	flat = NewList(list.Site)
	flat.Columns = list.Columns
	warn := func(row Redirect, what, why, advice string) {
		found = append(found, finding.Finding{Code: finding.ParameterOnWay, Severity: finding.Warning,
			Where: row.Place(), What: row.From + " " + what, Why: why, Advice: advice})
	}
	chains := map[finding.Place]bool{}
	for _, f := range c.found {
		chains[f.Where] = chains[f.Where] || f.Code == finding.Chain
	}
	put := func(row Redirect, number int) {
		straight, how := f.straight(row, number)
		switch how {
		case endless:
			found = append(found, finding.Finding{Code: finding.Loop, Severity: finding.Error, Where: row.Place(),
				What: fmt.Sprintf("the way from %s goes round in a circle, with the parameters that travel",
					row.From),
				Why:    "a visitor never arrives; browsers give up with an error",
				Advice: "say query: drop in one of its rows, or lead it elsewhere"})
			return
		case inexact:
			warn(row, "led on by way of addresses at which parameters mean something",
				"a request that brought them along may have ended elsewhere",
				"list the addresses with these parameters, if anybody asks for them")
		}
		flat.Append(straight)
	}
	for i := range list.Len() {
		if c.later(i) {
			continue
		}
		ends := c.flags[i]&settled != 0
		if ends && list.flatAlready(i) && !c.idle(i) {
			flat.appendFrom(list, i)
			continue
		}
		row := list.Row(i)
		switch {
		case c.idle(i):
			flat.Append(row) // nothing leads anywhere by it
		case row.Pattern == nil && ends && row.Target.Fragment == "" && row.Target.Origin() == f.Site.Origin:
			row.To, row.Status = row.goalText(list.Site), f.status(row.Status)
			flat.Append(row)
		case row.Pattern == nil:
			put(row, i)
		default:
			rows, bad := f.pattern(row, i)
			if bad != nil {
				found = append(found, *bad)
			}
			if bad == nil && len(rows) == 1 && rows[0].To == row.To && chains[row.Place()] {
				warn(row, "stays as it is: what it leads to is not always redirected alike", "",
					"list the addresses that are redirected again")
			}
			for _, row := range rows {
				if row.Pattern == nil {
					put(row, i)
				} else {
					flat.Append(row)
				}
			}
		}
	}
	if finding.Worst(found, finding.Error) {
		return nil, found
	}
	return flat, found
}

// Straighten returns the rows of more, each leading straight to where its chain ends in world. There the rows of more
// are numbered behind those of the map they are added to: the first has the number before.
func Straighten(more *List, before int, world World) *List {
	f := flattener{mode: Exact, checker: &checker{Rules: world.Rules, known: world.Known, list: more,
		walker: world.Rules.Walker()}, tails: map[address.Address]tail{}}
	out := NewList(more.Site)
	out.Columns = more.Columns
	for i, row := range more.All() {
		if row.Pattern == nil {
			if straight, how := f.straight(row, before+i); how == written {
				row = straight
			}
		}
		out.Append(row)
	}
	return out
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
	mode   Mode
	tails  map[address.Address]tail
	sorted []keyed // the entries by their paths
}

// tail is what comes after an address: its end, and what the way there is like.
type tail struct {
	end      Redirect // its target, as far as there is one
	statuses []int    // as they are written
	drop     bool
	means    []string        // parameters that mean something on the way
	strips   []string        // parameters that the way takes away or gives a value of its own
	at       address.Address // of the page where it ends, if it is one
	brings   bool            // the way ends at a page, with parameters of its own, which no row can say
	idle     bool            // with any parameter the way leads elsewhere
	noise    bool            // the way leads through a part of the site that has noise of its own
}

// result says what came of making a row straight.
type result int

const (
	written    result = iota
	endless           // the way has no end
	unwritable        // no row says what the way says, and it stays as it is
	inexact           // no row says what the way says to all requests
)

// straight returns a row that leads to the end of its way at once; the row as it is where none says what the way says.
// Its number is that of its entry, or, for what a pattern leads to, of the pattern's row.
func (f *flattener) straight(row Redirect, number int) (Redirect, result) {
	as := row
	as.To, as.Status = row.goalText(f.Site), f.status(row.Status)
	if row.Gone() || row.ToPage() {
		return as, written
	}
	t, ok := f.follow(f.Site.Rebase(row.Target))
	if !ok {
		return row, endless
	}
	straight := as
	straight.Page, straight.Target, straight.Drop = t.end.Page, t.end.Target, row.Drop || t.drop
	straight.Status = f.status(resolve.ComposeWritten(append([]int{row.Status}, t.statuses...)...))
	if t.end.Gone() {
		straight.Status = 410
	}
	straight.To = straight.goalText(f.Site)
	switch {
	case straight.To == as.To && straight.Drop == as.Drop,
		!t.brings && !f.meetsItself(row.Target, number) && !f.meetsItself(t.at, number) &&
			(row.Drop || f.says(row, straight, t)):
		return straight, written
	case f.mode == Exact:
		return as, unwritable
	}
	return straight, inexact
}

// meetsItself reports whether a row is met where it leads: there it is no step, and one that led further would be.
func (f *flattener) meetsItself(at address.Address, number int) bool {
	if at = f.Site.Rebase(at); !f.Site.Has(at.Host) {
		return false
	}
	if slices.Contains(f.Index.Match(at.Host, at.Path, address.SplitQuery(at.Query), f.walker.Named(at.Path)), number) {
		return true
	}
	return slices.ContainsFunc(f.walker.Reading(at.Path), func(n int32) bool { return f.Patterns[n].Row == number })
}

// status returns a status as it is written: in a list that is handed on there is always one.
func (f *flattener) status(status int) int {
	if f.mode == Straight {
		return cmp.Or(status, 301)
	}
	return status
}

// says reports whether a straight row says what its way says about a request that brings any parameters along: those
// that mean something on the way are fixed from the start, and those that the way takes away the row takes away too.
func (f *flattener) says(row, straight Redirect, t tail) bool {
	if straight.Target.Fragment != row.Target.Fragment && straight.Target.Query != "" {
		return false // a request that brings the target's parameters is there already, without the fragment
	}
	own, end := route.Source{Query: row.Target.Query}.Names(), route.Source{Query: straight.Target.Query}.Names()
	for _, name := range t.means {
		if !slices.Contains(row.Names(), name) && !slices.Contains(own, name) {
			return false
		}
	}
	if t.idle || straight.Gone() || straight.Drop {
		return !t.idle
	}
	for _, name := range append(own, t.strips...) {
		if !slices.Contains(row.Names(), name) && !slices.Contains(end, name) {
			return false
		}
	}
	return !t.noise
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
			t = tail{end: s.row, brings: s.brings, at: s.at}
			break
		}
		at = s.row.Target
		t, known = f.tails[at]
	}
	union := func(have, more []string) []string {
		for _, name := range more {
			if !slices.Contains(have, name) {
				have = append(slices.Clip(have), name)
			}
		}
		return have
	}
	for i, at := range slices.Backward(way) {
		s := steps[i]
		if s.moved {
			if !slices.Contains(t.statuses, s.status) {
				t.statuses = append(slices.Clip(t.statuses), s.status)
			}
			t.means, t.strips = union(t.means, s.means), union(t.strips, s.strips)
			t.noise = t.noise || len(f.Parameters.LocalNoise(at.Path)) > 0
		}
		t.drop, t.idle = t.drop || s.drop, t.idle || s.idle
		f.tails[at] = t
	}
	return t, true
}

// step is one hop from an address.
type step struct {
	row           Redirect // with its target as the visitor meets it
	moved         bool
	status        int // as it is written
	drop          bool
	means, strips []string        // see tail
	brings        bool            // it leads to a page, with parameters of its own
	at            address.Address // of that page
	idle          bool
	ends          bool
}

// step takes the step that the rules take.
func (f *flattener) step(at address.Address) step {
	w := f.walker
	w.Start("GET", at)
	if at.Fragment == "" && w.Nothing() {
		return step{row: Redirect{Target: at}, ends: true}
	}
	end, err := w.Step()
	switch {
	case err != nil, end.Kind != resolve.Onward && end.Kind != resolve.AtGone:
		return step{row: Redirect{Target: at}, idle: w.Idle != resolve.ByRule, ends: true}
	case end.Kind == resolve.AtGone:
		return step{row: Redirect{Status: 410}, moved: true, status: 301, means: w.Named(at.Path), ends: true}
	}
	s := step{row: Redirect{Target: w.At}, moved: true, status: w.Written(), drop: w.Dropped,
		idle: w.Idle != resolve.ByRule, strips: slices.Clone(w.Stripped)}
	for _, taken := range w.Steps {
		s.means = append(s.means, w.Named(taken.From.Path)...)
	}
	if last := w.Steps[len(w.Steps)-1]; last.By == resolve.BySource {
		if e := f.Decisions.Decision(last.Number); e.Kind == resolve.Redirect && e.Page != "" {
			page, _ := inventory.ParseRef(e.Page) // it was a reference before
			s.row, s.ends = Redirect{Page: page, Target: address.Address{Fragment: w.At.Fragment}}, true
			s.brings, s.at = w.At.Query != e.Target.Query, e.Target
		}
	}
	return s
}
