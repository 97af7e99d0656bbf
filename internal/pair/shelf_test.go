package pair

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
)

// This file makes up sites by another idea than drift_test.go: shelves of documents, as manuals, catalogues and shops
// are. How much of everything there is differs from site to site: families of names that differ by a number or a
// letter, numbers of sections, folders that vanish, titles cut off, words put together, scripts that make all pages,
// lists that hold but a part of the old pages.

// shelf makes up one site.
type shelf struct {
	*maker
	suffixes       [2]string // what the titles of each side end in
	sections       []shelfSection
	numbered       [2]bool
	cut            [2]int // from which length titles are cut off; 0: none
	style          [2]int // of addresses
	gone           int    // of a hundred pages
	variants       int    // of a hundred, at other addresses too
	changed        int    // titles, of a hundred
	textDrift      int    // words of texts, of a hundred
	boilerplate    []string
	places         []string // that pages of the same kind differ by
	opaqueSections bool
	glued          string      // in front of all last segments, in one style
	tail           [2][]string // of all last segments: the site's name
	edited         *edited     // nil: the site is written anew
}

type shelfSection struct {
	names    [2]string // of the folder, in both sites
	title    []string
	vanished bool
	stem     string // of the names in its families
	template []string
	prefixed bool // titles begin with the section's
	own      int  // words of a page's text that aren't the template's, of a hundred
	grid     *grid
}

// shelfPage is a page in both sites.
type shelfPage struct {
	section int
	moved   int // the section in the new site
	title   [2][]string
	text    [2][]string
	gone    bool
	added   bool // new alone
	number  [2]int
	id      [2]string
	file    string // the last segment, in one style
}

// The styles of addresses.
const (
	bySlug    = iota // /folder/slug.html
	byFolder         // /folder/slug/
	byNumber         // /folder/ch12.html
	byQuery          // /index.php?sec=14&page=812
	byID             // /folder/812-slug
	byShort          // /folder/kvihil.html
	byWord           // /folder/hildafjord.html: the rarest words of the title
	byFile           // /kvitsund_hildafjord.htm
	byType           // /folder/pagekvitsund_hildafjord.html
	byJoin           // /folder/kvitsundhildafjord/
	addrKinds        //
)

func makeShelf(n int, seed uint64) made { return shelfOf(n, seed, false) }

func shelfOf(n int, seed uint64, edited bool) made {
	m := &maker{Rand: rand.New(rand.NewPCG(seed, 77))}
	m.words = makeWords(m.Rand, 400+n*(1+m.IntN(8))/2)
	m.ids = m.Perm(8 * n)
	for i := range m.ids {
		m.ids[i] += 100
	}
	s := &shelf{maker: m}
	s.setUp(n)
	s.refer(n, &maker{Rand: rand.New(rand.NewPCG(seed, 80)), words: m.words})
	if edited {
		s.edit(n, &maker{Rand: rand.New(rand.NewPCG(seed, 79)), words: m.words})
	}
	var pages []shelfPage
	if n >= 40 && s.chance(15) {
		several := 2 + s.IntN(8)
		pages = s.editions(s.pages(n/several), several)
	} else {
		pages = s.pages(n)
	}
	nameThings(pages, &maker{Rand: rand.New(rand.NewPCG(seed, 78)), words: m.words})
	return s.site(pages)
}

// nameThings puts names into texts that no other page has, as manuals name functions and shops name models. Most stay in
// the page; of pages that are gone, some are still mentioned elsewhere. Some texts are written anew, and nothing stays.
func nameThings(pages []shelfPage, r *maker) {
	most, stays, mentioned, anew := r.IntN(8), 60+r.IntN(40), r.IntN(60), r.IntN(6)
	for i := range pages {
		p := &pages[i]
		other := &pages[r.IntN(len(pages))]
		rewritten := !p.gone && !p.added && r.chance(anew)
		if rewritten {
			p.text[1] = r.text(20 + r.IntN(100))
		}
		for k := range r.IntN(1 + most) {
			name := fmt.Sprintf("own%dName%d", i, k)
			if p.added {
				p.text[1] = append(p.text[1], name)
				continue
			}
			p.text[0] = append(p.text[0], name)
			switch {
			case p.gone && r.IntN(100) < mentioned:
				other.text[1] = append(other.text[1], name)
			case !p.gone && !rewritten && r.IntN(100) < stays:
				p.text[1] = append(p.text[1], name)
			}
		}
	}
}

