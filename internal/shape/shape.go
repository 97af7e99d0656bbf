// Package shape groups addresses by how they are built: which of their segments and parameter values are always the
// same, and which vary from page to page.
//
//	/index.php?sec=route&item=214    /index.php?sec=route&item={item}
//	/news/2025/winter-timetable.htm  /news/{year}/{slug}.htm
//	/catalogue/boots/trail-boot      /catalogue{/section*,slug}
package shape

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Item is an address to be grouped: its path in normal form, without the mark of a language, and the parameters that
// may select content.
type Item struct {
	Path   string
	Params []address.Param
}

// Group is a set of addresses that are built alike. The zero value is that of the paths of one segment.
type Group struct {
	Script   string          // the path of addresses that differ in their parameters; empty for those that differ in the path
	Fixed    []address.Param // parameters that have one value throughout
	Varying  []string        // names of parameters whose values vary
	Literals []string        // the first segments, the same throughout
	Date     int             // how many segments of a date follow: 1 for the year, 3 for the day
	Sections bool            // any number of segments may stand before the last
	Inner    bool            // the pages have others of the group of the same Literals below them
	Prefix   string          // letters before the number of the last segment
	Ending   string          // the extension that nearly all have
	Items    []int           // positions of what was grouped
}

// least is how many addresses make a group.
const least = 3

// Groups groups items. Each is in one group; the order of groups is that of their templates.
func Groups(items []Item) []Group {
	g := grouper{items: items, segments: make([][]string, len(items)), kinds: byWord()}
	var queries, paths []int
	for i, item := range items {
		g.segments[i] = segments(item.Path)
		if len(item.Params) > 0 {
			queries = append(queries, i)
		} else {
			paths = append(paths, i)
		}
	}
	paths = append(paths, g.queries(queries)...)
	slices.Sort(paths)
	g.paths(paths)
	for i := range g.groups {
		g.groups[i].Ending = g.ending(&g.groups[i])
	}
	slices.SortFunc(g.groups, func(a, b Group) int {
		return cmp.Or(strings.Compare(a.Template(), b.Template()), cmp.Compare(a.Items[0], b.Items[0]))
	})
	return g.groups
}

type grouper struct {
	items    []Item
	segments [][]string
	kinds    map[string]string // by the words for their sections
	groups   []Group
}

// segments returns what stands between the slashes of a path, without parameters of the path.
func segments(path string) []string {
	path, _, _ = strings.Cut(path, ";")
	list := make([]string, 0, strings.Count(path, "/"))
	for path != "" {
		var segment string
		if segment, path, _ = strings.Cut(path, "/"); segment != "" {
			list = append(list, segment)
		}
	}
	return list
}

// queries groups addresses by their script and the names of their parameters. It returns those whose paths vary as much
// as their parameters: they are grouped by their paths.
func (g *grouper) queries(list []int) (rest []int) {
	type key struct{ path, names string }
	byKey, byNames := map[key][]int{}, map[string]map[string]bool{}
	counts := map[string]int{}
	for _, i := range list {
		var names []string
		for _, q := range g.items[i].Params {
			names = append(names, q.Name)
		}
		k := key{address.Fold(g.items[i].Path), strings.Join(names, "&")}
		byKey[k] = append(byKey[k], i)
		if byNames[k.names] == nil {
			byNames[k.names] = map[string]bool{}
		}
		byNames[k.names][k.path] = true
		counts[k.names]++
	}
	for k, members := range byKey {
		if n := len(byNames[k.names]); n > 10 && n*3 > counts[k.names] {
			rest = append(rest, members...)
			continue
		}
		g.selectors(k.path, members)
	}
	return rest
}

// maxSelected is how many values a parameter may have that tells kinds of pages apart.
const maxSelected = 40

// selectors parts addresses of one script by the values of parameters that tell kinds of pages apart: few words, each
// of
// several pages.
func (g *grouper) selectors(script string, members []int) {
	first := g.items[members[0]].Params
	var selecting []int
	for n := range first {
		values := map[string]int{}
		for _, i := range members {
			values[g.items[i].Params[n].Value]++
		}
		wordy := true
		for v := range values {
			v = strings.TrimPrefix(v, "=")
			wordy = wordy && strings.ContainsFunc(v, isLetter) && len(v) <= 40
		}
		if wordy && len(values) <= maxSelected && len(values)*least <= len(members) {
			selecting = append(selecting, n)
		}
	}
	if len(selecting) == len(first) {
		selecting = selecting[:max(0, len(selecting)-1)]
	}
	parted := map[string][]int{}
	for _, i := range members {
		var values []string
		for _, n := range selecting {
			values = append(values, g.items[i].Params[n].Value)
		}
		key := strings.Join(values, "&")
		parted[key] = append(parted[key], i)
	}
	for _, part := range parted {
		group := Group{Script: script, Items: part}
		for n, q := range first {
			if slices.Contains(selecting, n) {
				group.Fixed = append(group.Fixed, g.items[part[0]].Params[n])
			} else {
				group.Varying = append(group.Varying, q.Name)
			}
		}
		g.groups = append(g.groups, group)
	}
}

