package redirect

import (
	"fmt"
	"runtime"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
)

// Check looks for redirects that contradict or undo each other. Each code counts
// once for each of what it names:
//
//   - loop: a cycle of two or more rows, or of one pattern that meets what it
//     writes; also a way on which more than five patterns follow one another
//   - into-loop: a row outside a cycle whose way ends in one
//   - self: a row whose target, as written or after the site's own rules, is its
//     source
//   - redundant: a row whose source, after the site's own rules alone, is its
//     target; not self
//   - chain: a row whose target another row redirects again; rows in or into a
//     cycle are none
//   - hidden-chain: a row whose target is no row's source, but a spelling that
//     the site's own rules redirect
//   - duplicate: a row after the first with the same source, target and status
//   - conflict: a source with different targets or statuses, or two patterns of
//     which neither goes before the other by being narrower
//   - shadowed: a pattern wholly covered by earlier ones
//   - wrong-status: a row whose way mixes permanent and temporary
//   - foreign-target: a row to a host that is neither the site's nor known
//
// Of several rows with one source the first stands in the ways, the others
// count only as duplicate or conflict. Rows of one address go before patterns,
// and patterns in the order in which they stand.
func Check(list *List, world World) []finding.Finding { return Examine(list, world).Found }

// World is what a list stands in.
type World struct {
	Rules *resolve.Rules // of which the first entries are the rows of the list, by their numbers
	Known []string       // foreign hosts that redirects may lead to
}

// Alone returns the world of a list on a site that has nothing else: no pages and no patterns of a plan.
func Alone(list *List, speller address.Speller) World {
	r := &resolve.Rules{Speller: speller, Parameters: &parameter.List{}, Decisions: alone{list},
		Patterns: list.Patterns()}
	r.Index = route.NewIndex(speller.Site, speller.Paths.Lower, list.Source)
	r.Index.Fill(list.Len(), list.IsPattern)
	return World{Rules: r}
}

// alone is a list as entries. Pages are somewhere else: a redirect to one ends there.
type alone struct{ *List }

// Decision returns what becomes of a request that meets a row.
func (l alone) Decision(i int) resolve.Decision {
	return l.List.Decision(i, func(inventory.Ref) (a address.Address, ok bool) { return a, true })
}

// Ignored reports that no row is.
func (l alone) Ignored(int) bool { return false }

// Examined is a list after Check.
type Examined struct {
	Found   []finding.Finding
	checker *checker
}

// Examine is Check for those who have further questions.
func Examine(list *List, world World) *Examined {
	c := check(list, world)
	return &Examined{c.found, c}
}

// Later reports whether another row before this one has the same source.
func (e *Examined) Later(row int) bool { return e.checker.later(row) }

func check(list *List, world World) *checker {
	n := list.Len()
	c := &checker{
		Rules: world.Rules, known: world.Known, list: list, walker: world.Rules.Walker(),
		next: make([]int32, n), flags: make([]flag, n), shared: map[meeting]int32{},
	}
	if list != nil {
		c.patterns = list.patterns
	}
	c.conflicts()
	c.comparePatterns()
	c.rows()
	c.witnesses()
	c.ways()
	finding.Sort(c.found)
	return c
}

// checker is a check under way. Its nodes are the rows, and behind them what patterns make of addresses, and rows of
// requests that bring parameters of an earlier row along. From each node leads one edge: the row or pattern that
// decides next about a request that was led there (resolve.Walker.Step), whatever the site's own rules and the address
// book do in between.
type checker struct {
	*resolve.Rules
	known    []string
	list     *List
	walker   *resolve.Walker
	patterns []numbered // of the list
	next     []int32    // by node: the node that its target meets, or -1
	flags    []flag     // by node
	nodes    []met      // behind the rows
	last     []int32    // by node: the last one of its way; where that goes round, one of the circle, or -1
	steps    []int32    // by node: how many are on its way, itself included
	rounds   []uint8    // by node: how many patterns are on its way, up to one too many
	shared   map[meeting]int32
	found    []finding.Finding
}

