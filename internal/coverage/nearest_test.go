package coverage

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/redirect"
)

// Looking at pages with the rarer words alone finds what comparing with every page finds.
func TestNearestAgreesWithComparingAll(t *testing.T) {
	random := rand.New(rand.NewPCG(2, 2026))
	words := []string{"ferry", "quay", "tide", "island", "harbour", "lamp", "rope", "gull", "deck"}
	some := func(separator string) string {
		text := ""
		for range 1 + random.IntN(5) {
			if text != "" {
				text += separator
			}
			text += words[min(random.IntN(len(words)), random.IntN(len(words)))]
		}
		return text
	}
	settings, err := planfile.Read("young-compass.yaml", []byte("site: {origin: https://skerrywick.example}\n"))
	require.NoError(t, err)
	found := 0
	for range 200 {
		pages, entries := &inventory.Inventory{}, &book.Book{}
		for i := range 1 + random.IntN(12) {
			ref := inventory.Ref{Key: fmt.Sprint("p", i), Language: "en"}
			pages.Add(inventory.Page{Ref: ref, Title: some(" "), State: inventory.Live})
			a := settings.Site.Origin
			a.Path = "/" + some("-")
			entries.Entries = append(entries.Entries, book.Entry{Address: a, Page: ref, State: book.Current})
		}
		p := plan.New(settings, pages, entries, redirect.NewList(settings.Site))
		w := newWords(p)
		for _, path := range []string{"/" + some("_") + ".htm", "/" + some("/"), "/", "/x", "/17"} {
			a := settings.Site.Origin
			a.Path = path
			own := wordsOf(address.Decode(p.Shape(path)) + " ")
			best, most := (*inventory.Page)(nil), leastAlike
			for _, d := range w.pages {
				switch alike := alike(own, d.words); {
				case alike > most:
					best, most = d.page, alike
				case alike == most:
					best = nil
				}
			}
			got := w.nearest(p, Known{Address: a})
			assert.Equal(t, best, got, path)
			if got != nil {
				found++
			}
		}
	}
	assert.Greater(t, found, 100)
}
