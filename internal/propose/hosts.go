package propose

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// hosts are what was found of a site's hosts.
type hosts struct {
	origin    address.Address
	others    []string          // that lead to the origin
	languages map[string]string // hosts of languages: host -> language
	site      map[string]bool   // all of them
}

// bare returns a host without "www." and port.
func bare(host string) string {
	host, _, _ = strings.Cut(host, ":")
	return strings.TrimPrefix(host, "www.")
}

// inDomain reports whether a host is a domain, or one below it.
func inDomain(host, domain string) bool {
	return bare(host) == domain || strings.HasSuffix(bare(host), "."+domain)
}

// staging reports whether a host is called as those are on which a site is made ready.
func staging(host string) bool {
	first, _, more := strings.Cut(bare(host), ".")
	for word := range strings.FieldsFuncSeq(first, func(r rune) bool { return r == '-' || '0' <= r && r <= '9' }) {
		if slices.Contains([]string{"staging", "stage", "stg", "test", "testing", "dev", "devel", "preview", "beta", "qa",
			"uat", "sandbox", "preprod"}, word) {
			return more
		}
	}
	return false
}

// service reports whether a host is called as those are that serve no pages.
func service(host string) bool {
	first, _, _ := strings.Cut(bare(host), ".")
	return slices.Contains([]string{"static", "cdn", "img", "images", "image", "media", "assets", "files", "mail", "api",
		"fonts", "ads"}, strings.TrimRight(first, "0123456789"))
}

// registrable reports whether a host without "www." looks like a name that people register, and not like one below it.
//
//	skerrywick.example, skerrywick.co.uk    true
//	docs.skerrywick.example                 false
func registrable(host string) bool {
	labels := strings.Split(host, ".")
	return len(labels) == 2 ||
		len(labels) == 3 && slices.Contains([]string{"co", "com", "org", "net", "ac", "gov", "edu", "or", "ne"}, labels[1])
}

// hostCount is how often a host stands in what lists pages.
type hostCount struct {
	weight, https, http int
	pages               int
	examples            []string
	languages           tally
}

// findHosts finds the origin and the other hosts.
func (d *draft) findHosts(e *Evidence, s *survey) hosts {
	counts := map[string]*hostCount{}
	at := func(host string) *hostCount {
		c := counts[host]
		if c == nil {
			c = &hostCount{languages: tally{}}
			counts[host] = c
		}
		return c
	}
	for i := range e.Seen {
		seen := &e.Seen[i]
		if seen.Says&listed == 0 || seen.Address.Host == "" {
			continue
		}
		c := at(seen.Address.Host)
		weight := 1
		if seen.Says&Sitemap != 0 {
			weight++
		}
		if seen.Says&Canonical != 0 {
			weight += 2
		}
		if seen.Says&Elsewhere != 0 {
			weight = 0
		}
		c.weight += weight
		c.pages++
		if seen.Address.Scheme == "https" {
			c.https += weight
		} else {
			c.http += weight
		}
		if l := s.saidBy(seen); l != "" {
			c.languages[l]++
		}
		if len(c.examples) < maxExamples {
			c.examples = example(c.examples, seen.Address.String())
		}
	}
	for _, t := range e.Translated {
		c := at(t.Address.Host)
		c.languages[t.Language] += 2
		c.pages++
	}
	h := hosts{languages: map[string]string{}, site: map[string]bool{}}
	h.origin = d.findOrigin(e, counts)
	domain := bare(h.origin.Host)
	h.site[h.origin.Host] = true
	all := counts[h.origin.Host]
	var names []string
	for host := range counts {
		if host != h.origin.Host && address.Printable(host) == host {
			names = append(names, host)
		}
	}
	slices.Sort(names)
	total := 0
	for _, c := range counts {
		total += c.pages
	}
	twin := "www." + domain
	if strings.HasPrefix(h.origin.Host, "www.") {
		twin = domain
	}
	if counts[twin] == nil && registrable(domain) && !strings.Contains(h.origin.Host, ":") {
		d.item("site.hosts", quoted(twin), "", nil, "the same with or without www., as people type it")
		h.others = append(h.others, twin)
		h.site[twin] = true
	}
	for _, host := range names {
		c := counts[host]
		related := inDomain(host, domain) || inDomain(h.origin.Host, bare(host))
		language, share := c.languages.most()
		switch {
		case strings.Contains(host, ":"):
		case staging(host) && related:
			d.item("site.staging", quoted(host), "", c.examples, "its name; %s there", many(c.pages, "address"))
		case service(host) && related:
			d.item("site.known", quoted(host), "", c.examples, "it serves no pages of the site, by its name; %s there",
				many(c.pages, "address"))
		case host != twin && language != "" && share*10 >= c.languages.sum()*9 && (all == nil || ownLanguage(host, language, domain, all, c)):
			tag := s.hostLanguage(host, language, all)
			h.languages[host], h.site[host] = tag, true
		case related || c.pages*20 >= total:
			d.item("site.hosts", quoted(host), "", c.examples, "%s of pages there", many(c.pages, "address"))
			h.others = append(h.others, host)
			h.site[host] = true
		default:
			d.item("site.hosts", quoted(host), "is "+host+" one of the site's hosts? Then it leads to the origin", c.examples,
				"%d addresses there, of %d", c.pages, total)
		}
	}
	d.foreign(e, h)
	return h
}

