package pair

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"
)

// The most that is said of a page being gone only because nothing was found: that is no proof.
const (
	absent    = 0.89
	addressed = 0.6 // only its address is known
)

// unlike is how like another text is at most, so that a page with another is surely gone.
const unlike = 0.4

// nameUnlike is how like another name is less than, so that a page is surely gone with its folder, if no text tells:
// where a family was renamed as one, no page of it is found, and each would seem to prove the others gone.
const nameUnlike = 0.5

// mostlySame is how like another text is at least, so that nobody says of a page with it that it is gone: perhaps it was
// translated, or is under another name.
const mostlySame = 0.6

// goneAnyway is how many pages are gone on a site where more aren't found: where only addresses are known, and nothing is
// found of most pages, that says more of the addresses than of the pages.
const goneAnyway = 0.3

// What speaks for a page being gone, where none of the candidates is the one: perhaps its new page is there, and wasn't
// found.
const (
	missed      = iota // 1
	noneHere           // of how many old pages nothing was found
	noneHereLog        // its logarithm: if nothing is found of most pages, it says little of one
	noneAround         // of how many more of its place than of all
	namedBy            // the weight of what names it: a number says little
	nameLost           // which part of that no new page has
	nearestName        // how like the likest name of the candidates is
	nearestText        // the same of texts
	sharesTitle        // several new pages have its title
	goneKinds          // how many there are
)

// goneEvidence is what speaks for a page being gone.
type goneEvidence [goneKinds]float64

// goneWeighed says how much each kind counts, by what is known of the page and its likest candidate.
type goneWeighed [goneKinds][knowns]float64

// odds returns how likely a page is gone if none of the candidates is the one.
func (w *goneWeighed) odds(e *goneEvidence, of known) float64 {
	sum := 0.0
	for k := range e {
		sum += w[k][of] * e[k]
	}
	return 1 / (1 + math.Exp(-sum))
}

// goneEvidence returns what speaks for an old page being gone.
func (s *sides) goneEvidence(i int, list []scored) (e goneEvidence, of known) {
	old, l, none := &s.old[i], &s.learned, s.goneOf(i, list)
	all := l.goneAll.without(none, goneAnyway)
	e[missed], e[noneHere], e[noneHereLog] = 1, all, -math.Log(max(all, 0.02))/4
	e[noneAround] = l.gone[old.place].without(none, all) - all
	e[namedBy] = min(1, s.weightOf(old.names())/(2*float64(max(s.words.most, 1))))
	e[nameLost] = s.unknown(old)
	for k := range list {
		c := &list[k].evidence
		e[nearestName] = max(e[nearestName], c[nameAlike])
		e[nearestText] = max(e[nearestText], c[textAlike])
	}
	e[sharesTitle] = is(s.called(i) > 1)
	switch {
	case len(list) > 0:
		of = list[0].evidence.known()
	case len(old.title) > 0:
		of = titles
	default:
		of = addresses
	}
	return e, of
}

// gone returns how surely no new page took the place of an old one, and why.
func (s *sides) gone(i int, list []scored) (confidence float64, why []string) {
	old := &s.old[i]
	none := s.goneOf(i, list)
	e, of := s.goneEvidence(i, list)
	weights := goneWeights()
	confidence = none * weights.odds(&e, of)
	most := absent
	if len(old.title) == 0 && len(old.text) == 0 {
		most = addressed
	}
	if limit := goneAnyway / e[noneHere]; of == addresses && limit < min(confidence, most) {
		most = limit
		why = append(why, "of most others nothing was found either")
	}
	own := len(old.text) > 0 || len(s.oldTitles[old.raw]) == 1 // a title that several have says little of one
	if place := s.learned.gone[old.place]; place.pages >= 6 && own {
		if others := place.pages - 1; place.sum-none >= 0.8*float64(others) {
			if e[nearestName] < nameUnlike || of == texts && e[nearestText] < unlike {
				most = 1
			}
			why = append(why, fmt.Sprintf("%.0f of %d others in %s are gone too", place.sum-none, others,
				placeName(old.place)))
		}
	}
	if like, known := s.textLike(old, list); known && like < unlike {
		most = 1
		why = append(why, fmt.Sprintf("no text is more than %d %% like its own", percent(like)))
	}
	if n := s.called(i); n > shown {
		have := "have its title"
		if old.cut {
			have = "have a title that begins like it"
		}
		why = append(why, fmt.Sprintf("%d new pages %s", n, have))
	}
	if like := textOfAnother(list); like >= mostlySame && most >= even {
		most = even - 0.01
		why = append(why, fmt.Sprintf("a new page has %d %% of its text", percent(like)))
	}
	if words, where := s.lost(i); len(words) > 0 {
		why = append(why, fmt.Sprintf("no %s of the new site has %s", where, strings.Join(words, ", ")))
	}
	return min(confidence, most), why
}

// textOfAnother returns how like the text of a candidate is that suits no other old page better.
func textOfAnother(list []scored) (like float64) {
	for k := range list {
		if e := &list[k].evidence; e[beaten]+e[taken] == 0 {
			like = max(like, e[textAlike])
		}
	}
	return like
}

// textLike returns how like the likest text of the candidates is; known is false unless the old page has a text and
// nearly all new ones do, and no title is like its own.
func (s *sides) textLike(old *parts, list []scored) (like float64, known bool) {
	if len(old.text) < soughtText/2 || s.texted*10 < 9*len(s.new) {
		return 0, false
	}
	if old.language != "" && s.languages[old.language]*10 < len(s.new) { // perhaps it was translated
		return 0, false
	}
	for k := range list {
		if list[k].evidence[titleAlike] > 0.5 { // perhaps its text was written anew
			return 0, false
		}
		like = max(like, list[k].evidence[textAlike])
	}
	return like, true
}

// lost returns up to two words of what names an old page that the new site doesn't have, the rarest first, and what
// doesn't have them: no page at all, or else no title or address.
func (s *sides) lost(i int) (shown []string, where string) {
	var nowhere, unnamed bag
	for _, n := range s.old[i].names() {
		switch {
		case !s.words.lost(n) || len(s.words.words[n]) <= 2:
		case s.words.inTexts[n]:
			unnamed = append(unnamed, n)
		default:
			nowhere = append(nowhere, n)
		}
	}
	words, where := nowhere, "page"
	if len(words) == 0 {
		words, where = unnamed, "title or address"
	}
	slices.SortStableFunc(words, func(a, b int32) int {
		return int(1000*s.words.weight[b]) - int(1000*s.words.weight[a])
	})
	for _, n := range words[:min(len(words), 2)] {
		shown = append(shown, fmt.Sprintf("%q", s.before[i].asWritten(s.words.words[n])))
	}
	return shown, where
}

// asWritten returns a word as the page has it in its title, or its address.
//
//	grun  ->  Grün
func (p *Page) asWritten(word string) string {
	_, last := segments(p.Address)
	apart := func(r rune) bool { return !unicode.In(r, unicode.L, unicode.N, unicode.M) }
	for _, text := range []string{p.Title, last} {
		for _, token := range strings.FieldsFunc(text, apart) {
			parts, same := 0, false
			if split(token, func(part string) { parts++; same = part == word }); same && parts == 1 {
				return token
			}
		}
	}
	return word
}
