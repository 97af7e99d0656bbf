package gather_test

import (
	"bytes"
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/project"
	"young-compass/internal/visits"
)

// BenchmarkLog gathers a Combined log: the one that LOG names, to compare with
// mawk '{n[$7]++}' on it, or one of 100,000 lines.
func BenchmarkLog(b *testing.B) {
	text, err := os.ReadFile(os.Getenv("LOG"))
	if err != nil {
		var made bytes.Buffer
		for n := range 100000 {
			fmt.Fprintf(&made, "192.0.2.%d - - [01/Nov/2026:%02d:%02d:%02d +0000] \"GET "+
				"/index.php?sec=route&item=%d HTTP/1.1\" 200 5120 \"-\" \"Mozilla/5.0 (X11; Linux x86_64)\"\n", n%250,
				n/3600%24, n/60%60, n%60, n%20000)
		}
		text = made.Bytes()
	}
	dir := b.TempDir()
	demotest.Write(b, dir+"/"+project.PlanFile, []byte(config))
	p := demotest.Load(b, dir)
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		g := gather.Gatherer{Settings: p.Settings, Today: "2026-11-23", Pages: &inventory.Inventory{},
			Book: &book.Book{}}
		_, err := g.Read("access.log", "", bytes.NewReader(text))
		require.NoError(b, err)
		g.Merge()
		visits.Encode(g.Visits)
	}
}

// BenchmarkSitemap gathers a sitemap of 100,000 addresses into an empty project.
func BenchmarkSitemap(b *testing.B) {
	var text bytes.Buffer
	text.WriteString(`<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">` + "\n")
	for n := range 100000 {
		fmt.Fprintf(&text, "<url><loc>https://skerrywick.example/fares/%d/crossing-%d</loc></url>\n", n%997, n)
	}
	text.WriteString("</urlset>\n")
	dir := b.TempDir()
	demotest.Write(b, dir+"/"+project.PlanFile, []byte(config))
	p := demotest.Load(b, dir)
	b.SetBytes(int64(text.Len()))
	b.ReportAllocs()
	for b.Loop() {
		g := gather.Gatherer{Settings: p.Settings, Today: "2026-11-23", Pages: &inventory.Inventory{},
			Book: &book.Book{}}
		_, err := g.Read("sitemap.xml", "", bytes.NewReader(text.Bytes()))
		require.NoError(b, err)
		g.Merge()
	}
}

// BenchmarkWideTable gathers 300 rows of 900 columns.
func BenchmarkWideTable(b *testing.B) {
	var text bytes.Buffer
	text.WriteString("key")
	for n := range 899 {
		fmt.Fprintf(&text, ",column %d", n)
	}
	for n := range 300 {
		fmt.Fprintf(&text, "\nk%d", n)
		for value := range 899 {
			fmt.Fprintf(&text, ",%d", value%7)
		}
	}
	dir := b.TempDir()
	demotest.Write(b, dir+"/"+project.PlanFile, []byte(config))
	p := demotest.Load(b, dir)
	b.SetBytes(int64(text.Len()))
	for b.Loop() {
		g := gather.Gatherer{Settings: p.Settings, Today: "2026-11-23", Pages: &inventory.Inventory{},
			Book: &book.Book{}}
		_, err := g.Read("wide.csv", "", bytes.NewReader(text.Bytes()))
		require.NoError(b, err)
		g.Merge()
		g.Pages.Encode()
	}
}