func (s *shelf) setUp(n int) {
	for side := range 2 {
		if s.chance(60) {
			s.suffixes[side] = s.one(" | ", " - ", " — ", " – ") + capital(s.text(1+s.IntN(3))) + s.one("", " documentation",
				fmt.Sprintf(" %d.%d", 1+s.IntN(4), s.IntN(10)))
		}
		s.numbered[side] = s.chance(15)
		if s.chance(12) {
			s.cut[side] = 14 + s.IntN(25)
		}
		s.style[side] = s.IntN(addrKinds)
		if side == 0 && s.chance(40) {
			s.style[side] = byWord
		} else if side == 1 && s.chance(50) {
			s.style[side] = []int{bySlug, byFolder, byFile}[s.IntN(3)]
		}
	}
	s.glued = s.one("page", "class", "node", "topic_", "kv")
	for side := range 2 {
		if s.chance(20) {
			s.tail[side] = s.text(1 + s.IntN(2))
		}
	}
	s.gone = s.IntN(35)
	if s.chance(15) {
		s.gone = 35 + s.IntN(50)
	}
	if s.chance(25) {
		s.variants = s.IntN(60)
	}
	s.changed, s.textDrift = s.IntN(60), 2+s.IntN(50)
	if s.chance(40) { // only the addresses moved
		s.changed, s.textDrift = s.IntN(8), s.IntN(8)
	}
	s.places = s.words[30 : 30+8+s.IntN(20)]
	s.boilerplate = s.text(10 + s.IntN(30))
	s.opaqueSections = s.chance(70)
	vanishing := s.IntN(25)
	for range 3 + s.IntN(2+n/40) {
		name := s.word()
		title := s.text(1 + s.IntN(2))
		if s.chance(50) {
			title[0] = name
		}
		sec := shelfSection{names: [2]string{name, name}, title: title, vanished: s.chance(vanishing), stem: s.word()[:3],
			template: s.text(20 + s.IntN(60)), prefixed: s.chance(25), own: 3 + s.IntN(80)}
		switch {
		case s.chance(30):
			sec.names[1] = s.word()
		case s.chance(20):
			sec.names[1] = s.one("topics/", "arch/", "guide/", "reference/") + name
		}
		s.sections = append(s.sections, sec)
	}
}

// changes reports whether a title changes.
func (s *shelf) changes(sec *shelfSection) bool {
	if sec.grid != nil {
		return sec.grid.IntN(1000) < sec.grid.changed
	}
	if s.edited != nil {
		return s.edited.IntN(1000) < s.edited.changed
	}
	return s.chance(s.changed)
}

// name makes up what a page in a section is called.
func (s *shelf) name(sec *shelfSection, before []shelfPage) []string {
	if sec.grid != nil {
		return sec.grid.name()
	}
	switch s.IntN(13) {
	case 0, 1: // one of a family
		return []string{s.one("driver", "module", "type", "model", sec.title[0]), sec.stem + fmt.Sprint(s.IntN(9000))}
	case 2:
		return []string{sec.stem + s.one("", "a", "b", "e", "x", "io", "rs", "net") + s.one("", "", "2")}
	case 3: // a name of a program
		return []string{s.word() + strings.ToUpper(s.word()[:1]) + s.word()[1:] + s.one("", capital(s.text(1)))}
	case 4:
		if s.chance(40) {
			return []string{sec.title[0], s.one("report", "regatta", "timetable"), fmt.Sprint(2006 + s.IntN(20))}
		}
		return []string{sec.title[0], s.one("release", "version", "notes"), fmt.Sprintf("%d.%d", 1+s.IntN(6), s.IntN(20))}
	case 5:
		return []string{s.one("overview", "introduction", "reference", "index", "examples")}
	case 6:
		if len(before) > 2 { // nearly the same as another
			other := before[len(before)-1-s.IntN(min(20, len(before)))].title[0]
			return append(append([]string{}, other...), s.word())
		}
	case 7:
		return []string{s.word() + "-" + s.word(), s.word()}
	case 8: // the same for another place
		if len(before) > 2 {
			other := before[len(before)-1-s.IntN(min(20, len(before)))].title[0]
			if len(other) > 1 && !hasDigit(other[len(other)-1]) {
				other = other[:len(other)-1]
			}
			return append(slices.Clone(other), s.places[s.IntN(len(s.places))])
		}
	}
	return s.text(1 + s.IntN(6))
}

