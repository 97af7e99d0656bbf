package demo_test

import (
	"context"
	"encoding/csv"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/crawl"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/fetch"
	"young-compass/internal/gather"
	"young-compass/internal/plan"
)

// client asks a stand-in, trusting its certificate alone.
func client(t *testing.T, s *demo.StandIn) *fetch.Client {
	t.Helper()
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	c, err := fetch.New(fetch.Options{Site: demo.Site(), At: &at, CA: s.Certificate})
	require.NoError(t, err)
	return c
}

func get(t *testing.T, c *fetch.Client, url string) fetch.Reply {
	t.Helper()
	a, err := address.Parse(url)
	require.NoError(t, err)
	reply, err := c.Get(context.Background(), a)
	require.NoError(t, err)
	return reply
}

// The troubles of the old site that docs/demo.md lists are there.
func TestOldSiteHasItsTroubles(t *testing.T) {
	handler, err := demo.OldServer()
	require.NoError(t, err)
	s, err := demo.Start(handler, "0", "0")
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	c := client(t, s)
	for _, url := range []string{
		"http://www.skerrywick.example/index.php?sec=port&item=32", "http://www.skerrywick.example/ports/hildafjord",
		"https://www.skerrywick.example/ports/hildafjord",
		"http://skerrywick.example/ports/hildafjord", "http://www.skerrywick.example/ports/hildafjord/",
		"http://www.skerrywick.example/PORTS/HILDAFJORD",
		"http://www.skerrywick.example/en/ports/hildafjord", "http://www.skerrywick.example/Nature/Seabirds.html",
		"https://skerrywick.example/Guides/Seabirds.html",
		"http://www.skerrywick.example/index.php?item=214&sec=route&lang=de",
	} {
		assert.Equal(t, 200, get(t, c, url).Status, url)
	}
	for at, to := range map[string]string{"/ferrytimes.htm": "/times.htm", "/times.htm": "/fahrplan.htm",
		"/fahrplan.htm": "/timetables.php", "/summer": "/season", "/season": "/summer", "/book": "/tickets.cfm"} {
		assert.Equal(t, to, get(t, c, "http://www.skerrywick.example"+at).Location, at)
	}
	assert.Equal(t, 404, get(t, c, "http://www.skerrywick.example/ports/nordvoe").Status)
	assert.Equal(t, 404, get(t, c, "http://www.skerrywick.example/index.php?item=999").Status)
}

func TestNewSiteAnswersAsThePlan(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	s, err := demo.Start(demo.NewSite(p), "0", "0")
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	c := client(t, s)
	for _, row := range demotest.ReadExpected(t, "../..", "") {
		r, err := plan.NewRequest(row.Method, row.URL)
		require.NoError(t, err)
		if row.Method != "GET" || row.Outcome == "foreign" {
			continue
		}
		a, err := p.Answer(r)
		require.NoError(t, err)
		reply, err := c.Get(context.Background(), r.Address)
		require.NoError(t, err, row.URL)
		assert.Equal(t, a.Status, reply.Status, row.URL)
		assert.Equal(t, a.To, reply.Location, row.URL)
		if a.Canonical != "" {
			assert.Contains(t, string(reply.Body), `<link rel="canonical" href="`, row.URL)
		}
	}
}

func TestTheSiteIsAsDescribed(t *testing.T) {
	records, err := csv.NewReader(strings.NewReader(string(demotest.File(t, demo.OldSite)))).ReadAll()
	require.NoError(t, err)
	pages, states, languages := map[string]bool{}, map[string]int{}, map[string]int{}
	for _, r := range records[1:] {
		if ref := r[0] + "@" + r[1]; !pages[ref] {
			pages[ref] = true
			states[r[4]]++
			languages[r[1]]++
		}
	}
	assert.Len(t, pages, 189)
	assert.Equal(t, map[string]int{"live": 181, "gone": 4, "away": 3, "draft": 1}, states)
	assert.Equal(t, map[string]int{"en": 77, "de": 57, "nb": 55}, languages)
}

// A crawl of the old site finds its pages by their links, and what robots.txt
// forbids is not asked for.
func TestOldSiteIsCrawled(t *testing.T) {
	handler, err := demo.OldServer()
	require.NoError(t, err)
	s, err := demo.Start(handler, "0", "0")
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	p := demotest.Gathered(t, t.TempDir())
	gatherer := gather.Gatherer{Settings: p.Settings}
	start, err := address.Parse("http://www.skerrywick.example/")
	require.NoError(t, err)
	crawler := crawl.Crawler{Asker: client(t, s), Site: demo.Site(), Agent: "young-compass", Max: 1000,
		Queue: gatherer.Ask}
	pages, err := crawler.Run(context.Background(), []address.Address{start})
	require.NoError(t, err)
	found := map[string]int{}
	for _, page := range pages {
		if page.HTML {
			found[page.Signals.Language]++
		} else {
			found[page.Why]++
		}
	}
	assert.Equal(t, map[string]int{"en": 79, "de": 53, "nb": 51, "robots.txt forbids it": 1}, found)
}

// docs/demo.md says where each trouble of the neglected site is.
func TestNeglectIsDocumented(t *testing.T) {
	text, err := os.ReadFile("../../docs/demo.md")
	require.NoError(t, err)
	_, planted := demo.Neglected(demotest.Accepted(t, t.TempDir()), demo.NeglectSeed, nil)
	assert.Len(t, planted, 24)
	for _, p := range planted {
		assert.Contains(t, string(text), "| "+p.Name+" | "+strings.TrimPrefix(p.At[0],
			"https://skerrywick.example")+" | `"+string(p.Code)+"` |")
	}
}
