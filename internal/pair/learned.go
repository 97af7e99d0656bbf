package pair

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
)

// learned is what the sure pairs say of all.
type learned struct {
	places  moves               // from a folder to a folder
	tops    moves               // from a first folder to a folder
	usual   map[string][]string // by the old place: where most of its sure pairs went, three places at most
	gone    map[string]share    // by the old place: for how many nothing was found
	goneAll share
	stays   map[int32]rate // of a word of folders: how often the new page has it too
	was     map[int32]rate // of a word of new folders: how often the old page had it
	told    map[move]int   // pairs that a person decided, by their places
	idKept  float64        // how many sure pairs with ids have equal ones
	drift   drift          // how much pairs differ
	spare   float64        // which part of the new pages no sure pair leads to
	rivals  [][]rival      // by new page: the old ones that suit it best
}

// rate is how often something was so.
type rate struct{ yes, all int }

// often returns the rate, a little below what was seen while that is little.
func (r rate) often() float64 { return float64(r.yes) / float64(r.all+1) }

// move is from one place to another.
type move struct{ from, to string }

// sure is the confidence from which a pair teaches.
const sure = 0.9

// moves counts from where to where sure pairs went.
type moves struct {
	pairs    map[move]int
	from, to map[string]int
	ways     map[string]int // to how many places pages of one went
	all      int
}

func newMoves() moves {
	return moves{pairs: map[move]int{}, from: map[string]int{}, to: map[string]int{}, ways: map[string]int{}}
}

func (m *moves) add(from, to string) {
	if m.pairs[move{from, to}] == 0 {
		m.ways[from]++
	}
	m.pairs[move{from, to}]++
	m.from[from]++
	m.to[to]++
	m.all++
}

// share returns which part of what left a place went to another. A place that took none so far isn't out of the
// question, and the less, the more places took some (the estimate of Witten and Bell).
func (m *moves) share(from, to string, expected float64) float64 {
	more := float64(m.ways[from] + 1)
	return (float64(m.pairs[move{from, to}]) + more*expected) / (float64(m.from[from]) + more)
}

// usual returns for each place where most went from it, three places at most and those that two took at least.
func (m *moves) usual() map[string][]string {
	list := map[string][]string{}
	for way, n := range m.pairs {
		if n >= 2 {
			list[way.from] = append(list[way.from], way.to)
		}
	}
	for from, places := range list {
		slices.SortFunc(places, func(a, b string) int {
			return cmp.Or(cmp.Compare(m.pairs[move{from, b}], m.pairs[move{from, a}]), strings.Compare(a, b))
		})
		list[from] = places[:min(len(places), 3)]
	}
	return list
}

// went fills in how many of the pages of an old page's place, or else of its first folder, went to a new page's, and how
// much oftener than by chance; it returns the share, 0 where nothing is known of the place.
func (l *learned) went(old, new *parts, e *evidence) (share float64) {
	e[placed], e[placeShare], e[placeStrays] = 0, 0, 0
	if l.tops.from[old.top] == 0 {
		return 0
	}
	chance := (float64(l.places.to[new.place]) + 1) / float64(l.places.all+10)
	share = l.places.share(old.place, new.place, l.tops.share(old.top, new.place, chance))
	more := math.Log(share/chance) / 4
	if more < 0 {
		more /= 2 // what is sure so far is no fair sample
	}
	e[placed] = max(-1, min(1, more))
	if n := float64(l.places.from[old.place]); n > 0 {
		e[placeShare], e[placeStrays] = share, (1-share)*n/(n+3)
	}
	return share
}

// whichTitled notes which of several candidates with the old page's title lie where most of its place went, by their
// shares of it.
func whichTitled(list []scored, shares []float64) {
	all, n := 0.0, 0
	for k := range list {
		if list[k].evidence[titleEqual] > 0 {
			all, n = all+shares[k], n+1
		}
	}
	for k := range list {
		e := &list[k].evidence
		if e[titleHere] = 0; n > 1 && all > 0 {
			e[titleHere] = e[titleEqual] * shares[k] / all
		}
	}
}

