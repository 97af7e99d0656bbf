package pair

import (
	"slices"
	"strings"

	"young-compass/internal/address"
)

// side is one side before its words are numbered.
type side struct {
	pages     []Page
	heads     *heads
	prefixes  map[string]bool // first segments that stand for languages
	scripts   map[string]int  // how many pages a path with a query makes
	values    map[string]int  // how many pages have a parameter with a value
	names     map[string]int  // how many pages have a parameter
	distinct  map[string]int  // how many values a parameter has
	positions map[string]bool // shapes of last segments whose numbers count the pages
	titles    map[string]int  // how many pages have an own title
	single    map[string]bool // its words in titles and addresses
	glue      string          // what is put in front of the first word of many last segments: "class" in classkayak
}

func newSide(pages []Page, titles *heads) side {
	s := side{pages: pages, heads: titles, prefixes: languagePrefixes(pages), scripts: map[string]int{},
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
		dated := strings.Contains(shape, "#.#") || strings.Contains(shape, "#-#") || strings.Contains(shape, "#_#_#")
		if dated { // a version or a date
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

// shapeOf returns a segment with # for each number, and where the first one is; -1: it has none.
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
	old.collect()
	new.collect()
	for k, s := range []*side{old, new} {
		if s.glue = s.glued([]*side{new, old}[k]); s.glue != "" {
			s.collect()
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

// collect notes the words of titles and addresses.
func (s *side) collect() {
	for i := range s.pages {
		s.texts(&s.pages[i], func(text string, _ field) { split(text, func(word string) { s.single[word] = true }) })
	}
}

// glued returns what many last segments have in front of a word that the other site has without it; empty: there is
// none.
//
//	classkayak_trip, where the other side has kayak-trip  ->  class
func (s *side) glued(other *side) string {
	const shortest, longest = 3, 12
	counts := map[string]int{}
	for i := range s.pages {
		_, last := segments(s.pages[i].Address)
		first := firstWord(last)
		if other.single[first] {
			continue
		}
		for n := shortest; n <= min(longest, len(first)-2); n++ {
			if other.single[first[n:]] {
				counts[first[:n]]++
			}
		}
	}
	glue := ""
	for part, n := range counts {
		if n >= 8 && 5*n >= len(s.pages) && (n > counts[glue] || n == counts[glue] && part < glue) {
			glue = part
		}
	}
	return glue
}

// firstWord returns the letters that a last segment begins with, in small letters.
func firstWord(last string) string {
	last = strings.ToLower(last)
	n := 0
	for n < len(last) && last[n] >= 'a' && last[n] <= 'z' {
		n++
	}
	return last[:n]
}

// unglued returns a last segment without what many have in front of their first word.
func (s *side) unglued(last string) string {
	if s.glue != "" && len(firstWord(last)) >= len(s.glue)+2 && strings.HasPrefix(strings.ToLower(last), s.glue) {
		return last[len(s.glue):]
	}
	return last
}

// mostJoined is of how many parts a word is put together at most.
const mostJoined = 6

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
	yield(s.unglued(last), inSlug)
	yield(folders, inFolders)
	if context != "" {
		yield(context, inFolders)
	}
	for _, param := range address.SplitQuery(p.Address.Query) {
		yield(strings.TrimPrefix(param.Value, "="), inFolders)
	}
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
