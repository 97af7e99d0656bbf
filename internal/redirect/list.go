package redirect

import (
	"errors"
	"io"
	"iter"
	"maps"
	"runtime"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/table"
)

// List is redirects as they were read, in their order. It keeps what was
// written and little else, so that millions of rows find room; Row works a row
// out anew each time. A nil List has no rows.
type List struct {
	Site    address.Site
	Columns []string // further ones, in which rows have notes
	Unread  []Unread // rows that are no redirects

	records  records
	files    []string
	patterns []numbered // rows that are patterns
	notes    map[int][]note
}

// Unread is a row of which something can't be read, as it was written.
type Unread struct {
	From, To, Status string
	Problem          finding.Finding
}

// numbered is a pattern with the number of its row.
type numbered struct {
	*route.Pattern
	row int
}

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
	if l == nil {
		return 0
	}
	return l.records.len()
}

func (l *List) at(i int) *record { return l.records.at(i) }

// Row returns the redirect of a row with a number, from 0.
func (l *List) Row(i int) Redirect {
	r := l.at(i)
	row := Redirect{From: r.from, To: r.to, Status: int(r.status), Drop: r.drop, File: l.files[r.file], Line: int(r.line),
		notes: l.notes[i]}
	if r.pattern {
		n, _ := slices.BinarySearchFunc(l.patterns, i, func(p numbered, i int) int { return p.row - i })
		row.Pattern = l.patterns[n].Pattern
		return row
	}
	row.Source = l.Source(i)
	row.Page, row.Target = l.target(r)
	return row
}

// Source returns where a row starts; empty for a pattern.
func (l *List) Source(i int) route.Source {
	r := l.at(i)
	switch {
	case r.pattern:
		return route.Source{}
	case r.plain:
		return route.Source{Path: r.from}
	}
	source, _ := route.ReadSource(r.from, l.Site) // it was read before
	return source
}

// target returns where a row leads; nothing for a pattern.
func (l *List) target(r *record) (inventory.Ref, address.Address) {
	switch {
	case r.to == "" || r.pattern:
		return inventory.Ref{}, address.Address{}
	case r.local:
		o := l.Site.Origin
		return inventory.Ref{}, address.Address{Scheme: o.Scheme, Host: o.Host, Path: r.to}
	case r.path > 0:
		scheme := "http"
		if r.to[len(scheme)] == 's' {
			scheme = "https"
		}
		return inventory.Ref{}, address.Address{Scheme: scheme, Host: r.to[len(scheme)+len("://") : r.path],
			Path: r.to[r.path:]}
	}
	page, target, _ := readTarget(r.to, l.Site) // it was read before
	return page, target
}

// record returns what is kept of a row.
func (l *List) record(row *Redirect) record {
	r := record{from: row.From, to: row.To, line: uint32(row.Line), status: uint16(row.Status), drop: row.Drop,
		pattern: row.Pattern != nil}
	r.plain = row.Source == route.Source{Path: row.From} && !r.pattern
	r.local = address.Plain(row.To) && !r.pattern
	if t := row.Target; t.Query == "" && t.Fragment == "" && t.Path != "" && strings.HasPrefix(row.To, t.Scheme) {
		const sign = "://"
		host := len(t.Scheme) + len(sign)
		if path := host + len(t.Host); strings.HasPrefix(row.To[len(t.Scheme):], sign) &&
			strings.HasPrefix(row.To[host:], t.Host) && row.To[path:] == t.Path {
			r.path = uint16(path)
		}
	}
	return r
}

// shortcut returns what is kept of a row such as almost all are: from a path to
// a path or an address on the origin, both in normal form. It says what parse and
// record say.
func (l *List) shortcut(f *fields) (record, bool) {
	if f.status != "301" && f.status != "" || f.query != "" || !address.Plain(f.from) {
		return record{}, false
	}
	r := record{from: f.from, to: f.to, plain: true}
	if f.status != "" {
		r.status = 301
	}
	o := l.Site.Origin
	path := len(o.Scheme) + len("://") + len(o.Host)
	if len(f.to) > path && f.to[len(o.Scheme):len(o.Scheme)+len("://")] == "://" &&
		f.to[path-len(o.Host):path] == o.Host && f.to[:len(o.Scheme)] == o.Scheme {
		r.path = uint16(path)
	}
	r.local = r.path == 0
	return r, address.Plain(f.to[r.path:])
}

