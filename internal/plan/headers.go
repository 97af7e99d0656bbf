package plan

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/planfile"
	"young-compass/internal/route"
)

// Field is a response header of an answer.
type Field struct{ Name, Value string }

// fields returns the response headers that the plan adds for a request: of each
// name the first that is written for it.
func (p *Plan) fields(r Request) []Field {
	var list []Field
	for _, h := range p.Headers {
		values, ok := h.Reads(r.Address, p.Paths.Lower)
		if !ok {
			continue
		}
		for _, header := range h.Fields {
			if planfile.SecureOnly(header.Name) && r.Scheme != "https" ||
				slices.ContainsFunc(list, func(f Field) bool { return strings.EqualFold(f.Name, header.Name) }) {
				continue
			}
			list = append(list, Field{header.Name, header.Expand(values)})
		}
	}
	return slices.DeleteFunc(list, func(f Field) bool { return f.Value == "" }) // a rule that keeps others from adding one
}

// internal returns the address by which a server makes what was asked, for a
// request that is neither redirected nor a file; empty when it does so by
// itself.
func (p *Plan) internal(r Request) (to string, cause Cause) {
	join := func(to string) string {
		if r.Query == "" {
			return to
		}
		if strings.Contains(to, "?") {
			return to + "&" + r.Query
		}
		return to + "?" + r.Query
	}
	for _, s := range p.Serves {
		if values, ok := s.Reader.ReadPath(route.PatternPath(r.Path), p.Paths.Lower); ok && !s.Except.Has(r.Path) {
			return join(s.Target.Expand(values)), Cause{File: p.File, Line: s.Where.Line,
				Rule: fmt.Sprintf("%s is made by %s", s.From, s.To)}
		}
	}
	if p.Front != nil && !p.Front.Except.Has(r.Path) {
		return join(p.Front.To), Cause{File: p.File, Line: p.Front.Where.Line, Rule: "the script " + p.Front.To +
			" answers"}
	}
	return "", Cause{}
}
