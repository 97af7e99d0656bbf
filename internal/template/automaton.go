package template

import (
	"encoding/binary"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Automaton reads a path by many templates at once, in a time that hardly grows
// with their number: it keeps sets of positions (see machine) as states, which
// it works out when a path first leads there. It must not be used by two at a
// time.
type Automaton struct {
	fold      bool
	positions []position
	reader    []int32 // by position: the template it belongs to
	last      []bool  // by position: the template's path may end behind it
	first     []int32 // positions that a path may begin with
	empty     []int32 // templates that read an empty path
	class     [256]uint8
	small     [256]uint8 // the same where capitals count as small letters
	classes   int
	states    []state
	ways      []onward // by state, apart from it: most paths need no more
	rows      []int32
	byKey     map[string]int32
}

// state is a set of positions that may have been read last.
type state struct {
	members []int32
	reads   []int32 // templates that may end here, in order
}

// onward is where a path goes on from a state.
type onward struct {
	to    int32 // 1 + the state behind the class of characters that was met first; 0: none yet
	row   int32 // once several were met: where rows holds, by class, 1 + the state behind it
	class uint8
}

// The first two states.
const (
	atBegin = 0
	nowhere = 1
)

// maxKept bounds the states that are kept, of some hundred bytes each.
const maxKept = 400_000

// NewAutomaton returns an automaton of templates, known by their positions in
// the list. With fold, letters don't count.
func NewAutomaton(readers []*Reader, fold bool) *Automaton {
	a := &Automaton{fold: fold}
	sets := map[charset]bool{}
	for n, r := range readers {
		if fold {
			r = r.folded()
		}
		m := r.machine()
		base := len(a.positions)
		for _, p := range m.positions {
			sets[p.set] = true
			for i := range p.follow {
				p.follow[i] += base
			}
			a.positions, a.reader, a.last = append(a.positions, p), append(a.reader, int32(n)), append(a.last, false)
		}
		for _, i := range m.last {
			a.last[base+i] = true
		}
		for _, i := range m.first {
			a.first = append(a.first, int32(base+i))
		}
		if m.empty {
			a.empty = append(a.empty, int32(n))
		}
	}
	a.classify(sets)
	a.reset()
	return a
}

// classify puts characters that no template tells apart into one class.
func (a *Automaton) classify(sets map[charset]bool) {
	splits := map[[2]int]int{}
	group := [256]int{}
	count := 1
	for set := range sets {
		clear(splits)
		for c := range group {
			in := 0
			if set.has(byte(c)) {
				in = 1
			}
			k := [2]int{group[c], in}
			if _, ok := splits[k]; !ok {
				splits[k] = len(splits)
			}
			group[c] = splits[k]
		}
		count = len(splits)
	}
	for c, g := range group {
		a.class[c] = uint8(g)
	}
	for c := range a.class {
		a.small[c] = a.class[lower(byte(c))]
	}
	a.classes = count
}

// reset forgets the states that were worked out.
func (a *Automaton) reset() {
	a.states, a.byKey = a.states[:0], map[string]int32{}
	a.states, a.ways = append(a.states, state{reads: a.empty}, state{}), append(a.ways[:0], onward{}, onward{})
	a.rows = append(a.rows[:0], 0) // 0 is none
	a.byKey[""] = nowhere
}

// Find returns the templates that read a path in normal form with single
// slashes, in order. The result must not be changed.
func (a *Automaton) Find(path string) []int32 {
	if len(a.states) > maxKept {
		a.reset()
	}
	class := &a.class
	if a.fold {
		if strings.IndexByte(path, '%') >= 0 {
			path = address.Fold(path)
		} else {
			class = &a.small
		}
	}
	at := int32(atBegin)
	for i := 0; i < len(path); i++ {
		class := class[path[i]]
		if way := a.ways[at]; way.to != 0 && way.class == class {
			at = way.to - 1
		} else if way.row != 0 && a.rows[int(way.row)+int(class)] != 0 {
			at = a.rows[int(way.row)+int(class)] - 1
		} else {
			at = a.step(at, class, path[i])
		}
		if at == nowhere {
			return nil
		}
	}
	return a.states[at].reads
}

// step works out the state behind a character, or its small letter.
func (a *Automaton) step(at int32, class uint8, c byte) int32 {
	if class != a.class[c] {
		c = lower(c)
	}
	var members []int32
	read := func(i int32) {
		if a.positions[i].set.has(c) {
			members = append(members, i)
		}
	}
	if at == atBegin {
		for _, i := range a.first {
			read(i)
		}
	}
	for _, m := range a.states[at].members {
		for _, i := range a.positions[m].follow {
			read(int32(i))
		}
	}
	slices.Sort(members)
	to := a.enter(slices.Compact(members))
	way := &a.ways[at]
	switch {
	case way.to == 0:
		way.to, way.class = to+1, class
		return to
	case way.row == 0:
		way.row = int32(len(a.rows))
		a.rows = append(a.rows, make([]int32, a.classes)...)
	}
	a.rows[int(way.row)+int(class)] = to + 1
	return to
}

func lower(c byte) byte {
	if 'A' <= c && c <= 'Z' {
		c += 'a' - 'A'
	}
	return c
}

// enter returns the number of the state of a set of positions.
func (a *Automaton) enter(members []int32) int32 {
	key := make([]byte, 0, 4*len(members))
	for _, m := range members {
		key = binary.LittleEndian.AppendUint32(key, uint32(m))
	}
	if n, ok := a.byKey[string(key)]; ok {
		return n
	}
	s := state{members: members}
	for _, m := range members {
		if a.last[m] {
			s.reads = append(s.reads, a.reader[m])
		}
	}
	slices.Sort(s.reads)
	s.reads = slices.Compact(s.reads)
	n := int32(len(a.states))
	a.states, a.ways, a.byKey[string(key)] = append(a.states, s), append(a.ways, onward{}), n
	return n
}
