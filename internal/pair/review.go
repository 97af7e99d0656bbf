package pair

import (
	"cmp"
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

	// Anew works the matches out anew by what was decided; nil: they stay as they are.
	Anew func(decided map[int]Decision) []Match

	undo []undone
}

// undone is what a decision replaced.
type undone struct {
	at      int
	matches []replaced
}

// replaced is what was decided of a match before.
type replaced struct {
	match  int
	before Decision
	had    bool
}

// NewReview returns a review of the matches that are less sure than told, or were decided before: the most visited
// first, and then the most doubtful. It begins at the first that isn't decided.
func NewReview(before, after []Page, matches []Match, sure float64, decided map[int]Decision) *Review {
	r := &Review{Before: before, After: after, Matches: matches, Decided: decided}
	for i := range r.Matches {
		if _, done := decided[i]; done || r.Matches[i].Doubtful(sure) {
			r.Doubtful = append(r.Doubtful, i)
		}
	}
	slices.SortStableFunc(r.Doubtful, func(a, b int) int {
		return cmp.Or(cmp.Compare(before[b].Visits, before[a].Visits),
			cmp.Compare(r.Matches[a].surest(), r.Matches[b].surest()))
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

// Decide notes what is said of the match that is looked at, learns from it for the others, and goes on to the next
// that isn't decided.
func (r *Review) Decide(d Decision) {
	if len(r.Doubtful) > 0 {
		r.decide([]int{r.Doubtful[r.At]}, func(int) Decision { return d })
	}
}

// DecideFamily notes for each of the match that is looked at and its Family that its best candidate took its place, or
// that it is gone. It returns how many they are.
func (r *Review) DecideFamily(gone bool) int {
	if len(r.Doubtful) == 0 {
		return 0
	}
	var family []int
	for _, m := range append([]int{r.Doubtful[r.At]}, r.Family()...) {
		if gone || len(r.Matches[m].Candidates) > 0 {
			family = append(family, m)
		}
	}
	r.decide(family, func(m int) Decision {
		if gone {
			return Decision{Gone: true}
		}
		return Decision{New: r.Matches[m].Candidates[0].New}
	})
	return len(family)
}

// learnable is of how many old pages, at most, the matches are worked out anew after each decision: so many take a
// moment.
const learnable = 5000

func (r *Review) decide(matches []int, of func(m int) Decision) {
	undo := undone{at: r.At}
	for _, m := range matches {
		before, had := r.Decided[m]
		undo.matches = append(undo.matches, replaced{m, before, had})
	}
	for _, m := range matches {
		r.Decided[m] = of(m)
	}
	r.undo = append(r.undo, undo)
	r.learn()
	for k := range r.Doubtful {
		next := (r.At + 1 + k) % len(r.Doubtful)
		if _, done := r.Decided[r.Doubtful[next]]; !done {
			r.At = next
			return
		}
	}
}

// learn works the matches out anew by what was decided.
func (r *Review) learn() {
	if r.Anew != nil && len(r.Before) <= learnable {
		r.Matches = r.Anew(r.Decided)
	}
}

// Family returns the other matches that aren't decided and look like the one that is looked at: their old pages are in
// the same folder, with titles, or last segments, that are the same but for numbers, and so are their best candidates.
func (r *Review) Family() []int {
	if len(r.Doubtful) == 0 {
		return nil
	}
	var family []int
	own := r.kin(r.Doubtful[r.At])
	for _, m := range r.Doubtful {
		if _, done := r.Decided[m]; !done && m != r.Doubtful[r.At] && r.kin(m) == own {
			family = append(family, m)
		}
	}
	return family
}

// kin describes a match without its numbers.
func (r *Review) kin(m int) string {
	text := kinOf(&r.Before[m])
	if list := r.Matches[m].Candidates; len(list) > 0 {
		text += " -> " + kinOf(&r.After[list[0].New])
	}
	return text
}

func kinOf(p *Page) string {
	folders, last := segments(p.Address)
	if p.Title != "" {
		last = p.Title
	}
	shape, _ := shapeOf(last)
	return folders + "/" + shape
}

// Against says why the candidate that is looked at comes behind the best one: what speaks for that and not for it, and
// what speaks against it alone. Empty for the best itself.
func (m *Match) Against(candidate int) string {
	if candidate <= 0 || candidate >= len(m.Candidates) {
		return ""
	}
	best, own := m.Candidates[0].Reasons, m.Candidates[candidate].Reasons
	var list []string
	for _, reason := range best {
		if !slices.Contains(own, reason) && !strings.HasPrefix(reason, "but ") {
			list = append(list, "the first has "+reason)
		}
	}
	for _, reason := range own {
		if strings.HasPrefix(reason, "but ") && !slices.Contains(best, reason) {
			list = append(list, reason)
		}
	}
	return strings.Join(list, "; ")
}

// Undo takes the last decision back, that of a family whole, and goes there; false when there is none.
func (r *Review) Undo() bool {
	if len(r.undo) == 0 {
		return false
	}
	last := r.undo[len(r.undo)-1]
	r.undo = r.undo[:len(r.undo)-1]
	for _, m := range last.matches {
		if m.had {
			r.Decided[m.match] = m.before
		} else {
			delete(r.Decided, m.match)
		}
	}
	r.learn()
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