// place returns where a row stands.
func (l *List) place(i int) finding.Place {
	r := l.at(i)
	return finding.Place{File: l.files[r.file], Line: int(r.line)}
}

// IsPattern reports whether a row is a pattern.
func (l *List) IsPattern(i int) bool { return l.at(i).pattern }

// Decision returns what becomes of a request that meets a row, which is no pattern; current gives the address of a
// page.
func (l *List) Decision(i int, current func(inventory.Ref) (address.Address, bool)) resolve.Decision {
	row := l.Row(i)
	e := resolve.Decision{Kind: resolve.Redirect, Names: row.Names(), Target: row.Target, Status: row.Status,
		Drop: row.Drop, Cause: row.Cause()}
	if row.Gone() {
		e.Kind = resolve.Gone
	}
	if row.ToPage() {
		at, ok := current(row.Page)
		if !ok {
			return resolve.Decision{}
		}
		at.Fragment = row.Target.Fragment
		e.Target, e.Page = at, row.Page.String()
	}
	return e
}

// Patterns returns the rows that are patterns, in their order.
func (l *List) Patterns() []resolve.Pattern {
	if l == nil {
		return nil
	}
	list := make([]resolve.Pattern, len(l.patterns))
	for k, p := range l.patterns {
		r := l.at(p.row)
		list[k] = resolve.Pattern{Pattern: p.Pattern, Status: int(r.status), Drop: r.drop, Row: p.row,
			Where: l.place(p.row),
			Cause: resolve.Cause{File: l.files[r.file], Line: int(r.line), Rule: "pattern " + r.from + " to " + r.to}}
	}
	return list
}

// All returns the rows with their numbers.
func (l *List) All() iter.Seq2[int, Redirect] {
	return func(yield func(int, Redirect) bool) {
		for i := range l.Len() {
			if !yield(i, l.Row(i)) {
				return
			}
		}
	}
}

// Append adds rows.
func (l *List) Append(rows ...Redirect) {
	for _, row := range rows {
		r := l.record(&row)
		r.file = l.file(row.File)
		l.addExtra(l.Len(), row.Pattern, row.notes)
		l.records.add(r)
		for _, n := range row.notes {
			l.addColumn(n.column)
		}
	}
}

// Clone returns a copy of the list, to be changed on its own.
func (l *List) Clone() *List {
	c := *l
	c.records = l.records.copied()
	c.Columns, c.files, c.patterns, c.notes = slices.Clone(l.Columns), slices.Clone(l.files), slices.Clone(l.patterns),
		maps.Clone(l.notes)
	return &c
}

// appendFrom adds a row of another list of the site as it is.
func (l *List) appendFrom(o *List, i int) {
	r := o.at(i)
	if r.pattern {
		l.addExtra(l.Len(), o.Row(i).Pattern, o.notes[i])
	} else if o.notes != nil {
		l.addExtra(l.Len(), nil, o.notes[i])
	}
	if file := l.file(o.files[r.file]); file != r.file {
		moved := *r
		moved.file = file
		l.records.add(moved)
		return
	}
	l.records.addFrom(&o.records, i)
}

// replace puts another row in the place of one; both are patterns, or neither is.
func (l *List) replace(i int, row Redirect) {
	r := l.record(&row)
	r.file = l.file(row.File)
	l.records.set(i, r)
	delete(l.notes, i)
	if len(row.notes) > 0 {
		l.addExtra(i, nil, row.notes)
	}
	for k := range l.patterns {
		if l.patterns[k].row == i {
			l.patterns[k].Pattern = row.Pattern
		}
	}
}

