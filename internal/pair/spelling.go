package pair

import (
	"slices"
	"strings"
)

// variant is a word of new pages that may be one of old pages, written otherwise.
type variant struct {
	word  int32
	share float32 // how much of a word's weight counts
}

// How much of a word's weight counts when the other side has it otherwise.
const (
	inPlural  = 0.9
	misspelt  = 0.8
	inPart    = 0.6 // one is a part of the other: times, timetables; Feder, Glasfeder
	fromWords = 4   // letters of a word that may be a part, at least
)

// misspeltPages is how many pages a word has, at most, to be taken for another one misspelt.
const misspeltPages = 3

// same returns how much of its weight counts if a word of old pages is one of new pages, written otherwise: in the
// plural, or misspelt; 0: it isn't. A word that both sites know is no other one misspelt: ixgb and ixgbe are two.
func (v *vocabulary) same(old, new int32) float32 {
	a, b := v.words[old], v.words[new]
	switch {
	case !near(a, b):
		return 0
	case plural(a, b) || plural(b, a):
		return inPlural
	case !v.new[old] && !v.old[new] && min(v.pages[new], v.pages[old]) <= misspeltPages:
		return misspelt
	}
	return 0
}

// plural reports whether a word is another one in the plural, or in another case, in languages that add an s.
func plural(one, more string) bool {
	return len(one) >= 4 && strings.ContainsAny(one, "aeiouy") && (more == one+"s" || more == one+"es")
}

// spell finds for words of old pages the ones of new pages that may be the same, written otherwise.
func (s *sides) spell() {
	v := &s.words
	v.spelled = make([][]variant, len(v.words))
	const longest = 24
	fits := func(word string) bool { return len(word) >= 4 && len(word) <= longest && plain(word) && letter(word) }
	without := map[string][]int32{} // new words by what is left without one letter
	var forward, backward []int32   // new words in order, from the first letter and from the last
	for n, word := range v.words {
		if len(s.postings[n]) == 0 || !fits(word) {
			continue
		}
		forward, backward = append(forward, int32(n)), append(backward, int32(n))
		for i := range len(word) {
			key := word[:i] + word[i+1:]
			if len(without[key]) < 8 {
				without[key] = append(without[key], int32(n))
			}
		}
	}
	slices.SortFunc(forward, func(a, b int32) int { return strings.Compare(v.words[a], v.words[b]) })
	slices.SortFunc(backward, func(a, b int32) int { return fromEnd(v.words[a], v.words[b]) })
	done := make([]bool, len(v.words))
	for i := range s.old {
		for _, n := range s.old[i].all {
			word := v.words[n]
			if done[n] || !fits(word) {
				continue
			}
			done[n] = true
			found := slices.Clone(without[word])
			for i := range len(word) {
				key := word[:i] + word[i+1:]
				found = append(found, without[key]...)
				if m, ok := v.numbers[key]; ok && len(s.postings[m]) > 0 {
					found = append(found, m)
				}
			}
			slices.Sort(found)
			for _, m := range slices.Compact(found) {
				if share := v.same(n, m); m != n && share > 0 {
					v.spelled[n] = append(v.spelled[n], variant{m, share})
				}
			}
			if !v.new[n] && len(v.spelled[n]) == 0 && !hasDigit(word) {
				s.parts(n, forward, backward)
			}
		}
	}
}

// mostParts is how many words that a word is a part of are looked at.
const mostParts = 6

// parts finds new words that hold an old one, which no new page has, at their beginning or end, or that it holds.
func (s *sides) parts(n int32, forward, backward []int32) {
	v := &s.words
	word := strings.TrimSuffix(v.words[n], "s")
	if len(word) < fromWords {
		return
	}
	add := func(m int32) {
		if m != n && len(v.spelled[n]) < mostParts {
			v.spelled[n] = append(v.spelled[n], variant{m, inPart})
		}
	}
	fromStart := func(m int32, word string) int { return strings.Compare(v.words[m], word) }
	at, _ := slices.BinarySearchFunc(forward, word, fromStart)
	for ; at < len(forward) && strings.HasPrefix(v.words[forward[at]], word); at++ {
		if len(v.words[forward[at]]) >= len(word)+3 {
			add(forward[at])
		}
	}
	at, _ = slices.BinarySearchFunc(backward, word, func(m int32, word string) int { return fromEnd(v.words[m], word) })
	for ; at < len(backward) && strings.HasSuffix(v.words[backward[at]], word); at++ {
		if len(v.words[backward[at]]) >= len(word)+3 {
			add(backward[at])
		}
	}
	for cut := fromWords + 1; cut <= len(word)-3; cut++ { // longer ones alone: most short words are in some long one
		for _, part := range []string{word[:cut], word[len(word)-cut:]} {
			if m, ok := v.numbers[part]; ok && v.new[m] && !v.old[m] {
				add(m)
			}
		}
	}
}

// fromEnd compares two words from their last letters on.
func fromEnd(a, b string) int {
	for i := 1; i <= min(len(a), len(b)); i++ {
		if x, y := a[len(a)-i], b[len(b)-i]; x != y {
			return int(x) - int(y)
		}
	}
	return len(a) - len(b)
}