// flag is what is known of a node.
type flag uint16

const (
	later   flag = 1 << iota // another row before has the same source
	stuck                    // in or into a circle, to itself, or of a conflict: no flat map holds it
	looping                  // in a cycle or leading into one
	inCycle
	onWay
	done
	permanent // a step of its way is
	temporary
	settled // of a row: surely nothing leads on from its target on the site's scheme and host
)

// met is what a pattern makes of an address, or a row of a request with further parameters.
type met struct {
	meeting
	before int32           // the node from which it was met first, or -1
	back   int             // how many patterns it was traced back through
	at     address.Address // where it was met
}

// meeting is a row or a pattern that leads to an address: what comes then depends on nothing else.
type meeting struct {
	by     resolve.By
	number int32 // of the row, or the position among the patterns
	to     address.Address
}

// rowOf returns the row of a node; -1 for a pattern of the plan.
func (c *checker) rowOf(node int32) int {
	n := int(node) - c.list.Len()
	switch {
	case n < 0:
		return int(node)
	case c.nodes[n].by == resolve.ByPattern:
		return c.Patterns[c.nodes[n].number].Row
	}
	return int(c.nodes[n].number)
}

// isPattern reports whether a node is of a pattern.
func (c *checker) isPattern(node int32) bool {
	n := int(node) - c.list.Len()
	return n >= 0 && c.nodes[n].by == resolve.ByPattern
}

// placeOf returns where the row or the pattern of a node stands.
func (c *checker) placeOf(node int32) finding.Place {
	if i := c.rowOf(node); i >= 0 {
		return c.list.place(i)
	}
	return c.Patterns[c.nodes[int(node)-c.list.Len()].number].Where
}

// statusOf returns the status that is written for a node.
func (c *checker) statusOf(node int32) int {
	if i := c.rowOf(node); i >= 0 {
		return int(c.list.at(i).status)
	}
	return c.Patterns[c.nodes[int(node)-c.list.Len()].number].Status
}

// from returns the source of a node as a person reads it.
func (c *checker) from(node int32) string {
	if n := int(node) - c.list.Len(); n >= 0 {
		return c.nodes[n].at.Local()
	}
	return c.list.at(int(node)).from
}

// target returns where a node leads.
func (c *checker) target(node int32) address.Address {
	if n := int(node) - c.list.Len(); n >= 0 {
		return c.nodes[n].to
	}
	to, _ := c.rowTarget(int(node))
	return to
}

// rowTarget returns where a row leads by itself: its target on the site's scheme and host. It reports false for a row
// that leads nowhere, or to a page without an address.
func (c *checker) rowTarget(i int) (address.Address, bool) {
	r := c.list.at(i)
	if r.pattern || r.to == "" {
		return address.Address{}, false
	}
	page, target := c.list.target(r)
	if page.Key != "" {
		e := c.Decisions.Decision(i)
		return c.Site.Rebase(e.Target), e.Kind == resolve.Redirect
	}
	return c.Site.Rebase(target), true
}

func (c *checker) add(i int, code finding.Code, severity finding.Severity, what, why, advice string) *finding.Finding {
	c.found = append(c.found, c.finding(i, code, severity, what, why, advice))
	return &c.found[len(c.found)-1]
}

