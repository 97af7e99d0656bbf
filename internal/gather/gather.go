// Package gather merges what an administrator has, tables, feeds, sitemaps,
// logs, pages, into the inventory and the address book.
//
// Sources are read one by one into records (read.go). Then all records are
// merged at once, those whose word counts most first (merge.go), so that the
// order in which sources were named makes no difference.
package gather

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/accesslog"
	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/planfile"
	"young-compass/internal/source"
	"young-compass/internal/table"
	"young-compass/internal/visits"
)

// Summary counts what a source brought.
type Summary struct {
	Source    string         `json:"source"`
	Form      source.Form    `json:"form"`
	Records   int            `json:"records"`
	New       int            `json:"new_pages"`
	Merged    int            `json:"merged_pages"`  // that were known, or that another source brought too
	Changed   int            `json:"changed_pages"` // known pages in which its word replaced what was there
	Kept      int            `json:"kept_fields"`   // where pages.csv was edited by hand, and stays
	Addresses int            `json:"new_addresses"`
	Ignored   map[string]int `json:"ignored,omitempty"` // records, by the reason
	Left      []Left         `json:"left,omitempty"`    // what was ignored: the first of each reason, or all
	Notes     []string       `json:"notes,omitempty"`   // what was made of it
	Columns   []Mapping      `json:"columns"`           // of a table, taken for others
	Pages     []Count        `json:"pages"`             // the pages it speaks of
	Log       *LogSummary    `json:"log,omitempty"`

	cleaned []string // where values held what no file may hold: the first of them
	cleans  int
}

// clean notes that a value held control characters, or bytes that are no text.
func (s *Summary) clean(where finding.Place) {
	if s.cleans++; s.cleans <= shownLeft {
		s.cleaned = append(s.cleaned, where.String())
	}
}

// cleanNote says which values were cleaned; empty for none.
func (s *Summary) cleanNote() string {
	switch {
	case s.cleans == 0:
		return ""
	case s.cleans > len(s.cleaned):
		s.cleaned = append(s.cleaned, "...")
	}
	return fmt.Sprintf("%d values held control characters, which are spaces now: %s", s.cleans,
		strings.Join(s.cleaned, ", "))
}

// Left is a record that was ignored.
type Left struct {
	Record string `json:"record"` // its address, or its title
	Line   int    `json:"line,omitempty"`
	Reason string `json:"reason"`
}

// shownLeft is how many ignored records of each reason are kept, unless all are wanted.
const shownLeft = 5

// ignore counts a record that isn't used.
func (g *Gatherer) ignore(s *Summary, reason, record string, line int) {
	s.Ignored[reason]++
	if g.AllIgnored || s.Ignored[reason] <= shownLeft {
		s.Left = append(s.Left, Left{record, line, reason})
	}
}

// Count is how many pages there are of a kind, in a language, in a state.
type Count struct {
	Kind     string `json:"kind"`
	Language string `json:"language"`
	State    string `json:"state"`
	Pages    int    `json:"pages"`
}

// LogSummary counts what a log said.
type LogSummary struct {
	Lines      int                 `json:"lines"`
	Malformed  int                 `json:"malformed"`
	Empty      int                 `json:"without_request"`
	Samples    []accesslog.BadLine `json:"malformed_lines"` // the first of them
	Visitors   int                 `json:"visitors"`        // requests
	Robots     int                 `json:"robots"`
	NotFound   int                 `json:"not_found"`
	Last       string              `json:"last"`
	Parameters []Parameter         `json:"parameters"`
}

// Parameter is a parameter as logs show it.
type Parameter struct {
	Name      string `json:"name"`
	Class     string `json:"class"` // as the plan says; empty: unknown
	Addresses int    `json:"addresses"`
	Visitors  int    `json:"visitors"`
	Robots    int    `json:"robots"`
}

// Gatherer is the state that sources are merged into.
type Gatherer struct {
	Settings *planfile.Settings
	Base     address.Address // where bare paths stand; the zero value is the site's origin
	Today    string          // YYYY-MM-DD
	Pages    *inventory.Inventory
	Book     *book.Book
	Memory   *Memory           // what sources said before
	Columns  []Mapping         // told; others are found by their usual names
	States   map[string]string // told: what words of tables mean, in small letters; others have their usual meaning
	Given    map[string]string // values of columns for pages of which a source says none
	Visits   []visits.Visit

	AllIgnored bool // every ignored record is kept

	summaries []*Summary
	fields    []*fieldNames // the columns that each source gives the inventory
	records   []*record
	found     []finding.Finding
	logs      []logged
	asked     []string          // paths that forms send to, and that robots.txt names
	linked    []string          // paths of scripts that pages link to
	sitemaps  []address.Address // that robots.txt names
}

