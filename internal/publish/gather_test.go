package publish_test

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/publish"
)

// What gather reads from the sitemaps are the pages that are listed, each with its language, its date and the same
// translations.
func TestSitemapsAreGatheredBack(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for i := range p.Pages.Pages {
		p.Pages.Pages[i].Set("modified", []string{"", "2026-05-01", "2026-11-20"}[i%3])
	}
	pages, _ := publish.Pages(p)
	g := gather.Gatherer{Settings: p.Settings, Today: "2026-11-23", Pages: &inventory.Inventory{}, Book: &book.Book{}}
	_, _, err := publish.Sitemaps(p, pages, publish.SitemapOptions{Max: 50}, func(name string, data []byte) error {
		if name == "sitemap.xml" {
			return nil // the index
		}
		_, err := g.Read(name, "", bytes.NewReader(data))
		return err
	})
	require.NoError(t, err)
	_, found := g.Merge()
	require.Empty(t, found)
	address := map[inventory.Ref]string{}
	for _, e := range g.Book.Entries {
		address[e.Page] = e.Address.String()
	}
	got, want := map[string]string{}, map[string]string{} // by address: what is known of its page
	clusters := map[string][]string{}
	for _, page := range g.Pages.Pages {
		clusters[page.Key] = append(clusters[page.Key], address[page.Ref])
	}
	for _, page := range g.Pages.Pages {
		slices.Sort(clusters[page.Key])
		got[address[page.Ref]] = page.Language + " " + page.Field("modified") + " " + strings.Join(clusters[page.Key], " ")
	}
	for _, page := range pages {
		with := []string{page.Address.String()}
		for _, a := range page.Alternates {
			if a.Language != "x-default" {
				with = append(with, a.Location)
			}
		}
		slices.Sort(with)
		want[page.Address.String()] = page.Language + " " + page.Field("modified") + " " + strings.Join(slices.Compact(with), " ")
	}
	assert.Len(t, want, 181)
	assert.Equal(t, want, got)
}
