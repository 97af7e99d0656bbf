// Package compile works a plan out for every address it knows, for servers that can look texts up and match
// expressions, but not evaluate a plan.
package compile

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

// Program is a plan worked out for every address it knows, for servers that
// can look texts up and match expressions, but not evaluate a plan. Its
// entries are what Answer says; nothing in it gives a rule a meaning anew.
type Program struct {
	Plan     *plan.Plan
	Groups   []Group
	Listed   []Listed
	Patterns []Pattern
}

// Group is a set of parameters that give some paths a meaning.
type Group struct {
	Names []string // sorted
	Paths []string // look-up keys of the paths, sorted
}

// Kind says what an entry does.
type Kind string

// The kinds of entries.
const (
	Move Kind = "move" // lead to Target
	Gone Kind = "gone" // answer 410
	Live Kind = "live" // a live page: the site's rules, but for its path, which is Target's
	Hold Kind = "hold" // known to be no page: 404, on the site and with Target's path
)

// Listed is what one known address, or one known item of a script, answers.
type Listed struct {
	Host      string // empty: all hosts
	Key       string // look-up key of the path (redirect.Index.Key)
	Signature string // of the parameters that the path's group names (route.Signature)
	Kind      Kind
	Status    Statuses
	Target    address.Address
	Strip     []string // parameters that don't travel, sorted; noise never does
	Drop      bool     // no parameter travels
	Plain     bool     // a server that folds letters answers the same without the entry
	Where     resolve.Cause
}

// Statuses are the statuses of a redirect by method.
type Statuses struct{ Get, Other int }

// AfterSiteRule returns the statuses when one of the site's own rules was
// applied before.
func (s Statuses) AfterSiteRule() Statuses {
	return Statuses{resolve.Compose(301, s.Get), resolve.Compose(308, s.Other)}
}

// Pattern is a pattern redirect, with those that its target always meets
// composed into it.
type Pattern struct {
	Reader *template.Reader
	Target *template.Template
	Status Statuses
	Strip  []string
	Drop   bool
	Except address.Places
	Where  resolve.Cause
}

// OnSite reports whether the pattern's target is on the site.
func (g *Program) OnSite(p Pattern) bool {
	a, err := address.Resolve(g.Plan.Site.Origin, p.Target.Sample())
	return err == nil && g.Plan.Site.Has(a.Host)
}

// At returns the entries of a look-up key.
func (g *Program) At(key string) []Listed {
	first, _ := slices.BinarySearchFunc(g.Listed, key,
		func(e Listed, k string) int { return strings.Compare(e.Key, k) })
	last := first
	for last < len(g.Listed) && g.Listed[last].Key == key {
		last++
	}
	return g.Listed[first:last]
}

// Plan works a plan out for every address it knows. Findings say what no server is asked to do. An error means that
// the plan contradicts itself.
func Plan(p *plan.Plan) (*Program, []finding.Finding, error) { return Watched(p, func(int) {}) }

// Watched is Plan, and says from time to time of how many more sources it knows the answer.
func Watched(p *plan.Plan, more func(sources int)) (*Program, []finding.Finding, error) {
	g := &Program{Plan: p}
	rules := p.Rules()
	sources := rules.Index.Len()
	c := compiler{program: g, plan: p, rules: rules, walker: rules.Walker(), seen: make(map[entryKey]int32, sources)}
	g.Listed = make([]Listed, 0, sources)
	for i := range rules.Patterns {
		g.Patterns = append(g.Patterns, c.pattern(&rules.Patterns[i])...)
	}
	for some := range slices.Chunk(c.sources(), 1<<16) { // so many are held twice
		c.workAhead(some)
		for i, s := range some {
			c.at = i
			if err := c.add(s); err != nil {
				return nil, nil, err
			}
		}
		more(len(some))
	}
	c.ahead = nil
	if err := c.preimages(); err != nil {
		return nil, nil, err
	}
	c.seen = nil
	g.sort()
	c.groups()
	return g, c.found, nil
}

// before orders entries by key, parameters and host.
func (e *Listed) before(o *Listed) int {
	if d := strings.Compare(e.Key, o.Key); d != 0 {
		return d
	}
	return cmp.Or(strings.Compare(e.Signature, o.Signature), strings.Compare(e.Host, o.Host))
}

