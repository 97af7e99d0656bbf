package plan

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/redirect"
	"young-compass/internal/template"
)

// Program is a plan worked out for every address it knows, for servers that
// can look texts up and match expressions, but not evaluate a plan. Its
// entries are what Answer says; nothing in it gives a rule a meaning anew.
type Program struct {
	*Plan
	Groups   []Group
	Entries  []Entry
	Patterns []Pattern
}

// Group is a set of parameters that give some paths a meaning.
type Group struct {
	Names []string // sorted
	Paths []string // look-up keys of the paths, sorted
}

// EntryKind says what an entry does.
type EntryKind string

// The kinds of entries.
const (
	EntryMove EntryKind = "move" // lead to Target
	EntryGone EntryKind = "gone" // answer 410
	EntryLive EntryKind = "live" // a live page: the site's rules, but for its path, which is Target's
	EntryHold EntryKind = "hold" // known to be no page: 404, on the site and with Target's path
)

// Entry is what one known address, or one known item of a script, answers.
type Entry struct {
	Host      string // empty: all hosts
	Key       string // look-up key of the path (redirect.Index.Key)
	Signature string // of the parameters that the path's group names (redirect.Signature)
	Kind      EntryKind
	Status    Statuses
	Target    address.Address
	Strip     []string // parameters that don't travel, sorted; noise never does
	Drop      bool     // no parameter travels
	Plain     bool     // a server that folds letters answers the same without the entry
	Where     Cause
}

// Statuses are the statuses of a redirect by method.
type Statuses struct{ Get, Other int }

// AfterSiteRule returns the statuses when one of the site's own rules was
// applied before.
func (s Statuses) AfterSiteRule() Statuses {
	return Statuses{Compose([]int{301, s.Get}), Compose([]int{308, s.Other})}
}

// Derived are the statuses of what nobody wrote a status for.
func Derived() Statuses { return Statuses{301, 308} }

// Pattern is a pattern redirect, with those that its target always meets
// composed into it.
type Pattern struct {
	Reader *template.Reader
	Target *template.Template
	Status Statuses
	Strip  []string
	Drop   bool
	Where  Cause
}

// OnSite reports whether the pattern's target is on the site.
func (g *Program) OnSite(p Pattern) bool {
	a, err := address.Resolve(g.Site.Origin, sample(p.Target))
	return err == nil && g.Site.Has(a.Host)
}

// Key returns the look-up key of a path.
func (p *Plan) Key(path string) string { return p.index.Key(path) }

// Compile works the plan out for every address it knows.
func (p *Plan) Compile() (*Program, []finding.Finding, error) {
	g := &Program{Plan: p}
	c := compiler{program: g, seen: map[entryKey]int{}}
	if err := c.patterns(); err != nil {
		return nil, nil, err
	}
	for _, s := range c.sources() {
		if err := c.add(s); err != nil {
			return nil, nil, err
		}
	}
	if err := c.preimages(); err != nil {
		return nil, nil, err
	}
	slices.SortFunc(g.Entries, func(a, b Entry) int {
		return cmp.Or(strings.Compare(a.Key, b.Key), strings.Compare(a.Signature, b.Signature), strings.Compare(a.Host, b.Host))
	})
	c.groups()
	return g, c.found, nil
}

type entryKey struct{ host, key, signature string }

type compiler struct {
	program *Program
	seen    map[entryKey]int // position in Entries, or -1 where none is needed
	known   []address.Address
	found   []finding.Finding
}

// sources returns every address that the plan knows, on the origin.
func (c *compiler) sources() []redirect.Source {
	var list []redirect.Source
	for _, row := range c.program.Redirects {
		list = append(list, row.Source)
	}
	for _, e := range c.program.Book.Entries {
		list = append(list, redirect.SourceOf(e.Address))
	}
	return list
}