// conflicts finds rows that have the same source, and notes which of them come after another. A row for all hosts and
// a row for one host have the same source when their paths are the same; rows for two different hosts don't.
//
//	/a                              and  https://ferry.example/a        the same
//	https://skerrywick.example/a    and  https://ferry.example/a        not the same
func (c *checker) conflicts() {
	for i := range c.list.Len() {
		same := slices.DeleteFunc(c.Index.Same(i), func(n int) bool { return n >= c.list.Len() })
		if len(same) < 2 {
			continue
		}
		rows := make([]sharing, len(same))
		everywhere := false
		for k, j := range same {
			row := c.list.Row(j)
			rows[k] = sharing{j, row.Host, row.goal()}
			everywhere = everywhere || row.Host == ""
		}
		c.repeats(rows)
		if everywhere {
			c.contradictions(rows)
			continue
		}
		byHost := map[string][]sharing{}
		for _, r := range rows {
			byHost[r.host] = append(byHost[r.host], r)
		}
		for _, r := range rows {
			c.contradictions(byHost[r.host])
			delete(byHost, r.host)
		}
	}
}

// sharing is one of several rows with the same path and parameters.
type sharing struct {
	row        int
	host, goal string
}

// repeats reports the rows that say what one before says.
func (c *checker) repeats(rows []sharing) {
	type claim struct{ host, goal string }
	claims := map[claim]int{}
	hosts := map[string]bool{}
	for _, r := range rows {
		if hosts[r.host] {
			c.flags[r.row] |= later
		}
		hosts[r.host] = true
		first, known := claims[claim{r.host, r.goal}]
		if !known {
			claims[claim{r.host, r.goal}] = r.row
			continue
		}
		place := c.list.place(first)
		f := c.add(r.row, finding.Duplicate, finding.Warning,
			fmt.Sprintf("%s leads to %s already in line %d", c.list.at(r.row).from, r.goal, place.Line),
			"two rows for one thing will differ one day", "delete one of them")
		f.Related = []finding.Place{place}
	}
}

// contradictions reports rows that have the same source and lead to different goals. All rows of a source make one
// finding, at the first row that another one contradicts.
func (c *checker) contradictions(rows []sharing) {
	goals := map[string]map[string]bool{} // of each host
	for _, r := range rows {
		if goals[r.host] == nil {
			goals[r.host] = map[string]bool{}
		}
		goals[r.host][r.goal] = true
	}
	other := func(goals map[string]bool, goal string) bool {
		return len(goals) > 1 || len(goals) == 1 && !goals[goal]
	}
	first := slices.IndexFunc(rows, func(r sharing) bool {
		if other(goals[r.host], r.goal) || other(goals[""], r.goal) {
			return true
		}
		if r.host == "" {
			for _, g := range goals {
				if other(g, r.goal) {
					return true
				}
			}
		}
		return false
	})
	if first < 0 {
		return
	}
	var related []finding.Place
	for _, r := range rows {
		c.flags[r.row] |= stuck
		if one := rows[first]; r.row > one.row && r.goal != one.goal &&
			(r.host == one.host || r.host == "" || one.host == "") && len(related) < shownSteps {
			related = append(related, c.list.place(r.row))
		}
	}
	one := rows[first]
	f := c.add(one.row, finding.Conflict, finding.Error, fmt.Sprintf("%s leads to %s here and elsewhere in line %s",
		c.list.at(one.row).from, one.goal, lines(related)),
		"a server takes one of them, and not every server the same", "keep the one that is right and delete the others")
	f.Related = related
}

// node returns the node of the step that a walker has just taken; -1 for one of the site's own rules, or of the book.
// A node that isn't there yet is made; without grow it isn't, and sure is false. before is the node that leads there,
// or -1.
func (c *checker) node(w *resolve.Walker, grow bool, before int32) (node int32, sure bool) {
	step := &w.Steps[len(w.Steps)-1]
	m := meeting{step.By, int32(step.Number), w.At}
	switch step.By {
	case resolve.ByRule:
		return -1, true
	case resolve.BySource:
		if step.Number >= c.list.Len() {
			return -1, true
		}
		if own, ok := c.rowTarget(step.Number); ok && own == w.At {
			return m.number, true
		}
	}
	node, known := c.shared[m]
	switch {
	case known:
		return node, true
	case !grow:
		return -1, false
	}
	node = int32(c.list.Len() + len(c.nodes))
	c.shared[m] = node
	c.nodes = append(c.nodes, met{meeting: m, before: before, at: step.From})
	c.next, c.flags = append(c.next, -1), append(c.flags, 0)
	return node, true
}