// learn learns from the pairs that are sure without it.
func (s *sides) learn(all [][]scored) {
	l := learned{places: newMoves(), tops: newMoves(), gone: map[string]share{},
		stays: map[int32]rate{}, was: map[int32]rate{}, told: map[move]int{}}
	both, kept := 1.0, 0.5 // as if one had been seen
	led := map[int32]bool{}
	for i, list := range all {
		old := &s.old[i]
		gone := s.goneOf(i, list)
		if d, ok := s.decided[i]; ok {
			if gone = 1; !d.Gone {
				gone = 0
				l.decide(old, &s.new[d.New])
			}
		}
		l.goneAll = l.goneAll.with(gone)
		l.gone[old.place] = l.gone[old.place].with(gone)
		l.drift.add(list)
		if len(list) == 0 || list[0].confidence < sure {
			continue
		}
		best := list[0]
		new := &s.new[best.page]
		led[best.page] = true
		l.places.add(old.place, new.place)
		l.tops.add(old.top, new.place)
		count(l.stays, old.folders, new.all)
		count(l.was, new.folders, old.all)
		if len(old.ids) > 0 && len(new.ids) > 0 {
			both++
			kept += is(best.evidence[idEqual] > 0)
		}
	}
	l.idKept = kept / both
	l.spare = 1 - float64(len(led))/float64(max(len(s.new), 1))
	l.usual = l.places.usual()
	s.learned = l
}

// drift is how much the pages of a site differ from the former ones, by all candidates, as far as each is likely.
type drift struct {
	pairs, same   [2]float64 // pairs without titles, and with; how many of them have the same name
	texted, texts float64    // pairs with texts; how alike these are
}

func (d *drift) add(list []scored) {
	for k := range list {
		c, e := list[k].confidence, &list[k].evidence
		with := int(e[titled])
		d.pairs[with] += c
		d.same[with] += c * sameName(e)
		d.texted += c * e[texted]
		d.texts += c * e[textAlike]
	}
}

// seldom returns how seldom pairs with titles, or without, have another name: the logarithm of that.
func (d *drift) seldom(with int) float64 {
	return min(1, -math.Log(1-usual(d.same[with], d.pairs[with], 0.5))/5)
}

// sameName reports whether two pages are named the same.
func sameName(e *evidence) float64 {
	return is(e[titleEqual] > 0 || e[titled] == 0 && e[nameAlike] > 0.995)
}

// usual returns a mean, as if three more pairs were a little unlike.
func usual(sum, pairs, unlike float64) float64 { return (sum + 3*unlike) / (pairs + 3) }

// decide learns from a pair that a person decided: it counts as several that seem sure.
func (l *learned) decide(old, new *parts) {
	for range 3 {
		l.places.add(old.place, new.place)
		l.tops.add(old.top, new.place)
	}
	l.told[move{old.place, new.place}]++
}

// goneOf returns how likely it is that none of the new pages is the one. Where very many have the old page's title, those
// of them that weren't looked at are as likely as the least likely that was.
func (s *sides) goneOf(i int, list []scored) float64 {
	gone, called, least := 1.0, 0, 1.0
	for k := range list {
		gone -= list[k].confidence
		if e := &list[k].evidence; e[titleEqual]+e[titleBegins] > 0 {
			called++
			least = min(least, list[k].confidence)
		}
	}
	if others := s.called(i) - called; gone > 0 && called > 0 && others > 0 {
		gone *= gone / (gone + float64(others)*least)
	}
	return max(0, gone)
}

