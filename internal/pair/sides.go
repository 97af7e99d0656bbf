package pair

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// sides is both sites, taken to pieces.
type sides struct {
	before, after []Page
	old, new      []parts // of each page
	words         vocabulary
	postings      [][]int32          // by word: the new pages with it in title, heading or address
	textPostings  [][]int32          // the same for their text
	byID          map[string][]int32 // new pages by an id
	oldIDs        map[string]int     // how many old pages have an id
	languages     map[string]bool    // of new pages
	learned       learned
}

// parts is what a page consists of.
type parts struct {
	title, heading, slug, folders, all, text bag
	raw                                      string // the title as it is compared sign by sign
	last                                     string // of the address
	place                                    string // the folder, without what differs from page to page
	years                                    []string
	dated                                    bool     // a year is in the title or the last segment
	numbers                                  []string // other than years, in title or last segment
	ids                                      []string
	language                                 string
	home                                     bool
}

// shownText is how many of its rarest words stand for a text.
const shownText = 40

func newSides(before, after []Page) *sides {
	s := &sides{before: before, after: after, words: vocabulary{numbers: map[string]int32{}},
		byID: map[string][]int32{}, oldIDs: map[string]int{}, languages: map[string]bool{}}
	s.old, s.new = s.take(before, 0), s.take(after, len(before))
	s.words.weigh(len(before) + len(after))
	for _, side := range [][]parts{s.old, s.new} {
		for i := range side {
			side[i].text = s.rarest(side[i].text)
		}
	}
	s.postings, s.textPostings = make([][]int32, len(s.words.words)), make([][]int32, len(s.words.words))
	for i := range s.new {
		for _, n := range s.new[i].all {
			s.postings[n] = append(s.postings[n], int32(i))
		}
		for _, n := range s.new[i].text {
			s.textPostings[n] = append(s.textPostings[n], int32(i))
		}
		for _, id := range s.new[i].ids {
			s.byID[id] = append(s.byID[id], int32(i))
		}
		s.languages[s.new[i].language] = true
	}
	for i := range s.old {
		for _, id := range s.old[i].ids {
			s.oldIDs[id]++
		}
	}
	s.spell()
	return s
}

// take takes the pages of one side to pieces; first is the number of the first
// of them in the vocabulary.
func (s *sides) take(pages []Page, first int) []parts {
	prefixes := languagePrefixes(pages)
	list := make([]parts, len(pages))
	for i := range pages {
		p, q := &pages[i], &list[i]
		number := first + i
		bagOf := func(text string) bag {
			var b bag
			split(text, func(word string) { b = append(b, s.words.add(word, number)) })
			slices.Sort(b)
			return slices.Compact(b)
		}
		folders, last := segments(p.Address)
		q.last = strings.ToLower(last)
		q.language = strings.ToLower(p.Language)
		if code, _, _ := strings.Cut(strings.TrimPrefix(folders, "/"), "/"); q.language == "" && prefixes[code] {
			q.language = code
		}
		q.title, q.heading, q.slug, q.folders = bagOf(p.Title), bagOf(p.Heading), bagOf(last), bagOf(folders)
		for _, param := range address.SplitQuery(p.Address.Query) {
			q.folders = union(q.folders, bagOf(param.Value))
		}
		q.all = union(q.title, q.heading, q.slug, q.folders)
		q.text = bagOf(p.Text)
		q.raw = raw(p.Title)
		q.home = p.Home()
		q.place = place(p.Address, folders, p.Kind)
		q.note(p, folders, last)
	}
	return list
}

