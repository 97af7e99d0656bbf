package sitefile

import (
	"bytes"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/klauspost/compress/gzip"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// entries returns n entries, some with dates, images and translations.
func entries(n int) []URL {
	list := make([]URL, n)
	for i := range list {
		list[i].Location = fmt.Sprintf("https://skerrywick.example/p/%d?a=1&b=%%22'", i)
		switch i % 3 {
		case 1:
			list[i].Modified = "2026-11-23T08:15:00+01:00"
			list[i].Images = []string{"https://skerrywick.example/i.jpg?x=<&>"}
		case 2:
			list[i].Modified = "2026-11-23"
			list[i].Alternates = []Alternate{{"de-CH", "https://skerrywick.example/de?x=1&y=\"2\""}, {"x-default", list[i].Location}}
		}
	}
	return list
}

func write(t *testing.T, p Parts, list []URL, group func(i int) string) map[string][]byte {
	t.Helper()
	files := map[string][]byte{}
	p.Base = "https://skerrywick.example/"
	p.Write = func(name string, data []byte) error {
		require.NotContains(t, files, name)
		files[name] = data
		return nil
	}
	for i, u := range list {
		require.NoError(t, p.Add(group(i), u))
	}
	some, err := p.Finish()
	require.NoError(t, err)
	require.Equal(t, len(list) > 0, some)
	return files
}

func alone(int) string { return "" }

// readAll reads an index with its sitemaps, or a sitemap.
func readAll(t *testing.T, files map[string][]byte, name string) (list []URL, parts int) {
	t.Helper()
	read := func(name string) Sitemap {
		data, ok := files[name]
		require.True(t, ok, name)
		var r io.Reader = bytes.NewReader(data)
		if strings.HasSuffix(name, ".gz") {
			unpacked, err := gzip.NewReader(r)
			require.NoError(t, err)
			r = unpacked
		}
		s, err := ReadSitemap(name, r, func(u URL) error {
			u.Line = 0
			list = append(list, u)
			return nil
		})
		require.NoError(t, err)
		return s
	}
	index := read(name)
	for _, part := range index.Parts {
		read(strings.TrimPrefix(part, "https://skerrywick.example/"))
	}
	return list, len(index.Parts)
}

// What is written is read back, whatever the number of entries.
func TestPartsAreReadBack(t *testing.T) {
	for _, c := range []struct{ n, most, parts int }{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {2, 1, 2}, {29, 30, 0}, {30, 30, 0}, {31, 30, 2},
		{60, 30, 2}, {61, 30, 3}, {49_999, 0, 0}, {50_000, 0, 0}, {50_001, 0, 2}, {100_001, 1 << 30, 3}} {
		for _, packed := range []bool{false, true} {
			if c.n > 1000 && (packed || testing.Short()) {
				continue // as above
			}
			files := write(t, Parts{Max: c.most, Gzip: packed}, entries(c.n), alone)
			if c.n == 0 {
				assert.Empty(t, files)
				continue
			}
			list, parts := readAll(t, files, Index)
			want := c.parts
			if packed {
				want = max(1, want) // an index of one
			}
			assert.Equal(t, want, parts, "%d of %d", c.n, c.most)
			require.Equal(t, entries(c.n), list)
			again := write(t, Parts{Max: c.most, Gzip: packed}, entries(c.n), alone)
			assert.True(t, maps.EqualFunc(files, again, bytes.Equal), "the same bytes")
		}
	}
}

// Parts are divided by group too.
func TestPartsOfGroups(t *testing.T) {
	files := write(t, Parts{Max: 3}, entries(9), func(i int) string { return []string{"port", "route"}[i/5] })
	assert.Equal(t, []string{"sitemap-port-1.xml", "sitemap-port-2.xml", "sitemap-route-1.xml", "sitemap-route-2.xml", "sitemap.xml"},
		slices.Sorted(maps.Keys(files)))
	list, _ := readAll(t, files, Index)
	assert.Equal(t, entries(9), list)
}

// No sitemap has more than 50 MB.
func TestPartsAreSmallEnough(t *testing.T) {
	if testing.Short() {
		t.Skip("76 MB")
	}
	long := entries(40)
	for i := range long {
		for n := range 1000 {
			long[i].Images = append(long[i].Images, fmt.Sprintf("https://skerrywick.example/%s/%d.jpg", strings.Repeat("x", 1900), n))
		}
	}
	files := write(t, Parts{}, long, alone)
	assert.Len(t, files, 3)
	assert.Equal(t, 40, bytes.Count(files["sitemap-1.xml"], []byte("<url>"))+bytes.Count(files["sitemap-2.xml"], []byte("<url>")))
	for name, data := range files {
		assert.LessOrEqual(t, len(data), MaxSize, name)
	}
	huge := URL{Location: "https://skerrywick.example/", Images: []string{strings.Repeat("x", MaxSize)}}
	p := Parts{}
	require.ErrorContains(t, p.Add("", huge), "alone has more than 50 MB")
}

// Sitemaps and indexes are as the schema of sitemaps 0.9 has them.
func TestPartsAreValid(t *testing.T) {
	linter, err := exec.LookPath("xmllint")
	require.NoError(t, err, "install libxml2-utils")
	dir := t.TempDir()
	for _, n := range []int{1, 100, 120_001} {
		files := write(t, Parts{}, entries(n), alone)
		assert.Len(t, files, map[int]int{1: 1, 100: 1, 120_001: 4}[n])
		for name, data := range files {
			schema := "testdata/sitemap.xsd"
			if name == "sitemap.xml" && n > MaxEntries {
				schema = "testdata/siteindex.xsd"
			}
			file := filepath.Join(dir, name)
			require.NoError(t, os.WriteFile(file, data, 0o600))
			out, err := exec.Command(linter, "--nonet", "--noout", "--schema", schema, file).CombinedOutput()
			require.NoError(t, err, "%s: %.1000s", name, out)
		}
	}
	file := filepath.Join(dir, "wrong.xml")
	require.NoError(t, os.WriteFile(file, []byte(declaration+setOpens+"<url><lastmod>2026-11-23</lastmod><loc>https://skerrywick.example/</loc></url>"+setCloses), 0o600))
	require.Error(t, exec.Command(linter, "--nonet", "--noout", "--schema", "testdata/sitemap.xsd", file).Run(), "the schema checks")
}

// Dates are those of the schema.
func TestDate(t *testing.T) {
	for said, want := range map[string]string{"2026-11-23": "2026-11-23", "2026-11-23T08:15:30Z": "2026-11-23T08:15:30Z",
		"2026-11-23T08:15+01:00": "2026-11-23T08:15:00+01:00", "2026-11-23T08:15:30.5+01:00": "2026-11-23T08:15:30.5+01:00",
		"2026-11-23T08:15Z": "2026-11-23T08:15:00Z", "2026": "", "2026-11": "", "2026-02-30": "", "last Tuesday": "", "": "",
		"2026-11-23 08:15": "", "2026-11-23T08:15": ""} {
		got, ok := Date(said)
		assert.Equal(t, want, got, said)
		assert.Equal(t, want != "", ok, said)
	}
}
