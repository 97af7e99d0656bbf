package coverage_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/coverage"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/visits"
)

func parse(t *testing.T, s string) address.Address {
	t.Helper()
	a, err := address.Parse(s)
	require.NoError(t, err)
	return a
}

func TestOf(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	known := func(url string, visitors, robots int, from string) visits.Visit {
		return visits.Visit{Address: parse(t, url), Status: 200, Visitors: visitors, Robots: robots, Referrers: from}
	}
	none := coverage.Of(p, nil)
	assert.Equal(t, none.Addresses, none.Answered, "every address of the book is answered")
	byVisits, byAddress := none.Percent()
	assert.Equal(t, []float64{100, 100}, []float64{byVisits, byAddress})

	c := coverage.Of(p, append(coverage.OfVisits([]visits.Visit{
		known("http://www.skerrywick.example/Guides/Seabirds.html", 6, 1, ""),
		known("https://skerrywick.example/assets/x.png", 1, 0, ""),
		known("http://www.skerrywick.example/old/seabirds.htm", 2, 0, "https://a.example/ 2"),
		known("https://skerrywick.example/old/seabirds.htm", 1, 0, ""),
		known("https://skerrywick.example/robots-alone", 0, 9, ""), known("https://other.example/x", 5, 0, ""),
	}), coverage.Known{Address: parse(t, "https://skerrywick.example/nowhere"), Kind: "memo"},
		coverage.Known{Address: parse(t, "https://skerrywick.example/fleet")}))
	assert.Equal(t, none.Addresses+3, c.Addresses, "what is known already counts once")
	assert.Equal(t, []int{10, 7}, []int{c.Visits, c.AnsweredVisits})
	require.Len(t, c.Lost, 2)
	assert.Equal(t, "https://skerrywick.example/old/seabirds.htm", c.Lost[0].Address.String())
	assert.Equal(t, 3, c.Lost[0].Visits)
	assert.Equal(t, "guide-seabirds@en", c.Lost[0].Proposed.String())
	assert.Equal(t, "https://a.example/ 2", c.Lost[0].From)
	assert.Empty(t, c.Lost[1].Proposed)
	byVisits, _ = c.Percent()
	assert.InDelta(t, 70, byVisits, 0.01)
}

func TestCountsBothSides(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	of := coverage.Of(p, []coverage.Known{{Address: parse(t, "https://skerrywick.example/old-blog/1"), Kind: "post",
		Language: "en", Visits: 4}})
	groups := map[string]coverage.Group{}
	for _, g := range of.Groups {
		groups[g.By+" "+g.Name] = g
	}
	assert.Equal(t, coverage.Group{By: "kind", Name: "post", Addresses: 1, Visits: 4}, groups["kind post"])
	notices := groups["kind notice"]
	assert.Equal(t, notices.Addresses, notices.Answered)
	assert.Positive(t, notices.Pages)
	assert.Equal(t, len(p.Pages.Pages), groups["state live"].Pages+groups["state away"].Pages+
		groups["state gone"].Pages+groups["state draft"].Pages)
}

func TestPatterns(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	known := func(path string, visits int) coverage.Known {
		return coverage.Known{Address: parse(t, "https://skerrywick.example"+path), Visits: visits}
	}
	catches := coverage.Patterns(p, []coverage.Known{known("/press/kit", 2), known("/press", 5),
		known("/aktuelt/1999/nothing.htm", 1)})
	require.NotEmpty(t, catches)
	press := catches[0]
	assert.Equal(t, "/press{/rest*}", press.From)
	assert.Equal(t, 7, press.Visits)
	require.Len(t, press.Caught, 2)
	assert.Equal(t, "/press", press.Caught[0].Address.Path, "the most visited first")
	assert.Empty(t, press.Mistakes())
	require.Len(t, catches[1].Mistakes(), 1)
	assert.Equal(t, "no page is there", catches[1].Mistakes()[0].Mistake)
}
