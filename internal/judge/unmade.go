package judge

import (
	"fmt"

	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
)

// namedUnmade is how many addresses a finding about unmade pages shows.
const namedUnmade = 5

// Unmade finds the live pages that have moved within the plan, and for which it doesn't say what makes them at their
// new addresses.
func Unmade(p *plan.Plan) []finding.Finding {
	formers := p.Book.Formers()
	f := finding.Finding{Code: finding.UnmadePages, Severity: finding.Note, Where: finding.Place{File: p.File}}
	n := 0
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		was, moved := formers[page.Ref]
		current, ok := p.CurrentAddress(page.Ref)
		if page.State != inventory.Live || !moved || !ok || was.Path == current.Path && was.Query == current.Query {
			continue
		}
		answer, err := p.Answer(plan.Request{Method: "GET", Address: current})
		if err != nil || answer.Outcome != plan.Served || answer.Internal != "" {
			continue
		}
		if n++; n <= namedUnmade {
			f.Evidence = append(f.Evidence, fmt.Sprintf("%s, which was %s", current.Local(), was.Local()))
		}
	}
	if n == 0 {
		return nil
	}
	f.What = fmt.Sprintf("%d pages have new addresses, and the plan doesn't say what makes them there", n)
	f.Why = "where the content system doesn't answer at the new addresses, all redirects lead to an error"
	f.Advice = "switch the content system's own setting for addresses; else name its script as front-controller, or write rules " +
		"with serve: (docs/plan.md)"
	return []finding.Finding{f}
}