// onward is what becomes of a request that was led to an address.
type onward struct {
	node  int32           // that decides next, or -1
	final address.Address // where the site's own rules, and the book, have led before
	book  bool            // the address book has
	gone  bool            // it ends with 410
	round bool            // it goes round in a circle before any node
	still bool            // surely nothing leads on from the address itself
	sure  bool            // false: a node would have to be made first
}

// onward follows a request from an address to the next node, or to its end.
func (c *checker) onward(w *resolve.Walker, at address.Address, grow bool, before int32) onward {
	w.Start("GET", at)
	o := onward{node: -1, final: at, sure: true}
	o.final.Fragment = ""
	if o.still = w.Nothing(); o.still {
		return o
	}
	for range maxSoft {
		end, err := w.Step()
		if end.Kind != resolve.Onward || err != nil {
			if o.gone = end.Kind == resolve.AtGone; o.gone && end.Number < c.list.Len() {
				o.node = int32(end.Number)
			}
			break
		}
		if o.node, o.sure = c.node(w, grow, before); o.node >= 0 || !o.sure {
			break
		}
		o.final = w.At
		o.final.Fragment = ""
		if o.round = slices.ContainsFunc(w.Steps, func(s resolve.Step) bool { return s.From == w.At }); o.round {
			break
		}
		o.book = o.book || w.Steps[len(w.Steps)-1].By == resolve.BySource
	}
	return o
}

// maxSoft bounds how often the site's own rules and the book may lead on before a row or pattern decides.
const maxSoft = 16

func (c *checker) later(row int) bool { return c.flags[row]&later != 0 }

// idle reports whether a row never decides anything.
func (c *checker) idle(row int) bool {
	return c.later(row) || c.Decisions.Ignored(row) || !c.Scope.All() && c.Scope.Leaves(c.list.Source(row).Path)
}

// rows finds what each row's target meets, and what the site's own rules make of it.
func (c *checker) rows() {
	found := make([][]finding.Finding, runtime.GOMAXPROCS(0))
	unsure := make([][]int, len(found))
	route.Parallel(c.list.Len(), func(part, from, to int) {
		w := c.Rules.Walker()
		for i := from; i < to; i++ {
			f, sure := c.row(w, i, false)
			if !sure {
				unsure[part] = append(unsure[part], i)
			}
			found[part] = append(found[part], f...)
		}
	})
	c.found = append(c.found, slices.Concat(found...)...)
	for _, i := range slices.Concat(unsure...) {
		f, _ := c.row(c.walker, i, true)
		c.found = append(c.found, f...)
	}
}

// row judges one row. Where nodes must not be made the answer may be unsure.
func (c *checker) row(w *resolve.Walker, i int, grow bool) (found []finding.Finding, sure bool) {
	c.next[i] = -1
	r := c.list.at(i)
	if r.pattern || r.to == "" || c.idle(i) && !c.later(i) {
		return nil, true
	}
	page, target := c.list.target(r)
	if page.Key != "" || c.later(i) { // one behind another is met where that leads nowhere
		at, ok := c.rowTarget(i)
		if !ok {
			return nil, true
		}
		o := c.onward(w, at, grow, int32(i))
		c.lead(int32(i), o)
		if o.sure && o.node == int32(i) && !c.later(i) {
			found = append(found, c.self(i))
		}
		return found, o.sure
	}
	if !c.Site.Has(target.Host) {
		return c.foreign(c.list.place(i), target), true
	}
	o := c.onward(w, c.Site.Rebase(target), grow, int32(i))
	if !o.sure {
		return nil, false
	}
	c.lead(int32(i), o)
	source := c.Site.Origin
	if s := c.list.Source(i); s.Host == "" {
		source.Path, source.Query = s.Path, s.Query
	} else if source, _ = address.Parse(r.from); source.Host == "" { // it was read before
		return nil, true
	}
	return c.spelled(w, i, source, target, o), true
}

