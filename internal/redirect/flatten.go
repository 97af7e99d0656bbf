package redirect

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"iter"
	"maps"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/table"
	"young-compass/internal/template"
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
	warn := func(row Row, what, why, advice string) {
		found = append(found, finding.Finding{Code: finding.ParameterOnWay, Severity: finding.Warning,
			Where: row.Place(), What: row.From + " " + what, Why: why, Advice: advice})
	}
	chains := map[finding.Place]bool{}
	for _, f := range c.found {
		chains[f.Where] = chains[f.Where] || f.Code == finding.Chain
	}
	put := func(row Row, number int) {
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
	for i, row := range list.All() {
		switch {
		case c.later(i):
		case c.idle(i):
			flat.Append(row) // nothing leads anywhere by it
		case row.Pattern == nil && f.settled(row.Target):
			if list.flatAlready(i) {
				flat.appendFrom(list, i)
				continue
			}
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

// pattern returns a pattern whose target isn't redirected again: where all its
// addresses meet one listed row it leads where that leads; those that do are
// listed before it; and the patterns that it always meets are composed into it. A
// finding says what can't be made flat.
func (f *flattener) pattern(row Row, number int) ([]Row, *finding.Finding) {
	target := f.targetReader(row.Pattern)
	if target == nil || !f.clear(target, row.Pattern) {
		return []Row{row}, nil
	}
	if len(target.Classes()) == 0 {
		at, err := address.Resolve(f.Site.Origin, row.Pattern.To)
		if err != nil {
			return []Row{row}, nil
		}
		end, how := f.straight(Row{Source: route.Source{Query: strings.Join(row.Pattern.Names(), "&")}, Target: at,
			Status: row.Status, Drop: row.Drop}, number)
		if how == unwritable {
			return []Row{row}, nil
		}
		if how == endless || end.Gone() || end.ToPage() {
			return f.stuckPattern(row, number, "all of it leads to "+row.To+", which is redirected to a page or gone")
		}
		if row.Pattern, err = route.NewPattern(row.From, end.To, row.Pattern.Reader.Classes(), f.Site); err != nil {
			return f.stuckPattern(row, number, err.Error())
		}
		row.To, row.Status, row.Drop = end.To, end.Status, end.Drop
		return []Row{row}, nil
	}
	rows, ok, bad := f.exceptions(row, number, target)
	if bad != nil || !ok {
		return []Row{row}, bad
	}
	composed, bad := f.compose(row, number)
	if bad != nil || composed.To == row.To {
		return append(rows, composed), bad
	}
	further, bad := f.pattern(composed, number)
	for _, row := range further {
		known := slices.ContainsFunc(rows, func(have Row) bool { return have.From == row.From })
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

func (c *checker) stuckPattern(row Row, number int, why string) ([]Row, *finding.Finding) {
	f := c.finding(number, finding.Chain, finding.Error, fmt.Sprintf("%s can't be made flat: %s", row.From, why), "",
		"lead it elsewhere, or list the addresses")
	return nil, &f
}

// exceptions returns the addresses that a pattern leads to a listed row, as rows
// of their own, or as patterns where some variables don't matter. It reports
// false when one of them can't be written, so that the pattern must stay.
func (f *flattener) exceptions(row Row, number int, target *template.Reader) (rows []Row, ok bool,
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
		exception := Row{From: from, To: to.String(), Target: to, Status: row.Status, Drop: row.Drop, File: row.File,
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

// compose returns a pattern with those that its target always meets composed
// into it; a finding when it meets one of the list that can't be composed.
func (f *flattener) compose(row Row, number int) (Row, *finding.Finding) {
	for range resolve.MaxRounds {
		target := f.targetReader(row.Pattern)
		if target == nil || len(target.Classes()) == 0 || !f.clear(target, row.Pattern) {
			return row, nil
		}
		q, p, bad := f.leadsOn(row, number, target)
		if q == nil || bad != nil {
			return row, bad
		}
		row.Pattern, row.To = p, p.To
		row.Status = resolve.ComposeWritten(row.Status, q.Status)
		row.Drop = row.Drop || q.Drop
	}
	return row, nil
}

// leadsOn returns the first pattern that reads what a row writes and leads elsewhere, and the row's pattern with it
// composed into it; nil where there is none, or where it may stay the plan's to lead on. A finding says that the two
// can't be made one.
func (f *flattener) leadsOn(row Row, number int, target *template.Reader) (*resolve.Pattern, *route.Pattern,
	*finding.Finding) {
	refuse := func(why, advice string) (*resolve.Pattern, *route.Pattern, *finding.Finding) {
		bad := f.finding(number, finding.Chain, finding.Error, why, "", advice)
		return nil, nil, &bad
	}
	for n := range f.Patterns {
		q := &f.Patterns[n]
		if q.Row == number || q.Row >= 0 && f.later(q.Row) {
			continue
		}
		if _, ok := template.Overlap(target, q.Reader, f.Paths.Lower); !ok {
			continue
		}
		names, always := template.Align(target, q.Reader, f.Paths.Lower)
		always = always && len(target.Query())+len(q.Reader.Query()) == 0
		switch {
		case q.Row < 0 && (!always || !q.Except.Empty()), strings.Contains(row.To, "#") && !strings.Contains(q.To, "#"):
			return nil, nil, nil
		case !always:
			return refuse(fmt.Sprintf("%s leads to some of what %s in line %d reads, so the two can't be made one",
				row.From, q.From, q.Cause.Line),
				"narrow one of them by class, or list the addresses")
		}
		p, err := route.NewPattern(row.From, q.Target.Rename(names).String(), row.Pattern.Reader.Classes(), f.Site)
		if err != nil {
			return refuse(fmt.Sprintf("%s and %s can't be made one: %v", row.From, q.From, err), "list the addresses")
		}
		if p.To != row.To { // else it leads to where the request is already
			return q, p, nil
		}
	}
	return nil, nil, nil
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
	end      Row   // its target, as far as there is one
	statuses []int // as they are written
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

// settled reports whether a way surely ends at an address.
func (f *flattener) settled(at address.Address) bool {
	f.walker.Start("GET", at)
	return at.Fragment == "" && at.Host != "" && f.walker.Nothing()
}

// straight returns a row that leads to the end of its way at once; the row as it is where none says what the way says.
// Its number is that of its entry, or, for what a pattern leads to, of the pattern's row.
func (f *flattener) straight(row Row, number int) (Row, result) {
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
func (f *flattener) says(row, straight Row, t tail) bool {
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
	row           Row // with its target as the visitor meets it
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
		return step{row: Row{Target: at}, ends: true}
	}
	end, err := w.Step()
	switch {
	case err != nil, end.Kind != resolve.Onward && end.Kind != resolve.AtGone:
		return step{row: Row{Target: at}, idle: w.Idle, ends: true}
	case end.Kind == resolve.AtGone:
		return step{row: Row{Status: 410}, moved: true, status: 301, means: w.Named(at.Path), ends: true}
	}
	s := step{row: Row{Target: w.At}, moved: true, status: w.Written(), drop: w.Dropped, idle: w.Idle,
		strips: slices.Clone(w.Stripped)}
	for _, taken := range w.Steps {
		s.means = append(s.means, w.Named(taken.From.Path)...)
	}
	if last := w.Steps[len(w.Steps)-1]; last.By == resolve.ByEntry {
		if e := f.Entries.Entry(last.Number); e.Kind == resolve.Redirect && e.Page != "" {
			page, _ := inventory.ParseRef(e.Page) // it was a reference before
			s.row, s.ends = Row{Page: page, Target: address.Address{Fragment: w.At.Fragment}}, true
			s.brings, s.at = w.At.Query != e.Target.Query, e.Target
		}
	}
	return s
}

// Encode writes a list as a table. Targets are pages, paths on the site, or
// addresses; columns that hold nothing are left out, but for the first three.
func (l *List) Encode() []byte {
	size := 0
	for i := range l.Len() {
		size += len(l.at(i).from) + len(l.at(i).to) + len(",,301\n")
	}
	var b bytes.Buffer
	b.Grow(size + size/16)
	_ = l.Write(&b) // a bytes.Buffer doesn't fail
	return b.Bytes()
}

// Write writes what Encode returns.
func (l *List) Write(w io.Writer) error {
	columns := []string{"from", "to", "status"}
	holds := map[string]bool{}
	for i := range l.Len() {
		if l.at(i).drop {
			holds["query"] = true
			break
		}
	}
	for _, notes := range l.notes {
		for _, n := range notes {
			holds[n.column] = true
		}
	}
	for _, name := range append([]string{"query"}, l.Columns...) {
		if holds[name] {
			columns = append(columns, name)
		}
	}
	return table.WriteRecords(w, columns, func(yield func([]string) bool) {
		record := make([]string, len(columns))
		for i := range l.Len() {
			if r := l.at(i); l.flatAlready(i) && !r.drop && l.notes[i] == nil {
				clear(record)
				record[0], record[1], record[2] = r.from, r.to, statusText(int(r.status))
			} else {
				row := l.Row(i)
				record[0], record[1], record[2] = row.From, row.goalText(l.Site), statusText(row.Status)
				for k, name := range columns[3:] {
					record[3+k] = row.Note(name)
				}
			}
			if !yield(record) {
				return
			}
		}
	})
}

// statusText is a status as it is written into a list; empty where nobody wrote one.
func statusText(status int) string {
	if status == 0 {
		return ""
	}
	return strconv.Itoa(status)
}

// EncodeAside writes the rows that a flat map can't have: those of a list, and
// rows that can't be read, with what is wrong with them.
func EncodeAside(refused *List, unread []Unread) []byte {
	return table.EncodeRecords([]string{"from", "to", "status", "problem"}, func(yield func([]string) bool) {
		for _, r := range refused.All() {
			if !yield([]string{r.From, r.goalText(refused.Site), statusText(r.Status),
				"leads round in a circle, or contradicts another row"}) {
				return
			}
		}
		for _, u := range unread {
			if !yield([]string{u.From, u.To, u.Status, string(u.Problem.Code) + ": " + u.Problem.What}) {
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
