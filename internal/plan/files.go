package plan

import (
	"slices"
	"strings"

	"young-compass/internal/address"
)

// files is the list of files, made ready for looking paths up.
type files struct {
	folders  []string
	exact    map[string]bool
	suffixes map[string]bool // with one dot, in front
	longer   []string        // suffixes with several dots
	dotless  bool            // an entry can be met by a path without a dot
}

func newFiles(list []string) files {
	f := files{exact: map[string]bool{}, suffixes: map[string]bool{}}
	for _, entry := range list {
		entry = address.DecodeMarks(entry)
		f.dotless = f.dotless || !strings.Contains(entry, ".")
		switch {
		case strings.HasSuffix(entry, "/"):
			f.folders = append(f.folders, entry)
		case entry[0] != '.':
			f.exact[entry] = true
		case strings.Count(entry, ".") == 1 && !strings.Contains(entry, "/"):
			f.suffixes[entry] = true
		default:
			f.longer = append(f.longer, entry)
		}
	}
	return f
}

// IsFile reports whether a path is served as it is.
func (c *Config) IsFile(path string) bool { return c.files.has(path) }

// has reports whether a path is in the list; letters and doubled slashes don't
// count.
func (l *files) has(path string) bool {
	if !l.dotless && strings.IndexByte(path, '.') < 0 {
		return false
	}
	path = address.Fold(address.DecodeMarks(address.MergeSlashes(path)))
	if dot := strings.LastIndexByte(path, '.'); dot >= 0 && l.suffixes[path[dot:]] {
		return true
	}
	return l.exact[path] ||
		slices.ContainsFunc(l.folders, func(f string) bool { return strings.HasPrefix(path, f) }) ||
		slices.ContainsFunc(l.longer, func(f string) bool { return strings.HasSuffix(path, f) })
}

// Places are parts of a site: folders ("/assets/" and all below), endings
// (".pdf") and single paths. Letters and doubled slashes don't count. The zero
// value is no place.
type Places struct {
	list  []string // in small letters
	files files
}

// NewPlaces returns the places of a list.
func NewPlaces(list []string) Places {
	folded := make([]string, len(list))
	for i, entry := range list {
		folded[i] = address.Fold(entry)
	}
	return Places{folded, newFiles(folded)}
}

// List returns the places as they were written, in small letters.
func (l Places) List() []string { return l.list }

// Has reports whether a path in normal form is in one of the places.
func (l Places) Has(path string) bool { return len(l.list) > 0 && l.files.has(path) }

// IsExempt reports whether the plan's rules leave a path alone, for its except:
// and only:.
func (c *Config) IsExempt(path string) bool {
	return c.Except.Has(path) || len(c.Only.list) > 0 && !c.Only.Has(path)
}
