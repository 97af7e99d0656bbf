package probe_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/crawl"
	"young-compass/internal/fetch"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/probe"
	"young-compass/internal/visits"
)

func TestLeavingAnIndex(t *testing.T) {
	site, err := address.SiteOf("https://skerrywick.example/", nil)
	require.NoError(t, err)
	at := func(local string) address.Address {
		a, err := address.Parse("https://skerrywick.example" + local)
		require.NoError(t, err)
		return a
	}
	web := canonical.Web{}
	meet := func(local string, p crawl.Page) {
		p.Address = at(local)
		web[p.Address] = &p
	}
	meet("/a?sid=1", crawl.Page{Status: 200, HTML: true})
	meet("/b?sid=1", crawl.Page{Status: 301, To: at("/b")})
	meet("/c?sid=1&page=2", crawl.Page{Status: 410})
	meet("/d?sid=1", crawl.Page{Status: 200, HTML: true, Blocked: true, Header: crawl.Header{Robots: "noindex"}})
	meet("/e?sid=1", crawl.Page{Failure: fetch.Failure("timeout")})
	meet("/f?page=1", crawl.Page{Status: 200, HTML: true})
	v := probe.Survey{Plan: &plan.Plan{Settings: &planfile.Settings{}}, Web: web, Visits: []visits.Visit{
		{Address: at("/a?sid=1"), Robots: 2, Last: "2026-11-20"},
		{Address: at("/b?sid=1"), Robots: 2, Last: "2026-11-19"},
		{Address: at("/g?sid=9"), Visitors: 7, Last: "2026-11-22"},
		{Address: at("/h"), Robots: 1, Last: "2026-11-22"},
	}}
	v.Plan.Site = site
	assert.Equal(t, probe.Leaving{Addresses: 6, Asked: 4, Marked: 3, Blocked: 1, Unseen: 1, Crawled: 1},
		v.Leaving("sid", "2026-11-20"))
	assert.Zero(t, v.Leaving("sid", "").Crawled, "nobody said since when")
	assert.Equal(t, probe.Leaving{}, v.Leaving("other", "2026-11-20"))
}

func TestStepsOfLeaving(t *testing.T) {
	for name, test := range map[string]struct {
		leaving probe.Leaving
		want    [4]bool
	}{
		"nothing was asked": {probe.Leaving{}, [4]bool{false, true, false, false}},
		"all are marked":    {probe.Leaving{Addresses: 2, Asked: 2, Marked: 2}, [4]bool{true, true, false, false}},
		"crawlers saw it": {probe.Leaving{Addresses: 2, Asked: 2, Marked: 2, Crawled: 2},
			[4]bool{true, true, true, false}},
		"blocked in the end": {probe.Leaving{Addresses: 2, Asked: 2, Marked: 2, Blocked: 2, Crawled: 2},
			[4]bool{true, false, true, true}},
		"blocked unseen": {probe.Leaving{Addresses: 2, Asked: 2, Marked: 2, Blocked: 2, Unseen: 1},
			[4]bool{true, false, false, false}},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, test.want, test.leaving.Done()) })
	}
}
