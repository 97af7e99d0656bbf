package pair

import (
	"slices"
	"strings"
)

// What speaks for and against a candidate, each from 0 to 1 unless told
// otherwise.
const (
	always          = iota // 1
	titled                 // both have titles
	titleAlike             // share of the words of both, by their rarity
	titleEqual             // sign by sign
	titleUnique            // titleEqual, and no other page of either side has that title
	titleShared            // titleEqual, by how many new pages have that title
	fewerNew               // the names are the same, and fewer new pages have it than old ones: which part has none
	fewerLanguages         // the names are the same, and had more languages than there are new pages: which part has none
	titleHead              // one title is the other up to a dash or colon, by how many titles begin so
	titleBegins            // one title was cut off, and the other goes on
	gramsAlike             // runs of letters that the titles, or last segments, share, by their rarity
	gramsWithin            // the same, of the lighter of the two
	gramsShared            // gramsWithin, by their weight, a fiftieth of it, at most 2
	gramsLead              // by how much more it shares of them than any other candidate: -1 to 1
	signsDiffer            // the same words with other signs
	headingAlike           // where both have one
	slugAlike              // last segments
	slugEqual              // by their rarity
	slugUnique             // equal, and no other page of either side has that last segment
	sameDepth              // both addresses have as many folders
	suffix                 // one path ends in the other, by its segments
	wouldStay              // addresses of its form are still in the old page's folder, and it isn't this one's
	leftOver               // another address, though most old ones have a form that is still in their folder: which part
	crossAlike             // a title and a last segment
	allAlike               // all words of titles and addresses
	shared                 // weight of all words shared, a tenth of it, at most 3
	outdoes                // by how much more it shares than any other candidate: -1 to 1
	nameAlike              // share of the words of what names the two: titles, or else last segments
	rarest                 // weight of the rarest word that the names share, as a part of one that each side has once
	onlyOld                // weight of the words that the old page alone has there, a tenth of it, at most 3
	onlyNew                // that the new page alone has
	rarestLost             // the rarest word of the old page isn't among those shared: by how much rarer it is than they
	rarestNew              // the same of the new page's
	few                    // the names differ, and there are so few pages that nobody knows which words are rare
	elsewhere              // other new pages have a word that this one lacks
	another                // other old pages have a word that this one lacks, and elsewhere
	sibling                // they differ by a word in whose place several stand on one side: how many
	modelDiffers           // each has a number, or a word with digits, that the other lacks
	texted                 // both have text
	textAlike              //
	textVeryAlike          // textAlike above 0.6
	textLeads              // by how much liker its text is than that of any other candidate: -1 to 1
	textNearer             // the same, as a part of what the texts of the two have not in common: -1 to 1
	textOwn                // words of the text that this page and no other on each side has: three are enough for 1
	yearEqual              //
	yearDiffers            //
	yearAlone              // one title, or last segment, has a year and the other none
	numberEqual            // a number other than a year is in both titles
	numberDiffers          // numbers other than years, in titles
	idEqual                // one that one page on each side has, by how far ids can be trusted here
	idDiffers              // both have ids, by how often equal pages have equal ones
	positionEqual          // the same place among others, by how far that can be trusted here
	dateEqual              //
	dateDiffers            //
	foreignLanguage        // told by both sides
	foreignWords           // guessed
	homes                  // both are home pages
	bare                   // nothing but addresses is known
	unknown                // which part of the old page's words no new page has
	placed                 // how much oftener than by chance pages of this place went to that one: -1 to 1
	placeShare             // which part of the pages of this place went to that one
	titleHere              // several candidates have the title: which part of what went to their places went to its
	placeStrays            // which part of the pages of this place went elsewhere, by how many did
	folderLost             // a folder's name that usually stays isn't there any more
	folderNew              // one that usually was there before is new
	ahead                  // by how much it goes before other old pages for this new one: -1 to 1
	unclaimed              // ahead, where names stay and few new pages have a sure pair: its own old page may not be listed
	beaten                 // another old page suits this new one better
	taken                  // another old page has this new one's own title, and this one hasn't
	goneAround             // of how many more of the other old pages of its place nothing was found than of all
	goneHere               // of how many of all other old pages nothing was found
	namesStay              // the name differs, by how seldom it does in pairs of this site: the logarithm of that
	textUnusual            // by how much less alike the texts are than those of other pairs of this site
	kinds                  // how many there are
)

// evidence is what speaks for and against a candidate.
type evidence [kinds]float64

