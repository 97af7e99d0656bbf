// Package parameter says what the parameters of a site's addresses are for.
package parameter

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Class says what a parameter is for.
type Class string

// The classes of parameters. A parameter that the plan doesn't list has none: it is reported, and never dropped.
const (
	Identity   Class = "identity"   // selects the content: part of the canonical address
	Pagination Class = "pagination" // page 2 and later are addresses of their own
	Display    Class = "display"    // sorts or filters: the canonical address leaves it out
	Tracking   Class = "tracking"   // marks a campaign: carried along, never a reason to redirect
	Noise      Class = "noise"      // a session and the like: redirected away
)

// Classes returns all of them, in the order in which a canonical address lists parameters.
func Classes() []Class { return []Class{Identity, Pagination, Display, Tracking, Noise} }

// Parameter gives a parameter its class.
//
//	{Name: "utm_*", Class: Tracking}
//	{Name: "view", For: "/timetables", Class: Noise}
type Parameter struct {
	Name  string // exact, or the beginning of a name when it ends in "*"
	For   string // a path: the class holds there and below; empty: everywhere
	Class Class
}

// Matches reports whether a parameter of that name on that path is meant.
func (p *Parameter) Matches(name, path string) bool { return p.Names(name) && p.Holds(path) }

// Names reports whether a parameter of that name is meant.
func (p *Parameter) Names(name string) bool {
	if start, ok := strings.CutSuffix(p.Name, "*"); ok {
		return strings.HasPrefix(name, start)
	}
	return name == p.Name
}

// Holds reports whether the class holds on a path.
func (p *Parameter) Holds(path string) bool {
	return p.For == "" || path == p.For || strings.HasPrefix(path, p.For+"/")
}

// List is the classes that a plan gives, in the order in which they are written.
type List struct {
	All  []Parameter
	Fold bool // letters of paths don't count
}

// place returns a path as For is written.
func (l *List) place(path string) string {
	if address.Settled(path) {
		return path
	}
	if path = address.MergeSlashes(path); l.Fold {
		path = address.Fold(path)
	}
	return path
}

// ClassOf returns the class of a parameter on a path in normal form; empty when it has none. A class for a part of
// the site goes before one for all of it.
func (l *List) ClassOf(name, path string) Class {
	if !l.scoped() {
		path = ""
	} else {
		path = l.place(path)
	}
	found := Class("")
	for i := range l.All {
		p := &l.All[i]
		if p.Matches(name, path) {
			if p.For != "" {
				return p.Class
			}
			found = cmp.Or(found, p.Class)
		}
	}
	return found
}

func (l *List) scoped() bool {
	for i := range l.All {
		if l.All[i].For != "" {
			return true
		}
	}
	return false
}

// Noisy returns the test whether a parameter is noise on a path.
func (l *List) Noisy(path string) func(address.Param) bool {
	return func(q address.Param) bool { return l.ClassOf(q.Name, path) == Noise }
}

// NoiseEverywhere returns the names of the parameters that are noise on the whole site.
func (l *List) NoiseEverywhere() []string {
	var names []string
	for _, q := range l.All {
		if q.Class == Noise && q.For == "" {
			names = append(names, q.Name)
		}
	}
	return names
}

// LocalNoise returns the names of the parameters that are noise on a path, but not everywhere.
func (l *List) LocalNoise(path string) []string {
	var names []string
	for i := range l.All {
		if q := &l.All[i]; q.Class == Noise && q.For != "" && q.Holds(l.place(path)) {
			names = append(names, q.Name)
		}
	}
	return names
}

// NoiseScopes returns the parts of the site that have noise of their own, the deepest first.
func (l *List) NoiseScopes() []string {
	var list []string
	for _, q := range l.All {
		if q.Class == Noise && q.For != "" && !slices.Contains(list, q.For) {
			list = append(list, q.For)
		}
	}
	slices.SortStableFunc(list, func(a, b string) int { return len(b) - len(a) })
	return list
}