// note notes years, numbers and ids.
func (q *parts) note(p *Page, folders, last string) {
	ids := slices.Clone(p.IDs)
	number := func(word string, inTitle bool) {
		switch {
		case !numeric(strings.ReplaceAll(word, ".", "")):
		case year(word):
			q.years = append(q.years, word)
		case inTitle:
			q.numbers = append(q.numbers, word)
		}
	}
	split(p.Title, func(word string) { number(word, true) })
	if len(q.title) == 0 {
		split(last, func(word string) { number(word, true) })
	}
	for _, text := range []string{p.Title, last} {
		split(text, func(word string) { q.dated = q.dated || year(word) })
	}
	for _, text := range []string{folders, last} {
		split(text, func(word string) {
			if number(word, false); numeric(word) && !year(word) && len(word) > 1 {
				ids = append(ids, word)
			}
		})
	}
	for _, param := range address.SplitQuery(p.Address.Query) {
		value := strings.TrimPrefix(param.Value, "=")
		if number(value, false); len(value) > 1 && numeric(value) && !year(value) {
			ids = append(ids, value)
		}
	}
	if len(p.Date) >= 4 && year(p.Date[:4]) && len(q.years) == 0 {
		q.years = append(q.years, p.Date[:4])
	}
	for i, id := range ids {
		ids[i] = strings.TrimLeft(strings.ToLower(id), "0")
	}
	slices.Sort(ids)
	q.ids = slices.Compact(ids)
}

// place says where a page belongs: its kind, its folder and the names of its
// parameters, without years and numbers.
func place(a address.Address, folders, kind string) string {
	var b strings.Builder
	b.WriteString(kind)
	for _, segment := range strings.Split(folders, "/") {
		if segment != "" && !numeric(segment) {
			b.WriteString("/" + strings.ToLower(segment))
		}
	}
	params := address.SplitQuery(a.Query)
	if len(params) > 0 {
		_, last := segments(a)
		b.WriteString("/" + last)
	}
	for _, p := range params {
		b.WriteString("?" + p.Name)
	}
	return b.String()
}

// languagePrefixes returns the first segments that stand for languages: of two
// letters, and in front of one address in fifty at least.
func languagePrefixes(pages []Page) map[string]bool {
	counts := map[string]int{}
	for i := range pages {
		first, _, more := strings.Cut(strings.TrimPrefix(pages[i].Address.Path, "/"), "/")
		if more && len(first) == 2 && letter(first) && letter(first[1:]) {
			counts[first]++
		}
	}
	prefixes := map[string]bool{}
	for code, n := range counts {
		prefixes[code] = n*50 >= len(pages)
	}
	return prefixes
}

// rarest returns the words of a text that stand for it.
func (s *sides) rarest(text bag) bag {
	if len(text) <= shownText {
		return text
	}
	kept := slices.Clone(text)
	slices.SortStableFunc(kept, func(a, b int32) int { return cmp.Compare(s.words.weight[b], s.words.weight[a]) })
	kept = slices.Clone(kept[:shownText])
	slices.Sort(kept)
	return kept
}

// misspeltPages is how many pages a word has, at most, to be taken for another
// one misspelt.
const misspeltPages = 3

// spell finds for words of old pages the ones of new pages that may be the same,
// spelled otherwise: they become equal when a letter is left out of one or both,
// and one of the two is rare.
func (s *sides) spell() {
	s.words.spelled = make([][]int32, len(s.words.words))
	const longest = 24
	fits := func(word string) bool { return len(word) >= 4 && len(word) <= longest && plain(word) && letter(word) }
	without := map[string][]int32{}
	for n, word := range s.words.words {
		if len(s.postings[n]) == 0 || !fits(word) {
			continue
		}
		for i := range len(word) {
			key := word[:i] + word[i+1:]
			if len(without[key]) < 8 {
				without[key] = append(without[key], int32(n))
			}
		}
	}
	done := make([]bool, len(s.words.words))
	for i := range s.old {
		for _, n := range s.old[i].all {
			word := s.words.words[n]
			if done[n] || !fits(word) {
				continue
			}
			done[n] = true
			found := slices.Clone(without[word])
			for i := range len(word) {
				key := word[:i] + word[i+1:]
				found = append(found, without[key]...)
				if m, ok := s.words.numbers[key]; ok && len(s.postings[m]) > 0 {
					found = append(found, m)
				}
			}
			slices.Sort(found)
			s.words.spelled[n] = slices.DeleteFunc(slices.Compact(found), func(m int32) bool {
				return m == n || min(s.words.pages[m], s.words.pages[n]) > misspeltPages ||
					!near(s.words.words[m], word)
			})
		}
	}
}
