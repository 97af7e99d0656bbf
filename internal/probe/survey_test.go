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

	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/probe"
)

// told returns findings as code and address, without notes.
func told(found []finding.Finding) []string {
	var list []string
	for _, f := range found {
		if f.Severity.AtLeast(finding.Warning) {
			list = append(list, string(f.Code)+" "+f.Where.URL)
		}
	}
	slices.Sort(list)
	return list
}

func TestTheNewSiteHasNoTroubles(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	v, found := demotest.Survey(t, p, demo.NewSite(p))
	assert.Empty(t, told(found), "%v", found)
	assert.Greater(t, len(v.Web), 181)
}

// Each trouble, planted alone at pages that a seed chooses, gives its finding
// and no other.
func TestEachTroubleAlone(t *testing.T) {
	if testing.Short() {
		t.Skip("too long with the race detector; test.sh runs it without")
	}
	p := demotest.Accepted(t, t.TempDir())
	seeds := []uint64{1, 2, 3}
	if testing.Short() {
		seeds = seeds[:1]
	}
	for _, seed := range seeds {
		for _, trouble := range demo.Troubles() {
			site, planted := demo.Neglected(p, seed, []demo.Trouble{trouble})
			_, found := demotest.Survey(t, p, site)
			assert.Equal(t, []string{string(trouble.Code) + " " + planted[0].At[0]}, told(found), "seed %d, %s: %v",
				seed, trouble.Name, found)
		}
	}
}

// All troubles together are each found once.
func TestAllTroubles(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	site, planted := demo.Neglected(p, demo.NeglectSeed, nil)
	_, found := demotest.Survey(t, p, site)
	var want []string
	for _, trouble := range planted {
		want = append(want, string(trouble.Code)+" "+trouble.At[0])
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
			if f.Code == "near-duplicate" {
				assert.Regexp(t, `^most speaks for https://skerrywick.example/ports/st-brides-ness \(the plan names it, the sitemap lists it, \d+ pages link to it\); `, f.Advice)
			}
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
		_, _ = fmt.Fprintf(w, `<link rel=alternate type="application/rss+xml" href="/feed"><a href="http://%s/a">x</a>`+
			`<a href="http://%[1]s/a#b">x</a><a href="http://www.skerrywick.example/old">x</a><img `+
			`src="http://%[1]s/i.png"><form action="http://%[1]s/"><input type=password>`, far)
		if r.URL.Path == "/feed" {
			_, _ = fmt.Fprint(w, `<rss><channel><item><title>x</title><link>http://skerrywick.example/x</link></item>`+
				`</channel></rss>`)
		}
	})
	s, err := demo.Start(handler, "0", "0")
	require.NoError(t, err)
	defer func() { _ = s.Close() }()
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	client, err := fetch.New(fetch.Options{Site: demo.Site(), At: &at, Names: map[string]fetch.At{far: at},
		CA: s.Certificate})
	require.NoError(t, err)
	for _, external := range []bool{false, true} {
		surveyor := probe.Surveyor{Plan: p, Client: client, Agent: "young-compass", Max: 500, Sample: 4,
			External: external, Now: time.Now()}
		v, err := surveyor.Run(context.Background())
		require.NoError(t, err)
		found := map[string]int{}
		for _, section := range v.Judge() {
			for code, n := range finding.Count(section.Findings) {
				found[code] += n
			}
		}
		for _, code := range []string{"link-insecure", "mixed-content", "insecure-form", "no-https-redirect",
			"no-hsts"} {
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

// What parameters do is told by asking: with them, without them, and in another
// order.
func TestParametersByEvidence(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	lines := []string{"The ferry leaves the old quay at seven in the morning.",
		"Tickets are sold on board and at the harbour office.", "Bicycles travel free of charge on all the islands.",
		"Dogs wait on deck, and sheep in the hold below it.", "In winter nobody knows when the last boat comes back."}
	handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		q := r.URL.Query()
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if q.Has("away") {
			w.Header()["Location"] = []string{"https://skerrywick.example" + r.URL.Path}
			w.WriteHeader(301)
			return
		}
		text := slices.Clone(lines)
		for i := range text {
			text[i] = r.URL.Path + " " + text[i]
		}
		if q.Get("order") == "down" {
			slices.Reverse(text)
		}
		if q.Has("boat") {
			for i := range text {
				text[i] = "Boat " + q.Get("boat") + " carries other words: " +
					strings.ToUpper(text[i][len(text[i])/2:]) + q.Get("boat")
			}
		}
		self := "https://skerrywick.example" + r.URL.RequestURI()
		if !q.Has("two") {
			self = "https://skerrywick.example" + r.URL.Path +
				map[bool]string{true: "?boat=" + q.Get("boat")}[q.Has("boat")]
		}
		_, _ = fmt.Fprintf(w, `<link rel=canonical href="%s"><p>%s</p>`, self, strings.Join(text, "</p><p>"))
		for _, path := range []string{"/contact", "/about-us", "/tickets-and-fares"} {
			for _, query := range []string{"away=1", "order=down", "boat=" + path[1:3], "mark_ref=x",
				"one=1&amp;two=2"} {
				_, _ = fmt.Fprintf(w, `<a href="%s?%s">x</a>`, path, query)
			}
		}
	})
	v, found := demotest.Survey(t, p, handler)
	got := map[string]string{}
	for _, parameter := range v.Parameters {
		got[parameter.Name] = fmt.Sprintf("%s %d of %d", parameter.Proposed, parameter.Agree, parameter.Told)
	}
	assert.Equal(t, map[string]string{"away": "noise 3 of 3", "order": "display 3 of 3", "boat": "identity 3 of 3",
		"mark_ref": "tracking 3 of 3", "one": "noise 3 of 3", "two": "noise 3 of 3"}, got)
	counts := finding.Count(found)
	assert.Equal(t, 5, counts["parameter-unclassified"], "%v", counts)
	assert.Equal(t, 1, counts["parameter-duplicates"], "one and two are in one address")
}