// ownLanguage reports whether a host has a language that the origin's pages aren't in, or a country of its own.
func ownLanguage(host, language, domain string, origin, c *hostCount) bool {
	share := origin.languages[language]
	return share*5 < origin.languages.sum() || c.pages >= least && !inDomain(host, domain)
}

// least is how many addresses make a case.
const least = 3

// findOrigin finds the scheme and host that most speaks for.
func (d *draft) findOrigin(e *Evidence, counts map[string]*hostCount) address.Address {
	if e.Origin != (address.Address{}) {
		d.add("site.origin", e.Origin.Base(), "", nil, "said so")
		return e.Origin.Origin()
	}
	best, weight, second, total := "", -1, 0, 0
	var order []string
	for host := range counts {
		order = append(order, host)
	}
	slices.Sort(order)
	for _, host := range order {
		c := counts[host]
		total += c.weight
		if staging(host) || service(host) || strings.Contains(host, ":") {
			continue
		}
		if c.weight > weight {
			best, weight, second = host, c.weight, max(weight, 0)
		} else {
			second = max(second, c.weight)
		}
	}
	if best == "" {
		d.add("site.origin", "https://www.example.org", "which scheme and host should every address end on? No source names one", nil, "no source names a host")
		return address.Address{Scheme: "https", Host: "www.example.org", Path: "/"}
	}
	c := counts[best]
	origin := address.Address{Scheme: "https", Host: best, Path: "/"}
	why := fmt.Sprintf("%d of %d addresses stand there", c.pages, total)
	if total > 0 && c.weight != c.pages {
		why = fmt.Sprintf("%s of what canonical links, sitemaps and tables name is there", percent(c.weight, total))
	}
	switch {
	case c.https == 0:
		origin.Scheme = "http"
		why += "; no source speaks of https"
	case c.https*4 < c.http:
		origin.Scheme = "http"
		why += fmt.Sprintf("; %s of it on http", percent(c.http, c.http+c.https))
	case second*10 >= weight*7:
		why += "; another host has nearly as many"
	}
	d.add("site.origin", origin.Base(), "", c.examples, "%s", why)
	if origin.Scheme == "http" {
		d.lines[len(d.lines)-1].Why += "; once https answers, --origin https://" + best + " brings the switch"
	}
	return origin
}

// foreign finds other hosts that redirects lead to, and hosts that only redirects lead from.
func (d *draft) foreign(e *Evidence, h hosts) {
	found, from := map[string][]string{}, map[string][]string{}
	counts := map[string]int{}
	for _, m := range e.Moves {
		if host := m.To.Host; host != "" && !h.site[host] {
			found[host] = example(found[host], m.From.Local()+" -> "+m.To.String())
			counts[host]++
		}
		if host := m.From.Host; host != "" && !h.site[host] {
			from[host] = example(from[host], m.From.String())
			counts[host]++
		}
	}
	for _, host := range slices.Sorted(maps.Keys(from)) {
		if inDomain(host, bare(h.origin.Host)) && !staging(host) && !strings.Contains(host, ":") {
			d.item("site.hosts", quoted(host), "", from[host], "redirects begin there (%d)", counts[host])
			h.site[host] = true
			delete(found, host)
		}
	}
	for _, host := range slices.Sorted(maps.Keys(found)) {
		if !strings.Contains(host, ":") {
			d.item("site.known", quoted(host), "", found[host], "redirects lead there (%d)", counts[host])
		}
	}
}
