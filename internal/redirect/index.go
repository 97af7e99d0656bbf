package redirect

import (
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Source is where a redirect, or an address of the book, starts.
type Source struct {
	Host  string // empty: every host of the site
	Path  string // in normal form
	Query string
}

// SourceOf returns the source that an address is.
func SourceOf(a address.Address) Source { return Source{Host: a.Host, Path: a.Path, Query: a.Query} }

// String returns the source as a path, or as //host/path where it names a host.
func (s Source) String() string {
	text := s.Path
	if s.Query != "" {
		text += "?" + s.Query
	}
	if s.Host != "" {
		return "//" + s.Host + text
	}
	return text
}

// Names returns the parameters that the source names.
func (s Source) Names() []string {
	var names []string
	for _, p := range address.SplitQuery(s.Query) {
		if p.Raw != "" && !slices.Contains(names, p.Name) {
			names = append(names, p.Name)
		}
	}
	return names
}

// Index finds the sources that a request meets. Sources are known by the
// number under which they were added.
type Index struct {
	Site address.Site
	Fold bool // letters don't count
	keys map[string]*group
}

// group is all sources with one path.
type group struct {
	names       []string // parameters that any of them names, sorted
	bySignature map[string][]member
}

// member is a source by its number, and the host that it names.
type member struct {
	host   string
	number int
}

// Key returns what a path in normal form is looked up by: repeated slashes
// and, with Fold, letters don't count, nor does how a byte is written.
func (x *Index) Key(path string) string {
	path = address.MergeSlashes(path)
	if x.Fold {
		path = address.Fold(path)
	}
	return address.Decode(path)
}

// Add enters a source under a number.
func (x *Index) Add(s Source, number int) {
	if x.keys == nil {
		x.keys = map[string]*group{}
	}
	key := x.Key(s.Path)
	g := x.keys[key]
	if g == nil {
		g = &group{bySignature: map[string][]member{}}
		x.keys[key] = g
	}
	names := s.Names()
	slices.Sort(names)
	signature := Signature(Carried(address.SplitQuery(s.Query), names))
	g.bySignature[signature] = append(g.bySignature[signature], member{s.Host, number})
	for _, name := range names {
		if i, ok := slices.BinarySearch(g.names, name); !ok {
			g.names = slices.Insert(g.names, i, name)
		}
	}
}

// Named returns the parameters, sorted, that the sources of a path name.
func (x *Index) Named(path string) []string {
	if g := x.keys[x.Key(path)]; g != nil {
		return g.names
	}
	return nil
}

// Match returns the numbers of the sources that a request meets: the path is
// theirs, the parameters they name are there with these values, and the
// request carries no other of the parameters in named. The best host comes
// first, then what was added first.
func (x *Index) Match(host, path string, params []address.Param, named []string) []int {
	g := x.keys[x.Key(path)]
	if g == nil {
		return nil
	}
	members := slices.DeleteFunc(slices.Clone(g.bySignature[Signature(Carried(params, named))]), func(m member) bool {
		return !x.Site.Hears(m.host, host)
	})
	slices.SortStableFunc(members, func(a, b member) int { return x.Site.Rank(a.host, host) - x.Site.Rank(b.host, host) })
	numbers := make([]int, len(members))
	for i, m := range members {
		numbers[i] = m.number
	}
	return numbers
}

// Carried returns the first occurrence of each named parameter that is there,
// in the order of names.
func Carried(params []address.Param, names []string) []address.Param {
	var carried []address.Param
	for _, name := range names {
		if p, ok := address.First(params, name); ok {
			carried = append(carried, p)
		}
	}
	return carried
}

// Signature writes carried parameters so that equal sets are equal texts.
func Signature(carried []address.Param) string {
	var b strings.Builder
	for _, p := range carried {
		b.WriteByte('&')
		b.WriteString(p.Raw)
	}
	return b.String()
}
