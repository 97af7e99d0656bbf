package probe_test

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
)

// asked starts a stand-in and returns a client that asks it in the names' place.
func asked(t *testing.T, handler http.Handler) *fetch.Client {
	t.Helper()
	s, err := demo.Start(handler, "0", "0")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	names := map[string]fetch.At{demo.StagingHost: at, demo.CopyHost: at}
	c, err := fetch.New(fetch.Options{Site: demo.Site(), Also: []string{demo.StagingHost, demo.CopyHost}, At: &at, Names: names, CA: s.Certificate})
	require.NoError(t, err)
	return c
}

// survey asks a stand-in and returns what is found.
func survey(t *testing.T, p *plan.Plan, handler http.Handler) (*probe.Survey, []finding.Finding) {
	t.Helper()
	s := probe.Surveyor{Plan: p, Client: asked(t, handler), Agent: "young-compass", Max: 5000, Now: time.Now(),
		Copies: []address.Address{{Scheme: "https", Host: demo.CopyHost, Path: "/"}}}
	v, err := s.Run(context.Background())
	require.NoError(t, err)
	var found []finding.Finding
	for _, section := range v.Judge() {
		found = append(found, section.Findings...)
	}
	finding.Sort(found)
	return v, found
}

// told returns findings as code and address, without notes.
func told(found []finding.Finding) []string {
	var list []string
	for _, f := range found {
		if f.Severity.AtLeast(finding.Warning) {
			list = append(list, f.Code+" "+f.Where.URL)
		}
	}
	slices.Sort(list)
	return list
}

func TestTheNewSiteHasNoTroubles(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	v, found := survey(t, p, demo.NewSite(p))
	assert.Empty(t, told(found), "%v", found)
	assert.Greater(t, len(v.Web), 181)
}

// Each trouble, planted alone at pages that a seed chooses, gives its finding
// and no other.
func TestEachTroubleAlone(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for _, seed := range []uint64{1, 2, 3} {
		for _, trouble := range demo.Troubles() {
			site, planted := demo.Neglected(p, seed, []demo.Trouble{trouble})
			_, found := survey(t, p, site)
			assert.Equal(t, []string{trouble.Code + " " + planted[0].At[0]}, told(found), "seed %d, %s: %v", seed, trouble.Name, found)
		}
	}
}

// All troubles together are each found once.
func TestAllTroubles(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	site, planted := demo.Neglected(p, demo.NeglectSeed, nil)
	_, found := survey(t, p, site)
	var want []string
	for _, trouble := range planted {
		want = append(want, trouble.Code+" "+trouble.At[0])
	}
	slices.Sort(want)
	assert.Equal(t, want, told(found))
	for _, trouble := range planted {
		for _, f := range found {
			if f.Code != trouble.Code || f.Where.URL != trouble.At[0] {
				continue
			}
			for _, other := range trouble.At[1:] {
				assert.Contains(t, fmt.Sprint(f.Related, f.Evidence), other, trouble.Name)
			}
			assert.NotEmpty(t, f.Advice, f.Code)
			assert.False(t, strings.ContainsAny(f.String(), "\x00\x1b"))
		}
	}
}

// Links to other hosts are asked only when that is wanted, and only once each.
func TestExternal(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	const far = "away.example"
	var heads []string
	handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Host == far {
			heads = append(heads, r.Method+" "+r.URL.Path)
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		_, _ = fmt.Fprintf(w, `<link rel=alternate type="application/rss+xml" href="/feed"><a href="http://%s/a">x</a><a href="http://%[1]s/a#b">x</a><a href="http://www.skerrywick.example/old">x</a><img src="http://%[1]s/i.png"><form action="http://%[1]s/"><input type=password>`, far)
		if r.URL.Path == "/feed" {
			_, _ = fmt.Fprint(w, `<rss><channel><item><title>x</title><link>http://skerrywick.example/x</link></item></channel></rss>`)
		}
	})
	s, err := demo.Start(handler, "0", "0")
	require.NoError(t, err)
	defer func() { _ = s.Close() }()
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	client, err := fetch.New(fetch.Options{Site: demo.Site(), At: &at, Names: map[string]fetch.At{far: at}, CA: s.Certificate})
	require.NoError(t, err)
	for _, external := range []bool{false, true} {
		surveyor := probe.Surveyor{Plan: p, Client: client, Agent: "young-compass", Max: 500, Sample: 4, External: external, Now: time.Now()}
		v, err := surveyor.Run(context.Background())
		require.NoError(t, err)
		found := map[string]int{}
		for _, section := range v.Judge() {
			for code, n := range finding.Count(section.Findings) {
				found[code] += n
			}
		}
		for _, code := range []string{"link-insecure", "mixed-content", "insecure-form", "no-https-redirect", "no-hsts"} {
			assert.Positive(t, found[code], code)
		}
		if !external {
			assert.Empty(t, heads)
			continue
		}
		assert.Equal(t, []string{"HEAD /a"}, heads)
		assert.Equal(t, 1, found["external-broken"])
	}
}
