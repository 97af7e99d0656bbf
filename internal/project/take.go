package project

import (
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/redirect"
)

// Taken is a project's map after redirects were taken in.
type Taken struct {
	List     *redirect.List // flat, sorted
	Data     []byte         // the list as redirects.csv
	Added    int
	Replaced int
	Known    int // rows that say what one before says
	Changed  int // rows that weren't there before
}

// Take puts redirects into a plan's map, and keeps it flat and sorted. Where a row contradicts one that is there,
// choose decides. Findings say why nothing can be taken in; no answer of the plan changes but those for the sources of
// the rows, and for what leads there.
func Take(p *plan.Plan, more *redirect.List, choose redirect.Choose) (Taken, []finding.Finding, error) {
	if found := redirect.Refused(redirect.Check(more, p.With(more).World())); len(found) > 0 {
		return Taken{}, found, nil
	}
	if redirect.Shares(p.Redirects, more, p.World()) { // that lead to the same in the end, perhaps
		more = redirect.Straighten(more, p.Redirects.Len(), p.With(redirect.Together(p.Redirects, more)).World())
	}
	merged, found, err := redirect.Merge(p.Redirects, more, p.World(), choose)
	if err != nil || len(found) > 0 {
		return Taken{}, found, err
	}
	flat, found := redirect.Flatten(merged.List, p.With(merged.List).World(), redirect.Exact)
	if flat == nil {
		return Taken{}, found, nil
	}
	taken := Taken{List: flat.Sorted(), Added: merged.Added, Replaced: merged.Replaced, Known: merged.Known,
		Changed: flat.NewIn(p.Redirects)}
	taken.Data = taken.List.Encode()
	return taken, nil, nil
}
