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
// each source brought, in the order in which they were read. It takes the records' place: there are none any more.
func (g *Gatherer) Merge() ([]Summary, []finding.Finding) {
	m := merger{Gatherer: g, byID: map[string]pageID{}, byTitle: map[titled]pageID{},
		slugs: slug.NewMaker(slug.Settings{})}
	if g.Memory == nil {
		g.Memory = &Memory{}
	}
	m.addColumns()
	m.resolve()
	m.tidyTitles()
	m.sameTexts()
	m.takeLogs()
	slices.SortStableFunc(g.records, m.compare)
	m.prepare()
	m.group()
	for _, r := range g.records {
		m.place(r)
	}
	g.records = nil // pages hold theirs, as long as they are needed
	m.forget()
	m.apply()
	m.noteVisits()
	summaries := make([]Summary, len(g.summaries))
	for i, s := range g.summaries {
		if note := s.cleanNote(); note != "" {
			s.Notes = append(s.Notes, note)
		}
		summaries[i] = *s
	}
	finding.Sort(m.found)
	return summaries, m.found
}

// merger is a merge under way.
type merger struct {
	*Gatherer
	places
	paths   map[string]bool // of known addresses, where there are logs
	byID    map[string]pageID
	byTitle map[titled]pageID // none where several have it
	byLog   []visited
	slugs   *slug.Maker
	late    []*record // that bring pages a further address, and say no more
}

// forget lets go of what only placing records needs.
func (m *merger) forget() {
	m.places.forget()
	m.byID, m.byTitle, m.paths = nil, nil, nil
}

// titled is what names a page that has neither key nor address.
type titled struct{ language, title string }

// meaning returns what an address means.
func (m *merger) meaning(a address.Address) meaning {
	a = m.Settings.Site.Rebase(a)
	return meaning{a.Host, address.Key(a.Path, true), m.contentQuery(a)}
}

