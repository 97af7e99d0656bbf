// Package csvfile reads and writes tables of comma-separated values (RFC 4180)
// with a header, keeping the line of every row and every column it doesn't know.
// It also reads what spreadsheets make of them: semicolons or tabs between the
// fields, UTF-16, and the letters of Windows-1252.
package csvfile

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// Row is one row of a table.
type Row struct {
	Line   int // of the file, from 1
	Fields map[string]string
}

// Table is a file read: its columns in their order, and its rows.
type Table struct {
	File    string
	Columns []string
	Rows    []Row
}

// Read reads a table whose first row names its columns. Delimiter and encoding
// are found out from the beginning of the file. Each name in needed
// must be among them, else the error is a *finding.Input. A row with the wrong
// number of fields becomes a finding; the others are read all the same.
func Read(file string, r io.Reader, needed ...string) (*Table, []finding.Finding, error) {
	text, err := decode(file, r)
	if err != nil {
		return nil, nil, err
	}
	reader := csv.NewReader(text)
	reader.Comma = delimiter(text)
	reader.FieldsPerRecord, reader.ReuseRecord = -1, true
	header, err := reader.Read()
	if errors.Is(err, io.EOF) {
		return nil, nil, finding.Unreadable(finding.Place{File: file}, "the file is empty", "its first line must name the columns: "+strings.Join(needed, ", "))
	}
	if err != nil {
		return nil, nil, unreadable(file, err)
	}
	if len(header) > maxColumns {
		return nil, nil, finding.Unreadable(finding.Place{File: file, Line: 1}, fmt.Sprintf("%d columns; at most %d are read", len(header), maxColumns), "save the sheet again with the columns it needs")
	}
	t := &Table{File: file}
	for i, name := range header {
		name = strings.ToLower(strings.TrimSpace(name))
		if name == "" || slices.Contains(t.Columns, name) {
			line, column := reader.FieldPos(i)
			return nil, nil, finding.Unreadable(finding.Place{File: file, Line: line, Column: column},
				fmt.Sprintf("column %d is named %q like another, or not at all", i+1, address.Printable(name)), "give each column a name of its own")
		}
		t.Columns = append(t.Columns, name)
	}
	if err := t.Require(needed...); err != nil {
		return nil, nil, err
	}
	var bad []finding.Finding
	for {
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return t, bad, nil
		}
		if err != nil {
			return nil, nil, unreadable(file, err)
		}
		line, _ := reader.FieldPos(0)
		if len(record) != len(t.Columns) {
			bad = append(bad, BadRow(file, line, fmt.Sprintf("%d fields where the header has %d", len(record), len(t.Columns)), "write the missing commas, or quote a field that holds one"))
			continue
		}
		if i := slices.IndexFunc(record, func(field string) bool { return !utf8.ValidString(field) }); i >= 0 {
			bad = append(bad, BadRow(file, line, fmt.Sprintf("field %d holds bytes that are no UTF-8", i+1), "save the file again as UTF-8"))
			continue
		}
		row := Row{Line: line, Fields: make(map[string]string, len(record))}
		for i, name := range t.Columns {
			row.Fields[name] = strings.TrimSpace(record[i])
		}
		t.Rows = append(t.Rows, row)
	}
}

// Rename gives a column another name. A column that had it keeps its values
// under its old name with "other " in front.
func (t *Table) Rename(from, to string) {
	if i := slices.Index(t.Columns, to); i >= 0 {
		t.Columns[i] = "other " + to
	}
	t.Columns[slices.Index(t.Columns, from)] = to
	for _, row := range t.Rows {
		if value, ok := row.Fields[to]; ok {
			row.Fields["other "+to] = value
		}
		row.Fields[to] = row.Fields[from]
		delete(row.Fields, from)
	}
}

// Require returns a *finding.Input error when a column isn't there.
func (t *Table) Require(names ...string) error {
	for _, name := range names {
		if !slices.Contains(t.Columns, name) {
			return finding.Unreadable(finding.Place{File: t.File, Line: 1},
				fmt.Sprintf("there is no column %q", name), "the columns are: "+address.Printable(strings.Join(t.Columns, ", ")))
		}
	}
	return nil
}

// BadRow is the finding for a row that can't be read.
func BadRow(file string, line int, what, advice string) finding.Finding {
	return finding.Finding{Code: "bad-row", Severity: finding.Error, Where: finding.Place{File: file, Line: line}, What: what, Advice: advice}
}

func unreadable(file string, err error) error {
	var input *finding.Input
	if errors.As(err, &input) {
		return input
	}
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		return finding.Unreadable(finding.Place{File: file, Line: parse.Line, Column: parse.Column}, "this is no table of comma-separated values: "+parse.Err.Error(), "quote fields that hold a quote, and double the quote")
	}
	return fmt.Errorf("reading %s: %w", file, err)
}

// Encode writes the table. Rows hold the fields by column name.
func Encode(columns []string, rows []map[string]string) []byte {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	record := make([]string, len(columns))
	write := func() { _ = w.Write(record) } // a bytes.Buffer doesn't fail
	copy(record, columns)
	write()
	for _, row := range rows {
		for i, name := range columns {
			record[i] = row[name]
		}
		write()
	}
	w.Flush()
	return b.Bytes()
}
