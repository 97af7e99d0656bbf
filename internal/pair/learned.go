package pair

import (
	"fmt"
	"math"
	"strings"
)

// learned is what the sure pairs say of all.
type learned struct {
	moves    map[move]int   // from a place to a place
	from     map[string]int // sure pairs by the old place
	to       map[string]int // by the new one
	kept     map[string]int // of from: with the last segment kept
	stays    map[int32]rate // of a word of folders: how often the new page has it too
	was      map[int32]rate // of a word of new folders: how often the old page had it
	pairs    int
	idTrust  float64 // how many pages with equal ids are alike otherwise
	idKept   float64 // how many sure pairs with ids have equal ones
	lead     []float64
	runnerUp []float64
	leader   []int32
}

// rate is how often something was so.
type rate struct{ yes, all int }

// often returns the rate, a little below what was seen while that is little.
func (r rate) often() float64 { return float64(r.yes) / float64(r.all+1) }

// move is from one place to another.
type move struct{ from, to string }

// sure is the confidence from which a pair teaches.
const sure = 0.9

// learn learns from the pairs that are sure without it.
func (s *sides) learn(all [][]scored) {
	l := learned{moves: map[move]int{}, from: map[string]int{}, to: map[string]int{}, kept: map[string]int{},
		stays: map[int32]rate{}, was: map[int32]rate{}}
	equal, trusted, both, kept := 1.0, 0.5, 1.0, 0.5 // as if one had been seen
	for i, list := range all {
		for _, c := range list {
			if c.evidence[idEqual] > 0 {
				equal++
				trusted += is(max(c.evidence[titleAlike], c.evidence[slugAlike], c.evidence[textAlike]) > 0.4)
			}
		}
		if len(list) == 0 || list[0].confidence < sure {
			continue
		}
		best := list[0]
		from, to := s.old[i].place, s.new[best.page].place
		l.moves[move{from, to}]++
		l.from[from]++
		l.to[to]++
		l.pairs++
		if best.evidence[slugEqual] > 0 {
			l.kept[from]++
		}
		count(l.stays, s.old[i].folders, s.new[best.page].all)
		count(l.was, s.new[best.page].folders, s.old[i].all)
		if len(s.old[i].ids) > 0 && len(s.new[best.page].ids) > 0 {
			both++
			kept += best.evidence[idEqual]
		}
	}
	l.idTrust, l.idKept = trusted/equal, kept/both
	s.learned = l
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

// missing returns how often those words that others don't have are there else.
func missing(rates map[int32]rate, words, others bag) float64 {
	most := 0.0
	for _, n := range words {
		if r, ok := rates[n]; ok && !others.has(n) {
			most = max(most, r.often())
		}
	}
	return most
}

// refine adds what was learned to the evidence of an old page's candidates.
func (s *sides) refine(i int, list []scored) {
	l := &s.learned
	from := s.old[i].place
	for k := range list {
		c := &list[k]
		e := &c.evidence
		e[idSure] = e[idEqual] * l.idTrust
		if len(s.old[i].ids) > 0 && len(s.new[c.page].ids) > 0 {
			e[idDiffers] = (1 - e[idEqual]) * l.idKept
		}
		if n := l.from[from]; n > 0 {
			// A place that took none so far isn't out of the question.
			chance := (float64(l.to[s.new[c.page].place]) + 1) / float64(l.pairs+10)
			share := (float64(l.moves[move{from, s.new[c.page].place}]) + 2*chance) / float64(n+2)
			e[placed] = max(-1, min(1, math.Log(share/chance)/3))
			e[slugKept] = e[slugEqual] * float64(l.kept[from]) / float64(n)
		}
		e[folderLost] = missing(l.stays, s.old[i].all, s.new[c.page].all)
		e[folderNew] = missing(l.was, s.new[c.page].all, s.old[i].all)
		other := l.lead[c.page]
		if int(l.leader[c.page]) == i {
			other = l.runnerUp[c.page]
		}
		e[ahead] = max(-1, min(1, (c.score-other)/5))
		e[beaten] = is(other > c.score)
	}
}

// compete notes for each new page which old pages suit it best and second best.
func (s *sides) compete(all [][]scored) {
	l := &s.learned
	l.lead, l.runnerUp, l.leader = make([]float64, len(s.new)), make([]float64, len(s.new)), make([]int32, len(s.new))
	for i := range l.leader {
		l.lead[i], l.runnerUp[i], l.leader[i] = -5, -5, -1
	}
	for i, list := range all {
		for _, c := range list {
			switch n := c.page; {
			case c.score > l.lead[n]:
				l.lead[n], l.runnerUp[n], l.leader[n] = c.score, l.lead[n], int32(i)
			case c.score > l.runnerUp[n]:
				l.runnerUp[n] = c.score
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
	if e[idEqual] > 0 {
		for _, id := range old.ids {
			if len(s.byID[id]) == 1 && s.byID[id][0] == c.page {
				add("same id %s", id)
				break
			}
		}
	}
	switch {
	case e[titleEqual] > 0:
		add("same title")
	case e[signsDiffer] > 0:
		add("title differs in signs alone")
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
	if others := s.learned.moves[move{old.place, new.place}]; others > 1 && old.place != new.place && e[placed] > 0 {
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

// placeName is how a place is shown.
func placeName(place string) string {
	if kind, folders, ok := strings.Cut(place, "/"); !ok {
		return kind
	} else if folders != "" {
		return folders
	}
	return "/"
}
