package table

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"young-compass/internal/finding"
)

// The bounds of a table in JSON.
const (
	maxDepth = 32         // objects and lists in one another
	maxNames = 2000       // different names of members
	maxCells = 50_000_000 // values, with those missing in front of them
)

// readJSON reads a list of objects, the first such list in an object, or
// objects one after another. Objects in objects give columns such as
// "title.en"; the items of lists are joined with "/".
func (t *Table) readJSON(raw *bufio.Reader) ([]finding.Finding, error) {
	if start, _ := raw.Peek(3); string(start) == "\ufeff" {
		_, _ = raw.Discard(3)
	}
	sample, _ := raw.Peek(sampleSize)
	j := &jsonReader{table: t, source: &lineSource{file: t.File, r: raw, line: 1}}
	j.decoder = json.NewDecoder(j.source)
	j.decoder.UseNumber()
	var err error
	switch first := bytes.TrimLeft(sample, " \t\r\n"); {
	case first[0] == '[':
		err = j.list()
	case wraps(first):
		err = j.wrapper()
	default:
		err = j.lines()
	}
	if err != nil {
		return nil, j.unreadable(err)
	}
	return j.bad, nil
}

// wraps reports whether the object at the beginning of a text holds the list
// of rows: it doesn't end within the text, or nothing follows it and one of its
// members is a list of objects.
func wraps(text []byte) bool {
	var object map[string]json.RawMessage
	d := json.NewDecoder(bytes.NewReader(text))
	if err := d.Decode(&object); err != nil {
		return errors.Is(err, io.ErrUnexpectedEOF)
	}
	if d.More() {
		return false
	}
	for _, member := range object {
		if inner, ok := bytes.CutPrefix(bytes.TrimLeft(member, " \t\r\n"), []byte("[")); ok &&
			bytes.HasPrefix(bytes.TrimLeft(inner, " \t\r\n"), []byte("{")) {
			return true
		}
	}
	return false
}

type jsonReader struct {
	table   *Table
	source  *lineSource
	decoder *json.Decoder
	cells   int
	bad     []finding.Finding
}

var errNoRows = errors.New("there is no list of objects in it")

// list reads the rows of a list.
func (j *jsonReader) list() error {
	if err := j.expect('['); err != nil {
		return err
	}
	for j.decoder.More() {
		if err := j.row(); err != nil {
			return err
		}
	}
	return j.expect(']')
}

// wrapper reads the first list of objects among an object's members.
func (j *jsonReader) wrapper() error {
	if err := j.expect('{'); err != nil {
		return err
	}
	for j.decoder.More() {
		if _, err := j.decoder.Token(); err != nil {
			return err
		}
		token, err := j.decoder.Token()
		if err != nil {
			return err
		}
		switch {
		case token == json.Delim('['):
			for j.decoder.More() {
				if err := j.row(); err != nil {
					return err
				}
			}
			if err := j.expect(']'); err != nil {
				return err
			}
			if len(j.table.Rows) > 0 {
				return nil
			}
		case token == json.Delim('{'):
			if err := j.skip(); err != nil {
				return err
			}
		}
	}
	return errNoRows
}

