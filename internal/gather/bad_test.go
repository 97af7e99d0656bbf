package gather_test

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/source"
)

// endless gives n bytes, the same again and again.
type endless struct {
	text string
	n    int
}

func (e *endless) Read(p []byte) (int, error) {
	if e.n <= 0 {
		return 0, io.EOF
	}
	n := copy(p[:min(len(p), e.n)], strings.Repeat(e.text, len(p)/len(e.text)+1))
	e.n -= n
	return n, nil
}

// zipBomb is a workbook whose one sheet unpacks to 300 MiB.
func zipBomb(t *testing.T) string {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	write := func(name string, r io.Reader) {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.Copy(w, r)
		require.NoError(t, err)
	}
	write("xl/worksheets/sheet1.xml", io.MultiReader(strings.NewReader("<worksheet><sheetData>"),
		&endless{"<row></row>", 300 << 20}))
	write("[Content_Types].xml", strings.NewReader("<Types/>"))
	require.NoError(t, z.Close())
	return b.String()
}

// gzipBomb packs what r gives.
func gzipBomb(t *testing.T, r io.Reader) string {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := io.Copy(z, r)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.String()
}

const entityBomb = `<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b ` +
	`"&a;&a;&a;&a;&a;&a;&a;&a;">]><urlset><url><loc>&b;</loc></url></urlset>`

// Whatever is wrong with a source, it is one clear line, and memory is bounded.
func TestBadInput(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: 300 MiB are packed, which the race detector makes slow")
	}
	gz, zst := packed(t, strings.Repeat("key,title\na,b\n", 1000))
	const mega = 100 << 20
	for name, c := range map[string]struct {
		form source.Form
		r    io.Reader
		want string
	}{
		"truncated gzip":  {"", strings.NewReader(gz[:len(gz)-20]), "breaks off"},
		"damaged gzip":    {"", strings.NewReader(gz[:40] + "xx" + gz[42:]), "can't be unpacked"},
		"truncated zstd":  {"", strings.NewReader(zst[:len(zst)-5]), "can't be unpacked"},
		"gzip of nothing": {"", strings.NewReader("\x1f\x8b\x08"), "can't be unpacked"},
		"a packed bomb": {"", strings.NewReader(gzipBomb(t,
			io.MultiReader(strings.NewReader("key,title\n"), &endless{"a," + strings.Repeat("b", 10000) + "\n",
				40 << 20}))), "unpacks to more than 200 times its size"},
		"a packed log bomb": {source.Log, strings.NewReader(gzipBomb(t, &endless{"x\n", 40 << 20})),
			"unpacks to more than 200 times its size"},
		"no UTF-16 at all":   {"", strings.NewReader("\xff\xfe\x00\xd8\x00\xd8\x00"), "no column names pages"},
		"table: a long line": {"", &endless{"x", mega}, "line of more than 1 MiB"},
		"table: an open quote": {source.Table, io.MultiReader(strings.NewReader("key,title\na,\""),
			&endless{"x\n", mega}), "row of more than 8 MiB"},
		"table: binary":       {"", strings.NewReader("\x7fELF\x02\x01\x01\x00\x00junk"), "NUL bytes"},
		"table: head only":    {"", strings.NewReader("key,title,address\n"), "nothing in it but its head"},
		"table: many columns": {"", strings.NewReader(manyColumns() + "\n"), "100000 columns; at most 10000"},
		"table: Latin-1 junk": {"", strings.NewReader("\x81\x8d\x8f;\x90\x9d\n"), "error unreadable"},
		"JSON: a long text": {"", io.MultiReader(strings.NewReader(`[{"key": "`), &endless{"x", mega}),
			"row of more than 8 MiB"},
		"JSON: deep": {"", strings.NewReader(`[{"key": ` + strings.Repeat("[", 100000)),
			"deep in one another"},
		"JSON: deeper":     {"", strings.NewReader(strings.Repeat("[", 100000)), "not a table in JSON"},
		"JSON: breaks off": {"", strings.NewReader(`[{"key": "a"}, {"key":`), "it breaks off"},
		"JSON: no objects": {"", strings.NewReader(`{"a": {"b": [1, 2]}}`), "no column names pages"},
		"JSON: many names": {"", strings.NewReader(manyNames()), "more than 2000 names"},
		"JSON: nothing":    {"", strings.NewReader("[]"), "the file is empty"},
		"workbook: a bomb": {"", strings.NewReader(zipBomb(t)), "this workbook can't be read"},
		"workbook: broken": {"", strings.NewReader("PK\x03\x04 and then nothing"), "this workbook can't be read"},
		"workbook: empty":  {"", strings.NewReader(workbook(t)), "the file is empty"},
		"workbook: head only": {"", strings.NewReader(workbook(t, []any{"key", "title"})),
			"nothing in it but its head"},
		"sitemap: entity bomb": {"", strings.NewReader(entityBomb), "invalid character entity &b;"},
		"sitemap: a long text": {"", io.MultiReader(strings.NewReader("<urlset><url><loc>"), &endless{"x", mega}),
			"more than 1 MiB"},
		"sitemap: a long name": {"", io.MultiReader(strings.NewReader("<urlset><"), &endless{"x", mega}),
			"more than 1 MiB"},
		"sitemap: deep": {"", io.MultiReader(strings.NewReader("<urlset>"), &endless{"<a>", mega}),
			"deep in one another"},
		"sitemap: breaks off": {"", strings.NewReader("<urlset><url><loc>https://skerrywick.example/</loc>"),
			"breaks off"},
		"sitemap: empty": {"", strings.NewReader("<urlset></urlset>"), "nothing in it but its head"},
		"sitemap: bad encoding": {"", strings.NewReader("<?xml version=\"1.0\" " +
			"encoding=\"UTF-8\"?><urlset><url><loc>\xff\xff</loc></url></urlset>"), "invalid UTF-8"},
		"feed: breaks off": {"", strings.NewReader("<rss><channel><item><title>x"), "breaks off"},
		"feed: a long text": {"", io.MultiReader(strings.NewReader("<rss><channel><item><title>"),
			&endless{"x", mega}), "more than 1 MiB"},
		"feed: no feed":     {source.Feed, strings.NewReader("<html></html>"), "neither rss nor feed"},
		"feed: empty":       {"", strings.NewReader("<feed></feed>"), "nothing in it but its head"},
		"log: a long line":  {source.Log, &endless{"x", mega}, "no line of it"},
		"log: binary":       {source.Log, strings.NewReader("\x00\x01\x02\xff\xfe"), "no line of it"},
		"list: a long line": {source.List, &endless{"x", mega}, "line of more than 1 MiB"},
		"empty":             {"", strings.NewReader(""), "the file is empty"},
		"blank":             {source.Sitemap, strings.NewReader(" \n"), "the file is empty"},
		"empty inside":      {"", strings.NewReader(gzipBomb(t, strings.NewReader(""))), "the file is empty"},
	} {
		t.Run(name, func(t *testing.T) {
			p := newProject(t)
			g := gather.Gatherer{Settings: p.config, Pages: &inventory.Inventory{}, Book: &book.Book{}}
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			_, err := g.Read("source", c.form, c.r)
			runtime.ReadMemStats(&after)
			var input *finding.Input
			require.ErrorAs(t, err, &input, "%v", err)
			assert.Contains(t, err.Error(), c.want)
			assert.True(t, strings.HasPrefix(err.Error(), "source"), err.Error())
			assert.NotContains(t, err.Error(), "\n")
			assert.Less(t, len(err.Error()), 600)
			if name != "a packed bomb" { // its rows are held, up to the bound
				assert.Less(t, (after.TotalAlloc-before.TotalAlloc)>>20, uint64(128), "MiB")
			}
		})
	}
}

