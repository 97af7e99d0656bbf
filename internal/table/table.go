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
	maxRows    = 20_000_000
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
	return r.At(r.table.Column(column))
}

// At returns the value in the column at a position; empty where there is none.
func (r Row) At(column int) string {
	if column < 0 || column >= len(r.values) {
		return ""
	}
	return r.values[column]
}

// Column returns the position of a column, or -1.
func (t *Table) Column(name string) int {
	if i, ok := t.index[name]; ok {
		return i
	}
	return -1
}

// Table is a file being read: its columns in their order, and its rows.
type Table struct {
	File    string
	Columns []string
	Rows    []Row // what Read has read; with Open those that are known beforehand

	index    map[string]int // of the columns
	headless func(first []string) []string
	records  *records          // that are still to come
	bad      []finding.Finding // rows that can't be read, of a form that is read whole
}

// Read reads a table. Its form is found out from the beginning of the file.
// Each name in needed must be among the columns, else the error is a
// *finding.Input. A row that can't be read becomes a finding; the others are
// read all the same.
func Read(file string, r io.Reader, needed ...string) (*Table, []finding.Finding, error) {
	t, err := Open(file, r, nil, needed...)
	if err != nil {
		return nil, nil, err
	}
	var rows []Row
	found, err := t.Each(func(row Row) *finding.Finding {
		rows = append(rows, row)
		return nil
	})
	t.Rows = rows
	return t, found, err
}

// Each calls take with each row that is still to come, and returns what is wrong with those that can't be read, or that
// take refuses. Other errors are those of Read.
func (t *Table) Each(take func(Row) *finding.Finding) (found []finding.Finding, err error) {
	for {
		row, bad, err := t.Next()
		switch {
		case errors.Is(err, io.EOF):
			return found, nil
		case err != nil:
			return nil, err
		case bad == nil:
			bad = take(row)
		}
		if bad != nil {
			found = append(found, *bad)
		}
	}
}

// Open begins to read a table that may have no header: columns returns the
// names of the columns when the first record is a row, and nil when it is a
// header; it may be nil. Separated values are then read row by row with Next.
func Open(file string, r io.Reader, columns func(first []string) []string, needed ...string) (*Table, error) {
	raw := bufio.NewReaderSize(r, sampleSize)
	sample, err := raw.Peek(sampleSize)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("reading %s: %w", file, err)
	}
	if bytes.IndexByte(sample, '\r') >= 0 && bytes.IndexByte(sample, '\n') < 0 && !bytes.HasPrefix(sample,
		[]byte("PK\x03\x04")) {
		raw = bufio.NewReaderSize(carriageReturns{raw}, sampleSize) // how an old office program writes
		if sample, err = raw.Peek(sampleSize); err != nil && !errors.Is(err, io.EOF) {
			return nil, fmt.Errorf("reading %s: %w", file, err)
		}
	}
	t := &Table{File: file, index: map[string]int{}, headless: columns}
	start := bytes.TrimLeft(bytes.TrimPrefix(sample, []byte("\ufeff")), " \t\r\n")
	switch {
	case bytes.HasPrefix(sample, []byte("PK\x03\x04")):
		t.bad, err = t.readWorkbook(raw)
	case len(start) > 0 && (start[0] == '{' || start[0] == '['):
		t.bad, err = t.readJSON(raw)
	default:
		err = t.readCSV(raw, sample)
	}
	if err != nil {
		return nil, err
	}
	if len(t.Columns) == 0 {
		return nil, finding.Unreadable(finding.Place{File: file}, "the file is empty",
			"its first line must name the columns: "+strings.Join(needed, ", "))
	}
	return t, t.Require(needed...)
}

// carriageReturns reads lines that end in CR as lines that end in LF.
type carriageReturns struct{ r io.Reader }

func (c carriageReturns) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	for i := range p[:n] {
		if p[i] == '\r' {
			p[i] = '\n'
		}
	}
	return n, err
}

// New returns a table that comes from no file, without rows. Names that are empty or twice there are a *finding.Input.
func New(name string, columns []string) (*Table, error) {
	t := &Table{File: name, index: map[string]int{}}
	return t, t.setColumns(columns, func(column int) (int, int) { return 0, 0 })
}

// Append takes up a row, or says what is wrong with it.
func (t *Table) Append(line int, record []string) *finding.Finding { return t.addRow(line, record) }

