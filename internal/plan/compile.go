package plan

import (
	"cmp"
	"runtime"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/redirect"
	"young-compass/internal/template"
)

// Program is a plan worked out for every address it knows, for servers that
// can look texts up and match expressions, but not evaluate a plan. Its
// entries are what Answer says; nothing in it gives a rule a meaning anew.
type Program struct {
	Trial bool // redirects are temporary, until the plan has proved itself
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
	return Statuses{redirect.Compose([]int{301, s.Get}), redirect.Compose([]int{308, s.Other})}
}

// Pattern is a pattern redirect, with those that its target always meets
// composed into it.
type Pattern struct {
	Reader *template.Reader
	Target *template.Template
	Status Statuses
	Strip  []string
	Drop   bool
	Except Places
	Where  Cause
}

// OnSite reports whether the pattern's target is on the site.
func (g *Program) OnSite(p Pattern) bool {
	a, err := address.Resolve(g.Site.Origin, sample(p.Target))
	return err == nil && g.Site.Has(a.Host)
}

// At returns the entries of a look-up key.
func (g *Program) At(key string) []Entry {
	first, _ := slices.BinarySearchFunc(g.Entries, key, func(e Entry, k string) int { return strings.Compare(e.Key, k) })
	last := first
	for last < len(g.Entries) && g.Entries[last].Key == key {
		last++
	}
	return g.Entries[first:last]
}

// Key returns the look-up key of a path.
func (p *Plan) Key(path string) string { return p.index.Key(path) }

// Compile works the plan out for every address it knows.
func (p *Plan) Compile() (*Program, []finding.Finding, error) {
	g := &Program{Plan: p}
	sources := len(p.Book.Entries) + p.Redirects.Len()
	c := compiler{program: g, answerer: p.Answerer(), seen: make(map[entryKey]int32, sources)}
	g.Entries = make([]Entry, 0, sources)
	for _, rule := range p.Rules {
		g.Patterns = append(g.Patterns, c.pattern(rule))
	}
	list := c.sources()
	c.workAhead(list)
	for i, s := range list {
		c.at = i
		if err := c.add(s); err != nil {
			return nil, nil, err
		}
	}
	c.ahead = nil
	if err := c.preimages(); err != nil {
		return nil, nil, err
	}
	g.sort()
	c.groups()
	return g, c.found, nil
}

// before orders entries by key, parameters and host.
func (e *Entry) before(o *Entry) int {
	if d := strings.Compare(e.Key, o.Key); d != 0 {
		return d
	}
	return cmp.Or(strings.Compare(e.Signature, o.Signature), strings.Compare(e.Host, o.Host))
}

// sort puts the entries in order: halves at once, then together, each moved once.
func (g *Program) sort() {
	order := make([]int32, len(g.Entries))
	for i := range order {
		order[i] = int32(i)
	}
	compare := func(i, j int32) int { return g.Entries[i].before(&g.Entries[j]) }
	a, b := order[:len(order)/2], order[len(order)/2:]
	var other sync.WaitGroup
	other.Go(func() { slices.SortFunc(b, compare) })
	slices.SortFunc(a, compare)
	other.Wait()
	sorted := make([]Entry, 0, len(order))
	for len(a)+len(b) > 0 {
		if len(b) == 0 || len(a) > 0 && compare(a[0], b[0]) <= 0 {
			sorted, a = append(sorted, g.Entries[a[0]]), a[1:]
		} else {
			sorted, b = append(sorted, g.Entries[b[0]]), b[1:]
		}
	}
	g.Entries = sorted
}

type entryKey struct{ host, key, signature string }

type compiler struct {
	program  *Program
	answerer *Answerer          // that takes steps and remembers nothing
	ahead    []worked           // by source: what it answers on the origin
	at       int                // the source in work
	seen     map[entryKey]int32 // the entries; -1 where none is needed
	known    []address.Address
	found    []finding.Finding
}

// sources returns every address that the plan knows and doesn't leave alone.
func (c *compiler) sources() []redirect.Source {
	var list []redirect.Source
	rows := c.program.Redirects
	for i := range rows.Len() {
		if !rows.IsPattern(i) {
			list = append(list, rows.Source(i))
		}
	}
	for _, e := range c.program.Book.Entries {
		list = append(list, redirect.SourceOf(e.Address))
	}
	return slices.DeleteFunc(list, func(s redirect.Source) bool { return c.program.IsExempt(s.Path) })
}