// add enters what a source answers: once for all hosts, and once more for each
// host on which another entry of the plan decides.
func (c *compiler) add(s redirect.Source) error {
	p := c.program.Plan
	named := p.named(s.Path)
	params := address.SplitQuery(s.Query)
	winner := func(host string) int {
		for _, n := range p.index.Match(host, s.Path, params, named) {
			if n >= len(p.ignored) || !p.ignored[n] {
				return n
			}
		}
		return -1
	}
	generic, err := c.enter("", s, named)
	if err != nil {
		return err
	}
	for _, host := range p.Site.Hosts {
		if winner(host) == winner(p.Site.Origin.Host) {
			continue
		}
		if err := c.enterHost(host, s, named, generic); err != nil {
			return err
		}
	}
	return nil
}

// enter works out the entry of a source on the origin, or on another host.
func (c *compiler) enter(host string, s redirect.Source, named []string) (*Entry, error) {
	p := c.program.Plan
	carried := redirect.Carried(address.SplitQuery(s.Query), named)
	e := Entry{Host: host, Key: p.index.Key(s.Path), Signature: redirect.Signature(carried)}
	k := entryKey{host, e.Key, e.Signature}
	if i, ok := c.seen[k]; ok {
		if i < 0 {
			return nil, nil
		}
		return &c.program.Entries[i], nil
	}
	at := p.Site.Origin
	at.Host = cmp.Or(host, at.Host)
	at.Path, at.Query = address.MergeSlashes(s.Path), address.JoinQuery(carried)
	if p.Paths.Lower {
		at.Path = address.Fold(at.Path)
	}
	needed, err := c.work(&e, at)
	if err != nil {
		return nil, err
	}
	c.known = append(c.known, at)
	if !needed {
		c.seen[k] = -1
		return nil, nil
	}
	c.seen[k] = len(c.program.Entries)
	c.program.Entries = append(c.program.Entries, e)
	return &c.program.Entries[len(c.program.Entries)-1], nil
}

// enterHost enters what a host answers differently from the others.
func (c *compiler) enterHost(host string, s redirect.Source, named []string, generic *Entry) error {
	same := generic != nil
	var copied Entry
	if same {
		copied = *generic
	}
	before := len(c.program.Entries)
	e, err := c.enter(host, s, named)
	if err != nil || e == nil || !same || len(c.program.Entries) == before {
		return err
	}
	alike := copied.Kind == e.Kind && copied.Target == e.Target && copied.Status == e.Status && slices.Equal(copied.Strip, e.Strip) && copied.Drop == e.Drop
	if alike {
		c.program.Entries = c.program.Entries[:before]
		c.seen[entryKey{host, e.Key, e.Signature}] = -1
	}
	return nil
}

// work fills in what the plan answers at an address; false when the site's own
// rules alone say the same.
func (c *compiler) work(e *Entry, at address.Address) (bool, error) {
	p := c.program.Plan
	w := &way{method: "GET", at: at}
	a, err := p.walk(w)
	if err != nil {
		return false, err
	}
	if len(a.Causes) > 0 {
		e.Where = a.Causes[len(a.Causes)-1]
		if a.Outcome == Moved {
			e.Where = a.Causes[0]
		}
	}
	switch a.Outcome {
	case Gone:
		e.Kind = EntryGone
		return true, nil
	case Served:
		if a.Page == (inventory.Ref{}) {
			return false, nil // a listed file
		}
		e.Kind, e.Target = EntryLive, at
		e.Target.Host = p.Site.Origin.Host
		e.Plain = e.Signature == "" && c.plain(at.Path)
		return true, nil
	case Unknown:
		e.Kind, e.Target = EntryHold, at
		e.Target.Host = p.Site.Origin.Host
		return true, nil
	}
	itself := p.Site.Has(w.at.Host) && p.index.Key(w.at.Path) == e.Key && redirect.Signature(redirect.Carried(address.SplitQuery(w.at.Query), p.named(w.at.Path))) == e.Signature
	for _, a := range []address.Address{at, w.at} {
		if page := c.livePage(a); page != nil && (a == at || itself) {
			e.Kind = EntryLive
			e.Target = p.Site.Rebase(page.Address)
			e.Plain = e.Signature == "" && c.plain(e.Target.Path)
			return true, nil
		}
	}
	if !w.travelled && w.patterns == 0 { // the site's own rules alone, and then no page
		e.Kind, e.Target = EntryHold, w.at
		return true, nil
	}
	other := &way{method: "POST", at: at}
	if _, err := p.walk(other); err != nil {
		return false, err
	}
	e.Kind, e.Target, e.Drop = EntryMove, w.at, w.dropped
	e.Status = Statuses{Compose(w.statuses), Compose(other.statuses)}
	slices.Sort(w.stripped)
	e.Strip = slices.Compact(w.stripped)
	if itself {
		c.found = append(c.found, finding.Finding{Code: "self-redirect", Severity: finding.Warning, Where: finding.Place{File: e.Where.File, Line: e.Where.Line},
			What: "this leads to another spelling of itself, which no server is asked to do", Advice: "delete the row; the site's own rules do the same"})
		return false, nil
	}
	return true, nil
}

