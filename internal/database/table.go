package database

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode/utf8"
)

// Kind is what a column holds.
type Kind int

// The kinds.
const (
	Other  Kind = iota // numbers, dates, and what else is no text
	Text               // a text
	JSON               // a text in a form of its own: JSON, also XML
	Binary             // bytes
)

// Column is a column of a table.
type Column struct {
	Name      string
	Type      string // in the words of the database
	Kind      Kind
	Generated bool // the database works it out

	charset       string
	chars, octets int  // how much it can hold; 0: more than anybody has
	touched       bool // the database changes it whenever the row is changed
}

// Holds reports whether the column has room for a text, and can keep all its bytes.
func (c Column) Holds(text []byte) bool {
	characters := len(text)
	switch {
	case strings.HasPrefix(c.charset, "utf8"):
		if !utf8.Valid(text) {
			return false
		}
		if c.chars > 0 && characters > c.chars {
			characters = utf8.RuneCount(text)
		}
	case c.charset == "ascii" && slices.ContainsFunc(text, func(b byte) bool { return b >= utf8.RuneSelf }):
		return false
	}
	return (c.chars == 0 || characters <= c.chars) && (c.octets == 0 || len(text) <= c.octets)
}

// Table is a table of a database, or what looks like one.
type Table struct {
	Name    string
	Columns []Column
	Key     []Column // that tell its rows apart
	Rows    int64    // about so many
	Problem string   // why its rows can't be changed; empty: they can

	quoted string
	index  string // which the key is of
	db     *DB
}

const (
	isView = "it is a view: the rows are those of other tables"
	noKey  = "it has no key by which one row could be told from another"
)

// Column returns a column by its name; false where there is none.
func (t *Table) Column(name string) (Column, bool) {
	i := slices.IndexFunc(t.Columns, func(c Column) bool { return c.Name == name })
	if i < 0 {
		return Column{}, false
	}
	return t.Columns[i], true
}

// Tables returns the tables of the database, in the order of their names.
func (db *DB) Tables(ctx context.Context) ([]Table, error) {
	tables, err := db.tables(ctx, db)
	if err != nil {
		return nil, fmt.Errorf("%s: reading which tables there are: %w", db.Name, err)
	}
	slices.SortFunc(tables, func(a, b Table) int { return strings.Compare(a.Name, b.Name) })
	for i := range tables {
		if t := &tables[i]; t.Problem == "" && len(t.Key) == 0 {
			t.Problem = noKey
		}
	}
	return tables, nil
}

// each calls a function for each row of a query.
func (db *DB) each(ctx context.Context, query string, row func(scan func(...any) error) error, args ...any) error {
	rows, err := db.sql.QueryContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		if err := row(rows.Scan); err != nil {
			return err
		}
	}
	return rows.Err()
}

// tableList is tables being read.
type tableList []Table

func (l tableList) named(name string) *Table {
	if i := slices.IndexFunc(l, func(t Table) bool { return t.Name == name }); i >= 0 {
		return &l[i]
	}
	return &Table{} // made meanwhile
}

func (l tableList) add(table string, c Column) {
	t := l.named(table)
	t.Columns = append(t.Columns, c)
}

// keys takes up rows of a table, an index, and a column of that, and makes the first index of each table its key.
func (l tableList) keys(scan func(...any) error) error {
	var table, index, name string
	if err := scan(&table, &index, &name); err != nil {
		return err
	}
	t := l.named(table)
	if c, ok := t.Column(name); ok && (len(t.Key) == 0 || t.index == index) {
		t.Key, t.index = append(t.Key, c), index
	}
	return nil
}

func clamp(n uint64) int { return int(min(n, math.MaxInt32*2)) }
