package redirect

import (
	"fmt"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
)

// ways finds loops, chains and mixed ways by walking from every node once.
func (c *checker) ways() {
	c.last, c.steps = make([]int32, len(c.next)), make([]int32, len(c.next))
	c.rounds = make([]uint8, len(c.next))
	circles := map[string]bool{}
	var way []int32
	route.Parallel(c.list.Len(), func(_, from, to int) {
		for n := from; n < to; n++ {
			if c.next[n] < 0 && c.flags[n]&looping == 0 {
				c.passed(int32(n)) // most rows lead to the end at once
			}
		}
	})
	for start := range c.next {
		if c.flags[start]&done == 0 {
			way = c.walk(int32(start), way[:0], circles)
		}
	}
	for k := range c.nodes { // a pattern is in a cycle where any of its nodes is
		n := c.list.Len() + k
		if row := c.rowOf(int32(n)); row >= 0 && c.own(k) {
			c.flags[row] |= c.flags[n] & (looping | inCycle | stuck)
		}
	}
	c.tellRows()
	c.tellMet()
	c.last, c.steps = nil, nil // nobody asks any more
}

// walk follows the way from a node to where it ends or was walked before, and notes what follows for each node on it.
// It returns the nodes.
//
//	/a,/b  /b,/c  /c,/d    from /a: 3 steps to the end, from /b: 2, from /c: 1
func (c *checker) walk(start int32, way []int32, circles map[string]bool) []int32 {
	at := start
	for at >= 0 && c.flags[at]&(onWay|done) == 0 {
		c.flags[at] |= onWay
		way = append(way, at)
		at = c.next[at]
	}
	round := at >= 0 && c.flags[at]&onWay != 0
	loops := round || at >= 0 && c.flags[at]&looping != 0
	circle := at // -1: of the site's own rules and the book
	if round {
		c.circle(way[slices.Index(way, at):], circles)
	} else if loops {
		circle = c.last[at]
	}
	for _, n := range slices.Backward(way) {
		if loops = loops || c.flags[n]&looping != 0; loops {
			c.flags[n] |= looping | stuck
		}
		c.passed(n)
		if loops {
			c.last[n] = circle
		}
	}
	return way
}

// passed notes of a node what its way is like: what is known of the next node, and what it says itself.
func (c *checker) passed(n int32) {
	c.flags[n] = c.flags[n]&^onWay | done
	c.last[n], c.steps[n] = n, 1
	if c.isPattern(n) {
		c.rounds[n] = 1
	}
	if next := c.next[n]; next >= 0 && c.flags[n]&looping == 0 {
		c.last[n], c.steps[n] = c.last[next], c.steps[next]+1
		c.flags[n] |= c.flags[next] & (permanent | temporary)
		c.rounds[n] = min(c.rounds[n]+c.rounds[next], resolve.MaxRounds+1)
	}
	if c.rounds[n] > resolve.MaxRounds {
		c.flags[n] |= stuck
	}
	switch status := c.statusOf(n); {
	case status == 410:
	case resolve.Temporary(status):
		c.flags[n] |= temporary
	default:
		c.flags[n] |= permanent
	}
}

// tellRows reports what is wrong with the ways from rows.
func (c *checker) tellRows() {
	found := make([][]finding.Finding, runtime.GOMAXPROCS(0))
	route.Parallel(c.list.Len(), func(part, from, to int) {
		w := c.Rules.Walker()
		for n := from; n < to; n++ {
			if c.next[n] < 0 && c.flags[n]&looping == 0 || c.list.at(n).pattern || c.later(n) {
				continue // nothing leads on, or its own nodes tell, or the row before it
			}
			found[part] = append(found[part], c.way(w, int32(n))...)
		}
	})
	c.found = append(c.found, slices.Concat(found...)...)
}

// tellMet reports what is wrong with the ways from what was met. Of several nodes of a pattern the first tells.
func (c *checker) tellMet() {
	type telling struct {
		row  int
		code finding.Code
	}
	told := map[telling]bool{}
	for k := range c.nodes {
		n := c.list.Len() + k
		row := c.rowOf(int32(n))
		if row < 0 || c.later(row) || !c.own(k) || c.flags[row]&looping != 0 && c.flags[n]&looping == 0 {
			continue
		}
		for _, f := range c.way(c.walker, int32(n)) {
			if once := (telling{row, f.Code}); !told[once] {
				told[once] = true
				c.found = append(c.found, f)
			}
		}
	}
}

// way reports what is wrong with the way from a node.
func (c *checker) way(w *resolve.Walker, n int32) (found []finding.Finding) {
	i := c.rowOf(n)
	switch {
	case c.next[n] < 0 && c.flags[n]&looping == 0, c.flags[i]&inCycle != 0:
	case c.flags[n]&looping != 0 && c.goesRound(i, c.last[n]):
	case c.flags[n]&looping != 0:
		f := c.finding(i, finding.IntoLoop, finding.Error, fmt.Sprintf("%s leads to %s, and from there into a circle",
			c.list.at(i).from, c.list.at(i).to),
			"a visitor never arrives", "lead it straight to where it should end")
		if c.next[n] >= 0 {
			f.Related = []finding.Place{c.placeOf(c.next[n])}
		}
		found = append(found, f)
	case c.rounds[n] > resolve.MaxRounds:
		f := c.finding(i, finding.Loop, finding.Error,
			fmt.Sprintf("more than five patterns lead on to one another from %s", c.from(n)),
			"no visitor is led through so many", "lead it straight to where it should end")
		for at := n; at >= 0 && len(f.Evidence) < shownSteps; at = c.next[at] {
			f.Evidence = append(f.Evidence, c.from(at))
		}
		found = append(found, f)
	case !c.another(n), c.list.Row(i).ToPage(): // a page is where its address is; what leads on there is its own matter
	default:
		chain := c.chain(w, n)
		found = append(found, chain)
		if c.flags[n]&permanent != 0 && c.flags[n]&temporary != 0 {
			f := c.finding(i, finding.WrongStatus, finding.Warning,
				fmt.Sprintf("the way from %s is permanent in one hop and temporary in another", c.from(n)),
				"browsers and search engines keep the permanent part", "say the same status in all rows of the way")
			f.Related = chain.Related
			found = append(found, f)
		}
	}
	return found
}