// livePage returns the entry of the live page that is served at an address but
// for its spelling, or nil.
func (c *compiler) livePage(at address.Address) *book.Entry {
	p := c.program.Plan
	for _, n := range p.index.Match(at.Host, at.Path, address.SplitQuery(at.Query), p.named(at.Path)) {
		if n < len(p.Redirects) {
			if p.ignored[n] {
				continue
			}
			return nil
		}
		if e := &p.Book.Entries[n-len(p.Redirects)]; p.serves(*e) {
			return e
		}
		return nil
	}
	return nil
}

// plain reports whether a path is what the site's own rules make of it, and no
// pattern takes it.
func (c *compiler) plain(path string) bool {
	p := c.program.Plan
	if p.SiteForm(path) != path || p.isFile(path) || !Reflectable(path) {
		return false
	}
	return !slices.ContainsFunc(c.program.Patterns, func(q Pattern) bool {
		_, ok := q.Reader.ReadPath(patternPath(path), p.Paths.Lower)
		return ok
	})
}

// Reflectable reports whether a path means the same encoded and decoded, so
// that a server can put what it decoded into a Location header.
func Reflectable(path string) bool {
	for i := 0; i < len(path); i++ {
		if path[i] != '/' && !address.Unreserved(path[i]) {
			return false
		}
	}
	return true
}

// SiteForm returns what the site's own rules make of a path.
func (p *Plan) SiteForm(path string) string {
	return p.withoutPrefix(p.Shape(p.Spelling(path)))
}

// Spelling returns what the rules for slashes, letters and the default
// language's prefix make of a path.
func (p *Plan) Spelling(path string) string {
	path = p.withoutSlash(address.MergeSlashes(path))
	if p.Paths.Lower {
		path = address.Fold(path)
	}
	return p.withoutPrefix(path)
}

// patterns composes the plan's patterns.
func (c *compiler) patterns() error {
	for _, rule := range c.program.Rules {
		c.program.Patterns = append(c.program.Patterns, c.pattern(rule))
	}
	return nil
}

// pattern composes a rule with the rules that its target always meets.
func (c *compiler) pattern(rule Rule) Pattern {
	out := Pattern{Reader: rule.Reader, Target: rule.Target, Drop: rule.Drop,
		Where: Cause{File: rule.Where.File, Line: rule.Where.Line, Rule: "pattern " + rule.From}}
	written := []int{rule.Status}
	for _, q := range rule.Reader.Query() {
		out.Strip = append(out.Strip, q.Name)
	}
	for round := 1; round < maxRounds; round++ {
		target, next := c.leadsOn(rule.Reader, out.Target)
		if next == nil {
			break
		}
		out.Target, out.Drop = target, out.Drop || next.Drop
		written = append(written, next.Status)
	}
	for _, q := range address.SplitQuery(queryOf(out.Target)) {
		out.Strip = append(out.Strip, q.Name)
	}
	slices.Sort(out.Strip)
	out.Strip = slices.Compact(out.Strip)
	for _, w := range []*way{{method: "GET"}, {method: "POST"}} {
		for _, status := range written {
			w.statuses = append(w.statuses, w.written(status))
		}
		if w.method == "GET" {
			out.Status.Get = Compose(w.statuses)
		} else {
			out.Status.Other = Compose(w.statuses)
		}
	}
	return out
}

