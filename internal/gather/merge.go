package gather

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/slug"
	"young-compass/internal/source"
	"young-compass/internal/table"
)

// Merge merges all records into the inventory and the book, and returns what
// each source brought, in the order in which they were read.
func (g *Gatherer) Merge() ([]Summary, []finding.Finding) {
	m := merger{Gatherer: g, owner: map[string]inventory.Ref{}, bound: map[address.Address]inventory.Ref{},
		byID: map[string]inventory.Ref{}, byTitle: map[titled]inventory.Ref{}, groups: map[string]string{},
		groupKey: map[string]string{}, claims: map[inventory.Ref]*claims{},
		spoken: make([]map[inventory.Ref]bool, len(g.summaries)), before: map[inventory.Ref]bool{},
		current: map[inventory.Ref]bool{}, inBook: map[address.Address]bool{}, paths: map[string]bool{}}
	if g.Memory == nil {
		g.Memory = &Memory{}
	}
	for i := range m.spoken {
		m.spoken[i] = map[inventory.Ref]bool{}
	}
	m.prepare()
	m.addColumns()
	m.resolve()
	m.tidyTitles()
	m.sameTexts()
	m.takeLogs()
	slices.SortStableFunc(g.records, m.compare)
	m.group()
	for i := range g.records {
		m.place(&g.records[i])
	}
	m.apply()
	for i := range g.records {
		m.enter(&g.records[i])
	}
	m.noteVisits()
	m.count()
	summaries := make([]Summary, len(g.summaries))
	for i, s := range g.summaries {
		summaries[i] = *s
	}
	finding.Sort(m.found)
	return summaries, m.found
}

// merger is a merge under way.
type merger struct {
	*Gatherer
	bound    map[address.Address]inventory.Ref // addresses of the book, and of records placed
	owner    map[string]inventory.Ref          // the same by what they mean
	paths    map[string]bool                   // the paths of these
	byID     map[string]inventory.Ref
	groups   map[string]string // what an address means -> one of its translations; itself for the last
	groupKey map[string]string
	claims   map[inventory.Ref]*claims
	inBook   map[address.Address]bool
	current  map[inventory.Ref]bool // pages that have a current address
	before   map[inventory.Ref]bool // pages that were there
	spoken   []map[inventory.Ref]bool
	byLog    []visited
	byTitle  map[titled]inventory.Ref // the zero value where several have it
}

// titled is what names a page that has neither key nor address.
type titled struct{ language, title string }

// meaning returns what an address has in common with its spellings: those on
// the site's other hosts, in other letters, with parameters that don't select
// content.
//
//	http://www.skerrywick.example/Routes?utm_source=a    skerrywick.example/routes?
func (m *merger) meaning(a address.Address) string {
	a = m.Settings.Site.Rebase(a)
	return a.Host + address.Key(a.Path, true) + "?" + m.contentQuery(a)
}

func (m *merger) prepare() {
	for _, e := range m.Book.Entries {
		m.bind(e.Address, e.Page)
		m.inBook[e.Address] = true
		m.current[e.Page] = m.current[e.Page] || e.State == book.Current
	}
	for _, p := range m.Pages.Pages {
		m.before[p.Ref] = true
		m.noteTitle(p.Ref, p.Title)
		if id := p.Field("guid"); id != "" {
			m.byID[id] = p.Ref
		}
	}
}

// addColumns gives the inventory the columns of the sources, those whose word
// counts most first.
func (m *merger) addColumns() {
	order := make([]int, len(m.summaries))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int {
		a, b := m.summaries[i], m.summaries[j]
		return cmp.Or(cmp.Compare(b.Form.Rank(), a.Form.Rank()), strings.Compare(a.Source, b.Source))
	})
	for _, i := range order {
		var names []string
		for _, name := range m.fields[i] {
			if name = columnName(name); name != "" {
				names = append(names, name)
			}
		}
		m.Pages.AddColumns(names)
		if n := m.Pages.Columns(); n > maxColumns {
			m.found = append(m.found, table.BadRow(m.summaries[i].Source, 1, fmt.Sprintf("with its columns pages "+
				"have %d; at most %d are kept", n, maxColumns), "leave out the columns that no page needs"))
			return
		}
	}
}

// maxColumns is how many columns pages may have.
const maxColumns = 1000

// columnName returns what a column of pages is called that a source calls so; empty for a name that is none.
func columnName(name string) string {
	return table.Guard(strings.ToLower(strings.Join(strings.Fields(table.Clean(name)), " ")))
}

func (m *merger) bind(a address.Address, r inventory.Ref) {
	m.bound[a] = r
	meaning := m.meaning(a)
	if _, taken := m.owner[meaning]; !taken {
		m.owner[meaning] = r
	}
	m.paths[address.Key(a.Path, true)] = true
}

