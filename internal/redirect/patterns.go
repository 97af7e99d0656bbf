package redirect

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

// maxPatterns is how many patterns of a list are compared with each other.
const maxPatterns = 2000

// comparePatterns finds patterns that repeat, contradict or cover each other.
func (c *checker) comparePatterns() {
	if len(c.patterns) > maxPatterns {
		c.add(c.patterns[maxPatterns].row, finding.BadRow, finding.Error,
			fmt.Sprintf("this list has %d patterns; at most %d are compared with each other", len(c.patterns),
				maxPatterns), "", "list the addresses instead")
		c.patterns = c.patterns[:maxPatterns]
	}
	same := map[string][]numbered{} // by what they read
	for _, p := range c.patterns {
		if row := c.list.Row(p.row); !strings.Contains(row.To, "{") && strings.Contains(row.From, "{") {
			c.add(p.row, finding.UnusedVariables, finding.Warning,
				fmt.Sprintf("%s is a pattern, since it has braces, and leads all that it reads to %s", row.From, row.To), "",
				"write %7B and %7D where braces stand for themselves; leave it where all of them are meant")
		}
		key := readingOf(p.Pattern, c.Paths.Lower)
		same[key] = append(same[key], p)
	}
	var before []numbered // the first ones with what they read
	for _, p := range c.patterns {
		group := same[readingOf(p.Pattern, c.Paths.Lower)]
		if group[0].row == p.row {
			c.contradicting(group)
			c.compare(p, before)
			before = append(before, p)
		}
	}
}

// readingOf writes what a pattern reads, so that equal texts read the same: with
// variables by their classes.
func readingOf(p *route.Pattern, fold bool) string {
	var b strings.Builder
	for _, e := range p.Reader.Elements() {
		literal := e.Literal
		if fold {
			literal = address.Fold(literal)
		}
		if e.Name != "" {
			literal = fmt.Sprintf("{%t %s}", e.List, e.Class)
		}
		b.WriteString(literal)
	}
	for _, q := range p.Reader.Query() {
		fmt.Fprintf(&b, "&%s%s", q.Name, q.Value)
		if q.Variable != "" {
			fmt.Fprintf(&b, "={%s}", q.Class)
		}
	}
	return b.String()
}

// contradicting reports patterns that read the same: they lead to the same, or
// they don't.
func (c *checker) contradicting(group []numbered) {
	rows := make([]sharing, len(group))
	for k, p := range group {
		row := c.list.Row(p.row)
		row.To = p.Target.Rename(positions(p.Pattern)).String()
		rows[k] = sharing{row: p.row, goal: row.goal()}
	}
	c.repeats(rows)
	c.contradictions(rows)
}

// positions names a pattern's variables by their order.
func positions(p *route.Pattern) map[string]string {
	names := map[string]string{}
	add := func(name string) {
		if name != "" {
			names[name] = fmt.Sprintf("v%d", len(names))
		}
	}
	for _, e := range p.Reader.Elements() {
		add(e.Name)
	}
	for _, q := range p.Reader.Query() {
		add(q.Variable)
	}
	return names
}

// compare reports a pattern that earlier ones cover, or that reads some of what
// an earlier one reads and leads it elsewhere, while each reads more.
func (c *checker) compare(p numbered, before []numbered) {
	var near []numbered // that read some of the same
	var covering []*template.Reader
	for _, q := range before {
		if !overlapInQuery(p.Reader, q.Reader) || template.Disjoint(p.Reader, q.Reader, c.Paths.Lower) {
			continue
		}
		near = append(near, q)
		if coversQuery(q.Reader, p.Reader) {
			covering = append(covering, q.Reader)
		}
	}
	if len(covering) > 0 && template.Covered(p.Reader, covering, c.Paths.Lower) {
		f := c.add(p.row, finding.Shadowed, finding.Warning,
			fmt.Sprintf("%s is never met: patterns before it read all of its addresses", p.From),
			"visitors go where the earlier ones lead", "put it before them, or delete it")
		for _, q := range near {
			if len(f.Related) < shownSteps {
				f.Related = append(f.Related, c.list.place(q.row))
			}
		}
		return
	}
	for _, q := range near {
		path, ok := template.Overlap(p.Reader, q.Reader, c.Paths.Lower)
		if !ok || coversQuery(p.Reader, q.Reader) && template.Covered(q.Reader, []*template.Reader{p.Reader},
			c.Paths.Lower) {
			continue // the earlier one is an exception of this one
		}
		if c.sameGoal(p, q, path) {
			continue
		}
		f := c.add(p.row, finding.Conflict, finding.Error,
			fmt.Sprintf("%s and %s in line %d both read %s, and neither is narrower", p.From, q.From,
				c.list.at(q.row).line, path),
			"which of them is met depends on their order alone",
			"list "+path+" and the like on their own, or narrow one of the two by class")
		f.Related = []finding.Place{c.list.place(q.row)}
		c.flags[p.row] |= stuck
		c.flags[q.row] |= stuck
		return
	}
}

// sameGoal reports whether two patterns lead an address to the same, with the
// same status.
func (c *checker) sameGoal(p, q numbered, path string) bool {
	if c.list.at(p.row).status != c.list.at(q.row).status || len(p.Reader.Query()) > 0 {
		return false
	}
	one, _ := p.Reader.ReadPath(path, c.Paths.Lower)
	other, _ := q.Reader.ReadPath(path, c.Paths.Lower)
	return p.Target.Expand(one) == q.Target.Expand(other)
}

// overlapInQuery reports whether one request can carry what both name. A request
// meets only those that name just what it carries.
func overlapInQuery(a, b *template.Reader) bool {
	return slices.EqualFunc(a.Query(), b.Query(), func(a, b template.QueryItem) bool {
		if a.Name != b.Name {
			return false
		}
		return a.Variable != "" && b.Variable != "" || a.Value == b.Value || a.Variable != "" && b.Value != "" ||
			b.Variable != "" && a.Value != ""
	})
}

