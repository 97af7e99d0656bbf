package pair

import (
	"slices"
	"unicode"
	"unicode/utf8"
)

// gramsOf returns hashes of all runs of four letters of a text, sorted, each once; what isn't a letter or a digit
// doesn't count. So Reise-Tagebuch has those of Reisetagebuch, and Glas-Schreibfeder many of Glasfeder.
func gramsOf(text string) []uint32 {
	const length = 4
	var last [length]rune
	var grams []uint32
	n := 0
	for _, r := range text[:min(len(text), 300)] {
		small := r >= 'a' && r <= 'z' || r >= '0' && r <= '9'
		if !small && (r < 0x80 || r == utf8.RuneError || !unicode.IsLetter(r)) {
			continue
		}
		copy(last[:], last[1:])
		last[length-1] = r
		if n++; n >= length {
			grams = append(grams, gram(last[0], last[1], last[2], last[3]))
		}
	}
	if n > 0 && n < length {
		grams = append(grams, gram(last[0], last[1], last[2], last[3]))
	}
	slices.Sort(grams)
	return slices.Compact(grams)
}

// gram hashes a run of letters (FNV-1a, 32 bits, over code points).
func gram(run ...rune) uint32 {
	h := uint32(2166136261)
	for _, r := range run {
		h = (h ^ uint32(r)) * 16777619
		h ^= h >> 15
	}
	return h
}

// sharedGrams returns which part of both lists they share, from 0 to 1.
func sharedGrams(a, b []uint32) float64 {
	if len(a) == 0 || len(b) == 0 {
		return 0
	}
	both := 0
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch {
		case a[i] < b[j]:
			i++
		case a[i] > b[j]:
			j++
		default:
			both++
			i, j = i+1, j+1
		}
	}
	return 2 * float64(both) / float64(len(a)+len(b))
}

// gramIndex is the pages that have a gram, by buckets of its hash.
type gramIndex struct {
	starts []int32
	pages  []int32
	mask   uint32
}

func indexGrams(pages []parts) gramIndex {
	buckets := 1 << 8
	for buckets < 8*len(pages) && buckets < 1<<19 {
		buckets *= 2
	}
	p := gramIndex{starts: make([]int32, buckets+1), mask: uint32(buckets - 1)}
	for i := range pages {
		for _, g := range pages[i].grams {
			p.starts[g&p.mask+1]++
		}
	}
	for k := range buckets {
		p.starts[k+1] += p.starts[k]
	}
	p.pages = make([]int32, p.starts[buckets])
	next := slices.Clone(p.starts[:buckets])
	for i := range pages {
		for _, g := range pages[i].grams {
			p.pages[next[g&p.mask]] = int32(i)
			next[g&p.mask]++
		}
	}
	return p
}

// of returns the pages that have a gram, and perhaps some others.
func (p *gramIndex) of(gram uint32) []int32 {
	return p.pages[p.starts[gram&p.mask]:p.starts[gram&p.mask+1]]
}
