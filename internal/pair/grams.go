package pair

import (
	"math"
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

// gramIndex is the pages that have a gram, by buckets of its hash, and how much each counts: the rarer, the more.
type gramIndex struct {
	starts []int32
	pages  []int32
	weight []float32
	mask   uint32
}

// indexGrams indexes new pages; old ones count for what is rare.
func indexGrams(old, pages []parts) gramIndex {
	buckets := 1 << 8
	for buckets < 8*len(pages) && buckets < 1<<19 {
		buckets *= 2
	}
	p := gramIndex{starts: make([]int32, buckets+1), weight: make([]float32, buckets), mask: uint32(buckets - 1)}
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
	for _, side := range [][]parts{old, pages} {
		for i := range side {
			for _, g := range side[i].grams {
				p.weight[g&p.mask]++
			}
		}
	}
	all := float64(len(old) + len(pages))
	for k, n := range p.weight {
		p.weight[k] = float32(max(0, math.Log((all+1)/(float64(n)+1))))
	}
	return p
}

// shared returns the weight that both lists share, which part of that of both this is, and which of that of the lighter.
func (p *gramIndex) shared(a, b []uint32) (both, dice, within float64) {
	var left, right float64
	for i, j := 0, 0; i < len(a) || j < len(b); {
		switch {
		case j == len(b) || i < len(a) && a[i] < b[j]:
			left += float64(p.weight[a[i]&p.mask])
			i++
		case i == len(a) || b[j] < a[i]:
			right += float64(p.weight[b[j]&p.mask])
			j++
		default:
			both += float64(p.weight[a[i]&p.mask])
			i, j = i+1, j+1
		}
	}
	if both == 0 {
		return 0, 0, 0
	}
	return both, 2 * both / (2*both + left + right), both / (both + min(left, right))
}

// of returns the pages that have a gram, and perhaps some others.
func (p *gramIndex) of(gram uint32) []int32 {
	return p.pages[p.starts[gram&p.mask]:p.starts[gram&p.mask+1]]
}
