package relink_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
	"young-compass/internal/relink"
)

// BenchmarkHTML relinks pages by a plan of 100,000 redirects, and says how much longer that takes than looking for http
// and href alone.
func BenchmarkHTML(b *testing.B) {
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
