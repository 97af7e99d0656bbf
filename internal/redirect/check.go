package redirect

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// World is what a map stands in: the site's hosts, and its own rules.
type World struct {
	Site   address.Site
	Fold   bool                                  // letters don't count in looking up
	Served func(address.Address) bool            // a page's own address, which no row redirects; nil: none is known
	Known  []string                              // foreign hosts that redirects may lead to
	Spell  func(address.Address) address.Address // what the site's own rules make of an address; nil: scheme and host alone
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
//   - loop: a cycle of two or more rows
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
//   - conflict: a source with different targets or statuses
//   - wrong-status: a row whose way mixes permanent and temporary
//   - foreign-target: a row to a host that is neither the site's nor known
//
// Of several rows with one source the first stands in the ways, the others
// count only as duplicate or conflict.
func Check(rows []Row, world World) []finding.Finding { return check(rows, world).found }

func check(rows []Row, world World) *checker {
	c := &checker{World: world, rows: rows, index: &Index{Site: world.Site, Fold: world.Fold}, next: make([]int, len(rows)), later: make([]bool, len(rows)), stuck: make([]bool, len(rows))}
	for i, row := range rows {
		c.index.Add(row.Source, i)
	}
	c.conflicts()
	for i, row := range rows {
		if c.next[i] = c.follow(row); c.next[i] == i || c.later[i] {
			c.next[i] = -1 // to itself, or never met: nothing leads on
		}
	}
	c.ways()
	for i := range rows {
		if !c.later[i] {
			c.spelled(i)
		}
	}
	finding.Sort(c.found)
	return c
}

// checker is a check under way.
type checker struct {
	World
	rows  []Row
	index *Index
	next  []int  // the row that a row's target meets, or -1
	later []bool // another row before has the same source
	stuck []bool // rows in and into circles, to themselves, and of conflicts: no flat map holds them
	found []finding.Finding
}

func (c *checker) add(i int, code string, severity finding.Severity, what, why, advice string) *finding.Finding {
	c.found = append(c.found, finding.Finding{Code: code, Severity: severity, Where: c.rows[i].place(), What: what, Why: why, Advice: advice})
	return &c.found[len(c.found)-1]
}

// follow returns the row that the target of row meets, or -1.
func (c *checker) follow(row Row) int {
	if row.Gone() || row.ToPage() || !c.Site.Has(row.Target.Host) {
		return -1
	}
	t := row.Target
	t.Fragment = ""
	if c.Served != nil && c.Served(t) {
		return -1
	}
	hits := c.index.Match(t.Host, t.Path, address.SplitQuery(t.Query), c.index.Named(t.Path))
	if len(hits) == 0 {
		return -1
	}
	return hits[0]
}

// conflicts finds sources that several rows have, and notes which rows stand
// behind another with their source.
func (c *checker) conflicts() {
	done := make([]bool, len(c.rows))
	for i, row := range c.rows {
		if done[i] {
			continue
		}
		hits := c.index.Match(row.Host, row.Path, address.SplitQuery(row.Query), c.index.Named(row.Path))
		if len(hits) < 2 {
			continue
		}
		type claim struct{ host, goal string }
		claims := map[claim]finding.Place{{row.Host, row.goal()}: row.place()}
		hosts := map[string]bool{row.Host: true}
		var related []finding.Place
		members := []int{i}
		for _, j := range hits {
			other := c.rows[j]
			if j <= i || other.Host != row.Host && other.Host != "" && row.Host != "" {
				continue
			}
			done[j] = true
			members = append(members, j)
			told := c.later[j] // with a source of another host
			c.later[j] = told || hosts[other.Host]
			hosts[other.Host] = true
			goal := other.goal()
			if goal != row.goal() && len(related) < shownSteps {
				related = append(related, other.place())
			}
			if first, known := claims[claim{other.Host, goal}]; !known {
				claims[claim{other.Host, goal}] = other.place()
			} else if !told {
				f := c.add(j, "duplicate", finding.Warning, fmt.Sprintf("%s leads to %s already in line %d", other.From, goal, first.Line), "two rows for one thing will differ one day", "delete one of them")
				f.Related = []finding.Place{first}
			}
		}
		if len(related) > 0 {
			for _, j := range members {
				c.stuck[j] = true
			}
			f := c.add(i, "conflict", finding.Error, fmt.Sprintf("%s leads to %s here and elsewhere in line %s", row.From, row.goal(), lines(related)),
				"a server takes one of them, and not every server the same", "keep the one that is right and delete the others")
			f.Related = related
		}
	}
}

// end is what lies at the end of a row's way.
type end struct {
	last                 int // the last row
	steps                int // rows on the way, itself included
	permanent, temporary bool
}

// ways finds loops, chains and mixed ways by walking from every row once.
func (c *checker) ways() {
	const unseen, onWay, done = 0, 1, 2
	state := make([]byte, len(c.rows))
	looping := make([]bool, len(c.rows)) // in a cycle or leading into one
	inCycle := make([]bool, len(c.rows))
	ends := make([]end, len(c.rows))
	for start := range c.rows {
		var way []int
		at := start
		for at >= 0 && state[at] == unseen {
			state[at] = onWay
			way = append(way, at)
			at = c.next[at]
		}
		loops := at >= 0 && (state[at] == onWay || looping[at])
		if at >= 0 && state[at] == onWay {
			cycle := way[slices.Index(way, at):]
			c.found = append(c.found, loop(c.rows, cycle))
			for _, i := range cycle {
				inCycle[i] = true
			}
		}
		for _, i := range slices.Backward(way) {
			state[i], looping[i] = done, loops
			c.stuck[i] = c.stuck[i] || loops
			ends[i] = end{last: i, steps: 1}
			if next := c.next[i]; next >= 0 && !loops {
				ends[i] = ends[next]
				ends[i].steps++
			}
			if row := c.rows[i]; !row.Gone() {
				ends[i].temporary = ends[i].temporary || Temporary(row.Status)
				ends[i].permanent = ends[i].permanent || !Temporary(row.Status)
			}
		}
	}
	for i, row := range c.rows {
		switch {
		case c.next[i] < 0 || inCycle[i]:
		case looping[i]:
			c.add(i, "into-loop", finding.Error, fmt.Sprintf("%s leads to %s, and from there into a circle", row.From, row.To), "a visitor never arrives", "lead it straight to where it should end")
		default:
			c.chain(i, ends[i])
			if ends[i].permanent && ends[i].temporary {
				c.add(i, "wrong-status", finding.Warning, fmt.Sprintf("the way from %s is permanent in one hop and temporary in another", row.From),
					"browsers and search engines keep the permanent part", "say the same status in all rows of the way")
			}
		}
	}
}

// shownSteps is how much of a chain is shown.
const shownSteps = 12

// chain reports a row that is redirected again.
func (c *checker) chain(i int, e end) {
	row, next := c.rows[i], c.rows[c.next[i]]
	goal := c.rows[e.last].goal()
	f := c.add(i, "chain", finding.Error, fmt.Sprintf("%s leads to %s, which line %d redirects again", row.From, row.To, next.Line),
		"each further hop costs the visitor time, and some give up following", "lead it straight to "+goal)
	for at := i; at >= 0; at = c.next[at] {
		if len(f.Evidence) == shownSteps {
			f.Evidence = append(f.Evidence, fmt.Sprintf("... %d more", e.steps-shownSteps))
			break
		}
		f.Evidence = append(f.Evidence, c.rows[at].From)
		if at != i {
			f.Related = append(f.Related, c.rows[at].place())
		}
	}
	f.Evidence = append(f.Evidence, goal)
}

// spelled finds what the site's own rules make of a row.
func (c *checker) spelled(i int) {
	row := c.rows[i]
	if row.Gone() || row.ToPage() {
		return
	}
	if !c.Site.Has(row.Target.Host) {
		if !slices.Contains(c.Known, row.Target.Host) {
			c.add(i, "foreign-target", finding.Warning, fmt.Sprintf("this leads to %s, which is neither the site's nor listed as known", row.Target.Host), "", "add the host under site: known: of the plan, if it is right")
		}
		return
	}
	source, err := address.Resolve(c.Site.Origin, row.From)
	if err != nil {
		return
	}
	target := row.Target
	target.Fragment = ""
	final := c.spell(target)
	switch {
	case final == source, target == source:
		c.stuck[i] = true
		c.add(i, "self", finding.Error, fmt.Sprintf("%s leads to itself", row.From), "on many servers a visitor goes round until the browser gives up", "delete the row, or write the target that was meant")
	case c.spell(source) == target:
		c.add(i, "redundant", finding.Note, fmt.Sprintf("the site's own rules lead %s to %s already", row.From, row.To), "", "delete the row")
	}
	if c.next[i] < 0 && final != target && c.follow(row) != i {
		c.add(i, "hidden-chain", finding.Warning, fmt.Sprintf("%s leads to %s, which the site's own rules redirect again", row.From, row.To),
			"each visitor makes two hops", "write "+final.String())
	}
}

// loop is the finding for a cycle, told from its first line.
func loop(rows []Row, cycle []int) finding.Finding {
	first := slices.Index(cycle, slices.Min(cycle))
	cycle = slices.Concat(cycle[first:], cycle[:first])
	f := finding.Finding{Code: "loop", Severity: finding.Error, Where: rows[cycle[0]].place(),
		Why: "a visitor never arrives; browsers give up with an error", Advice: "decide which of these addresses is right and delete its row"}
	for n, i := range cycle {
		if n == shownSteps {
			f.Evidence = append(f.Evidence, fmt.Sprintf("... %d more", len(cycle)-shownSteps))
			break
		}
		f.Evidence = append(f.Evidence, rows[i].From)
		if n > 0 {
			f.Related = append(f.Related, rows[i].place())
		}
	}
	f.Evidence = append(f.Evidence, rows[cycle[0]].From)
	f.What = "these lead round in a circle: " + strings.Join(f.Evidence, " -> ")
	return f
}

func (r Row) place() finding.Place { return finding.Place{File: r.File, Line: r.Line} }

// goal says target and status in words, equal exactly for rows that agree.
func (r Row) goal() string {
	status := r.Status
	if status == 0 {
		status = 301
	}
	switch {
	case r.Gone():
		return "nothing (410)"
	case r.ToPage():
		return fmt.Sprintf("%s (%d)", r.To, status)
	}
	return fmt.Sprintf("%s (%d)", r.Target, status)
}

func lines(places []finding.Place) string {
	text := make([]string, len(places))
	for i, p := range places {
		text[i] = fmt.Sprint(p.Line)
	}
	return strings.Join(text, ", ")
}