// The same page under both orders of its parameters.
func TestOrderOfParameters(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		text := "The ferry leaves the old quay at seven in the morning and comes back by nightfall, wind and tide " +
			"allowing."
		if r.URL.Query().Has("season") && r.URL.Query().Has("boat") {
			text = "Season and boat together make a page with words of its own, which no other page of this site " +
				"has got at all."
		}
		_, _ = fmt.Fprintf(w, `<link rel=canonical href="https://skerrywick.example%s"><p>%s</p><a `+
			`href="/contact?season=winter&amp;boat=hilda">x</a>`,
			r.URL.RequestURI(), text)
	})
	_, found := demotest.Survey(t, p, handler)
	assert.Equal(t, 1, finding.Count(found)["parameter-order"])
}

// Where robots.txt can't be had, nothing but what is known is asked.
func TestRobotsUnavailable(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	site := demo.NewSite(p)
	_, found := demotest.Survey(t, p, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/robots.txt" {
			http.Error(w, "503", http.StatusServiceUnavailable)
			return
		}
		site.ServeHTTP(w, r)
	}))
	assert.Contains(t, told(found), "robots-unavailable https://skerrywick.example/robots.txt")
}

// A page in another language than the plan says, or than its own header.
func TestLanguageOfPages(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	site := demo.NewSite(p)
	_, found := demotest.Survey(t, p, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/contact":
			_, _ = fmt.Fprint(w, `<!doctype html><html lang="de"><link rel=canonical `+
				`href="https://skerrywick.example/contact"><p>Schreiben Sie uns`)
		case "/about-us":
			w.Header().Set("Content-Language", "nb")
			site.ServeHTTP(w, r)
		default:
			site.ServeHTTP(w, r)
		}
	}))
	list := told(found)
	assert.Contains(t, list, "language-against-plan https://skerrywick.example/contact")
	assert.Contains(t, list, "language-disagrees https://skerrywick.example/about-us")
}