// add enters what a source answers: once for all hosts, and once more for each
// host on which another entry of the plan decides, if it decides otherwise.
func (c *compiler) add(s redirect.Source) error {
	p := c.program.Plan
	named := c.named(s.Path)
	params := address.SplitQuery(s.Query)
	if p.Site.IsHome(s.Host) {
		_, err := c.enter(s.Host, s, named)
		return err
	}
	generic, err := c.enter("", s, named)
	if err != nil || p.index.OneHost() {
		return err
	}
	decides := p.decides(p.Site.Origin.Host, s.Path, params, named)
	for _, host := range p.Site.Hosts {
		if p.decides(host, s.Path, params, named) == decides {
			continue
		}
		if _, err := c.enter(host, s, named, generic); err != nil {
			return err
		}
	}
	return nil
}

// decides returns the number of the entry that decides on a host, or -1.
func (p *Plan) decides(host, path string, params []address.Param, named []string) int {
	for _, n := range p.index.Match(host, path, params, named) {
		if n >= len(p.ignored) || !p.ignored[n] {
			return n
		}
	}
	return -1
}

// enter works out the entry of a source, for all hosts or for one, unless it
// has been entered already or says the same as one of the others.
func (c *compiler) enter(host string, s redirect.Source, named []string, others ...Entry) (Entry, error) {
	p := c.program.Plan
	carried := redirect.Carried(address.SplitQuery(s.Query), named)
	e := Entry{Host: host, Key: p.index.Key(s.Path), Signature: redirect.Signature(carried)}
	k := entryKey{host, e.Key, e.Signature}
	if n, ok := c.seen[k]; ok {
		if n < 0 {
			return e, nil
		}
		return c.program.Entries[n], nil
	}
	at := p.where(host, s.Path, carried)
	if host == "" && c.ahead != nil && c.ahead[c.at].done {
		e = c.ahead[c.at].entry
	} else if err := c.work(&e, at); err != nil {
		return e, err
	}
	c.seen[k] = -1
	if len(named) > 0 || len(p.Rules) > 0 {
		c.known = append(c.known, at)
	}
	if e.Kind != "" && !slices.ContainsFunc(others, e.answersAs) {
		c.seen[k] = int32(len(c.program.Entries))
		c.program.Entries = append(c.program.Entries, e)
	}
	return e, nil
}

// where returns the address to work out for a path and its parameters.
func (p *Plan) where(host, path string, carried []address.Param) address.Address {
	at := p.Site.Origin
	at.Host = cmp.Or(host, at.Host)
	at.Path, at.Query = address.MergeSlashes(path), address.JoinQuery(carried)
	if p.Paths.Lower {
		at.Path = address.Fold(at.Path)
	}
	return at
}

// worked is a source that was worked out ahead.
type worked struct {
	entry Entry
	done  bool
}

// workAhead works sources without parameters out, on all processors. What
// comes with findings or errors is left for its turn.
func (c *compiler) workAhead(list []redirect.Source) {
	p := c.program.Plan
	c.ahead = make([]worked, len(list))
	workers := runtime.GOMAXPROCS(0)
	var all sync.WaitGroup
	for worker := range workers {
		all.Go(func() {
			own := compiler{program: c.program, answerer: p.Answerer()}
			for i := len(list) * worker / workers; i < len(list)*(worker+1)/workers; i++ {
				s := list[i]
				if s.Query != "" || p.Site.IsHome(s.Host) || len(own.named(s.Path)) > 0 {
					continue
				}
				e := Entry{Key: p.index.Key(s.Path)}
				if own.work(&e, p.where("", s.Path, nil)) == nil && len(own.found) == 0 {
					c.ahead[i] = worked{e, true}
				}
				own.found = nil
			}
		})
	}
	all.Wait()
}

// named returns the parameters that give a path a meaning.
func (c *compiler) named(path string) []string {
	return c.program.named(path, c.answerer.rules.Find(redirect.PatternPath(path)))
}

// way is a request at its beginning.
func (c *compiler) way(method string, at address.Address) *way {
	return &way{answerer: c.answerer, method: method, at: at}
}

// answersAs reports whether two entries do the same.
func (e Entry) answersAs(o Entry) bool {
	return e.Kind == o.Kind && e.Target == o.Target && e.Status == o.Status && slices.Equal(e.Strip, o.Strip) && e.Drop == o.Drop
}