// record is what a source says of one page, or of one address.
type record struct {
	source  int32 // of the summaries
	line    int32 // of the source
	address string
	*said

	at        address.Address // the address, resolved
	has       bool
	elsewhere bool    // the canonical address is another one
	number    int32   // of the address, once it is known to belong to the page
	page      pageID  // it is found to speak of; 0: none
	next      *record // of the same page
}

// said is what a record says besides an address. Those of a log say nothing, and share one.
type said struct {
	file       string // of a source that is a folder
	key        string
	language   string // as said; empty if it wasn't
	id         string // a name that the source gives it besides its address
	canonical  string // the address that the page says is its one
	alternates []alternate
	fields     []field // the page's columns, and any other; none of them empty
	text       uint64  // a hash of its text; 0: unknown, or too little
	home       *known  // the page's own address, where that is another one
}

// known is an address with its number.
type known struct {
	address.Address
	number int32
}

// where returns where a record stands.
func (g *Gatherer) where(r *record) finding.Place {
	s := g.summaries[r.source]
	switch s.Form {
	case source.Site:
		return finding.Place{URL: r.address}
	case source.Log:
		return finding.Place{File: s.Source, URL: r.at.String()}
	}
	return finding.Place{File: cmp.Or(r.file, s.Source), Line: int(r.line)}
}

// give fills in a value that the source doesn't say.
func (r *said) give(name, value string) {
	if name == "language" {
		r.language = cmp.Or(r.language, value)
		return
	}
	if value != "" && r.get(name) == "" {
		r.fields = append(r.fields, field{name, value})
	}
}

type field struct{ name, value string }

type alternate struct{ language, address string }

// logged is an access log and the source it came from.
type logged struct {
	source int
	log    *accesslog.Log
}

// HasLog reports whether a log was read, so that Visits replaces what was known.
func (g *Gatherer) HasLog() bool { return len(g.logs) > 0 }

func (g *Gatherer) base() address.Address {
	if g.Base != (address.Address{}) {
		return g.Base
	}
	return g.Settings.Site.Origin
}

// fieldNames are names of fields, each once, in the order in which they were met.
type fieldNames struct {
	list []string
	has  map[string]bool
}

func (n *fieldNames) add(names ...string) {
	for _, name := range names {
		if !n.has[name] {
			n.has[name] = true
			n.list = append(n.list, name)
		}
	}
}

// begin starts a source.
func (g *Gatherer) begin(name string, form source.Form) *Summary {
	s := &Summary{Source: name, Form: form, Ignored: map[string]int{}, Columns: []Mapping{}, Pages: []Count{}}
	g.summaries, g.fields = append(g.summaries, s), append(g.fields, &fieldNames{has: map[string]bool{}})
	return s
}

// maxRecord is how many bytes a source may say of one page; a row of the inventory holds several such.
const maxRecord = 64 << 10

// add takes up a record, in which nothing is left that could do harm where it is shown or opened.
func (g *Gatherer) add(r record) {
	from := len(g.summaries) - 1
	s := g.summaries[from]
	r.source = int32(from)
	s.Records++
	size := 0
	fields := r.fields[:0]
	for _, f := range r.fields {
		size += len(f.value) + len(f.name)
		if !table.Plain(f.value) {
			s.clean(g.where(&r))
		}
		f = field{columnName(f.name), table.GuardText(strings.TrimSpace(table.Clean(f.value)))}
		if f.name != "" && f.value != "" {
			fields = append(fields, f)
		}
	}
	if r.fields = fields; size > maxRecord {
		g.ignore(s, fmt.Sprintf("records of more than %d KiB", maxRecord>>10), table.Clean(r.address), int(r.line))
		return
	}
	for _, name := range slices.Sorted(maps.Keys(g.Given)) {
		r.give(name, g.Given[name])
	}
	for _, f := range r.fields {
		g.fields[from].add(f.name)
	}
	r.fields = slices.Clip(slices.Clone(r.fields))
	g.records = append(g.records, &r)
}

// Ask says in which form an address is asked for in a crawl, and whether at
// all: parameters that don't select content would lead round without end, and
// files are no pages.
func (g *Gatherer) Ask(a address.Address) (address.Address, bool) {
	a.Query, a.Path = g.contentQuery(a), g.Settings.WithoutNoise(a.Path)
	return a, !g.Settings.IsFile(a.Path)
}

// contentQuery returns an address's query without the parameters that the plan
// says don't select content.
func (g *Gatherer) contentQuery(a address.Address) string {
	return address.JoinQuery(slices.DeleteFunc(address.SplitQuery(a.Query), func(q address.Param) bool {
		if l := &g.Settings.Languages; q.Name == l.Parameter && l.OfQuery(q.Raw) == l.Default {
			return true
		}
		class := g.Settings.Parameters.ClassOf(q.Name, a.Path)
		return class == parameter.Noise || class == parameter.Tracking || class == parameter.Display
	}))
}