// lead notes what comes after a node.
func (c *checker) lead(node int32, o onward) {
	c.next[node] = o.node
	if o.round {
		c.flags[node] |= looping
	}
	if o.still {
		c.flags[node] |= settled
	}
}

func (c *checker) finding(i int, code finding.Code, severity finding.Severity, what, why,
	advice string) finding.Finding {
	return finding.Finding{Code: code, Severity: severity, Where: c.list.place(i), What: what, Why: why, Advice: advice}
}

func (c *checker) foreign(where finding.Place, target address.Address) []finding.Finding {
	return ForeignTarget(where, target, c.Site, c.known)
}

// ForeignTarget is the finding for a redirect that leads to a host which is neither the site's nor known.
func ForeignTarget(where finding.Place, to address.Address, site address.Site, known []string) []finding.Finding {
	if to.Host == "" || site.Has(to.Host) || slices.Contains(known, to.Host) {
		return nil
	}
	return []finding.Finding{{Code: finding.ForeignTarget, Severity: finding.Warning, Where: where,
		What:   fmt.Sprintf("this leads to %s, which is neither the site's nor listed as known", to.Host),
		Advice: "add the host under site: known: of the plan, if it is right"}}
}

// spelled finds what the site's own rules make of a row's source and target, of which the target leads onward.
func (c *checker) spelled(w *resolve.Walker, i int, source, target address.Address,
	o onward) (found []finding.Finding) {
	r := c.list.at(i)
	target.Fragment = ""
	switch {
	case o.final == source, target == source, o.node == int32(i):
		found = append(found, c.self(i))
		if c.met(w, target) {
			return found
		}
	case c.mayBecome(source.Path, target.Path) && w.Spelled(source) == target:
		found = append(found, c.finding(i, finding.Redundant, finding.Note,
			fmt.Sprintf("the site's own rules lead %s to %s already", r.from, r.to), "", "delete the row"))
	}
	if o.node >= 0 && o.node != int32(i) || o.final == target {
		return found
	}
	by, end := "the site's own rules redirect", "write "+o.final.String()
	if o.book {
		by = "the address book redirects"
	}
	if o.gone {
		end = "say 410"
	}
	return append(found, c.finding(i, finding.HiddenChain, finding.Warning,
		fmt.Sprintf("%s leads to %s, which %s again", r.from, r.to, by),
		"each visitor makes two hops", end))
}

// self is the finding for a row that leads to itself.
func (c *checker) self(i int) finding.Finding {
	c.flags[i] |= stuck
	return c.finding(i, finding.Self, finding.Error, c.list.at(i).from+" leads to itself",
		"on many servers a visitor goes round until the browser gives up",
		"delete the row, or write the target that was meant")
}

// mayBecome reports whether the site's own rules could make a path of another. They take away from its beginning, from
// its end, and doubled slashes, but never make it longer by more than a slash.
func (c *checker) mayBecome(from, to string) bool {
	to = strings.Trim(to, "/")
	return len(to) <= len(from) &&
		(strings.Contains(from, to) || !address.Settled(from))
}

// met reports whether a row or a pattern is for an address as it is.
func (c *checker) met(w *resolve.Walker, a address.Address) bool {
	a = c.Site.Rebase(a)
	n := c.Decides(a.Host, a.Path, address.SplitQuery(a.Query), w.Named(a.Path))
	return n >= 0 && n < c.list.Len() || len(w.Reading(a.Path)) > 0
}

func lines(places []finding.Place) string {
	text := make([]string, len(places))
	for i, p := range places {
		text[i] = fmt.Sprint(p.Line)
	}
	return strings.Join(text, ", ")
}
