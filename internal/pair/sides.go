package pair

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"young-compass/internal/address"
	"young-compass/internal/language"
)

// sides is both sites, taken to pieces.
type sides struct {
	before, after []Page
	old, new      []parts // of each page
	words         vocabulary
	postings      [][]int32          // by word: the new pages with it in title, heading or address
	textPostings  [][]int32          // the same for their text
	byGram        gramIndex          // new pages by runs of letters
	byID          map[string][]int32 // new pages by an id
	oldIDs        map[string]int     // how many old pages have an id
	byTitle       map[string][]int32 // new pages by their own title, sign by sign
	oldTitles     map[string][]int32 // old pages by their own title
	wholes        [2]map[string]int  // how many old and new pages have a title with the names of section and book
	heads         [2]map[string]int  // how many old and new titles begin with something in front of a dash or colon
	newTitles     []string           // all titles of new pages, sorted
	cutTitles     map[string]int     // how many new pages have a title that was cut off
	cutLengths    []int              // of those titles
	byLast        map[string][]int32 // new pages by the last segment of their address
	oldLasts      map[string][]int32
	forms         map[string]bool // folders and extensions of new pages
	oldNames      map[string]int  // how many old pages have a name, but for one page at several addresses
	newNames      map[string]int
	oldLanguages  map[string]int     // in how many languages, as far as they are told, old pages have a name
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
	numbered      map[string]int // how many pages have a number in title or last segment
	leftOver      float64        // which part of the old pages has an address of a form that is still in its folder
	slots         slots          // of the names of both sides
}

// named is a title, or a last segment, at a place.
type named struct{ name, place string }

// parts is what a page consists of.
type parts struct {
	title, heading, slug, folders, all, text bag
	raw                                      string   // its own title, as it is compared sign by sign
	whole                                    string   // the same with the names of its section and book
	head                                     string   // the title up to a dash or colon; empty: it has none
	cut                                      bool     // the title ended in "..."
	grams                                    []uint32 // runs of letters of the title, or else of the last segment
	last                                     string   // of the address; empty: it says nothing
	path                                     string   // the address's path without extension and index file
	position                                 string   // a last segment that only tells the place among others: ch05s01
	form                                     string   // the folder, and the extension
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

// names returns the words that name a page: those of its title, or else of its last segment.
func (q *parts) names() bag {
	if len(q.title) > 0 {
		return q.title
	}
	return q.slug
}

// How many of its rarest words stand for a text: by how many it is compared, and by how many it is searched for.
const (
	shownText  = 200
	soughtText = 40
)

func newSides(before, after []Page) *sides {
	s := &sides{before: before, after: after, words: vocabulary{numbers: map[string]int32{}},
		byID: map[string][]int32{}, oldIDs: map[string]int{}, byTitle: map[string][]int32{}, oldTitles: map[string][]int32{},
		heads: [2]map[string]int{{}, {}}, wholes: [2]map[string]int{{}, {}}, cutTitles: map[string]int{},
		byLast: map[string][]int32{}, oldLasts: map[string][]int32{}, newNames: map[string]int{},
		forms: map[string]bool{}, numbered: map[string]int{},
		byTail: map[string][]int32{}, titleAt: map[named][]int32{}, lastAt: map[named][]int32{}, languages: map[string]int{}}
	titles := headsOf(before, after)
	old, new := newSide(before, titles), newSide(after, titles)
	joins := joined(&old, &new)
	guess := language.NewGuesser()
	s.old, s.new = s.take(&old, 0, joins, guess), s.take(&new, len(before), joins, guess)
	s.words.weigh(len(before) + len(after))
	for i := range s.new {
		for _, n := range s.new[i].text {
			s.words.inTexts[n] = true
		}
	}
	for _, side := range [][]parts{s.old, s.new} {
		for i := range side {
			side[i].text = s.rarest(side[i].text, shownText)
		}
	}
	s.index()
	s.spell()
	s.slots = findSlots(s.old, s.new)
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
		for _, w := range s.sought(q.text) {
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
			s.newTitles = append(s.newTitles, q.raw)
			if q.cut {
				s.cutTitles[q.raw]++
			}
		}
		if q.last != "" {
			s.byLast[q.last] = append(s.byLast[q.last], n)
		}
		s.newNames[q.name()]++
		s.forms[q.form] = true
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
		s.leftOver += is(q.path != "" && s.forms[q.form]) / float64(len(s.old))
	}
	s.oldNames, s.oldLanguages = different(s.old), languagesOf(s.old)
	slices.Sort(s.newTitles)
	for title := range s.cutTitles {
		s.cutLengths = append(s.cutLengths, len(title))
	}
	slices.Sort(s.cutLengths)
	s.cutLengths = slices.Compact(s.cutLengths)
	for k, side := range [][]parts{s.old, s.new} {
		for i := range side {
			for _, number := range side[i].numbers {
				s.numbered[number]++
			}
			s.heads[k][side[i].head]++
			s.wholes[k][side[i].whole]++
		}
	}
	s.byGram = indexGrams(s.old, s.new)
}

