//go:build linux

package relink_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"young-compass/internal/database"
	"young-compass/internal/database/databasetest"
	"young-compass/internal/relink"
)

// Where the old values can't be kept, no row is changed.
func TestNoRowIsChangedWithoutItsJournal(t *testing.T) {
	s := databasetest.SQLite(t)
	const body = `<a href="http://www.skerrywick.example/harbours">x</a>`
	s.Exec(t, "CREATE TABLE post (id INTEGER PRIMARY KEY, body TEXT)")
	s.Exec(t, "INSERT INTO post VALUES (1, ?)", body)
	db, err := database.Open(context.Background(), s.URL, database.Secret{})
	require.NoError(t, err)
	defer func() { _ = db.Close() }()
	tables, err := db.Tables(context.Background())
	require.NoError(t, err)
	columns, err := relink.ColumnsOf(&tables[0], []string{"body"})
	require.NoError(t, err)
	rows := relink.Rows{Table: &tables[0], Columns: columns}
	dir := filepath.Join(t.TempDir(), "journals")
	run := func() error {
		journal, err := relink.OpenRowJournal(dir, relink.RowHead{Table: "post", Columns: []string{"body"}}, time.Now())
		require.NoError(t, err)
		_, err = relink.New(ferries(t), relink.AsWritten).Rows(context.Background(), db, rows, journal,
			func(relink.Document) error { return nil })
		return err
	}
	stored := func() string { return s.Text(t, "SELECT body FROM post") }
	require.ErrorContains(t, run(), "keeping what is overwritten")
	require.Equal(t, body, stored())

	require.NoError(t, os.Mkdir(dir, 0o700))
	require.NoError(t, run())
	require.Equal(t, `<a href="https://skerrywick.example/ports">x</a>`, stored())
}
