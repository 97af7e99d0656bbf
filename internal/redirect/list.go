package redirect

import (
	"io"
	"iter"
	"runtime"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/table"
)

// List is redirects as they were read, in their order. It keeps what was
// written and little else, so that millions of rows find room; Row works a row
// out anew each time. A nil List has no rows.
type List struct {
	Site    address.Site
	Columns []string // further ones, in which rows have notes

	blocks   [][]record
	files    []string
	patterns []numbered // rows that are patterns
	notes    map[int][]note
}

// record is a row as it was written.
type record struct {
	from, to string
	line     uint32
	file     uint16
	status   uint16
	drop     bool
	pattern  bool
}

// numbered is a pattern with the number of its row.
type numbered struct {
	*Pattern
	row int
}

// blockSize is how many records are kept together; growing copies none.
const blockSize = 1 << 14

// NewList returns an empty list of a site.
func NewList(site address.Site) *List { return &List{Site: site} }

// Read reads a table as a list; see List.Read.
func Read(file string, r io.Reader, site address.Site) (*List, []finding.Finding, error) {
	l := NewList(site)
	found, err := l.Read(file, r)
	return l, found, err
}

// Len returns the number of rows.
func (l *List) Len() int {
	if l == nil || len(l.blocks) == 0 {
		return 0
	}
	return (len(l.blocks)-1)*blockSize + len(l.blocks[len(l.blocks)-1])
}

func (l *List) at(i int) *record { return &l.blocks[i/blockSize][i%blockSize] }

func (l *List) add(r record) {
	switch n := len(l.blocks); {
	case n == 0:
		l.blocks = make([][]record, 1)
	case len(l.blocks[n-1]) == blockSize:
		l.blocks = append(l.blocks, make([]record, 0, blockSize))
	}
	last := &l.blocks[len(l.blocks)-1]
	*last = append(*last, r)
}

// Row returns the row with a number, from 0.
func (l *List) Row(i int) Row {
	r := l.at(i)
	row := Row{From: r.from, To: r.to, Status: int(r.status), Drop: r.drop, File: l.files[r.file], Line: int(r.line), notes: l.notes[i]}
	if r.pattern {
		n, _ := slices.BinarySearchFunc(l.patterns, i, func(p numbered, i int) int { return p.row - i })
		row.Pattern = l.patterns[n].Pattern
		return row
	}
	row.Source = l.Source(i)
	if r.to != "" {
		row.Page, row.Target, _ = readTarget(r.to, l.Site) // it was read before
	}
	return row
}

// Source returns where a row starts; empty for a pattern.
func (l *List) Source(i int) Source {
	r := l.at(i)
	if r.pattern {
		return Source{}
	}
	source, _ := ReadSource(r.from, l.Site) // it was read before
	return source
}

// place returns where a row stands.
func (l *List) place(i int) finding.Place {
	r := l.at(i)
	return finding.Place{File: l.files[r.file], Line: int(r.line)}
}

// All returns the rows with their numbers.
func (l *List) All() iter.Seq2[int, Row] {
	return func(yield func(int, Row) bool) {
		for i := range l.Len() {
			if !yield(i, l.Row(i)) {
				return
			}
		}
	}
}

// Append adds rows.
func (l *List) Append(rows ...Row) {
	for _, row := range rows {
		l.append(record{from: row.From, to: row.To, line: uint32(row.Line), file: l.file(row.File), status: uint16(row.Status), drop: row.Drop}, row.Pattern, row.notes)
		for _, n := range row.notes {
			l.addColumn(n.column)
		}
	}
}

func (l *List) append(r record, pattern *Pattern, notes []note) {
	if n := l.Len(); len(notes) > 0 {
		if l.notes == nil {
			l.notes = map[int][]note{}
		}
		l.notes[n] = notes
	}
	if pattern != nil {
		r.pattern = true
		l.patterns = append(l.patterns, numbered{pattern, l.Len()})
	}
	l.add(r)
}

// file returns the number of a file's name.
func (l *List) file(name string) uint16 {
	if n := len(l.files); n > 0 && l.files[n-1] == name {
		return uint16(n - 1)
	}
	if i := slices.Index(l.files, name); i >= 0 {
		return uint16(i)
	}
	l.files = append(l.files, name)
	return uint16(len(l.files) - 1)
}

