package pair

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
)

// This file makes up sites before and after a move, with the drift that moves
// bring. It uses nothing of the program.

// madePage is a page of a made-up site.
type madePage struct {
	URL, Language, Kind, Title, Heading, Text, Date, ID string
}

// made is a site before and after; truth says for each old page which new one
// took its place, or -1.
type made struct {
	before, after []madePage
	truth         []int
}

// maker makes up sites.
type maker struct {
	*rand.Rand
	words []string
	ids   []int
	slugs int // of a hundred pages, how many keep the words of their address
}

func (m *maker) one(list ...string) string { return list[m.IntN(len(list))] }

func (m *maker) chance(percent int) bool { return m.IntN(100) < percent }

// word draws a word; a few are very common, most are rare.
func (m *maker) word() string {
	u := m.Float64()
	return m.words[int(float64(len(m.words))*u*u*u)]
}

func (m *maker) text(n int) []string {
	list := make([]string, n)
	for i := range list {
		list[i] = m.word()
	}
	return list
}

// makeWords makes up words of two to four syllables.
func makeWords(r *rand.Rand, n int) []string {
	starts, vowels := strings.Fields("b br d dr f fl g gr h j k kl kv l m n p pr r s sk sp st t tr v w"),
		strings.Fields("a e i o u ei au y")
	var words []string
	for seen := map[string]bool{}; len(words) < n; {
		word := ""
		for range 2 + r.IntN(3) {
			word += starts[r.IntN(len(starts))] + vowels[r.IntN(len(vowels))]
		}
		if word += []string{"", "n", "r", "s", "l"}[r.IntN(5)]; !seen[word] && len(word) > 3 {
			seen[word] = true
			words = append(words, word)
		}
	}
	return words
}

// subject is what an old and a new page are about.
type subject struct {
	kind, region, year string
	title              []string
	text               []string
	twin               string // what tells it from others with its title: a year or a region
}

// drift returns a title as the new site has it: three words in ten dropped,
// replaced or misspelt, one title in five in another order. Years stay.
func (m *maker) drift(title []string) []string {
	var out []string
	for _, word := range title {
		if word[0] >= '0' && word[0] <= '9' || !m.chance(30) {
			out = append(out, word)
			continue
		}
		switch m.IntN(3) {
		case 1:
			out = append(out, m.word())
		case 2:
			out = append(out, m.misspell(word))
		}
	}
	if len(out) == 0 {
		out = []string{title[0]}
	}
	if m.chance(20) {
		m.Shuffle(len(out), func(i, j int) { out[i], out[j] = out[j], out[i] })
	}
	return out
}

func (m *maker) misspell(word string) string {
	i := 1 + m.IntN(len(word)-1)
	switch m.IntN(3) {
	case 0:
		return word[:i] + word[i+1:]
	case 1:
		return word[:i] + word[i-1:]
	}
	return word[:i] + string(rune('a'+m.IntN(26))) + word[i+1:]
}

// change returns a text with a share of its words changed.
func (m *maker) change(text []string, percent int) []string {
	out := slices.Clone(text)
	for i := range out {
		if m.chance(percent) {
			out[i] = m.word()
		}
	}
	return out
}

func (m *maker) id() string {
	n := m.ids[len(m.ids)-1]
	m.ids = m.ids[:len(m.ids)-1]
	return fmt.Sprint(n)
}

// slugOf writes a title as a last segment, of six words at most; what tells a
// page from others stands at the end, and stays.
func slugOf(words []string) string {
	if len(words) > 6 {
		words = append(slices.Clone(words[:5]), words[len(words)-1])
	}
	return strings.Join(words, "-")
}

// unique makes each address one of a single page.
func unique(pages []madePage) {
	seen := map[string]bool{}
	for i := range pages {
		for url, n := pages[i].URL, 2; seen[pages[i].URL]; n++ {
			path, query, more := strings.Cut(url, "?")
			dot := strings.LastIndexByte(path, '.')
			if dot < strings.LastIndexByte(path, '/') {
				dot = len(path)
			}
			pages[i].URL = fmt.Sprintf("%s-%d%s", path[:dot], n, path[dot:])
			if more {
				pages[i].URL += "?" + query
			}
		}
		seen[pages[i].URL] = true
	}
}

func capital(words []string) string {
	text := strings.Join(words, " ")
	return strings.ToUpper(text[:1]) + text[1:]
}

// makeSite makes up a site of n old pages.
func makeSite(n int, seed uint64) made { return makeSiteWith(n, seed, 30) }

