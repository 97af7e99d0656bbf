package pair

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/language"
)

// sides is both sites, taken to pieces.
type sides struct {
	before, after []Page
	old, new      []parts // of each page
	words         vocabulary
	postings      [][]int32 // by word: the new pages with it in title, heading or address
	textPostings  [][]int32 // the same for their text
	gramPostings  postings
	byID          map[string][]int32 // new pages by an id
	oldIDs        map[string]int     // how many old pages have an id
	byTitle       map[string][]int32 // new pages by their own title, sign by sign
	oldTitles     map[string][]int32 // old pages by their own title
	byLast        map[string][]int32 // new pages by the last segment of their address
	oldLasts      map[string][]int32
	byTail        map[string][]int32 // new pages by the last two segments of their path
	titleAt       map[named][]int32  // those whose title very many have, by it and their place
	lastAt        map[named][]int32  // the same of last segments
	homes         []int32            // new home pages
	idTrust       float64            // which part of the pages with equal ids are alike otherwise
	placeTrust    float64            // the same of those with equal numbers of their place among others, such as ch05
	languages     map[string]int     // how many new pages are in a language
	texted        int                // how many new pages have a text
	decided       map[int]Decision
	learned       learned
}

// named is a title, or a last segment, at a place.
type named struct{ name, place string }

// parts is what a page consists of.
type parts struct {
	title, heading, slug, folders, all, text bag
	raw                                      string   // its own title, as it is compared sign by sign
	cut                                      bool     // the title ended in "..."
	grams                                    []uint32 // runs of letters of the title, or else of the last segment
	last                                     string   // of the address; empty: it says nothing
	path                                     string   // the address's path without extension and index file
	position                                 string   // a last segment that only tells the place among others: ch05s01
	place, top                               string   // the folder, without what differs from page to page; its first
	years                                    []string
	titleDated                               bool     // a year is in the title
	dated                                    bool     // a year is in the title or the last segment
	numbers                                  []string // other than years, in title or last segment
	ids                                      []string
	language                                 string
	guessed                                  bool // from words
	home                                     bool
}

// shownText is how many of its rarest words stand for a text.
const shownText = 40

func newSides(before, after []Page) *sides {
	s := &sides{before: before, after: after, words: vocabulary{numbers: map[string]int32{}},
		byID: map[string][]int32{}, oldIDs: map[string]int{}, byTitle: map[string][]int32{}, oldTitles: map[string][]int32{},
		byLast: map[string][]int32{}, oldLasts: map[string][]int32{},
		byTail: map[string][]int32{}, titleAt: map[named][]int32{}, lastAt: map[named][]int32{}, languages: map[string]int{}}
	old, new := newSide(before), newSide(after)
	joins := joined(&old, &new)
	guess := language.NewGuesser()
	s.old, s.new = s.take(&old, 0, joins, guess), s.take(&new, len(before), joins, guess)
	s.words.weigh(len(before) + len(after))
	for _, side := range [][]parts{s.old, s.new} {
		for i := range side {
			side[i].text = s.rarest(side[i].text)
		}
	}
	s.index()
	s.spell()
	s.trust()
	return s
}

// index notes which new pages have what, and how many old ones do.
func (s *sides) index() {
	s.postings, s.textPostings = make([][]int32, len(s.words.words)), make([][]int32, len(s.words.words))
	for i := range s.new {
		q, n := &s.new[i], int32(i)
		for _, w := range q.all {
			s.postings[w] = append(s.postings[w], n)
			s.words.new[w] = true
		}
		for _, w := range q.text {
			s.textPostings[w] = append(s.textPostings[w], n)
		}
		if len(q.text) > 0 {
			s.texted++
		}
		for _, id := range q.ids {
			s.byID[id] = append(s.byID[id], n)
		}
		if q.home {
			s.homes = append(s.homes, n)
		}
		if q.raw != "" {
			s.byTitle[q.raw] = append(s.byTitle[q.raw], n)
		}
		if q.last != "" {
			s.byLast[q.last] = append(s.byLast[q.last], n)
		}
		if end := tail(q.path); end != "" {
			s.byTail[end] = append(s.byTail[end], n)
		}
		s.languages[q.language]++
	}
	for i := range s.new {
		q, n := &s.new[i], int32(i)
		if len(s.byTitle[q.raw]) > equals {
			at := named{q.raw, q.place}
			s.titleAt[at] = append(s.titleAt[at], n)
		}
		if len(s.byLast[q.last]) > equals {
			at := named{q.last, q.place}
			s.lastAt[at] = append(s.lastAt[at], n)
		}
	}
	for i := range s.old {
		q := &s.old[i]
		for _, w := range q.all {
			s.words.old[w] = true
		}
		for _, id := range q.ids {
			s.oldIDs[id]++
		}
		if q.raw != "" {
			s.oldTitles[q.raw] = append(s.oldTitles[q.raw], int32(i))
		}
		if q.last != "" {
			s.oldLasts[q.last] = append(s.oldLasts[q.last], int32(i))
		}
	}
	s.gramPostings = postingsOf(s.new)
}

