package pair

import (
	"fmt"
	"slices"
	"strings"
)

// The most that is said of a page being gone, by what speaks for it: nothing but that nothing was found is no proof.
const (
	absent    = 0.89 // titles are known on both sides, and none is like it
	addressed = 0.6  // only its address is known
)

// gone returns how surely no new page took the place of an old one, and why.
func (s *sides) gone(i int, list []scored) (confidence float64, why []string) {
	old := &s.old[i]
	confidence = s.goneOf(i, list)
	most := absent
	if len(old.title) == 0 && len(old.text) == 0 {
		most = addressed
	}
	if place := s.learned.gone[old.place]; place.pages >= 6 && len(old.title)+len(old.text) > 0 {
		if others := place.pages - 1; place.sum-confidence >= 0.8*float64(others) {
			most = 1
			why = append(why, fmt.Sprintf("%.0f of %d others in %s are gone too", place.sum-confidence, others,
				placeName(old.place)))
		}
	}
	if like, known := s.textLike(old, list); known {
		if most = 1; like < 0.3 {
			why = append(why, fmt.Sprintf("no text is more than %d %% like its own", percent(like)))
		}
	}
	if n := s.called(i); n > shown {
		why = append(why, fmt.Sprintf("%d new pages have its title", n))
	}
	if words := s.lost(old); len(words) > 0 {
		why = append(why, "no page of the new site has "+strings.Join(words, ", "))
	}
	return min(confidence, most), why
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

// lost returns up to two words of what names an old page that no new page has, the rarest first.
func (s *sides) lost(old *parts) []string {
	var words bag
	for _, n := range old.names() {
		if s.words.lost(n) && len(s.words.words[n]) > 2 {
			words = append(words, n)
		}
	}
	slices.SortStableFunc(words, func(a, b int32) int {
		return int(1000*s.words.weight[b]) - int(1000*s.words.weight[a])
	})
	var shown []string
	for _, n := range words[:min(len(words), 2)] {
		shown = append(shown, fmt.Sprintf("%q", s.words.words[n]))
	}
	return shown
}