func isLetter(r rune) bool { return 'a' <= r|0x20 && r|0x20 <= 'z' || r > 0x7f }

// paths groups addresses by their paths.
func (g *grouper) paths(list []int) {
	var top, dated []int
	folders := map[string][]int{}
	for _, i := range list {
		switch s := g.segments[i]; {
		case len(s) < 2:
			top = append(top, i)
		case isYear(s[0]):
			dated = append(dated, i)
		default:
			folder := address.Fold(s[0])
			folders[folder] = append(folders[folder], i)
		}
	}
	if len(dated) > 0 {
		g.dates(Group{}, dated)
	}
	var few []int
	for _, members := range folders {
		if len(members) < least && g.kinds[address.Fold(g.segments[members[0]][0])] == "" {
			few = append(few, members...)
			continue
		}
		g.folder(Group{Literals: g.segments[members[0]][:1]}, members)
	}
	slices.Sort(few)
	top = g.numbered(top)
	if all := append(top, few...); len(all) > 0 {
		slices.Sort(all)
		g.groups = append(g.groups, Group{Sections: len(few) > 0, Items: all})
	}
}

// numbered takes the pages out that are letters with a number behind: /p214.htm. It returns the others.
func (g *grouper) numbered(top []int) (rest []int) {
	byPrefix := map[string][]int{}
	for _, i := range top {
		prefix := ""
		if s := g.segments[i]; len(s) == 1 {
			name := strings.TrimSuffix(s[0], path.Ext(s[0]))
			prefix = strings.TrimRight(name, "0123456789")
			if len(prefix) == len(name) || len(prefix) > 12 || strings.ContainsFunc(prefix,
				func(r rune) bool { return !isLetter(r) && r != '-' && r != '_' }) {
				prefix = ""
			}
		}
		byPrefix[prefix] = append(byPrefix[prefix], i)
	}
	for prefix, members := range byPrefix {
		if prefix == "" || len(members) < 5 {
			rest = append(rest, members...)
			continue
		}
		g.groups = append(g.groups, Group{Prefix: prefix, Items: members})
	}
	return rest
}

// folder groups the addresses that begin with the literals of a group.
func (g *grouper) folder(group Group, members []int) {
	depth := len(group.Literals)
	below := map[string][]int{}
	years, deeper := 0, 0
	for _, i := range members {
		s := g.segments[i][depth:]
		if len(s) > 1 {
			deeper++
			if isYear(s[0]) {
				years++
			}
			below[address.Fold(s[0])] = append(below[address.Fold(s[0])], i)
		}
	}
	if years > 0 && years*10 >= len(members)*8 {
		g.dates(group, members)
		return
	}
	if len(below) == 1 && deeper*10 >= len(members)*9 && depth < 3 || g.kindsBelow(below) {
		var rest []int
		for _, i := range members {
			if len(g.segments[i]) == depth+1 {
				rest = append(rest, i)
			}
		}
		for _, list := range below {
			sub := group
			sub.Literals = slices.Clone(g.segments[list[0]][:depth+1])
			g.folder(sub, list)
		}
		if len(rest) > 0 {
			group.Items = rest
			g.groups = append(g.groups, group)
		}
		return
	}
	inner, outer := g.levels(members)
	if len(inner) >= 2 && g.regular(inner, outer) {
		over := group
		over.Inner, over.Items = true, inner
		over.Sections = slices.ContainsFunc(inner, func(i int) bool { return len(g.segments[i]) > depth+1 })
		g.groups = append(g.groups, over)
		members = outer
	}
	group.Items = members
	group.Sections = slices.ContainsFunc(members, func(i int) bool { return len(g.segments[i]) > depth+1 })
	g.groups = append(g.groups, group)
}

// kindsBelow reports whether folders in a folder are of several kinds: each is called as kinds of pages are.
func (g *grouper) kindsBelow(below map[string][]int) bool {
	words := 0
	for name, members := range below {
		if g.kinds[name] != "" {
			words++
		} else if len(members) >= least {
			return false
		}
	}
	return words >= 2
}

// levels parts pages that have others below them from those that have none.
func (g *grouper) levels(members []int) (inner, outer []int) {
	parents := map[string]bool{}
	for _, i := range members {
		s := g.segments[i]
		for n := 1; n < len(s); n++ {
			parents[key(s[:n])] = true
		}
	}
	for _, i := range members {
		s := slices.Clone(g.segments[i])
		last := len(s) - 1
		s[last] = strings.TrimSuffix(s[last], path.Ext(s[last]))
		if parents[key(s)] || parents[key(g.segments[i])] {
			inner = append(inner, i)
		} else {
			outer = append(outer, i)
		}
	}
	return inner, outer
}

