package template

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Reader reads addresses back: given a path and its parameters it returns the
// values from which the template would write them. It takes literals, {x},
// {/x}, {/x*}, {?a,b}, {&a,b} and name={x} after a literal "?". Every variable
// is non-empty, except that {/x*} may be absent altogether. Where an address
// could be read in two ways, earlier variables take as much as they can, as in
// any backtracking expression, so that servers read the same.
//
//	/routes/{slug}{?page}  reads  /routes/kvitsund?page=2    as  slug=kvitsund page=2
//	/archive{/days*}       reads  /archive/2026/11           as  days=2026/11
type Reader struct {
	elements []Element
	query    []QueryItem
}

// Element is one step through a path: a literal, one value, or a list of
// segments each with its slash in front.
type Element struct {
	Literal string // in normal form
	Name    string // of the variable, for the two others
	Class   Class
	List    bool
}

// QueryItem is a parameter that must be there: with this literal value (with
// "=" in front; empty for a bare name), or with a value of the class.
type QueryItem struct {
	Name     string
	Value    string
	Variable string // empty for a literal
	Class    Class
}

// NewReader prepares a template for reading. A variable that classes doesn't
// name is of class segment.
func NewReader(t *Template, classes map[string]Class) (*Reader, error) {
	r := &Reader{}
	class := func(name string) Class {
		if c, ok := classes[name]; ok {
			return c
		}
		return Default()
	}
	seen := map[string]bool{}
	inQuery := false
	pending := ""   // the name of "name=" at the end of a literal query
	valued := false // a variable just gave it a value
	for _, p := range t.parts {
		if p.vars == nil {
			path, query, more := strings.Cut(p.literal, "?")
			if inQuery {
				path, query, more = "", p.literal, true
			}
			if strings.Contains(p.literal, "#") {
				return nil, fmt.Errorf("%s: a fragment never reaches a server, so none can be read back", t)
			}
			if path != "" {
				if err := r.addLiteral(path); err != nil {
					return nil, fmt.Errorf("%s: %w", t, err)
				}
			}
			if !more {
				continue
			}
			inQuery = true
			if valued && query[0] != '&' {
				return nil, fmt.Errorf("%s: a variable is the whole value of a parameter", t)
			}
			pending, valued = "", false
			items := strings.Split(query, "&")
			for i, item := range items {
				if item == "" {
					continue
				}
				q := address.ParseParam(item)
				if i == len(items)-1 && strings.HasSuffix(item, "=") {
					pending = q.Name
				}
				r.query = append(r.query, QueryItem{Name: q.Name, Value: q.Value})
			}
			continue
		}
		for i, v := range p.vars {
			if seen[v.name] {
				return nil, fmt.Errorf("%s: the variable %s stands there twice", t, v.name)
			}
			seen[v.name] = true
			c := class(v.name)
			switch {
			case p.op == '?' || p.op == '&':
				if v.explode || v.prefix > 0 || c.several || (p.op == '?') == inQuery && i == 0 {
					return nil, fmt.Errorf("%s: %s can't be read back", t, p)
				}
				inQuery = true
				r.query = append(r.query, QueryItem{Name: v.name, Variable: v.name, Class: c})
			case inQuery && p.op == 0 && pending != "" && len(p.vars) == 1 && !v.explode && v.prefix == 0 && !c.several:
				last := &r.query[len(r.query)-1]
				*last = QueryItem{Name: pending, Variable: v.name, Class: c}
				pending, valued = "", true
			case inQuery:
				return nil, fmt.Errorf("%s: %s can't be read back from a query", t, p)
			case p.op == 0 && len(p.vars) == 1 && !v.explode && v.prefix == 0:
				if n := len(r.elements); n > 0 && r.elements[n-1].Name != "" {
					return nil, fmt.Errorf("%s: put something between the variables %s and %s", t, r.elements[n-1].Name,
						v.name)
				}
				r.elements = append(r.elements, Element{Name: v.name, Class: c})
			case p.op == '/' && v.prefix == 0 && v.explode && !c.several:
				r.elements = append(r.elements, Element{Name: v.name, Class: c, List: true})
			case p.op == '/' && v.prefix == 0 && !v.explode:
				if err := r.addLiteral("/"); err != nil {
					return nil, err
				}
				r.elements = append(r.elements, Element{Name: v.name, Class: c})
			default:
				return nil, fmt.Errorf("%s: %s can be written but not read back; use {x}, {/x*} or {?a,b}", t, p)
			}
		}
	}
	if len(r.elements) == 0 || !strings.HasPrefix(r.elements[0].Literal, "/") && !r.elements[0].List {
		return nil, fmt.Errorf("%s: a path begins with /", t)
	}
	names := map[string]bool{}
	for _, q := range r.query {
		if names[q.Name] {
			return nil, fmt.Errorf("%s: the parameter %s stands there twice", t, q.Name)
		}
		names[q.Name] = true
	}
	slices.SortFunc(r.query, func(a, b QueryItem) int { return strings.Compare(a.Name, b.Name) })
	return r, nil
}

