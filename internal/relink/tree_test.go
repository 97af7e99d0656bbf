package relink_test

import (
	"encoding/binary"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/relink"
)

// documents returns what becomes of the files of a path, by their names below dir.
func documents(t *testing.T, dir, name string, base string) map[string]relink.Document {
	t.Helper()
	var at *address.Address
	if base != "" {
		a, err := address.Parse(base)
		require.NoError(t, err)
		at = &a
	}
	found := map[string]relink.Document{}
	err := relink.New(ferries(t), relink.AsWritten).Files(filepath.Join(dir, name), "", at, func(d relink.Document) error {
		short, err := filepath.Rel(dir, d.Path)
		require.NoError(t, err)
		found[short] = d
		return nil
	})
	require.NoError(t, err)
	return found
}

func write(t *testing.T, dir, name, text string) {
	t.Helper()
	file := filepath.Join(dir, name)
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(t, os.WriteFile(file, []byte(text), 0o640))
}

func TestFiles(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"site/index.html":        `<a href="harbours"><a href="http://skerrywick.example/Ports">`,
		"site/old/tides.html":    `<a href="../harbours">`, // it moves to /guides/tides
		"site/own.html":          `<link rel=canonical href="https://skerrywick.example/guides/tides"><a href="../harbours">`,
		"site/a.css":             `a{b:url(/harbours)}`,
		"site/data":              ` {"url": "/harbours"}`,
		"site/feed.xml":          `<link href="/harbours"/>`,
		"site/dump.sql":          `INSERT INTO t VALUES ('http://skerrywick.example/harbours');`,
		"site/notes.md":          "[a](/harbours)\n",
		"site/x.js":              "a('http://skerrywick.example/harbours', '/harbours')",
		"site/empty.html":        "",
		"site/picture.png":       "\x89PNG\x00/harbours",
		"site/.git/config":       "http://skerrywick.example/harbours",
		"site/latin.html":        "<p>caf\xe9 <a href='/harbours'>\xff</a>",
		"site/what.2026-01.bak":  "http://skerrywick.example/harbours",
		"site/a b & c/spaced.md": "[a](../harbours)",
		"outside/secret.html":    `<a href="/harbours">`,
	} {
		write(t, dir, name, text)
	}
	require.NoError(t, os.Symlink(filepath.Join(dir, "outside/secret.html"), filepath.Join(dir, "site/link.html")))
	got := documents(t, dir, "site", "https://skerrywick.example/")
	texts := map[string]string{}
	for name, d := range got {
		texts[strings.TrimPrefix(name, "site/")] = string(d.After) + d.Problem
	}
	assert.Equal(t, map[string]string{
		"index.html":        `<a href="ports"><a href="https://skerrywick.example/ports">`,
		"old/tides.html":    `<a href="../ports">`,
		"own.html":          `<link rel=canonical href="https://skerrywick.example/guides/tides"><a href="ports">`,
		"a.css":             `a{b:url(/ports)}`,
		"data":              ` {"url": "/ports"}`,
		"feed.xml":          `<link href="/ports"/>`,
		"dump.sql":          `INSERT INTO t VALUES ('https://skerrywick.example/ports');`,
		"notes.md":          "[a](/ports)\n",
		"x.js":              "a('https://skerrywick.example/ports', '/harbours')",
		"empty.html":        "",
		"latin.html":        "<p>caf\xe9 <a href='/ports'>\xff</a>",
		"a b & c/spaced.md": "[a](../ports)",
		"link.html":         "a symbolic link, which is not followed",
	}, texts)
	own := documents(t, dir, "site/own.html", "")["site/own.html"]
	assert.Contains(t, string(own.After), `href="../ports"`, "a page that says where it stands")
	lost := documents(t, dir, "site/index.html", "")["site/index.html"]
	assert.Contains(t, string(lost.After), `href="harbours"`)
	assert.Equal(t, relink.Unplaced, lost.Links[0].Reason)
}

func TestUTF16(t *testing.T) {
	for name, order := range map[string]binary.AppendByteOrder{"little": binary.LittleEndian, "big": binary.BigEndian} {
		t.Run(name, func(t *testing.T) {
			wide := func(s string) (b []byte) {
				for _, u := range utf16.Encode([]rune("\ufeff" + s)) {
					b = order.AppendUint16(b, u)
				}
				return b
			}
			l := relink.New(ferries(t), relink.AsWritten)
			page := at(t, l, "https://skerrywick.example/ports")
			got, links := l.Relink(wide("/harbours 😀\n<a title='é' href='/harbours'>"), relink.HTML, page)
			assert.Equal(t, string(wide("/harbours 😀\n<a title='é' href='/ports'>")), string(got))
			require.Len(t, links, 1)
			assert.Equal(t, 2, links[0].Line)
		})
	}
}

