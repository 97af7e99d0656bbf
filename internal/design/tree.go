package design

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Node is a path segment of a site's addresses, and what lies below it.
type Node struct {
	Segment  string  `json:"segment"`            // readable; parameters by their names
	Pages    int     `json:"pages"`              // at it and below
	Children []*Node `json:"children,omitempty"` // those with several pages
}

// Tree arranges addresses by their segments, those with most pages first.
func Tree(list []address.Address) *Node {
	paths := make([]string, len(list))
	for i, a := range list {
		paths[i] = shape(a)
	}
	slices.Sort(paths)
	root := &Node{Segment: "/", Pages: len(list)}
	root.grow(paths, 1)
	return root
}

// grow adds the children of a node: paths are those below it, in order, and
// from is where their next segments begin.
func (n *Node) grow(paths []string, from int) {
	for first := 0; first < len(paths); {
		segment := segmentAt(paths[first], from)
		last := first + 1
		for last < len(paths) && segmentAt(paths[last], from) == segment {
			last++
		}
		if last-first > 1 && segment != "" {
			child := &Node{Segment: segment, Pages: last - first}
			child.grow(paths[first:last], from+len(segment)+1)
			n.Children = append(n.Children, child)
		}
		first = last
	}
	slices.SortStableFunc(n.Children, func(a, b *Node) int { return cmp.Compare(b.Pages, a.Pages) })
}

// widest is how many branches of one node are drawn.
const widest = 12

// Branches returns the children that are drawn: the largest of those that stand for several pages.
func (n *Node) Branches() (list []*Node) {
	for _, c := range n.Children {
		if c.Pages > 1 && len(list) < widest {
			list = append(list, c)
		}
	}
	return list
}

// Rest returns how many pages stand directly at a node, or below its children that aren't drawn.
func (n *Node) Rest() int {
	pages := n.Pages
	for _, c := range n.Branches() {
		pages -= c.Pages
	}
	return pages
}

// below returns how many lines a node's children take.
func (n *Node) below() int { return len(n.Branches()) + min(1, n.Rest()) }

// Opened returns the nodes whose children are drawn, so that the tree takes at most so many lines: those with most
// pages first, as long as what they hold fits.
func (n *Node) Opened(lines int) map[*Node]bool {
	open := map[*Node]bool{n: true}
	lines -= 1 + n.below()
	for candidates := n.Branches(); len(candidates) > 0; {
		best := 0
		for i, c := range candidates {
			if c.Pages > candidates[best].Pages {
				best = i
			}
		}
		next := candidates[best]
		candidates = append(candidates[:best], candidates[best+1:]...)
		if len(next.Branches()) > 0 && next.below() <= lines {
			open[next], lines = true, lines-next.below()
			candidates = append(candidates, next.Branches()...)
		}
	}
	return open
}

// segmentAt returns the segment of a path that begins at a place; empty behind
// its end.
func segmentAt(path string, from int) string {
	if from >= len(path) {
		return ""
	}
	segment, _, _ := strings.Cut(path[from:], "/")
	return segment
}

// Part names the part of a site where an address stands: its first path segment, readable, with the names of its
// parameters; empty for the home page.
//
//	https://skerrywick.example/index.php?item=214&lang=de  index.php?item&lang
func Part(a address.Address) string { return segmentAt(shape(a), 1) }

// shape returns the path of an address as people read it; its parameters,
// without their values, are part of the last segment.
func shape(a address.Address) string {
	path := a
	path.Query, path.Fragment = "", ""
	text := path.Readable()
	text = text[strings.Index(text, "://")+len("://"):]
	text = strings.TrimRight(address.MergeSlashes(text[strings.IndexByte(text, '/'):]), "/")
	if a.Query == "" {
		return text
	}
	var names []string
	for _, q := range address.SplitQuery(a.Query) {
		names = append(names, strings.ReplaceAll(q.Name, "/", "%2F"))
	}
	slices.Sort(names)
	if text == "" {
		text = "/"
	}
	return text + "?" + strings.Join(slices.Compact(names), "&")
}