// prepare notes which pages there are, and their addresses.
func (m *merger) prepare() {
	if m.HasLog() {
		m.paths = make(map[string]bool, len(m.Book.Entries)+len(m.records))
	}
	m.places = newPlaces(len(m.Book.Entries)+len(m.records), len(m.Pages.Pages)+len(m.records))
	for i := range m.Pages.Pages {
		p := &m.Pages.Pages[i]
		n := m.page(p.Ref)
		m.pages[n].before = true
		m.noteTitle(n, p.Title)
		if id := p.Field("guid"); id != "" {
			m.byID[id] = n
		}
	}
	for i := range m.Book.Entries {
		e := &m.Book.Entries[i]
		n := m.page(e.Page)
		m.inBook[m.bind(e.Address, m.look(e.Address), n)] = true
		m.pages[n].current = m.pages[n].current || e.State == book.Current
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
		for _, name := range m.fields[i].list {
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

// look returns what is known of an address.
func (m *merger) look(a address.Address) sight { return m.see(a, m.meaning(a)) }

// bind notes to which page an address belongs.
func (m *merger) bind(a address.Address, s sight, n pageID) int32 {
	if m.paths != nil {
		m.paths[s.meaning.path] = true
	}
	return m.places.bind(a, s, n)
}

// bindNew returns the number of an address, which belongs to this page if it belonged to none.
func (m *merger) bindNew(a address.Address, s sight, n pageID) int32 {
	if s.number != 0 {
		return s.number
	}
	return m.bind(a, s, n)
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
				m.found = append(m.found, table.BadRow(m.summaries[r.source].Source, int(r.line), err.Error(),
					"write an http(s) address, or a path on "+m.base().String()))
				continue
			}
			a.Fragment = ""
			a.Path = m.Settings.WithoutNoise(a.Path)
			switch {
			case !m.Settings.Site.Has(a.Host):
				m.ignore(s, "on a host that is not the site's", r.name(), int(r.line))
				continue
			case s.Form != source.Table && m.Settings.IsFile(a.Path):
				m.ignore(s, "a file", r.name(), int(r.line))
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
			m.ignore(s, "neither key nor address", r.name(), int(r.line))
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

func (r *said) get(name string) string {
	for _, f := range r.fields {
		if f.name == name {
			return f.value
		}
	}
	return ""
}

// compare puts records in the order in which they are taken: those whose word
// counts most first, then by their content.
func (m *merger) compare(a, b *record) int {
	x, y := m.summaries[a.source], m.summaries[b.source]
	return cmp.Or(
		cmp.Compare(y.Form.Rank(), x.Form.Rank()),
		compareBool(a.elsewhere, b.elsewhere), // the page itself before those that only lead to it
		strings.Compare(x.Source, y.Source),
		cmp.Compare(a.line, b.line),
		strings.Compare(a.file, b.file),
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
	known := m.Settings.Languages.Tags()
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

// place finds the page that a record speaks of, and notes what it says.
func (m *merger) place(r *record) {
	s := m.summaries[r.source]
	at := m.look(r.at)
	if s.Form == source.Log {
		if with, ok := m.saysDefault(r.at); ok {
			if n := m.owner(m.look(m.selecting(r.at))); n != 0 { // another address of the same page, that isn't to be lost
				r.at, r.page, r.number = with, n, m.bindNew(with, m.look(with), n)
				m.late = append(m.late, r)
				return
			}
		}
	}
	if s.Form == source.Log && m.owner(at) == 0 {
		r.at = m.selecting(r.at)
		at = m.look(r.at)
		met := m.owner(at) != 0
		if !met && m.paths[at.meaning.path] {
			m.ignore(s, "further parameters of a known path", r.name(), int(r.line))
			return
		}
		if !met && m.Settings.Paths.NoExtension && address.Script(r.at.Path) {
			m.ignore(s, "a script that no other source names", r.name(),
				int(r.line)) // a basket, a search: as a page it would lose its address
			return
		}
	}
	n, home, ok := m.pageOf(r, at)
	if !ok {
		return
	}
	if m.deleted(n) {
		m.ignore(s, "deleted from pages.csv by hand", r.name(), int(r.line))
		return
	}
	r.page = n
	if r.key == "" && m.owner(at) != 0 && strings.HasPrefix(r.address, "/") {
		r.has = false // where no host is named, a spelling of a known address is none of its own
	}
	if home != (address.Address{}) {
		if s := m.look(home); m.owner(s) == 0 {
			r.home = &known{home, m.bindNew(home, s, n)}
		}
	}
	if r.has {
		r.number = m.bindNew(r.at, at, n)
		m.nameGroup(m.known[r.number].spot, m.pages[n].ref.Key)
	}
	if r.id != "" {
		m.byID[r.id] = n
	}
	m.speaks(r, n)
	m.noteTitle(n, r.get("title"))
}

// noteTitle notes that a page has a title.
func (m *merger) noteTitle(n pageID, title string) {
	if title == "" {
		return
	}
	name := titled{m.pages[n].ref.Language, title}
	if have, ok := m.byTitle[name]; ok && have != n {
		n = 0
	}
	m.byTitle[name] = n
}

// deleted reports whether a person took a page out of pages.csv.
func (m *merger) deleted(n pageID) bool {
	return !m.pages[n].before && len(m.Pages.Pages) > 0 && m.Memory.knows(m.pages[n].ref)
}

// pageOf returns the page that a record speaks of, and the page's own address
// where the record says that it is another one. at is what is known of its address.
func (m *merger) pageOf(r *record, at sight) (n pageID, home address.Address, ok bool) {
	if r.key != "" {
		ref := inventory.Ref{Key: r.key, Language: m.pageLanguage(r, r.at)}
		n = m.page(ref)
		if owner := m.known[at.number].page; r.has && owner != 0 && owner != n {
			m.found = append(m.found, table.BadRow(m.summaries[r.source].Source, int(r.line),
				fmt.Sprintf("%s belongs to %s already, so it can't be given to %s", r.at, m.pages[owner].ref, ref),
				"correct the key, or change the page in "+m.Book.File))
			return 0, home, false
		}
		return n, home, true
	}
	if owner := m.owner(at); r.has && owner != 0 {
		m.deferTo(r, owner)
		return owner, home, true
	}
	if n, ok := m.byID[r.id]; ok && r.id != "" {
		return n, home, true
	}
	own := r.at
	if r.canonical != "" {
		if a, err := address.Reference(r.at, r.canonical); err == nil && m.Settings.Site.Has(a.Host) {
			a.Fragment = ""
			there := m.look(a)
			if n := m.owner(there); n != 0 {
				return n, home, true
			}
			if there.meaning != at.meaning {
				home, own, at = a, a, there
			}
		}
	}
	language := m.pageLanguage(r, own)
	if r.has {
		if key := m.groupName(at.spot); key != "" {
			if ref := (inventory.Ref{Key: key, Language: language}); !m.taken(ref) {
				return m.page(ref), home, true
			}
		}
		return m.newPage(m.keyOf(own), language), home, true
	}
	title := r.get("title")
	if n, ok := m.byTitle[titled{language, title}]; ok {
		return n, home, n != 0
	}
	return m.newPage(cmp.Or(m.slugs.Make(title, language), "entry"), language), home, true
}

// deferTo notes that a page calls an address of another page its own.
func (m *merger) deferTo(r *record, n pageID) {
	if r.canonical == "" {
		return
	}
	a, err := address.Reference(r.at, r.canonical)
	if err != nil {
		return
	}
	a.Fragment = ""
	owner := m.owner(m.look(a))
	switch ref := m.pages[owner].ref; {
	case owner != 0 && owner != n && ref.Language == m.pages[n].ref.Language:
		r.fields = append(r.fields, field{"canonical", ref.String()})
	case owner == 0 && !m.Settings.Site.Has(a.Host):
		r.fields = append(r.fields, field{"canonical", a.String()})
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
	return cmp.Or(m.slugs.Make(address.Decode(text), ""), "home")
}

// enter notes a record's addresses in the book: drafts aren't, a page's first
// address is its current one, further ones are variants.
func (m *merger) enter(r *record, state inventory.State) {
	if state == inventory.Draft {
		return
	}
	if r.home != nil { // what the page calls its own comes first
		m.enterAt(r, *r.home)
	}
	if r.has {
		m.enterAt(r, known{r.at, r.number})
	}
}

func (m *merger) enterAt(r *record, a known) {
	if m.inBook[a.number] {
		return
	}
	m.inBook[a.number] = true
	subject := &m.pages[r.page]
	e := book.Entry{Address: a.Address, Page: subject.ref, State: book.Variant, Since: m.Today}
	if !subject.current {
		e.State = book.Current
		subject.current = true
	}
	m.summaries[r.source].Addresses++
	m.Book.Entries = append(m.Book.Entries, e)
}

// CountPages counts pages by kind, language and state.
func CountPages(inv *inventory.Inventory) []Count {
	counts := map[Count]int{}
	for i := range inv.Pages {
		counts[countOf(&inv.Pages[i])]++
	}
	return listed(counts)
}

// countOf returns where a page is counted.
func countOf(p *inventory.Page) Count { return Count{p.Kind, p.Language, string(p.State), 0} }

// listed returns counts in their order.
func listed(counts map[Count]int) []Count {
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
