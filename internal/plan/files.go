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
func (c *Config) IsFile(path string) bool {
	if !c.files.dotless && strings.IndexByte(path, '.') < 0 {
		return false
	}
	path = address.Fold(address.MergeSlashes(path))
	if dot := strings.LastIndexByte(path, '.'); dot >= 0 && c.files.suffixes[path[dot:]] {
		return true
	}
	return c.files.exact[path] ||
		slices.ContainsFunc(c.files.folders, func(f string) bool { return strings.HasPrefix(path, f) }) ||
		slices.ContainsFunc(c.files.longer, func(f string) bool { return strings.HasSuffix(path, f) })
}
