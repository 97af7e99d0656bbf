package address

import (
	"slices"
	"strings"
)

// Places are parts of a site: folders with all below them, endings and single paths. Letters and doubled slashes
// don't count. The zero value is no place.
//
//	/assets/     the folder and all below
//	.pdf         every path that ends so
//	/robots.txt  that path alone
type Places struct {
	list     []string // in small letters
	folders  []string
	exact    map[string]bool
	suffixes map[string]bool // with one dot, in front
	longer   []string        // suffixes with several dots
	dotless  bool            // an entry can be met by a path without a dot
}

// NewPlaces returns the places of a list.
func NewPlaces(list []string) Places {
	l := Places{exact: map[string]bool{}, suffixes: map[string]bool{}}
	for _, entry := range list {
		entry = Fold(entry)
		l.list = append(l.list, entry)
		entry = DecodeMarks(entry)
		l.dotless = l.dotless || !strings.Contains(entry, ".")
		switch {
		case strings.HasSuffix(entry, "/"):
			l.folders = append(l.folders, entry)
		case entry[0] != '.':
			l.exact[entry] = true
		case strings.Count(entry, ".") == 1 && !strings.Contains(entry, "/"):
			l.suffixes[entry] = true
		default:
			l.longer = append(l.longer, entry)
		}
	}
	return l
}

// List returns the places as they were written, in small letters.
func (l Places) List() []string { return l.list }

// Empty reports whether there are no places.
func (l Places) Empty() bool { return len(l.list) == 0 }

// NeedDot reports whether only a path with a dot can be in one of the places.
func (l Places) NeedDot() bool { return !l.dotless }

// Has reports whether a path in normal form is in one of the places.
func (l *Places) Has(path string) bool {
	if len(l.list) == 0 || !l.dotless && strings.IndexByte(path, '.') < 0 {
		return false
	}
	path = Fold(DecodeMarks(MergeSlashes(path)))
	if dot := strings.LastIndexByte(path, '.'); dot >= 0 && l.suffixes[path[dot:]] {
		return true
	}
	return l.exact[path] ||
		slices.ContainsFunc(l.folders, func(f string) bool { return strings.HasPrefix(path, f) }) ||
		slices.ContainsFunc(l.longer, func(f string) bool { return strings.HasSuffix(path, f) })
}

// Scope is the part of a site that rules are for. The zero value is all of it.
type Scope struct {
	Only   Places // empty: everywhere
	Except Places
}

// All reports whether the scope is the whole site.
func (s *Scope) All() bool { return s.Only.Empty() && s.Except.Empty() }

// Leaves reports whether a path is outside, so that the rules leave it alone.
func (s *Scope) Leaves(path string) bool {
	return s.Except.Has(path) || !s.Only.Empty() && !s.Only.Has(path)
}
