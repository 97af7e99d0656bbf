//go:build linux

package server_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/publish"
)

// With a header Link for each page, every server sends it where the plan does, and nowhere else.
func TestEveryServerAnswersAsThePlanWithLinks(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	p := demotest.Accepted(t, t.TempDir())
	pages, found := publish.Pages(p)
	require.Empty(t, found)
	p, found, err := publish.WithLinks(p, pages)
	require.NoError(t, err)
	require.Empty(t, found)
	var asks []ask
	for i := range pages {
		url := pages[i].Address.String()
		asks = append(asks, ask{method: "GET", url: url})
		for _, more := range []string{"?page=2", "?page=1", "?utm_source=letter", "?season=winter", "?a&page", "?pages=2"} {
			asks = append(asks, ask{method: "GET", url: url + more})
		}
		asks = append(asks, ask{method: "GET", url: url + "x"})
	}
	g := compiled(t, p)
	for _, target := range targets() {
		s := target.serve(t, g, demoSite(t, p))
		compare(t, target.Name()+", with links", g, s, asks, target.Differences())
		s.stop()
	}
}
