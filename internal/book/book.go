// Package book holds the address book: every address a site ever had, and the
// page it belongs to. It only ever grows, so no visitor is ever lost.
package book

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/table"
)

// State says what an address is to its page.
type State string

// The states of an address.
const (
	Current State = "current" // the one address of the page
	Shown   State = "shown"   // served too; its canonical address is the current one
	Variant State = "variant" // another spelling or place; leads to the current one
	Former  State = "former"  // was current once; leads to the current one
)

func (s State) rank() int {
	return slices.Index([]State{Current, Shown, Variant, Former}, s)
}

// Entry is one row of addresses.csv.
type Entry struct {
	Address address.Address
	Page    inventory.Ref
	State   State
	Since   string // a date, YYYY-MM-DD
	Line    int    // in addresses.csv; 0 when new
	more    map[string]string
}

// Book is the content of addresses.csv.
type Book struct {
	File    string
	Entries []Entry
	more    []string // columns that the program doesn't know, kept as they are
}

// columns are those that every book has, as written.
func columns() []string { return []string{"address", "page", "state", "since"} }

// With returns a book with other entries, and the same further columns.
func (b *Book) With(entries []Entry) *Book {
	return &Book{File: b.File, Entries: entries, more: b.more}
}

// Read reads addresses.csv. Rows that can't be read become findings, and so do
// second current addresses of one page.
func Read(file string, r io.Reader) (*Book, []finding.Finding, error) {
	sheet, found, err := table.Read(file, r, "address", "page", "state")
	if err != nil {
		return nil, nil, err
	}
	table.ISODates(sheet, "since") // a spreadsheet writes them its own way
	b := &Book{File: file}
	for _, name := range sheet.Columns {
		if !slices.Contains(columns(), name) {
			b.more = append(b.more, name)
		}
	}
	b.Entries = make([]Entry, 0, len(sheet.Rows))
	current := map[inventory.Ref]int{}
	for _, row := range sheet.Rows {
		bad := func(what, advice string) {
			found = append(found, table.BadRow(file, row.Line, what, advice))
		}
		a, err := address.Parse(row.Get("address"))
		if err != nil {
			bad(err.Error(), "write an absolute http or https address")
			continue
		}
		ref, ok := inventory.ParseRef(row.Get("page"))
		if !ok {
			bad(fmt.Sprintf("%q names no page", row.Get("page")), "write key@language")
			continue
		}
		e := Entry{Address: a, Page: ref, State: State(row.Get("state")), Since: row.Get("since"), Line: row.Line}
		if len(b.more) > 0 {
			e.more = map[string]string{}
			for _, name := range b.more {
				e.more[name] = row.Get(name)
			}
		}
		if e.State.rank() < 0 {
			bad(fmt.Sprintf("%q is not a state of an address", row.Get("state")),
				"say current, shown, variant or former")
			continue
		}
		if e.State == Current {
			if line, ok := current[ref]; ok {
				bad(fmt.Sprintf("%s has a current address in line %d already", ref, line), "make one of them former")
				continue
			}
			current[ref] = row.Line
		}
		b.Entries = append(b.Entries, e)
	}
	if !slices.IsSortedFunc(b.Entries, compareEntries) { // a spreadsheet has sorted it otherwise, which says nothing
		slices.SortStableFunc(b.Entries, compareEntries)
	}
	return b, found, nil
}

// compareEntries orders entries as they are written: by page, its current address first, then by address.
func compareEntries(x, y Entry) int {
	return cmp.Or(compareRefs(x.Page, y.Page), cmp.Compare(x.State.rank(), y.State.rank()),
		strings.Compare(x.Address.String(), y.Address.String()))
}

// compareRefs compares pages by their texts (key@language).
func compareRefs(x, y inventory.Ref) int {
	n := min(len(x.Key), len(y.Key))
	if d := strings.Compare(x.Key[:n], y.Key[:n]); d != 0 {
		return d
	}
	if len(x.Key) != len(y.Key) {
		return strings.Compare(x.String(), y.String())
	}
	return strings.Compare(x.Language, y.Language)
}

// Current returns the position of each page's current address in Entries.
func (b *Book) Current() map[inventory.Ref]int {
	current := make(map[inventory.Ref]int, len(b.Entries))
	for i, e := range b.Entries {
		if e.State == Current {
			current[e.Page] = i
		}
	}
	return current
}

// Encode returns the book as addresses.csv: by page, its current address
// first, then by address.
func (b *Book) Encode() []byte {
	entries := slices.Clone(b.Entries)
	slices.SortFunc(entries, compareEntries)
	rows := make([]map[string]string, len(entries))
	for i, e := range entries {
		rows[i] = map[string]string{"address": e.Address.String(), "page": e.Page.String(), "state": string(e.State),
			"since": e.Since}
		for _, name := range b.more {
			rows[i][name] = e.more[name]
		}
	}
	return table.Encode(slices.Concat(columns(), b.more), rows)
}
