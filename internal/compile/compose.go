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
func (c *compiler) pattern(from *resolve.Pattern) Pattern {
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
	out.Target, out.Status = c.ended(at), both(way)
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
	return out
}

// ended returns a pattern's target with the slash at its end as the site ends paths, where every value leaves that
// alone.
func (c *compiler) ended(at *route.Pattern) *template.Template {
	p, t := c.plan, at.Target
	classes := at.Reader.Classes()
	for _, name := range t.Names() {
		if class := classes[name]; class.Has('.') {
			return t // perhaps what looks like a file
		}
	}
	if meets, _, _ := c.rules.Through(at); meets != nil || at.Writes(p.Site) == nil {
		return t // perhaps another pattern leads on from there
	}
	to, err := address.Resolve(p.Site.Origin, t.Sample())
	if err != nil || p.Site.Rebase(to).Host != p.Site.Origin.Host || p.Scope.Leaves(to.Path) {
		return t
	}
	text := t.String()
	end := len(text)
	for _, stop := range []string{"?", "{?", "#"} {
		if i := strings.Index(text, stop); i >= 0 {
			end = min(end, i)
		}
	}
	path := strings.TrimRight(text[:end], "/")
	if ended := p.EndSlash(to.Path); ended == to.Path || path == "" {
		return t
	} else if strings.HasSuffix(ended, "/") {
		path += "/"
	}
	changed, err := template.Parse(path + text[end:])
	if err != nil {
		return t
	}
	return changed
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
