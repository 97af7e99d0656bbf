package redirect

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/template"
)

// prefixes finds the readers that may read a path: those with whose first literal
// it begins, and with whose last one it ends.
type prefixes struct {
	fold    bool
	lengths []int // of first literals, each once
	readers map[string][]int
	endings []string // by position: last literals
}

// newPrefixes enters readers by their positions; those that are nil are left out.
func newPrefixes(readers []*template.Reader, fold bool) prefixes {
	x := prefixes{fold: fold, readers: map[string][]int{}, endings: make([]string, len(readers))}
	for i, r := range readers {
		if r == nil {
			continue
		}
		elements := r.Elements()
		literal, ending := elements[0].Literal, elements[len(elements)-1].Literal
		if fold {
			literal, ending = address.Fold(literal), address.Fold(ending)
		}
		x.endings[i] = ending
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
		some := x.readers[path[:n]]
		if len(some) > 0 {
			found++
		}
		for _, i := range some {
			if strings.HasSuffix(path, x.endings[i]) {
				list = append(list, i)
			}
		}
	}
	if found > 1 {
		slices.Sort(list)
	}
	return list
}