// tail returns the last two segments of a path; empty: it has fewer.
func tail(path string) string {
	last := strings.LastIndexByte(path, '/')
	if last <= 0 {
		return ""
	}
	return path[strings.LastIndexByte(path[:last], '/')+1:]
}

// side is one side before its words are numbered.
type side struct {
	pages     []Page
	heads     heads
	prefixes  map[string]bool // first segments that stand for languages
	scripts   map[string]int  // how many pages a path with a query makes
	values    map[string]int  // how many pages have a parameter with a value
	names     map[string]int  // how many pages have a parameter
	distinct  map[string]int  // how many values a parameter has
	positions map[string]bool // shapes of last segments whose numbers count the pages
	titles    map[string]int  // how many pages have an own title
	single    map[string]bool // its words in titles and addresses
}

func newSide(pages []Page) side {
	s := side{pages: pages, heads: headsOf(pages), prefixes: languagePrefixes(pages), scripts: map[string]int{},
		values: map[string]int{}, names: map[string]int{}, distinct: map[string]int{}, single: map[string]bool{}}
	for i := range pages {
		a := pages[i].Address
		if a.Query != "" {
			s.scripts[a.Path]++
		}
		for _, p := range address.SplitQuery(a.Query) {
			key := p.Name + p.Value
			if s.values[key] == 0 {
				s.distinct[p.Name]++
			}
			s.values[key]++
			s.names[p.Name]++
		}
	}
	s.positions = positionsOf(pages)
	s.titles = map[string]int{}
	for i := range pages {
		core, _, _ := s.heads.own(pages[i].Title)
		s.titles[core]++
	}
	return s
}

// name returns what names a page: its own title, or its heading where several pages have that title; and what heads
// says of it.
func (s *side) name(p *Page) (core, context string, cut bool) {
	core, context, cut = s.heads.own(p.Title)
	if n := s.titles[core]; n >= 4 && n*20 >= len(s.pages) && p.Heading != "" {
		if heading, _, _ := s.heads.own(p.Heading); heading != core && s.titles[heading] < s.titles[core] {
			return heading, context, false
		}
	}
	return core, context, cut
}

// groups reports whether a value of a parameter stands for a folder: several pages have it, and the parameter has few
// values beside its pages.
//
//	sec=14
func (s *side) groups(p address.Param) bool {
	return s.values[p.Name+p.Value] >= 3 && s.distinct[p.Name]*2 <= s.names[p.Name]
}

// script reports whether a path with a query makes several pages, so that its name isn't theirs; silent, whether it is
// on so many, or named so, that it says nothing: index.php.
func (s *side) script(path, last string) (script, silent bool) {
	n := s.scripts[path]
	usual := slices.Contains([]string{"index", "default", "page", "item", "node", "show", "view", "article", "product",
		"content", "detail", "details", "main", "home", "cms"}, strings.ToLower(last))
	silent = n > 0 && (n >= 3 && 2*n >= len(s.pages) || usual)
	return n >= 3 || silent, silent
}

