package propose_test

import (
	"fmt"
	"testing"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/propose"
	"young-compass/internal/visits"
)

// BenchmarkPropose works a plan out from a million addresses: pages in two languages, sections and queries, half of
// them asked for.
func BenchmarkPropose(b *testing.B) {
	pages, entries := &inventory.Inventory{}, &book.Book{}
	var asked []visits.Visit
	for i := range 1_000_000 {
		key, language, mark := fmt.Sprintf("p%07d", i/2), "en", ""
		if i%2 == 0 { // as pages.csv is sorted
			language, mark = "de", "/de"
		}
		a := address.Address{Scheme: "https", Host: "skerrywick.example"}
		switch i % 10 {
		case 0, 1:
			a.Path, a.Query = "/index.php", fmt.Sprintf("sec=route&item=%d&lang=%s", i, language)
		case 2, 3, 4, 5:
			a.Path = fmt.Sprintf("%s/news/%d/storm-warning-%d", mark, 2000+i%25, i)
		default:
			a.Path = fmt.Sprintf("%s/shop/section-%d/sub-%d/page-%d.html", mark, i%20, i%500, i)
		}
		page := inventory.Page{Ref: inventory.Ref{Key: key, Language: language}, Kind: "page", State: inventory.Live, Title: fmt.Sprintf("Storm warning %d", i)}
		pages.Add(page)
		entries.Entries = append(entries.Entries, book.Entry{Address: a, Page: page.Ref, State: book.Current})
		if i%2 == 0 {
			asked = append(asked, visits.Visit{Address: a, Status: 200, Visitors: 3, Bytes: 100 + i})
		}
	}
	b.ReportAllocs()
	for b.Loop() {
		propose.Of(propose.Gathered(pages, entries, asked))
	}
}
