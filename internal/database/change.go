package database

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"young-compass/internal/address"
)

// Change is what a row is to have in some columns, and what it must have now.
type Change struct {
	Key      Key
	Columns  []Column
	Old, New [][]byte
}

// maxLocked is how many rows one after the other may be in another client's hands.
const maxLocked = 3

// ErrLocked says that other clients have a table in their hands.
var ErrLocked = errors.New("another client keeps the rows locked")

// Apply makes changes in one transaction. It returns for each why it wasn't made; empty: it was. A row that isn't what it
// should be is left alone. Where the database refuses one, the changes are made one by one. Errors say that none could be
// made from there on: the connection is lost, or the rows are locked.
func (t *Table) Apply(ctx context.Context, changes []Change) (why []string, err error) {
	why = make([]string, len(changes))
	err = t.within(ctx, func(tx *transaction) error {
		for i := range changes {
			if err := t.update(ctx, tx, &changes[i], &why[i]); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil || t.db.kind(err) == lost || ctx.Err() != nil {
		return why, err
	}
	waited := 0
	for i := range changes {
		why[i] = ""
		err := t.within(ctx, func(tx *transaction) error { return t.update(ctx, tx, &changes[i], &why[i]) })
		switch {
		case err == nil:
			waited = 0
		case t.db.kind(err) == lost || ctx.Err() != nil:
			return why, err
		case t.db.kind(err) == locked:
			why[i] = "another client keeps it locked"
			if waited++; waited == maxLocked {
				return why, fmt.Errorf("%s: %w", t.Name, ErrLocked)
			}
		default:
			why[i] = "the database says: " + address.Printable(strings.ToValidUTF8(err.Error(), "?"))
		}
	}
	return why, nil
}

// transaction is one that is going on. It prepares each statement once.
type transaction struct {
	*sql.Tx
	prepared map[string]*sql.Stmt
}

// within runs a function in a transaction.
func (t *Table) within(ctx context.Context, do func(*transaction) error) error {
	tx, err := t.db.sql.BeginTx(ctx, nil)
	if err == nil {
		if err = do(&transaction{tx, map[string]*sql.Stmt{}}); err == nil {
			err = tx.Commit()
		} else {
			_ = tx.Rollback() // which the database does anyway
		}
	}
	if err != nil {
		return fmt.Errorf("%s: %w", t.Name, err)
	}
	return nil
}

// prepare returns a statement.
func (tx *transaction) prepare(ctx context.Context, text string) (*sql.Stmt, error) {
	if s, ok := tx.prepared[text]; ok {
		return s, nil
	}
	s, err := tx.PrepareContext(ctx, text)
	if err == nil {
		tx.prepared[text] = s
	}
	return s, err
}

// update changes a row, if it is what it should be.
//
//	UPDATE posts SET body = ?, changed = changed WHERE id = ? AND body = ?
func (t *Table) update(ctx context.Context, tx *transaction, c *Change, why *string) error {
	var sets []string
	var args []any
	for i, column := range c.Columns {
		args = append(args, t.db.value(c.New[i]))
		sets = append(sets, t.db.quote(column.Name)+" = "+t.db.set(column, t.db.param(len(args))))
	}
	for _, column := range t.Columns {
		if column.touched {
			sets = append(sets, t.db.quote(column.Name)+" = "+t.db.quote(column.Name))
		}
	}
	condition, args := t.is(c.Key, args)
	for i, column := range c.Columns {
		args = append(args, t.db.value(c.Old[i]))
		condition += " AND " + t.db.same(column, t.db.param(len(args)))
	}
	statement, err := tx.prepare(ctx, "UPDATE "+t.quoted+" SET "+strings.Join(sets, ", ")+" WHERE "+condition)
	if err != nil {
		return err
	}
	result, err := statement.ExecContext(ctx, args...)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n == 1 {
		return err
	}
	*why, err = t.missed(ctx, tx, c)
	return err
}

// missed says why a row wasn't changed. It is nothing if the row has the new values: a commit was heard of by the
// database, but not its answer by us.
func (t *Table) missed(ctx context.Context, tx *transaction, c *Change) (string, error) {
	values, err := t.get(ctx, tx, c.Key, c.Columns)
	if values == nil || err != nil {
		return "it isn't there any more", err
	}
	for i := range values {
		if !bytes.Equal(values[i], c.New[i]) {
			return "another client changed it meanwhile", nil
		}
	}
	return "", nil
}

// Get sets Old of some changes to what the rows have now; nil where there is no such row. Errors are those of the
// database.
func (t *Table) Get(ctx context.Context, changes []Change) error {
	return t.within(ctx, func(tx *transaction) (err error) {
		for i := range changes {
			if changes[i].Old, err = t.get(ctx, tx, changes[i].Key, changes[i].Columns); err != nil {
				return err
			}
		}
		return nil
	})
}

func (t *Table) get(ctx context.Context, tx *transaction, key Key, columns []Column) ([][]byte, error) {
	condition, args := t.is(key, nil)
	var list []string
	values, targets := make([][]byte, len(columns)), make([]any, len(columns))
	for i, column := range columns {
		list = append(list, t.db.dialect.read(column))
		targets[i] = &values[i]
	}
	statement, err := tx.prepare(ctx, "SELECT "+strings.Join(list, ", ")+" FROM "+t.quoted+" WHERE "+condition)
	if err != nil {
		return nil, err
	}
	if err := statement.QueryRowContext(ctx, args...).Scan(targets...); errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	return values, nil
}