// name returns what names a page, its title or else its last segment, as far as letters and numbers go.
func (q *parts) name() string {
	name := q.raw
	if name == "" {
		name = q.last
	}
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsNumber(r) {
			return r
		}
		return -1
	}, name)
}

// different counts the pages of each name, those at several addresses once: where one path ends in the other.
//
//	/guide/seabirds, /en/guide/seabirds
func different(list []parts) map[string]int {
	paths := map[string][]string{}
	for i := range list {
		name := list[i].name()
		paths[name] = append(paths[name], list[i].path)
	}
	counts := map[string]int{}
	for name, of := range paths {
		const most = 50 // that are held against each other
		n := 0
		slices.SortFunc(of, func(a, b string) int { return cmp.Compare(len(a), len(b)) })
		for k, path := range of {
			ends := func(other string) bool { return other != "" && strings.HasSuffix(path, other) }
			if !slices.ContainsFunc(of[:min(k, most)], ends) {
				n++
			}
		}
		counts[name] = n
	}
	return counts
}

// languagesOf counts the languages in which there are pages of each name, as far as they are told.
func languagesOf(list []parts) map[string]int {
	counts, seen := map[string]int{}, map[named]bool{}
	for i := range list {
		q := &list[i]
		if at := (named{q.name(), q.language}); q.language != "" && !q.guessed && !seen[at] {
			seen[at] = true
			counts[at.name]++
		}
	}
	return counts
}

// tail returns the last two segments of a path; empty: it has fewer.
func tail(path string) string {
	last := strings.LastIndexByte(path, '/')
	if last <= 0 {
		return ""
	}
	return path[strings.LastIndexByte(path[:last], '/')+1:]
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
		count := func(word string) { q.text = append(q.text, s.words.add(word, number)) }
		split(p.Text, count)
		wholes(p.Text, count)
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
	core, context, cut := from.name(p)
	q.raw, q.cut = raw(core), cut
	if q.whole = q.raw; context != "" {
		q.whole += " /" + raw(context)
	}
	if head, _, separator := firstPart(core); separator != "" {
		q.head = raw(head)
	}
	q.last = strings.ToLower(last)
	path := strings.ToLower(strings.TrimRight(folders+"/"+last, "/"))
	q.path = path
	q.form = form(p.Address.Path)
	if shape, _ := shapeOf(q.last); from.positions[shape] {
		q.position, q.last = q.last, ""
	} else if script, _ := from.script(p.Address.Path, last); p.Address.Query != "" && script {
		q.last, q.path = "", ""
	}
	q.note(p, core, folders, q.last)
	q.place, q.top = place(from, p, folders, last)
	text := q.raw
	if text == "" {
		text = from.unglued(q.last)
	}
	q.grams = gramsOf(text)
}

// form returns the folder of a path, and its extension.
//
//	/guides/seabirds.html  ->  /guides/.html
func form(path string) string {
	path = strings.ToLower(strings.TrimRight(path, "/"))
	cut := strings.LastIndexByte(path, '/') + 1
	if dot := strings.LastIndexByte(path[cut:], '.'); dot > 0 {
		return path[:cut] + path[cut+dot:]
	}
	return path[:cut]
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
	slices.Sort(q.numbers)
	q.numbers = slices.Compact(q.numbers)
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

// sought returns the words by which a text is searched for: the rarest that any other page has.
func (s *sides) sought(text bag) bag {
	kept := make(bag, 0, len(text))
	for _, n := range text {
		if s.words.pages[n] > 1 {
			kept = append(kept, n)
		}
	}
	return s.rarest(kept, soughtText)
}

// rarest returns the rarest words of a text.
func (s *sides) rarest(text bag, n int) bag {
	if len(text) <= n {
		return text
	}
	kept := slices.Clone(text)
	slices.SortStableFunc(kept, func(a, b int32) int { return cmp.Compare(s.words.weight[b], s.words.weight[a]) })
	kept = slices.Clone(kept[:n])
	slices.Sort(kept)
	return kept
}