// positionsOf finds the shapes of last segments whose numbers count pages from the first on, with hardly a gap.
//
//	ch01, ch02, ch03s01 -> ch#, ch#s#
func positionsOf(pages []Page) map[string]bool {
	type run struct {
		seen map[string]bool
		most int
	}
	runs := map[string]*run{}
	for i := range pages {
		_, last := segments(pages[i].Address)
		shape, first := shapeOf(strings.ToLower(last))
		if first < 0 {
			continue
		}
		if strings.Contains(shape, "#.#") || strings.Contains(shape, "#-#") { // versions, dates
			continue
		}
		r := runs[shape]
		if r == nil {
			r = &run{seen: map[string]bool{}}
			runs[shape] = r
		}
		number := 0
		for k := first; k < len(last) && last[k] >= '0' && last[k] <= '9' && number < 1e6; k++ {
			number = number*10 + int(last[k]-'0')
		}
		r.seen[last[first:]] = true
		r.most = max(r.most, number)
	}
	found := map[string]bool{}
	for shape, r := range runs {
		found[shape] = len(r.seen) >= 8 && r.most < 3000 && r.most <= 2*len(r.seen)
	}
	return found
}

// shapeOf returns a segment with # for each number, and where the first one is; -1: it has none, or more than a word
// of letters beside them.
func shapeOf(last string) (shape string, first int) {
	first = -1
	var b strings.Builder
	for i := 0; i < len(last); i++ {
		if c := last[i]; c < '0' || c > '9' {
			b.WriteByte(c)
			continue
		}
		if first < 0 {
			first = i
		}
		for i+1 < len(last) && last[i+1] >= '0' && last[i+1] <= '9' {
			i++
		}
		b.WriteByte('#')
	}
	return b.String(), first
}

// joined returns the words that one side writes as one and the other apart, by the parts put together.
//
//	reisetagebuch, where the other side has Reise-Tagebuch
func joined(old, new *side) map[string]bool {
	for _, s := range []*side{old, new} {
		for i := range s.pages {
			s.texts(&s.pages[i], func(text string, _ field) { split(text, func(word string) { s.single[word] = true }) })
		}
	}
	joins := map[string]bool{}
	for k, s := range []*side{old, new} {
		other := []*side{new, old}[k]
		var last []string
		for i := range s.pages {
			s.texts(&s.pages[i], func(text string, _ field) {
				last = last[:0]
				split(text, func(word string) {
					if hasDigit(word) || kindOf([]rune(word)[0]) != letters {
						last = last[:0]
						return
					}
					last = append(last, word)
					whole := word
					for n := len(last) - 2; n >= 0 && n >= len(last)-mostJoined; n-- {
						if whole = last[n] + whole; len(whole) >= 5 && other.single[whole] {
							joins[whole] = true
						}
					}
				})
			})
		}
	}
	return joins
}

// mostJoined is of how many parts a word is put together at most.
const mostJoined = 4

// field is a part of a page with words.
type field int

const (
	inTitle field = iota
	inHeading
	inSlug
	inFolders
)

// texts calls yield with the texts of a page whose words count, but for its text.
func (s *side) texts(p *Page, yield func(text string, in field)) {
	core, context, _ := s.name(p)
	yield(core, inTitle)
	heading, _, _ := s.heads.own(p.Heading)
	yield(heading, inHeading)
	folders, last := segments(p.Address)
	if shape, _ := shapeOf(strings.ToLower(last)); s.positions[shape] {
		last = ""
	}
	if script, silent := s.script(p.Address.Path, last); p.Address.Query != "" && script {
		if !silent {
			yield(last, inFolders)
		}
		last = ""
	}
	yield(last, inSlug)
	yield(folders, inFolders)
	if context != "" {
		yield(context, inFolders)
	}
	for _, param := range address.SplitQuery(p.Address.Query) {
		yield(strings.TrimPrefix(param.Value, "="), inFolders)
	}
}

// take takes the pages of one side to pieces; first is the number of the first
// of them in the vocabulary.
func (s *sides) take(from *side, first int, joins map[string]bool, guess *language.Guesser) []parts {
	list := make([]parts, len(from.pages))
	for i := range from.pages {
		p, q := &from.pages[i], &list[i]
		number := first + i
		var bags [inFolders + 1]bag
		from.texts(p, func(text string, in field) {
			words(text, joins, func(word string) { bags[in] = append(bags[in], s.words.add(word, number)) })
		})
		for k := range bags {
			slices.Sort(bags[k])
			bags[k] = slices.Compact(bags[k])
		}
		q.title, q.heading, q.slug, q.folders = bags[inTitle], bags[inHeading], bags[inSlug], bags[inFolders]
		q.all = union(q.title, q.heading, q.slug, q.folders)
		split(p.Text, func(word string) { q.text = append(q.text, s.words.add(word, number)) })
		slices.Sort(q.text)
		q.text = slices.Compact(q.text)
		q.home = p.Home()
		q.read(from, p, guess)
	}
	neighbours(list)
	return list
}

