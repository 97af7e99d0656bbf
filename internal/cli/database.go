package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/database"
	"young-compass/internal/finding"
	"young-compass/internal/project"
	"young-compass/internal/relink"
	"young-compass/internal/table"
	"young-compass/internal/term"
)

// contentDatabase is which database a command works with: its flags.
type contentDatabase struct {
	url    string
	secret database.Secret
}

func (d *contentDatabase) flags(c *cobra.Command) {
	c.Flags().StringVar(&d.url, "db", "", "the database at this `URL`, without a password in it")
	c.Flags().StringVar(&d.secret.File, "password-file", "", "the password of the database is in this `FILE`")
}

func (d *contentDatabase) open(ctx context.Context) (*database.DB, error) {
	db, err := database.Open(ctx, d.url, d.secret)
	var file *fs.PathError
	switch {
	case err == nil:
		return db, nil
	case errors.As(err, &file):
		return nil, finding.Unreadable(finding.Place{File: file.Path}, file.Err.Error(), "check the name")
	case errors.Is(err, database.ErrURL):
		return nil, fmt.Errorf("--db: %w", err)
	}
	return nil, unfinished{err}
}

// The bounds of what is kept of a run over rows.
const (
	shownRows = 10     // as differences
	keptRows  = 1_000  // in JSON
	toldRows  = 10_000 // findings
)

// database relinks rows.
func (r *relinking) database(args []string) error {
	switch {
	case r.undo && (len(args) != 1 || r.write || r.check || r.table != ""):
		return errors.New("with --db, --undo takes the journal that a run has written, and stands alone")
	case !r.undo && len(args) > 0:
		return fmt.Errorf("%s is a file, and --db a database; relink one after the other", address.Printable(args[0]))
	case r.table == "" && (r.write || r.check):
		return errors.New("say which rows: --table TABLE --columns COLUMNS")
	case r.table != "" && len(r.columns) == 0:
		return errors.New("say in which columns links are: --columns COLUMNS")
	}
	db, err := r.content.open(r.ctx)
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	if r.undo {
		return r.takeRowsBack(db, args[0])
	}
	linker, base, err := r.linker()
	if err != nil {
		return err
	}
	tables, err := db.Tables(r.ctx)
	if err != nil {
		return unfinished{err}
	}
	if r.table == "" {
		return r.sample(db, tables, linker)
	}
	rows, err := r.rows(tables)
	if err != nil {
		return err
	}
	rows.Base = base
	return r.work(db, rows, linker)
}

// rows finds the table and its columns.
func (r *relinking) rows(tables []database.Table) (rows relink.Rows, err error) {
	var names []string
	for i := range tables {
		if names = append(names, tables[i].Name); tables[i].Name == r.table {
			rows.Table = &tables[i]
		}
	}
	if rows.Table == nil {
		return rows, fmt.Errorf("there is no table %s; there are: %s", address.Printable(r.table),
			address.Printable(strings.Join(names[:min(20, len(names))], ", ")))
	}
	if rows.Columns, err = relink.ColumnsOf(rows.Table, r.columns); err != nil {
		return rows, err
	}
	name := r.address
	if name == "" {
		name = "address"
	}
	if c, ok := rows.Table.Column(name); ok {
		rows.Address = &c
	} else if r.address != "" {
		return rows, fmt.Errorf("--address: %s has no column %s", r.table, address.Printable(r.address))
	}
	return rows, nil
}

// work relinks the rows, or shows what would change.
func (r *relinking) work(db *database.DB, rows relink.Rows, linker *relink.Linker) error {
	sum, err := project.Sum(r.project)
	if err != nil {
		return unfinished{err}
	}
	head := relink.RowHead{Database: db.Name, Table: rows.Table.Name, Columns: r.columns, Base: r.base, Way: r.way(), Plan: sum}
	if rows.Address != nil {
		head.Address = rows.Address.Name
	}
	var journal *relink.RowJournal
	if r.write {
		if journal, err = relink.OpenRowJournal(r.project, head, r.now); err != nil {
			return unfinished{err}
		}
		if journal.Resumed {
			r.say("going on where a run was broken off: %s", journal.File)
		}
	}
	if rows.Address != nil || rows.Base != nil {
		if err := relink.KnownRows(r.project, rows.Table.Name, linker); err != nil {
			return unfinished{err}
		}
	}
	bar := term.NewProgress(r.stderr, rows.Table.Name, rows.Table.Rows, term.Plain)
	rows.Read = func(n int) { bar.Add(int64(n)) }
	more := 0
	n, err := linker.Rows(r.ctx, db, rows, journal, func(d relink.Document) error {
		r.summary.Add(&d)
		for _, f := range d.Findings() {
			if len(r.found) < toldRows {
				r.found = append(r.found, f)
			} else {
				more++
			}
		}
		if !d.Changed() {
			return nil
		}
		if d.Problem == "" {
			r.written++
		}
		if len(r.documents) < keptRows {
			r.documents = append(r.documents, changesOf(d))
		}
		if r.summary.Changed <= shownRows && !r.write {
			writeDifference(&r.differences, r.style, r.style.Colour || term.IsTerminal(r.stdout), d)
		}
		return nil
	})
	bar.Done()
	if err != nil {
		if journal != nil && journal.File != "" {
			err = fmt.Errorf("%w; what was changed up to there is in %s; the same command goes on from there", err, journal.File)
		}
		return unfinished{err}
	}
	if more > 0 {
		r.say("%d more findings are not told", more)
	}
	if journal != nil && journal.File != "" {
		r.say("what was overwritten is kept in %s; relink --db ... --undo %s brings it back", journal.File, journal.File)
	}
	return r.tellRows(n)
}

