package pair

import (
	"cmp"
	"slices"
)

// slots is how many words stand beside the rest of a name on one side, by that rest. Where several do, they tell things
// apart.
//
//	fares to Kvitsund, fares to Nordvoe, fares to Grimsay  ->  fares to: 3
type slots map[uint64]int

// longestName is how many words a name has at most that is looked at.
const longestName = 8

// nothing stands for no word.
const nothing = -1

// gap is a name without one of its words.
type gap struct {
	rest uint64
	word int32 // nothing: it is whole
}

// findSlots goes through the names of both sides.
func findSlots(sides ...[]parts) slots {
	found := slots{}
	for _, side := range sides {
		var gaps []gap
		for i := range side {
			name := side[i].names()
			if len(name) == 0 || len(name) > longestName {
				continue
			}
			whole := sum(name)
			gaps = append(gaps, gap{whole, nothing})
			for _, word := range name {
				if len(name) > 1 {
					gaps = append(gaps, gap{whole - mixed(word), word})
				}
			}
		}
		slices.SortFunc(gaps, func(a, b gap) int {
			return cmp.Or(cmp.Compare(a.rest, b.rest), cmp.Compare(a.word, b.word))
		})
		gaps = slices.Compact(gaps)
		for from := 0; from < len(gaps); {
			to := from + 1
			for to < len(gaps) && gaps[to].rest == gaps[from].rest {
				to++
			}
			if n := to - from; n > 1 {
				found[gaps[from].rest] = max(found[gaps[from].rest], n)
			}
			from = to
		}
	}
	return found
}

// siblings returns how far the one word by which two names differ tells things apart: by how many stand in its place.
func (s *sides) siblings(a, b bag) float64 {
	if len(a) > longestName || len(b) > longestName {
		return 0
	}
	x, y, both, ok := differ(a, b)
	if !ok || both == 0 || x == y {
		return 0
	}
	rest := sum(a)
	if x != nothing {
		rest -= mixed(x)
		if slices.ContainsFunc(s.words.spelled[x], func(v variant) bool { return v.word == y }) {
			return 0
		}
	}
	others := float64(max(0, s.slots[rest]-1))
	return others / (others + 3)
}

// differ returns the words that each of two names has alone, nothing where it has none, and how many they share; ok is
// false where one of them has several.
func differ(a, b bag) (x, y int32, both int, ok bool) {
	x, y = nothing, nothing
	for i, j := 0, 0; i < len(a) || j < len(b); {
		switch {
		case j == len(b) || i < len(a) && a[i] < b[j]:
			if x != nothing {
				return x, y, both, false
			}
			x = a[i]
			i++
		case i == len(a) || b[j] < a[i]:
			if y != nothing {
				return x, y, both, false
			}
			y = b[j]
			j++
		default:
			both++
			i, j = i+1, j+1
		}
	}
	return x, y, both, true
}

// sum returns a number for some words, the same in any order; that of a word can be taken off it.
func sum(words bag) (n uint64) {
	for _, word := range words {
		n += mixed(word)
	}
	return n
}

// mixed spreads the number of a word over all bits (splitmix64).
func mixed(word int32) uint64 {
	x := (uint64(word) + 1) * 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}
