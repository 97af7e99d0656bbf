package design

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Node is a path segment of a site's addresses, and what lies below it.
type Node struct {
	Segment  string  `json:"segment"` // readable; parameters by their names
	Pages    int     `json:"pages"`   // at it and below
	Children []*Node `json:"children,omitempty"`
}

// Tree arranges addresses by their segments, those with most pages first.
func Tree(list []address.Address) *Node {
	root := &Node{Segment: "/"}
	index := map[*Node]map[string]*Node{}
	for _, a := range list {
		at := root
		at.Pages++
		for _, segment := range segments(a) {
			if index[at] == nil {
				index[at] = map[string]*Node{}
			}
			child := index[at][segment]
			if child == nil {
				child = &Node{Segment: segment}
				index[at][segment] = child
				at.Children = append(at.Children, child)
			}
			child.Pages++
			at = child
		}
	}
	root.sort()
	return root
}

func (n *Node) sort() {
	slices.SortFunc(n.Children, func(a, b *Node) int {
		return cmp.Or(cmp.Compare(b.Pages, a.Pages), strings.Compare(a.Segment, b.Segment))
	})
	for _, c := range n.Children {
		c.sort()
	}
}

// segments returns the path segments of an address; its parameters, without
// their values, are part of the last.
func segments(a address.Address) []string {
	path := a
	path.Query, path.Fragment = "", ""
	list := strings.FieldsFunc(strings.TrimPrefix(path.Readable(), path.Base()), func(r rune) bool { return r == '/' })
	if a.Query == "" {
		return list
	}
	var names []string
	for _, q := range address.SplitQuery(a.Query) {
		names = append(names, q.Name)
	}
	slices.Sort(names)
	query := "?" + strings.Join(slices.Compact(names), "&")
	if len(list) == 0 {
		return []string{query}
	}
	list[len(list)-1] += query
	return list
}
