package design_test

import (
	"bytes"
	"fmt"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/design"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/project"
)

// BenchmarkDesign designs a million pages with titles of several languages, of
// which one in fifty collides. Beside the time it reports the ratio to only
// normalising the pages' old addresses.
func BenchmarkDesign(b *testing.B) {
	const pages = 1_000_000
	dir := b.TempDir()
	demotest.Write(b, filepath.Join(dir, project.PlanFile), []byte(`site: {origin: https://skerrywick.example}
languages: {default: en, others: {de: {prefix: de}, nb: {prefix: nb}}}
slugs: {collide: number}
kinds: {route: {address: "/routes{/region*,slug}"}}
`))
	config := demotest.Load(b, dir).Settings
	inv := &inventory.Inventory{}
	inv.AddColumns([]string{"region"})
	old := make([]string, pages)
	var text bytes.Buffer
	for i := range pages {
		language := []string{"de", "en", "nb"}[i%3]
		title := []string{"Fähre über den Sund, Anleger %d", "Skerrywick to Hildafjord by way of stop %d",
			"Båt til Åmøy og brygge %d"}[i%3]
		text.Reset()
		fmt.Fprintf(&text, title, i-i%150/147*3)
		page := inventory.Page{Ref: inventory.Ref{Key: fmt.Sprintf("route-%07d", i/3), Language: language},
			Kind: "route", Title: text.String(), State: inventory.Live}
		page.Set("region", "Out & Back")
		inv.Add(page)
		old[i] = fmt.Sprintf("http://www.skerrywick.example/index.php?sec=route&item=%d&lang=%s", i, language)
	}
	p := plan.New(config, inv, &book.Book{}, nil)
	var design1, normal time.Duration
	for b.Loop() {
		start := time.Now()
		normalised := make([]address.Address, len(old))
		for i, s := range old {
			a, err := address.Parse(s)
			if err != nil {
				b.Fatal(err)
			}
			normalised[i] = a
		}
		runtime.KeepAlive(normalised)
		normal += time.Since(start)
		start = time.Now()
		proposals, found := design.Propose(p, design.Options{})
		design1 += time.Since(start)
		if len(proposals) != pages || len(found) > 1 {
			b.Fatal(len(proposals), len(found))
		}
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		b.ReportMetric(float64(m.Sys)/(1<<20), "MiB-from-system")
	}
	b.ReportMetric(design1.Seconds()/float64(b.N), "s/design")
	b.ReportMetric(float64(design1)/float64(normal), "x-normalising")
}