func key(segments []string) string { return address.Fold(strings.Join(segments, "/")) }

// regular reports whether pages without others below them all stand at one level, below the others.
func (g *grouper) regular(inner, outer []int) bool {
	levels := map[int]int{}
	for _, i := range outer {
		levels[len(g.segments[i])]++
	}
	deepest := 0
	for _, i := range inner {
		deepest = max(deepest, len(g.segments[i]))
	}
	most := 0
	for _, n := range levels {
		most = max(most, n)
	}
	return len(outer) >= len(inner) && most*10 >= len(outer)*9 && levels[deepest+1] == most
}

// dates groups the addresses with a date behind the literals of a group, and the others.
func (g *grouper) dates(group Group, members []int) {
	depth := len(group.Literals)
	byLength := map[int][]int{}
	var without []int
	for _, i := range members {
		s := g.segments[i][depth:]
		n := 0
		switch {
		case len(s) < 2 || !isYear(s[0]):
		case len(s) > 3 && isNumber(s[1], 12) && isNumber(s[2], 31):
			n = 3
		case len(s) > 2 && isNumber(s[1], 12):
			n = 2
		default:
			n = 1
		}
		if n == 0 {
			without = append(without, i)
			continue
		}
		byLength[n] = append(byLength[n], i)
	}
	for n, list := range byLength {
		sub := group
		sub.Date, sub.Items = n, list
		sub.Sections = slices.ContainsFunc(list, func(i int) bool { return len(g.segments[i]) > depth+n+1 })
		g.groups = append(g.groups, sub)
	}
	if len(without) > 0 {
		group.Items = without
		group.Sections = slices.ContainsFunc(without, func(i int) bool { return len(g.segments[i]) > depth+1 })
		g.groups = append(g.groups, group)
	}
}

func isYear(s string) bool {
	return len(s) == 4 && (strings.HasPrefix(s, "19") || strings.HasPrefix(s, "20")) && strings.Trim(s, "0123456789") == ""
}

// isNumber reports whether a text is a number of one or two digits, from 1 to a highest.
func isNumber(s string, highest int) bool {
	if len(s) == 0 || len(s) > 2 || strings.Trim(s, "0123456789") != "" {
		return false
	}
	n := 0
	for _, c := range s {
		n = 10*n + int(c-'0')
	}
	return 1 <= n && n <= highest
}

// ending returns the extension that nine of ten addresses of a group have.
func (g *grouper) ending(group *Group) string {
	if group.Script != "" {
		return ""
	}
	counts := map[string]int{}
	for _, i := range group.Items {
		counts[path.Ext(g.items[i].Path)]++
	}
	for ending, n := range counts {
		if n*10 >= len(group.Items)*9 {
			return ending
		}
	}
	return ""
}

// Parts are the varying parts of an address of a group.
type Parts struct {
	Date     []string // year, month, day
	Sections []string
	Name     string // the last segment, without extension and prefix
	Ending   string
	Values   []string // of the varying parameters
}

// Parts returns the varying parts of an item of the group.
func (g *Group) Parts(item Item) Parts {
	if g.Script != "" {
		var values []string
		for _, name := range g.Varying {
			q, _ := address.First(item.Params, name)
			values = append(values, strings.TrimPrefix(q.Value, "="))
		}
		return Parts{Values: values}
	}
	s := segments(item.Path)
	if len(s) <= len(g.Literals) {
		return Parts{}
	}
	s = s[len(g.Literals):]
	p := Parts{Date: s[:min(g.Date, len(s)-1)]}
	s = s[len(p.Date):]
	p.Sections, p.Name = s[:len(s)-1], s[len(s)-1]
	p.Ending = path.Ext(p.Name)
	p.Name = strings.TrimPrefix(strings.TrimSuffix(p.Name, p.Ending), g.Prefix)
	return p
}

// Template returns how the addresses of the group are built, as a template of the plan.
func (g *Group) Template() string {
	if g.Script != "" {
		var items []string
		for _, q := range g.Fixed {
			items = append(items, q.Raw)
		}
		for _, name := range g.Varying {
			items = append(items, name+"={"+Variable(name)+"}")
		}
		return g.Script + "?" + strings.Join(items, "&")
	}
	text := ""
	for _, s := range g.Literals {
		text += "/" + s
	}
	for _, name := range []string{"year", "month", "day"}[:g.Date] {
		text += "/{" + name + "}"
	}
	switch {
	case g.Sections:
		text += "{/section*}/" + g.Prefix + "{slug}"
	default:
		text += "/" + g.Prefix + "{slug}"
	}
	return text + g.Ending
}

// Variable returns a name for a variable that stands for a parameter's value.
func Variable(name string) string {
	ok := func(r rune) rune {
		if '0' <= r && r <= '9' || 'a' <= r|0x20 && r|0x20 <= 'z' {
			return r
		}
		return -1
	}
	return cmp.Or(strings.Map(ok, name), "value")
}
