// Package inventory holds the pages of a site: what a visitor may want,
// independent of the addresses it had or will have.
package inventory

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"young-compass/internal/finding"
	"young-compass/internal/table"
)

// Ref names a page: translations share the key.
type Ref struct{ Key, Language string }

// String returns "key@language".
func (r Ref) String() string { return r.Key + "@" + r.Language }

// ParseRef reads "key@language".
func ParseRef(s string) (Ref, bool) {
	key, language, ok := strings.Cut(s, "@")
	if !ok || key == "" || language == "" || strings.ContainsAny(s, "/: ?#") {
		return Ref{}, false
	}
	return Ref{key, language}, true
}

// Compare orders pages by key, then by language.
func (r Ref) Compare(o Ref) int {
	return cmp.Or(strings.Compare(r.Key, o.Key), strings.Compare(r.Language, o.Language))
}

// State says whether visitors can have a page.
type State string

// The states of a page.
const (
	Live  State = "live"
	Draft State = "draft" // not yet
	Away  State = "away"  // not now
	Gone  State = "gone"  // not any more
)

// Page is one row of pages.csv.
type Page struct {
	Ref
	Kind      string
	Title     string
	State     State
	Fixed     string // an address set by hand
	Canonical string // the page or address that this one defers to
	Robots    string
	Line      int     // in pages.csv; 0 for a page that isn't there yet
	fields    []field // every other column that holds something, by name
}

// field is a value in a column of the page's own. Pages have few, so that a
// list takes less room than a map and is searched as fast.
type field struct{ name, value string }

// Same reports whether two pages say the same, wherever they stand.
func (p *Page) Same(o Page) bool {
	if p.Ref != o.Ref || p.Kind != o.Kind || p.Title != o.Title || p.State != o.State || p.Fixed != o.Fixed ||
		p.Canonical != o.Canonical || p.Robots != o.Robots {
		return false
	}
	for _, f := range p.fields {
		if o.Field(f.name) != f.value {
			return false
		}
	}
	for _, f := range o.fields {
		if p.Field(f.name) != f.value {
			return false
		}
	}
	return true
}

// Field returns a named value of the page: one of its fields, or one of the
// columns every page has.
func (p *Page) Field(name string) string {
	switch name {
	case "key":
		return p.Key
	case "language":
		return p.Language
	case "state":
		return string(p.State)
	}
	if column := p.column(name); column != nil {
		return *column
	}
	if i, ok := p.find(name); ok {
		return p.fields[i].value
	}
	return ""
}

// find returns where a field is, or belongs.
func (p *Page) find(name string) (int, bool) {
	return slices.BinarySearchFunc(p.fields, name, func(f field, name string) int { return strings.Compare(f.name, name) })
}

// Set gives the page a value. Key and language, which name it, stay.
func (p *Page) Set(name, value string) {
	switch name {
	case "key", "language":
		return
	case "state":
		p.State = State(value)
		return
	}
	if column := p.column(name); column != nil {
		*column = value
		return
	}
	switch i, ok := p.find(name); {
	case ok:
		p.fields[i].value = value
	case i == len(p.fields):
		p.fields = append(p.fields, field{name, value})
	default: // copies of the page may share the list
		p.fields = slices.Insert(slices.Clip(p.fields), i, field{name, value})
	}
}

// column returns where a column that every page has is kept.
func (p *Page) column(name string) *string {
	switch name {
	case "kind":
		return &p.Kind
	case "title":
		return &p.Title
	case "fixed":
		return &p.Fixed
	case "canonical":
		return &p.Canonical
	case "robots":
		return &p.Robots
	}
	return nil
}

// Inventory is the content of pages.csv.
type Inventory struct {
	File   string
	Pages  []Page
	fields []string // columns beyond the usual ones, in their order
	byRef  map[Ref]int
}

// AddressNames are the names by which tables call their column of addresses
// elsewhere.
func AddressNames() []string {
	return []string{"url", "link", "loc", "location", "permalink", "uri", "page url", "adresse", "lien", "enlace",
		"indirizzo", "dirección", "seitenadresse"}
}

// leading and trailing are the columns that every inventory has, as written.
func leading() []string  { return []string{"key", "language", "kind", "title", "state"} }
func trailing() []string { return []string{"fixed", "canonical", "robots"} }

