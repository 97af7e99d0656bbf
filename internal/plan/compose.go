package plan

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/redirect"
	"young-compass/internal/template"
)

// pattern composes a rule with the rules that its target always meets.
func (c *compiler) pattern(rule Rule) Pattern {
	out := Pattern{Reader: rule.Reader, Target: rule.Target, Drop: rule.Drop, Except: rule.Except,
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
	out.Target = c.ended(rule.Reader.Classes(), out.Target)
	for _, example := range []string{rule.Example(), sample(out.Target)} {
		if a, err := address.Resolve(c.program.Site.Origin, example); err == nil && c.program.Site.Has(a.Host) {
			out.Strip = append(out.Strip, c.program.LocalNoise(a.Path)...)
		}
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
			out.Status.Get = redirect.Compose(w.statuses)
		} else {
			out.Status.Other = redirect.Compose(w.statuses)
		}
	}
	return out
}

// ended returns a pattern's target with the slash at its end as the site ends
// paths, where every value leaves that alone.
func (c *compiler) ended(classes map[string]template.Class, t *template.Template) *template.Template {
	p := c.program.Plan
	for _, name := range t.Names() {
		if class := classes[name]; class.Has('.') {
			return t // perhaps what looks like a file
		}
	}
	if reader, err := template.NewReader(t, classes); err != nil || slices.ContainsFunc(p.Rules, func(rule Rule) bool { return !template.Disjoint(reader, rule.Reader, p.Paths.Lower) }) {
		return t // perhaps another pattern leads on from there
	}
	to, err := address.Resolve(p.Site.Origin, sample(t))
	if err != nil || p.Site.Rebase(to).Host != p.Site.Origin.Host || p.IsExempt(to.Path) {
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
	if ended := p.slashed(to.Path); ended == to.Path || path == "" {
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
	_, query, _ := strings.Cut(sample(t), "?")
	query, _, _ = strings.Cut(query, "#")
	return query
}

// leadsOn returns the rule that every expansion of a target meets, and where
// it leads then; nil when there is none that surely does.
func (c *compiler) leadsOn(from *template.Reader, target *template.Template) (*template.Template, *Rule) {
	if p := c.program.Plan; !strings.HasPrefix(target.String(), "/") || len(p.Only.list)+len(p.Except.list) > 0 {
		return nil, nil // what leads into places that the plan leaves alone ends there
	}
	reader, err := template.NewReader(target, from.Classes())
	if err != nil || len(reader.Query()) > 0 {
		return nil, nil
	}
	for i, rule := range c.program.Rules {
		names, always := template.Align(reader, rule.Reader, c.program.Paths.Lower)
		switch {
		case len(rule.Reader.Query()) > 0 || template.Disjoint(reader, rule.Reader, c.program.Paths.Lower):
		case always && len(rule.Except.list) == 0:
			return rule.Target.Rename(names), &c.program.Rules[i]
		default:
			return nil, nil // some values meet this rule, others perhaps a later one
		}
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
		for _, rule := range p.Rules {
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
				values, ok := reader.ReadPath(redirect.PatternPath(a.Path), p.Paths.Lower)
				if !ok || !reader.ReadQuery(address.SplitQuery(a.Query), values) {
					continue
				}
				at, err := address.Resolve(p.Site.Origin, source.Expand(values))
				if err != nil || p.IsExempt(at.Path) || rule.Except.Has(at.Path) || c.asPattern(at) {
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

// asPattern reports whether the plan answers at an address just what the first
// composed pattern that reads it says.
func (c *compiler) asPattern(at address.Address) bool {
	p := c.program.Plan
	for _, q := range c.program.Patterns {
		values, ok := q.Reader.ReadPath(redirect.PatternPath(at.Path), p.Paths.Lower)
		if !ok || q.Except.Has(at.Path) || !q.Reader.ReadQuery(address.SplitQuery(at.Query), values) {
			continue
		}
		to, err := address.Resolve(p.Site.Origin, q.Target.Expand(values))
		if err != nil {
			return false
		}
		a, err := p.Answer(Request{Method: "GET", Address: at})
		return err == nil && a.Outcome == Moved && a.To == to.String() && a.Status == q.Status.Get
	}
	return false
}
