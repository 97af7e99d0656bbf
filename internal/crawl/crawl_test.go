package crawl_test

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/crawl"
	"young-compass/internal/demo"
	"young-compass/internal/fetch"
	"young-compass/internal/page"
)

// site answers from texts: a page, "301 /to", or "404".
type site struct {
	texts map[string]string
	mu    sync.Mutex
	asked []string
}

func (s *site) Get(_ context.Context, a address.Address) (fetch.Reply, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked = append(s.asked, a.String())
	text, ok := s.texts[a.Local()]
	header := http.Header{"Content-Type": {"text/html"}}
	switch {
	case a.Local() == "/robots.txt" && !ok, !ok:
		return fetch.Reply{Status: 404, Header: header}, nil
	case strings.HasPrefix(text, "301 "):
		return fetch.Reply{Status: 301, Location: text[4:], Header: header}, nil
	case text == "503":
		return fetch.Reply{Status: 503, Header: header}, nil
	case text == "broken":
		return fetch.Reply{}, errors.New("no answer")
	case text == "image":
		header.Set("Content-Type", "image/png")
	}
	return fetch.Reply{Status: 200, Header: header, Body: []byte(text)}, nil
}

func walk(t *testing.T, texts map[string]string, most int) (*site, []crawl.Page) {
	t.Helper()
	s := &site{texts: texts}
	c := crawl.Crawler{Asker: s, Site: demo.Site(), Agent: "young-compass", Max: most,
		Queue: func(a address.Address) (address.Address, bool) {
			a.Query = ""
			return a, !strings.HasSuffix(a.Path, ".pdf")
		}}
	pages, err := c.Run(context.Background(), []address.Address{demo.Site().Origin})
	require.NoError(t, err)
	return s, pages
}

func TestRun(t *testing.T) {
	s, pages := walk(t, map[string]string{
		"/robots.txt": "User-agent: young-compass\nDisallow: /private",
		"/": `<a href="b?x=1"><a href="/b?x=2"><a href="/private/x"><a href="https://other.example/"><a ` +
			`href="mailto:x"><a href="x.pdf"><a href="/old"><a href="/image"><a href="/broken"><a href="/lost#top">`,
		"/b": `<base href="/deep/"><a href="c"><meta name=robots content="noindex">`,
		"/deep/c": `<meta name=robots content=nofollow><a href="/never"><link rel=canonical href="/b"><link ` +
			`rel=alternate hreflang=de href="/de">`,
		"/old": "301 /new", "/new": "<title>New</title>", "/image": "image", "/broken": "broken", "/de": "",
	}, 100)
	var met []string
	for _, p := range pages {
		met = append(met, strings.TrimSpace(p.Address.Local()+" "+p.Why+strings.TrimPrefix(p.To.String(), "://")))
	}
	assert.Equal(t, []string{"/", "/b", "/broken no answer", "/image no HTML page", "/lost answered 404",
		"/old https://skerrywick.example/new", "/private/x robots.txt forbids it", "/deep/c", "/new", "/de"}, met)
	for _, a := range s.asked {
		assert.NotContains(t, a, "private")
		assert.NotContains(t, a, "never")
		assert.NotContains(t, a, "other.example")
	}
	_, pages = walk(t, map[string]string{"/": `<a href=a><a href=b><a href=c>`}, 3)
	assert.Len(t, pages, 3)
}

func TestNoRobotsNoWalk(t *testing.T) {
	for robots, allowed := range map[string]bool{"503": false, "broken": false, "301 /r": true, "301 /robots.txt": true,
		"301 https://other.example/robots.txt": true} {
		s, pages := walk(t, map[string]string{"/robots.txt": robots, "/": "<title>Home</title>"}, 10)
		assert.Equal(t, allowed, pages[0].HTML, robots)
		for _, a := range s.asked {
			assert.NotContains(t, a, "other.example")
		}
	}
}

// A robots.txt that redirects to another host is read there, where somebody may ask it (RFC 9309 section 2.3.1.2); pages
// elsewhere are not.
func TestRobotsElsewhere(t *testing.T) {
	s := &site{texts: map[string]string{"/robots.txt": "301 https://other.example/robots.txt", "/": "<title>Home</title>"}}
	c := crawl.Crawler{Asker: s, Site: demo.Site(), Agent: "young-compass", Max: 10,
		Queue: func(a address.Address) (address.Address, bool) { return a, true },
		Elsewhere: func(_ context.Context, a address.Address) (fetch.Reply, error) {
			assert.Equal(t, "https://other.example/robots.txt", a.String())
			return fetch.Reply{Status: 200, Body: []byte("User-agent: *\nDisallow: /")}, nil
		}}
	pages, err := c.Run(context.Background(), []address.Address{demo.Site().Origin})
	require.NoError(t, err)
	assert.True(t, pages[0].Blocked)
	assert.Equal(t, "robots.txt forbids it", pages[0].Why)
}

func TestInterrupted(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	c := crawl.Crawler{Asker: &site{}, Site: demo.Site(), Max: 5,
		Queue: func(a address.Address) (address.Address, bool) { return a, true }}
	_, err := c.Run(ctx, []address.Address{demo.Site().Origin})
	assert.ErrorIs(t, err, context.Canceled)
}

// What a Link header says is read as RFC 8288 has it, the first of a parameter.
func TestReadHeader(t *testing.T) {
	h := http.Header{"Link": {`</c>; rel="Canonical up"; title="a, \"b\"; c", <https://skerrywick.example/de> ; ` +
		`rel=alternate; hreflang=de; hreflang=en`,
		`<x>; rel=next`, `broken, </never>; rel=canonical`},
		"X-Robots-Tag": {"NoIndex", "nofollow"}, "Set-Cookie": {"a=1; Secure", "b=2; Path=/", "=", "c=3"},
		"Content-Language": {"de"}}
	p := crawl.Read(demo.Site().Origin, fetch.Reply{Status: 404, Header: h}, nil)
	assert.Equal(t, crawl.Header{Canonical: "/c",
		Alternates: []page.Alternate{{Language: "de", Link: "https://skerrywick.example/de"}},
		Robots:     "noindex, nofollow", Language: "de", Exposed: []string{"b", "c"}}, p.Header)
	assert.True(t, p.NoIndex())
}

func FuzzReadHeader(f *testing.F) {
	f.Add(`</c>; rel="canonical"; a="\"`)
	f.Add(`<;>;;=,<>`)
	f.Fuzz(func(_ *testing.T, link string) {
		crawl.Read(demo.Site().Origin, fetch.Reply{Status: 200, Header: http.Header{"Link": {link}}}, nil)
	})
}
