package plan

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/planfile"
	"young-compass/internal/route"
)

// Near is a rule that nearly decided, and why it did not.
type Near struct {
	Cause
	Why string `json:"why"`
}

// maxNear bounds how many entries Explain lists.
const maxNear = 5

// Explain lists the rules that nearly matched a request, in the order in which
// they would have counted: entries for the same path with other parameters, on
// another host or in another spelling, and patterns whose form the address has.
func (p *Plan) Explain(r Request) []Near {
	r = p.trusted(r)
	if !p.Site.Has(r.Host) || r.unsafe || address.Unsafe(r.Path) {
		return nil
	}
	if p.Scope.Leaves(r.Path) {
		return []Near{{p.Says("site", "all rules"), "only: or except: leaves " + r.Path + " alone"}}
	}
	e := &explainer{Plan: p, r: r, params: address.SplitQuery(r.Query), named: p.Named(r.Path),
		shaped: p.SiteForm(r.Path)}
	e.entries()
	slices.SortStableFunc(e.list, func(a, b ranked) int { return b.nearness - a.nearness })
	e.list = e.list[:min(len(e.list), maxNear)]
	if !e.patterns() {
		e.files()
	}
	e.headers()
	list := make([]Near, len(e.list))
	for i, x := range e.list {
		list[i] = x.Near
	}
	return list
}

// ranked is an entry with how near it came: the parameters that agree, among
// others.
type ranked struct {
	Near
	nearness int
}

type explainer struct {
	*Plan
	r      Request
	params []address.Param
	named  []string
	shaped string // the path as the site's own rules make it
	list   []ranked
}

func (e *explainer) add(c Cause, why string) { e.list = append(e.list, ranked{Near{c, why}, 0}) }

func (e *explainer) rank(c Cause, nearness int, why string) {
	e.list = append(e.list, ranked{Near{c, why}, nearness})
}

// The nearness of entries.
const (
	otherSpelling = 1
	samePath      = 2 // and two more for each parameter that agrees
	wouldMatch    = 100
)

// entries explains redirects and addresses of the book.
func (e *explainer) entries() {
	hits := e.rules.Index.Match(e.r.Host, e.r.Path, e.params, e.named)
	key := e.Key(e.r.Path)
	for i, row := range e.Redirects.All() {
		if row.Pattern == nil {
			e.entry(row.Source, row.Cause(), slices.Index(hits, i), key, e.ignored[i])
		}
	}
	for i, entry := range e.Book.Entries {
		what := "is an address of " + entry.Page.String()
		e.entry(e.bookSource(entry), Cause{File: e.Book.File, Line: entry.Line, Rule: what},
			slices.Index(hits, e.Redirects.Len()+i), key, false)
	}
}

// entry explains one of them; hit is its rank among those that match, or -1.
func (e *explainer) entry(s route.Source, c Cause, hit int, key string, ignored bool) {
	switch {
	case ignored:
		if e.Key(s.Path) == key {
			e.rank(c, wouldMatch, "it is ignored: a live page has this address")
		}
		return
	case hit == 0:
		return
	case hit > 0:
		e.rank(c, wouldMatch-hit, "an entry that comes first matches too")
		return
	}
	if e.Key(s.Path) != key {
		if s.Path != e.r.Path && (e.SiteForm(s.Path) == e.shaped || strings.EqualFold(s.Path, e.r.Path)) {
			e.rank(c, otherSpelling, fmt.Sprintf("the path is %s, and the request's %s; the site's own rules may "+
				"lead there", s.Path, e.r.Path))
		}
		return
	}
	if !e.Site.Hears(s.Host, e.r.Host) {
		e.rank(c, samePath, fmt.Sprintf("it is for the host %s, and the request for %s", s.Host, e.r.Host))
		return
	}
	wanted := address.SplitQuery(s.Query)
	nearness := samePath
	for _, q := range wanted {
		if have, ok := address.First(e.params, q.Name); ok && have.Raw == q.Raw && q.Raw != "" {
			nearness += 2
		} else {
			nearness--
		}
	}
	e.rank(c, nearness, e.otherParameters(wanted))
}