// Next returns the next row, or what is wrong with one that can't be read;
// io.EOF behind the last. Other errors are those of Read.
func (t *Table) Next() (Row, *finding.Finding, error) {
	for len(t.Rows)+len(t.bad) == 0 {
		batch, err := t.Batch()
		if err != nil {
			return Row{}, nil, err
		}
		t.bad = batch.Each(func(row Row) { t.Rows = append(t.Rows, Row{row.Line, t, slices.Clone(row.values)}) })
	}
	if len(t.bad) > 0 {
		bad := &t.bad[0]
		t.bad = t.bad[1:]
		return Row{}, bad, nil
	}
	row := t.Rows[0]
	t.Rows = t.Rows[1:]
	return row, nil, nil
}

// Batch is some of the rows that follow one another in a table. Different ones
// may be worked out at the same time.
type Batch struct {
	table *Table
	text  string // whole lines, without quotes
	line  int    // of the first
	rows  []Row
	bad   []finding.Finding
}

// Batch returns the next rows; io.EOF behind the last. Other errors are those of
// Read.
func (t *Table) Batch() (*Batch, error) {
	b := &Batch{table: t}
	switch {
	case len(t.Rows)+len(t.bad) > 0:
		b.rows, b.bad, t.Rows, t.bad = t.Rows, t.bad, nil, nil
		return b, nil
	case t.records == nil:
		return nil, io.EOF
	}
	var err error
	if b.text, b.line, err = t.records.chunk(); err == nil && b.text == "" {
		err = t.readQuoted(b)
	}
	if err != nil && !errors.Is(err, io.EOF) {
		err = t.unreadable(err)
	}
	if t.records.count > maxRows {
		err = t.tooMany(b.line)
	}
	return b, err
}

// batchRows is how many rows with quotes are read together.
const batchRows = 1024

// readQuoted reads rows into a batch one by one.
func (t *Table) readQuoted(b *Batch) error {
	for range batchRows {
		line, record, err := t.records.next()
		var parse *csv.ParseError
		var open unclosed
		switch {
		case errors.Is(err, io.EOF) && len(b.rows)+len(b.bad) > 0:
			return nil
		case errors.As(err, &parse) && !errors.As(err, &open):
			bad := BadRow(t.File, parse.Line, parse.Err.Error(), quoteAdvice)
			bad.Where.Column = parse.Column
			b.bad = append(b.bad, bad)
			continue
		case err != nil:
			return err
		}
		t.records.count++
		b.add(line, record)
	}
	return nil
}

// Len returns how many rows there are, at most.
func (b *Batch) Len() int { return len(b.rows) + len(b.bad) + strings.Count(b.text, "\n") + 1 }

// Each calls yield with each row of the batch, whose values are good until yield
// returns, and returns what is wrong with those that can't be read.
func (b *Batch) Each(yield func(Row)) []finding.Finding {
	for _, row := range b.rows {
		yield(row)
	}
	var fields []string
	text := b.text
	for line := b.line; text != ""; line++ {
		var record string
		record, text, _ = strings.Cut(text, "\n")
		if record = strings.TrimSuffix(record, "\r"); record == "" {
			continue
		}
		fields = split(record, b.table.records.separator, fields[:0])
		if bad := b.table.clean(line, fields); bad != nil {
			b.bad = append(b.bad, *bad)
			continue
		}
		yield(Row{line, b.table, fields})
	}
	return b.bad
}

// add adds a record, or what is wrong with it.
func (b *Batch) add(line int, record []string) {
	if bad := b.table.clean(line, record); bad != nil {
		b.bad = append(b.bad, *bad)
		return
	}
	b.rows = append(b.rows, Row{line, b.table, slices.Clone(record)})
}

// readCSV reads the header of separated values.
func (t *Table) readCSV(raw *bufio.Reader, sample []byte) error {
	text, limit, err := decode(t.File, raw, sample)
	if err != nil {
		return err
	}
	t.records = newRecords(text, limit)
	line, header, err := t.records.next()
	if errors.Is(err, io.EOF) {
		return nil
	}
	if err != nil {
		return t.unreadable(err)
	}
	return t.setColumns(slices.Clone(header), func(column int) (int, int) { return line, t.records.column(column) })
}