// tellRows prints what was done with rows, or would be.
func (r *relinking) tellRows(n int) error {
	if r.documents == nil {
		r.documents = []relinked{}
	}
	out := report{more: map[string]any{"values": r.documents}, counts: []count{{"rows", "rows", n},
		{"changed_values", "values with links to change", r.summary.Changed}, {"changed_links", "links to change", r.summary.Links}}}
	if r.write {
		out.counts[1].words, out.counts[2].words = "values with changed links", "changed links"
		out.counts = append(out.counts, count{"written", "written", r.written})
	}
	return r.tellOf(out)
}

// sample says which columns hold links.
func (r *relinking) sample(db *database.DB, tables []database.Table, linker *relink.Linker) error {
	items := []relink.Sampled{}
	for i := range tables {
		list, err := linker.Sample(r.ctx, &tables[i], r.columns)
		if err != nil {
			return unfinished{err}
		}
		items = append(items, list...)
	}
	out := report{columns: []string{"table", "column", "type", "rows", "looked at", "with links", "links", "to change", "problem"},
		name: "columns", items: items}
	changes, columns, next := map[string]int{}, map[string][]string{}, ""
	for _, s := range items {
		if s.Links == 0 && s.Problem == "" && r.format == "table" {
			continue
		}
		out.rows = append(out.rows, []string{s.Table, s.Column, s.Type, fmt.Sprint(s.Rows), fmt.Sprint(s.Looked), fmt.Sprint(s.With),
			fmt.Sprint(s.Links), fmt.Sprint(s.Changes), s.Problem})
		if s.Changes > 0 {
			changes[s.Table] += s.Changes
			columns[s.Table] = append(columns[s.Table], s.Column)
		}
		if changes[s.Table] > changes[next] {
			next = s.Table
		}
	}
	out.counts = []count{{"tables", "tables", len(tables)}, {"columns", "columns", len(items)}}
	if err := r.print(out); err != nil {
		return err
	}
	if next != "" {
		r.say("next: young-compass relink --db %s --table %s --columns %s", r.content.url, next, strings.Join(columns[next], ","))
	}
	return nil
}

// takeRowsBack undoes the run of a journal.
func (r *relinking) takeRowsBack(db *database.DB, journal string) error {
	out := report{columns: []string{"value"}, name: "values", text: told}
	items := []string{}
	restored := 0
	err := relink.UndoRows(r.ctx, db, journal, func(f relink.Restored) {
		if f.Problem != "" {
			out.findings = append(out.findings, finding.Finding{Code: finding.RowLeft, Severity: finding.Error,
				Where: finding.Place{File: f.Path}, What: "this value isn't brought back: " + f.Problem,
				Advice: "the journal has what it was"})
			return
		}
		if restored++; len(items) < keptRows {
			out.rows = append(out.rows, []string{f.Path})
			items = append(items, f.Path)
		}
	})
	var file *fs.PathError
	switch {
	case errors.Is(err, relink.ErrNothingWritten), errors.Is(err, relink.ErrOtherJournal):
		return fmt.Errorf("--undo: %w", err)
	case errors.As(err, &file):
		return finding.Unreadable(finding.Place{File: file.Path}, file.Err.Error(), "check the name")
	case err != nil:
		return unfinished{err}
	}
	out.items = items
	out.counts = []count{{"restored", "brought back", restored}}
	return r.print(out)
}

// query returns what a query brings as a table, and what is wrong with rows of it.
func (d *contentDatabase) query(ctx context.Context, query string) (sheet *table.Table, bad []finding.Finding, err error) {
	db, err := d.open(ctx)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = db.Close() }()
	var input *finding.Input
	row := 0
	err = db.Query(ctx, query, func(values []string) (err error) {
		if row++; sheet == nil {
			sheet, err = table.New(db.Name, values)
			return err
		}
		if f := sheet.Append(row-1, values); f != nil {
			bad = append(bad, *f)
		}
		return nil
	})
	if err != nil && !errors.As(err, &input) {
		return nil, nil, unfinished{err}
	}
	return sheet, bad, err
}