// neighbours gives pages whose language nothing tells that of nearly all pages of their first folder whose language was
// guessed.
func neighbours(list []parts) {
	counts := map[string]map[string]int{}
	for i := range list {
		if q := &list[i]; q.guessed {
			if counts[q.top] == nil {
				counts[q.top] = map[string]int{}
			}
			counts[q.top][q.language]++
			counts[q.top][""]++
		}
	}
	for i := range list {
		q := &list[i]
		if q.language != "" {
			continue
		}
		for code, n := range counts[q.top] {
			if code != "" && n >= 5 && n*10 >= 9*counts[q.top][""] {
				q.language, q.guessed = code, true
			}
		}
	}
}

// words calls yield with the words of a text, those put together that one of the sides writes as one.
func words(text string, joins map[string]bool, yield func(word string)) {
	if len(joins) == 0 {
		split(text, yield)
		return
	}
	var list []string
	split(text, func(word string) { list = append(list, word) })
	for i := 0; i < len(list); {
		n := min(mostJoined, len(list)-i)
		for ; n > 1; n-- {
			if whole := strings.Join(list[i:i+n], ""); joins[whole] {
				yield(whole)
				break
			}
		}
		if n <= 1 {
			yield(list[i])
			n = 1
		}
		i += n
	}
}

// read notes what a page has beside its words.
func (q *parts) read(from *side, p *Page, guess *language.Guesser) {
	folders, last := segments(p.Address)
	q.language = strings.ToLower(p.Language)
	if code, _, _ := strings.Cut(strings.TrimPrefix(folders, "/"), "/"); q.language == "" && from.prefixes[code] {
		q.language = code
	}
	if q.language == "" {
		said := p.Title + " " + p.Heading + " " + p.Text[:min(len(p.Text), 2000)]
		if p.Title == "" {
			said += " " + folders + " " + last
		}
		q.language = guess.Guess(said)
		q.guessed = q.language != ""
	}
	core, _, cut := from.name(p)
	q.raw, q.cut = raw(core), cut
	q.last = strings.ToLower(last)
	path := strings.ToLower(strings.TrimRight(folders+"/"+last, "/"))
	q.path = path
	if shape, _ := shapeOf(q.last); from.positions[shape] {
		q.position, q.last = q.last, ""
	} else if script, _ := from.script(p.Address.Path, last); p.Address.Query != "" && script {
		q.last, q.path = "", ""
	}
	q.note(p, core, folders, q.last)
	q.place, q.top = place(from, p, folders, last)
	text := q.raw
	if text == "" {
		text = q.last
	}
	q.grams = gramsOf(text)
}

// note notes years, numbers and ids.
func (q *parts) note(p *Page, title, folders, last string) {
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
	split(title, func(word string) { number(word, true) })
	if len(q.title) == 0 {
		split(last, func(word string) { number(word, true) })
	}
	for _, text := range []string{title, last} {
		split(text, func(word string) { q.dated = q.dated || year(word) })
	}
	split(title, func(word string) { q.titleDated = q.titleDated || year(word) })
	for _, text := range []string{folders, last} {
		split(text, func(word string) {
			if number(word, false); numeric(word) && !year(word) && len(word) > 2 {
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

// place says where a page belongs: its kind, its folder, the names of its parameters and the values that stand for
// folders, without years and numbers; top is the first folder or such value alone.
func place(from *side, p *Page, folders, last string) (whole, top string) {
	var b strings.Builder
	b.WriteString(p.Kind)
	for _, segment := range strings.Split(folders, "/") {
		if segment != "" && !numeric(segment) {
			b.WriteString("/" + strings.ToLower(segment))
			if top == "" {
				top = "/" + strings.ToLower(segment)
			}
		}
	}
	params := address.SplitQuery(p.Address.Query)
	if len(params) > 0 {
		b.WriteString("/" + last)
	}
	for _, param := range params {
		b.WriteString("?" + param.Name)
		if from.groups(param) {
			b.WriteString(param.Value)
			if top == "" {
				top = "?" + param.Name + param.Value
			}
		}
	}
	return b.String(), p.Kind + top
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
