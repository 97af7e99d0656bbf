package relink

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/database"
)

// Rows are rows of a table in which links are to be changed.
type Rows struct {
	Table   *database.Table
	Columns []database.Column
	Address *database.Column // has the address of the page that the row is of; nil: none has
	Read    func(n int)      // is told of each n rows that are read; may be nil
	Base    *address.Address // where rows stand of which no column says it; nil: nobody knows
}

// The size of what is read and changed at a time. The next rows are read meanwhile.
const (
	batchRows  = 500
	batchBytes = 8 << 20
)

// batch is some rows that follow one another, and what becomes of them.
type batch struct {
	documents []Document
	changes   []database.Change
	of        [][]int      // for each change, the documents that it changes
	end       database.Key // of the last row
}

// Rows calls each with every value that has links of which there is something to say, and makes the changes if there is a
// journal for them: batch by batch, each in a transaction. A row that another client changes meanwhile is left alone,
// and so is one whose new values the database doesn't take: Problem of its documents says why. It returns how many rows
// it read. A lost connection is made anew a few times. Errors are those of the database, the journal, and each.
func (l *Linker) Rows(ctx context.Context, db *database.DB, rows Rows, journal *RowJournal,
	each func(Document) error) (n int, err error) {
	var behind database.Key
	if journal != nil {
		behind = journal.behind
	}
	reading, stop := context.WithCancel(ctx)
	read := rows.read(reading, db, behind)
	defer func() {
		stop()
		for range read { // until nobody uses the database any more
		}
	}()
	for part := range read {
		if part.err != nil {
			return n, part.err
		}
		b := l.batch(rows, part.rows)
		if journal != nil {
			if err := b.write(ctx, db, rows.Table, journal); err != nil {
				return n, err
			}
		}
		for _, d := range b.documents {
			if err := each(d); err != nil {
				return n, err
			}
		}
		if n += len(part.rows); rows.Read != nil {
			rows.Read(len(part.rows))
		}
	}
	if err := ctx.Err(); err != nil {
		return n, fmt.Errorf("reading %s: %w", rows.Table.Name, err)
	}
	if journal != nil {
		return n, journal.finish()
	}
	return n, nil
}

// part is rows that follow one another.
type part struct {
	rows []database.Row
	err  error
}

// read reads the rows behind a key, part by part: always one ahead. The channel is closed behind the last rows, behind
// an error, and when the context ends.
func (r Rows) read(ctx context.Context, db *database.DB, behind database.Key) <-chan part {
	columns := r.Columns
	if r.Address != nil {
		columns = append(slices.Clone(columns), *r.Address)
	}
	parts := make(chan part)
	go func() {
		defer close(parts)
		for more := true; more; {
			var p part
			p.err = again(ctx, db, func() error {
				p.rows = nil
				size := 0
				return r.Table.Read(ctx, columns, behind, batchRows, func(row database.Row) bool {
					p.rows = append(p.rows, row)
					for _, value := range row.Values {
						size += len(value)
					}
					return size < batchBytes
				})
			})
			if more = p.err == nil && len(p.rows) > 0; more {
				behind = p.rows[len(p.rows)-1].Key
			} else if p.err == nil {
				return
			}
			select {
			case parts <- p:
			case <-ctx.Done():
				return
			}
		}
	}()
	return parts
}

// again does something, and does it again while the connection is lost.
func again(ctx context.Context, db *database.DB, do func() error) error {
	for _, wait := range []time.Duration{100 * time.Millisecond, time.Second, 3 * time.Second} {
		if err := do(); !db.Lost(err) || ctx.Err() != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(wait):
		}
	}
	return do()
}

// batch works out what becomes of rows.
func (l *Linker) batch(rows Rows, list []database.Row) batch {
	b := batch{documents: make([]Document, 0, len(list)), changes: make([]database.Change, 0, len(list))}
	for _, r := range list {
		at := l.placeOf(rows, r)
		change := database.Change{Key: r.Key}
		var of []int
		for i, c := range rows.Columns {
			if r.Values[i] == nil {
				continue
			}
			d := l.cell(rows.Table, c, r.Key, r.Values[i], at)
			if d.Changed() && d.Problem == "" {
				change.Columns = append(change.Columns, c)
				change.Old, change.New = append(change.Old, d.Before), append(change.New, d.After)
				of = append(of, len(b.documents))
			}
			if d.Changed() || len(d.Links) > 0 {
				b.documents = append(b.documents, d)
			}
		}
		if len(of) > 0 {
			b.changes, b.of = append(b.changes, change), append(b.of, of)
		}
		b.end = r.Key
	}
	return b
}

// cell returns a value with what becomes of its links.
func (l *Linker) cell(t *database.Table, c database.Column, key database.Key, value []byte, at func([]byte) Place) Document {
	d := Document{Row: true, Form: SQL}
	if len(value) > MaxFile {
		d.Links = []Link{{Reason: TooLong, Form: SQL, Line: 1, Column: 1}}
	} else if after, links := l.Value(value, at(value)); len(links) > 0 {
		d.Links = links
		if !bytes.Equal(after, value) {
			d.Before, d.After = value, after
		}
	}
	if d.Changed() && !c.Holds(d.After) {
		d.Problem = "the new text doesn't fit into the column"
	}
	if d.Changed() || len(d.Links) > 0 {
		d.Path = placeIn(t, c.Name, key)
	}
	return d
}

