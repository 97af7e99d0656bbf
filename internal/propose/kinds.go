package propose

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/shape"
	"young-compass/internal/slug"
)

// located is a page at the address that it has today.
type located struct {
	page *inventory.Page
	at   *address.Address
}

// kind is a kind of pages as it was found.
type kind struct {
	name    string
	said    bool // by the pages themselves
	section string
	members []int                // positions of located pages
	groups  map[string][]grouped // by language, those with most pages first
	pages   int
}

// place is where a kind is written: the plain pages come first.
func (one *kind) place() int {
	if one.name == "page" {
		return 0
	}
	return 1
}

// grouped are the pages of one language in one group of addresses.
type grouped struct {
	group   *shape.Group
	members []int
}

// kinds finds the kinds of pages and what their templates need.
type kinds struct {
	*draft
	e       *Evidence
	s       *survey
	classes parameter.List
	taken   map[string]bool // kinds that the plan has
	pages   []located
	items   []shape.Item // of the pages
	groups  []shape.Group
	of      []int // the group of each page
	list    []*kind
	fill    []Filling
	slugs   *slug.Maker
	words   map[string]map[string]string // section -> language -> word
	columns columnNames
	forms   map[string]*form // by kind
}

// columnNames are the columns that are filled in for templates.
type columnNames struct{ slug, section string }

// locate lists the live pages with an address.
func (k *kinds) locate() {
	current := k.e.Book.Current()
	for i := range k.e.Pages.Pages {
		page := &k.e.Pages.Pages[i]
		n, ok := current[page.Ref]
		if !ok || page.State != inventory.Live && page.State != inventory.Away {
			continue
		}
		k.pages = append(k.pages, located{page: page, at: &k.e.Book.Entries[n].Address})
	}
	order := func(a, b located) int { return a.page.Compare(b.page.Ref) }
	if !slices.IsSortedFunc(k.pages, order) {
		slices.SortFunc(k.pages, order)
	}
	items := make([]shape.Item, len(k.pages))
	leave := func(q address.Param) bool {
		class := k.classes.ClassOf(q.Name, "/")
		return class == parameter.Noise || class == parameter.Tracking || class == parameter.Display ||
			class == parameter.Pagination
	}
	for i := range k.pages {
		path, params := k.s.languages.without(*k.pages[i].at)
		params = slices.DeleteFunc(params, leave)
		slices.SortStableFunc(params, func(a, b address.Param) int { return strings.Compare(a.Name, b.Name) })
		if len(params) == 0 {
			path = k.withoutIndex(path)
		}
		items[i] = shape.Item{Path: path, Params: params}
	}
	k.items, k.groups = items, shape.Groups(items)
	k.of = make([]int, len(items))
	for g := range k.groups {
		for _, i := range k.groups[g].Items {
			k.of[i] = g
		}
	}
}

// indexNames are the usual names of index files.
func indexNames() []string {
	return []string{"index.html", "index.htm", "index.php", "default.asp", "default.aspx", "default.htm", "index.asp",
		"index.aspx", "index.jsp", "index.shtml", "index.cfm", "home.html"}
}

// withoutIndex returns the folder that an index file stands for.
func (k *kinds) withoutIndex(path string) string {
	slash := strings.LastIndexByte(path, '/')
	if slices.Contains(indexNames(), strings.ToLower(path[slash+1:])) {
		return path[:slash+1]
	}
	return path
}

// find finds the kinds: what pages say of themselves counts, then the shape of their addresses.
func (k *kinds) find() {
	k.locate()
	names := k.nameGroups()
	byName := map[string]*kind{}
	told := 0
	for i := range k.pages {
		if !plain(k.pages[i].page.Kind) {
			told++
		}
	}
	majority := k.majorities()
	for i := range k.pages {
		page, g := k.pages[i].page, k.of[i]
		name, said := page.Kind, true
		if plain(name) {
			name, said = cmp.Or(majority[g], names[g].kind), majority[g] != ""
			if majority[g] == "" && told*2 >= len(k.pages) {
				name = "page"
			}
			if at := k.pages[i].at; at.Path == "/" && at.Query == "" {
				name = "page"
			}
		}
		one := byName[name]
		if one == nil {
			one = &kind{name: name, said: said, groups: map[string][]grouped{}}
			byName[name] = one
			k.list = append(k.list, one)
		}
		one.section = cmp.Or(one.section, names[g].section)
		one.members = append(one.members, i)
		if plain(page.Kind) && name != "page" {
			k.fill = append(k.fill, Filling{page.Ref, "kind", name})
		}
	}
	for _, one := range k.list {
		one.pages = len(one.members)
		k.divide(one)
	}
	slices.SortFunc(k.list, func(a, b *kind) int {
		return cmp.Or(cmp.Compare(a.place(), b.place()), strings.Compare(a.name, b.name))
	})
}

// plain reports whether a kind is what gather writes where nobody says one.
func plain(kind string) bool { return kind == "" || kind == "page" }