// flatAlready reports whether a row is written as a flat list has it, if nothing leads on from its target: from a path
// to a path.
func (l *List) flatAlready(i int) bool {
	r := l.at(i)
	return r.plain && r.status != 0 && r.local
}

func (l *List) addExtra(row int, pattern *route.Pattern, notes []note) {
	if len(notes) > 0 {
		if l.notes == nil {
			l.notes = map[int][]note{}
		}
		l.notes[row] = notes
	}
	if pattern != nil {
		l.patterns = append(l.patterns, numbered{pattern, row})
	}
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
		"from": {"old", "old url", "old address", "source url", "source address", "redirect from", "request"},
		"to": {"new", "new url", "new address", "target", "target url", "destination", "destination url",
			"redirect to", "location"},
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
	*table.Batch
	bad     []finding.Finding
	unread  []Unread
	records []record
	extras  []extra
	done    chan struct{}
}

// extra is what few rows have.
type extra struct {
	record  int // of the batch
	pattern *route.Pattern
	notes   []note
}

// columns are where the columns of a table are.
type columns struct {
	from, to, status, query, class int
	notes                          []int
	names                          []string
}

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
	c := columns{from: sheet.Column("from"), to: sheet.Column("to"), status: sheet.Column("status"),
		query: sheet.Column("query"), class: sheet.Column("class")}
	for i, name := range sheet.Columns {
		if !slices.Contains([]int{c.from, c.to, c.status, c.query}, i) {
			c.notes, c.names = append(c.notes, i), append(c.names, name)
			l.addColumn(name)
		}
	}
	number := l.file(file)
	used := make(chan []record, runtime.GOMAXPROCS(0)) // room of batches that are done
	queue := make(chan *batch, runtime.GOMAXPROCS(0))  // of as many as are worked out at a time
	go func() {
		defer close(queue)
		for {
			rows, more := sheet.Batch()
			if more != nil {
				if !errors.Is(more, io.EOF) {
					err = more
				}
				return
			}
			b := &batch{Batch: rows, done: make(chan struct{})}
			select {
			case b.records = <-used:
			default:
			}
			queue <- b
			go func() {
				b.work(file, number, l, c)
				close(b.done)
			}()
		}
	}()
	for b := range queue {
		<-b.done
		found = append(found, b.bad...)
		for _, u := range b.unread {
			found = append(found, u.Problem)
		}
		l.Unread = append(l.Unread, b.unread...)
		l.take(b)
		select {
		case used <- b.records[:0]:
		default:
		}
	}
	return found, err
}

// work works the rows of a batch out.
func (b *batch) work(file string, number uint16, l *List, c columns) {
	b.records = slices.Grow(b.records, b.Len())
	var row Redirect
	b.bad = b.Each(func(r table.Row) {
		written := fields{r.At(c.from), r.At(c.to), r.At(c.status), r.At(c.query), r.At(c.class)}
		kept, ok := l.shortcut(&written)
		var pattern *route.Pattern
		if !ok {
			if problem := written.parse(&row, l.Site); problem != nil {
				problem.Where = finding.Place{File: file, Line: r.Line}
				b.unread = append(b.unread, Unread{written.from, written.to, written.status, *problem})
				return
			}
			kept, pattern = l.record(&row), row.Pattern
		}
		kept.line, kept.file = uint32(r.Line), number
		e := extra{record: len(b.records), pattern: pattern}
		for i, column := range c.notes {
			if text := strings.TrimSpace(table.Clean(r.At(column))); text != "" {
				e.notes = append(e.notes, note{c.names[i], text})
			}
		}
		b.records = append(b.records, kept)
		if e.pattern != nil || e.notes != nil {
			b.extras = append(b.extras, e)
		}
	})
}

// take appends the rows of a batch.
func (l *List) take(b *batch) {
	start := l.Len()
	for _, e := range b.extras {
		l.addExtra(start+e.record, e.pattern, e.notes)
	}
	l.records.add(b.records...)
}