// placeIn names a value of a row.
//
//	posts.body id=17
func placeIn(t *database.Table, column string, key database.Key) string {
	return t.Name + "." + column + " " + t.Show(key)
}

// placeOf returns where the values of a row stand.
func (l *Linker) placeOf(rows Rows, r database.Row) func(value []byte) Place {
	base := rows.Base
	if rows.Address != nil {
		if a, err := address.Resolve(l.plan.Site.Origin, string(r.Values[len(rows.Columns)])); err == nil && len(r.Values[len(rows.Columns)]) > 0 {
			base = &a
		}
	}
	if base == nil {
		nowhere := Place{base: l.plan.Site.Origin, to: l.plan.Site.Origin, nowhere: true}
		return func([]byte) Place { return nowhere }
	}
	place := l.Place(*base)
	return func(value []byte) Place {
		if place.base != place.to && l.written[sum(value)] {
			return Place{base: place.to, to: place.to}
		}
		return place
	}
}

// write makes the changes of a batch.
func (b *batch) write(ctx context.Context, db *database.DB, t *database.Table, journal *RowJournal) error {
	var left []database.Key
	if len(b.changes) > 0 {
		if err := journal.note(b.changes); err != nil {
			return err
		}
		var why []string
		if err := again(ctx, db, func() (err error) {
			why, err = t.Apply(ctx, b.changes)
			return err
		}); err != nil {
			return err
		}
		for i, of := range b.of {
			if why[i] != "" {
				left = append(left, b.changes[i].Key)
			}
			for _, n := range of {
				b.documents[n].Problem = why[i]
			}
		}
	}
	return journal.done(b.end, left)
}

// Sampled is a column of a database with how many links some of its rows have.
type Sampled struct {
	Table   string `json:"table"`
	Column  string `json:"column,omitempty"`
	Type    string `json:"type,omitempty"`
	Rows    int64  `json:"rows"`              // of the table, about
	Looked  int    `json:"looked"`            // how many were looked at
	With    int    `json:"with"`              // of them, those with links to the site
	Links   int    `json:"links"`             // to the site
	Changes int    `json:"changes"`           // of them, those to change
	Problem string `json:"problem,omitempty"` // why the rows of the table can't be changed
}

// sampled is how many rows are looked at from either end of a table.
const sampled = 500

// Sample looks at the first rows of a table, and at the last ones, and says of each column that holds texts how many
// links to the site it has there. Columns of bytes are looked at if they are named. Errors are those of the database.
func (l *Linker) Sample(ctx context.Context, t *database.Table, named []string) ([]Sampled, error) {
	if t.Problem != "" {
		return []Sampled{{Table: t.Name, Rows: t.Rows, Problem: t.Problem}}, nil
	}
	var columns []database.Column
	var list []Sampled
	for _, c := range t.Columns {
		if c.Generated || c.Kind == database.Other || c.Kind == database.Binary && !slices.Contains(named, c.Name) {
			continue
		}
		columns = append(columns, c)
		list = append(list, Sampled{Table: t.Name, Column: c.Name, Type: c.Type, Rows: t.Rows})
	}
	if len(columns) == 0 {
		return list, nil
	}
	nowhere := Place{base: l.plan.Site.Origin, to: l.plan.Site.Origin, nowhere: true}
	seen := map[string]bool{}
	look := func(r database.Row) bool {
		key := fmt.Sprint(r.Key...)
		if seen[key] {
			return false
		}
		seen[key] = true
		for i, value := range r.Values {
			list[i].Looked++
			if value == nil || len(value) > MaxFile {
				continue
			}
			before := l.ours
			_, links := l.Value(value, nowhere)
			if n := l.ours - before; n > 0 {
				list[i].With, list[i].Links = list[i].With+1, list[i].Links+n
			}
			for _, link := range links {
				if link.Reason.Changes() {
					list[i].Changes++
				}
			}
		}
		return true
	}
	if err := t.Read(ctx, columns, nil, sampled, look); err != nil {
		return nil, err
	}
	if len(seen) == sampled {
		if err := t.Last(ctx, columns, sampled, look); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// ErrGenerated says that a column can't be changed.
var ErrGenerated = errors.New("the database works that column out by itself")

// ColumnsOf returns the columns of a table in which links are to be changed. Errors say which can't be, and why.
func ColumnsOf(t *database.Table, names []string) ([]database.Column, error) {
	if t.Problem != "" {
		return nil, fmt.Errorf("%s: %s", t.Name, t.Problem)
	}
	var columns []database.Column
	for _, name := range names {
		c, ok := t.Column(name)
		switch {
		case !ok:
			return nil, fmt.Errorf("%s has no column %q", t.Name, name)
		case c.Generated:
			return nil, fmt.Errorf("%s.%s: %w", t.Name, name, ErrGenerated)
		case c.Kind == database.Other:
			return nil, fmt.Errorf("%s.%s holds no texts, but %s", t.Name, name, c.Type)
		case slices.ContainsFunc(t.Key, func(k database.Column) bool { return k.Name == name }):
			return nil, fmt.Errorf("%s.%s is of the key, by which rows are told apart", t.Name, name)
		case slices.ContainsFunc(columns, func(k database.Column) bool { return k.Name == name }):
			return nil, fmt.Errorf("%s.%s is named twice", t.Name, name)
		}
		columns = append(columns, c)
	}
	return columns, nil
}
