// Package gather merges what an administrator has, a table of pages with their
// addresses, into the inventory and the address book.
package gather

import (
	"cmp"
	"fmt"
	"io"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/csvfile"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
)

// Summary counts what a source brought.
type Summary struct {
	Source    string `json:"source"`
	Rows      int    `json:"rows"`
	New       int    `json:"new_pages"`
	Known     int    `json:"known_pages"`
	Current   int    `json:"current_addresses"`
	Variants  int    `json:"further_addresses"`
	NoAddress int    `json:"without_address"`
	Kept      int    `json:"kept_fields"` // fields where pages.csv says otherwise, and stays

	Columns []Mapping `json:"columns"` // of the source, taken for others
}

// Gatherer is the state that sources are merged into.
type Gatherer struct {
	Site     address.Site
	Language string // of rows that name none
	Today    string // YYYY-MM-DD
	Pages    *inventory.Inventory
	Book     *book.Book
	Columns  []Mapping // told; others are found by their usual names

	bound   map[address.Address]inventory.Ref
	current map[inventory.Ref]int
}

// Table merges a table with the columns key, title, address and, if it likes,
// language, kind, state, fixed and any field; columns are also known by their
// usual names elsewhere. What pages.csv says stays: a
// source only adds pages and fills empty fields. A page's first address enters
// the book as current, further ones as variants; drafts don't enter it.
func (g *Gatherer) Table(file string, r io.Reader) (Summary, []finding.Finding, error) {
	s := Summary{Source: file}
	table, found, err := csvfile.Read(file, r)
	if err != nil {
		return s, nil, err
	}
	if s.Columns, err = rename(table, g.Columns); err != nil {
		return s, nil, finding.Unreadable(finding.Place{File: file, Line: 1}, err.Error(), "")
	}
	if err := table.Require("key", "title", "address"); err != nil {
		return s, nil, err
	}
	for _, row := range table.Rows {
		if state, ok := states()[strings.ToLower(row.Fields["state"])]; ok {
			row.Fields["state"] = state
		}
	}
	s.Rows = len(table.Rows)
	g.prepare()
	pages, more := inventory.FromTable(table, g.Language, "address")
	found = append(found, more...)
	g.Pages.AddColumns(pages.Columns)
	for _, row := range pages.Rows {
		bad := func(what, advice string) {
			found = append(found, csvfile.BadRow(file, row.At, what, advice))
		}
		var a address.Address
		if row.Address != "" {
			if a, err = address.Resolve(g.Site.Origin, row.Address); err != nil {
				bad(err.Error(), "write an http(s) address, or a path on "+g.Site.Origin.String())
				continue
			}
			if owner, ok := g.bound[a]; ok && owner != row.Ref {
				bad(fmt.Sprintf("%s belongs to %s already, so it can't be given to %s", a, owner, row.Ref), "correct the key, or change the page in "+g.Book.File)
				continue
			}
		}
		if old := g.Pages.Find(row.Ref); old == nil {
			s.New++
			g.Pages.Add(row.Page)
		} else {
			s.Known++
			s.Kept += fill(old, row.Page)
		}
		if row.Address == "" {
			s.NoAddress++
			continue
		}
		g.enter(row.Ref, a, &s)
	}
	return s, found, nil
}

func (g *Gatherer) prepare() {
	g.bound = make(map[address.Address]inventory.Ref, len(g.Book.Entries))
	for _, e := range g.Book.Entries {
		g.bound[e.Address] = e.Page
	}
	g.current = g.Book.Current()
}

// enter notes an address of a page in the book.
func (g *Gatherer) enter(r inventory.Ref, a address.Address, s *Summary) {
	if _, known := g.bound[a]; known || g.Pages.Find(r).State == inventory.Draft {
		return
	}
	e := book.Entry{Address: a, Page: r, State: book.Variant, Since: g.Today}
	if _, ok := g.current[r]; !ok {
		e.State = book.Current
		g.current[r] = len(g.Book.Entries)
		s.Current++
	} else {
		s.Variants++
	}
	g.bound[a] = r
	g.Book.Entries = append(g.Book.Entries, e)
}

// fill takes over fields that are empty, and counts those that differ.
func fill(old *inventory.Page, p inventory.Page) (differ int) {
	keep := func(have *string, got string) {
		switch {
		case *have == "":
			*have = got
		case got != "" && got != *have:
			differ++
		}
	}
	keep(&old.Title, p.Title)
	keep(&old.Fixed, p.Fixed)
	keep(&old.Canonical, p.Canonical)
	keep(&old.Robots, p.Robots)
	for name, value := range p.Fields {
		have := old.Fields[name]
		keep(&have, value)
		old.Fields[name] = cmp.Or(have, value)
	}
	return differ
}