// sort puts the entries in order: halves at once, then together, each moved once.
func (g *Program) sort() {
	order := make([]int32, len(g.Listed))
	for i := range order {
		order[i] = int32(i)
	}
	compare := func(i, j int32) int { return g.Listed[i].before(&g.Listed[j]) }
	a, b := order[:len(order)/2], order[len(order)/2:]
	var other sync.WaitGroup
	other.Go(func() { slices.SortFunc(b, compare) })
	slices.SortFunc(a, compare)
	other.Wait()
	merged := make([]int32, 0, len(order))
	for len(a)+len(b) > 0 {
		if len(b) == 0 || len(a) > 0 && compare(a[0], b[0]) <= 0 {
			merged, a = append(merged, a[0]), a[1:]
		} else {
			merged, b = append(merged, b[0]), b[1:]
		}
	}
	arrange(g.Listed, merged)
}

// arrange puts the entry with the number order[i] at the place i, in place: each circle of entries that take one
// another's places is gone round once. It leaves order as the numbers from 0 on.
func arrange(list []Listed, order []int32) {
	for first := range order {
		taken := list[first]
		for i := first; ; {
			from := int(order[i])
			order[i] = int32(i)
			if from == first {
				list[i] = taken
				break
			}
			list[i] = list[from]
			i = from
		}
	}
}

type entryKey struct{ host, key, signature string }

type compiler struct {
	program *Program
	plan    *plan.Plan
	rules   *resolve.Rules
	walker  *resolve.Walker
	ahead   []worked           // by source: what it answers on the origin
	at      int                // the source in work
	seen    map[entryKey]int32 // the entries; -1 where none is needed
	known   []address.Address
	found   []finding.Finding
}

// sources returns every address that the plan knows and doesn't leave alone.
func (c *compiler) sources() []route.Source {
	rows := c.plan.Redirects
	list := make([]route.Source, 0, rows.Len()+len(c.plan.Book.Entries))
	for i := range rows.Len() {
		if !rows.IsPattern(i) {
			list = append(list, rows.Source(i))
		}
	}
	for _, e := range c.plan.Book.Entries {
		list = append(list, route.SourceOf(e.Address))
	}
	return slices.DeleteFunc(list, func(s route.Source) bool { return c.plan.Scope.Leaves(s.Path) })
}

// add enters what a source answers: once for all hosts, and once more for each
// host on which another entry of the plan decides, if it decides otherwise.
func (c *compiler) add(s route.Source) error {
	p := c.plan
	named := c.named(s.Path)
	params := address.SplitQuery(s.Query)
	if p.Site.IsLanguageHost(s.Host) {
		_, err := c.enter(s.Host, s, named)
		return err
	}
	generic, err := c.enter("", s, named)
	if err != nil || c.rules.Index.OneHost() {
		return err
	}
	decides := c.rules.Decides(p.Site.Origin.Host, s.Path, params, named)
	for _, host := range p.Site.Hosts {
		if c.rules.Decides(host, s.Path, params, named) == decides {
			continue
		}
		if _, err := c.enter(host, s, named, generic); err != nil {
			return err
		}
	}
	return nil
}

// enter works out the entry of a source, for all hosts or for one, unless it
// has been entered already or says the same as one of the others.
func (c *compiler) enter(host string, s route.Source, named []string, others ...Listed) (Listed, error) {
	p := c.plan
	carried := route.Carried(address.SplitQuery(s.Query), named)
	e := Listed{Host: host, Key: p.Key(s.Path), Signature: route.Signature(carried)}
	k := entryKey{host, e.Key, e.Signature}
	if n, ok := c.seen[k]; ok {
		if n < 0 {
			return e, nil
		}
		return c.program.Listed[n], nil
	}
	at := c.where(host, s.Path, carried)
	if host == "" && c.ahead != nil && c.ahead[c.at].done {
		e = c.ahead[c.at].entry
	} else if err := c.work(&e, at); err != nil {
		return e, err
	}
	c.seen[k] = -1
	if len(named) > 0 || len(c.rules.Patterns) > 0 {
		c.known = append(c.known, at)
	}
	if e.Kind != "" && !slices.ContainsFunc(others, e.answersAs) {
		c.seen[k] = int32(len(c.program.Listed))
		c.program.Listed = append(c.program.Listed, e)
	}
	return e, nil
}