// dash stands in titles, not in addresses.
const dash = "—"

// rename returns a title as the new site has it.
func (s *shelf) rename(sec *shelfSection, title []string) []string {
	if sec.grid != nil {
		return sec.grid.rename(title)
	}
	out := append([]string{}, title...)
	if s.chance(10) { // what it is about, behind a dash
		return append(append(out, dash), s.text(2+s.IntN(4))...)
	}
	for range 1 + s.IntN(2) {
		i := s.IntN(len(out))
		switch s.IntN(8) {
		case 0:
			out = append(out, s.word())
		case 1:
			out = append([]string{s.word()}, out...)
		case 2:
			if len(out) > 1 && !hasDigit(out[i]) {
				out = append(out[:i], out[i+1:]...)
			}
		case 3:
			if !hasDigit(out[i]) && len(out) > 1 && s.chance(40) {
				out[i] = s.word()
			} else if !hasDigit(out[i]) && len(out) > 1 { // by a word that nobody used before
				out[i] = makeWords(s.Rand, 1)[0]
			}
		case 4:
			if !hasDigit(out[i]) && len(out[i]) > 4 {
				out[i] = s.misspell(out[i])
			}
		case 5:
			out[i] = strings.ReplaceAll(out[i], "-", s.one("", " "))
		case 6:
			if i > 0 && !hasDigit(out[i]) && !hasDigit(out[i-1]) {
				out = append(append(out[:i-1:i-1], out[i-1]+out[i]), out[i+1:]...)
			}
		case 7:
			if !hasDigit(out[i]) && !strings.HasSuffix(out[i], "s") {
				out[i] += "s"
			}
		}
	}
	return out
}

func (s *shelf) pages(n int) []shelfPage {
	var list []shelfPage
	seen := map[string]bool{}
	// In one section no page is called as another, or was: a person would take the one for the other.
	named := func(section int, title []string) string {
		return fmt.Sprintf("%d %s", section, strings.Join(title, " "))
	}
	added := 10 + s.IntN(60)
	for len(list) < n {
		k := s.IntN(len(s.sections))
		if s.chance(50) {
			k = s.IntN(1 + k)
		}
		sec := &s.sections[k]
		p := shelfPage{section: k, gone: sec.vanished || s.chance(s.gone)}
		p.title[0] = s.name(sec, list)
		if sec.prefixed {
			p.title[0] = append(slices.Clone(sec.title), p.title[0]...)
		}
		if key := strings.Join(p.title[0], " "); seen[named(k, p.title[0])] || seen[key] && s.chance(70) {
			continue
		} else {
			seen[key], seen[named(k, p.title[0])] = true, true
		}
		p.title[1] = p.title[0]
		if s.changes(sec) {
			if title := s.rename(sec, p.title[0]); !seen[named(k, title)] {
				p.title[1], seen[named(k, title)] = title, true
			}
		}
		text := append(s.change(sec.template, sec.own), s.text(s.IntN(1+sec.own))...)
		for range 1 + s.IntN(8) {
			text = append(text, p.title[0][s.IntN(len(p.title[0]))])
		}
		p.text[0] = append(append([]string{}, s.boilerplate...), text...)
		drift := s.textDrift
		if s.chance(15) {
			drift = s.IntN(90)
		}
		p.text[1] = append(s.change(text, drift), s.change(s.boilerplate, 30)...)
		p.id[0] = s.id()
		p.id[1] = p.id[0]
		if s.chance(50) {
			p.id[1] = s.id()
		}
		p.moved = p.section
		if e := s.edited; e != nil && e.stays {
			if p.id[1] = p.id[0]; e.chance(e.strays) {
				p.moved = e.IntN(len(s.sections))
			}
		}
		list = append(list, p)
		if s.chance(added) {
			extra := shelfPage{section: k, moved: k, added: true}
			extra.title[1] = s.name(sec, list)
			if sec.prefixed {
				extra.title[1] = append(slices.Clone(sec.title), extra.title[1]...)
			}
			if seen[named(k, extra.title[1])] {
				continue
			}
			seen[named(k, extra.title[1])] = true
			extra.text[1] = append(append(s.change(sec.template, sec.own), s.text(s.IntN(1+sec.own))...), s.boilerplate...)
			extra.id[1] = s.id()
			list = append(list, extra)
		}
	}
	return list
}

