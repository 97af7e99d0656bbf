package report

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"young-compass/internal/finding"
	"young-compass/internal/probe"
	"young-compass/internal/step"
)

// oldAddresses answers whether nobody with an old address is lost.
func oldAddresses(e *step.Evidence, ways []way) Answer {
	a := Answer{Question: "Is every old address answered in one hop?"}
	old, one, told, more, lost := 0, 0, 0, 0, 0
	for _, w := range ways {
		if w.itself {
			continue
		}
		old++
		switch {
		case w.ending == nothing || w.ending == endless:
			lost++
		case w.hops > 1:
			more++
		case w.ending == gone:
			told++
		default:
			one++
		}
	}
	switch {
	case old == 0:
		a.Verdict, a.Figure, a.Text = Unknown, "none", "The address book knows no old address yet."
		return a
	case lost == 0 && more == 0:
		a.Verdict = Yes
	case lost == 0:
		a.Verdict = Partly
	default:
		a.Verdict = No
	}
	a.Figure = fmt.Sprintf("%d of %d", one+told, old)
	a.Text = fmt.Sprintf("%d lead to their page in one hop", one)
	if told > 0 {
		a.Text += fmt.Sprintf(", %d say that the page is gone", told)
	}
	if more > 0 {
		a.Text += fmt.Sprintf(", %d need several hops", more)
	}
	if lost > 0 {
		a.Text += fmt.Sprintf(", %d lead to nothing", lost)
	}
	a.Text += ", as the plan says."
	a.Seen = seen(e, probe.Redirects, func(n int) string {
		if n == 0 {
			return "the site answers so"
		}
		return plural(n, "finding", "findings") + " against it"
	})
	n, ok := against(e, probe.Redirects)
	if ok && n > 0 && a.Verdict == Yes {
		a.Verdict = Partly
	}
	if !ok || n > 0 || !current(e, probe.Redirects) {
		a.Figure += " by the plan"
	}
	return a
}

// duplicates answers whether each page has one address.
func duplicates(e *step.Evidence, ways []way) Answer {
	a := Answer{Question: "Does every duplicate resolve to one address?"}
	live, twice := 0, 0
	for _, w := range ways {
		switch {
		case w.itself:
			live++
		case w.hops == 0 && w.ending == atPage && w.page.Key != "":
			twice++
		}
	}
	asked, wrong, old, part := 0, 0, 0, 0
	for _, kind := range []string{probe.Hosts, probe.Canonicals, probe.Parameters} {
		n, ok := against(e, kind)
		switch {
		case !ok:
			continue
		case !current(e, kind):
			old++
		case e.Proofs[kind].Sample > 0:
			part++
		}
		asked++
		wrong += n
	}
	a.Figure = plural(live, "page", "pages")
	a.Text = "By the plan each page has one address, and every other spelling leads there."
	if twice > 0 {
		a.Text = "By the plan " + plural(twice, "further address shows", "further addresses show") + " a page without leading to its one address."
	}
	switch {
	case asked == 0:
		a.Verdict, a.Seen = Unknown, "The site wasn't asked yet: young-compass probe"
	case wrong > 0:
		a.Verdict, a.Figure = No, plural(wrong, "finding", "findings")
	case old > 0:
		a.Verdict = Unknown
	case twice > 0 || part > 0 || asked < 3:
		a.Verdict = Partly
	default:
		a.Verdict = Yes
	}
	if asked > 0 {
		a.Seen = seen(e, probe.Canonicals, func(n int) string { return plural(n, "finding", "findings") + " about canonical links" })
	}
	return a
}

// visitsSafe answers which share of the visits finds something.
func visitsSafe(e *step.Evidence) Answer {
	a := Answer{Question: "What share of visits is safe?"}
	if e.Coverage == nil || e.Coverage.Visits == 0 {
		a.Verdict, a.Figure = Unknown, "?"
		a.Text = "No logs were gathered: young-compass gather access.log"
		return a
	}
	share, _ := e.Coverage.Percent()
	a.Figure = fmt.Sprintf("%.1f %%", share)
	a.Text = fmt.Sprintf("The plan answers %d of %d visits in the logs", e.Coverage.AnsweredVisits, e.Coverage.Visits)
	switch n := len(e.Coverage.Lost); {
	case n == 0:
		a.Verdict = Yes
		a.Text += "; no address that people ask for is forgotten."
	default:
		a.Verdict = Partly
		a.Text += "; " + plural(n, "address is", "addresses are") + " forgotten."
	}
	return a
}

// against counts what a probe found against the site, notes aside. It reports whether the site was asked.
func against(e *step.Evidence, kind string) (n int, asked bool) {
	p, ok := e.Proofs[kind]
	if !ok || p.Origin != e.Plan.Site.Origin.String() {
		return 0, false
	}
	for _, f := range p.Findings {
		if f.Severity.AtLeast(finding.Warning) {
			n++
		}
	}
	return n, true
}

// current reports whether a probe asked the site with the plan as it is.
func current(e *step.Evidence, kind string) bool { return e.Proofs[kind].Plan == e.Sum }

// seen says what the site showed, when it was asked, and whether of another plan.
func seen(e *step.Evidence, kind string, say func(n int) string) string {
	n, ok := against(e, kind)
	if !ok {
		return "The site wasn't asked yet: young-compass probe " + kind
	}
	p := e.Proofs[kind]
	text := p.When.UTC().Format(time.DateOnly) + ": " + say(n)
	if len(p.At) > 0 {
		text += ", asked at " + shown(p.At[0])
	}
	if p.Sample > 0 {
		text += fmt.Sprintf(", a sample of %d", p.Sample)
	}
	if !current(e, kind) {
		text += "; the plan changed since: young-compass probe " + kind
	}
	return text + "."
}

// mostNext is how many things to do next are named.
const mostNext = 3

// todo returns what to do next: the costliest causes of trouble, then the next steps of the jobs.
func todo(e *step.Evidence, groups []*finding.Group) (list []Todo, err error) {
	for _, g := range groups {
		if len(list) == mostNext || !g.Severity.AtLeast(finding.Warning) {
			break
		}
		what := fmt.Sprintf("%s (%s", strings.TrimSuffix(g.What, "."), plural(len(g.Findings), "time", "times"))
		if g.Visits > 0 {
			what += ", " + plural(g.Visits, "visit", "visits")
		}
		list = append(list, Todo{What: what + ")", Why: shown(g.Why), Do: capital(shown(cmp.Or(g.Advice, g.Mend))),
			Code: g.Code, Severity: g.Severity})
	}
	taken := map[string]bool{}
	for _, job := range step.Jobs() {
		all, err := step.Judge(e, job)
		if err != nil {
			return nil, err
		}
		n := step.Next(all)
		if n == nil || len(list) == mostNext || taken[n.ID] || n.State == step.Failing { // what fails is a finding
			continue
		}
		taken[n.ID] = true
		why := n.Why
		if why == "" {
			why = "the next step of the job " + job
		}
		do := "young-compass steps " + job
		if n.Command != "" {
			do = "young-compass " + n.Command
		}
		list = append(list, Todo{What: capital(n.What), Why: shown(why), Do: do})
	}
	return list, nil
}

// capital begins a text with a capital letter.
func capital(s string) string {
	if s == "" {
		return ""
	}
	return strings.ToUpper(s[:1]) + s[1:]
}