// where returns the address to work out for a path and its parameters.
func (c *compiler) where(host, path string, carried []address.Param) address.Address {
	at := c.plan.Site.Origin
	at.Host = cmp.Or(host, at.Host)
	at.Path, at.Query = c.plan.Small(address.MergeSlashes(path)), address.JoinQuery(carried)
	return at
}

// worked is a source that was worked out ahead.
type worked struct {
	entry Listed
	done  bool
}

// workAhead works sources without parameters out, on all processors. What
// comes with findings or errors is left for its turn.
func (c *compiler) workAhead(list []route.Source) {
	p := c.plan
	c.ahead = slices.Grow(c.ahead[:0], len(list))[:len(list)]
	clear(c.ahead)
	route.Parallel(len(list), func(_, from, to int) {
		own := compiler{program: c.program, plan: p, rules: c.rules, walker: c.rules.Walker()}
		for i := from; i < to; i++ {
			s := list[i]
			if s.Query != "" || p.Site.IsLanguageHost(s.Host) || len(own.named(s.Path)) > 0 {
				continue
			}
			e := Listed{Key: p.Key(s.Path)}
			if own.work(&e, own.where("", s.Path, nil)) == nil && len(own.found) == 0 {
				c.ahead[i] = worked{e, true}
			}
			own.found = nil
		}
	})
}

// named returns the parameters that give a path a meaning.
func (c *compiler) named(path string) []string { return c.walker.Named(path) }

// answersAs reports whether two entries do the same.
func (e Listed) answersAs(o Listed) bool {
	return e.Kind == o.Kind && e.Target == o.Target && e.Status == o.Status && slices.Equal(e.Strip, o.Strip) &&
		e.Drop == o.Drop
}

// work fills in what the plan answers at an address; no kind where the site's
// own rules alone say the same.
func (c *compiler) work(e *Listed, at address.Address) error {
	p := c.plan
	w := c.walker
	w.Start("GET", at)
	end, err := w.Walk(nil)
	if err != nil {
		return err
	}
	if len(w.Causes) > 0 {
		end.Cause = w.Causes[0]
	}
	e.Where = resolve.Cause{File: end.Cause.File, Line: end.Cause.Line}
	moved := len(w.Steps) > 0 && end.Kind != resolve.AtGone
	itself := w.At.Host == p.Site.Rebase(at).Host && p.Key(w.At.Path) == e.Key && c.signature(w.At) == e.Signature
	if w.Idle == resolve.BySource && !w.Travelled {
		c.selfQuery(e)
		return nil
	}
	if w.Still > 0 && w.Still <= p.Redirects.Len() {
		row := p.Redirects.Row(w.Still - 1)
		c.found = append(c.found, finding.Finding{Code: finding.Self, Severity: finding.Error, Where: row.Place(),
			What:   address.Printable(row.From) + " leads to itself",
			Advice: "delete the row, or write the target that was meant"})
		return nil
	}
	switch page := c.livePage(at); {
	case end.Kind == resolve.AtGone:
		e.Kind = Gone
		return nil
	case page != nil:
		c.live(e, *page)
		return nil
	case !moved && (end.Kind == resolve.AtFile || end.Kind == resolve.AtPage):
		return nil // a listed file
	case end.Kind == resolve.AtFile && !w.Travelled && w.Rounds() == 0 && len(w.Reading(at.Path)) == 0:
		return nil // one with slashes behind it, whose letters stay as they are asked
	case moved && p.Scope.Leaves(w.At.Path) && !w.Travelled && w.Rounds() == 0 && len(w.Reading(at.Path)) == 0:
		return nil // it is left alone there, and its letters too
	case !moved, !w.Travelled && w.Rounds() == 0: // the site's own rules alone, and then no page
		e.Kind, e.Target = Hold, p.Site.Rebase(w.At)
		return nil
	}
	if page := c.livePage(w.At); page != nil && itself {
		c.live(e, *page)
		return nil
	}
	if w.Steps[0].By == resolve.ByPattern && c.asPattern(at, w) || c.takesLetters(at, w) {
		return nil // the server reads the pattern, with the letters as they are asked
	}
	if itself && (w.Dropped || w.At.Query != w.Spelled(at).Query) {
		c.selfQuery(e)
		return nil
	}
	if itself {
		c.found = append(c.found, finding.Finding{Code: finding.SelfRedirect, Severity: finding.Warning,
			Where:  finding.Place{File: e.Where.File, Line: e.Where.Line},
			What:   "this leads to another spelling of itself, which no server is asked to do",
			Advice: "delete the row; the site's own rules do the same"})
		return nil
	}
	stripped := slices.Clone(w.Stripped)
	for i := range len(w.Steps) + 1 {
		if a := w.Stood(i); p.Site.Has(a.Host) {
			stripped = append(stripped, p.Parameters.LocalNoise(a.Path)...)
		}
	}
	slices.Sort(stripped)
	e.Kind, e.Target, e.Drop, e.Strip = Move, w.At, w.Dropped, slices.Compact(stripped)
	if !w.Dropped { // what was looked up by, and travels all the same, is the request's to bring
		e.Target.Query = address.JoinWithout(address.SplitQuery(w.At.Query), func(q address.Param) bool {
			_, brought := address.First(address.SplitQuery(at.Query), q.Name)
			return brought && !slices.Contains(e.Strip, q.Name)
		})
	}
	e.Status = both(w.Steps)
	return nil
}

