package compile

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

// pattern composes a pattern with those that its target always meets.
func (c *compiler) pattern(from *resolve.Pattern) (list []Pattern) {
	out := Pattern{Reader: from.Reader, Drop: from.Drop, Except: from.Except,
		Where: resolve.Cause{File: from.Cause.File, Line: from.Cause.Line, Rule: "pattern " + from.From}}
	way := []resolve.Step{{Status: from.Status, Derived: from.Status == 0}}
	out.Strip = append(out.Strip, from.Names()...)
	at := from.Pattern
	for range resolve.MaxRounds - 1 {
		next, one, err := c.rules.Through(at)
		if one == nil || err != nil {
			break // the server leads on with a second hop
		}
		at, out.Drop = one, out.Drop || next.Drop
		way = append(way, resolve.Step{Status: next.Status, Derived: next.Status == 0})
	}
	out.Target, out.Status = c.tidied(at), both(way)
	ruled := both(append(slices.Clone(way),
		resolve.Step{Derived: true})) // when one of the site's own rules comes behind
	if out.Target != at.Target {
		out.Status = ruled
	}
	if c.plan.Paths.Slash == address.SlashAlways && out.Target == at.Target {
		// Where the value at the end holds no dot, the address ends with a slash; those patterns come first.
		narrow := *at
		narrow.Reader = at.Reader.Without('.', lastNames(at.Target.String()))
		if target := c.tidied(&narrow); target != at.Target {
			first := out
			first.Reader, first.Target, first.Status = from.Reader.Without('.',
				lastNames(at.Target.String())), target, ruled
			list = append(list, first)
		}
	}
	list = append(list, out)
	for i := range list {
		c.strips(from, &list[i])
	}
	return list
}

// strips works out the parameters that don't travel by a pattern.
func (c *compiler) strips(from *resolve.Pattern, out *Pattern) {
	out.Strip = slices.Clone(out.Strip)
	for _, example := range []string{from.Example(), out.Target.Sample()} {
		if a, err := address.Resolve(c.plan.Site.Origin, example); err == nil && c.plan.Site.Has(a.Host) {
			out.Strip = append(out.Strip, c.plan.Parameters.LocalNoise(a.Path)...)
		}
	}
	for _, q := range address.SplitQuery(queryOf(out.Target)) {
		out.Strip = append(out.Strip, q.Name)
	}
	slices.Sort(out.Strip)
	out.Strip = slices.Compact(out.Strip)
}

// lastNames returns the variables in the last segment of a target's path.
func lastNames(target string) []string {
	path, _ := cutPath(target)
	last := path[max(0, strings.LastIndexByte(path, '/')):]
	if strings.HasSuffix(path, "*}") { // a list of segments
		last = path[strings.LastIndexByte(path, '{'):]
	}
	t, err := template.Parse(last)
	if err != nil {
		return nil
	}
	return t.Names()
}

// tidied returns a pattern's target as the site's own rules make addresses, as far as that is the same for every value:
// the slash at the end, and an extension or an index file behind the last variable.
//
//	/notices/{slug}.html    to /notices/{slug}
func (c *compiler) tidied(at *route.Pattern) *template.Template {
	p, t := c.plan, at.Target
	if meets, _, _ := c.rules.Through(at); meets != nil || at.Writes(p.Site) == nil {
		return t // perhaps another pattern leads on from there
	}
	to, err := address.Resolve(p.Site.Origin, t.Sample())
	to.Path = p.WithoutPrefix(to.Path)
	if err != nil || p.Site.Rebase(to).Host != p.Site.Origin.Host || p.Scope.Leaves(to.Path) || p.IsFile(to.Path) {
		return t
	}
	text := c.withoutPrefix(t.String())
	path, behind := cutPath(text)
	head, tail := cutTail(path)
	begins := "" // of every path: up to the last variable
	if strings.HasSuffix(head, "}") {
		var written bool
		if begins, written = strings.CutSuffix(to.Path, tail); !written {
			return t
		}
	}
	ending, ok := strings.CutPrefix(p.Shape(p.EndSlash(to.Path)), begins)
	slash := strings.TrimPrefix(ending, tail) == "/"
	if !ok || begins != "" && slash && c.dotted(at, head+tail) {
		return t // perhaps what looks like a file
	}
	if head+ending+behind == t.String() {
		return t
	}
	changed, err := template.Parse(head + ending + behind)
	if err != nil {
		return t
	}
	return changed
}

// cutPath cuts a target behind its path.
//
//	/notices/{slug}{?page}    /notices/{slug}, {?page}
func cutPath(target string) (path, behind string) {
	end := len(target)
	for _, stop := range []string{"?", "{?", "#"} {
		if i := strings.Index(target, stop); i >= 0 {
			end = min(end, i)
		}
	}
	return target[:end], target[end:]
}

// cutTail cuts a target's path behind its last variable; where it has none, behind the host.
//
//	https://skerrywick.example/notices/{slug}.html    https://skerrywick.example/notices/{slug}, .html
func cutTail(path string) (head, tail string) {
	i := strings.LastIndexByte(path, '}') + 1
	if i == 0 {
		i = behindHost(path)
	}
	return path[:i], path[i:]
}

// behindHost is where the path of a target begins.
func behindHost(target string) int {
	i := strings.Index(target, "://")
	if i < 0 {
		return 0
	}
	return i + 3 + strings.IndexByte(target[i+3:]+"/", '/')
}