// weights say how much each kind of evidence counts, by what is known of the two pages.
type weights [kinds][knowns]float64

// known is what is known of two pages.
type known uint8

const (
	texts     known = iota // both have text
	titles                 // both have titles
	oneTitle               // one of them has
	addresses              // there is nothing but addresses
	knowns                 // how many there are
)

// known returns what is known of the two pages that evidence is of.
func (e *evidence) known() known {
	switch {
	case e[texted] > 0:
		return texts
	case e[titled] > 0:
		return titles
	case e[bare] > 0:
		return addresses
	}
	return oneTitle
}

func (w *weights) score(e *evidence) float64 {
	sum, of := 0.0, e.known()
	for k := range e {
		sum += w[k][of] * e[k]
	}
	return sum
}

func is(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

// above returns by how much x is above a limit, stretched to 1.
func above(x, limit float64) float64 { return max(0, x-limit) / (1 - limit) }

// look fills in what can be seen of the two pages alone.
func (s *sides) look(old, new *parts, before, after *Page, e *evidence) {
	e[always] = 1
	s.lookAtWords(old, new, e)
	if len(old.text) > 0 && len(new.text) > 0 {
		text := s.words.shared(old.text, new.text)
		e[texted], e[textAlike], e[textVeryAlike] = 1, text, above(text, 0.6)
		e[textOwn] = min(1, float64(s.words.own(old.text, new.text))/3)
	}
	e[yearEqual], e[yearDiffers] = compare(old.years, new.years)
	if len(old.title) > 0 && len(new.title) > 0 {
		e[yearAlone] = is(old.titleDated != new.titleDated)
	} else if len(old.title)+len(old.slug) > 0 && len(new.title)+len(new.slug) > 0 {
		e[yearAlone] = is(old.dated != new.dated)
	}
	if !s.everywhere(old.numbers) && !s.everywhere(new.numbers) {
		e[numberEqual], e[numberDiffers] = compare(old.numbers, new.numbers)
		e[yearAlone] *= 1 - e[numberEqual] // Report 14, and Report 14 (2021)
	}
	if len(old.ids) > 0 && len(new.ids) > 0 {
		if s.sameID(old, new) != "" {
			e[idEqual] = s.idTrust
		} else {
			e[idDiffers] = 1
		}
	}
	if old.position != "" && old.position == new.position {
		e[positionEqual] = s.placeTrust
	}
	if before.Date != "" && after.Date != "" {
		e[dateEqual] = is(before.Date == after.Date)
		e[dateDiffers] = 1 - e[dateEqual]
	}
	if old.language != "" && new.language != "" && old.language != new.language {
		e[foreignLanguage] = is(!old.guessed && !new.guessed)
		e[foreignWords] = (1 - e[foreignLanguage]) * (1 - e[textAlike]) // texts that are alike are in one language
	}
	e[homes] = is(old.home && new.home)
	e[bare] = is(len(old.title) == 0 && len(new.title) == 0)
}

// lookAtWords compares titles, headings and addresses.
func (s *sides) lookAtWords(old, new *parts, e *evidence) {
	v := &s.words
	slug, all := v.alike(old.slug, new.slug), v.alike(old.all, new.all)
	e[slugAlike] = slug.dice
	if old.last != "" && old.last == new.last {
		e[slugEqual] = min(1, s.weightOf(old.slug)/8)
		e[slugUnique] = is(s.inLanguage(s.oldLasts[old.last], s.old, old.language) == 1 &&
			s.inLanguage(s.byLast[old.last], s.new, old.language) == 1)
	}
	e[sameDepth] = is(old.path != "" && strings.Count(old.path, "/") == strings.Count(new.path, "/"))
	e[suffix] = pathSuffix(old.path, new.path)
	e[leftOver] = s.leftOver * is(old.path != new.path)
	e[wouldStay] = is(old.path != "" && old.path != new.path && s.forms[old.form])
	e[allAlike], e[shared] = all.dice, min(all.matched/10, 3)
	cross, other := v.alike(old.title, new.slug), v.alike(old.slug, new.title)
	own := slug // what names the page: titles, or else last segments
	if len(old.title) > 0 && len(new.title) > 0 {
		title := v.alike(old.title, new.title)
		own = title
		e[titled], e[titleAlike] = 1, title.dice
		s.lookAtTitles(old, new, e)
	} else {
		for _, l := range []likeness{cross, other} {
			if l.matched > own.matched {
				own = l
			}
		}
	}
	e[nameAlike] = own.dice
	e[fewerNew] = sameName(e) * s.lacking(old)
	if new.language == "" {
		e[fewerLanguages] = sameName(e) * s.lackingLanguages(old)
	}
	e[rarest] = own.rarestShared / float64(v.most)
	e[onlyOld], e[onlyNew] = min(own.left/10, 3), min(own.right/10, 3)
	e[rarestLost] = rarer(own.rarestLeft, own.rarestShared)
	e[rarestNew] = rarer(own.rarestRight, own.rarestShared)
	e[few] = (1 - sameName(e)) / (1 + float64(len(s.old)+len(s.new))/20)
	e[elsewhere] = is(all.leftElsewhere)
	e[another] = is(all.leftElsewhere && all.rightBefore)
	e[sibling] = s.siblings(old.names(), new.names())
	e[modelDiffers] = is(own.unlikeNumbers)
	both := 0.0
	both, e[gramsAlike], e[gramsWithin] = s.byGram.shared(old.grams, new.grams)
	e[gramsShared] = min(both/50, 2) * e[gramsWithin]
	if len(old.heading) > 0 && len(new.heading) > 0 {
		e[headingAlike] = v.alike(old.heading, new.heading).dice
	}
	e[crossAlike] = max(cross.dice, other.dice)
	e[unknown] = s.unknown(old)
}

// lookAtTitles compares the titles of two pages that have one, sign by sign.
func (s *sides) lookAtTitles(old, new *parts, e *evidence) {
	switch {
	case old.raw == new.raw:
		e[titleEqual] = 1
		e[titleUnique] = is(s.wholly(old, new) || s.inLanguage(s.byTitle[new.raw], s.new, old.language) == 1 &&
			s.inLanguage(s.oldTitles[old.raw], s.old, old.language) == 1)
		e[titleShared] = s.sharedTitle(old, new)
	case (old.cut && strings.HasPrefix(new.raw, old.raw) || new.cut && strings.HasPrefix(old.raw, new.raw)):
		e[titleBegins] = 1
	case old.raw == new.head:
		e[titleHead] = 1 / float64(s.heads[1][new.head])
	case new.raw == old.head:
		e[titleHead] = 1 / float64(s.heads[0][old.head])
	default:
		e[signsDiffer] = is(slices.Equal(old.title, new.title))
	}
}

// sharedTitle returns by how many new pages in the old one's language have a title: nothing for one, up to 1 for four,
// from where on more make no difference.
func (s *sides) sharedTitle(old, new *parts) float64 {
	if s.wholly(old, new) {
		return 0
	}
	n := s.inLanguage(s.byTitle[new.raw], s.new, old.language)
	return (1 - 1/float64(max(min(n, 4), 1))) / 0.75
}

// wholly reports whether two pages alone have a title, with the names of their section and book.
//
//	Kayak: red, beside Canoe: red
func (s *sides) wholly(old, new *parts) bool {
	return old.whole == new.whole && s.wholes[0][old.whole] == 1 && s.wholes[1][new.whole] == 1
}

// inLanguage counts pages that are in a language, or that may be.
func (s *sides) inLanguage(pages []int32, of []parts, language string) int {
	const most = 50 // that are looked at; from there on it makes no difference
	n := 0
	for _, page := range pages[:min(len(pages), most)] {
		if other := of[page].language; language == "" || other == "" || other == language {
			n++
		}
	}
	return n
}

// rarer returns by how much a weight is above another, as a part of it.
func rarer(weight, other float64) float64 {
	if weight <= other {
		return 0
	}
	return (weight - other) / weight
}

// weightOf returns the weight of all words.
func (s *sides) weightOf(words bag) float64 {
	sum := 0.0
	for _, n := range words {
		sum += float64(s.words.weight[n])
	}
	return sum
}

// unknown returns which part of what names an old page no new page has.
func (s *sides) unknown(old *parts) float64 {
	none, all := 0.0, 0.0
	for _, n := range old.names() {
		w := float64(s.words.weight[n])
		if all += w; s.words.lost(n) {
			none += w
		}
	}
	if all == 0 {
		return 0
	}
	return none / all
}

// lacking returns for which part of the old pages named like this one there is no new page of that name.
func (s *sides) lacking(old *parts) float64 {
	name := old.name()
	before, after := s.oldNames[name], s.newNames[name]
	return max(0, 1-float64(after)/float64(max(before, 1)))
}

// lackingLanguages returns for which part of the languages that had a page named like this one there is no new page of
// that name; nothing where one had it, or none is told.
func (s *sides) lackingLanguages(old *parts) float64 {
	name := old.name()
	had, after := s.oldLanguages[name], s.newNames[name]
	if had < 2 {
		return 0
	}
	return max(0, 1-float64(after)/float64(had))
}

// everywhere reports whether a site has numbers in so many names that they tell none from another: its version.
func (s *sides) everywhere(numbers []string) bool {
	pages := len(s.old) + len(s.new)
	return slices.ContainsFunc(numbers, func(number string) bool { return 20*s.numbered[number] > pages+100 })
}

// sameID returns an id that only these two pages have; empty when there is none.
func (s *sides) sameID(old, new *parts) string {
	for _, id := range old.ids {
		if s.oldIDs[id] == 1 && len(s.byID[id]) == 1 && slices.Contains(new.ids, id) {
			return id
		}
	}
	return ""
}

// pathSuffix returns how much of two paths one is the end of: nothing for a single segment.
//
//	/parisc/debugging and /arch/parisc/debugging
func pathSuffix(a, b string) float64 {
	if len(a) > len(b) {
		a, b = b, a
	}
	if a == "" || !strings.HasSuffix(b, a) || strings.Count(a, "/") < 2 || len(a) < len(b) && a[0] != '/' {
		return 0
	}
	return min(1, float64(strings.Count(a, "/"))/3)
}

// trust finds out how far equal ids, and equal places among others, can be trusted here: by how many of the pages that
// have them are alike otherwise.
func (s *sides) trust() {
	alike := func(old, new *parts) (like, known bool) {
		v := &s.words
		switch {
		case len(old.title) > 0 && len(new.title) > 0:
			return v.alike(old.title, new.title).dice > 0.35 || len(old.text) > 0 && v.shared(old.text, new.text) > 0.2, true
		case len(old.text) > 0 && len(new.text) > 0:
			return v.shared(old.text, new.text) > 0.2, true
		case len(old.slug) > 0 && len(new.slug) > 0:
			return v.alike(old.slug, new.slug).dice > 0.35, true
		}
		return false, false
	}
	positions := map[string][]int32{}
	for i := range s.new {
		if at := s.new[i].position; at != "" {
			positions[at] = append(positions[at], int32(i))
		}
	}
	var ids, places rate
	count := func(r *rate, old, new *parts) {
		if like, known := alike(old, new); known {
			r.all++
			if like {
				r.yes++
			}
		}
	}
	for i := range s.old {
		old := &s.old[i]
		for _, id := range old.ids {
			if s.oldIDs[id] == 1 && len(s.byID[id]) == 1 {
				count(&ids, old, &s.new[s.byID[id][0]])
			}
		}
		if list := positions[old.position]; old.position != "" && len(list) == 1 {
			count(&places, old, &s.new[list[0]])
		}
	}
	s.idTrust = (float64(ids.yes) + 1.6) / (float64(ids.all) + 2)
	s.placeTrust = (float64(places.yes) + 0.4) / (float64(places.all) + 1)
}

// compare reports whether two lists have something in common, or both something
// and nothing in common.
func compare(a, b []string) (equal, differ float64) {
	if len(a) == 0 || len(b) == 0 {
		return 0, 0
	}
	if slices.ContainsFunc(a, func(x string) bool { return slices.Contains(b, x) }) {
		return 1, 0
	}
	return 0, 1
}

// own returns how many words two texts share that no other page has.
func (v *vocabulary) own(a, b bag) (n int) {
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch {
		case a[i] < b[j]:
			i++
		case b[j] < a[i]:
			j++
		default:
			if v.pages[a[i]] == 2 {
				n++
			}
			i, j = i+1, j+1
		}
	}
	return n
}

// shared is the part of two texts' weight that both have.
func (v *vocabulary) shared(a, b bag) float64 {
	var both, sum float64
	for i, j := 0, 0; i < len(a) || j < len(b); {
		switch {
		case j == len(b) || i < len(a) && a[i] < b[j]:
			sum += float64(v.weight[a[i]])
			i++
		case i == len(a) || b[j] < a[i]:
			sum += float64(v.weight[b[j]])
			j++
		default:
			w := float64(v.weight[a[i]])
			both, sum = both+w, sum+2*w
			i, j = i+1, j+1
		}
	}
	if sum == 0 {
		return 0
	}
	return 2 * both / sum
}
