package resolve

import (
	"strings"

	"young-compass/internal/route"
	"young-compass/internal/template"
)

// Through returns the first pattern that leads some of what p writes elsewhere, and the two as one. It returns no
// pattern where none does, or where what p writes can't be read.
//
//	/press/{y} -> /news/{y}  and  /news/{y} -> /notices/{y}     one: /press/{y} -> /notices/{y}
//	/press/{y} -> /news/{y}  and  /news/{y} -> ..., y=digits    not one: /press/today stays at /news/today
//
// The two are one only where each address that p writes meets the second, whatever parameters a request brings. An
// error says why they aren't one all the same: it is a *route.PatternError.
func (r *Rules) Through(p *route.Pattern) (meets *Pattern, one *route.Pattern, err error) {
	written := p.Writes(r.Site)
	if written == nil {
		return nil, nil, nil
	}
	_, fragment, _ := strings.Cut(p.To, "#")
	for i := range r.Patterns {
		q := &r.Patterns[i]
		if _, meets := template.Overlap(written, q.Reader, r.Paths.Lower); !meets {
			continue
		}
		names, always := template.Align(written, q.Reader, r.Paths.Lower)
		if !always || len(written.Query())+len(q.Reader.Query()) > 0 || !q.Except.Empty() || !r.Scope.All() {
			return q, nil, nil
		}
		to := q.Target.Rename(names).String()
		if fragment != "" && !strings.Contains(to, "#") {
			to += "#" + fragment
		}
		one, err := route.NewPattern(p.From, to, p.Reader.Classes(), r.Site)
		if err != nil {
			return q, nil, err
		}
		from, _ := p.Local(r.Site)
		local, here := one.Local(r.Site)
		path, query, _ := strings.Cut(local, "?")
		switch {
		case !here || path != from:
			return q, one, nil
		case query != "" || q.Drop:
			return q, nil, nil // with some parameters it leads elsewhere
		}
		// it leads to where the request is already
	}
	return nil, nil, nil
}