// called returns how many new pages have an old one's own title, as far as it goes where it was cut off.
func (s *sides) called(i int) int {
	old := &s.old[i]
	switch {
	case old.raw == "":
		return 0
	case old.cut:
		first, _ := slices.BinarySearch(s.newTitles, old.raw)
		end, _ := slices.BinarySearchFunc(s.newTitles, old.raw, func(title, begin string) int {
			if strings.HasPrefix(title, begin) {
				return -1
			}
			return strings.Compare(title, begin)
		})
		return end - first
	}
	n := len(s.byTitle[old.raw])
	for _, length := range s.cutLengths {
		if length < len(old.raw) {
			n += s.cutTitles[old.raw[:length]]
		}
	}
	return n
}

// share is a sum of probabilities, and of how many pages.
type share struct {
	sum   float64
	pages int
}

func (s share) with(p float64) share { return share{s.sum + p, s.pages + 1} }

// without returns the mean of the others, as if three more were as expected.
func (s share) without(p, expected float64) float64 {
	return (s.sum - p + 3*expected) / float64(s.pages-1+3)
}

// count counts which words are among others too.
func count(rates map[int32]rate, words, others bag) {
	for _, n := range words {
		r := rates[n]
		r.all++
		if others.has(n) {
			r.yes++
		}
		rates[n] = r
	}
}

// missing returns how often those words that others don't have are there else; names count by so much, numbers and
// years whole.
func (s *sides) missing(rates map[int32]rate, words, others bag, names float64) float64 {
	most := 0.0
	for _, n := range words {
		if r, ok := rates[n]; ok && !others.has(n) {
			often := r.often()
			if !hasDigit(s.words.words[n]) {
				often *= names
			}
			most = max(most, often)
		}
	}
	return most
}

// refine adds what was learned to the evidence of an old page's candidates.
func (s *sides) refine(i int, list []scored) {
	l := &s.learned
	old := &s.old[i]
	none := s.goneOf(i, list)
	expected := l.goneAll.without(none, goneAnyway)
	more := max(0, l.gone[old.place].without(none, expected)-expected)
	texts := usual(l.drift.texts, l.drift.texted, 0.3)
	seldom := [2]float64{l.drift.seldom(0), l.drift.seldom(1)}
	shares := make([]float64, len(list))
	for k := range list {
		c := &list[k]
		e := &c.evidence
		new := &s.new[c.page]
		e[goneHere] = expected
		e[namesStay] = seldom[int(e[titled])] * (1 - sameName(e))
		e[textUnusual] = e[texted] * max(0, texts-e[textAlike])
		if len(old.ids) > 0 && len(new.ids) > 0 && e[idEqual] == 0 {
			e[idDiffers] = l.idKept
		}
		shares[k] = l.went(old, new, e)
		if e[titleEqual] > 0 { // where nothing tells which of several it is, each may be, and it isn't gone for that
			e[titleShared] = s.sharedTitle(old, new) * is(shares[k] > 0)
		}
		e[ahead], e[beaten] = 0, 0
		e[goneAround] = more * (1 - max(e[titleUnique], e[slugUnique], e[homes]))
		e[taken] = is(e[titleEqual] == 0 && new.raw != "" && len(s.oldTitles[new.raw]) > 0)
		unproven := 1 - max(0, min(1, 2*e[placed])) // where pages of the place go there, names of folders may change
		e[folderLost] = s.missing(l.stays, old.all, new.all, unproven)
		e[folderNew] = s.missing(l.was, new.all, old.all, unproven)
	}
	whichTitled(list, shares)
}

// contend adds to the evidence of an old page's candidates which other old pages suit them better, or as well.
func (s *sides) contend(i int, list []scored) {
	several := float64(len(s.old)) / float64(len(s.old)+5) // to be first of a few says little
	for k := range list {
		c := &list[k]
		other := noRival
		for _, r := range s.learned.rivals[c.page] {
			if int(r.old) != i && !(s.twins(i, int(r.old)) && math.Abs(r.score-c.score) < 0.5) {
				other = r.score
				break
			}
		}
		c.evidence[ahead] = several * max(-1, min(1, (c.score-other)/5))
		c.evidence[unclaimed] = max(0, c.evidence[ahead]) * s.learned.spare * c.evidence[namesStay]
		c.evidence[beaten] = is(other > c.score+0.01)
	}
}