// withoutPrefix removes the default language's code from the front of a target's path.
func (c *compiler) withoutPrefix(target string) string {
	i := behindHost(target)
	base, path := target[:i], target[i:]
	literal := path[:strings.IndexAny(path+"{", "{?#")]
	cut := strings.LastIndexByte(literal, '/')
	if cut < 0 {
		return target
	}
	return base + strings.TrimSuffix(c.plan.WithoutPrefix(literal[:cut+1]), "/") + path[cut:]
}

// dotted reports whether a value in the last segment of a path may hold a dot.
func (c *compiler) dotted(at *route.Pattern, path string) bool {
	classes := at.Reader.Classes()
	return slices.ContainsFunc(lastNames(path), func(name string) bool {
		class, ok := classes[name]
		return !ok || class.Has('.')
	})
}

// queryOf returns the query that every expansion of a target has; a variable
// has the value x.
func queryOf(t *template.Template) string {
	_, query, _ := strings.Cut(t.Sample(), "?")
	query, _, _ = strings.Cut(query, "#")
	return query
}

// preimages enters the addresses from which a pattern leads to an address that
// the plan knows, where the plan's answer is another than the pattern's alone.
func (c *compiler) preimages() error {
	targets, writers, err := c.writers()
	if err != nil {
		return err
	}
	for round, from := 0, 0; round < resolve.MaxRounds && from < len(c.known); round++ {
		known := c.known[from:]
		from = len(c.known)
		for _, a := range known {
			for _, n := range targets.Find(route.PatternPath(a.Path)) {
				if err := c.preimage(writers[n], a); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// writer is a pattern whose target is a path that can be read back.
type writer struct {
	*resolve.Pattern
	source *template.Template
	target *template.Reader
}

// writers returns these patterns, and an automaton that reads what they write.
func (c *compiler) writers() (*template.Automaton, []writer, error) {
	var list []writer
	var readers []*template.Reader
	for i := range c.rules.Patterns {
		rule := &c.rules.Patterns[i]
		reader := rule.Writes(c.plan.Site)
		if reader == nil {
			continue
		}
		source, err := template.Parse(rule.From)
		if err != nil {
			return nil, nil, err
		}
		list, readers = append(list, writer{rule, source, reader}), append(readers, reader)
	}
	return template.NewAutomaton(readers, c.plan.Paths.Lower), list, nil
}

// preimage enters the address from which a pattern leads to one that the plan knows.
func (c *compiler) preimage(w writer, a address.Address) error {
	p := c.plan
	values, ok := w.target.ReadPath(route.PatternPath(a.Path), p.Paths.Lower)
	if !ok || !w.target.ReadQuery(address.SplitQuery(a.Query), values) {
		return nil
	}
	at, err := address.Resolve(p.Site.Origin, w.source.Expand(values))
	if err != nil || p.Scope.Leaves(at.Path) || w.Except.Has(at.Path) || c.asPattern(at, nil) {
		return nil
	}
	if err := c.add(route.Source{Path: at.Path, Query: at.Query}); err != nil {
		c.found = append(c.found, finding.Finding{Code: finding.Loop, Severity: finding.Error, What: err.Error(),
			Advice: "narrow one of the patterns",
			Where:  finding.Place{File: w.Cause.File, Line: w.Cause.Line, URL: at.String()}})
	}
	return nil
}

// takesLetters reports whether the first pattern on the way w takes letters of the address over as they are asked, so
// that the way ends elsewhere with capitals. An entry, which is looked up without regard to letters, can't say that.
//
//	/p/{x} to https://far.example/n?x={x}    /p/A, /p/a
func (c *compiler) takesLetters(at address.Address, w *resolve.Walker) bool {
	if !c.plan.Paths.Lower {
		return false
	}
	other := c.rules.Walker()
	at.Path = strings.ToUpper(at.Path)
	other.Start("GET", at)
	if _, err := other.Walk(nil); err != nil || len(other.Steps) == 0 {
		return false
	}
	first, same := chosen(w), chosen(other)
	return first.By == resolve.ByPattern && first.By == same.By && first.Number == same.Number && other.At != w.At
}

// chosen returns the first step of a way that isn't one of the site's own rules; the zero value if there is none.
func chosen(w *resolve.Walker) resolve.Step {
	for _, s := range w.Steps {
		if s.By != resolve.ByRule {
			return s
		}
	}
	return resolve.Step{}
}

// asPattern reports whether the plan answers at an address just what the first
// composed pattern that reads it says.
// The way from there is w, if it was walked already.
func (c *compiler) asPattern(at address.Address, w *resolve.Walker) bool {
	p := c.plan
	for _, n := range c.walker.Reading(at.Path) {
		q := c.program.Patterns[n]
		values, ok := q.Reader.ReadPath(route.PatternPath(at.Path), p.Paths.Lower)
		if !ok || q.Except.Has(at.Path) || !q.Reader.ReadQuery(address.SplitQuery(at.Query), values) {
			continue
		}
		to, err := address.Resolve(p.Site.Origin, q.Target.Expand(values))
		if err != nil {
			return false
		}
		if w == nil {
			w = c.walker
			w.Start("GET", at)
			if end, err := w.Walk(nil); err != nil || end.Kind == resolve.AtGone {
				return false
			}
		}
		return len(w.Steps) > 0 && w.At.String() == to.String() && w.Status() == q.Status.Get
	}
	return false
}
