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
	case fetch.NoName, fetch.Closed, fetch.Certificate:
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
			fetch.Certificate: "its certificate is not valid: " + u.problem}[key.failure]
		advice := map[fetch.Failure]string{
			fetch.NoName:      "look at the name and its DNS; --at ADDRESS:HTTPPORT,HTTPSPORT asks a server before the name leads there",
			fetch.Closed:      "look whether the server runs and listens on that port; --at says where else",
			fetch.Certificate: "have one made for this name; --ca FILE trusts one of your own, such as a staging server's",
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
