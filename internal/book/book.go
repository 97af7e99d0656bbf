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
	Since   string   // a date, YYYY-MM-DD
	Line    int      // in addresses.csv; 0 when new
	more    []string // in further columns of the book
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
	sheet, err := table.Open(file, r, nil, "address", "page", "state")
	if err != nil {
		return nil, nil, err
	}
	b := &Book{File: file}
	for _, name := range sheet.Columns {
		if !slices.Contains(columns(), name) {
			b.more = append(b.more, name)
		}
	}
	current := map[inventory.Ref]int{}
	found, err := sheet.Each(func(row table.Row) *finding.Finding {
		e, what, advice := b.fromRow(row)
		if what == "" && e.State == Current {
			if line, ok := current[e.Page]; ok {
				what, advice = fmt.Sprintf("%s has a current address in line %d already", e.Page, line),
					"make one of them former"
			} else {
				current[e.Page] = row.Line
			}
		}
		if what != "" {
			bad := table.BadRow(file, row.Line, what, advice)
			return &bad
		}
		b.Entries = append(b.Entries, e)
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	table.ISODates(b.dates) // a spreadsheet writes them its own way
	compare := func(x, y Entry) int { return compareEntries(&x, &y) }
	if !slices.IsSortedFunc(b.Entries, compare) { // a spreadsheet has sorted it otherwise, which says nothing
		slices.SortStableFunc(b.Entries, compare)
	}
	return b, found, nil
}

// fromRow reads an entry, or says what is wrong with it, and what to do.
func (b *Book) fromRow(row table.Row) (e Entry, what, advice string) {
	e = Entry{State: State(row.Get("state")), Since: row.Get("since"), Line: row.Line}
	var err error
	if e.Address, err = address.Parse(row.Get("address")); err != nil {
		return e, err.Error(), "write an absolute http or https address"
	}
	var ok bool
	if e.Page, ok = inventory.ParseRef(row.Get("page")); !ok {
		return e, fmt.Sprintf("%q names no page", row.Get("page")), "write key@language"
	}
	if e.State.rank() < 0 {
		return e, fmt.Sprintf("%q is not a state of an address", row.Get("state")),
			"say current, shown, variant or former"
	}
	if len(b.more) > 0 {
		e.more = make([]string, len(b.more))
		for i, name := range b.more {
			e.more[i] = row.Get(name)
		}
	}
	return e, "", ""
}

// dates yields the dates of all entries.
func (b *Book) dates(yield func(*string) bool) {
	for i := range b.Entries {
		if !yield(&b.Entries[i].Since) {
			return
		}
	}
}

// compareEntries orders entries as they are written: by page, its current address first, then by address.
func compareEntries(x, y *Entry) int {
	if d := compareRefs(x.Page, y.Page); d != 0 {
		return d
	}
	if d := cmp.Compare(x.State.rank(), y.State.rank()); d != 0 {
		return d
	}
	return strings.Compare(x.Address.String(), y.Address.String())
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

// Formers returns the first address in the book that each page had before its current one.
func (b *Book) Formers() map[inventory.Ref]address.Address {
	formers := map[inventory.Ref]address.Address{}
	for _, e := range b.Entries {
		if _, ok := formers[e.Page]; !ok && e.State == Former {
			formers[e.Page] = e.Address
		}
	}
	return formers
}

// Encode returns the book as addresses.csv: by page, its current address
// first, then by address.
func (b *Book) Encode() []byte {
	order := make([]int32, len(b.Entries))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(x, y int32) int { return compareEntries(&b.Entries[x], &b.Entries[y]) })
	return table.EncodeRecords(slices.Concat(columns(), b.more), func(yield func([]string) bool) {
		record := make([]string, len(columns())+len(b.more))
		for _, i := range order {
			e := &b.Entries[i]
			record = append(record[:0], e.Address.String(), e.Page.String(), string(e.State), e.Since)
			for c := range b.more {
				record = append(record, e.further(c))
			}
			if !yield(record) {
				return
			}
		}
	})
}

// further returns the value in one of the columns that the program doesn't know.
func (e *Entry) further(column int) string {
	if column >= len(e.more) {
		return ""
	}
	return e.more[column]
}
