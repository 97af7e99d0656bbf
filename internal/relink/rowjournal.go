package relink

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"young-compass/internal/database"
	"young-compass/internal/finding"
)

// RowHead is what a run over rows is about, as the first line of its journal says.
type RowHead struct {
	Database string   `json:"database"` // without user and password
	Table    string   `json:"table"`
	Columns  []string `json:"columns"`
	Address  string   `json:"address,omitempty"` // the column that has it
	Base     string   `json:"base,omitempty"`
	Way      Way      `json:"way,omitempty"`
	Plan     string   `json:"plan"` // a sum of it
}

// rowNote is a line of such a journal.
//
//	{"head":{"database":"mysql://db.skerrywick.example/site","table":"posts","columns":["body"],"plan":"..."}}
//	{"key":[17],"cells":[{"column":"body","before":"<a href=...","after":"..."}]}
//	{"done":[17]}
//	{"end":true}
type rowNote struct {
	Head  *RowHead     `json:"head,omitempty"`
	Key   database.Key `json:"key,omitempty"` // of a row that is about to be changed
	Cells []cellNote   `json:"cells,omitempty"`

	Done   database.Key   `json:"done,omitempty"`  // all up to this row are committed
	Left   []database.Key `json:"left,omitempty"`  // but these, which weren't changed
	Again  bool           `json:"again,omitempty"` // a run goes on that was broken off
	End    bool           `json:"end,omitempty"`
	Undone bool           `json:"undone,omitempty"`
}

// cellNote is a value of a row.
type cellNote struct {
	Column string  `json:"column"`
	Before content `json:"before"`
	After  string  `json:"after"` // SHA-256
}

// content is bytes, as JSON a string, or base64 of what is no UTF-8.
type content []byte

// MarshalJSON writes them.
func (c content) MarshalJSON() ([]byte, error) {
	if utf8.Valid(c) {
		return plainJSON(string(c))
	}
	return json.Marshal(map[string][]byte{"base64": c})
}

// UnmarshalJSON reads them.
func (c *content) UnmarshalJSON(text []byte) error {
	var word string
	if json.Unmarshal(text, &word) == nil {
		*c = []byte(word)
		return nil
	}
	var wrapped struct{ Base64 []byte }
	err := json.Unmarshal(text, &wrapped)
	*c = wrapped.Base64
	return err
}

// plainJSON is json.Marshal that leaves the marks of HTML as they are.
func plainJSON(v any) ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	err := e.Encode(v)
	return bytes.TrimRight(b.Bytes(), "\n"), err
}

// RowJournal keeps the values that a run over rows changes, so that they can be brought back, and how far it has come.
// It is made when the first row is changed.
type RowJournal struct {
	File    string // empty: nothing was written
	Resumed bool   // it goes on where a run was broken off

	dir    string
	head   RowHead
	now    time.Time
	behind database.Key
	f      *os.File
}

// OpenRowJournal returns the journal in a folder of a run that was broken off, if it was about the same, else a new one.
func OpenRowJournal(dir string, head RowHead, now time.Time) (*RowJournal, error) {
	j := &RowJournal{dir: dir, head: head, now: now}
	for _, file := range rowJournals(dir, head.Table) {
		s, err := readRowJournal(file, nil)
		if err != nil {
			return nil, err
		}
		if s.ended || s.undone || !reflect.DeepEqual(s.head, head) {
			continue
		}
		if err := os.Truncate(file, s.size); err != nil { // a line that wasn't written to its end
			return nil, fmt.Errorf("going on with a journal: %w", err)
		}
		if j.f, err = os.OpenFile(file, os.O_APPEND|os.O_WRONLY, 0o600); err != nil {
			return nil, fmt.Errorf("going on with a journal: %w", err)
		}
		j.File, j.Resumed, j.behind = file, true, s.done
		return j, j.add(rowNote{Again: true})
	}
	return j, nil
}

// rowJournals returns the journals of a table.
func rowJournals(dir, table string) []string {
	files, _ := filepath.Glob(filepath.Join(globbed(dir), "relinked-"+plainName(table)+"-*.jsonl"))
	return files
}

// plainName returns a name in which nothing but letters, digits, dots and dashes are.
func plainName(s string) string {
	return strings.Map(func(r rune) rune {
		if r < utf8.RuneSelf && (isAlphanumeric(byte(r)) || strings.ContainsRune("._-", r)) {
			return r
		}
		return '_'
	}, s)
}

