package template

import (
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Classes returns the class of every variable.
func (r *Reader) Classes() map[string]Class {
	classes := map[string]Class{}
	for _, e := range r.elements {
		if e.Name != "" {
			classes[e.Name] = e.Class
		}
	}
	for _, q := range r.query {
		if q.Variable != "" {
			classes[q.Variable] = q.Class
		}
	}
	return classes
}

// Align reports whether b reads every path that a reads, variable by variable. It returns the names that b's
// variables have in a.
//
//	/news/{y}  and  /news/{z}               true: z is y
//	/news/{y}  and  /news/{z}, z=digits     false: b reads no /news/today
//	/news/{y}  and  /{section}/{z}          false: b reads every path of a, but not variable by variable
func Align(a, b *Reader, fold bool) (map[string]string, bool) {
	if len(a.elements) != len(b.elements) {
		return nil, false
	}
	names := map[string]string{}
	for i, e := range a.elements {
		f := b.elements[i]
		if e.List != f.List || (e.Name == "") != (f.Name == "") {
			return nil, false
		}
		if e.Name == "" {
			if e.Literal != f.Literal && !(fold && address.Fold(e.Literal) == address.Fold(f.Literal)) {
				return nil, false
			}
			continue
		}
		if !e.Class.Within(f.Class) {
			return nil, false
		}
		names[f.Name] = e.Name
	}
	return names, true
}

// Within reports whether every value of c is one of o.
func (c Class) Within(o Class) bool {
	return c.set.within(o.set) && (!c.several || o.several) && c.min >= o.min &&
		(o.max == 0 || c.max > 0 && c.max <= o.max)
}

// Rename returns the template with other names for its variables. names gives the new name of an old one.
func (t *Template) Rename(names map[string]string) *Template {
	names = maps.Clone(names)
	out := &Template{}
	for _, p := range t.parts {
		vars := p.vars
		p.vars = nil
		for _, v := range vars {
			if name, ok := names[v.name]; ok {
				v.name = name
			}
			p.vars = append(p.vars, v)
		}
		out.parts = append(out.parts, p)
		out.source += p.String()
	}
	return out
}

// Disjoint reports whether it is plain that no path is read by both, because their first or last literals contradict
// each other. It is quick, and may say false where there is no such path either: see Overlap.
//
//	/news/{y}  and  /notices/{y}            true
//	/news/{y}  and  /news/{z}, z=digits     false
//	/{x}/1     and  /1/{x}                  false
func Disjoint(a, b *Reader, fold bool) bool {
	literal := func(e Element) string {
		if fold {
			return address.Fold(e.Literal)
		}
		return e.Literal
	}
	p, q := literal(a.elements[0]), literal(b.elements[0])
	if !strings.HasPrefix(p, q) && !strings.HasPrefix(q, p) {
		return true
	}
	p, q = literal(a.elements[len(a.elements)-1]), literal(b.elements[len(b.elements)-1])
	return !strings.HasSuffix(p, q) && !strings.HasSuffix(q, p)
}

// Loose returns a reader of the same form that takes anything but a slash for
// its variables.
func (r *Reader) Loose() *Reader {
	anything := Class{name: "anything", min: 1}
	for i := range anything.set {
		anything.set[i] = ^uint64(0)
	}
	anything.set.remove('/')
	loose := &Reader{elements: slices.Clone(r.elements), query: slices.Clone(r.query)}
	for i := range loose.elements {
		loose.elements[i].Class = anything
	}
	for i := range loose.query {
		loose.query[i].Class = anything
	}
	return loose
}
