//go:build linux

package database_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/database"
	"young-compass/internal/database/databasetest"
)

// open opens the database of a server.
func open(t *testing.T, url string) *database.DB {
	t.Helper()
	db, err := database.Open(context.Background(), url, database.Secret{})
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	return db
}

// tableOf returns a table of a database.
func tableOf(t *testing.T, db *database.DB, name string) *database.Table {
	t.Helper()
	tables, err := db.Tables(context.Background())
	require.NoError(t, err)
	i := slices.IndexFunc(tables, func(t database.Table) bool { return t.Name == name })
	require.GreaterOrEqual(t, i, 0, name)
	return &tables[i]
}

// column returns a column of a table.
func column(t *testing.T, table *database.Table, name string) database.Column {
	t.Helper()
	c, ok := table.Column(name)
	require.True(t, ok, name)
	return c
}

// readAll reads a table some rows at a time, and shows its keys.
func readAll(t *testing.T, table *database.Table, columns []database.Column, n int) (keys []string, rows []database.Row) {
	t.Helper()
	var behind database.Key
	for {
		read := 0
		require.NoError(t, table.Read(context.Background(), columns, behind, n, func(r database.Row) bool {
			keys, rows = append(keys, table.Show(r.Key)), append(rows, r)
			behind, read = r.Key, read+1
			return true
		}))
		if read == 0 {
			return keys, rows
		}
		require.LessOrEqual(t, len(rows), 1000, "reading goes round in a circle")
	}
}

// Reading goes on behind any kind of key, and each row is found again by what a journal keeps of its key.
func TestKeys(t *testing.T) {
	number := func(i int) any { return i }
	sorts := map[string]map[string]func(i int) any{
		"MariaDB": {
			"INT": number, "BIGINT UNSIGNED": func(i int) any { return uint64(1)<<63 + uint64(i) }, "DECIMAL(20,3)": number,
			"VARCHAR(40)":                      func(i int) any { return fmt.Sprintf("%c é%d\\'\"", 'a'+i%26, i) },
			"VARCHAR(40) COLLATE utf8mb4_bin":  func(i int) any { return fmt.Sprintf("%c%d", []rune("aAbBzZ")[i%6], i) },
			"VARCHAR(40) CHARACTER SET latin1": func(i int) any { return fmt.Sprintf("ü%c%d", 'A'+i%26, i) },
			"BINARY(16)":                       func(i int) any { return fmt.Appendf(nil, "\xff\x00\xfe%013d", i) },
			"DATETIME(6)":                      func(i int) any { return fmt.Sprintf("2026-11-28 10:%02d:%02d.000001", i/60, i%60) },
			"CHAR(8)":                          func(i int) any { return fmt.Sprintf("%d", i) },
			"UUID":                             func(i int) any { return fmt.Sprintf("%08x-0000-1000-8000-00000000000%d", i*7919, i%10) },
			"ENUM('z','b','a','y','c','x','d','w','')": func(i int) any { return string("zbaycxdw"[i%8]) },
		},
		"PostgreSQL": {
			"integer": number, "bigint": func(i int) any { return int64(1)<<62 + int64(i) }, "numeric": func(i int) any { return fmt.Sprint(i, ".5") },
			"text":                             func(i int) any { return fmt.Sprintf("%c é%d\\'\"", 'a'+i%26, i) },
			"varchar(40) COLLATE \"en-x-icu\"": func(i int) any { return fmt.Sprintf("%c%d", []rune("aAbBzZ")[i%6], i) },
			"character(8)":                     func(i int) any { return fmt.Sprint(i) },
			"bytea":                            func(i int) any { return fmt.Appendf(nil, "\xff\x00%d", i) },
			"timestamptz":                      func(i int) any { return fmt.Sprintf("2026-11-28 10:%02d:%02d.000001+02", i/60, i%60) },
			"uuid":                             func(i int) any { return fmt.Sprintf("%08x-0000-1000-8000-00000000000%d", i*7919, i%10) },
			"double precision":                 func(i int) any { return float64(i) / 3 },
			"mood":                             func(i int) any { return string("zbaycxdw"[i%8]) },
		},
	}
	for name, s := range databasetest.All(t) {
		if name == "PostgreSQL" {
			s.Exec(t, "CREATE TYPE mood AS ENUM ('z','b','a','y','c','x','d','w')")
		}
		for _, kind := range slices.Sorted(maps.Keys(sorts[name])) {
			t.Run(name+" "+kind, func(t *testing.T) {
				s.Exec(t, "DROP TABLE IF EXISTS keyed")
				s.Exec(t, "CREATE TABLE keyed (k "+kind+" NOT NULL, n INT NOT NULL, v TEXT, PRIMARY KEY (k, n))")
				insert := "INSERT INTO keyed VALUES (?, ?, ?)"
				if name == "PostgreSQL" {
					insert = "INSERT INTO keyed VALUES ($1, $2, $3)"
				}
				for i := range 100 {
					s.Exec(t, insert, sorts[name][kind](i), i, fmt.Sprint("value ", i))
				}
				table := tableOf(t, open(t, s.URL), "keyed")
				columns := []database.Column{column(t, table, "v")}
				once, rows := readAll(t, table, columns, 1000)
				require.Len(t, once, 100)
				for _, n := range []int{1, 7, 99, 100, 101} {
					some, _ := readAll(t, table, columns, n)
					assert.Equal(t, once, some, n)
				}
				for _, row := range rows {
					text, err := json.Marshal(row.Key)
					require.NoError(t, err)
					var key database.Key
					require.NoError(t, json.Unmarshal(text, &key))
					again := []database.Change{{Key: key, Columns: columns}}
					require.NoError(t, table.Get(context.Background(), again))
					assert.Equal(t, row.Values, again[0].Old, string(text))
				}
				var last []string
				require.NoError(t, table.Last(context.Background(), columns, 3, func(r database.Row) bool {
					last = append(last, table.Show(r.Key))
					return true
				}))
				slices.Reverse(last)
				assert.Equal(t, once[97:], last)
			})
		}
	}
}