// KnownRows tells a linker which values were written by runs before, as the journals of a table in a folder say: relative
// links of a page that moves are written for its new place already.
func KnownRows(dir, table string, l *Linker) error {
	l.written = map[string]bool{}
	for _, file := range rowJournals(dir, table) {
		if _, err := readRowJournal(file, func(n rowNote, _ bool) error {
			for _, c := range n.Cells {
				l.written[c.After] = true
			}
			return nil
		}); err != nil {
			return err
		}
	}
	return nil
}

// note keeps what changes are about to overwrite, and waits until it is on the disk.
func (j *RowJournal) note(changes []database.Change) error {
	if j.f == nil {
		if err := j.create(); err != nil {
			return fmt.Errorf("keeping what is overwritten: %w", err)
		}
	}
	notes := make([]rowNote, len(changes))
	for i, c := range changes {
		notes[i].Key = c.Key
		for n, column := range c.Columns {
			notes[i].Cells = append(notes[i].Cells, cellNote{column.Name, c.Old[n], sum(c.New[n])})
		}
	}
	if err := j.add(notes...); err != nil {
		return err
	}
	if err := j.f.Sync(); err != nil {
		return fmt.Errorf("keeping what is overwritten: %w", err)
	}
	return nil
}

// create makes the file. It holds the site's content, so that nobody else may read it.
func (j *RowJournal) create() (err error) {
	name := filepath.Join(j.dir, "relinked-"+plainName(j.head.Table)+"-"+j.now.UTC().Format(stampForm))
	for n := 1; ; n++ {
		file := name + ".jsonl"
		if n > 1 {
			file = fmt.Sprintf("%s-%d.jsonl", name, n)
		}
		j.f, err = os.OpenFile(file, os.O_APPEND|os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
		if errors.Is(err, os.ErrExist) {
			continue
		}
		if err != nil {
			return err
		}
		j.File = file
		return j.add(rowNote{Head: &j.head})
	}
}

func (j *RowJournal) add(notes ...rowNote) error {
	w := bufio.NewWriter(j.f)
	for i := range notes {
		line, err := plainJSON(&notes[i])
		if err != nil {
			return fmt.Errorf("writing %s: %w", j.File, err)
		}
		_, _ = w.Write(append(line, '\n'))
	}
	if err := w.Flush(); err != nil {
		return fmt.Errorf("keeping what is overwritten: %w", err)
	}
	return nil
}

// done notes that all up to a row is committed, but for some rows that were left alone.
func (j *RowJournal) done(key database.Key, left []database.Key) error {
	if j.f == nil {
		return nil
	}
	return j.add(rowNote{Done: key, Left: left})
}

// finish notes that the run came to its end.
func (j *RowJournal) finish() error {
	if j.f == nil {
		return nil
	}
	return errors.Join(j.add(rowNote{End: true}), j.f.Sync(), j.f.Close())
}

// rowState is how far the run of a journal came.
type rowState struct {
	head          RowHead
	done          database.Key
	ended, undone bool
	size          int64 // of its whole lines
}

// readRowJournal calls each, unless it is nil, with the notes of rows, and whether it is sure that they were committed.
// Errors name the line.
func readRowJournal(file string, each func(n rowNote, sure bool) error) (s rowState, err error) {
	f, err := os.Open(file)
	if err != nil {
		return s, err
	}
	defer func() { _ = f.Close() }()
	r := bufio.NewReaderSize(f, 64<<10)
	var waiting []rowNote // those of the batch that is being read
	flush := func(sure bool) error {
		for _, n := range waiting {
			if err := each(n, sure); err != nil {
				return err
			}
		}
		waiting = waiting[:0]
		return nil
	}
	for line := 1; ; line++ {
		text, err := r.ReadBytes('\n')
		if errors.Is(err, io.EOF) { // what is left wasn't written to its end
			return s, flush(false)
		}
		if err != nil {
			return s, err
		}
		if each == nil && bytes.HasPrefix(text, []byte(`{"key":`)) && bytes.HasSuffix(text, []byte("}\n")) {
			s.size += int64(len(text))
			continue
		}
		var n rowNote
		if err := json.Unmarshal(text, &n); err != nil || line == 1 && n.Head == nil {
			return s, finding.Unreadable(finding.Place{File: file, Line: line}, "this is no line of the journal of a database",
				"name the file that relink --db --write told of")
		}
		s.size += int64(len(text))
		switch {
		case n.Head != nil:
			s.head = *n.Head
		case n.Done != nil:
			waiting = slices.DeleteFunc(waiting, func(w rowNote) bool {
				return slices.ContainsFunc(n.Left, func(k database.Key) bool { return reflect.DeepEqual(k, w.Key) })
			})
			s.done, err = n.Done, flush(true)
		case n.Again:
			err = flush(false)
		case n.Key != nil:
			waiting = append(waiting, n)
		}
		if err != nil {
			return s, err
		}
		s.ended, s.undone = s.ended || n.End, s.undone || n.Undone
	}
}

// ErrOtherJournal says that a journal is of another database.
var ErrOtherJournal = errors.New("this journal is of another database")

// UndoRows brings back the values that a journal keeps, where they are still what that run wrote, and calls each with
// every value that was or wasn't brought back. Errors are ErrNothingWritten where it was undone before, and those of the
// journal and the database.
func UndoRows(ctx context.Context, db *database.DB, file string, each func(Restored)) error {
	s, err := readRowJournal(file, nil)
	switch {
	case err != nil:
		return err
	case s.undone:
		return ErrNothingWritten
	case s.head.Database != db.Name:
		return fmt.Errorf("%w: %s is of %s", ErrOtherJournal, file, s.head.Database)
	}
	tables, err := db.Tables(ctx)
	if err != nil {
		return err
	}
	u := undoing{db: db, each: each, whole: true}
	for i := range tables {
		if tables[i].Name == s.head.Table {
			u.table = &tables[i]
		}
	}
	if u.table == nil {
		return fmt.Errorf("%s has no table %q any more", db.Name, s.head.Table)
	}
	if _, err := readRowJournal(file, func(n rowNote, sure bool) error { return u.add(ctx, n, sure) }); err != nil {
		return err
	}
	if err := u.flush(ctx); err != nil || !u.whole {
		return err
	}
	f, err := os.OpenFile(file, os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	if err := f.Truncate(s.size); err != nil { // a line that wasn't written to its end
		return errors.Join(fmt.Errorf("noting what was undone: %w", err), f.Close())
	}
	j := RowJournal{File: file, f: f}
	return errors.Join(j.add(rowNote{Undone: true}), f.Sync(), f.Close())
}

// undoing brings rows back, some at a time.
type undoing struct {
	db    *database.DB
	table *database.Table
	each  func(Restored)
	whole bool // none stays

	notes []rowNote // of rows that are still to be looked at
	sure  []bool    // whether each was changed for certain
	size  int
}

// add takes up a row; sure says that it was changed for certain.
func (u *undoing) add(ctx context.Context, n rowNote, sure bool) error {
	u.notes, u.sure = append(u.notes, n), append(u.sure, sure)
	for _, cell := range n.Cells {
		u.size += len(cell.Before)
	}
	if len(u.notes) < batchRows && u.size < batchBytes {
		return nil
	}
	return u.flush(ctx)
}

// flush brings back the rows that were taken up.
func (u *undoing) flush(ctx context.Context) error {
	now := make([]database.Change, len(u.notes))
	for i, n := range u.notes {
		now[i].Key = n.Key
		for _, cell := range n.Cells {
			c, ok := u.table.Column(cell.Column)
			if !ok {
				return fmt.Errorf("%s has no column %s any more", u.table.Name, cell.Column)
			}
			now[i].Columns = append(now[i].Columns, c)
		}
	}
	if err := again(ctx, u.db, func() error { return u.table.Get(ctx, now) }); err != nil {
		return err
	}
	var changes []database.Change
	for i, n := range u.notes {
		if change := u.change(n, now[i], u.sure[i]); len(change.Columns) > 0 {
			changes = append(changes, change)
		}
	}
	var why []string
	if err := again(ctx, u.db, func() (err error) {
		why, err = u.table.Apply(ctx, changes)
		return err
	}); err != nil {
		return err
	}
	for i, change := range changes {
		for _, c := range change.Columns {
			u.tell(c.Name, change.Key, why[i])
		}
	}
	u.notes, u.sure, u.size = u.notes[:0], u.sure[:0], 0
	return nil
}

// change returns what a row needs: the values that it had, where it has those that were written.
func (u *undoing) change(n rowNote, now database.Change, sure bool) database.Change {
	change := database.Change{Key: n.Key}
	for i, cell := range n.Cells {
		switch {
		case now.Old == nil:
			u.tell(cell.Column, n.Key, "the row isn't there any more")
		case now.Old[i] != nil && bytes.Equal(now.Old[i], cell.Before): // it was never written, or is back already
		case now.Old[i] != nil && sum(now.Old[i]) == cell.After:
			change.Columns = append(change.Columns, now.Columns[i])
			change.Old, change.New = append(change.Old, now.Old[i]), append(change.New, cell.Before)
		case sure:
			u.tell(cell.Column, n.Key, "it was changed since")
		}
	}
	return change
}

func (u *undoing) tell(column string, key database.Key, why string) {
	u.whole = u.whole && why == ""
	u.each(Restored{placeIn(u.table, column, key), why})
}