// divide parts the pages of a kind by language and group.
func (k *kinds) divide(one *kind) {
	type key struct {
		language string
		group    int
	}
	parts := map[key][]int{}
	for _, i := range one.members {
		at := key{k.pages[i].page.Language, k.of[i]}
		parts[at] = append(parts[at], i)
	}
	for at, members := range parts {
		one.groups[at.language] = append(one.groups[at.language], grouped{&k.groups[at.group], members})
	}
	for _, list := range one.groups {
		slices.SortFunc(list, func(a, b grouped) int {
			return cmp.Or(cmp.Compare(len(b.members), len(a.members)), cmp.Compare(a.members[0], b.members[0]))
		})
	}
}

// majorities returns for each group of addresses the kind that most of its pages say.
func (k *kinds) majorities() []string {
	list := make([]string, len(k.groups))
	for g := range k.groups {
		counts := tally{}
		for _, i := range k.groups[g].Items {
			if name := k.pages[i].page.Kind; !plain(name) {
				counts[name]++
			}
		}
		name, n := counts.most()
		if n*10 >= counts.sum()*9 && n*10 >= len(k.groups[g].Items)*3 {
			list[g] = name
		}
	}
	return list
}

// named is what a group of addresses is called: its kind, and the word of its section.
type named struct{ kind, section string }

// nameGroups names the groups. Those whose pages are translations of one another get one name, that of the default
// language.
func (k *kinds) nameGroups() []named {
	parent := make([]int, len(k.groups))
	for i := range parent {
		parent[i] = i
	}
	root := func(i int) int {
		for parent[i] != i {
			i = parent[i]
		}
		return i
	}
	shared := map[[2]int]int{}
	keys := make([]int, len(k.groups)) // how many keys a group has
	var groups []int                   // of the pages of one key
	for i := range k.pages {
		if i == 0 || k.pages[i].page.Key != k.pages[i-1].page.Key { // pages are in the order of their keys
			groups = groups[:0]
		}
		g := k.of[i]
		if slices.Contains(groups, g) {
			continue
		}
		for _, other := range groups {
			shared[[2]int{min(g, other), max(g, other)}]++
		}
		groups = append(groups, g)
		keys[g]++
	}
	pairs := slices.SortedFunc(maps.Keys(shared), func(a, b [2]int) int { return slices.Compare(a[:], b[:]) })
	for _, pair := range pairs {
		a, b, n := pair[0], pair[1], shared[pair]
		if n*2 > min(keys[a], keys[b]) && k.top(a) == k.top(b) {
			parent[root(max(root(a), root(b)))] = min(root(a), root(b))
		}
	}
	standard := make([]int, len(k.groups)) // pages in the default language
	for i := range k.pages {
		if k.pages[i].page.Language == k.s.languages.standard {
			standard[k.of[i]]++
		}
	}
	best := map[int]int{} // root -> the group whose name counts
	for g := range k.groups {
		r := root(g)
		have, ok := best[r]
		if !ok || cmp.Or(cmp.Compare(standard[g], standard[have]), cmp.Compare(len(k.groups[g].Items),
			len(k.groups[have].Items))) > 0 {
			best[r] = g
		}
	}
	list := make([]named, len(k.groups))
	for g := range k.groups {
		kind, section := k.groups[best[root(g)]].Words()
		kind = slug.Make(kind, "")
		if kind == "" && k.fed(g) {
			kind, section = "post", ""
		}
		if kind == "" {
			kind, section = "page", ""
		}
		list[g] = named{kind, section}
	}
	k.apart(list, root)
	return list
}

// fed reports whether most pages of a group come from a feed: they are posts.
func (k *kinds) fed(g int) bool {
	n := 0
	for _, i := range k.groups[g].Items {
		if page := k.pages[i].page; page.Field("guid") != "" && dateOf(page) != "" {
			n++
		}
	}
	return n >= least && n*10 >= len(k.groups[g].Items)*8
}

// top reports whether a group is that of the paths of one segment.
func (k *kinds) top(g int) bool {
	group := &k.groups[g]
	return group.Script == "" && len(group.Literals) == 0 && group.Date == 0 && group.Prefix == ""
}

// apart gives groups of one name that are different, not translations of one another, different names.
func (k *kinds) apart(list []named, root func(int) int) {
	owner := map[string]int{}
	for g := range k.groups {
		name := list[g].kind
		have, taken := owner[name]
		switch {
		case !taken:
			owner[name] = root(g)
		case have == root(g) || name == "page" || k.alike(have, g):
		default:
			other := name
			if s := slug.Make(list[g].section, ""); s != "" && s != name {
				other = s
			}
			for n := 2; ; n++ {
				if at, taken := owner[other]; !taken || at == root(g) {
					break
				}
				other = fmt.Sprintf("%s-%d", name, n)
			}
			owner[other] = root(g)
			list[g].kind = other
		}
	}
}

// alike reports whether two groups of one name are one kind all the same: the dates of journals may be longer or
// shorter,
// and words of sections may be spelled in other letters.
func (k *kinds) alike(a, b int) bool {
	x, y := &k.groups[a], &k.groups[b]
	if x.Inner != y.Inner || (x.Script == "") != (y.Script == "") {
		return false
	}
	if x.Script != "" {
		return slices.Equal(x.Varying, y.Varying)
	}
	return slices.EqualFunc(x.Literals, y.Literals, strings.EqualFold)
}
