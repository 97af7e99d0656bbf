package redirect

import (
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/template"
)

// World is what a map stands in: the site's hosts, and its own rules.
type World struct {
	Site   address.Site
	Fold   bool                                  // letters don't count in looking up
	Served func(address.Address) bool            // a page's own address, which no row redirects; nil: none is known
	Known  []string                              // foreign hosts that redirects may lead to
	Spell  func(address.Address) address.Address // what the site's own rules make of an address; nil: scheme and host alone
	End    func(address.Address) address.Address // where an address ends, for advice; nil: where Spell leads
}

func (w World) spell(a address.Address) address.Address {
	a.Fragment = ""
	if w.Spell != nil {
		return w.Spell(a)
	}
	return w.Site.Rebase(a)
}

// Check looks for redirects that contradict or undo each other. Each code counts
// once for each of what it names:
//
//   - loop: a cycle of two or more rows, or of one pattern that meets what it
//     writes
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

// Redirects reports whether a row or a pattern of the list redirects an address.
func (e *Examined) Redirects(a address.Address) bool {
	node, sure := e.checker.meets(a, false, -1)
	return node >= 0 || !sure && (e.checker.Served == nil || !e.checker.Served(a))
}

func check(list *List, world World) *checker {
	n := list.Len()
	c := &checker{World: world, list: list, index: NewIndex(world.Site, world.Fold, list.Source), next: make([]int32, n), flags: make([]flag, n), shared: map[meeting]int32{}}
	if list != nil {
		c.patterns = list.patterns
	}
	readers := make([]*template.Reader, len(c.patterns))
	for k, p := range c.patterns {
		readers[k] = p.Reader
	}
	c.begin = newPrefixes(readers, world.Fold)
	c.fill()
	c.conflicts()
	c.comparePatterns()
	c.rows()
	c.witnesses()
	c.ways()
	finding.Sort(c.found)
	return c
}

// checker is a check under way. Its nodes are the rows, and behind them what
// patterns make of addresses.
type checker struct {
	World
	list     *List
	patterns []numbered
	begin    prefixes // of the patterns
	index    *Index
	next     []int32 // by node: the node that its target meets, or -1
	flags    []flag  // by node
	met      []met   // the nodes behind the rows
	shared   map[meeting]int32
	found    []finding.Finding
}

// flag is what is known of a node.
type flag uint8

const (
	later   flag = 1 << iota // another row before has the same source
	stuck                    // in or into a circle, to itself, or of a conflict: no flat map holds it
	looping                  // in a cycle or leading into one
	inCycle
	onWay
	done
	permanent // a step of its way is
	temporary
)

// met is what a pattern makes of an address.
type met struct {
	row    int32
	before int32 // the node from which it was met first, or -1
	back   int   // how many patterns it was traced back through
	at, to address.Address
}

// meeting is a pattern that meets an address.
type meeting struct {
	row int32
	at  address.Address
}

// rowOf returns the row of a node.
func (c *checker) rowOf(node int32) int {
	if n := int(node) - c.list.Len(); n >= 0 {
		return int(c.met[n].row)
	}
	return int(node)
}

// from returns the source of a node as a person reads it.
func (c *checker) from(node int32) string {
	if n := int(node) - c.list.Len(); n >= 0 {
		return c.met[n].at.Local()
	}
	return c.list.at(int(node)).from
}

func (c *checker) add(i int, code string, severity finding.Severity, what, why, advice string) *finding.Finding {
	c.found = append(c.found, c.finding(i, code, severity, what, why, advice))
	return &c.found[len(c.found)-1]
}

// parts calls do for equal parts of n numbers, side by side.
func parts(n int, do func(part, from, to int)) int {
	count := runtime.GOMAXPROCS(0)
	var all sync.WaitGroup
	for part := range count {
		all.Go(func() { do(part, n*part/count, n*(part+1)/count) })
	}
	all.Wait()
	return count
}