// twins reports whether two old pages are named the same: perhaps they are one page at two addresses, which are no
// rivals.
func (s *sides) twins(i, j int) bool {
	a, b := &s.old[i], &s.old[j]
	if a.raw != "" || b.raw != "" {
		return a.raw == b.raw
	}
	return a.last != "" && a.last == b.last
}

// rival is an old page that suits a new one.
type rival struct {
	old   int32
	score float64
}

// The bounds of what is known of rivals.
const (
	mostRivals = 6
	noRival    = -5.0 // the score of one that there isn't
)

// compete notes for each new page which old pages suit it best, in their order.
func (s *sides) compete(all [][]scored) {
	s.learned.rivals = make([][]rival, len(s.new))
	for i, list := range all {
		for _, c := range list {
			best := s.learned.rivals[c.page]
			at := len(best)
			for at > 0 && c.score > best[at-1].score {
				at--
			}
			if c.score > noRival && at < mostRivals {
				s.learned.rivals[c.page] = slices.Insert(best[:min(len(best), mostRivals-1)], at, rival{int32(i), c.score})
			}
		}
	}
}

// reasons says in words what speaks for a candidate, and against.
func (s *sides) reasons(i int, c scored) []string {
	e := &c.evidence
	old, new := &s.old[i], &s.new[c.page]
	var list []string
	add := func(format string, args ...any) { list = append(list, fmt.Sprintf(format, args...)) }
	if e[idEqual] > 0.3 {
		add("same id %s", s.sameID(old, new))
	}
	switch {
	case e[titleEqual] > 0:
		add("same title")
	case e[signsDiffer] > 0:
		add("title differs in signs alone")
	case e[titleHead] > 0:
		add("title is the beginning of the other, up to a dash or colon")
	case e[titleBegins] > 0:
		add("title begins alike, and was cut off")
	case e[titleAlike] >= 0.1:
		add("title %d %% alike", percent(e[titleAlike]))
	}
	if e[headingAlike] > 0.5 {
		add("heading %d %% alike", percent(e[headingAlike]))
	}
	switch {
	case e[slugEqual] > 0:
		add("same last segment")
	case e[slugAlike] > 0.995:
		add("same words in the last segment")
	case e[slugAlike] > 0.3:
		add("last segment %d %% alike", percent(e[slugAlike]))
	}
	if e[titled] == 0 && e[crossAlike] > 0.3 {
		add("title and address %d %% alike", percent(e[crossAlike]))
	}
	if e[textAlike] > 0.2 {
		add("text %d %% alike", percent(e[textAlike]))
	}
	if e[yearEqual] > 0 {
		add("same year")
	}
	if e[dateEqual] > 0 {
		add("same date")
	}
	if n := s.learned.told[move{old.place, new.place}]; n > 0 {
		add("%s -> %s as was decided for %d", placeName(old.place), placeName(new.place), n)
	} else if others := s.learned.places.pairs[move{old.place, new.place}]; others > 1 && old.place != new.place &&
		e[placed] > 0 {
		add("%s -> %s as %d others", placeName(old.place), placeName(new.place), others)
	}
	if e[yearDiffers] > 0 {
		add("but another year")
	}
	if e[numberDiffers] > 0 {
		add("but another number")
	}
	if e[beaten] > 0 {
		add("but another old page suits it better")
	}
	if e[foreignLanguage] > 0 {
		add("but in %s, as nothing in %s was found", new.language, old.language)
	}
	return list
}

func percent(x float64) int { return int(math.Round(100 * x)) }

// placeName is how a place is shown: its folders, or else its kind, or else the root.
func placeName(place string) string {
	kind, folders, _ := strings.Cut(place, "/")
	return cmp.Or(folders, kind, "/")
}
