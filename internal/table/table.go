// Package table reads and writes tables with a header, keeping the line of
// every row and every column it doesn't know: comma-separated values (RFC 4180)
// and what spreadsheets make of them (semicolons or tabs, UTF-16, the letters
// of Windows-1252), workbooks (Office Open XML), JSON (RFC 8259) and JSON lines.
// Which of them a file is shows in its content, not in its name.
package table

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"iter"
	"slices"
	"strings"
	"unicode/utf8"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// The bounds of a table.
const (
	maxLine    = 1 << 20 // bytes without a line feed
	maxRecord  = 8 << 20 // bytes of one row
	maxColumns = 10000
	maxRows    = 5_000_000
	sampleSize = 64 << 10 // bytes that are looked at to find the form out
)

// Row is one row of a table.
type Row struct {
	Line   int // of the file, from 1
	table  *Table
	values []string // in the order of the columns; the last ones may be missing
}

// Get returns the value in a column; empty where there is none.
func (r Row) Get(column string) string {
	if i, ok := r.table.index[column]; ok && i < len(r.values) {
		return r.values[i]
	}
	return ""
}

// Table is a file read: its columns in their order, and its rows.
type Table struct {
	File    string
	Columns []string
	Rows    []Row

	index    map[string]int // of the columns
	headless func(first []string) []string
}

// Read reads a table. Its form is found out from the beginning of the file.
// Each name in needed must be among the columns, else the error is a
// *finding.Input. A row that can't be read becomes a finding; the others are
// read all the same.
func Read(file string, r io.Reader, needed ...string) (*Table, []finding.Finding, error) {
	return ReadHeadless(file, r, nil, needed...)
}

// ReadHeadless is Read for tables that may have no header: columns returns the
// names of the columns when the first record is a row, and nil when it is a
// header.
func ReadHeadless(file string, r io.Reader, columns func(first []string) []string, needed ...string) (*Table, []finding.Finding, error) {
	raw := bufio.NewReaderSize(r, sampleSize)
	sample, err := raw.Peek(sampleSize)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, nil, fmt.Errorf("reading %s: %w", file, err)
	}
	t := &Table{File: file, index: map[string]int{}, headless: columns}
	var bad []finding.Finding
	start := bytes.TrimLeft(bytes.TrimPrefix(sample, []byte("\ufeff")), " \t\r\n")
	switch {
	case bytes.HasPrefix(sample, []byte("PK\x03\x04")):
		bad, err = t.readWorkbook(raw)
	case len(start) > 0 && (start[0] == '{' || start[0] == '['):
		bad, err = t.readJSON(raw)
	default:
		bad, err = t.readCSV(raw, sample)
	}
	if err != nil {
		return nil, nil, err
	}
	if len(t.Columns) == 0 {
		return nil, nil, finding.Unreadable(finding.Place{File: file}, "the file is empty", "its first line must name the columns: "+strings.Join(needed, ", "))
	}
	return t, bad, t.Require(needed...)
}

// readCSV reads separated values.
func (t *Table) readCSV(raw *bufio.Reader, sample []byte) ([]finding.Finding, error) {
	text, limit, err := decode(t.File, raw, sample)
	if err != nil {
		return nil, err
	}
	reader := csv.NewReader(text)
	reader.Comma = delimiter(text)
	reader.FieldsPerRecord, reader.ReuseRecord = -1, true
	header, err := reader.Read()
	if errors.Is(err, io.EOF) {
		return nil, nil
	}
	if err != nil {
		return nil, t.unreadable(err)
	}
	if err := t.setColumns(header, reader.FieldPos); err != nil {
		return nil, err
	}
	var bad []finding.Finding
	for {
		limit.record = 0
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return bad, nil
		}
		if err != nil {
			return nil, t.unreadable(err)
		}
		line, _ := reader.FieldPos(0)
		if len(t.Rows) == maxRows {
			return nil, t.tooMany(line)
		}
		if f := t.addRow(line, record); f != nil {
			bad = append(bad, *f)
		}
	}
}

// setColumns takes the names of the columns from the first row; place says
// where each of them stands.
func (t *Table) setColumns(header []string, place func(int) (line, column int)) error {
	if len(header) > maxColumns {
		return finding.Unreadable(finding.Place{File: t.File, Line: 1}, fmt.Sprintf("%d columns; at most %d are read", len(header), maxColumns), "save the sheet again with the columns it needs")
	}
	if t.headless != nil {
		if names := t.headless(header); len(names) == len(header) {
			for _, name := range names {
				t.addColumn(name)
			}
			line, _ := place(0)
			if bad := t.addRow(line, header); bad != nil {
				return &finding.Input{Finding: *bad}
			}
			return nil
		}
	}
	for i, name := range header {
		name = strings.ToLower(strings.TrimSpace(name))
		if _, twice := t.index[name]; name == "" || twice || !utf8.ValidString(name) {
			line, column := place(i)
			return finding.Unreadable(finding.Place{File: t.File, Line: line, Column: column},
				fmt.Sprintf("column %d is named %q like another, or not at all", i+1, address.Printable(name)), "give each column a name of its own")
		}
		t.addColumn(name)
	}
	return nil
}