// Read reads pages.csv; rows that name no language are in the default one. Rows
// that can't be read, and pages named twice, become findings.
func Read(file string, r io.Reader, defaultLanguage string) (*Inventory, []finding.Finding, error) {
	sheet, err := table.Open(file, r, nil, "key", "title")
	if err != nil {
		return nil, nil, err
	}
	inv := &Inventory{File: file}
	inv.AddColumns(sheet.Columns)
	inOrder := slices.Sorted(slices.Values(inv.fields)) // in which a page takes them at once
	found, err := sheet.Each(func(row table.Row) *finding.Finding {
		page, bad := fromRow(file, row, inOrder, defaultLanguage)
		if bad != nil {
			return bad
		}
		if old := inv.Find(page.Ref); old != nil {
			twice := table.BadRow(file, row.Line, fmt.Sprintf("the page %s stands in line %d already", page.Ref, old.Line),
				"give one of them another key or language")
			return &twice
		}
		inv.Add(page)
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	inv.sort()
	return inv, found, nil
}

// sort puts the pages in the order in which they are written: that of the rows in a file says nothing.
func (inv *Inventory) sort() {
	compare := func(a, b Page) int { return a.Compare(b.Ref) }
	if slices.IsSortedFunc(inv.Pages, compare) {
		return
	}
	slices.SortFunc(inv.Pages, compare)
	for i := range inv.Pages {
		inv.byRef[inv.Pages[i].Ref] = i
	}
}

// fromRow reads a page from a row of pages.csv, with these fields of its own.
func fromRow(file string, row table.Row, fields []string, defaultLanguage string) (Page, *finding.Finding) {
	f := row.Get
	p := Page{
		Ref:  Ref{f("key"), cmp.Or(f("language"), defaultLanguage)},
		Kind: cmp.Or(f("kind"), "page"), Title: f("title"), State: State(cmp.Or(f("state"), string(Live))),
		Fixed: f("fixed"), Canonical: f("canonical"), Robots: f("robots"), Line: row.Line,
	}
	if _, ok := ParseRef(p.Ref.String()); !ok {
		bad := table.BadRow(file, row.Line, fmt.Sprintf("key %q with language %q name no page", p.Key, p.Language),
			"give both, without @ / : ? # or spaces")
		return p, &bad
	}
	switch p.State {
	case Live, Draft, Away, Gone:
	default:
		bad := table.BadRow(file, row.Line, fmt.Sprintf("%q is not a state", f("state")),
			"say live, draft, away or gone")
		return p, &bad
	}
	for _, name := range fields {
		if value := f(name); value != "" {
			p.Set(name, value)
		}
	}
	return p, nil
}

// AddColumns makes the inventory keep these columns, as far as they are fields.
func (inv *Inventory) AddColumns(names []string) {
	for _, name := range names {
		if !slices.Contains(leading(), name) && !slices.Contains(trailing(), name) &&
			!slices.Contains(inv.fields, name) {
			inv.fields = append(inv.fields, name)
		}
	}
}

// Columns returns how many columns there are.
func (inv *Inventory) Columns() int { return len(leading()) + len(inv.fields) + len(trailing()) }

// HasColumn reports whether the inventory has a column of that name.
func (inv *Inventory) HasColumn(name string) bool {
	return slices.Contains(inv.fields, name) || slices.Contains(leading(), name) || slices.Contains(trailing(), name)
}

// Add appends a page that isn't there yet, and returns where it is until the next one is added.
func (inv *Inventory) Add(p Page) *Page {
	if inv.byRef == nil {
		inv.byRef = map[Ref]int{}
	}
	inv.byRef[p.Ref] = len(inv.Pages)
	inv.Pages = append(inv.Pages, p)
	return &inv.Pages[len(inv.Pages)-1]
}

// Grow makes room for so many further pages.
func (inv *Inventory) Grow(n int) {
	inv.Pages = slices.Grow(inv.Pages, n)
	if inv.byRef == nil {
		inv.byRef = make(map[Ref]int, n)
	}
}

// Find returns the page of that name, or nil.
func (inv *Inventory) Find(r Ref) *Page {
	if i, ok := inv.byRef[r]; ok {
		return &inv.Pages[i]
	}
	return nil
}

// Without returns an inventory without some pages, and with the same columns.
func (inv *Inventory) Without(refs ...Ref) *Inventory {
	next := &Inventory{File: inv.File, fields: slices.Clone(inv.fields)}
	for _, p := range inv.Pages {
		if !slices.Contains(refs, p.Ref) {
			next.Add(p)
		}
	}
	return next
}

// Encode returns the inventory as pages.csv, ordered by key and language.
func (inv *Inventory) Encode() []byte {
	order := make([]int32, len(inv.Pages))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int { return inv.Pages[a].Compare(inv.Pages[b].Ref) })
	columns := slices.Concat(leading(), inv.fields, trailing())
	return table.EncodeRecords(columns, func(yield func([]string) bool) {
		record := make([]string, len(columns))
		for _, i := range order {
			for c, name := range columns {
				record[c] = inv.Pages[i].Field(name)
			}
			if !yield(record) {
				return
			}
		}
	})
}
