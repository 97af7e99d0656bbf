package probe_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/gzip"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/probe"
)

// hostile is a site that does everything wrong.
type hostile struct{ sitemap, page []byte } // each packed

const endless = "<p>on and on and on "

// raw answers with bytes that no server should send.
func raw(w http.ResponseWriter, text ...string) {
	conn, _, err := w.(http.Hijacker).Hijack()
	if err != nil {
		return
	}
	defer func() { _ = conn.Close() }()
	for _, s := range text {
		if _, err := io.WriteString(conn, s); err != nil {
			return
		}
	}
}

// bomb is a hundred megabytes, packed.
func bomb(t *testing.T, head string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := io.WriteString(z, head)
	require.NoError(t, err)
	zeros := make([]byte, 1<<20)
	for range 100 {
		_, err := z.Write(zeros)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func (h hostile) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/html")
	moves := map[string]string{"/loop-a": "/loop-b", "/loop-b": "/loop-a", "/self": "/self", "/relative": "somewhere",
		"/to-file": "file:///etc/passwd", "/to-script": "javascript:alert(1)",
		"/to-loopback": "http://127.0.0.1:8080/admin", "/to-private": "http://10.0.0.1/",
		"/to-foreign": "https://evil.example/", "/to-control": "/x\x1b[2J"}
	if to, ok := moves[r.URL.Path]; ok {
		w.Header()["Location"] = []string{to}
		w.WriteHeader(301)
		return
	}
	ticking := func(every time.Duration, text string) {
		for r.Context().Err() == nil {
			if _, err := io.WriteString(w, text); err != nil {
				return
			}
			_ = http.NewResponseController(w).Flush()
			time.Sleep(every)
		}
	}
	switch path := r.URL.Path; {
	case path == "/robots.txt":
		_, _ = io.WriteString(w, "Sitemap: https://skerrywick.example/sitemap.xml\nUser-agent: *\n")
		for range 100 {
			if _, err := io.WriteString(w, strings.Repeat("Disallow: /nothing-at-all\n", 40_000)); err != nil {
				return
			}
		}
	case path == "/sitemap.xml":
		w.Header().Set("Content-Type", "application/gzip")
		_, _ = w.Write(h.sitemap)
	case path == "/":
		for _, link := range []string{"loop-a", "self", "relative", "to-file", "to-script", "to-loopback", "to-private",
			"to-foreign", "to-control", "endless", "slow", "chunks", "bomb", "headers", "bytes", "type", "canonicals",
			"cut", "nothing", "calendar?day=1", "deep/deep/", "file:///etc/passwd", "javascript:x", "http://[::1", "//",
			"\x00"} {
			_, _ = fmt.Fprintf(w, "<a href=\"%s\">x</a>", link)
		}
	case path == "/endless":
		ticking(0, strings.Repeat(endless, 1000))
	case path == "/slow":
		ticking(200*time.Millisecond, "x")
	case path == "/chunks":
		raw(w, "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\nbroken")
	case path == "/bomb":
		w.Header().Set("Content-Encoding", "gzip")
		_, _ = w.Write(h.page)
	case path == "/headers":
		raw(w, "HTTP/1.1 200 OK\r\n", strings.Repeat("X-Much: "+strings.Repeat("y", 1000)+"\r\n", 10_000), "\r\n")
	case path == "/bytes":
		_, _ = io.WriteString(w, "<title>\xff\xfe\x00\x1b[2J</title><link rel=canonical "+
			"href=\"/bytes\xff\"><h1>\xc3\x28</h1>")
	case path == "/type":
		w.Header().Set("Content-Type", "image/png; \xff=")
		_, _ = io.WriteString(w, "<a href=/never>x</a>")
	case path == "/canonicals":
		_, _ = io.WriteString(w, "<head>"+strings.Repeat(`<link rel=canonical href="/canonicals"><link rel=canonical `+
			`href="javascript:x"><link rel=alternate hreflang=de href=/de>`, 1000))
	case path == "/cut":
		raw(w, "HTTP/1.1 200 OK\r\nContent-Length: 1000\r\n\r\n<html>")
	case path == "/nothing":
		raw(w, "")
	case strings.HasPrefix(path, "/calendar"):
		day := 0
		_, _ = fmt.Sscanf(r.URL.Query().Get("day"), "%d", &day)
		_, _ = fmt.Fprintf(w, `<a href="/calendar?day=%d">next</a><a href="/calendar?day=%d">and</a>`, day+1, 2*day+1)
	case strings.HasPrefix(path, "/deep"):
		_, _ = io.WriteString(w, `<a href="deep/">x</a><a href="deeper/">x</a>`)
	default:
		http.NotFound(w, r)
	}
}

// Whatever a server does: the run ends in time, takes no more memory than its
// bounds allow, and each trouble is told.
func TestHostileServer(t *testing.T) {
	if testing.Short() {
		t.Skip("too long with the race detector; test.sh runs it without")
	}
	p := demotest.Accepted(t, t.TempDir())
	s, err := demo.Start(hostile{bomb(t,
		`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>https://skerrywick.example/listed</loc>`+
			`</url><url><loc>`),
		bomb(t, "<title>x</title>")}, "0", "0")
	require.NoError(t, err)
	defer func() { _ = s.Close() }()
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	client, err := fetch.New(fetch.Options{Site: demo.Site(), At: &at, CA: s.Certificate, Timeout: 5 * time.Second})
	require.NoError(t, err)
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	start := time.Now()
	surveyor := probe.Surveyor{Plan: p, Client: client, Agent: "young-compass", Max: 2000, Now: time.Now()}
	v, err := surveyor.Run(context.Background())
	require.NoError(t, err)
	sections := v.Judge()
	assert.Less(t, time.Since(start), 2*time.Minute)
	runtime.ReadMemStats(&after)
	assert.Less(t, after.HeapInuse, before.HeapInuse+(400<<20))
	codes := map[string][]string{}
	for _, section := range sections {
		for _, f := range section.Findings {
			codes[string(f.Code)] = append(codes[string(f.Code)], f.Where.URL+strings.Join(f.Evidence, " "))
			assert.False(t, strings.ContainsAny(fmt.Sprint(f), "\x00\x1b"), string(f.Code))
		}
	}
	base := "https://skerrywick.example"
	for code, urls := range map[string][]string{
		"redirect-loop":        {"/loop-a", "/self"},
		"redirect-unreadable":  {"/to-file", "/to-script"},
		"redirect-private":     {"/to-loopback", "/to-private"},
		"redirect-foreign":     {"/to-foreign"},
		"no-answer":            {"/to-control", "/slow", "/chunks", "/headers", "/cut", "/nothing"},
		"canonical-unreadable": {"/canonicals"},
		"endless-links":        {"/calendar"},
		"robots-too-long":      {"/robots.txt"},
		"sitemap-unreadable":   {"/sitemap.xml"},
	} {
		t.Run(code, func(t *testing.T) {
			for _, url := range urls {
				assert.Contains(t, strings.Join(codes[code], " ")+" ", base+url, code)
			}
		})
	}
	a := p.Site.Origin
	a.Path = "/endless"
	assert.True(t, v.Web[a].Truncated)
	a.Path = "/bomb"
	assert.True(t, v.Web[a].Truncated)
	a.Path = "/type"
	assert.False(t, v.Web[a].HTML)
	a.Path = "/listed"
	assert.Contains(t, v.Listed, a)
}

// A server that doesn't answer as it should on https, or not at all, is told in
// a finding.
func TestCertificates(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	s, err := demo.Start(http.NotFoundHandler(), "0", "0")
	require.NoError(t, err)
	defer func() { _ = s.Close() }()
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	closed := at
	closed.HTTPSPort = "1"
	for name, c := range map[string]struct {
		options fetch.Options
		code    string
		failure fetch.Failure
	}{
		"self-signed":  {fetch.Options{Site: demo.Site(), At: &at}, "certificate-invalid", fetch.Certificate},
		"closed port":  {fetch.Options{Site: demo.Site(), At: &closed, CA: s.Certificate}, "no-https", fetch.Closed},
		"no such name": {fetch.Options{Site: demo.Site(), Timeout: 3 * time.Second}, "no-https", fetch.NoName},
	} {
		t.Run(name, func(t *testing.T) {
			client, err := fetch.New(c.options)
			require.NoError(t, err)
			surveyor := probe.Surveyor{Plan: p, Client: client, Agent: "young-compass", Max: 3, Now: time.Now()}
			v, err := surveyor.Run(context.Background())
			require.NoError(t, err, name)
			found := finding.Count(v.Judge()[probe.Secure].Findings)
			assert.Positive(t, found[c.code], "%s: %v", name, found)
			assert.Equal(t, c.failure, v.Certificates[0].Failure, name)
		})
	}
}