// editions puts several editions of the same pages side by side, each in a folder of its own: for other languages,
// versions or regions. Some words of each are others, more of them in the new site, as translations go on.
func (s *shelf) editions(pages []shelfPage, n int) []shelfPage {
	sections := s.sections
	s.sections = nil
	var all []shelfPage
	for range n {
		first := len(s.sections)
		names := [2]string{s.word(), s.word()}
		if s.chance(30) {
			names[1] = names[0]
		}
		for _, sec := range sections {
			sec.names = [2]string{names[0] + "/" + sec.names[0], names[1] + "/" + sec.names[1]}
			s.sections = append(s.sections, sec)
		}
		other, turn := map[string]string{}, map[string]int{}
		done := [2]int{s.IntN(80), 0}
		done[1] = done[0] + s.IntN(20)
		translate := func(words []string, side int) []string {
			out := slices.Clone(words)
			for i, w := range words {
				if other[w] == "" {
					other[w], turn[w] = s.word(), s.IntN(100)
				}
				if turn[w] < done[side] && !hasDigit(w) {
					out[i] = other[w]
				}
			}
			return out
		}
		for _, p := range pages {
			p.section, p.moved = p.section+first, p.moved+first
			p.gone = !p.added && (s.sections[p.section].vanished || s.chance(s.gone))
			for side := range 2 {
				p.title[side], p.text[side] = translate(p.title[side], side), translate(p.text[side], side)
			}
			p.id = [2]string{s.id(), s.id()}
			all = append(all, p)
		}
	}
	return all
}

// site writes both sides. The old list may lack pages that stayed; their new ones are there all the same.
func (s *shelf) site(pages []shelfPage) made {
	listed := 100
	if s.chance(45) {
		listed = 5 + s.IntN(70)
	}
	counts := [2][]int{make([]int, len(s.sections)), make([]int, len(s.sections))}
	var out made
	where := make([]int, len(pages))
	for _, i := range s.Perm(len(pages)) {
		p := &pages[i]
		where[i] = -1
		if !p.gone {
			where[i] = len(out.after)
			out.after = append(out.after, madePage{})
		}
	}
	for i := range pages { // numbers count the pages of a section, in their order
		p := &pages[i]
		for side := range 2 {
			if side == 0 && p.added || side == 1 && p.gone {
				continue
			}
			counts[side][p.section]++
			p.number[side] = counts[side][p.section]
		}
		if where[i] >= 0 {
			out.after[where[i]] = s.page(p, 1)
		}
		if !p.added && (p.gone || s.chance(listed)) {
			old := s.page(p, 0)
			if e := s.edited; e != nil && e.stays && !p.gone && e.chance(97) &&
				pathOf(old.URL) == pathOf(out.after[where[i]].URL) {
				continue
			}
			out.before, out.truth = append(out.before, old), append(out.truth, where[i])
			for s.chance(s.variants) { // the same page at another address
				other := s.page(p, 0)
				host := s.one("old.example/en", "www.old.example", "old.example:8080")
				if e := s.edited; e != nil && e.elsewhere {
					folder, another := s.sections[p.section].names[0], s.sections[e.IntN(len(s.sections))].names[0]
					other.URL = strings.Replace(other.URL, "/"+folder+"/", "/"+another+"/", 1)
				} else {
					other.URL = strings.Replace(other.URL, "old.example", host, 1)
				}
				out.before, out.truth = append(out.before, other), append(out.truth, where[i])
			}
		}
	}
	unique(out.before)
	unique(out.after)
	return out
}

