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
	"young-compass/internal/book"
	"young-compass/internal/parameter"
	"young-compass/internal/table"
	"young-compass/internal/visits"
)

// visited is what a log says of what was asked for.
type visited struct {
	target string
	entry  *accesslog.Tally
}

// maxParameters is how many parameters of a log are named, those most asked
// for first.
const maxParameters = 200

// takeLogs reads the addresses of logs. Those that visitors got and that
// nothing else speaks of become records.
func (m *merger) takeLogs() {
	for i, l := range m.logs {
		m.takeLog(l)
		m.logs[i].log = nil // its tallies are in byLog
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
	nothing := &said{}
	all := make([]visited, 0, len(l.log.Tallies))
	for target, entry := range l.log.Tallies {
		all = append(all, visited{target, entry})
	}
	slices.SortFunc(all, func(a, b visited) int { return strings.Compare(a.target, b.target) })
	m.byLog = slices.Grow(m.byLog, len(all))
	for _, v := range all {
		target, entry := v.target, v.entry
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
		m.byLog = append(m.byLog, v)
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
			m.records = append(m.records, &record{source: int32(l.source), address: target, said: nothing,
				at: a, has: true})
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
	entries := m.entriesByPath()
	type sum struct {
		at address.Address
		*accesslog.Tally
	}
	sums := make([]sum, 0, len(m.byLog))
	for i, v := range m.byLog {
		a, _ := m.logAddress(v.target)
		if n, ok := entries[local{a.Path, a.Query}]; ok {
			a = m.Book.Entries[n].Address
		}
		sums = append(sums, sum{a, v.entry})
		m.byLog[i] = visited{}
	}
	m.byLog, entries = nil, nil
	slices.SortStableFunc(sums, func(a, b sum) int { return address.Compare(a.at, b.at) })
	m.Visits = make([]visits.Visit, 0, len(sums))
	var days dates
	for i := range sums {
		if i+1 < len(sums) && sums[i+1].at == sums[i].at {
			sums[i].Merge(sums[i+1].Tally)
			sums[i+1].Tally, sums[i] = sums[i].Tally, sum{}
			continue
		}
		for _, h := range sums[i].ByStatus {
			v := visits.Visit{Address: sums[i].at, Status: h.Status, Visitors: h.Visitors, Robots: h.Robots,
				Last: days.of(h.Last)}
			if h.Status == 200 {
				v.Bytes = int(sums[i].Bytes)
			}
			if h.Status == 404 || h.Status == 410 {
				v.Referrers = mostReferring(sums[i].Referrers)
			}
			m.Visits = append(m.Visits, v)
		}
		sums[i] = sum{}
	}
}

// dates writes days as YYYY-MM-DD, each once: a log has few.
type dates map[int64]string

// of returns the day of a time, in seconds from 1970 and none before.
func (d *dates) of(seconds int64) string {
	if *d == nil {
		*d = dates{}
	}
	day := seconds / secondsPerDay
	date, ok := (*d)[day]
	if !ok {
		date = time.Unix(seconds, 0).UTC().Format(time.DateOnly)
		(*d)[day] = date
	}
	return date
}

const secondsPerDay = 24 * 60 * 60

// local is an address without its host.
type local struct{ path, query string }

// entriesByPath returns which of the book's addresses stands for a path: of those on several hosts the one on the first
// host, by https. It returns none where the book knows one host only, on which a log's paths stand already.
func (m *merger) entriesByPath() map[local]int32 {
	base := m.base()
	elsewhere := func(e book.Entry) bool { return e.Address.Host != base.Host || e.Address.Scheme != base.Scheme }
	if !slices.ContainsFunc(m.Book.Entries, elsewhere) {
		return nil
	}
	entries := make(map[local]int32, len(m.Book.Entries))
	for i := range m.Book.Entries {
		a := m.Book.Entries[i].Address
		n, ok := entries[local{a.Path, a.Query}]
		have := m.Book.Entries[n].Address
		if rank := m.Settings.Site.Rank; !ok || rank(a.Host, base.Host) < rank(have.Host, base.Host) ||
			a.Host == have.Host && a.Scheme > have.Scheme {
			entries[local{a.Path, a.Query}] = int32(i)
		}
	}
	return entries
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
	return table.GuardText(strings.TrimSpace(strings.Join(words, ", ")))
}
