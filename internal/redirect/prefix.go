package redirect

import (
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/template"
)

// prefixes finds the readers that may read a path: those whose first literal it
// begins with.
type prefixes struct {
	fold    bool
	lengths []int // of literals, each once
	readers map[string][]int
}

// newPrefixes enters readers by their positions; those that are nil are left out.
func newPrefixes(readers []*template.Reader, fold bool) prefixes {
	x := prefixes{fold: fold, readers: map[string][]int{}}
	for i, r := range readers {
		if r == nil {
			continue
		}
		literal := r.Elements()[0].Literal
		if fold {
			literal = address.Fold(literal)
		}
		x.readers[literal] = append(x.readers[literal], i)
		if !slices.Contains(x.lengths, len(literal)) {
			x.lengths = append(x.lengths, len(literal))
		}
	}
	return x
}

// of returns the positions, in their order, of the readers that may read a path
// as patterns read it.
func (x prefixes) of(path string) []int {
	if x.fold {
		path = address.Fold(path)
	}
	var list []int
	found := 0
	for _, n := range x.lengths {
		if n > len(path) {
			continue
		}
		if some := x.readers[path[:n]]; len(some) > 0 {
			list = append(list, some...)
			found++
		}
	}
	if found > 1 {
		slices.Sort(list)
	}
	return list
}