// makeSiteWith makes up a site where so many in a hundred keep the words of
// their address.
func makeSiteWith(n int, seed uint64, slugs int) made {
	m := &maker{Rand: rand.New(rand.NewPCG(seed, 2026)), slugs: slugs}
	m.words = makeWords(m.Rand, 3000+n/4)
	m.ids = m.Perm(8 * n)
	for i := range m.ids {
		m.ids[i] += 100
	}
	regions := m.words[40:64]
	var subjects []subject
	for len(subjects) < n*12/10 {
		s := subject{kind: m.one("route", "notice", "notice", "guide", "doc", "port", "ticket"),
			region: m.one(regions...), year: fmt.Sprint(2008 + m.IntN(18)), title: m.text(2 + m.IntN(5)),
			text: m.text(60 + m.IntN(60))}
		if k := len(subjects); k > 50 && m.chance(14) { // a page with the title of another
			other := subjects[k-1-m.IntN(50)]
			s.kind, s.title, s.text = other.kind, other.title, m.change(other.text, 35)
			if other.twin == "" || other.twin[0] == '2' {
				s.region, s.twin = other.region, s.year
			} else {
				s.year, s.twin = other.year, s.region
			}
			if m.chance(50) && other.twin == "" {
				s.region, s.year, s.twin = m.one(regions...), other.year, "region"
			}
			if s.twin == "region" {
				s.twin = s.region
			}
			s.title = append(slices.Clone(s.title[:len(s.title)-len(other.suffix())]), s.twin)
		}
		for range 12 { // what a page is about comes again in its text
			s.text[m.IntN(len(s.text))] = s.title[m.IntN(len(s.title))]
		}
		subjects = append(subjects, s)
	}
	var out made
	out.before = append(out.before, madePage{URL: "https://old.example/", Language: "en", Kind: "home", Title: "Home"})
	out.after = append(out.after, madePage{URL: "https://skerrywick.example/", Language: "en", Kind: "home",
		Title: "Home"})
	out.truth = []int{0}
	order := m.Perm(len(subjects))
	newOf := map[int]int{}
	for rank, i := range order {
		if rank < n*2/10 || !m.chance(15) { // new alone, or not gone
			newOf[i] = -1
		}
	}
	ids := map[int]string{}
	for _, i := range order {
		ids[i] = m.id()
	}
	shuffled := m.Perm(len(subjects))
	for _, i := range shuffled {
		if _, ok := newOf[i]; ok {
			newOf[i] = len(out.after)
			out.after = append(out.after, m.newPage(subjects[i], ids[i], slugOf(subjects[i].title)))
		}
	}
	for _, i := range order[n*2/10:] {
		truth, ok := newOf[i]
		if !ok {
			truth = -1
		}
		out.before, out.truth = append(out.before, m.oldPage(subjects[i], ids[i])), append(out.truth, truth)
		if m.chance(3) { // a second old page for the same
			again := subjects[i]
			again.title = append(slices.Clone(again.title), m.one("print", "archive", "short"))
			out.before, out.truth = append(out.before, m.oldPage(again, m.id())), append(out.truth, truth)
		}
	}
	unique(out.before)
	unique(out.after)
	return out
}

// suffix is the part of the title that tells a page from its twins.
func (s subject) suffix() []string {
	if s.twin == "" {
		return nil
	}
	return []string{s.twin}
}

func (m *maker) oldPage(s subject, id string) madePage {
	slug := slugOf(s.title)
	p := madePage{Language: "en", Kind: s.kind, Title: capital(s.title), Heading: capital(s.title),
		Text: strings.Join(s.text, " "), Date: s.year + fmt.Sprintf("-%02d-%02d", 1+m.IntN(12), 1+m.IntN(28))}
	switch s.kind {
	case "route":
		p.URL = "/routes/" + s.region + "/" + slug + ".html"
	case "notice":
		p.URL = "/news/" + s.year + "/" + slug
	case "guide":
		p.URL = "/guides/" + slug + ".htm"
	case "doc":
		p.URL = "/index.php?item=" + id
	case "port":
		p.URL = "/ports/" + id + "-" + slug
	default:
		p.URL = "/shop/" + s.region + "/item" + id + "/" + slug + ".php"
	}
	p.URL = "https://old.example" + p.URL
	return p
}

func (m *maker) newPage(s subject, id, oldSlug string) madePage {
	title := m.drift(s.title)
	p := madePage{Language: "en", Kind: s.kind, Title: capital(title), Text: strings.Join(m.change(s.text, 25), " ")}
	if m.chance(70) {
		p.Heading = capital(title)
	}
	if m.chance(40) {
		p.Date = s.year + fmt.Sprintf("-%02d-%02d", 1+m.IntN(12), 1+m.IntN(28))
	}
	slug := slugOf(title)
	if m.chance(m.slugs) {
		slug = oldSlug
	}
	inAddress := ""
	switch fate := m.IntN(10); {
	case fate < 4:
		inAddress, p.ID = "-"+id, id
	case fate < 6:
		p.ID = id
	case fate < 8:
		inAddress = "-" + m.id()
	}
	switch s.kind {
	case "route":
		p.URL = "/crossings/" + s.region + "/" + slug + inAddress
	case "notice":
		p.URL = "/notices/" + s.year + "/" + slug + inAddress
	case "guide":
		p.URL = "/walks/" + slug + inAddress
	case "doc":
		p.URL = "/library/" + slug + inAddress
	case "port":
		p.URL = "/harbours/" + slug + inAddress
	default:
		p.URL = "/tickets/" + s.region + "/" + slug + inAddress
	}
	p.URL = "https://skerrywick.example" + p.URL
	return p
}

// mode is how much of the pages is known.
type mode string

const (
	withText      mode = "text"
	withTitles    mode = "titles"
	withOneTitle  mode = "one title" // of the new side alone
	withAddresses mode = "addresses"
)

// shown returns a page as far as it is known.
func (p madePage) shown(m mode) madePage {
	switch m {
	case withTitles:
		p.Heading, p.Text, p.Date, p.ID = "", "", "", ""
	case withAddresses:
		p = madePage{URL: p.URL}
	}
	return p
}