func (t *Table) addColumn(name string) {
	t.index[name] = len(t.Columns)
	t.Columns = append(t.Columns, name)
}

// addRow appends a row, or says what is wrong with it.
func (t *Table) addRow(line int, record []string) *finding.Finding {
	bad := func(what, advice string) *finding.Finding {
		f := BadRow(t.File, line, what, advice)
		return &f
	}
	if len(record) != len(t.Columns) {
		return bad(fmt.Sprintf("%d fields where the header has %d", len(record), len(t.Columns)), "write the missing commas, or quote a field that holds one")
	}
	if i := slices.IndexFunc(record, func(field string) bool { return !utf8.ValidString(field) }); i >= 0 {
		return bad(fmt.Sprintf("field %d holds bytes that are no UTF-8", i+1), "save the file again as UTF-8")
	}
	values := make([]string, len(record))
	for i, value := range record {
		values[i] = strings.TrimSpace(value)
	}
	t.Rows = append(t.Rows, Row{line, t, values})
	return nil
}

// Rename gives a column another name. A column that had it keeps its values
// under its old name with "other " in front.
func (t *Table) Rename(from, to string) {
	move := func(from, to string) {
		i := t.index[from]
		delete(t.index, from)
		t.Columns[i], t.index[to] = to, i
	}
	if _, ok := t.index[to]; ok {
		move(to, "other "+to)
	}
	move(from, to)
}

// Take names the first of these columns that is there as told, unless there is
// one of that name already. It returns the name that was taken; empty for none.
func (t *Table) Take(column string, usual []string) string {
	if _, ok := t.index[column]; ok {
		return ""
	}
	for _, name := range usual {
		if _, ok := t.index[name]; ok {
			t.Rename(name, column)
			return name
		}
	}
	return ""
}

// Require returns a *finding.Input error when a column isn't there.
func (t *Table) Require(names ...string) error {
	for _, name := range names {
		if !slices.Contains(t.Columns, name) {
			return finding.Unreadable(finding.Place{File: t.File, Line: 1},
				fmt.Sprintf("there is no column %q", name), "the columns are: "+t.names())
		}
	}
	return nil
}

// names returns the columns' names for a message.
func (t *Table) names() string {
	const shown = 20
	if len(t.Columns) > shown {
		return address.Printable(strings.Join(t.Columns[:shown], ", ")) + fmt.Sprintf(" and %d more", len(t.Columns)-shown)
	}
	return address.Printable(strings.Join(t.Columns, ", "))
}

// BadRow is the finding for a row that can't be read.
func BadRow(file string, line int, what, advice string) finding.Finding {
	return finding.Finding{Code: "bad-row", Severity: finding.Error, Where: finding.Place{File: file, Line: line}, What: what, Advice: advice}
}

// tooMany returns the error for a table that is longer than any that is read.
func (t *Table) tooMany(line int) error {
	return finding.Unreadable(finding.Place{File: t.File, Line: line}, fmt.Sprintf("more than %d rows", maxRows), "split the table")
}

// unreadable returns the error for a file of separated values that breaks off.
func (t *Table) unreadable(err error) error {
	var input *finding.Input
	if errors.As(err, &input) {
		return input
	}
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		return finding.Unreadable(finding.Place{File: t.File, Line: parse.Line, Column: parse.Column}, "this is no table of comma-separated values: "+parse.Err.Error(), "quote fields that hold a quote, and double the quote")
	}
	return fmt.Errorf("reading %s: %w", t.File, err)
}

// Encode writes a table. Rows hold the fields by column name.
func Encode(columns []string, rows []map[string]string) []byte {
	return EncodeRecords(columns, func(yield func([]string) bool) {
		record := make([]string, len(columns))
		for _, row := range rows {
			for i, name := range columns {
				record[i] = row[name]
			}
			if !yield(record) {
				return
			}
		}
	})
}

// EncodeRecords writes a table whose records hold a field for each column.
func EncodeRecords(columns []string, records iter.Seq[[]string]) []byte {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	_ = w.Write(columns) // a bytes.Buffer doesn't fail
	for record := range records {
		_ = w.Write(record)
	}
	w.Flush()
	return b.Bytes()
}
