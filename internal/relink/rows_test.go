//go:build linux

package relink_test

import (
	"bytes"
	"context"
	"database/sql"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/database"
	"young-compass/internal/database/databasetest"
	"young-compass/internal/relink"
)

var tableRows = flag.Int("rows", 20_000, "how many rows the large table has")

// rowsOf makes the rows of a table, each before and after: HTML, JSON, a serialised value, and one with any bytes.
type rowsOf struct{ html, json, text, bytes []pair }

// different is how many contents there are; more rows have them again.
const different = 4_000

func makeRows() (r rowsOf) {
	for i := range different {
		b := baker{rand.New(rand.NewPCG(140, uint64(i)))}
		text := func(make func(int) pair) (p pair) {
			for p = make(4); strings.Contains(p[0], "\x00"); p = make(4) { // which PostgreSQL has in no text
			}
			return p
		}
		r.html, r.json = append(r.html, text(b.page)), append(r.json, text(b.object))
		r.text, r.bytes = append(r.text, text(b.value)), append(r.bytes, b.value(4))
	}
	return r
}

// row returns the values of a row; side is 0 for before, 1 for after.
func (r rowsOf) row(id, side int) []string {
	i := id % different
	return []string{fmt.Sprintf("<!-- %d -->", id) + r.html[i][side], r.json[i][side], r.text[i][side], r.bytes[i][side]}
}

var contentColumns = []string{"body", "data", "settings", "raw"}

// fill makes the table content.
func fill(t *testing.T, s *databasetest.Server, r rowsOf, n int) {
	t.Helper()
	kinds := "body LONGTEXT, data JSON, settings LONGTEXT, raw LONGBLOB"
	if strings.HasPrefix(s.URL, "postgres") {
		kinds = "body TEXT, data JSON, settings TEXT, raw BYTEA"
	}
	s.Exec(t, "CREATE TABLE content (id INT PRIMARY KEY, "+kinds+")")
	const many = 250
	for id := 0; id < n; id += many {
		var list []string
		var args []any
		for i := id; i < min(id+many, n); i++ {
			args = append(args, i)
			for _, v := range r.row(i, 0) {
				args = append(args, []byte(v))
			}
			args[len(args)-2], args[len(args)-3], args[len(args)-4] = r.row(i, 0)[2], r.row(i, 0)[1], r.row(i, 0)[0]
			params := []string{"?", "?", "?", "?", "?"}
			if strings.HasPrefix(s.URL, "postgres") {
				for j := range params {
					params[j] = "$" + strconv.Itoa(len(args)-4+j)
				}
			}
			list = append(list, "("+strings.Join(params, ",")+")")
		}
		s.Exec(t, "INSERT INTO content VALUES "+strings.Join(list, ","), args...)
	}
}

// holds requires that the table has the rows, but for one.
func holds(t *testing.T, db *sql.DB, r rowsOf, n, side, but int, columns ...string) {
	t.Helper()
	rows, err := db.Query("SELECT id, " + strings.Join(columns, ", ") + " FROM content ORDER BY id")
	require.NoError(t, err)
	defer func() { _ = rows.Close() }()
	id := 0
	for ; rows.Next(); id++ {
		var got int
		values := make([]sql.RawBytes, len(columns))
		targets := []any{&got}
		for i := range values {
			targets = append(targets, &values[i])
		}
		require.NoError(t, rows.Scan(targets...))
		require.Equal(t, id, got)
		if id == but {
			continue
		}
		want := r.row(id, side)
		for i := range columns {
			if !bytes.Equal([]byte(want[i]), values[i]) { // which is quicker than require
				require.Equal(t, want[i], string(values[i]), "row %d, %s", id, columns[i])
			}
		}
		for i := 2; i < len(columns); i++ {
			left, err := readPHP(string(values[i]))
			require.NoError(t, err, "row %d, %s", id, columns[i])
			require.Empty(t, left)
		}
	}
	require.NoError(t, rows.Err())
	require.Equal(t, n, id)
}

