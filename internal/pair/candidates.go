package pair

import (
	"cmp"
	"slices"
)

// Bounds that keep the work for a page the same, however many there are.
const (
	considered = 16   // candidates of which all evidence is looked at
	touched    = 3000 // pages that share a word and are counted
)

// tally counts what new pages share with an old one. It is used for one old page
// after another, so that nothing as long as the new site is made anew for each.
type tally struct {
	weight []float32 // by new page
	pages  []int32   // that share anything
}

func (t *tally) add(pages []int32, weight float32) {
	for _, page := range pages {
		if t.weight[page] == 0 {
			t.pages = append(t.pages, page)
		}
		t.weight[page] += weight
	}
}

// best returns the pages with most weight, and forgets all.
func (t *tally) best(n int, counts func(page int32) bool) []int32 {
	var best []int32
	heavier := func(a, b int32) bool { return t.weight[a] > t.weight[b] || t.weight[a] == t.weight[b] && a < b }
	for _, page := range t.pages {
		if len(best) == n && !heavier(page, best[n-1]) || !counts(page) {
			continue
		}
		at := len(best)
		for at > 0 && heavier(page, best[at-1]) {
			at--
		}
		best = slices.Insert(best[:min(len(best), n-1)], at, page)
	}
	for _, page := range t.pages {
		t.weight[page] = 0
	}
	t.pages = t.pages[:0]
	return best
}

// candidates returns the new pages that share the rarest words with an old one,
// or an id.
func (s *sides) candidates(i int, t *tally) []scored {
	old := &s.old[i]
	list := s.search(old, t, old.language != "" && s.languages[old.language])
	scores := make([]scored, len(list))
	for k, page := range list {
		scores[k].page = page
		s.look(old, &s.new[page], &s.before[i], &s.after[page], &scores[k].evidence)
	}
	return scores
}

// search counts shared words. With own, pages in other languages don't count.
func (s *sides) search(old *parts, t *tally, own bool) []int32 {
	type clue struct {
		pages  []int32
		weight float32
	}
	var clues []clue
	add := func(pages []int32, weight float32) {
		if len(pages) > 0 {
			clues = append(clues, clue{pages, weight})
		}
	}
	for _, n := range old.all {
		add(s.postings[n], s.words.weight[n])
		for _, m := range s.words.spelled[n] {
			add(s.postings[m], misspelt*s.words.weight[m])
		}
	}
	for _, n := range old.text {
		add(s.textPostings[n], s.words.weight[n]/4)
	}
	for _, id := range old.ids {
		add(s.byID[id], 8)
	}
	slices.SortStableFunc(clues, func(a, b clue) int { return cmp.Compare(len(a.pages), len(b.pages)) })
	seen := 0
	for k, c := range clues {
		seen += len(c.pages)
		switch {
		case seen <= touched || k == 0:
			t.add(c.pages, c.weight)
		case len(t.pages) < considered: // words that very many pages have, and nothing better
			t.add(c.pages[:min(len(c.pages), touched)], c.weight)
		default: // further words count for the pages that are known
			for _, page := range t.pages {
				if _, ok := slices.BinarySearch(c.pages, page); ok {
					t.weight[page] += c.weight
				}
			}
		}
	}
	return t.best(considered, func(page int32) bool {
		n := &s.new[page]
		return (!n.home || old.home) && !(own && n.language != "" && n.language != old.language)
	})
}
