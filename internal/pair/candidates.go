package pair

import (
	"cmp"
	"slices"
)

// Bounds that keep the work for a page the same, however many there are.
const (
	considered = 16   // candidates by shared words of which all evidence is looked at
	touched    = 3000 // pages that share a word and are counted
	followed   = 100  // pages of them of which further words are looked at
	equals     = 4    // new pages with the same title, or last segment, that are candidates whatever else is
	likeWords  = 4    // candidates by runs of letters
	likeText   = 4    // candidates by words of the text alone
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

// best returns the pages with most weight of those that count, and forgets all.
func (t *tally) best(n int, counts func(page int32) bool) []int32 {
	best := t.top(n, counts)
	for _, page := range t.pages {
		t.weight[page] = 0
	}
	t.pages = t.pages[:0]
	return best
}

// top returns the pages with most weight of those that count; nil: all do.
func (t *tally) top(n int, counts func(page int32) bool) []int32 {
	best := make([]int32, 0, min(n, len(t.pages)))
	heavier := func(a, b int32) bool { return t.weight[a] > t.weight[b] || t.weight[a] == t.weight[b] && a < b }
	for _, page := range t.pages {
		if len(best) == n && !heavier(page, best[n-1]) || counts != nil && !counts(page) {
			continue
		}
		at := len(best)
		for at > 0 && heavier(page, best[at-1]) {
			at--
		}
		best = slices.Insert(best[:min(len(best), n-1)], at, page)
	}
	return best
}

// candidates returns the new pages that search finds for an old one, with what can be seen of the two alone.
func (s *sides) candidates(i int, t *tally) []scored {
	old := &s.old[i]
	list := s.search(old, t)
	scores := make([]scored, 0, len(list))
	for _, page := range list {
		scores = append(scores, s.candidate(i, page))
	}
	lead(scores)
	return scores
}

// candidate looks at a new page as a candidate for an old one.
func (s *sides) candidate(i int, page int32) scored {
	c := scored{page: page}
	s.look(&s.old[i], &s.new[page], &s.before[i], &s.after[page], &c.evidence)
	return c
}

// further adds candidates where very many new pages have the old one's title, or its last segment: those that lie where
// the sure pairs of its place went.
func (s *sides) further(i int, list []scored) []scored {
	old := &s.old[i]
	more := false
	for _, to := range s.learned.usual[old.place] {
		for _, pages := range [][]int32{s.titleAt[named{old.raw, to}], s.lastAt[named{old.last, to}]} {
			for _, page := range pages[:min(len(pages), equals)] {
				has := slices.ContainsFunc(list, func(c scored) bool { return c.page == page })
				if !has && s.mayBe(old, page) {
					list, more = append(list, s.candidate(i, page)), true
				}
			}
		}
	}
	if more {
		lead(list)
	}
	return list
}

// lead notes by how much more each candidate shares with the old page than the best of the others.
func lead(list []scored) {
	for k, other := range others(list, shared) {
		if e := &list[k].evidence; e[shared] > 0 {
			e[outdoes] = (e[shared] - other) / max(e[shared], other)
		}
	}
	for k, other := range others(list, gramsAlike) {
		list[k].evidence[gramsLead] = list[k].evidence[gramsAlike] - other
	}
	for k, other := range others(list, textAlike) {
		if e := &list[k].evidence; e[texted] > 0 {
			e[textLeads] = e[textAlike] - other
			e[textNearer] = (e[textAlike] - other) / (1 - min(e[textAlike], other) + 0.02) // equal texts are no division by 0
		}
	}
}

// others returns for each candidate the most that any other has of a kind of evidence.
func others(list []scored, kind int) []float64 {
	most, second := 0.0, 0.0
	for k := range list {
		if x := list[k].evidence[kind]; x > most {
			most, second = x, most
		} else {
			second = max(second, x)
		}
	}
	best := make([]float64, len(list))
	for k := range list {
		if best[k] = most; list[k].evidence[kind] == most {
			best[k] = second
		}
	}
	return best
}

// search returns the new pages that share most: by their words, by runs of letters, and those that have the same
// title, id, or end of the address, whatever else is. Pages that are told to be in another language don't count where
// the new site has some in the old page's.
func (s *sides) search(old *parts, t *tally) []int32 {
	counts := func(page int32) bool { return s.mayBe(old, page) }
	sought := s.sought(old.text)
	list := s.byWords(old, sought, t, counts)
	add := func(pages []int32) {
		n := 0
		for _, page := range pages[:min(len(pages), 10*equals)] {
			if counts(page) && n < equals {
				if n++; !slices.Contains(list, page) {
					list = append(list, page)
				}
			}
		}
	}
	if old.home {
		add(s.homes)
	}
	if old.raw != "" {
		add(s.byTitle[old.raw])
	}
	if old.last != "" && len(s.byLast[old.last]) <= equals {
		add(s.byLast[old.last])
	}
	if list := s.byTail[tail(old.path)]; len(list) <= equals {
		add(list)
	}
	for _, id := range old.ids {
		if s.oldIDs[id] == 1 && len(s.byID[id]) == 1 {
			add(s.byID[id])
		}
	}
	add(s.byGrams(old, t, counts))
	add(s.byText(sought, t, counts))
	return list
}

// mayBe reports whether a new page isn't out of the question for an old one: by its language, and as the home page.
func (s *sides) mayBe(old *parts, page int32) bool {
	own := old.language != "" && !old.guessed && s.languages[old.language] > 0
	n := &s.new[page]
	return (!n.home || old.home) && !(own && n.language != "" && !n.guessed && n.language != old.language)
}

// clue is something that an old page has, the new pages that have it too, and how much it counts.
type clue struct {
	pages  []int32
	weight float32
}

// byWords returns the pages that share the rarest words; sought are those of the text.
func (s *sides) byWords(old *parts, sought bag, t *tally, counts func(page int32) bool) []int32 {
	var clues []clue
	add := func(pages []int32, weight float32) {
		if len(pages) > 0 {
			clues = append(clues, clue{pages, weight})
		}
	}
	for _, n := range old.all {
		add(s.postings[n], s.words.weight[n])
		for _, m := range s.words.spelled[n] {
			add(s.postings[m.word], m.share*s.words.weight[m.word])
		}
	}
	for _, n := range sought {
		add(s.textPostings[n], s.words.weight[n]/4)
	}
	return t.heaviest(clues, considered, counts)
}

// byText returns the pages whose texts share the rarest words, whatever they are called.
func (s *sides) byText(sought bag, t *tally, counts func(page int32) bool) []int32 {
	var clues []clue
	for _, n := range sought {
		if pages := s.textPostings[n]; len(pages) > 0 {
			clues = append(clues, clue{pages, s.words.weight[n]})
		}
	}
	return t.heaviest(clues, likeText, counts)
}

// byGrams returns the pages that share the rarest runs of letters, if words of the old page are on no new one.
func (s *sides) byGrams(old *parts, t *tally, counts func(page int32) bool) []int32 {
	if s.unknown(old) < 0.2 {
		return nil
	}
	const most = 12 // runs of letters that are looked up
	var clues []clue
	for _, g := range old.grams {
		if pages := s.byGram.of(g); len(pages) > 0 && len(pages) <= touched/4 {
			clues = append(clues, clue{pages, 1})
		}
	}
	slices.SortStableFunc(clues, func(a, b clue) int { return cmp.Compare(len(a.pages), len(b.pages)) })
	return t.heaviest(clues[:min(len(clues), most)], likeWords, counts)
}

// heaviest returns the pages that share most of some clues; where very many pages have one, it counts only for those
// that have a rarer one.
func (t *tally) heaviest(clues []clue, n int, counts func(page int32) bool) []int32 {
	slices.SortStableFunc(clues, func(a, b clue) int { return cmp.Compare(len(a.pages), len(b.pages)) })
	seen := 0
	var known []int32
	for k, c := range clues {
		seen += len(c.pages)
		switch {
		case seen <= touched || k == 0:
			t.add(c.pages, c.weight)
		case len(t.pages) < n: // words that very many pages have, and nothing better
			t.add(c.pages[:min(len(c.pages), touched)], c.weight)
		default: // further words count for the pages that are known best
			if known == nil {
				known = t.top(followed, nil)
			}
			for _, page := range known {
				if _, ok := slices.BinarySearch(c.pages, page); ok {
					t.weight[page] += c.weight
				}
			}
		}
	}
	return t.best(n, counts)
}