// own reports whether what was met shows what a pattern does by itself: the request brings no parameters along that
// the pattern doesn't name.
func (c *checker) own(met int) bool {
	m := &c.nodes[met]
	if m.by != resolve.ByPattern {
		return false
	}
	query := m.at.Query
	return query == "" || query == address.JoinQuery(route.Carried(address.SplitQuery(query),
		c.Patterns[m.number].Names()))
}

// goesRound reports whether a row is on the circle of a node: perhaps with parameters that others brought.
func (c *checker) goesRound(row int, start int32) bool {
	for n := start; n >= 0; {
		if c.rowOf(n) == row {
			return true
		}
		if n = c.next[n]; n == start {
			break
		}
	}
	return false
}

// another reports whether the way from a node leads to another row: a pattern
// may meet what it writes without leading on.
func (c *checker) another(n int32) bool {
	for at := c.next[n]; at >= 0; at = c.next[at] {
		if c.rowOf(at) != c.rowOf(n) {
			return true
		}
	}
	return false
}

// shownSteps is how much of a chain is shown.
const shownSteps = 12

// circle notes the nodes of a cycle, and reports it unless one of the same rows
// was. It is told from its first row.
func (c *checker) circle(cycle []int32, told map[string]bool) {
	var rows []int
	for _, n := range cycle {
		c.flags[n] |= inCycle
		rows = append(rows, c.rowOf(n))
	}
	if !slices.ContainsFunc(rows, func(row int) bool { return row >= 0 }) {
		return // of the plan's patterns alone, whose contradictions are told there
	}
	for _, row := range rows {
		if row >= 0 && len(cycle) > 1 {
			c.flags[row] |= stuck
		}
	}
	if len(cycle) == 1 && c.flags[rows[0]]&stuck != 0 {
		return // it leads to itself, which was told
	}
	if len(c.nodes) > 0 { // else each row is in one circle at most
		key := fmt.Sprint(slices.Compact(slices.Sorted(slices.Values(rows))))
		if told[key] {
			return
		}
		told[key] = true
	}
	first := -1
	for k, row := range rows {
		if row >= 0 && (first < 0 || row < rows[first]) {
			first = k
		}
	}
	f := finding.Finding{Code: finding.Loop, Severity: finding.Error, Where: c.list.place(rows[first]),
		Why:    "a visitor never arrives; browsers give up with an error",
		Advice: "decide which of these addresses is right and delete its row"}
	for k := range cycle {
		if k == shownSteps {
			f.Evidence = append(f.Evidence, fmt.Sprintf("... %d more", len(cycle)-shownSteps))
			break
		}
		n := cycle[(first+k)%len(cycle)]
		f.Evidence = append(f.Evidence, c.from(n))
		if k > 0 {
			f.Related = append(f.Related, c.placeOf(n))
		}
	}
	f.Evidence = append(f.Evidence, c.from(cycle[first]))
	f.What = "these lead round in a circle: " + strings.Join(f.Evidence, " -> ")
	c.found = append(c.found, f)
}

// chain reports a row that is redirected again, by one of its nodes.
func (c *checker) chain(w *resolve.Walker, n int32) finding.Finding {
	steps := int(c.steps[n])
	i, next := c.rowOf(n), c.placeOf(c.next[n])
	goal := c.goal(w, c.last[n])
	leads := c.list.at(i).from + " leads to " + c.list.at(i).to
	if int(n) != i {
		leads = c.list.at(i).from + " leads " + c.from(n) + " to " + c.target(n).Local()
	}
	where := "line " + strconv.Itoa(next.Line)
	if next.File != c.list.place(i).File {
		where = next.String()
	}
	f := c.finding(i, finding.Chain, finding.Error, leads+", which "+where+" redirects again",
		"each further hop costs the visitor time, and some give up following", "lead it straight to "+goal)
	shown := min(steps, shownSteps)
	f.Evidence, f.Related = make([]string, 0, shown+2), make([]finding.Place, 0, shown)
	for at := n; at >= 0; at = c.next[at] {
		if len(f.Evidence) == shownSteps {
			f.Evidence = append(f.Evidence, fmt.Sprintf("... %d more", steps-shownSteps))
			break
		}
		f.Evidence = append(f.Evidence, c.from(at))
		if at != n {
			f.Related = append(f.Related, c.placeOf(at))
		}
	}
	f.Evidence = append(f.Evidence, goal)
	return f
}

// goal says where the way of the last node ends.
func (c *checker) goal(w *resolve.Walker, last int32) string {
	row := Redirect{Status: c.statusOf(last), Target: c.target(last)}
	if i := c.rowOf(last); i >= 0 {
		if own := c.list.Row(i); own.Gone() || own.ToPage() {
			return own.goal()
		}
	}
	fragment := row.Target.Fragment
	if c.Site.Has(row.Target.Host) {
		row.Target = c.onward(w, row.Target, false, -1).final
	}
	row.Target.Fragment = fragment
	return row.goal()
}