func (l *List) addColumn(name string) {
	if !slices.Contains(l.Columns, name) {
		l.Columns = append(l.Columns, name)
	}
}

// usualNames are those that the columns of a list go by elsewhere.
func usualNames() map[string][]string {
	return map[string][]string{
		"from":   {"old", "old url", "old address", "source url", "source address", "redirect from", "request"},
		"to":     {"new", "new url", "new address", "target", "target url", "destination", "destination url", "redirect to", "location"},
		"status": {"code", "status code", "type", "http status", "http code"},
	}
}

// headless returns the columns of a list whose first row is no header: it
// begins with a path or an address, and none of its fields is a column's name.
func headless(first []string) []string {
	if len(first) < 2 || len(first) > 3 || !strings.HasPrefix(first[0], "/") && !strings.Contains(first[0], "://") {
		return nil
	}
	return []string{"from", "to", "status"}[:len(first)]
}

// batch is rows that are worked out together.
type batch struct {
	rows  []table.Row
	bad   []finding.Finding
	parts []part
	done  chan struct{}
}

// part is a row worked out.
type part struct {
	record
	pattern *Pattern
	notes   []note
}

// columns are where the columns of a table are.
type columns struct {
	from, to, status, query, class int
	notes                          []int
	names                          []string
}

const batchSize = 4096

// Read appends the rows of a table with the columns from, to, status and, if it
// likes, query (keep or drop) and class (of the variables of a pattern); what
// stands in others is kept. The first three are also known by their usual names
// elsewhere, and a list of two or three columns needs no header. Rows that can't
// be read become findings.
func (l *List) Read(file string, r io.Reader) (found []finding.Finding, err error) {
	sheet, err := table.Open(file, r, headless)
	if err != nil {
		return nil, err
	}
	for _, column := range []string{"from", "to", "status"} {
		sheet.Take(column, usualNames()[column])
	}
	if err := sheet.Require("from", "to"); err != nil {
		return nil, err
	}
	c := columns{from: sheet.Column("from"), to: sheet.Column("to"), status: sheet.Column("status"), query: sheet.Column("query"), class: sheet.Column("class")}
	for i, name := range sheet.Columns {
		if !slices.Contains([]int{c.from, c.to, c.status, c.query}, i) {
			c.notes, c.names = append(c.notes, i), append(c.names, name)
			l.addColumn(name)
		}
	}
	number := l.file(file)
	queue := make(chan *batch, runtime.GOMAXPROCS(0)) // of as many as are worked out at a time
	go func() {
		err = batches(sheet, func(b *batch) {
			b.done = make(chan struct{})
			queue <- b
			go func() {
				b.work(file, number, l.Site, c)
				close(b.done)
			}()
		})
		close(queue)
	}()
	for b := range queue {
		<-b.done
		found = append(found, b.bad...)
		for _, p := range b.parts {
			l.append(p.record, p.pattern, p.notes)
		}
	}
	return found, err
}

// batches reads a table and hands its rows on in batches.
func batches(sheet *table.Table, hand func(*batch)) error {
	b := &batch{}
	for {
		row, bad, err := sheet.Next()
		if err != nil {
			hand(b)
			if err == io.EOF {
				return nil
			}
			return err
		}
		if bad != nil {
			b.bad = append(b.bad, *bad)
			continue
		}
		if b.rows = append(b.rows, row); len(b.rows) == batchSize {
			hand(b)
			b = &batch{rows: make([]table.Row, 0, batchSize)}
		}
	}
}

// work works the rows of a batch out.
func (b *batch) work(file string, number uint16, site address.Site, c columns) {
	b.parts = make([]part, 0, len(b.rows))
	for _, r := range b.rows {
		row, bad := fields{r.At(c.from), r.At(c.to), r.At(c.status), r.At(c.query), r.At(c.class)}.parse(site)
		if bad != nil {
			bad.Where = finding.Place{File: file, Line: r.Line}
			b.bad = append(b.bad, *bad)
			continue
		}
		p := part{record: record{from: row.From, to: row.To, line: uint32(r.Line), file: number, status: uint16(row.Status), drop: row.Drop}, pattern: row.Pattern}
		for i, column := range c.notes {
			if text := r.At(column); text != "" {
				p.notes = append(p.notes, note{c.names[i], text})
			}
		}
		b.parts = append(b.parts, p)
	}
	b.rows = nil
}