// fill enters the rows into the index.
func (c *checker) fill() {
	hashes := make([]uint32, c.list.Len())
	named := make([][]int, runtime.GOMAXPROCS(0)) // rows with a host or parameters
	parts(len(hashes), func(part, from, to int) {
		for i := from; i < to; i++ {
			s := c.list.Source(i)
			if hashes[i] = c.index.hashOf(s); s.Host != "" || s.Query != "" {
				named[part] = append(named[part], i)
			}
		}
	})
	c.index.fill(hashes, slices.Concat(named...), func(i int) bool { return c.list.at(i).pattern })
}

// conflicts finds sources that several rows have, and notes which rows stand
// behind another with their source. Rows of one path for all hosts and for one
// host have the same source; rows for two hosts don't.
func (c *checker) conflicts() {
	for i := range c.list.Len() {
		same := c.index.Same(i)
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
		f := c.add(r.row, "duplicate", finding.Warning, fmt.Sprintf("%s leads to %s already in line %d", c.list.at(r.row).from, r.goal, place.Line), "two rows for one thing will differ one day", "delete one of them")
		f.Related = []finding.Place{place}
	}
}

// contradictions reports rows with one source that lead to different goals, once
// for all of them, at the first that another contradicts.
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
		if one := rows[first]; r.row > one.row && r.goal != one.goal && (r.host == one.host || r.host == "" || one.host == "") && len(related) < shownSteps {
			related = append(related, c.list.place(r.row))
		}
	}
	one := rows[first]
	f := c.add(one.row, "conflict", finding.Error, fmt.Sprintf("%s leads to %s here and elsewhere in line %s", c.list.at(one.row).from, one.goal, lines(related)),
		"a server takes one of them, and not every server the same", "keep the one that is right and delete the others")
	f.Related = related
}

// meets returns the node that an address meets, or -1. A pattern that is met
// for the first time becomes a node if patterns says so; else the answer is
// unsure, and sure is false; before is the node that leads there, or -1.
func (c *checker) meets(a address.Address, patterns bool, before int32) (node int32, sure bool) {
	if !c.Site.Has(a.Host) {
		return -1, true
	}
	a.Fragment = ""
	params := address.SplitQuery(a.Query)
	named := c.named(a.Path)
	served := func() bool { return c.Served != nil && c.Served(a) }
	if n := c.index.First(a.Host, a.Path, params, named); n >= 0 {
		if served() {
			return -1, true
		}
		return int32(n), true
	}
	if c.Site.IsHome(a.Host) {
		return -1, true
	}
	for _, k := range c.reading(a.Path) {
		p := c.patterns[k]
		values, ok := p.Reads(a.Path, params, named, c.Fold)
		if !ok || c.later(p.row) {
			continue
		}
		to, err := p.Leads(values, c.Site)
		switch {
		case err != nil:
			continue
		case !patterns:
			return -1, false
		case served():
			return -1, true
		}
		a.Query = address.JoinQuery(Carried(params, p.Names())) // the others travel on
		m := meeting{int32(p.row), c.Site.Rebase(a)}
		node, known := c.shared[m]
		if !known {
			node = int32(c.list.Len() + len(c.met))
			c.shared[m] = node
			c.met = append(c.met, met{row: m.row, before: before, at: m.at, to: to})
			c.next, c.flags = append(c.next, -1), append(c.flags, 0)
		}
		return node, true
	}
	return -1, true
}

// reading returns the patterns, by their positions, that may read a path.
func (c *checker) reading(path string) []int {
	if len(c.patterns) == 0 {
		return nil
	}
	return c.begin.of(PatternPath(path))
}

func (c *checker) later(row int) bool { return c.flags[row]&later != 0 }

// named returns the parameters that give a path a meaning.
func (c *checker) named(path string) []string {
	names := c.index.Named(path)
	shared := true
	for _, k := range c.reading(path) {
		p := c.patterns[k]
		if len(p.Reader.Query()) == 0 {
			continue
		}
		if _, ok := p.Reader.ReadPath(PatternPath(path), c.Fold); !ok {
			continue
		}
		if shared {
			names, shared = slices.Clone(names), false
		}
		for _, name := range p.Names() {
			if i, ok := slices.BinarySearch(names, name); !ok {
				names = slices.Insert(names, i, name)
			}
		}
	}
	return names
}

