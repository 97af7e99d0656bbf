package database

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// sqliteDialect is that of SQLite.
type sqliteDialect struct{}

// sqliteFile returns the file that a URL names.
//
//	sqlite:content.db    sqlite:///srv/site/content.db
func sqliteFile(u *url.URL) string {
	if u.Opaque != "" {
		if file, err := url.PathUnescape(u.Opaque); err == nil {
			return file
		}
		return u.Opaque
	}
	return u.Host + u.Path
}

func openSQLite(file string) (*sql.DB, error) {
	if _, err := os.Stat(file); err != nil { // opening would make one
		return nil, err
	}
	return sql.Open("sqlite", "file:"+(&url.URL{Path: file}).EscapedPath()+"?mode=rw&_pragma=busy_timeout(2000)")
}

func (sqliteDialect) quote(name string) string {
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}
func (sqliteDialect) param(n int) string { return "?" + strconv.Itoa(n) }

func (d sqliteDialect) read(c Column) string { return "CAST(" + d.quote(c.Name) + " AS BLOB)" }

func (d sqliteDialect) same(c Column, param string) string {
	return d.read(c) + " = CAST(" + param + " AS BLOB)"
}

// set keeps a text a text, and bytes bytes: a column may hold both.
func (d sqliteDialect) set(c Column, param string) string {
	name := d.quote(c.Name)
	return "CASE typeof(" + name + ") WHEN 'blob' THEN CAST(" + param + " AS BLOB) ELSE CAST(" + param + " AS TEXT) END"
}

func (sqliteDialect) value(text []byte) any { return text }

// readKey hides what type a column was declared with, by which the driver would make times of texts.
func (d sqliteDialect) readKey(c Column) string { return "+" + d.quote(c.Name) }

func (d sqliteDialect) orderKey(table string, c Column) string { return table + "." + d.quote(c.Name) }

func (sqliteDialect) keyParam(_ Column, param string) string { return param }

func (sqliteDialect) trouble(err error) trouble {
	var of *sqlite.Error
	if errors.As(err, &of) {
		switch of.Code() & 0xff {
		case sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED:
			return locked
		}
	}
	return refused
}

func (d sqliteDialect) tables(ctx context.Context, db *DB) ([]Table, error) {
	var tables tableList
	rowid := map[string]bool{}
	err := db.each(ctx, `SELECT name, type, wr FROM pragma_table_list WHERE schema = 'main' AND name NOT LIKE 'sqlite\_%' ESCAPE '\'
		ORDER BY name`, func(scan func(...any) error) error {
		t := Table{db: db}
		var kind string
		var without bool
		if err := scan(&t.Name, &kind, &without); err != nil {
			return err
		}
		t.quoted = d.quote(t.Name)
		switch kind {
		case "table":
			rowid[t.Name] = !without
		case "view":
			t.Problem = isView
		default:
			t.Problem = "it is made by the database (" + kind + ")"
		}
		tables = append(tables, t)
		return nil
	})
	if err != nil {
		return nil, err
	}
	for i := range tables {
		t := &tables[i]
		var key []Column // by the place in the key
		err := db.each(ctx, "SELECT name, type, pk, hidden FROM pragma_table_xinfo(?) ORDER BY cid",
			func(scan func(...any) error) error {
				var c Column
				var place, hidden int
				if err := scan(&c.Name, &c.Type, &place, &hidden); err != nil {
					return err
				}
				c.Generated, c.Kind = hidden > 1, affinity(c.Type)
				t.Columns = append(t.Columns, c)
				if place > 0 {
					key = append(key, make([]Column, max(0, place-len(key)))...)
					key[place-1] = c
				}
				return nil
			}, t.Name)
		if err != nil {
			return nil, err
		}
		if t.Problem != "" {
			continue
		}
		if rowid[t.Name] && (len(key) != 1 || !strings.EqualFold(key[0].Type, "integer")) {
			key = nil // which might hold NULL
			for _, name := range []string{"rowid", "_rowid_", "oid"} {
				if !slices.ContainsFunc(t.Columns, func(c Column) bool { return strings.EqualFold(c.Name, name) }) {
					key = []Column{{Name: name, Type: "integer"}}
					break
				}
			}
		}
		if t.Key = key; key == nil {
			t.Problem = noKey
			continue
		}
		if err := db.sql.QueryRowContext(ctx, "SELECT count(*) FROM "+t.quoted).Scan(&t.Rows); err != nil {
			return nil, fmt.Errorf("counting the rows of %s: %w", t.Name, err)
		}
	}
	return tables, nil
}

// affinity tells what a column is for by the type that it was declared with (sqlite.org/datatype3.html, section 3.1).
func affinity(declared string) Kind {
	declared = strings.ToUpper(declared)
	has := func(parts ...string) bool {
		return slices.ContainsFunc(parts, func(p string) bool { return strings.Contains(declared, p) })
	}
	switch {
	case has("INT"):
		return Other
	case has("CHAR", "CLOB", "TEXT", "JSON"), declared == "":
		return Text
	case has("BLOB"):
		return Binary
	}
	return Other
}