// readPHP reads one serialised value, and returns what is behind it. A length that is wrong is an error.
func readPHP(s string) (rest string, err error) {
	until := func(mark string) (string, bool) {
		before, after, ok := strings.Cut(s, mark)
		s = after
		return before, ok
	}
	kind, _ := until(":")
	switch kind {
	case "i", "b", "d":
		_, ok := until(";")
		if !ok {
			return "", fmt.Errorf("no end: %q", s)
		}
		return s, nil
	case "s", "O":
		length, _ := until(":")
		n, err := strconv.Atoi(length)
		if err != nil || len(s) < n+3 || s[0] != '"' || s[n+1] != '"' {
			return "", fmt.Errorf("%s is the wrong length of %.50q", length, s)
		}
		inner := s[1 : n+1]
		if len(inner) > 4 && strings.Contains("saO", inner[:1]) && inner[1] == ':' { // it may be serialised itself
			if left, err := readPHP(inner); err != nil || left != "" {
				return "", fmt.Errorf("in a string: %w, %q", err, left)
			}
		}
		end := s[n+2]
		if s = s[n+3:]; kind == "s" {
			if end != ';' {
				return "", fmt.Errorf("no semicolon before %.50q", s)
			}
			return s, nil
		}
	case "a":
	default:
		return "", fmt.Errorf("%.50q is no value", s)
	}
	count, _ := until(":{")
	n, err := strconv.Atoi(count)
	if err != nil {
		return "", err
	}
	for range 2 * n {
		if s, err = readPHP(s); err != nil {
			return "", err
		}
	}
	if !strings.HasPrefix(s, "}") {
		return "", fmt.Errorf("no end of %s pairs before %.50q", count, s)
	}
	return s[1:], nil
}

// client opens the database, and finds the rows.
func client(t *testing.T, s *databasetest.Server) (*database.DB, relink.Rows) {
	t.Helper()
	db, err := database.Open(context.Background(), s.URL, database.Secret{})
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	tables, err := db.Tables(context.Background())
	require.NoError(t, err)
	rows := relink.Rows{}
	for i := range tables {
		if tables[i].Name == "content" {
			rows.Table = &tables[i]
		}
	}
	require.NotNil(t, rows.Table)
	rows.Columns, err = relink.ColumnsOf(rows.Table, contentColumns)
	require.NoError(t, err)
	return db, rows
}

func ignore(relink.Document) error { return nil }