// selfQuery reports a redirect that leads to itself with another query string.
func (c *compiler) selfQuery(e *Listed) {
	c.found = append(c.found, finding.Finding{Code: finding.SelfQuery, Severity: finding.Error,
		Where:  finding.Place{File: e.Where.File, Line: e.Where.Line},
		What:   address.Printable(e.Key) + " leads to itself with another query string, which no server is asked to do",
		Advice: "delete the row; parameters that select nothing are left out when parameters.noise names them"})
}

// both returns the statuses of a way that was made with GET, for both methods.
func both(steps []resolve.Step) Statuses {
	var get, other []int
	for _, s := range steps {
		if s.Derived {
			get, other = append(get, 301), append(other, 308)
		} else {
			get, other = append(get, s.Status), append(other, s.Status)
		}
	}
	return Statuses{resolve.Compose(get...), resolve.Compose(other...)}
}

// signature is that of an address's parameters, as far as they give its path a
// meaning.
func (c *compiler) signature(a address.Address) string {
	return route.Signature(route.Carried(address.SplitQuery(a.Query), c.named(a.Path)))
}

// live makes an entry that of a live page.
func (c *compiler) live(e *Listed, at book.Entry) {
	e.Kind, e.Target = Live, c.plan.Site.Rebase(at.Address)
	e.Plain = e.Signature == "" && c.plainPath(e.Target.Path)
}

// livePage returns the entry of the live page that is served at an address but
// for its spelling, or nil.
func (c *compiler) livePage(at address.Address) *book.Entry {
	p := c.plan
	if len(p.Book.Entries) == 0 {
		return nil
	}
	n := c.rules.Decides(at.Host, at.Path, address.SplitQuery(at.Query), c.named(at.Path))
	if n < 0 {
		return nil
	}
	return p.Served(n)
}

// plainPath reports whether a path is what the site's own rules make of it, and no
// pattern takes it.
func (c *compiler) plainPath(path string) bool {
	p := c.plan
	if p.SiteForm(path) != path || p.IsFile(path) || !address.Reflectable(path) {
		return false
	}
	return len(c.walker.Reading(path)) == 0
}

// groups collects the parameters that give paths a meaning.
func (c *compiler) groups() {
	p := c.plan
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
		c.program.Groups[i].Paths = append(c.program.Groups[i].Paths, key)
	}
	for _, a := range c.known {
		enter(p.Key(a.Path), c.named(a.Path))
	}
	for _, rule := range c.rules.Patterns {
		if path, ok := rule.Reader.LiteralPath(); ok {
			enter(p.Key(path), c.named(path))
		}
	}
	for i := range c.program.Groups {
		g := &c.program.Groups[i]
		slices.Sort(g.Paths)
		g.Paths = slices.Compact(g.Paths)
	}
	slices.SortFunc(c.program.Groups, func(a, b Group) int {
		return strings.Compare(strings.Join(a.Names, "&"),
			strings.Join(b.Names, "&"))
	})
}
