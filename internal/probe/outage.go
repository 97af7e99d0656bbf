package probe

import (
	"cmp"
	"fmt"
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
)

// outage is why nothing of a host can be asked.
type outage struct {
	origin  address.Address
	failure fetch.Failure
}

// outages are the addresses that don't answer for such a reason: one finding tells of all.
type outages map[outage]*unanswered

type unanswered struct {
	n       int
	problem string // of the first
	first   finding.Place
	some    []string
}

// add takes up an address that doesn't answer. It reports false where the reason is the address's own.
func (o outages) add(at address.Address, place finding.Place, failure fetch.Failure, problem string) bool {
	switch failure {
	case fetch.NoName, fetch.Closed, fetch.Certificate, fetch.GivenUp:
	default:
		return false
	}
	key := outage{at.Origin(), failure}
	u := o[key]
	if u == nil {
		u = &unanswered{problem: problem, first: place}
		o[key] = u
	}
	if u.n++; len(u.some) < maxEvidence {
		u.some = append(u.some, cmp.Or(place.URL, at.String()))
	}
	return true
}

// findings returns one for each reason.
func (o outages) findings() (found []finding.Finding) {
	for key, u := range o {
		what := map[fetch.Failure]string{fetch.NoName: "its name leads nowhere", fetch.Closed: "nobody listens there",
			fetch.Certificate: "its certificate is not valid: " + u.problem,
			fetch.GivenUp:     fmt.Sprintf("it left %d requests in a row without an answer, and isn't asked any more", fetch.GiveUp)}[key.failure]
		advice := map[fetch.Failure]string{
			fetch.NoName:      "look at the name and its DNS; --at ADDRESS:HTTPPORT,HTTPSPORT asks a server before the name leads there",
			fetch.Closed:      "look whether the server runs and listens on that port; --at says where else",
			fetch.Certificate: "have one made for this name; --ca FILE trusts one of your own, such as a staging server's",
			fetch.GivenUp:     "look whether it is overloaded, or keeps the program out; --rate asks more slowly",
		}[key.failure]
		f := finding.Finding{Code: finding.NoAnswer, Severity: finding.Error, Where: u.first,
			What: fmt.Sprintf("%s doesn't answer: %s", key.origin.Base(), address.Printable(what)), Advice: advice, Evidence: u.some}
		if u.n > 1 {
			f.What += fmt.Sprintf(" (%d addresses)", u.n)
		}
		found = append(found, f)
	}
	slices.SortFunc(found, func(a, b finding.Finding) int { return cmp.Compare(a.What, b.What) })
	return found
}

// Untold returns what the survey could not learn, as far as none of these sections tells it: whatever else they say, it
// is of a part of the site. Where one of them tells of addresses without an answer, it tells of all of those.
func (v *Survey) Untold(sections []*Section) (found []finding.Finding) {
	told := slices.ContainsFunc(sections, func(s *Section) bool {
		return slices.ContainsFunc(s.Findings, func(f finding.Finding) bool { return f.Code == finding.NoAnswer })
	})
	silent := outages{}
	type trouble struct {
		at     address.Address // the origin
		status int             // 0: no answer
	}
	troubles := map[trouble]*finding.Finding{}
	counts := map[trouble]int{}
	for _, a := range v.Web.Sorted() {
		p := v.Web[a]
		if p.Failure == "" && p.Status < 500 || p.Failure != "" && (told || silent.add(a, finding.Place{URL: a.String()},
			p.Failure, p.Problem)) {
			continue
		}
		t := trouble{a.Origin(), p.Status}
		if troubles[t] == nil {
			what := fmt.Sprintf("%s answers %d, so nothing is known of what it shows", t.at.Base(), t.status)
			if p.Failure != "" {
				what = t.at.Base() + " doesn't answer: " + address.Printable(p.Problem)
			}
			troubles[t] = &finding.Finding{Code: finding.NoAnswer, Severity: finding.Error,
				Where: finding.Place{URL: a.String()}, What: what, Advice: "ask again; if it stays so, look at the server"}
		}
		if counts[t]++; counts[t] <= maxEvidence {
			troubles[t].Evidence = append(troubles[t].Evidence, a.String())
		}
	}
	for t, f := range troubles {
		if n := counts[t]; n > 1 {
			f.What += fmt.Sprintf(" (%d addresses)", n)
		}
		found = append(found, *f)
	}
	shown := false
	for _, p := range v.Web {
		shown = shown || p.Status >= 200 && p.Status < 300
	}
	if len(v.Web) > 0 && !shown && len(troubles)+len(silent) == 0 && !told {
		found = append(found, finding.Finding{Code: finding.NoAnswer, Severity: finding.Error,
			Where: finding.Place{URL: v.Plan.Site.Origin.String()}, What: fmt.Sprintf("none of the %d addresses that were "+
				"asked shows anything: all redirect, or aren't there", len(v.Web)),
			Advice: "look whether this is the site, and whether --max lets the program come to its pages"})
	}
	if len(v.Web) == 0 {
		found = append(found, finding.Finding{Code: finding.NoAnswer, Severity: finding.Error,
			Where: finding.Place{URL: v.Plan.Site.Origin.String()}, What: "nothing of the site was asked",
			Advice: "look at --sample, at robots.txt where --obey-robots obeys it, and at what the project knows"})
	}
	found = append(found, silent.findings()...)
	finding.Sort(found)
	return found
}
