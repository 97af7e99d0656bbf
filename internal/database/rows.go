package database

import (
	"context"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"young-compass/internal/address"
)

// Key tells a row from the others: a value for each column of the table's key. Its form as JSON is that of a journal.
//
//	[17,"en"]    [{"base64":"q80="}]
type Key []any

// Row is a row that was read.
type Row struct {
	Key    Key
	Values [][]byte // of the columns asked for; nil: NULL
}

// Read calls each with the rows behind a key (nil: from the first), in the order of the key, at most n of them, and as
// long as it returns true. Errors are those of the database.
func (t *Table) Read(ctx context.Context, columns []Column, behind Key, n int, each func(Row) bool) error {
	condition, args := t.behind(behind)
	return t.read(ctx, columns, condition+t.ordered("")+fmt.Sprintf(" LIMIT %d", n), args, each)
}

// Last does the same for the last n rows, the last one first.
func (t *Table) Last(ctx context.Context, columns []Column, n int, each func(Row) bool) error {
	return t.read(ctx, columns, t.ordered(" DESC")+fmt.Sprintf(" LIMIT %d", n), nil, each)
}

func (t *Table) read(ctx context.Context, columns []Column, rest string, args []any, each func(Row) bool) error {
	var list []string
	for _, c := range t.Key {
		list = append(list, t.db.readKey(c))
	}
	for _, c := range columns {
		list = append(list, t.db.dialect.read(c))
	}
	rows, err := t.db.sql.QueryContext(ctx, "SELECT "+strings.Join(list, ", ")+" FROM "+t.quoted+rest, args...)
	if err != nil {
		return fmt.Errorf("reading %s: %w", t.Name, err)
	}
	defer func() { _ = rows.Close() }()
	targets := make([]any, len(list))
	for rows.Next() {
		row := Row{make(Key, len(t.Key)), make([][]byte, len(columns))}
		for i := range row.Key {
			targets[i] = &row.Key[i]
		}
		for i := range row.Values {
			targets[len(row.Key)+i] = &row.Values[i]
		}
		if err := rows.Scan(targets...); err != nil {
			return fmt.Errorf("reading %s: %w", t.Name, err)
		}
		for i, part := range row.Key {
			if text, ok := part.([]byte); ok && utf8.Valid(text) {
				row.Key[i] = string(text)
			}
		}
		if !each(row) {
			return nil
		}
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("reading %s: %w", t.Name, err)
	}
	return nil
}

// ordered is the clause that puts rows in the order of their key.
func (t *Table) ordered(direction string) string {
	var list []string
	for _, c := range t.Key {
		list = append(list, t.db.orderKey(t.quoted, c)+direction)
	}
	return " ORDER BY " + strings.Join(list, ", ")
}

// behind is the condition that rows come behind a key. An index can be used for it.
//
//	a >= ? AND (a > ? OR (a = ? AND b > ?))
func (t *Table) behind(key Key) (condition string, args []any) {
	if len(key) == 0 {
		return "", nil
	}
	param := func(i int) string {
		args = append(args, key[i])
		return t.db.keyParam(t.Key[i], t.db.param(len(args)))
	}
	var from func(i int) string
	from = func(i int) string {
		name := t.db.orderKey(t.quoted, t.Key[i])
		greater := name + " > " + param(i)
		if i == len(key)-1 {
			return greater
		}
		return "(" + greater + " OR (" + name + " = " + param(i) + " AND " + from(i+1) + "))"
	}
	condition = " WHERE " + t.db.orderKey(t.quoted, t.Key[0]) + " >= " + param(0) + " AND "
	return condition + from(0), args
}

// is is the condition that a row has a key; args are those before.
func (t *Table) is(key Key, args []any) (string, []any) {
	var list []string
	for i, c := range t.Key {
		args = append(args, key[i])
		list = append(list, t.db.orderKey(t.quoted, c)+" = "+t.db.keyParam(c, t.db.param(len(args))))
	}
	return strings.Join(list, " AND "), args
}

// Show returns a key as a person reads it.
//
//	id=17,language=en
func (t *Table) Show(key Key) string {
	var list []string
	for i, c := range t.Key {
		list = append(list, fmt.Sprintf("%s=%v", c.Name, key[i]))
	}
	return address.Printable(strings.ToValidUTF8(strings.Join(list, ","), "?"))
}

// MarshalJSON writes what is no text as base64.
func (k Key) MarshalJSON() ([]byte, error) {
	parts := make([]any, len(k))
	for i, part := range k {
		if b, ok := part.([]byte); ok {
			part = map[string]string{"base64": base64.StdEncoding.EncodeToString(b)}
		}
		parts[i] = part
	}
	return json.Marshal(parts)
}

// UnmarshalJSON reads a key.
func (k *Key) UnmarshalJSON(text []byte) error {
	var parts []json.RawMessage
	if err := json.Unmarshal(text, &parts); err != nil {
		return err
	}
	*k = nil
	for _, part := range parts {
		value, err := keyPart(part)
		if err != nil {
			return fmt.Errorf("a key: %w", err)
		}
		*k = append(*k, value)
	}
	return nil
}

func keyPart(text json.RawMessage) (any, error) {
	var signed int64
	var unsigned uint64
	var number float64
	var word string
	var wrapped struct{ Base64 []byte }
	switch {
	case json.Unmarshal(text, &signed) == nil:
		return signed, nil
	case json.Unmarshal(text, &unsigned) == nil:
		return unsigned, nil
	case json.Unmarshal(text, &number) == nil:
		return number, nil
	case json.Unmarshal(text, &word) == nil:
		return word, nil
	}
	err := json.Unmarshal(text, &wrapped)
	return wrapped.Base64, err
}

// Query calls each with the names of the columns of a query, then with each of its rows, as text. The database is told
// that nothing must be changed. Errors are those of the database.
func (db *DB) Query(ctx context.Context, query string, each func(row []string) error) error {
	tx, err := db.reading(ctx)
	if err != nil {
		return fmt.Errorf("%s: %w", db.Name, err)
	}
	defer func() { _ = tx.Rollback() }()
	rows, err := tx.QueryContext(ctx, query)
	if err != nil {
		return fmt.Errorf("%s: %w", db.Name, err)
	}
	defer func() { _ = rows.Close() }()
	names, err := rows.Columns()
	if err != nil {
		return fmt.Errorf("%s: %w", db.Name, err)
	}
	if err := each(names); err != nil {
		return err
	}
	values, targets := make([]sql.NullString, len(names)), make([]any, len(names))
	for i := range values {
		targets[i] = &values[i]
	}
	for rows.Next() {
		if err := rows.Scan(targets...); err != nil {
			return fmt.Errorf("%s: %w", db.Name, err)
		}
		row := make([]string, len(names))
		for i, v := range values {
			row[i] = v.String
		}
		if err := each(row); err != nil {
			return err
		}
	}
	if err := errors.Join(rows.Err()); err != nil {
		return fmt.Errorf("%s: %w", db.Name, err)
	}
	return nil
}

// reading begins a transaction in which nothing can be changed.
func (db *DB) reading(ctx context.Context) (*sql.Tx, error) {
	if _, ok := db.dialect.(sqliteDialect); !ok {
		return db.sql.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	}
	if _, err := db.sql.ExecContext(ctx, "PRAGMA query_only = on"); err != nil { // the driver knows no such transaction
		return nil, err
	}
	return db.sql.BeginTx(ctx, nil)
}