// setColumns takes the names of the columns from the first row; place says
// where each of them stands.
func (t *Table) setColumns(header []string, place func(int) (line, column int)) error {
	if len(header) > maxColumns {
		return finding.Unreadable(finding.Place{File: t.File, Line: 1},
			fmt.Sprintf("%d columns; at most %d are read", len(header), maxColumns),
			"save the sheet again with the columns it needs")
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
	for len(header) > 1 && strings.TrimSpace(header[len(header)-1]) == "" {
		header = header[:len(header)-1] // spreadsheets write the columns behind the last one, too
	}
	for i, name := range header {
		name = strings.ToLower(strings.TrimSpace(name))
		if _, twice := t.index[name]; name == "" || twice || !utf8.ValidString(name) {
			line, column := place(i)
			return finding.Unreadable(finding.Place{File: t.File, Line: line, Column: column},
				fmt.Sprintf("column %d is named %q like another, or not at all", i+1, address.Printable(name)),
				"give each column a name of its own")
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
	bad := t.clean(line, record)
	if bad == nil {
		t.Rows = append(t.Rows, Row{line, t, slices.Clone(record)})
	}
	return bad
}

// clean takes space off the fields of a row, or says what is wrong with it.
func (t *Table) clean(line int, record []string) *finding.Finding {
	bad := func(what, advice string) *finding.Finding {
		f := BadRow(t.File, line, what, advice)
		return &f
	}
	for i := len(t.Columns); i < len(record); i++ {
		if strings.TrimSpace(record[i]) != "" {
			return bad(fmt.Sprintf("%d fields where the header has %d", len(record), len(t.Columns)),
				"name the column, or quote a field that holds a separator")
		}
	}
	if len(record) < len(t.Columns) {
		return bad(fmt.Sprintf("%d fields where the header has %d", len(record), len(t.Columns)),
			"write the missing commas, or quote a field that holds one")
	}
	for i, value := range record {
		if !utf8.ValidString(value) {
			return bad(fmt.Sprintf("field %d holds bytes that are no UTF-8", i+1), "save the file again as UTF-8")
		}
		if n := len(value); n > 0 && !(word(value[0]) && word(value[n-1])) {
			record[i] = strings.TrimSpace(value)
		}
	}
	return nil
}

// word reports whether c is surely no space.
func word(c byte) bool {
	return '!' <= c && c <= '~'
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
		return address.Printable(strings.Join(t.Columns[:shown], ", ")) +
			fmt.Sprintf(" and %d more", len(t.Columns)-shown)
	}
	return address.Printable(strings.Join(t.Columns, ", "))
}

// BadRow is the finding for a row that can't be read.
func BadRow(file string, line int, what, advice string) finding.Finding {
	return finding.Finding{Code: finding.BadRow, Severity: finding.Error, Where: finding.Place{File: file, Line: line},
		What: what, Advice: advice}
}

// tooMany returns the error for a table that is longer than any that is read.
func (t *Table) tooMany(line int) error {
	return finding.Unreadable(finding.Place{File: t.File, Line: line}, fmt.Sprintf("more than %d rows", maxRows),
		"split the table")
}

// unreadable returns the error for a file of separated values that breaks off.
func (t *Table) unreadable(err error) error {
	var input *finding.Input
	if errors.As(err, &input) {
		return input
	}
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		return finding.Unreadable(finding.Place{File: t.File, Line: parse.Line, Column: parse.Column},
			"this is not a table of comma-separated values: "+parse.Err.Error(), quoteAdvice)
	}
	return fmt.Errorf("reading %s: %w", t.File, err)
}

const quoteAdvice = "quote fields that hold a quote, and double the quote"

// EncodeRecords writes a table whose records hold a field for each column.
func EncodeRecords(columns []string, records iter.Seq[[]string]) []byte {
	var b bytes.Buffer
	WriteHeader(&b, columns)
	_ = WriteRecords(&b, records) // a bytes.Buffer doesn't fail
	return b.Bytes()
}

// WriteHeader writes the names of columns as CSV. What separates columns elsewhere is quoted, so that nobody takes it
// for what separates them here.
func WriteHeader(b *bytes.Buffer, columns []string) {
	for i, name := range columns {
		if i > 0 {
			b.WriteByte(',')
		}
		if name = strings.TrimSpace(Clean(name)); strings.ContainsAny(name, ",;\t\n\"") || len(columns) == 1 && name == "" {
			name = `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
		}
		b.WriteString(name)
	}
	b.WriteByte('\n')
}

// WriteRecords writes records as CSV, their fields as Clean returns them, without space around them: readers take it off.
func WriteRecords(to io.Writer, records iter.Seq[[]string]) error {
	w := csv.NewWriter(to)
	var clean []string
	for record := range records {
		clean = clean[:0]
		for _, field := range record {
			clean = append(clean, strings.TrimSpace(Clean(field)))
		}
		if err := w.Write(clean); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// WriteShown writes records as CSV for people: what nobody sees in a field is made visible, and a spreadsheet takes each
// for text alone.
func WriteShown(to io.Writer, records iter.Seq[[]string]) error {
	w := csv.NewWriter(to)
	var shown []string
	for record := range records {
		shown = shown[:0]
		for _, field := range record {
			shown = append(shown, Guard(address.Visible(field)))
		}
		if err := w.Write(shown); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}
