package coverage

import (
	"errors"

	"young-compass/internal/address"
	"young-compass/internal/plan"
	"young-compass/internal/redirect"
)

// Fold is a proposal: a pattern that takes the place of rows, and what it changes.
type Fold struct {
	redirect.Fold
	Others []Known // known addresses that nobody listed, and that the pattern leads elsewhere
	Visits int     // of these
}

// Folds proposes patterns for the rows of a plan's redirects. With them, each row's address is answered as before; what
// changes is the answer to addresses that nobody listed, such as those of the known ones that it returns.
func Folds(p *plan.Plan, known []Known) []Fold {
	folds := p.Redirects.Folds()
	for { // a proposal that goes may have kept another one's rows from being answered as before
		with := p.With(p.Redirects.Folded(folds))
		kept := staying(p, with, folds)
		if len(kept) == len(folds) {
			return judged(p, with, folds, known)
		}
		folds = kept
	}
}

// staying returns the folds with which every row of the list is answered as before: their own, and others, whose targets
// a pattern may read.
func staying(p, with *plan.Plan, folds []redirect.Fold) []redirect.Fold {
	drop, mine := make([]bool, len(folds)), map[int]int{}
	for i, f := range folds {
		for _, row := range f.Rows {
			mine[row] = i
		}
	}
	patterns := with.Redirects.Patterns()
	patterns = patterns[len(patterns)-len(folds):]
	before, after := p.Answerer(), with.Answerer()
	for row, r := range p.Redirects.All() {
		at, err := address.Resolve(p.Site.Origin, r.From)
		if r.Pattern != nil || err != nil {
			continue
		}
		for _, method := range []string{"GET", "POST"} {
			was, now, same := twoAnswers(before, after, plan.Request{Method: method, Address: at})
			if same {
				continue
			}
			if i, ok := mine[row]; ok {
				drop[i] = true
				continue
			}
			found := false
			for i := range folds {
				for _, to := range []string{was.To, now.To} {
					if a, err := address.Parse(to); err == nil {
						_, reads := patterns[i].Reader.ReadPath(a.Path, p.Paths.Lower)
						drop[i], found = drop[i] || reads, found || reads
					}
				}
			}
			for i := range drop { // rather none than a wrong one
				drop[i] = drop[i] || !found
			}
		}
	}
	var kept []redirect.Fold
	for i, f := range folds {
		if !drop[i] {
			kept = append(kept, f)
		}
	}
	return kept
}

// twoAnswers answers a request by two plans.
func twoAnswers(before, after *plan.Answerer, r plan.Request) (was, now plan.Answer, same bool) {
	was, err := before.Answer(r)
	if err != nil {
		return was, now, true // it went round in a circle before
	}
	if now, err = after.Answer(r); err != nil {
		return was, now, false
	}
	return was, now, was.Outcome == now.Outcome && was.Status == now.Status && was.To == now.To
}

// judged finds the known addresses whose answers change.
func judged(p, with *plan.Plan, folds []redirect.Fold, known []Known) []Fold {
	list := make([]Fold, len(folds))
	for i, f := range folds {
		list[i] = Fold{Fold: f}
	}
	if len(list) == 0 {
		return nil
	}
	before, after := p.Answerer(), with.Answerer()
	patterns := with.Redirects.Patterns()
	patterns = patterns[len(patterns)-len(folds):]
	for _, k := range known {
		if !p.Site.Has(k.Address.Host) {
			continue
		}
		if _, _, same := twoAnswers(before, after, plan.Request{Method: "GET", Address: k.Address}); same {
			continue
		}
		for i := range list {
			if _, reads := patterns[i].Reader.ReadPath(address.MergeSlashes(k.Address.Path), p.Paths.Lower); reads {
				list[i].Others = append(list[i].Others, k)
				list[i].Visits += k.Visits
				break
			}
		}
	}
	return list
}

// Folded returns a plan's redirects with some of the proposals in them. The error says that they can't be had together.
func Folded(p *plan.Plan, chosen []Fold) (*redirect.List, error) {
	folds := make([]redirect.Fold, len(chosen))
	for i, c := range chosen {
		folds[i] = c.Fold
	}
	list := p.Redirects.Folded(folds)
	if len(staying(p, p.With(list), folds)) < len(folds) {
		return nil, errors.New("not all rows would be answered as before with these proposals together; take them one by one")
	}
	return list.Sorted(), nil
}
