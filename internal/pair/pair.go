// Package pair finds for each page of a former site the page of the new one that
// took its place, from what the two have in common: ids, titles, words of their
// addresses, text, dates, and the way in which other pages moved.
package pair

import (
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
)

// Page is what is known of a page on one side. Everything but the address, or
// the name, may be missing.
type Page struct {
	Address  address.Address
	Written  string        // the address as it was written
	Ref      inventory.Ref // in a project; else empty
	Language string        // BCP 47, in small letters; empty: unknown
	Kind     string
	Title    string
	Heading  string
	Text     string // of the body, or a summary
	Date     string // YYYY-MM-DD
	IDs      []string
	Visits   int // how often it was asked for; 0 also where nobody counted
	Line     int // in the file
}

// Home reports whether the page is a home page: its address is the root of the
// site or of a language.
func (p *Page) Home() bool {
	path := strings.Trim(p.Address.Path, "/")
	return p.Address.Query == "" && (path == "" || path == p.Language && path != "")
}

// Candidate is a page that may be the one in whose place another was.
type Candidate struct {
	New        int     // number of the new page
	Confidence float64 // probability that it is the one, from 0 to 1
	Reasons    []string
}

// Match is what was found for an old page.
type Match struct {
	Old        int
	Candidates []Candidate // best first; none with a confidence near 0
	Gone       float64     // how surely no new page took its place; never above 0.89 because nothing was found alone
	GoneWhy    []string    // what speaks for that
}

// even is the confidence from which a pair is proposed: below it, it is likelier that it is wrong.
const even = 0.5

// Best returns the best candidate; nil when it is likelier that it is not the one.
func (m *Match) Best() *Candidate {
	if len(m.Candidates) == 0 || m.Candidates[0].Confidence < even {
		return nil
	}
	return &m.Candidates[0]
}

// Doubtful reports whether a person should look: neither answer is surer than
// sure.
func (m *Match) Doubtful(sure float64) bool {
	if best := m.Best(); best != nil {
		return best.Confidence < sure
	}
	return m.Gone < sure
}

// shown is how many candidates a match keeps, and least how likely they are.
const (
	shown = 8
	least = 0.005
)

// Pairing is the evidence for all pairs of two sites that may be one, ready to be weighed.
type Pairing struct {
	s   *sides
	all [][]scored // the candidates of each old page
}

// New looks for candidates for each old page. progress, which may be nil, is called with how many were worked out.
func New(before, after []Page, progress func(n int)) *Pairing {
	p := &Pairing{s: newSides(before, after), all: make([][]scored, len(before))}
	each(len(before), func(i int, t *tally) { p.all[i] = p.s.candidates(i, t) }, p.s.tally, progress)
	return p
}

// Matches returns a match for each old page, in their order. What a person decided, by old page, teaches how the
// others moved.
func (p *Pairing) Matches(decided map[int]Decision) []Match {
	p.s.decided = decided
	p.s.rounds(p.all, [3]weights{firstWeights(), secondWeights(), finalWeights()}, nil)
	matches := make([]Match, len(p.all))
	for i := range p.all {
		matches[i] = p.s.match(i, p.all[i])
	}
	return matches
}

// Pair returns a match for each old page, in their order.
func Pair(before, after []Page, progress func(n int)) []Match {
	return New(before, after, progress).Matches(nil)
}

// rounds rates the candidates of all old pages: by what can be seen of two pages alone; then also by what the sure
// pairs say of the others; and at last by which other old pages suit the new one too. before, which may be nil, is
// called in front of each round.
func (s *sides) rounds(all [][]scored, by [3]weights, before func(round int)) {
	do := func(of func(i int)) { each(len(all), func(i int, _ *tally) { of(i) }, nil, nil) }
	for round := range by {
		switch round {
		case 1:
			s.learn(all)
			do(func(i int) { all[i] = s.further(i, all[i]); s.refine(i, all[i]) })
		case 2:
			s.learn(all)
			do(func(i int) { all[i] = s.further(i, all[i]) })
			s.compete(all)
			do(func(i int) { s.refine(i, all[i]); s.contend(i, all[i]) })
		}
		if before != nil {
			before(round)
		}
		do(func(i int) { s.rate(all[i], &by[round]) })
	}
}

func (s *sides) tally() *tally { return &tally{weight: make([]float32, len(s.new))} }

// each calls do for every number below n, on all processors, each with a tally of
// its own that room makes; none where room is nil.
func each(n int, do func(i int, t *tally), room func() *tally, progress func(n int)) {
	const block = 64
	var all sync.WaitGroup
	var lock sync.Mutex
	next := 0
	for range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			var t *tally
			if room != nil {
				t = room()
			}
			for {
				lock.Lock()
				from := next
				next = min(n, from+block)
				to := next
				if progress != nil && to > from {
					progress(to - from)
				}
				lock.Unlock()
				if from == to {
					return
				}
				for i := from; i < to; i++ {
					do(i, t)
				}
			}
		})
	}
	all.Wait()
}

// match makes the result for an old page of its candidates.
func (s *sides) match(i int, list []scored) Match {
	gone, why := s.gone(i, list)
	m := Match{Old: i, Gone: written(gone), GoneWhy: why}
	for _, c := range list {
		if len(m.Candidates) < shown && c.confidence >= least {
			m.Candidates = append(m.Candidates, Candidate{New: int(c.page), Confidence: written(c.confidence),
				Reasons: s.reasons(i, c)})
		}
	}
	return m
}

// written returns a confidence as lists have it, in thousandths, so that what is sure here is sure where they are read.
func written(confidence float64) float64 { return math.Floor(1000*confidence+1e-6) / 1000 }

// scored is a candidate with its evidence.
type scored struct {
	page       int32
	evidence   evidence
	score      float64
	confidence float64
}

// rate gives each candidate its probability by weights, and sorts them.
func (s *sides) rate(list []scored, w *weights) {
	top := 0.0 // the score of none
	for k := range list {
		list[k].score = w.score(&list[k].evidence)
		top = max(top, list[k].score)
	}
	sum := math.Exp(-top)
	for k := range list {
		sum += math.Exp(list[k].score - top)
	}
	for k := range list {
		list[k].confidence = math.Exp(list[k].score-top) / sum
	}
	slices.SortStableFunc(list, func(a, b scored) int {
		switch {
		case a.score > b.score:
			return -1
		case a.score < b.score:
			return 1
		}
		return int(a.page - b.page)
	})
}