// ownerOf returns the page that an address is known to belong to.
func (m *merger) ownerOf(a address.Address) (inventory.Ref, bool) {
	if r, ok := m.bound[a]; ok {
		return r, true
	}
	r, ok := m.owner[m.meaning(a)]
	return r, ok
}

// resolve reads the records' addresses, and drops those of other sites and of
// files.
func (m *merger) resolve() {
	kept := m.records[:0]
	for _, r := range m.records {
		s := m.summaries[r.source]
		if r.address != "" {
			a, err := address.Resolve(m.base(), r.address)
			if err != nil {
				m.found = append(m.found, table.BadRow(r.where.File, r.where.Line, err.Error(),
					"write an http(s) address, or a path on "+m.base().String()))
				continue
			}
			a.Fragment = ""
			a.Path = m.Settings.WithoutNoise(a.Path)
			switch {
			case !m.Settings.Site.Has(a.Host):
				m.ignore(s, "on a host that is not the site's", r.name(), r.where.Line)
				continue
			case s.Form != source.Table && m.Settings.IsFile(a.Path):
				m.ignore(s, "a file", r.name(), r.where.Line)
				continue
			}
			if s.Form == source.HTML && r.canonical == "" {
				a.Path = m.withoutIndex(a.Path)
			}
			r.at, r.has = a, true
			if home, err := address.Reference(a, r.canonical); r.canonical != "" && err == nil {
				r.elsewhere = m.meaning(home) != m.meaning(a)
			}
		}
		if r.key == "" && !r.has && (r.id == "" || r.get("title") == "") {
			m.ignore(s, "neither key nor address", r.name(), r.where.Line)
			continue
		}
		kept = append(kept, r)
	}
	m.records = kept
}

// withoutIndex returns the path of the folder that an index file stands for.
func (m *merger) withoutIndex(path string) string {
	slash := strings.LastIndexByte(path, '/')
	if slices.ContainsFunc(m.Settings.Paths.Index,
		func(name string) bool { return strings.EqualFold(name, path[slash+1:]) }) {
		return path[:slash+1]
	}
	return path
}

func (r *record) get(name string) string {
	for _, f := range r.fields {
		if f.name == name {
			return f.value
		}
	}
	return ""
}

// compare puts records in the order in which they are taken: those whose word
// counts most first, then by their content.
func (m *merger) compare(a, b record) int {
	x, y := m.summaries[a.source], m.summaries[b.source]
	return cmp.Or(
		cmp.Compare(y.Form.Rank(), x.Form.Rank()),
		compareBool(a.elsewhere, b.elsewhere), // the page itself before those that only lead to it
		strings.Compare(x.Source, y.Source),
		cmp.Compare(a.where.Line, b.where.Line),
		strings.Compare(a.where.File, b.where.File),
		strings.Compare(a.address, b.address),
	)
}

// name returns by what a person finds a record again.
func (r *record) name() string { return cmp.Or(r.address, r.get("title"), r.key, r.id) }

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

// languageOf returns the site's language that a tag means, or the tag; the
// default when it is none.
func (m *merger) languageOf(tag string) (string, bool) {
	tag = strings.ReplaceAll(strings.TrimSpace(tag), "_", "-")
	known := []string{m.Settings.Languages.Default}
	for _, l := range m.Settings.Languages.Others {
		known = append(known, l.Tag)
	}
	for len(tag) > 0 {
		for _, l := range known {
			if strings.EqualFold(l, tag) {
				return l, true
			}
		}
		tag = tag[:max(0, strings.LastIndexByte(tag, '-'))]
	}
	return m.Settings.Languages.Default, false
}

// pageLanguage returns the language of a record whose page has an address: as
// said, else by the address's prefix.
func (m *merger) pageLanguage(r *record, at address.Address) string {
	l, ok := m.languageOf(r.language)
	switch {
	case r.key != "" && r.language != "" && !strings.EqualFold(l, r.language):
		return r.language
	case ok:
		return l
	}
	return m.Settings.Languages.OfAddress(at)
}

// group finds which addresses are translations of one another.
func (m *merger) group() {
	for i := range m.records {
		r := &m.records[i]
		if !r.has {
			continue
		}
		for _, alternate := range r.alternates {
			a, err := address.Reference(r.at, alternate.address)
			if err != nil || !m.Settings.Site.Has(a.Host) {
				continue
			}
			x, y := m.root(m.meaning(r.at)), m.root(m.meaning(a))
			if x == y {
				continue
			}
			m.groups[max(x, y)] = min(x, y)
		}
	}
	members := map[string][]string{}
	for meaning := range m.groups {
		root := m.root(meaning)
		members[root] = append(members[root], meaning)
	}
	for root, list := range members {
		if !slices.Contains(list, root) {
			list = append(list, root)
		}
		slices.Sort(list)
		for _, meaning := range list {
			if r, ok := m.owner[meaning]; ok {
				m.groupKey[root] = r.Key
				break
			}
		}
	}
	m.nameGroups(members)
}