// coversQuery reports whether a reads all parameters that b reads.
func coversQuery(a, b *template.Reader) bool {
	return slices.EqualFunc(a.Query(), b.Query(), func(a, b template.QueryItem) bool {
		switch {
		case a.Name != b.Name:
			return false
		case a.Variable == "":
			return b.Variable == "" && a.Value == b.Value
		case b.Variable == "":
			return len(b.Value) > 1 && a.Class.Holds(b.Value[1:])
		}
		return b.Class.Within(a.Class)
	})
}

// witnesses lets each pattern meet addresses that show what it does: an example, those that it leads to a listed row,
// and those that it leads to a pattern.
func (c *checker) witnesses() {
	targets := make([]*template.Reader, len(c.patterns))
	for k, p := range c.patterns {
		targets[k] = p.Writes(c.Site)
		c.witness(p, template.Values{}, true)
	}
	begin := newPrefixes(targets, c.Paths.Lower)
	if len(c.patterns) > 0 {
		for i := range c.list.Len() {
			source := c.list.Source(i)
			if source.Path == "" || c.idle(i) {
				continue
			}
			path, params := route.PatternPath(source.Path), address.SplitQuery(source.Query)
			for _, k := range begin.of(path) {
				p := c.patterns[k]
				if values, ok := targets[k].ReadPath(path, c.Paths.Lower); ok && targets[k].ReadQuery(params, values) {
					c.witness(p, values, false)
				}
			}
		}
	}
	for k, p := range c.patterns {
		for _, q := range c.Patterns {
			if targets[k] == nil {
				continue
			}
			path, ok := template.Overlap(targets[k], q.Reader, c.Paths.Lower)
			if !ok {
				continue
			}
			for _, path := range append([]string{path}, q.Examples(triedExamples)...) {
				if values, ok := targets[k].ReadPath(path, c.Paths.Lower); ok {
					c.witness(p, values, false)
				}
			}
		}
	}
	for k := 0; k < len(c.nodes); k++ { // the list grows on the way
		m := c.nodes[k]
		node := int32(c.list.Len() + k)
		if m.by == resolve.ByPattern && k < maxTraced && m.back < resolve.MaxRounds {
			c.trace(m, targets, begin)
		}
		if !c.Site.Has(m.to.Host) {
			continue
		}
		if again := c.again(node); again >= 0 {
			c.next[node] = again // what it writes grows for ever
			continue
		}
		c.lead(node, c.onward(c.walker, m.to, true, node))
	}
}

// maxTraced bounds how many of the addresses that patterns meet are traced back to patterns that lead there.
const maxTraced = 100000

// trace lets the patterns that lead to an address meet the ones that they lead there.
func (c *checker) trace(m met, targets []*template.Reader, begin prefixes) {
	path, params := route.PatternPath(m.at.Path), address.SplitQuery(m.at.Query)
	for _, k := range begin.of(path) {
		p := c.patterns[k]
		if values, ok := targets[k].ReadPath(path, c.Paths.Lower); ok && targets[k].ReadQuery(params, values) {
			first := len(c.nodes)
			c.witness(p, values, false)
			for n := first; n < len(c.nodes); n++ {
				c.nodes[n].back = m.back + 1
			}
		}
	}
}

// again returns the first of the nodes that led to a node with the same pattern,
// if there are more of them than patterns may follow one another.
func (c *checker) again(node int32) int32 {
	found, depth := int32(-1), 0
	for at := node; at >= int32(c.list.Len()); depth++ {
		before := c.nodes[int(at)-c.list.Len()].before
		if before >= 0 && c.sameSource(before, node) {
			found = before
		}
		at = before
	}
	if depth <= resolve.MaxRounds {
		return -1
	}
	return found
}

// sameSource reports whether two nodes are of one row or pattern.
func (c *checker) sameSource(a, b int32) bool {
	n := int32(c.list.Len())
	if a < n || b < n {
		return c.rowOf(a) == c.rowOf(b)
	}
	return c.nodes[a-n].by == c.nodes[b-n].by && c.nodes[a-n].number == c.nodes[b-n].number
}

// triedExamples is how many values are tried where any will do: listed rows may
// hide some.
const triedExamples = 8

// witness lets a pattern meet the address that it reads as values, if that
// address meets it; variables without a value take examples. With example, the
// first one also shows what the site's own rules make of the pattern.
func (c *checker) witness(p numbered, values template.Values, example bool) {
	if c.later(p.row) {
		return
	}
	for n := range triedExamples {
		tried := maps.Clone(values)
		for name, class := range p.Reader.Classes() {
			if _, ok := tried[name]; !ok {
				list := class.Examples(triedExamples)
				tried[name] = []string{list[min(n, len(list)-1)]}
			}
		}
		at, err := address.Resolve(c.Site.Origin, p.Written(tried))
		if err != nil {
			return
		}
		w := c.walker
		w.Start("GET", at)
		if _, err := w.Step(); err != nil || len(w.Steps) == 0 {
			continue
		}
		step, to := w.Steps[0], w.At
		node, _ := c.node(w, true, -1)
		if n == 0 && example && step.By == resolve.ByPattern && c.Patterns[step.Number].Row == p.row {
			if !c.Site.Has(to.Host) {
				c.found = append(c.found, c.foreign(c.list.place(p.row), to)...)
				return
			}
			o := c.onward(w, to, true, node)
			c.found = append(c.found, c.spelled(w, p.row, at, to, o)...)
		}
		if len(values) == len(tried) {
			return // there is nothing to try
		}
	}
}
