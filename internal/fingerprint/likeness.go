package fingerprint

import (
	"cmp"
	"slices"
)

// Text is what counts of a sketch: its blocks without those that many pages
// have.
type Text struct {
	Exact uint64   // equal for equal texts
	Bag   uint64   // equal for texts of the same blocks in any order
	Runs  []uint64 // hashes of runs of words, sorted, each once
	Whole bool     // Runs holds all of them
}

// Repeated returns the blocks that a site repeats: those that are on more than a
// quarter of the pages, and on more than five. Pages with the same text
// throughout count as one.
func Repeated(sketches []Sketch) map[uint64]bool {
	seen := map[uint64]bool{}
	count := map[uint64]int{}
	for _, s := range sketches {
		if all := s.All(); !seen[all] {
			seen[all] = true
			for i, block := range s.Blocks {
				if !slices.Contains(s.Blocks[:i], block) {
					count[block]++
				}
			}
		}
	}
	repeated := map[uint64]bool{}
	for block, n := range count {
		if n > 5 && n > len(seen)/4 {
			repeated[block] = true
		}
	}
	return repeated
}

// Main returns the text without these blocks.
func (s Sketch) Main(repeated map[uint64]bool) Text {
	t := Text{Exact: offset, Whole: s.Whole}
	for _, block := range s.Blocks {
		if !repeated[block] {
			t.Exact = mix(t.Exact ^ block)
			t.Bag += mix(block)
		}
	}
	t.Runs = make([]uint64, 0, len(s.Runs))
	for _, r := range s.Runs {
		if block := int(r & 0xff); block < len(s.Blocks) && !repeated[s.Blocks[block]] {
			t.Runs = append(t.Runs, r>>8)
		}
	}
	t.Runs = slices.Compact(t.Runs)
	return t
}

// Little reports whether there is too little text to tell anything by.
func (t Text) Little() bool { return len(t.Runs) < 8 }

// Likeness estimates which share of the runs of words in both texts is in each
// (their Jaccard similarity), from 0 to 1.
func Likeness(a, b Text) float64 {
	limit := ^uint64(0)
	for _, t := range []Text{a, b} {
		if !t.Whole && len(t.Runs) > 0 {
			limit = min(limit, t.Runs[len(t.Runs)-1]) // beyond it runs are missing
		}
	}
	both, all := 0, 0
	for i, j := 0, 0; i < len(a.Runs) || j < len(b.Runs); all++ {
		switch {
		case j == len(b.Runs) || i < len(a.Runs) && a.Runs[i] < b.Runs[j]:
			if a.Runs[i] > limit {
				return share(both, all)
			}
			i++
		case i == len(a.Runs) || b.Runs[j] < a.Runs[i]:
			if b.Runs[j] > limit {
				return share(both, all)
			}
			j++
		default:
			if a.Runs[i] > limit {
				return share(both, all)
			}
			i, j, both = i+1, j+1, both+1
		}
	}
	return share(both, all)
}

func share(some, all int) float64 {
	if all == 0 {
		return 0
	}
	return float64(some) / float64(all)
}

// Near is the likeness from which on texts count as nearly the same.
const Near = 0.7

// The bands in which texts that are much alike probably agree: two texts of
// likeness p do in one of them with 1-(1-p²)²⁴, at Near 0.9999999.
const (
	bands = 24
	rows  = 2
)

// Pair is two texts, by their positions, that are the same or nearly so.
type Pair struct {
	A, B     int // A < B
	Likeness float64
}

// Pairs returns texts that are nearly the same, each with the first of those
// that it is like. Texts with too little in them are passed over.
func Pairs(texts []Text) []Pair {
	leads := leaders(texts)
	buckets := make([]map[uint64][]int32, bands)
	for i := range buckets {
		buckets[i] = map[uint64][]int32{}
	}
	var pairs []Pair
	for i, lead := range leads {
		if lead >= 0 && lead != i {
			pairs = append(pairs, Pair{lead, i, 1})
		}
		if lead != i {
			continue
		}
		signature := signatureOf(texts[i].Runs)
		var candidates []int32
		for band := range bands {
			key := uint64(band)
			for row := range rows {
				key = mix(key ^ signature[band*rows+row])
			}
			candidates = append(candidates, buckets[band][key]...)
			if have := buckets[band][key]; len(have) < maxBucket {
				buckets[band][key] = append(have, int32(i))
			}
		}
		slices.Sort(candidates)
		for _, j := range slices.Compact(candidates) {
			if p := Likeness(texts[j], texts[i]); p >= Near {
				pairs = append(pairs, Pair{int(j), i, p})
			}
		}
	}
	slices.SortFunc(pairs, func(a, b Pair) int { return cmp.Or(a.A-b.A, a.B-b.B) })
	return pairs
}

// maxBucket bounds how many texts are compared because of one band.
const maxBucket = 50

// leaders returns for each text the first one that is the same, or -1 if it has
// too little in it.
func leaders(texts []Text) []int {
	first := map[uint64]int{}
	leads := make([]int, len(texts))
	for i, t := range texts {
		leads[i] = -1
		if t.Little() {
			continue
		}
		if _, ok := first[t.Exact]; !ok {
			first[t.Exact] = i
		}
		leads[i] = first[t.Exact]
	}
	return leads
}

// signatureOf returns the smallest of the runs under different orders of all
// numbers.
func signatureOf(runs []uint64) (signature [bands * rows]uint64) {
	for i := range signature {
		signature[i] = ^uint64(0)
	}
	for _, r := range runs {
		h := mix(r)
		step := mix(h) | 1
		for i := range signature {
			h += step
			signature[i] = min(signature[i], h)
		}
	}
	return signature
}

// Groups returns the texts that pairs hold together, by their positions, each
// group and all groups in order.
func Groups(n int, pairs []Pair) [][]int {
	lead := make([]int, n)
	for i := range lead {
		lead[i] = i
	}
	find := func(i int) int {
		for lead[i] != i {
			lead[i] = lead[lead[i]]
			i = lead[i]
		}
		return i
	}
	for _, p := range pairs {
		a, b := find(p.A), find(p.B)
		lead[max(a, b)] = min(a, b)
	}
	members := map[int][]int{}
	for i := range n {
		members[find(i)] = append(members[find(i)], i)
	}
	var groups [][]int
	for i := range n {
		if len(members[i]) > 1 {
			groups = append(groups, members[i])
		}
	}
	return groups
}
