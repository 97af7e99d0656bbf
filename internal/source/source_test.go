package source_test

import (
	"bytes"
	"compress/gzip"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/source"
)

const logLine = `192.0.2.7 - - [28/Nov/2026:08:15:00 +0000] "GET /en/fares HTTP/1.1" 200 512 "-" "-"`

func TestDetect(t *testing.T) {
	for _, c := range []struct {
		name, text string
		want       source.Form
	}{
		{"nothing", "", source.Table},
		{"a table", "key,title,address\n1,Fares,/en/fares\n", source.Table},
		{"an address with a comma", "https://skerrywick.example/fares,2026\n", source.List},
		{"a table with tabs", "https://skerrywick.example/\tHome\n", source.Table},
		{"JSON", `[{"key": "1"}]`, source.Table},
		{"a list", "https://skerrywick.example/en/fares\nhttps://skerrywick.example/\n", source.List},
		{"a list with a byte order mark", "\ufeffhttps://skerrywick.example/\n", source.List},
		{"a log", logLine + "\n", source.Log},
		{"a log that begins in a line", `e HTTP/1.1" 200 5` + "\n" + logLine + "\n", source.Log},
		{"a log of one line without an end", logLine, source.Log},
		{"a sitemap", `<?xml version="1.0"?><!-- a > b --><urlset xmlns="x">`, source.Sitemap},
		{"an index of sitemaps", "<sm:sitemapindex>", source.Sitemap},
		{"a feed", `<?xml version="1.0"?><rss version="2.0">`, source.Feed},
		{"Atom", `<feed xmlns="http://www.w3.org/2005/Atom">`, source.Feed},
		{"a page", "<!DOCTYPE html><html>", source.HTML},
		{"a page that is cut off in a comment", "<!-- ", source.HTML},
		{"an open bracket", "<", source.HTML},
		{"a sitemap in UTF-16", "\xff\xfe<\x00u\x00r\x00l\x00s\x00e\x00t\x00>\x00", source.Sitemap},
		{"without a mark", "<\x00u\x00r\x00l\x00s\x00e\x00t\x00>\x00", source.Sitemap},
		{"the other way round", "\x00<\x00r\x00s\x00s\x00>", source.Feed},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, source.Detect([]byte(c.text))) })
	}
}

func TestRankOrdersAllForms(t *testing.T) {
	forms := source.Forms()
	for _, f := range forms {
		assert.Positive(t, f.Rank(), f)
	}
	assert.Greater(t, source.Table.Rank(), source.Feed.Rank())
	assert.Greater(t, source.Sitemap.Rank(), source.Log.Rank())
	assert.Zero(t, source.Form("x").Rank())
}

func gzipped(t *testing.T, text string) []byte {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := io.WriteString(z, text)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Bytes()
}

func unpack(t *testing.T, packed []byte) (int, error) {
	r, done, err := source.Unpack("pages.csv", bytes.NewReader(packed))
	if err != nil {
		return 0, err
	}
	defer done()
	n, err := io.Copy(io.Discard, r)
	return int(n), err
}

func TestUnpack(t *testing.T) {
	text := strings.Repeat("https://skerrywick.example/\n", 1000)
	z, err := zstd.NewWriter(nil)
	require.NoError(t, err)
	for _, c := range []struct {
		name string
		data []byte
	}{
		{"as it is", []byte(text)},
		{"gzip", gzipped(t, text)},
		{"zstd", z.EncodeAll([]byte(text), nil)},
	} {
		t.Run(c.name, func(t *testing.T) {
			n, err := unpack(t, c.data)
			require.NoError(t, err)
			assert.Equal(t, len(text), n)
		})
	}
	for n := range 4 { // shorter than what tells a packed text
		got, err := unpack(t, []byte("abc")[:n])
		require.NoError(t, err)
		assert.Equal(t, n, got)
	}
}

func TestUnpackRefuses(t *testing.T) {
	whole := gzipped(t, strings.Repeat("/en/fares\n", 100))
	for _, c := range []struct {
		name, want string
		data       []byte
	}{
		{"what breaks off", "breaks off", whole[:len(whole)-9]},
		{"what breaks off in its head", "can't be unpacked", whole[:5]},
		{"what unpacks without measure", "more than 200 times its size", gzipped(t, strings.Repeat("a", 20<<20))},
	} {
		t.Run(c.name, func(t *testing.T) {
			n, err := unpack(t, c.data)
			var input *finding.Input
			require.True(t, errors.As(err, &input), "%v", err)
			assert.Contains(t, err.Error(), c.want)
			assert.Contains(t, err.Error(), "pages.csv")
			assert.Less(t, n, 16<<20)
		})
	}
}

func TestLines(t *testing.T) {
	got := map[int]string{}
	note := func(line int, text string) { got[line] = text }
	require.NoError(t, source.Lines("list.txt", strings.NewReader("\ufeff/a\r\n\n  /b  \n/c"), note))
	assert.Equal(t, map[int]string{1: "/a", 3: "/b", 4: "/c"}, got)
	require.NoError(t, source.Lines("list.txt", strings.NewReader(strings.Repeat("a", 1<<20-1)), note))
	err := source.Lines("list.txt", strings.NewReader(strings.Repeat("a", 1<<20+1)), note)
	require.ErrorContains(t, err, "more than 1 MiB")
}

func TestTold(t *testing.T) {
	for s, want := range map[string][2]string{"html:old-site": {"html", "old-site"}, "old-site": {"", "old-site"},
		"other:x": {"", "other:x"}, "log:a:b": {"log", "a:b"}, ":x": {"", ":x"}, "": {"", ""}} {
		t.Run(s, func(t *testing.T) {
			form, name := source.Told(s, source.Forms())
			assert.Equal(t, want, [2]string{string(form), name})
		})
	}
}