// nameGroups gives translations that nothing names yet a key of the words of the default language's address.
func (m *merger) nameGroups(members map[string][]string) {
	taken := map[string]bool{}
	for _, p := range m.Pages.Pages {
		taken[p.Key] = true
	}
	for i := range m.records {
		taken[m.records[i].key] = true
	}
	for i := range m.records {
		r := &m.records[i]
		root := m.root(m.meaning(r.at))
		if !r.has || r.key != "" || m.groupKey[root] != "" || members[root] == nil ||
			m.pageLanguage(r, r.at) != m.Settings.Languages.Default {
			continue
		}
		if key := m.keyOf(r.at); !taken[key] {
			taken[key] = true
			m.groupKey[root] = key
		}
	}
}

func (m *merger) root(meaning string) string {
	for {
		next, ok := m.groups[meaning]
		if !ok || next == meaning {
			return meaning
		}
		meaning = next
	}
}

// place finds the page that a record speaks of, and notes what it says.
func (m *merger) place(r *record) {
	s := m.summaries[r.source]
	_, met := m.ownerOf(r.at)
	if with, ok := m.saysDefault(r.at); ok && s.Form == source.Log {
		if ref, known := m.ownerOf(m.selecting(r.at)); known { // another address of the same page, that isn't to be lost
			r.at, r.page = with, ref
			if _, taken := m.bound[with]; !taken {
				m.bind(with, ref)
			}
			return
		}
	}
	if s.Form == source.Log && !met {
		r.at = m.selecting(r.at)
		if _, met = m.ownerOf(r.at); !met && m.paths[address.Key(r.at.Path, true)] {
			m.ignore(s, "further parameters of a known path", r.name(), r.where.Line)
			return
		}
		if !met && m.Settings.Paths.NoExtension && address.Script(r.at.Path) {
			m.ignore(s, "a script that no other source names", r.name(),
				r.where.Line) // a basket, a search: as a page it would lose its address
			return
		}
	}
	ref, home, ok := m.pageOf(r)
	if !ok {
		return
	}
	if m.deleted(ref) {
		m.ignore(s, "deleted from pages.csv by hand", r.name(), r.where.Line)
		return
	}
	r.page = ref
	if r.key == "" && met && strings.HasPrefix(r.address, "/") {
		r.has = false // where no host is named, a spelling of a known address is none of its own
	}
	if home != (address.Address{}) {
		if _, taken := m.ownerOf(home); !taken {
			m.bind(home, ref)
			r.home = home
		}
	}
	if r.has {
		if _, taken := m.bound[r.at]; !taken {
			m.bind(r.at, ref)
		}
		if root := m.root(m.meaning(r.at)); m.groupKey[root] == "" {
			m.groupKey[root] = ref.Key
		}
	}
	if r.id != "" {
		m.byID[r.id] = ref
	}
	m.claim(r, ref)
	m.noteTitle(ref, r.get("title"))
}

// noteTitle notes that a page has a title.
func (m *merger) noteTitle(ref inventory.Ref, title string) {
	name := titled{ref.Language, title}
	if have, ok := m.byTitle[name]; ok && have != ref {
		ref = inventory.Ref{}
	}
	m.byTitle[name] = ref
}

// deleted reports whether a person took a page out of pages.csv.
func (m *merger) deleted(ref inventory.Ref) bool {
	_, known := m.Memory.pages[ref]
	return known && len(m.before) > 0 && m.Pages.Find(ref) == nil
}