func TestWriteAndUndo(t *testing.T) {
	dir := t.TempDir()
	journal := filepath.Join(dir, relink.JournalFile)
	day := time.Date(2026, 11, 28, 9, 0, 0, 0, time.UTC)
	_, err := relink.Undo(journal, day)
	require.ErrorIs(t, err, relink.ErrNothingWritten)
	old := map[string]string{"site/a[1].html": `<a href="/harbours">1</a>`, "site/b.html": `<a href="/harbours">2</a>`,
		"site/c.html": `<a href="/ports">3</a>`}
	for name, text := range old {
		write(t, dir, name, text)
	}
	put := func(now time.Time) {
		j := relink.NewJournal(journal, now)
		for _, d := range documents(t, dir, "site", "") {
			if d.Changed() {
				kept, err := j.Write(d)
				require.NoError(t, err)
				assert.NotEmpty(t, kept)
			}
		}
	}
	have := func(name string) string {
		text, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(text)
	}
	put(day)
	assert.Equal(t, `<a href="/ports">1</a>`, have("site/a[1].html"))
	list, err := relink.Undo(journal, day)
	require.NoError(t, err)
	assert.Len(t, list, 2)
	for name, text := range old {
		assert.Equal(t, text, have(name))
		info, err := os.Stat(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
	}
	entries, err := os.ReadDir(filepath.Join(dir, "site"))
	require.NoError(t, err)
	assert.Len(t, entries, 3, "no copy is left")
	_, err = relink.Undo(journal, day)
	require.ErrorIs(t, err, relink.ErrNothingWritten, "it is undone already")

	put(day.Add(time.Hour))
	write(t, dir, "site/b.html", "somebody's own")
	list, err = relink.Undo(journal, day)
	require.NoError(t, err)
	assert.ElementsMatch(t, []relink.Restored{{Path: filepath.Join(dir, "site/a[1].html")},
		{Path: filepath.Join(dir, "site/b.html"), Problem: "it was changed since"}}, list)
	assert.Equal(t, "somebody's own", have("site/b.html"))
	assert.Equal(t, old["site/a[1].html"], have("site/a[1].html"))
}

// A document that moves has its relative links written for its new place; a second run knows that.
func TestASecondRunOverMovedDocuments(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "site/old/tides.html", `<a href="../harbours"><a href="./">`) // it moves to /guides/tides
	journal := relink.NewJournal(filepath.Join(dir, relink.JournalFile), time.Now())
	run := func() (texts []string) {
		l := relink.New(ferries(t), relink.AsWritten)
		require.NoError(t, journal.Known(l))
		base, err := address.Parse("https://skerrywick.example/")
		require.NoError(t, err)
		require.NoError(t, l.Files(filepath.Join(dir, "site"), "", &base, func(d relink.Document) error {
			texts = append(texts, string(d.After))
			if !d.Changed() {
				return nil
			}
			_, err := journal.Write(d)
			return err
		}))
		return texts
	}
	first := run()
	assert.Equal(t, []string{`<a href="../ports"><a href="../old">`}, first)
	assert.Equal(t, first, run())
	_, err := relink.Undo(filepath.Join(dir, relink.JournalFile), time.Now())
	require.NoError(t, err)
	assert.Equal(t, first, run(), "taken back, it is as new")
}

func TestWriteLeavesAFileThatChangedMeanwhile(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "a.html", `<a href="/harbours">`)
	d := documents(t, dir, "a.html", "")["a.html"]
	write(t, dir, "a.html", "somebody's own")
	_, err := relink.NewJournal(filepath.Join(dir, relink.JournalFile), time.Now()).Write(d)
	require.ErrorContains(t, err, "changed since it was read")
	text, err := os.ReadFile(filepath.Join(dir, "a.html"))
	require.NoError(t, err)
	assert.Equal(t, "somebody's own", string(text))
}

// A dump that is too long to be held is read piece by piece, written and put back all the same.
func TestLargeDumps(t *testing.T) {
	if testing.Short() {
		t.Skip("this writes 130 MiB")
	}
	dir := t.TempDir()
	row := "INSERT INTO t VALUES ('" + strings.Repeat("The ferry leaves at seven. ", 4000) + "');\n"
	text := "-- MariaDB dump\nINSERT INTO t VALUES ('http://skerrywick.example/harbours');\n" +
		strings.Repeat(row, relink.MaxFile/len(row)+1) + "INSERT INTO t VALUES ('http://skerrywick.example/harbours');\n"
	write(t, dir, "dump.sql", text)
	write(t, dir, "page.html", strings.Repeat("<a href='/harbours'>", relink.MaxFile/20+1))
	page := documents(t, dir, "page.html", "")["page.html"]
	assert.Equal(t, "it has more than 64 MiB", page.Problem)
	d := documents(t, dir, "dump.sql", "")["dump.sql"]
	require.True(t, d.Large)
	require.True(t, d.Changed())
	require.Len(t, d.Links, 2)
	assert.Equal(t, strings.Count(text, "\n"), d.Links[1].Line)
	day := time.Date(2026, 11, 28, 9, 0, 0, 0, time.UTC)
	journal := filepath.Join(dir, relink.JournalFile)
	kept, err := relink.NewJournal(journal, day).Write(d)
	require.NoError(t, err)
	for name, want := range map[string]string{kept: text,
		filepath.Join(dir, "dump.sql"): strings.ReplaceAll(text, "http://skerrywick.example/harbours", "https://skerrywick.example/ports")} {
		have, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.True(t, want == string(have), name)
	}
	again := documents(t, dir, "dump.sql", "")["dump.sql"]
	assert.False(t, again.Changed())
	list, err := relink.Undo(journal, day)
	require.NoError(t, err)
	assert.Len(t, list, 1)
	have, err := os.ReadFile(filepath.Join(dir, "dump.sql"))
	require.NoError(t, err)
	assert.True(t, text == string(have))

	d = documents(t, dir, "dump.sql", "")["dump.sql"]
	write(t, dir, "dump.sql", "somebody's own")
	_, err = relink.NewJournal(journal, day.Add(time.Hour)).Write(d)
	require.ErrorContains(t, err, "changed since it was read")
	have, err = os.ReadFile(filepath.Join(dir, "dump.sql"))
	require.NoError(t, err)
	assert.Equal(t, "somebody's own", string(have))
}