// lines reads one object after another.
func (j *jsonReader) lines() error {
	for {
		err := j.row()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

func (j *jsonReader) expect(d json.Delim) error {
	token, err := j.decoder.Token()
	if err == nil && token != d {
		err = fmt.Errorf("%v where %v is due", token, d)
	}
	return err
}

// skip reads to the end of the object or list that has just begun.
func (j *jsonReader) skip() error {
	for depth := 1; depth > 0; {
		j.source.start = j.decoder.InputOffset()
		token, err := j.decoder.Token()
		if err != nil {
			return err
		}
		switch token {
		case json.Delim('{'), json.Delim('['):
			depth++
		case json.Delim('}'), json.Delim(']'):
			depth--
		}
	}
	return nil
}

// row reads one object.
func (j *jsonReader) row() error {
	j.source.start = j.decoder.InputOffset()
	token, err := j.decoder.Token()
	if err != nil {
		return err
	}
	line := j.source.lineAt(j.decoder.InputOffset())
	row := &Row{Line: line, table: j.table}
	if token != json.Delim('{') {
		j.bad = append(j.bad, BadRow(j.table.File, line, "this is not an object",
			"write {\"address\": ..., \"title\": ...}"))
		if token == json.Delim('[') {
			return j.skip()
		}
		return nil
	}
	if err := j.object(row, "", 1, false); err != nil {
		return err
	}
	if len(j.table.Rows) == maxRows {
		return j.table.tooMany(line)
	}
	j.table.Rows = append(j.table.Rows, *row)
	return nil
}

// object reads the members of an object that has begun.
func (j *jsonReader) object(row *Row, prefix string, depth int, item bool) error {
	for j.decoder.More() {
		name, err := j.decoder.Token()
		if err != nil {
			return err
		}
		if err := j.value(row, prefix+strings.ToLower(strings.TrimSpace(fmt.Sprint(name))), depth, item); err != nil {
			return err
		}
	}
	return j.expect('}')
}

// value reads one value into a column; item says that it is part of a list.
func (j *jsonReader) value(row *Row, column string, depth int, item bool) error {
	if depth > maxDepth {
		return fmt.Errorf("objects and lists lie more than %d deep in one another", maxDepth)
	}
	token, err := j.decoder.Token()
	if err != nil {
		return err
	}
	switch token := token.(type) {
	case json.Delim:
		if token == '{' {
			return j.object(row, column+".", depth+1, item)
		}
		for j.decoder.More() {
			if err := j.value(row, column, depth+1, true); err != nil {
				return err
			}
		}
		return j.expect(']')
	case nil:
		return j.put(row, column, "", item)
	}
	return j.put(row, column, strings.TrimSpace(fmt.Sprint(token)), item)
}

// put gives a row a value; the items of a list come one after another.
func (j *jsonReader) put(row *Row, column, text string, item bool) error {
	if column == "" {
		return nil // a member without a name
	}
	i, known := j.table.index[column]
	if !known {
		if i = len(j.table.Columns); i >= maxNames {
			return fmt.Errorf("more than %d names of members", maxNames)
		}
		j.table.addColumn(column)
	}
	if grow := i + 1 - len(row.values); grow > 0 {
		if j.cells += grow; j.cells > maxCells {
			return errors.New("its objects have too many different names of members")
		}
		row.values = append(slices.Grow(row.values, grow), make([]string, grow)...)
	}
	if item {
		text = strings.ReplaceAll(text, "/", " ")
	}
	switch have := row.values[i]; {
	case have == "" || have == text && !item:
	case item:
		text = have + "/" + text
	default:
		j.bad = append(j.bad, BadRow(j.table.File, row.Line, fmt.Sprintf("the member %q stands here twice", column),
			"say it once"))
	}
	row.values[i] = text
	return nil
}

func (j *jsonReader) unreadable(err error) error {
	var input *finding.Input
	if errors.As(err, &input) {
		return input
	}
	what := strings.TrimPrefix(err.Error(), "json: ")
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		what = "it breaks off"
	}
	line := j.source.lineAt(j.decoder.InputOffset())
	return finding.Unreadable(finding.Place{File: j.table.File, Line: line}, "this is not a table in JSON: "+what,
		"write a list of objects, or one object a line")
}

// lineSource passes text on, remembers where its lines end, and stops when a
// row is longer than any table's.
type lineSource struct {
	file  string
	r     io.Reader
	read  int64
	start int64 // of the row that is being read
	line  int   // the line at the last place asked for
	ends  []int64
}

func (s *lineSource) Read(p []byte) (int, error) {
	n, err := s.r.Read(p)
	for i, c := range p[:n] {
		if c == '\n' {
			s.ends = append(s.ends, s.read+int64(i))
		}
	}
	if s.read += int64(n); s.read-s.start > maxRecord {
		return 0, finding.Unreadable(finding.Place{File: s.file, Line: s.lineAt(s.start)},
			"a row of more than 8 MiB begins here", "this seems to be no table")
	}
	return n, err
}

// lineAt returns the line at an offset; offsets must not go back.
func (s *lineSource) lineAt(offset int64) int {
	passed, _ := slices.BinarySearch(s.ends, offset)
	s.line += passed
	s.ends = slices.Delete(s.ends, 0, passed)
	return s.line
}