// pageOf returns the page that a record speaks of, and the page's own address
// where the record says that it is another one.
func (m *merger) pageOf(r *record) (ref inventory.Ref, home address.Address, ok bool) {
	if r.key != "" {
		ref = inventory.Ref{Key: r.key, Language: m.pageLanguage(r, r.at)}
		if owner, taken := m.bound[r.at]; r.has && taken && owner != ref {
			m.found = append(m.found, table.BadRow(r.where.File, r.where.Line,
				fmt.Sprintf("%s belongs to %s already, so it can't be given to %s", r.at, owner, ref),
				"correct the key, or change the page in "+m.Book.File))
			return ref, home, false
		}
		return ref, home, true
	}
	if r.has {
		if ref, ok := m.ownerOf(r.at); ok {
			m.deferTo(r, ref)
			return ref, home, true
		}
	}
	if ref, ok := m.byID[r.id]; ok && r.id != "" {
		return ref, home, true
	}
	if r.canonical != "" {
		if a, err := address.Reference(r.at, r.canonical); err == nil && m.Settings.Site.Has(a.Host) {
			a.Fragment = ""
			if ref, ok := m.ownerOf(a); ok {
				return ref, home, true
			}
			if m.meaning(a) != m.meaning(r.at) {
				home = a
			}
		}
	}
	own := r.at
	if home != (address.Address{}) {
		own = home
	}
	language := m.pageLanguage(r, own)
	if r.has {
		if key := m.groupKey[m.root(m.meaning(own))]; key != "" {
			if ref := (inventory.Ref{Key: key, Language: language}); m.claims[ref] == nil && m.Pages.Find(ref) == nil {
				return ref, home, true
			}
		}
		return m.newRef(m.keyOf(own), language), home, true
	}
	title := r.get("title")
	if ref, ok := m.byTitle[titled{language, title}]; ok {
		return ref, home, ref != inventory.Ref{}
	}
	return m.newRef(cmp.Or(slug.Make(title, language), "entry"), language), home, true
}

// deferTo notes that a page calls an address of another page its own.
func (m *merger) deferTo(r *record, ref inventory.Ref) {
	if r.canonical == "" {
		return
	}
	a, err := address.Reference(r.at, r.canonical)
	if err != nil {
		return
	}
	a.Fragment = ""
	switch owner, known := m.ownerOf(a); {
	case known && owner != ref && owner.Language == ref.Language:
		r.fields = append(r.fields, field{"canonical", owner.String()})
	case !known && !m.Settings.Site.Has(a.Host):
		r.fields = append(r.fields, field{"canonical", a.String()})
	}
}

// newRef returns a page of that key and language which isn't there yet.
func (m *merger) newRef(key, language string) inventory.Ref {
	for n := 1; ; n++ {
		ref := inventory.Ref{Key: key, Language: language}
		if n > 1 {
			ref.Key = fmt.Sprintf("%s-%d", key, n)
		}
		if m.claims[ref] == nil && m.Pages.Find(ref) == nil {
			return ref
		}
	}
}

// keyOf makes a key of an address: its words, without language and extension.
//
//	/de/routes/kvitsund.html     routes-kvitsund
//	/index.php?sec=route&id=7    sec-route-id-7
func (m *merger) keyOf(a address.Address) string {
	_, path := m.Settings.Languages.OfPath(m.withoutIndex(a.Path))
	for _, e := range address.PageExtensions() {
		path = strings.TrimSuffix(path, e)
	}
	text := strings.ReplaceAll(path, "/", " ")
	for _, q := range address.SplitQuery(a.Query) {
		if m.Settings.Languages.OfQuery(q.Raw) != "" {
			continue
		}
		text += " " + q.Name + " " + strings.TrimPrefix(q.Value, "=")
	}
	return cmp.Or(slug.Make(address.Decode(text), ""), "home")
}

// enter notes a record's addresses in the book: drafts aren't, a page's first
// address is its current one, further ones are variants.
func (m *merger) enter(r *record) {
	page := m.Pages.Find(r.page)
	if page == nil || page.State == inventory.Draft {
		return
	}
	own := r.at
	if !r.has {
		own = address.Address{}
	}
	for _, a := range []address.Address{r.home, own} { // what the page calls its own comes first
		if a == (address.Address{}) || m.inBook[a] {
			continue
		}
		e := book.Entry{Address: a, Page: r.page, State: book.Variant, Since: m.Today}
		if !m.current[r.page] {
			e.State = book.Current
			m.current[r.page] = true
		}
		m.summaries[r.source].Addresses++
		m.Book.Entries = append(m.Book.Entries, e)
		m.inBook[a] = true
	}
}

// count sums up the pages each source spoke of.
func (m *merger) count() {
	for i, refs := range m.spoken {
		s := m.summaries[i]
		for ref := range refs {
			if m.before[ref] || m.claims[ref].first != i {
				s.Merged++
			}
		}
		s.Pages = CountPages(m.Pages, refs)
	}
}

// CountPages counts pages by kind, language and state; only those in which, if
// it isn't nil.
func CountPages(inv *inventory.Inventory, which map[inventory.Ref]bool) []Count {
	counts := map[Count]int{}
	for _, p := range inv.Pages {
		if which == nil || which[p.Ref] {
			counts[Count{p.Kind, p.Language, string(p.State), 0}]++
		}
	}
	list := make([]Count, 0, len(counts))
	for c, n := range counts {
		c.Pages = n
		list = append(list, c)
	}
	slices.SortFunc(list, func(a, b Count) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.Language, b.Language),
			strings.Compare(a.State, b.State))
	})
	return list
}