func manyColumns() string {
	var b strings.Builder
	for i := range 100000 {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, "c%d", i)
	}
	return b.String()
}

func manyNames() string {
	var b strings.Builder
	for i := range 20000 {
		fmt.Fprintf(&b, "{\"c%d\": 1}\n", i)
	}
	return b.String()
}

// failing is a disk that fails.
type failing struct{}

func (failing) Read([]byte) (int, error) { return 0, errors.New("the disk is broken") }

func TestDiskErrorsAreNotTheFilesFault(t *testing.T) {
	for _, form := range []source.Form{source.Table, source.List, source.Feed, source.Sitemap, source.Log,
		source.HTML} {
		p := newProject(t)
		g := gather.Gatherer{Settings: p.config, Pages: p.pages, Book: p.book}
		_, err := g.Read("source", form, io.MultiReader(strings.NewReader("<urlset><rss>\nkey,title\n"), failing{}))
		var input *finding.Input
		assert.ErrorContains(t, err, "the disk is broken", form)
		assert.False(t, errors.As(err, &input), form)
	}
}

// Any bytes are read, or refused with a clear line; nothing panics.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"key,title\na,b\n", `[{"key": "a"}]`, `{"url": "/x"}`, entityBomb,
		"<rss><channel><item><link>/x</link></item></channel></rss>",
		"<feed><entry><title type='html'>&lt;b&gt;x</title></entry></feed>", "<!doctype html><title>x</title>",
		"https://skerrywick.example/\n", "PK\x03\x04", "\xff\xfea\x00", "\x1f\x8b\x08\x00",
		`192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET / HTTP/1.1" 200 1`} {
		for _, form := range append(source.Forms(), "") {
			f.Add(s, string(form))
		}
	}
	f.Fuzz(func(t *testing.T, text, form string) {
		p := newProject(t)
		g := gather.Gatherer{Settings: p.config, Today: "2026-11-23", Pages: &inventory.Inventory{}, Book: &book.Book{}}
		if _, err := g.Read("source", source.Form(form), strings.NewReader(text)); err != nil {
			return
		}
		g.Merge()
		pages := string(g.Pages.Encode())
		again, found, err := inventory.Read("pages.csv", strings.NewReader(pages), "en")
		require.NoError(t, err, pages)
		require.Empty(t, found, pages)
		assert.Len(t, again.Pages, len(g.Pages.Pages))
		_, found, err = book.Read("addresses.csv", bytes.NewReader(g.Book.Encode()))
		require.NoError(t, err)
		require.Empty(t, found)
	})
}
