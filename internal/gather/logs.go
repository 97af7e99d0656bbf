package gather

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"young-compass/internal/accesslog"
	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/visits"
)

// visited is an address of a log, and what it says of it.
type visited struct {
	at    address.Address
	entry *accesslog.Tally
}

// maxParameters is how many parameters of a log are named, those most asked
// for first.
const maxParameters = 200

// takeLogs reads the addresses of logs. Those that visitors got and that
// nothing else speaks of become records.
func (m *merger) takeLogs() {
	for _, l := range m.logs {
		m.takeLog(l)
	}
}

// logAddress reads what a request asked for. What begins with two slashes is a path (RFC 9112 section 3.2.1), however
// links that begin so are read.
func (m *merger) logAddress(target string) (address.Address, bool) {
	if strings.HasPrefix(target, "//") {
		target = m.base().Base() + target
	}
	a, err := address.Resolve(m.base(), target)
	a.Fragment = ""
	return a, err == nil && m.Settings.Site.Has(a.Host)
}

func (m *merger) takeLog(l logged) {
	s := m.summaries[l.source]
	s.Records = len(l.log.Tallies)
	parameters := map[string]*Parameter{}
	last := int64(0)
	for _, target := range slices.Sorted(maps.Keys(l.log.Tallies)) {
		entry := l.log.Tallies[target]
		visitors, robots, got := 0, 0, 0
		status := 0 // the one most often answered to visitors
		most := -1
		for _, h := range entry.ByStatus {
			visitors, robots, last = visitors+h.Visitors, robots+h.Robots, max(last, h.Last)
			if h.Visitors > most {
				status, most = h.Status, h.Visitors
			}
			switch {
			case h.Status == 200 || h.Status == 304:
				got += h.Visitors
			case h.Status == 404 || h.Status == 410:
				s.Log.NotFound += h.Visitors
			}
		}
		s.Log.Visitors += visitors
		s.Log.Robots += robots
		a, ok := m.logAddress(target)
		if !ok {
			m.ignore(s, "no address of the site", target, 0)
			continue
		}
		m.byLog = append(m.byLog, visited{a, entry})
		for _, q := range address.SplitQuery(a.Query) {
			if q.Name == "" {
				continue
			}
			if parameters[q.Name] == nil {
				parameters[q.Name] = &Parameter{Name: q.Name,
					Class: string(m.Settings.Parameters.ClassOf(q.Name, a.Path))}
			}
			parameters[q.Name].Addresses++
			parameters[q.Name].Visitors += visitors
			parameters[q.Name].Robots += robots
		}
		switch {
		case m.Settings.IsFile(a.Path):
			m.ignore(s, "a file", target, 0)
		case got == 0 && visitors == 0:
			m.ignore(s, "asked for by robots alone", target, 0)
		case got == 0 && status >= 300 && status < 400:
			m.ignore(s, "redirects", target, 0)
		case got == 0:
			m.ignore(s, fmt.Sprintf("answered %d", status), target, 0)
		default:
			a.Path = m.Settings.WithoutNoise(a.Path)
			m.records = append(m.records, record{source: l.source,
				where: finding.Place{File: s.Source, URL: a.String()}, address: target, at: a, has: true})
		}
	}
	if last > 0 {
		s.Log.Last = time.Unix(last, 0).UTC().Format(time.DateOnly)
	}
	for _, p := range parameters {
		s.Log.Parameters = append(s.Log.Parameters, *p)
	}
	slices.SortFunc(s.Log.Parameters, func(a, b Parameter) int {
		return cmp.Or(cmp.Compare(b.Visitors, a.Visitors), strings.Compare(a.Name, b.Name))
	})
	s.Log.Parameters = s.Log.Parameters[:min(len(s.Log.Parameters), maxParameters)]
}

// saysDefault reports whether an address says the default language by its parameter, and returns it with nothing else
// than what selects content.
func (m *merger) saysDefault(a address.Address) (address.Address, bool) {
	l := &m.Settings.Languages
	said, ok := address.First(address.SplitQuery(a.Query), l.Parameter)
	if !ok || l.Parameter == "" || l.OfQuery(said.Raw) != l.Default {
		return a, false
	}
	a = m.selecting(a)
	a.Query = address.JoinQuery(append(address.SplitQuery(a.Query), said))
	return a, true
}

// selecting leaves only the parameters that the plan says select content or a language: all
// others in a log may be anybody's invention.
func (m *merger) selecting(a address.Address) address.Address {
	a.Query = address.JoinQuery(slices.DeleteFunc(address.SplitQuery(a.Query), func(q address.Param) bool {
		l := &m.Settings.Languages
		return m.Settings.Parameters.ClassOf(q.Name, a.Path) != parameter.Identity && (q.Name != l.Parameter ||
			l.OfQuery(q.Raw) == l.Default)
	}))
	return a
}

// noteVisits fills in the visits. A log names no host: what it says of a path
// is said of the book's address with that path, if there is one.
func (m *merger) noteVisits() {
	if !m.HasLog() {
		return
	}
	local := map[string]address.Address{}
	for _, e := range m.Book.Entries {
		key := e.Address.Local()
		have, ok := local[key]
		if rank := m.Settings.Site.Rank; !ok || rank(e.Address.Host, m.base().Host) < rank(have.Host, m.base().Host) ||
			e.Address.Host == have.Host && e.Address.Scheme > have.Scheme {
			local[key] = e.Address
		}
	}
	sums := make(map[address.Address]*accesslog.Tally, len(m.byLog))
	for _, v := range m.byLog {
		if known, ok := local[v.at.Local()]; ok {
			v.at = known
		}
		if have := sums[v.at]; have != nil {
			have.Merge(v.entry)
		} else {
			sums[v.at] = v.entry
		}
	}
	m.Visits = nil
	for a, entry := range sums {
		for _, h := range entry.ByStatus {
			v := visits.Visit{Address: a, Status: h.Status, Visitors: h.Visitors, Robots: h.Robots,
				Last: time.Unix(h.Last, 0).UTC().Format(time.DateOnly)}
			if h.Status == 200 {
				v.Bytes = int(entry.Bytes)
			}
			if h.Status == 404 || h.Status == 410 {
				v.Referrers = mostReferring(entry.Referrers)
			}
			m.Visits = append(m.Visits, v)
		}
	}
}

// shownReferrers is how many pages with links to a lost address are named.
const shownReferrers = 5

// mostReferring returns the pages that send most visitors, with their numbers:
// "https://a.example/x 12, https://b.example/ 3".
func mostReferring(counts map[string]int) string {
	list := slices.SortedFunc(maps.Keys(counts), func(a, b string) int {
		return cmp.Or(cmp.Compare(counts[b], counts[a]), strings.Compare(a, b))
	})
	var words []string
	for _, from := range list[:min(len(list), shownReferrers)] {
		words = append(words, fmt.Sprintf("%s %d", address.Printable(strings.ReplaceAll(from, ",", "%2C")),
			counts[from]))
	}
	return strings.Join(words, ", ")
}