// pathOf returns what an address has behind the host.
func pathOf(url string) string { return url[strings.Index(url, ".example/"):] }

func (s *shelf) page(p *shelfPage, side int) madePage {
	sec := &s.sections[[]int{p.section, p.moved}[side]]
	title := capital(p.title[side])
	heading := title
	if s.numbered[side] {
		title = fmt.Sprintf("%d.%d. %s", p.section+1, p.number[side], title)
	}
	if s.edited != nil && s.edited.books {
		title = capital(sec.title) + ": " + title
	}
	title += s.suffixes[side]
	if s.cut[side] > 0 && len(title) > s.cut[side] {
		title = title[:s.cut[side]] + "..."
	}
	kept := s.edited != nil && s.edited.kept
	name := p.title[side]
	if kept && !p.added {
		name = p.title[0]
	}
	words := strings.Fields(strings.ToLower(strings.NewReplacer("-", " ", dash, " ").Replace(strings.Join(name, " "))))
	folder, slug := sec.names[side], slugOf(append(slices.Clone(words), s.tail[side]...))
	url := ""
	switch s.style[side] {
	case bySlug:
		url = "/" + folder + "/" + slug + ".html"
	case byFolder:
		url = "/" + folder + "/" + slug + "/"
	case byNumber:
		url = fmt.Sprintf("/%s/ch%02d.html", folder, p.number[side])
		if p.section%2 == 0 {
			url = fmt.Sprintf("/%s_%d.html", folder, p.number[side])
		}
	case byQuery:
		url = "/index.php?page=" + p.id[side]
		if s.opaqueSections {
			url = fmt.Sprintf("/index.php?sec=%d&page=%s", p.section+3, p.id[side])
		}
	case byID:
		url = "/" + folder + "/" + p.id[side] + "-" + slug
	case byType:
		url = "/" + folder + "/" + s.glued + strings.ReplaceAll(slug, "-", "_") + ".html"
	case byJoin:
		url = "/" + folder + "/" + strings.Join(words, "") + "/"
	case byShort:
		short := ""
		for _, w := range words {
			short += w[:min(len(w), 3)]
		}
		url = "/" + folder + "/" + short + ".html"
	case byWord:
		file := strings.Join(s.keywords(words), s.one("-", "_")) + s.one(".html", ".php")
		if s.edited != nil && p.file == "" {
			p.file = s.edited.file(sec.names[0], file)
		}
		if kept {
			file = p.file
		}
		url = "/" + folder + "/" + file
	default:
		url = "/" + strings.ReplaceAll(slug, "-", "_") + ".htm"
	}
	return madePage{URL: "https://" + []string{"old", "new"}[side] + ".example" + url, Language: "en", Title: title,
		Heading: heading, Text: strings.Join(p.text[side], " ")}
}

// keywords returns the one or two rarest of some words.
func (s *shelf) keywords(words []string) []string {
	rare := func(w string) int { return slices.Index(s.words, w) & 0xffff } // names are the rarest
	kept := slices.Clone(words)
	if s.chance(60) {
		slices.SortStableFunc(kept, func(a, b string) int { return rare(b) - rare(a) })
	}
	kept = kept[:min(len(kept), 1+s.IntN(2))]
	if s.chance(20) {
		kept[0] = kept[0][:max(3, len(kept[0])*2/3)]
	}
	return kept
}
