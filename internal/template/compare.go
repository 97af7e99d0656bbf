package template

import (
	"encoding/binary"
	"slices"

	"young-compass/internal/address"
)

// folded returns the reader of the paths that r reads, with small letters.
func (r *Reader) folded() *Reader {
	out := &Reader{query: r.query}
	for _, e := range r.elements {
		e.Literal = address.Fold(e.Literal)
		for c := byte('A'); c <= 'Z'; c++ {
			e.Class.set.remove(c)
		}
		out.elements = append(out.elements, e)
	}
	return out
}

// Overlap looks for a path that both read, whatever their parameters. It
// returns the shortest, or false when there is none. With fold, letters don't
// count, and the path has small ones.
//
//	/{section}/today  and  /news/{y}    /news/today
//	/{section}/today  and  /today       none
func Overlap(a, b *Reader, fold bool) (path string, found bool) {
	if Disjoint(a, b, fold) {
		return "", false
	}
	if fold {
		a, b = a.folded(), b.folded()
	}
	path, _, _, found = search(a.machine(), b.machine(), false)
	return path, found
}

// maxStates bounds how much of the ways through several readers is looked at.
const maxStates = 20000

// Covered reports whether every path that r reads is also read by one of the
// others, whatever their parameters. Where that can't be decided within bounds
// it reports false.
//
//	/news/{y}, y=digits  by  /news/{y}                                   true
//	/news/{y}, y=slug    by  /news/{y}, y=digits  and  /news/{y}, y=word false
func Covered(r *Reader, by []*Reader, fold bool) bool {
	if fold {
		r = r.folded()
	}
	m := r.machine()
	var others []*machine
	sets := []charset{}
	for _, o := range by {
		if fold {
			o = o.folded()
		}
		others = append(others, o.machine())
	}
	for _, m := range append([]*machine{m}, others...) {
		for _, p := range m.positions {
			sets = append(sets, p.set)
		}
	}
	chars := kinds(sets)
	type state struct {
		at     int
		others string // positions of the others, encoded
	}
	seen := map[state]bool{}
	var queue []state
	// advance goes on to what can come next; others says what that is in each of
	// the other machines.
	advance := func(next []int, behind func(k int) [][]int) {
		for _, i := range next {
			for _, c := range chars {
				if !m.positions[i].set.has(c) {
					continue
				}
				var key []byte
				for k, o := range others {
					var reached []int
					for _, follow := range behind(k) {
						for _, j := range follow {
							if o.positions[j].set.has(c) && !slices.Contains(reached, j) {
								reached = append(reached, j)
							}
						}
					}
					slices.Sort(reached)
					for _, j := range reached {
						key = binary.AppendUvarint(binary.AppendUvarint(key, uint64(k)), uint64(j))
					}
				}
				if s := (state{i, string(key)}); !seen[s] {
					seen[s] = true
					queue = append(queue, s)
				}
			}
		}
	}
	advance(m.first, func(k int) [][]int { return [][]int{others[k].first} })
	for len(queue) > 0 {
		s := queue[0]
		queue = queue[1:]
		if len(seen) > maxStates {
			return false
		}
		at := make([][]int, len(others))
		ends := false
		for key := []byte(s.others); len(key) > 0; {
			k, n := binary.Uvarint(key)
			j, n2 := binary.Uvarint(key[n:])
			key = key[n+n2:]
			at[k] = append(at[k], int(j))
			ends = ends || slices.Contains(others[k].last, int(j))
		}
		if !ends && slices.Contains(m.last, s.at) {
			return false
		}
		advance(m.positions[s.at].follow, func(k int) [][]int {
			var follows [][]int
			for _, j := range at[k] {
				follows = append(follows, others[k].positions[j].follow)
			}
			return follows
		})
	}
	return true
}

// kinds returns one character of each kind: those that are in the same sets are
// of one kind.
func kinds(sets []charset) []byte {
	slices.SortFunc(sets, charset.compare)
	sets = slices.Compact(sets)
	seen := map[string]bool{}
	var chars []byte
	for c := range 256 {
		signature := make([]byte, len(sets))
		any := false
		for i, set := range sets {
			if set.has(byte(c)) {
				signature[i], any = 1, true
			}
		}
		if any && !seen[string(signature)] {
			seen[string(signature)] = true
			chars = append(chars, byte(c))
		}
	}
	return chars
}
