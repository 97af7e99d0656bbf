package pair

import (
	"slices"
)

// What speaks for and against a candidate, each from 0 to 1 unless told
// otherwise.
const (
	always          = iota // 1
	titled                 // both have titles
	titleAlike             // share of the words of both, by their rarity
	titleWithin            // share of the words of the shorter
	titleVeryAlike         // titleAlike above 0.7
	titleEqual             // sign by sign
	signsDiffer            // the same words with other signs
	headingAlike           // where both have one
	slugAlike              // last segments
	slugEqual              //
	crossAlike             // a title and a last segment
	allAlike               // all words of titles and addresses
	rarity                 // weight of the words shared, a tenth of it, at most 3
	onlyOld                // weight of the words that the old page alone has, a tenth of it, at most 3
	onlyNew                // that the new page alone has
	texted                 // both have text
	textAlike              //
	textVeryAlike          // textAlike above 0.6
	yearEqual              //
	yearDiffers            //
	yearAlone              // one title, or last segment, has a year and the other none
	numberDiffers          // numbers other than years, in titles
	idEqual                // one that one page on each side has
	idSure                 // idEqual, by how far ids can be trusted here
	idDiffers              // both have ids, by how often equal pages have equal ones
	dateEqual              //
	dateDiffers            //
	foreignLanguage        //
	placed                 // how much oftener than by chance pages of this place went to that one: -1 to 1
	folderLost             // a folder's name that usually stays isn't there any more
	folderNew              // one that usually was there before is new
	slugKept               // slugEqual, by how often pages of this place keep it
	ahead                  // by how much it goes before other old pages for this new one: -1 to 1
	beaten                 // another old page suits this new one better
	kinds                  // how many there are
)

// evidence is what speaks for and against a candidate.
type evidence [kinds]float64

// weights say how much each kind of evidence counts.
type weights [kinds]float64

func (w *weights) score(e *evidence) float64 {
	sum := 0.0
	for k := range e {
		sum += w[k] * e[k]
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
	v := &s.words
	e[always] = 1
	slug := v.alike(old.slug, new.slug)
	all := v.alike(old.all, new.all)
	e[slugAlike], e[slugEqual] = slug.dice, is(old.last != "" && old.last == new.last)
	e[allAlike], e[rarity] = all.dice, min(all.matched/10, 3)
	e[onlyOld], e[onlyNew] = min(all.left/10, 3), min(all.right/10, 3)
	if len(old.title) > 0 && len(new.title) > 0 {
		title := v.alike(old.title, new.title)
		e[titled], e[titleAlike], e[titleWithin] = 1, title.dice, title.within
		e[titleVeryAlike] = above(title.dice, 0.7)
		e[titleEqual] = is(old.raw == new.raw)
		e[signsDiffer] = is(old.raw != new.raw && slices.Equal(old.title, new.title))
	}
	if len(old.heading) > 0 && len(new.heading) > 0 {
		e[headingAlike] = v.alike(old.heading, new.heading).dice
	}
	e[crossAlike] = max(v.alike(old.title, new.slug).dice, v.alike(old.slug, new.title).dice)
	if len(old.text) > 0 && len(new.text) > 0 {
		text := v.shared(old.text, new.text)
		e[texted], e[textAlike], e[textVeryAlike] = 1, text, above(text, 0.6)
	}
	e[yearEqual], e[yearDiffers] = compare(old.years, new.years)
	e[yearAlone] = is(old.dated != new.dated && len(old.title)+len(old.slug) > 0 && len(new.title)+len(new.slug) > 0)
	_, e[numberDiffers] = compare(old.numbers, new.numbers)
	if len(old.ids) > 0 && len(new.ids) > 0 {
		for _, id := range old.ids {
			if s.oldIDs[id] == 1 && len(s.byID[id]) == 1 && slices.Contains(new.ids, id) {
				e[idEqual] = 1
			}
		}
		e[idSure] = e[idEqual]
		e[idDiffers] = 1 - e[idEqual]
	}
	if before.Date != "" && after.Date != "" {
		e[dateEqual] = is(before.Date == after.Date)
		e[dateDiffers] = 1 - e[dateEqual]
	}
	e[foreignLanguage] = is(old.language != "" && new.language != "" && old.language != new.language)
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