// A value is written as the bytes that it is, in any character set, and only over what it was.
func TestApply(t *testing.T) {
	texts := map[string][]string{
		"MariaDB": {"TEXT", "VARCHAR(100) CHARACTER SET latin1", "TEXT CHARACTER SET utf16", "TEXT CHARACTER SET sjis", "BLOB", "JSON",
			"CHAR(100) CHARACTER SET ascii", "TEXT CHARACTER SET utf8mb3 COLLATE utf8mb3_general_ci", "LONGBLOB"},
		"PostgreSQL": {"text", "varchar(100)", "character(100)", "bytea", "json", "jsonb", "xml", "text COLLATE \"en-x-icu\""},
	}
	for name, s := range databasetest.All(t) {
		for _, kind := range texts[name] {
			t.Run(name+" "+kind, func(t *testing.T) {
				s.Exec(t, "DROP TABLE IF EXISTS written")
				changed := "changed TIMESTAMP DEFAULT '2020-01-01 00:00:00'"
				if name == "MariaDB" {
					changed += " ON UPDATE CURRENT_TIMESTAMP"
				}
				s.Exec(t, "CREATE TABLE written (id INT PRIMARY KEY, v "+kind+", "+changed+")")
				old := `{"a": "ü \\ ' x"}`
				switch {
				case strings.Contains(kind, "ascii"), strings.Contains(kind, "sjis"):
					old = `{"a": "\\ ' x"}`
				case kind == "xml":
					old = "<a>ü</a>"
				}
				insert := strings.ReplaceAll(strings.ReplaceAll(old, `\`, `\\`), "'", "''")
				if name == "PostgreSQL" && kind != "bytea" {
					insert = strings.ReplaceAll(old, "'", "''")
				}
				s.Exec(t, "INSERT INTO written (id, v) VALUES (1, '"+insert+"')")
				s.Exec(t, "INSERT INTO written (id, v) VALUES (2, '"+insert+"')")
				s.Exec(t, "INSERT INTO written (id, v) VALUES (3, NULL)")
				table := tableOf(t, open(t, s.URL), "written")
				columns := []database.Column{column(t, table, "v")}
				_, rows := readAll(t, table, columns, 10)
				require.Len(t, rows, 3)
				assert.Nil(t, rows[2].Values[0])
				if kind != "jsonb" && !strings.Contains(kind, "latin1") {
					require.Equal(t, old, string(rows[0].Values[0]))
				}
				new := strings.Replace(string(rows[0].Values[0]), "x", "yz", 1)
				new = strings.Replace(new, "<a>", "<a>1", 1)
				require.True(t, columns[0].Holds([]byte(new)))
				changes := []database.Change{
					{Key: rows[0].Key, Columns: columns, Old: rows[0].Values, New: [][]byte{[]byte(new)}},
					{Key: rows[1].Key, Columns: columns, Old: [][]byte{bytes.ToUpper(rows[1].Values[0])}, New: [][]byte{[]byte(new)}},
					{Key: database.Key{int64(4)}, Columns: columns, Old: rows[0].Values, New: [][]byte{[]byte(new)}}}
				if name == "PostgreSQL" {
					changes[2].Key = database.Key{"4"}
				}
				for range 2 { // the second time it is there already
					why, err := table.Apply(context.Background(), changes)
					require.NoError(t, err)
					assert.Equal(t, []string{"", "another client changed it meanwhile", "it isn't there any more"}, why)
				}
				_, after := readAll(t, table, columns, 10)
				assert.Equal(t, new, string(after[0].Values[0]))
				assert.Equal(t, rows[1:], after[1:])
				assert.Equal(t, "3", s.Text(t, "SELECT count(*) FROM written WHERE changed = '2020-01-01 00:00:00'"))
			})
		}
	}
}

// What a database refuses is left, and all else is written.
func TestApplyLeavesWhatIsRefused(t *testing.T) {
	for name, s := range databasetest.All(t) {
		t.Run(name, func(t *testing.T) {
			db := open(t, s.URL)
			s.Exec(t, "CREATE TABLE checked (id INT PRIMARY KEY, v VARCHAR(5) UNIQUE, w TEXT, CHECK (w <> 'no'))")
			for i := range 6 {
				s.Exec(t, fmt.Sprintf("INSERT INTO checked VALUES (%d, 'v%d', 'é')", i, i))
			}
			table := tableOf(t, db, "checked")
			v, w := column(t, table, "v"), column(t, table, "w")
			assert.True(t, v.Holds([]byte("ééééé")))
			assert.False(t, v.Holds([]byte("éééééé")))
			assert.False(t, v.Holds([]byte("\xff")))
			_, rows := readAll(t, table, []database.Column{v, w}, 10)
			change := func(row int, c database.Column, old, new string) database.Change {
				return database.Change{Key: rows[row].Key, Columns: []database.Column{c}, Old: [][]byte{[]byte(old)}, New: [][]byte{[]byte(new)}}
			}
			other, err := s.SQL.Begin()
			require.NoError(t, err)
			_, err = other.Exec("UPDATE checked SET w = 'mine' WHERE id = 3")
			require.NoError(t, err)
			why, err := table.Apply(context.Background(), []database.Change{change(0, v, "v0", "new"), change(1, v, "v1", "toolong"),
				change(2, v, "v2", "v4"), change(3, w, "é", "x"), change(4, w, "é", "no"), change(5, w, "é", "x")})
			require.NoError(t, err)
			require.NoError(t, other.Commit())
			assert.Empty(t, why[0])
			assert.Contains(t, why[1], "oo long")
			assert.Contains(t, strings.ToLower(why[2]), "duplicate")
			assert.Equal(t, "another client keeps it locked", why[3])
			assert.Contains(t, strings.ToLower(why[4]), "constraint")
			assert.Empty(t, why[5])
			assert.Equal(t, "mine", s.Text(t, "SELECT w FROM checked WHERE id = 3"))
			assert.Equal(t, "2", s.Text(t, "SELECT count(*) FROM checked WHERE v = 'new' OR w = 'x'"))

			held, err := s.SQL.Begin()
			require.NoError(t, err)
			_, err = held.Exec("UPDATE checked SET w = 'held'")
			require.NoError(t, err)
			all := []database.Change{change(1, v, "v1", "n1"), change(2, v, "v2", "n2"), change(3, v, "v3", "n3"), change(4, v, "v4", "n4")}
			_, err = table.Apply(context.Background(), all)
			require.ErrorIs(t, err, database.ErrLocked, "it doesn't wait for each of very many rows")
			require.NoError(t, held.Rollback())
			_, err = table.Apply(context.Background(), all)
			require.NoError(t, err)
		})
	}
}

// A connection that was killed is lost, and the next one does.
func TestLost(t *testing.T) {
	for name, s := range databasetest.All(t) {
		t.Run(name, func(t *testing.T) {
			db := open(t, s.URL)
			s.Exec(t, "CREATE TABLE lost (id INT PRIMARY KEY, v TEXT)")
			s.Exec(t, "INSERT INTO lost VALUES (1, 'a'), (2, 'b')")
			table := tableOf(t, db, "lost")
			columns := []database.Column{column(t, table, "v")}
			get := func() error {
				return table.Get(context.Background(), []database.Change{{Key: database.Key{"1"}, Columns: columns}})
			}
			s.KillOthers(t)
			var err error
			for range 3 {
				if err = get(); err == nil {
					break
				}
				assert.True(t, db.Lost(err), err)
			}
			require.NoError(t, err)
			s.Stop()
			for range 100 { // what served the connection may outlive its server for a moment
				if err = get(); err != nil {
					break
				}
				time.Sleep(20 * time.Millisecond)
			}
			assert.True(t, db.Lost(err), err)
			s.Start(t)
			for range 3 {
				if err = get(); err == nil {
					break
				}
			}
			require.NoError(t, err)
		})
	}
}

// Tables says what can be changed, and by which key.
func TestTables(t *testing.T) {
	statements := map[string][]string{
		"MariaDB": {"CREATE TABLE `a``b` (id INT AUTO_INCREMENT PRIMARY KEY, `it's` TEXT, g VARCHAR(9) AS (CONCAT(`it's`, '!')) STORED, e ENUM('a'))",
			"CREATE TABLE unkeyed (v TEXT, u INT UNIQUE)", "CREATE TABLE uniquely (v TEXT, u INT NOT NULL UNIQUE)",
			"CREATE TABLE partly (u VARCHAR(100) NOT NULL, UNIQUE (u(10)))", "CREATE VIEW seen AS SELECT v FROM unkeyed", "CREATE SEQUENCE counted"},
		"PostgreSQL": {"CREATE TABLE \"a`b\" (id SERIAL PRIMARY KEY, \"it's\" TEXT, g TEXT GENERATED ALWAYS AS (\"it's\" || '!') STORED, e point)",
			"CREATE TABLE unkeyed (v TEXT, u INT UNIQUE)", "CREATE TABLE uniquely (v TEXT, u INT NOT NULL UNIQUE)",
			"CREATE TABLE partly (u TEXT NOT NULL)", "CREATE UNIQUE INDEX ON partly (u) WHERE u > 'a'", "CREATE UNIQUE INDEX ON partly (lower(u))",
			"CREATE VIEW seen AS SELECT v FROM unkeyed", "CREATE SEQUENCE counted", "CREATE SCHEMA blog", "CREATE TABLE blog.posts (id INT PRIMARY KEY, v TEXT)"},
		"SQLite": {"CREATE TABLE `a``b` (id INTEGER PRIMARY KEY, `it's` TEXT, g TEXT GENERATED ALWAYS AS (`it's` || '!'), e REAL)",
			"CREATE TABLE unkeyed (v TEXT, rowid INT, _rowid_ INT, oid INT)", "CREATE TABLE uniquely (v TEXT, u INT NOT NULL UNIQUE)",
			"CREATE TABLE partly (a TEXT, b TEXT, PRIMARY KEY (b, a)) WITHOUT ROWID", "CREATE VIEW seen AS SELECT v FROM unkeyed",
			"CREATE VIRTUAL TABLE found USING fts5(v)"},
	}
	keys := map[string]map[string]string{
		"MariaDB":    {"a`b": "id", "uniquely": "u", "unkeyed": "", "partly": "", "seen": "", "counted": ""},
		"PostgreSQL": {"a`b": "id", "uniquely": "u", "unkeyed": "", "partly": "", "seen": "", "blog.posts": "id"},
		"SQLite":     {"a`b": "id", "uniquely": "rowid", "unkeyed": "", "partly": "b a", "seen": "", "found": ""},
	}
	servers := databasetest.All(t)
	servers["SQLite"] = databasetest.SQLite(t)
	for name, s := range servers {
		t.Run(name, func(t *testing.T) {
			for _, statement := range statements[name] {
				s.Exec(t, statement)
			}
			tables, err := open(t, s.URL).Tables(context.Background())
			require.NoError(t, err)
			found := map[string]string{}
			for _, table := range tables {
				if strings.HasPrefix(table.Name, "found_") {
					assert.NotEmpty(t, table.Problem)
					continue
				}
				var names []string
				for _, c := range table.Key {
					names = append(names, c.Name)
				}
				found[table.Name] = strings.Join(names, " ")
				assert.Equal(t, found[table.Name] == "", table.Problem != "", "%s: %s", table.Name, table.Problem)
				if table.Name == "a`b" {
					assert.Equal(t, database.Text, column(t, &table, "it's").Kind)
					assert.True(t, column(t, &table, "g").Generated)
					assert.False(t, column(t, &table, "it's").Generated)
					assert.Equal(t, database.Other, column(t, &table, "e").Kind)
				}
			}
			assert.Equal(t, keys[name], found)
		})
	}
}

// SQLite keeps texts texts, and bytes bytes, whatever a column was declared as.
func TestSQLiteTypes(t *testing.T) {
	s := databasetest.SQLite(t)
	s.Exec(t, "CREATE TABLE kinds (k DATETIME, v, PRIMARY KEY (k)) WITHOUT ROWID")
	s.Exec(t, "INSERT INTO kinds VALUES ('2026-11-28 10:00:00', 'text'), (7, x'00ff'), ('x', 8)")
	db := open(t, s.URL)
	table := tableOf(t, db, "kinds")
	columns := []database.Column{column(t, table, "v")}
	keys, rows := readAll(t, table, columns, 1)
	assert.Equal(t, []string{"k=7", "k=2026-11-28 10:00:00", "k=x"}, keys)
	var changes []database.Change
	for _, r := range rows {
		changes = append(changes, database.Change{Key: r.Key, Columns: columns, Old: r.Values, New: [][]byte{append(r.Values[0], 'n')}})
	}
	why, err := table.Apply(context.Background(), changes[:2])
	require.NoError(t, err)
	assert.Equal(t, []string{"", ""}, why)
	assert.Equal(t, "text", s.Text(t, "SELECT typeof(v) FROM kinds WHERE v = 'textn'"))
	assert.Equal(t, "blob", s.Text(t, "SELECT typeof(v) FROM kinds WHERE v = x'00ff6e'"))
}

// A query reads, and can do nothing else.
func TestQuery(t *testing.T) {
	servers := databasetest.All(t)
	servers["SQLite"] = databasetest.SQLite(t)
	for name, s := range servers {
		t.Run(name, func(t *testing.T) {
			s.Exec(t, "CREATE TABLE pages (id INT PRIMARY KEY, title TEXT, hits FLOAT)")
			s.Exec(t, "INSERT INTO pages VALUES (1, 'Häfen', 1.5), (2, NULL, NULL)")
			db := open(t, s.URL)
			var rows [][]string
			add := func(row []string) error { rows = append(rows, row); return nil }
			require.NoError(t, db.Query(context.Background(), "SELECT id AS page, title, hits FROM pages ORDER BY id", add))
			assert.Equal(t, [][]string{{"page", "title", "hits"}, {"1", "Häfen", "1.5"}, {"2", "", ""}}, rows)
			require.Error(t, db.Query(context.Background(), "SELECT nothing FROM pages", add))
			require.Error(t, db.Query(context.Background(), "DELETE FROM pages", add))
			require.Error(t, db.Query(context.Background(), "UPDATE pages SET title = 'x'", add))
			assert.Equal(t, "2", s.Text(t, "SELECT count(*) FROM pages"))
			assert.Equal(t, "0", s.Text(t, "SELECT count(*) FROM pages WHERE title = 'x'"))
		})
	}
}

// The password comes from where it belongs, and is never shown.
func TestPasswords(t *testing.T) {
	servers := databasetest.All(t)
	servers["MariaDB"].Exec(t, "CREATE USER editor@'127.0.0.1' IDENTIFIED BY 'Sun Rise='; GRANT ALL ON site.* TO editor@'127.0.0.1'")
	servers["PostgreSQL"].Exec(t, "CREATE USER editor PASSWORD 'Sun Rise='; ALTER USER postgres PASSWORD 'other'")
	servers["PostgreSQL"].AskPassword(t)
	for name, s := range servers {
		t.Run(name, func(t *testing.T) {
			home := t.TempDir()
			t.Setenv("HOME", home)
			url := strings.NewReplacer("root@", "editor@", "postgres@", "editor@").Replace(s.URL)
			try := func(url string, secret database.Secret) error {
				db, err := database.Open(context.Background(), url, secret)
				if err == nil {
					return db.Close()
				}
				assert.NotContains(t, err.Error(), "Sun Rise")
				return err
			}
			require.Error(t, try(url, database.Secret{}), "without a password")
			file := filepath.Join(t.TempDir(), "password")
			require.NoError(t, os.WriteFile(file, []byte("Sun Rise=\n"), 0o600))
			require.NoError(t, try(url, database.Secret{File: file}))
			require.Error(t, try(url, database.Secret{File: file + "?"}))
			for _, variable := range []string{database.PasswordVariable, map[string]string{"MariaDB": "MYSQL_PWD", "PostgreSQL": "PGPASSWORD"}[name]} {
				t.Setenv(variable, "Sun Rise=")
				require.NoError(t, try(url, database.Secret{}), variable)
				t.Setenv(variable, "Sun Set")
				require.Error(t, try(url, database.Secret{}), variable)
				require.NoError(t, os.Unsetenv(variable))
			}
			require.NoError(t, os.WriteFile(filepath.Join(home, ".my.cnf"), []byte("[server]\npassword=no\n[client]\nuser = x\npassword = \"Sun Rise=\"\n"), 0o600))
			require.NoError(t, os.WriteFile(filepath.Join(home, ".pgpass"), []byte("127.0.0.1:*:site:editor:Sun Rise=\n"), 0o600))
			require.NoError(t, try(url, database.Secret{}), "the client's own file")
			for _, bad := range []string{strings.Replace(url, "editor@", "editor:Sun%20Rise=@", 1), url + "?password=Sun%20Rise="} {
				require.ErrorIs(t, try(bad, database.Secret{}), database.ErrURL)
			}
		})
	}
	for _, bad := range []string{"", "content.db", "oracle://x/y", "mysql://root@127.0.0.1", "mysql://x/y?charset=latin1", "mysql://a:b c@x/y"} {
		_, err := database.Open(context.Background(), bad, database.Secret{})
		require.ErrorIs(t, err, database.ErrURL, bad)
	}
	none := filepath.Join(t.TempDir(), "none.db")
	_, err := database.Open(context.Background(), "sqlite:"+none, database.Secret{})
	require.ErrorIs(t, err, os.ErrNotExist)
	assert.NoFileExists(t, none)
}
