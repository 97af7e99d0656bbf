package pair

import (
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Decision is what a person says of an old page.
type Decision struct {
	New  int // the new page
	Gone bool
}

// Review is a person's way through the doubtful matches.
type Review struct {
	Before, After []Page
	Matches       []Match
	Doubtful      []int            // matches to look at, the most doubtful first
	Decided       map[int]Decision // by match
	At            int              // position in Doubtful

	undo []undone
}

// undone is what a decision replaced.
type undone struct {
	at, match int
	before    Decision
	had       bool
}

// NewReview returns a review of the matches that are less sure than told, or were
// decided before; it begins at the first that isn't decided.
func NewReview(before, after []Page, matches []Match, sure float64, decided map[int]Decision) *Review {
	r := &Review{Before: before, After: after, Matches: matches, Decided: decided}
	for i := range matches {
		if _, done := decided[i]; done || matches[i].Doubtful(sure) {
			r.Doubtful = append(r.Doubtful, i)
		}
	}
	slices.SortStableFunc(r.Doubtful, func(a, b int) int {
		x, y := matches[a].surest(), matches[b].surest()
		switch {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	})
	r.At = max(0, slices.IndexFunc(r.Doubtful, func(m int) bool { _, done := decided[m]; return !done }))
	return r
}

// surest returns how sure the better answer is.
func (m *Match) surest() float64 {
	if len(m.Candidates) == 0 {
		return m.Gone
	}
	return max(m.Gone, m.Candidates[0].Confidence)
}

// Match returns the match that is looked at; nil when there is none.
func (r *Review) Match() *Match {
	if len(r.Doubtful) == 0 {
		return nil
	}
	return &r.Matches[r.Doubtful[r.At]]
}

// Left returns how many are still to be decided.
func (r *Review) Left() int {
	n := 0
	for _, m := range r.Doubtful {
		if _, done := r.Decided[m]; !done {
			n++
		}
	}
	return n
}

// Decide notes what is said of the match that is looked at, and goes on to the
// next that isn't decided.
func (r *Review) Decide(d Decision) {
	if len(r.Doubtful) == 0 {
		return
	}
	m := r.Doubtful[r.At]
	before, had := r.Decided[m]
	r.undo = append(r.undo, undone{r.At, m, before, had})
	r.Decided[m] = d
	for k := range r.Doubtful {
		next := (r.At + 1 + k) % len(r.Doubtful)
		if _, done := r.Decided[r.Doubtful[next]]; !done {
			r.At = next
			return
		}
	}
}

// Undo takes the last decision back and goes there; false when there is none.
func (r *Review) Undo() bool {
	if len(r.undo) == 0 {
		return false
	}
	last := r.undo[len(r.undo)-1]
	r.undo = r.undo[:len(r.undo)-1]
	if last.had {
		r.Decided[last.match] = last.before
	} else {
		delete(r.Decided, last.match)
	}
	r.At = last.at
	return true
}

// Move goes some matches on, or back, without deciding.
func (r *Review) Move(by int) {
	if n := len(r.Doubtful); n > 0 {
		r.At = ((r.At+by)%n + n) % n
	}
}

// Search returns new pages that hold all words in title, kind, language or path, the first
// few in their order. Signs don't count, nor capitals and accents.
func (r *Review) Search(words string, most int) []int {
	var wanted []string
	split(words, func(word string) { wanted = append(wanted, word) })
	if len(wanted) == 0 {
		return nil
	}
	var found []int
	for i := range r.After {
		var have []string
		split(r.After[i].Title+" "+r.After[i].Kind+" "+r.After[i].Language+" "+address.Decode(r.After[i].Address.Path),
			func(word string) { have = append(have, word) })
		all := !slices.ContainsFunc(wanted, func(w string) bool {
			return !slices.ContainsFunc(have, func(h string) bool { return strings.HasPrefix(h, w) })
		})
		if all {
			if found = append(found, i); len(found) == most {
				break
			}
		}
	}
	return found
}
