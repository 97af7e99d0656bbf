//go:build linux

package relink_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"young-compass/internal/database"
	"young-compass/internal/database/databasetest"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/relink"
)

// hundredThousand returns a plan of 100,000 redirects.
func hundredThousand(b *testing.B) *plan.Plan {
	b.Helper()
	dir := b.TempDir()
	var rows strings.Builder
	rows.WriteString("from,to,status\n")
	for i := range 100_000 {
		fmt.Fprintf(&rows, "/old/section-%d/page-%06d,/new/area-%d/article-%06d,301\n", i%97, i, i%31, i)
	}
	for name, text := range map[string]string{project.PlanFile: "site: {origin: https://skerrywick.example}\n",
		project.RedirectsFile: rows.String()} {
		require.NoError(b, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, _, err := project.Load(dir)
	require.NoError(b, err)
	return p
}

// BenchmarkHTML relinks pages by a plan of 100,000 redirects, and says how much longer that takes than looking for http
// and href alone.
func BenchmarkHTML(b *testing.B) {
	p := hundredThousand(b)
	var page bytes.Buffer
	for i := 0; page.Len() < 8<<20; i++ {
		fmt.Fprintf(&page, "<div class=\"entry\"><h2>Harbour notice %d</h2>\n<p>%s</p>\n", i,
			strings.Repeat("The ferry to Kvitsund leaves at seven, and comes back with the tide. ", 6))
		fmt.Fprintf(&page, "<a class='more' href=\"/old/section-%d/page-%06d\">more</a> <a href=\"https://archive.example/%d\">x</a>\n",
			i%97, i, i)
		fmt.Fprintf(&page, "<img src=\"/assets/picture-%d.png\" alt=\"\" width=\"640\" height=\"480\"></div>\n", i%50)
	}
	l := relink.New(p, relink.AsWritten)
	at := l.Place(p.Site.Origin)
	var own, scan time.Duration
	b.SetBytes(int64(page.Len()))
	for b.Loop() {
		start := time.Now()
		_, links := l.Relink(page.Bytes(), relink.HTML, at)
		own += time.Since(start)
		require.NotEmpty(b, links)
		start = time.Now()
		for _, mark := range []string{"http", "href"} {
			for rest := page.Bytes(); ; {
				n := bytes.Index(rest, []byte(mark))
				if n < 0 {
					break
				}
				rest = rest[n+len(mark):]
			}
		}
		scan += time.Since(start)
	}
	b.ReportMetric(float64(own)/float64(scan), "times-scanning")
	b.ReportMetric(float64(page.Len())*float64(b.N)/own.Seconds()/1e6, "MB/s-relinked")
}

// BenchmarkRows goes through a table of 50,000 posts on a local MariaDB without changing any, and says how much longer
// that takes than reading the same rows and comparing them with themselves.
func BenchmarkRows(b *testing.B) {
	const posts = 50_000
	p := hundredThousand(b)
	s := databasetest.MariaDB(b)
	s.Exec(b, "CREATE TABLE post (id INT PRIMARY KEY, body LONGTEXT)")
	for id := 0; id < posts; id += 500 {
		var list []string
		for i := id; i < id+500; i++ {
			list = append(list, fmt.Sprintf("(%d, '<p>%s</p><a href=\"/old/section-%d/page-%06d\">more</a> <a href=\"https://archive.example/%d\">x</a>')",
				i, strings.Repeat("The ferry to Kvitsund leaves at seven, and comes back with the tide. ", 20), i%97, i, i))
		}
		s.Exec(b, "INSERT INTO post VALUES "+strings.Join(list, ","))
	}
	db, err := database.Open(context.Background(), s.URL, database.Secret{})
	require.NoError(b, err)
	defer func() { _ = db.Close() }()
	tables, err := db.Tables(context.Background())
	require.NoError(b, err)
	columns, err := relink.ColumnsOf(&tables[0], []string{"body"})
	require.NoError(b, err)
	rows := relink.Rows{Table: &tables[0], Columns: columns}
	var own, reading time.Duration
	for b.Loop() {
		l := relink.New(p, relink.AsWritten)
		start := time.Now()
		n, err := l.Rows(context.Background(), db, rows, nil, func(relink.Document) error { return nil })
		require.NoError(b, err)
		require.Equal(b, posts, n)
		own += time.Since(start)
		start = time.Now()
		var behind database.Key
		for read := true; read; {
			read = false
			require.NoError(b, tables[0].Read(context.Background(), columns, behind, 500, func(r database.Row) bool {
				behind, read = r.Key, true
				return bytes.Equal(r.Values[0], r.Values[0])
			}))
		}
		reading += time.Since(start)
	}
	b.ReportMetric(float64(own)/float64(reading), "times-reading")
	b.ReportMetric(posts*float64(b.N)/own.Seconds(), "rows/s")
}