// work fills in what the plan answers at an address; no kind where the site's
// own rules alone say the same.
func (c *compiler) work(e *Entry, at address.Address) error {
	p := c.program.Plan
	w := c.way("GET", at)
	a, err := p.walk(w)
	if err != nil {
		return err
	}
	e.Where = Cause{File: a.Causes[0].File, Line: a.Causes[0].Line}
	itself := w.at.Host == p.Site.Rebase(at).Host && p.index.Key(w.at.Path) == e.Key && c.signature(w.at) == e.Signature
	switch page := c.livePage(at); {
	case a.Outcome == Gone:
		e.Kind = EntryGone
		return nil
	case page != nil:
		c.live(e, *page)
		return nil
	case a.Outcome == Served:
		return nil // a listed file
	case a.Outcome == Unknown, !w.travelled && w.patterns == 0: // the site's own rules alone, and then no page
		e.Kind, e.Target = EntryHold, p.Site.Rebase(w.at)
		return nil
	}
	if page := c.livePage(w.at); page != nil && itself {
		c.live(e, *page)
		return nil
	}
	if w.byPattern && c.asPattern(at) {
		return nil // the server reads the pattern, with the letters as they are asked
	}
	if itself {
		c.found = append(c.found, finding.Finding{Code: "self-redirect", Severity: finding.Warning, Where: finding.Place{File: e.Where.File, Line: e.Where.Line},
			What: "this leads to another spelling of itself, which no server is asked to do", Advice: "delete the row; the site's own rules do the same"})
		return nil
	}
	for _, a := range append(w.seen, w.at) {
		if p.Site.Has(a.Host) {
			w.stripped = append(w.stripped, p.LocalNoise(a.Path)...)
		}
	}
	slices.Sort(w.stripped)
	e.Kind, e.Target, e.Drop, e.Strip = EntryMove, w.at, w.dropped, slices.Compact(w.stripped)
	if !w.dropped { // what was looked up by, and travels all the same, is the request's to bring
		e.Target.Query = joinParams(address.SplitQuery(w.at.Query), func(q address.Param) bool {
			_, brought := address.First(address.SplitQuery(at.Query), q.Name)
			return brought && !slices.Contains(e.Strip, q.Name)
		})
	}
	e.Status = w.both()
	return nil
}

// both returns the statuses of a way that was made with GET, for both methods.
func (w *way) both() Statuses {
	s := Statuses{Get: redirect.Compose(w.statuses)}
	for i, derived := range w.derivedSteps {
		if derived {
			w.statuses[i] = 308
		}
	}
	s.Other = redirect.Compose(w.statuses)
	return s
}

// LocalNoise returns the names of parameters that are noise on a path, but not
// everywhere.
func (p *Plan) LocalNoise(path string) []string {
	if !slices.ContainsFunc(p.Parameters, func(q Parameter) bool { return q.Class == Noise && q.For != "" }) {
		return nil
	}
	if p.Paths.Lower {
		path = address.Fold(path)
	}
	var names []string
	for _, q := range p.Parameters {
		if q.Class == Noise && q.For != "" && (path == q.For || strings.HasPrefix(path, q.For+"/")) {
			names = append(names, q.Name)
		}
	}
	return names
}

// signature is that of an address's parameters, as far as they give its path a
// meaning.
func (c *compiler) signature(a address.Address) string {
	return redirect.Signature(redirect.Carried(address.SplitQuery(a.Query), c.named(a.Path)))
}

// live makes an entry that of a live page.
func (c *compiler) live(e *Entry, at book.Entry) {
	e.Kind, e.Target = EntryLive, c.program.Site.Rebase(at.Address)
	e.Plain = e.Signature == "" && c.plainPath(e.Target.Path)
}

// livePage returns the entry of the live page that is served at an address but
// for its spelling, or nil.
func (c *compiler) livePage(at address.Address) *book.Entry {
	p := c.program.Plan
	if len(p.Book.Entries) == 0 {
		return nil
	}
	n := p.decides(at.Host, at.Path, address.SplitQuery(at.Query), c.named(at.Path))
	if n < 0 {
		return nil
	}
	if e := p.entry(n); e != nil && p.serves(*e) {
		return e
	}
	return nil
}

// plainPath reports whether a path is what the site's own rules make of it, and no
// pattern takes it.
func (c *compiler) plainPath(path string) bool {
	p := c.program.Plan
	if p.SiteForm(path) != path || p.IsFile(path) || !Reflectable(path) {
		return false
	}
	return !slices.ContainsFunc(c.program.Patterns, func(q Pattern) bool {
		_, ok := q.Reader.ReadPath(redirect.PatternPath(path), p.Paths.Lower)
		return ok
	})
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
		enter(p.index.Key(a.Path), p.Named(a.Path))
	}
	for _, rule := range p.Rules {
		if path, ok := rule.Reader.LiteralPath(); ok {
			enter(p.index.Key(path), p.Named(path))
		}
	}
	slices.SortFunc(c.program.Groups, func(a, b Group) int { return strings.Compare(strings.Join(a.Names, "&"), strings.Join(b.Names, "&")) })
}
