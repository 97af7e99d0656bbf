package template

import (
	"fmt"
	"slices"
	"strings"
)

// position is one character of what a template reads: a byte of a literal, of a
// value, or the slash in front of an item of a list. It knows which characters
// it can be and what can come behind it, so that every way through the
// positions is one way to read a path, and the other way round.
type position struct {
	element int
	slash   bool // begins an item of a list
	set     charset
	follow  []int
}

// machine is all positions of a reader.
type machine struct {
	positions []position
	first     []int
	last      []int // behind which the path may end
	empty     bool  // nothing at all is read too
}

func (m *machine) add(element int, slash bool, set charset) int {
	m.positions = append(m.positions, position{element: element, slash: slash, set: set})
	return len(m.positions) - 1
}

// behind notes that the positions in first may come after each of those in last.
func (m *machine) behind(last, first []int) {
	for _, i := range last {
		for _, j := range first {
			if !slices.Contains(m.positions[i].follow, j) {
				m.positions[i].follow = append(m.positions[i].follow, j)
			}
		}
	}
}

// run adds the positions of a value of a class. It returns the first, and those
// behind which the value may end.
func (m *machine) run(element int, c Class) (first []int, last []int) {
	longest := c.max
	if longest == 0 {
		longest = c.min
	}
	for n := 1; n <= longest; n++ {
		i := m.add(element, false, c.set)
		if n == 1 {
			first = []int{i}
		} else {
			m.behind([]int{i - 1}, []int{i})
		}
		if n >= c.min {
			last = append(last, i)
		}
	}
	if c.max == 0 {
		m.behind(last[len(last)-1:], last[len(last)-1:])
	}
	return first, last
}

func single(c byte) (set charset) {
	set.add(c)
	return set
}

// machine builds the positions of the reader's path.
func (r *Reader) machine() *machine {
	m := &machine{empty: true}
	join := func(first, last []int, optional bool) {
		m.behind(m.last, first)
		if m.empty {
			m.first = append(m.first, first...)
		}
		if optional {
			m.last = append(slices.Clone(m.last), last...)
		} else {
			m.last, m.empty = last, false
		}
	}
	for n, e := range r.elements {
		switch {
		case e.Name == "":
			for i := range len(e.Literal) {
				at := []int{m.add(n, false, single(e.Literal[i]))}
				join(at, at, false)
			}
		case e.List:
			slash := []int{m.add(n, true, single('/'))}
			first, last := m.run(n, e.Class)
			m.behind(slash, first)
			m.behind(last, slash)
			join(slash, last, true)
		default:
			first, last := m.run(n, e.Class)
			if e.Class.several {
				slash := []int{m.add(n, false, single('/'))}
				m.behind(last, slash)
				m.behind(slash, first)
			}
			join(first, last, false)
		}
	}
	return m
}

// pair is two ways that have read the same characters so far.
type pair struct {
	one, other int
	apart      bool // they aren't the same way
}

// step is how a pair was reached.
type step struct {
	from pair
	char byte
	root bool
}

// Ambiguous looks for a path that can be read in two ways. It returns the
// shortest such path with both readings, or false when every path has one
// reading at most.
func (r *Reader) Ambiguous() (path string, one, other Values, found bool) {
	m := r.machine()
	path, ones, others, found := search(m, m, true)
	if !found {
		return "", nil, nil, false
	}
	return path, m.values(r, path, ones), m.values(r, path, others), true
}

// search goes through two machines side by side. It returns the shortest path
// that both read, with the positions of both ways; with apart, of one machine
// twice, the ways must part somewhere.
func search(m, n *machine, apart bool) (path string, ones, others []int, found bool) {
	reached := map[pair]step{}
	var queue []pair
	advance := func(from pair, root bool, ones, others []int) {
		for _, i := range ones {
			for _, j := range others {
				c, ok := common(m.positions[i].set, n.positions[j].set)
				next := pair{i, j, from.apart || apart && i != j}
				if _, known := reached[next]; ok && !known {
					reached[next] = step{from, c, root}
					queue = append(queue, next)
				}
			}
		}
	}
	advance(pair{}, true, m.first, n.first)
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if at.apart == apart && slices.Contains(m.last, at.one) && slices.Contains(n.last, at.other) {
			path, ones, others := trail(reached, at)
			return path, ones, others, true
		}
		advance(at, false, m.positions[at.one].follow, n.positions[at.other].follow)
	}
	return "", nil, nil, false
}

// common returns a character that both sets hold, one that people can read if
// there is any.
func common(a, b charset) (byte, bool) {
	both := a.and(b)
	for _, c := range []byte("xyza01A-_~") {
		if both.has(c) {
			return c, true
		}
	}
	for c := range both.all() {
		return c, true
	}
	return 0, false
}

// trail returns the characters that led to a pair, and the positions of both
// ways.
func trail(reached map[pair]step, at pair) (path string, ones, others []int) {
	var chars []byte
	for {
		s := reached[at]
		chars, ones, others = append(chars, s.char), append(ones, at.one), append(others, at.other)
		if s.root {
			slices.Reverse(chars)
			slices.Reverse(ones)
			slices.Reverse(others)
			return string(chars), ones, others
		}
		at = s.from
	}
}

// values returns what a way through the positions reads.
func (m *machine) values(r *Reader, path string, way []int) Values {
	values := Values{}
	for i, at := range way {
		p := m.positions[at]
		e := r.elements[p.element]
		switch {
		case e.Name == "":
		case p.slash || values[e.Name] == nil:
			text := path[i : i+1]
			if p.slash {
				text = ""
			}
			values[e.Name] = append(values[e.Name], text)
		default:
			values[e.Name][len(values[e.Name])-1] += path[i : i+1]
		}
	}
	return values
}

// String returns the values as a person reads them, by name.
func (v Values) String() string {
	var words []string
	for name, list := range v {
		words = append(words, fmt.Sprintf("%s=%s", name, strings.Join(list, "/")))
	}
	slices.Sort(words)
	return strings.Join(words, " ")
}