// queryOf returns the query that every expansion of a target has; a variable
// has the value x.
func queryOf(t *template.Template) string {
	_, query, _ := strings.Cut(sample(t), "?")
	query, _, _ = strings.Cut(query, "#")
	return query
}

// leadsOn returns the rule that every expansion of a target meets, and where
// it leads then; nil when there is none that surely does.
func (c *compiler) leadsOn(from *template.Reader, target *template.Template) (*template.Template, *Rule) {
	if !strings.HasPrefix(target.String(), "/") {
		return nil, nil
	}
	reader, err := template.NewReader(target, from.Classes())
	if err != nil || len(reader.Query()) > 0 {
		return nil, nil
	}
	for i, rule := range c.program.Rules {
		if len(rule.Reader.Query()) > 0 {
			continue
		}
		names, ok := template.Align(reader, rule.Reader, c.program.Paths.Lower)
		if !ok {
			continue
		}
		return rule.Target.Rename(names), &c.program.Rules[i]
	}
	return nil, nil
}

// preimages enters the addresses from which a pattern leads to an address that
// the plan knows, where the plan's answer is another than the pattern's alone.
func (c *compiler) preimages() error {
	p := c.program.Plan
	for round, from := 0, 0; round < maxRounds && from < len(c.known); round++ {
		known := c.known[from:]
		from = len(c.known)
		for i, rule := range p.Rules {
			if !strings.HasPrefix(rule.To, "/") {
				continue
			}
			reader, err := template.NewReader(rule.Target, rule.Reader.Classes())
			if err != nil {
				continue
			}
			source, err := template.Parse(rule.From)
			if err != nil {
				return err
			}
			for _, a := range known {
				values, ok := reader.ReadPath(patternPath(a.Path), p.Paths.Lower)
				if !ok || !reader.ReadQuery(address.SplitQuery(a.Query), values) {
					continue
				}
				at, err := address.Resolve(p.Site.Origin, source.Expand(values))
				if err != nil || c.asPattern(at, c.program.Patterns[i]) {
					continue
				}
				if err := c.add(redirect.Source{Path: at.Path, Query: at.Query}); err != nil {
					c.found = append(c.found, finding.Finding{Code: "loop", Severity: finding.Error, What: err.Error(), Advice: "narrow one of the patterns",
						Where: finding.Place{File: rule.Where.File, Line: rule.Where.Line, URL: at.String()}})
				}
			}
		}
	}
	return nil
}

// asPattern reports whether the plan answers at an address just what the
// composed pattern says.
func (c *compiler) asPattern(at address.Address, q Pattern) bool {
	p := c.program.Plan
	values, ok := q.Reader.ReadPath(patternPath(at.Path), p.Paths.Lower)
	if !ok || !q.Reader.ReadQuery(address.SplitQuery(at.Query), values) {
		return false
	}
	to, err := address.Resolve(p.Site.Origin, q.Target.Expand(values))
	if err != nil {
		return false
	}
	a, err := p.Answer(Request{Method: "GET", Address: at})
	return err == nil && a.Outcome == Moved && a.To == to.String() && a.Status == q.Status.Get
}

// groups collects the parameters that give paths a meaning.
func (c *compiler) groups() {
	p := c.program.Plan
	byNames := map[string]int{}
	enter := func(key string, names []string) {
		if len(names) == 0 {
			return
		}
		id := strings.Join(names, "&")
		i, ok := byNames[id]
		if !ok {
			i = len(c.program.Groups)
			byNames[id] = i
			c.program.Groups = append(c.program.Groups, Group{Names: names})
		}
		g := &c.program.Groups[i]
		if at, have := slices.BinarySearch(g.Paths, key); !have {
			g.Paths = slices.Insert(g.Paths, at, key)
		}
	}
	for _, a := range c.known {
		enter(p.index.Key(a.Path), p.named(a.Path))
	}
	for _, rule := range p.Rules {
		if path, ok := rule.Reader.LiteralPath(); ok {
			enter(p.index.Key(path), p.named(path))
		}
	}
	slices.SortFunc(c.program.Groups, func(a, b Group) int { return strings.Compare(strings.Join(a.Names, "&"), strings.Join(b.Names, "&")) })
}
