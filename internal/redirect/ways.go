package redirect

import (
	"fmt"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// ways finds loops, chains and mixed ways by walking from every node once.
func (c *checker) ways() {
	last := make([]int32, len(c.next))  // the last node of a node's way
	steps := make([]int32, len(c.next)) // nodes on it, itself included
	circles := map[string]bool{}
	var way []int32
	for start := range c.next {
		way = way[:0]
		at := int32(start)
		for at >= 0 && c.flags[at]&(onWay|done) == 0 {
			c.flags[at] |= onWay
			way = append(way, at)
			at = c.next[at]
		}
		round := at >= 0 && c.flags[at]&onWay != 0
		loops := round || at >= 0 && c.flags[at]&looping != 0
		if round {
			c.circle(way[slices.Index(way, at):], circles)
		}
		for _, n := range slices.Backward(way) {
			c.flags[n] = c.flags[n]&^onWay | done
			r := c.list.at(c.rowOf(n))
			last[n], steps[n] = n, 1
			if loops {
				c.flags[n] |= looping | stuck
			} else if next := c.next[n]; next >= 0 {
				last[n], steps[n] = last[next], steps[next]+1
				c.flags[n] |= c.flags[next] & (permanent | temporary)
			}
			switch {
			case r.status == 410:
			case Temporary(int(r.status)):
				c.flags[n] |= temporary
			default:
				c.flags[n] |= permanent
			}
		}
	}
	for k, m := range c.met { // a pattern is in a cycle where any of its nodes is
		n := c.list.Len() + k
		c.flags[m.row] |= c.flags[n] & (looping | inCycle | stuck)
	}
	found := make([][]finding.Finding, runtime.GOMAXPROCS(0))
	parts(c.list.Len(), func(part, from, to int) {
		for n := from; n < to; n++ {
			if c.list.at(n).pattern {
				continue // its own nodes tell
			}
			found[part] = append(found[part], c.way(int32(n), last[n], int(steps[n]))...)
		}
	})
	c.found = append(c.found, slices.Concat(found...)...)
	told := map[meeting]bool{} // of several nodes of a pattern the first tells
	for k, m := range c.met {
		n := c.list.Len() + k
		if c.flags[m.row]&looping != 0 && c.flags[n]&looping == 0 {
			continue
		}
		for _, f := range c.way(int32(n), last[n], int(steps[n])) {
			if once := (meeting{m.row, address.Address{Path: f.Code}}); !told[once] {
				told[once] = true
				c.found = append(c.found, f)
			}
		}
	}
}

// way reports what is wrong with the way from a node.
func (c *checker) way(n, last int32, steps int) (found []finding.Finding) {
	i := c.rowOf(n)
	switch {
	case c.next[n] < 0 && c.flags[n]&looping == 0, c.flags[i]&inCycle != 0:
	case c.flags[n]&looping != 0:
		f := c.finding(i, "into-loop", finding.Error, fmt.Sprintf("%s leads to %s, and from there into a circle", c.list.at(i).from, c.list.at(i).to), "a visitor never arrives", "lead it straight to where it should end")
		f.Related = []finding.Place{c.list.place(c.rowOf(c.next[n]))}
		found = append(found, f)
	case !c.another(n):
	default:
		chain := c.chain(n, last, steps)
		found = append(found, chain)
		if c.flags[n]&permanent != 0 && c.flags[n]&temporary != 0 {
			f := c.finding(i, "wrong-status", finding.Warning, fmt.Sprintf("the way from %s is permanent in one hop and temporary in another", c.from(n)),
				"browsers and search engines keep the permanent part", "say the same status in all rows of the way")
			f.Related = chain.Related
			found = append(found, f)
		}
	}
	return found
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
	if slices.ContainsFunc(cycle, func(n int32) bool { return int(n) >= c.list.Len() }) {
		key := fmt.Sprint(slices.Compact(slices.Sorted(slices.Values(rows))))
		if told[key] {
			return
		}
		told[key] = true
	}
	first := slices.Index(rows, slices.Min(rows))
	f := finding.Finding{Code: "loop", Severity: finding.Error, Where: c.list.place(rows[first]),
		Why: "a visitor never arrives; browsers give up with an error", Advice: "decide which of these addresses is right and delete its row"}
	for k := range cycle {
		if k == shownSteps {
			f.Evidence = append(f.Evidence, fmt.Sprintf("... %d more", len(cycle)-shownSteps))
			break
		}
		n := cycle[(first+k)%len(cycle)]
		f.Evidence = append(f.Evidence, c.from(n))
		if k > 0 {
			f.Related = append(f.Related, c.list.place(c.rowOf(n)))
		}
	}
	f.Evidence = append(f.Evidence, c.from(cycle[first]))
	f.What = "these lead round in a circle: " + strings.Join(f.Evidence, " -> ")
	c.found = append(c.found, f)
}

// chain reports a row that is redirected again, by one of its nodes.
func (c *checker) chain(n, last int32, steps int) finding.Finding {
	i, next := c.rowOf(n), c.rowOf(c.next[n])
	goal := c.goal(last)
	leads := c.list.at(i).from + " leads to " + c.list.at(i).to
	if int(n) != i {
		leads = c.list.at(i).from + " leads " + c.from(n) + " to " + c.met[int(n)-c.list.Len()].to.Local()
	}
	f := c.finding(i, "chain", finding.Error, leads+", which line "+strconv.Itoa(int(c.list.at(next).line))+" redirects again", "each further hop costs the visitor time, and some give up following", "lead it straight to "+goal)
	shown := min(steps, shownSteps)
	f.Evidence, f.Related = make([]string, 0, shown+2), make([]finding.Place, 0, shown)
	for at := n; at >= 0; at = c.next[at] {
		if len(f.Evidence) == shownSteps {
			f.Evidence = append(f.Evidence, fmt.Sprintf("... %d more", steps-shownSteps))
			break
		}
		f.Evidence = append(f.Evidence, c.from(at))
		if at != n {
			f.Related = append(f.Related, c.list.place(c.rowOf(at)))
		}
	}
	f.Evidence = append(f.Evidence, goal)
	return f
}

// goal says where the way of the last node ends.
func (c *checker) goal(last int32) string {
	row := c.list.Row(c.rowOf(last))
	if n := int(last) - c.list.Len(); n >= 0 {
		row.Pattern, row.Target = nil, c.met[n].to
	}
	if c.End != nil && row.Target.Host != "" {
		fragment := row.Target.Fragment
		row.Target.Fragment = ""
		if row.Target = c.End(row.Target); row.Target.Fragment == "" {
			row.Target.Fragment = fragment
		}
	}
	return row.goal()
}
