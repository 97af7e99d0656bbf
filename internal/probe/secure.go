package probe

import (
	"crypto/tls"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
)

// Certificate is what a host shows on https.
type Certificate struct {
	Host     string
	Failure  fetch.Failure
	Problem  string
	Names    []string
	Issuer   string
	From, To time.Time
	Chain    int // certificates that were sent
	Protocol string
}

// certificateOf reads what a host showed.
func certificateOf(host string, reply fetch.Reply, err error) Certificate {
	c := Certificate{Host: host, Failure: fetch.FailureOf(err)}
	if err != nil {
		c.Problem = err.Error()
		if c.Failure == fetch.Certificate {
			c.Problem = fetch.CertificateProblem(err)
		}
		return c
	}
	if t := reply.TLS; t != nil && len(t.PeerCertificates) > 0 {
		first := t.PeerCertificates[0]
		c.Names, c.Issuer, c.From, c.To, c.Chain, c.Protocol = first.DNSNames, first.Issuer.CommonName, first.NotBefore,
			first.NotAfter, len(t.PeerCertificates), tls.VersionName(t.Version)
	}
	return c
}

// aging reports whether a certificate ends within two weeks, and has less than a
// third of its time before it.
func (c Certificate) aging(now time.Time) bool {
	left := c.To.Sub(now)
	return !c.To.IsZero() && left < 14*24*time.Hour && left < c.To.Sub(c.From)/3
}

// halfYear is how long browsers should remember that a host is on https.
const halfYear = 180 * 24 * 3600

// judgeSecure looks at all that https needs.
func (v *Survey) judgeSecure(s *Section) {
	s.Certificates = v.Certificates
	for _, c := range v.Certificates {
		at := address.Address{Scheme: "https", Host: c.Host, Path: "/"}
		switch {
		case c.Failure == fetch.Certificate:
			s.add(finding.CertificateInvalid, finding.Error, at,
				fmt.Sprintf("the certificate of %s is not valid: %s", c.Host, address.Printable(c.Problem)),
				"browsers warn everybody away", "have one made for this name, and send all of its chain")
		case c.Failure != "":
			s.add(finding.NoHTTPS, finding.Error, at, fmt.Sprintf("%s doesn't answer on https (%s)", c.Host, c.Failure),
				"", "let the server listen there too")
		case c.aging(v.Now):
			s.add(finding.CertificateEnds, finding.Warning, at,
				fmt.Sprintf("the certificate of %s ends on %s", c.Host, c.To.UTC().Format(time.DateOnly)), "",
				"renew it")
		}
	}
	v.judgePlain(s)
	v.judgeMixed(s)
	home := v.Web[v.Plan.Site.Origin]
	if v.Plan.Site.Origin.Scheme == "https" && home != nil && home.Status == 200 {
		age, ok := maxAge(home.Header.Security)
		s.Counts = append(s.Counts, Count{"hsts", "seconds of Strict-Transport-Security", age})
		switch {
		case !ok:
			s.add(finding.NoHSTS, finding.Warning, v.Plan.Site.Origin,
				"the header Strict-Transport-Security isn't there",
				"a visitor's first request may go out on http, for anybody to read and change",
				"add Strict-Transport-Security: max-age=31536000 once all is on https")
		case age < halfYear:
			s.add(finding.ShortHSTS, finding.Note, v.Plan.Site.Origin,
				fmt.Sprintf("Strict-Transport-Security is for %d seconds only", age), "",
				"when all works, make it max-age=31536000")
		}
	}
}

// maxAge reads the header Strict-Transport-Security (RFC 6797 section 6.1).
func maxAge(header string) (int, bool) {
	for part := range strings.SplitSeq(header, ";") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		if strings.EqualFold(name, "max-age") {
			n, err := strconv.Atoi(strings.Trim(value, `"`))
			return n, err == nil
		}
	}
	return 0, false
}