// otherParameters says in which parameter a request differs from a source.
func (e *explainer) otherParameters(wanted []address.Param) string {
	for _, q := range wanted {
		have, ok := address.First(e.params, q.Name)
		switch {
		case q.Raw == "":
		case !ok:
			return fmt.Sprintf("it needs the parameter %s", q.Raw)
		case have.Raw != q.Raw:
			return fmt.Sprintf("it needs %s, and the request has %s", q.Raw, have.Raw)
		}
	}
	for _, q := range route.Carried(e.params, e.named) {
		if _, ok := address.First(wanted, q.Name); !ok {
			return fmt.Sprintf("the request also has %s, which means something on this path", q.Raw)
		}
	}
	return "an entry with more parameters matches"
}

// patterns explains the pattern redirects; it reports whether one decides.
func (e *explainer) patterns() (decided bool) {
	for _, rule := range e.rules.Patterns {
		c := rule.Cause
		values, ok := rule.Reader.Loose().ReadPath(route.PatternPath(e.r.Path), e.Paths.Lower)
		if !ok {
			continue
		}
		if e.Site.IsLanguageHost(e.r.Host) {
			e.add(c, "patterns don't count on "+e.r.Host)
			continue
		}
		if rule.Except.Has(e.r.Path) {
			e.add(c, "its except: leaves this path out")
			continue
		}
		if _, ok := rule.Reader.ReadPath(route.PatternPath(e.r.Path), e.Paths.Lower); !ok {
			for _, x := range rule.Reader.Elements() {
				for _, value := range values[x.Name] {
					if x.Name != "" && !x.Class.Holds(value) {
						e.add(c, fmt.Sprintf("%s is %s, which is not of the class %s", x.Name, value, x.Class))
					}
				}
			}
			continue
		}
		if _, ok := rule.Reads(e.r.Path, e.params, e.named, e.Paths.Lower); !ok {
			var wanted []address.Param
			for _, q := range rule.Reader.Query() {
				if have, ok := address.First(e.params, q.Name); ok && q.Variable != "" &&
					q.Class.Holds(strings.TrimPrefix(have.Value, "=")) {
					wanted = append(wanted, have)
				} else {
					wanted = append(wanted, address.Param{Name: q.Name, Value: q.Value, Raw: q.Name + q.Value})
				}
			}
			e.add(c, e.otherParameters(wanted))
			continue
		}
		if decided {
			e.add(c, "a pattern that is written before it matches too")
		}
		decided = true
	}
	return decided
}

// files explains why the site's own rules leave a listed file alone.
func (e *explainer) files() {
	if e.IsFile(e.r.Path) {
		e.add(e.Says("files", "slash, letters, extension and index file"),
			"the path is a listed file, which is served as it is")
	}
}

// headers explains headers whose addresses the request has.
func (e *explainer) headers() {
	for _, h := range e.Headers {
		c := Cause{File: e.File, Line: h.Where.Line, Rule: "headers"}
		open := h
		open.Having, open.Except = nil, address.Places{}
		if _, ok := open.Reads(e.r.Address, e.Paths.Lower); !ok {
			continue
		}
		switch {
		case h.Except.Has(e.r.Path):
			e.add(c, "its except: leaves this path out")
		case len(h.Having) > 0:
			if _, ok := h.Reads(e.r.Address, e.Paths.Lower); !ok {
				e.add(c, "the request has none of the parameters "+strings.Join(h.Having, ", "))
			}
		case e.r.Scheme != "https" && slices.ContainsFunc(h.Fields,
			func(f planfile.Header) bool { return planfile.SecureOnly(f.Name) }):
			e.add(c, "Strict-Transport-Security is sent on https alone")
		}
	}
}