// addLiteral appends a piece of path in normal form. Dot segments can't be
// removed from a piece, and no request has them left, so they are refused.
func (r *Reader) addLiteral(piece string) error {
	normal, err := address.Path("/x" + piece)
	if err != nil {
		return err
	}
	normal, ok := strings.CutPrefix(address.DecodeMarks(normal), "/x")
	if !ok || strings.Contains("/"+piece+"/", "/../") || strings.Contains("/"+piece+"/", "/./") {
		return fmt.Errorf("%q holds a dot segment", piece)
	}
	if n := len(r.elements); n > 0 && r.elements[n-1].Name == "" {
		r.elements[n-1].Literal += normal
		return nil
	}
	r.elements = append(r.elements, Element{Literal: normal})
	return nil
}

// Elements returns the steps of the path.
func (r *Reader) Elements() []Element { return r.elements }

// Query returns the parameters, sorted by name.
func (r *Reader) Query() []QueryItem { return r.query }

// Without returns a reader of those paths alone in which the values of some variables don't hold a character.
func (r *Reader) Without(char byte, names []string) *Reader {
	narrow := &Reader{elements: slices.Clone(r.elements), query: slices.Clone(r.query)}
	for i := range narrow.elements {
		if e := &narrow.elements[i]; slices.Contains(names, e.Name) {
			e.Class = e.Class.Without(char)
		}
	}
	for i := range narrow.query {
		if q := &narrow.query[i]; slices.Contains(names, q.Variable) {
			q.Class = q.Class.Without(char)
		}
	}
	return narrow
}

// LiteralPath returns the path when no variable stands in it.
func (r *Reader) LiteralPath() (string, bool) {
	if len(r.elements) == 1 && r.elements[0].Name == "" {
		return r.elements[0].Literal, true
	}
	return "", false
}

// ReadPath matches a path in normal form with single slashes. With fold,
// letters don't count, but the values returned keep theirs.
func (r *Reader) ReadPath(path string, fold bool) (Values, bool) {
	var room [16]int
	key := path
	if fold {
		key = address.Fold(path)
	}
	ends, ok := r.Ends(key, fold, room[:0])
	if !ok {
		return nil, false
	}
	values := Values{}
	at := 0
	for i, e := range r.elements {
		switch end := ends[i]; {
		case e.Name == "":
		case !e.List:
			values[e.Name] = []string{path[at:end]}
		case end > at:
			values[e.Name] = strings.Split(path[at+1:end], "/")
		}
		at = ends[i]
	}
	return values, true
}

// Ends matches a path as ReadPath does, with small letters where these don't
// count. It appends to ends where each of the reader's elements ends.
func (r *Reader) Ends(path string, fold bool, ends []int) ([]int, bool) {
	ends = slices.Grow(ends, len(r.elements))[:len(r.elements)]
	return ends, match(r.elements, path, 0, fold, ends)
}

func match(elements []Element, key string, at int, fold bool, ends []int) bool {
	if len(elements) == 0 {
		return at == len(key)
	}
	e, rest := &elements[0], elements[1:]
	switch {
	case e.Name == "":
		end := at + len(e.Literal)
		ends[0] = end
		return end <= len(key) && (key[at:end] == e.Literal || fold && key[at:end] == address.Fold(e.Literal)) &&
			match(rest, key, end, fold, ends[1:])
	case e.List:
		for end := listEnd(&e.Class, key, at); end >= at; end-- {
			if end > at && (key[end-1] == '/' || !listHolds(&e.Class, key[at:end])) {
				continue
			}
			if ends[0] = end; match(rest, key, end, fold, ends[1:]) {
				return true
			}
		}
	default:
		for end := runEnd(&e.Class, key, at); end > at; end-- {
			if e.Class.several && !e.Class.Holds(key[at:end]) || !e.Class.fits(end-at) {
				continue
			}
			if ends[0] = end; match(rest, key, end, fold, ends[1:]) {
				return true
			}
		}
	}
	return false
}

func runEnd(c *Class, s string, at int) int {
	for at < len(s) && (c.set.has(s[at]) || c.several && s[at] == '/') {
		at++
	}
	return at
}

func listEnd(c *Class, s string, at int) int {
	if at == len(s) || s[at] != '/' {
		return at
	}
	for at < len(s) && (c.set.has(s[at]) || s[at] == '/') {
		at++
	}
	return at
}

// listHolds reports whether s is slashes and values in turn.
func listHolds(c *Class, s string) bool {
	for _, segment := range strings.Split(s[1:], "/") {
		if segment == "" || !c.Holds(segment) {
			return false
		}
	}
	return true
}

// ReadQuery matches parameters: each one the template names must be there, its
// first occurrence with the right value. It adds what it reads to values.
func (r *Reader) ReadQuery(params []address.Param, values Values) bool {
	for _, q := range r.query {
		p, ok := address.First(params, q.Name)
		if !ok {
			return false
		}
		if q.Variable == "" {
			if p.Value != q.Value {
				return false
			}
			continue
		}
		if len(p.Value) < 2 || !q.Class.Holds(p.Value[1:]) {
			return false
		}
		values[q.Variable] = []string{p.Value[1:]}
	}
	return true
}