// judgePlain looks at what addresses answer on http.
func (v *Survey) judgePlain(s *Section) {
	var stays, elsewhere, slow, temporary []address.Address
	ok := 0
	for _, a := range canonical.Web(v.Plain).Sorted() {
		p := v.Plain[a]
		secure := a
		secure.Scheme = "https"
		end := v.Web.Resolve(secure).End
		switch {
		case p.Failure == fetch.Closed:
			ok++ // nobody is there at all
		case p.Failure != "":
		case p.Status == 200:
			stays = append(stays, a)
		case p.To == (address.Address{}):
		case p.To.Scheme != "https":
			slow = append(slow, a)
		case p.To != secure && p.To != end:
			if next := v.Web[p.To]; next != nil && next.To != (address.Address{}) {
				slow = append(slow, a)
			} else {
				elsewhere = append(elsewhere, a)
			}
		case p.Status != 301 && p.Status != 308:
			temporary = append(temporary, a)
		default:
			ok++
		}
	}
	many := func(code finding.Code, severity finding.Severity, list []address.Address, what, why, advice string) {
		s.many(code, severity, list, fmt.Sprintf("%d %s", len(list), what), why, advice)
	}
	many(finding.NoHTTPSRedirect, finding.Error, stays, "addresses answer on http themselves",
		"every page is there twice, and can be read and changed on its way",
		"let http redirect to https; young-compass emit writes the rule")
	many(finding.HTTPSElsewhere, finding.Error, elsewhere, "addresses on http lead to another page on https",
		"visitors and search engines lose the page", "let each lead to itself on https")
	many(finding.HTTPSInSeveralHops, finding.Warning, slow, "addresses on http need more than one hop to https", "",
		"let the first hop lead to the end")
	many(finding.HTTPSTemporary, finding.Warning, temporary, "addresses on http lead to https with a temporary status",
		"", "use 301 or 308")
	s.Counts = append(s.Counts, Count{"http", "addresses asked on http", len(v.Plain)},
		Count{"to_https", "lead to https in one hop", ok})
}

// judgeMixed looks at what pages on https load and link to on http.
func (v *Survey) judgeMixed(s *Section) {
	linking := map[address.Address][]address.Address{} // by target
	for _, a := range v.Web.Sorted() {
		p := v.Web[a]
		if a.Scheme != "https" || !p.HTML {
			continue
		}
		var loads, forms []string
		for _, load := range p.Signals.Insecure {
			if load.Element == "form" {
				forms = append(forms, load.Link)
			} else {
				loads = append(loads, load.Element+" "+load.Link)
			}
		}
		if len(loads) > 0 {
			s.add(finding.MixedContent, finding.Error, a, fmt.Sprintf("it loads %s by http",
				address.Printable(loads[0])), "browsers load it by https or not at all, and warn",
				"write https there").Evidence = printable(loads)
		}
		if len(forms) > 0 {
			s.add(finding.InsecureForm, finding.Error, a, fmt.Sprintf("it sends a form to %s",
				address.Printable(forms[0])), "what visitors write can be read on its way",
				"write https there").Evidence = printable(forms)
		}
		if p.Signals.Password && len(p.Header.Exposed) > 0 {
			s.add(finding.InsecureCookie, finding.Error, a,
				fmt.Sprintf("it asks for a password and sets the cookie %s without Secure",
					address.Printable(p.Header.Exposed[0])), "the cookie goes out on http too, where it can be stolen",
				"set it with Secure")
		}
		for _, link := range p.Signals.Links {
			if to, err := address.Parse(link); err == nil && v.Plan.Site.Has(to.Host) {
				linking[to] = append(linking[to], a)
			}
		}
	}
	for _, a := range slices.SortedFunc(maps.Keys(v.Feeds), address.Compare) {
		switch {
		case a.Scheme == "http":
			s.add(finding.FeedInsecure, finding.Warning, v.Feeds[a].From,
				fmt.Sprintf("it names the feed %s, on http", a), "", "name it with https", a)
		case v.Stale[a] != "":
			s.add(finding.FeedInsecure, finding.Warning, a, fmt.Sprintf("the feed's entries are on http, such as %s",
				v.Stale[a]), "each reader makes a needless hop, and takes the old address for the entry's name",
				"write https there")
		}
	}
	var targets []address.Address
	for to := range linking {
		targets = append(targets, to)
	}
	s.many(finding.LinkInsecure, finding.Warning, targets,
		fmt.Sprintf("pages link to %d of the site's addresses on http", len(targets)),
		"each such link is a needless hop", "write https there")
}

// printable returns some of a list, to be shown.
func printable(list []string) []string {
	out := slices.Clone(list[:min(len(list), maxEvidence)])
	for i := range out {
		out[i] = address.Printable(out[i])
	}
	return out
}