// A large table is relinked, through killed connections, a server that stops, and another client's edits; what its own
// dump says, relinked as a file, is the same; and all comes back.
func TestRowsOfRealServers(t *testing.T) {
	if testing.Short() {
		t.Skip("a large table takes too long with the race detector")
	}
	n := *tableRows / 10_000 * 10_000 // so that its tenths are whole batches
	edited := n / 10 * 7
	content := makeRows()
	for name, s := range databasetest.All(t) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			ctx := context.Background()
			begin := time.Now()
			took := func(what string) {
				t.Logf("%s: %.1f s", what, time.Since(begin).Seconds())
				begin = time.Now()
			}
			fill(t, s, content, n)
			took("making the table")
			before := filepath.Join(t.TempDir(), "content.sql")
			dump(t, s, before)
			took("dumping it")

			linker := relink.New(ferries(t), relink.AsWritten)
			db, rows := client(t, s)
			links := 0
			read, err := linker.Rows(ctx, db, rows, nil, func(d relink.Document) error { links += len(d.Links); return nil })
			require.NoError(t, err)
			require.Equal(t, n, read)
			took(fmt.Sprint("a dry run, ", links, " links"))
			holds(t, s.SQL, content, n, 0, -1, contentColumns...)

			dir := t.TempDir()
			head := relink.RowHead{Database: db.Name, Table: "content", Columns: contentColumns}
			journal, err := relink.OpenRowJournal(dir, head, time.Now())
			require.NoError(t, err)
			require.False(t, journal.Resumed)
			done := 0
			rows.Read = func(more int) {
				switch done += more; done {
				case n / 10 * 3:
					s.KillOthers(t)
				case n / 2:
					s.Stop()
				}
			}
			_, err = linker.Rows(ctx, db, rows, journal, ignore)
			require.Error(t, err)
			require.True(t, db.Lost(err), err)
			took("relinking half of it")
			s.Start(t)

			db, rows = client(t, s)
			file := journal.File
			journal, err = relink.OpenRowJournal(dir, head, time.Now())
			require.NoError(t, err)
			require.True(t, journal.Resumed)
			require.Equal(t, file, journal.File)
			other, err := s.SQL.Begin()
			require.NoError(t, err)
			_, err = other.Exec("UPDATE content SET body = 'edited' WHERE id = " + strconv.Itoa(edited))
			require.NoError(t, err)
			done = n / 2
			rows.Read = func(more int) {
				if done += more; done == edited {
					time.AfterFunc(500*time.Millisecond, func() { assert.NoError(t, other.Commit()) })
				}
			}
			var left []relink.Document
			read, err = linker.Rows(ctx, db, rows, journal, func(d relink.Document) error {
				if d.Problem != "" {
					left = append(left, d)
				}
				return nil
			})
			require.NoError(t, err)
			assert.Equal(t, n-n/2, read, "it goes on behind the last batch that was committed")
			require.NotEmpty(t, left)
			for _, d := range left {
				assert.Contains(t, d.Path, fmt.Sprint("id=", edited))
				assert.Equal(t, "another client changed it meanwhile", d.Problem)
			}
			assert.Equal(t, "edited", s.Text(t, "SELECT body FROM content WHERE id = "+strconv.Itoa(edited)))
			holds(t, s.SQL, content, n, 1, edited, contentColumns...)
			took("relinking the rest, and looking at it")

			second, err := relink.OpenRowJournal(dir, head, time.Now())
			require.NoError(t, err)
			require.False(t, second.Resumed)
			changes := 0
			_, err = linker.Rows(ctx, db, relink.Rows{Table: rows.Table, Columns: rows.Columns}, second, func(d relink.Document) error {
				if d.Changed() && !strings.Contains(d.Path, fmt.Sprint("id=", edited)) {
					changes++
				}
				return nil
			})
			require.NoError(t, err)
			assert.Zero(t, changes, "a second run changes nothing")
			took("a second run")

			asFile(t, before)
			took("relinking the dump")
			text, err := os.Open(before)
			require.NoError(t, err)
			defer func() { _ = text.Close() }()
			load := exec.Command(s.Load[0], s.Load[1:]...)
			load.Stdin = text
			out, err := load.CombinedOutput()
			require.NoError(t, err, string(out))
			took("loading it")
			columns := contentColumns
			if name == "PostgreSQL" {
				columns = columns[:3] // it dumps bytes as hexadecimal digits, which stay
			}
			holds(t, s.Else, content, n, 1, -1, columns...)
			took("looking at it")

			stays := 0
			undo := func(r relink.Restored) {
				if r.Problem != "" {
					stays++
				}
			}
			require.NoError(t, relink.UndoRows(ctx, db, file, undo))
			assert.Zero(t, stays, "the row that somebody edited was never written")
			holds(t, s.SQL, content, n, 0, edited, contentColumns...)
			assert.Equal(t, "edited", s.Text(t, "SELECT body FROM content WHERE id = "+strconv.Itoa(edited)))
			require.ErrorIs(t, relink.UndoRows(ctx, db, file, undo), relink.ErrNothingWritten)
			took("undoing it, and looking at it")
		})
	}
}

// dump writes what the server's own command dumps.
func dump(t *testing.T, s *databasetest.Server, file string) {
	t.Helper()
	f, err := os.Create(file)
	require.NoError(t, err)
	command := exec.Command(s.Dump[0], s.Dump[1:]...)
	var trouble bytes.Buffer
	command.Stdout, command.Stderr = f, &trouble
	require.NoError(t, command.Run(), "%s", &trouble)
	require.NoError(t, f.Close())
}

// asFile relinks a file.
func asFile(t *testing.T, file string) {
	t.Helper()
	linker := relink.New(ferries(t), relink.AsWritten)
	journal := relink.NewJournal(filepath.Join(t.TempDir(), relink.JournalFile), time.Now())
	written := 0
	require.NoError(t, linker.Files(file, "", nil, func(d relink.Document) error {
		require.Equal(t, relink.SQL, d.Form)
		written++
		_, err := journal.Write(d)
		return err
	}))
	require.Equal(t, 1, written)
}