// rows finds what each row's target meets, and what the site's own rules make
// of it.
func (c *checker) rows() {
	found := make([][]finding.Finding, runtime.GOMAXPROCS(0))
	unsure := make([][]int, len(found))
	parts(c.list.Len(), func(part, from, to int) {
		for i := from; i < to; i++ {
			f, sure := c.row(i, false)
			if !sure {
				unsure[part] = append(unsure[part], i)
			}
			found[part] = append(found[part], f...)
		}
	})
	c.found = append(c.found, slices.Concat(found...)...)
	for _, i := range slices.Concat(unsure...) {
		f, _ := c.row(i, true)
		c.found = append(c.found, f...)
	}
}

// row judges one row. Without patterns the answer may be unsure.
func (c *checker) row(i int, patterns bool) (found []finding.Finding, sure bool) {
	c.next[i] = -1
	r := c.list.at(i)
	if r.pattern || c.later(i) || r.to == "" {
		return nil, true
	}
	page, target := c.list.target(r)
	if page.Key != "" {
		return nil, true
	}
	if !c.Site.Has(target.Host) {
		return c.foreign(i, target), true
	}
	node, sure := c.meets(target, patterns, int32(i))
	if !sure {
		return nil, false
	}
	if node != int32(i) { // else to itself: nothing leads on
		c.next[i] = node
	}
	source := c.Site.Origin
	if s := c.list.Source(i); s.Host == "" {
		source.Path, source.Query = s.Path, s.Query
	} else if source, _ = address.Parse(r.from); source.Host == "" { // it was read before
		return nil, true
	}
	return c.spelled(i, source, target, node), true
}

func (c *checker) finding(i int, code string, severity finding.Severity, what, why, advice string) finding.Finding {
	return finding.Finding{Code: code, Severity: severity, Where: c.list.place(i), What: what, Why: why, Advice: advice}
}

func (c *checker) foreign(i int, target address.Address) []finding.Finding {
	if slices.Contains(c.Known, target.Host) {
		return nil
	}
	return []finding.Finding{c.finding(i, "foreign-target", finding.Warning, fmt.Sprintf("this leads to %s, which is neither the site's nor listed as known", target.Host), "", "add the host under site: known: of the plan, if it is right")}
}

// spelled finds what the site's own rules make of a row's source and target, of
// which the target meets node.
func (c *checker) spelled(i int, source, target address.Address, node int32) (found []finding.Finding) {
	r := c.list.at(i)
	target.Fragment = ""
	if c.Spell == nil && target.Path != source.Path && target.Origin() == c.Site.Origin {
		return nil // scheme and host are right, and all that the site's own rules care for
	}
	final := c.spell(target)
	switch {
	case final == source, target == source:
		c.flags[i] |= stuck
		found = append(found, c.finding(i, "self", finding.Error, fmt.Sprintf("%s leads to itself", r.from), "on many servers a visitor goes round until the browser gives up", "delete the row, or write the target that was meant"))
	case c.spell(source) == target:
		found = append(found, c.finding(i, "redundant", finding.Note, fmt.Sprintf("the site's own rules lead %s to %s already", r.from, r.to), "", "delete the row"))
	}
	if node < 0 && final != target {
		if c.End != nil {
			final = c.End(target)
		}
		found = append(found, c.finding(i, "hidden-chain", finding.Warning, fmt.Sprintf("%s leads to %s, which the site's own rules redirect again", r.from, r.to),
			"each visitor makes two hops", "write "+final.String()))
	}
	return found
}

func lines(places []finding.Place) string {
	text := make([]string, len(places))
	for i, p := range places {
		text[i] = fmt.Sprint(p.Line)
	}
	return strings.Join(text, ", ")
}
