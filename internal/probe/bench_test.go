package probe_test

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
	"golang.org/x/sync/errgroup"

	"young-compass/internal/address"
	"young-compass/internal/crawl"
	"young-compass/internal/demo"
	"young-compass/internal/fetch"
	"young-compass/internal/probe"
	"young-compass/internal/store"
)

// pages writes a folder of pages of about 30 KB, each with links to the next
// ones, and returns their paths.
func pages(b *testing.B, dir string, n int) []string {
	b.Helper()
	random := rand.New(rand.NewPCG(8, 2026))
	words := strings.Fields("ferry quay morning island harbour winter crossing ticket cabin deck bridge north " +
		"south wind tide lamp captain rope sheep stone church")
	var paths []string
	for i := range n {
		var t strings.Builder
		fmt.Fprintf(&t, `<!doctype html><html lang="en"><head><title>Page %d</title><link rel="canonical" `+
			`href="https://skerrywick.example/p/%d.html"><link rel="alternate" hreflang="de" `+
			`href="https://skerrywick.example/de/%d"></head><body><nav><ul>`, i, i, i)
		for j := 1; j <= 40; j++ {
			to := random.IntN(n)
			if j == 1 {
				to = (i + 1) % n // every page is linked
			}
			fmt.Fprintf(&t, `<li class="item"><a href="/p/%d.html">Page %d</a></li>`, to, to)
		}
		t.WriteString("</ul></nav><main>")
		for t.Len() < 30_000 {
			t.WriteString(`<p class="text">`)
			for range 60 {
				t.WriteString(words[random.IntN(len(words))] + " ")
			}
			t.WriteString("</p>\n")
		}
		t.WriteString("</main></body></html>")
		path := fmt.Sprintf("/p/%d.html", i)
		require.NoError(b, os.WriteFile(filepath.Join(dir, path), []byte(t.String()), 0o644))
		paths = append(paths, path)
	}
	return paths
}

// nginx serves a folder on a loopback port.
func nginx(b *testing.B, dir string) (port string) {
	b.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(b, err)
	_, port, _ = net.SplitHostPort(l.Addr().String())
	require.NoError(b, l.Close())
	config := filepath.Join(dir, "nginx.conf")
	require.NoError(b, os.WriteFile(config,
		[]byte(fmt.Sprintf("daemon off;\nuser root;\npid %s/pid;\nerror_log stderr crit;\nevents {}\nhttp { "+
			"access_log off; charset utf-8; types { text/html html; } keepalive_requests 1000000; server { listen "+
			"127.0.0.1:%s; root %s; } }\n", dir, port, dir)), 0o644))
	c := exec.Command("nginx", "-e", "stderr", "-c", config)
	require.NoError(b, c.Start())
	b.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	for range 100 {
		if conn, err := net.Dial("tcp", "127.0.0.1:"+port); err == nil {
			_ = conn.Close()
			return port
		}
		time.Sleep(20 * time.Millisecond)
	}
	b.Fatal("nginx doesn't answer")
	return ""
}

// BenchmarkCrawl compares a crawl that reads all signals and keeps them with a
// loop that only fetches and tokenises the same pages over as many connections.
// Both take turns; the ratio is the median.
func BenchmarkCrawl(b *testing.B) {
	const n, connections = 2_000, 8
	dir := b.TempDir()
	require.NoError(b, os.Chmod(dir, 0o755))
	require.NoError(b, os.Mkdir(filepath.Join(dir, "p"), 0o755))
	paths := pages(b, dir, n)
	port := nginx(b, dir)
	at := fetch.At{Host: "127.0.0.1", HTTPPort: port, HTTPSPort: "1"}
	site := demo.Site()
	site.Origin.Scheme = "http"
	bare := &http.Client{Transport: &http.Transport{MaxConnsPerHost: connections, MaxIdleConnsPerHost: connections,
		DisableCompression: true}}
	db, err := store.Open(b.TempDir())
	require.NoError(b, err)
	defer func() { _ = db.Close() }()
	crawlAll := func() {
		client, err := fetch.New(fetch.Options{Site: site, At: &at, Parallel: connections, UserAgent: "young-compass"})
		require.NoError(b, err)
		run, err := db.Begin(fmt.Sprint(time.Now()), time.Now)
		require.NoError(b, err)
		start := site.Origin
		start.Path = paths[0]
		c := crawl.Crawler{Asker: client, Visitor: probe.Recorder(client, run), Site: site, Max: n + 10,
			Together: connections,
			Queue: func(a address.Address) (address.Address, bool) {
				return a, a.Path != "/" && !strings.HasPrefix(a.Path, "/de/") && a.Scheme == "http"
			}}
		met := 0
		require.NoError(b, c.Walk(context.Background(), []address.Address{start},
			func(crawl.Page, []address.Address) { met++ }))
		require.NoError(b, run.Finish())
		require.Equal(b, n, met)
	}
	loop := func() {
		var group errgroup.Group
		group.SetLimit(connections)
		for _, path := range paths {
			group.Go(func() error {
				r, err := bare.Get("http://127.0.0.1:" + port + path)
				if err != nil {
					return err
				}
				defer func() { _ = r.Body.Close() }()
				body, err := io.ReadAll(r.Body)
				if err != nil {
					return err
				}
				t := html.NewTokenizer(strings.NewReader(string(body)))
				for t.Next() != html.ErrorToken {
					t.Token()
				}
				return nil
			})
		}
		require.NoError(b, group.Wait())
	}
	var ours, theirs, ratios []float64
	for b.Loop() {
		start := time.Now()
		loop()
		middle := time.Now()
		crawlAll()
		theirs, ours = append(theirs, n/middle.Sub(start).Seconds()), append(ours, n/time.Since(middle).Seconds())
		ratios = append(ratios, ours[len(ours)-1]/theirs[len(theirs)-1])
	}
	median := func(list []float64) float64 { slices.Sort(list); return list[len(list)/2] }
	b.ReportMetric(median(ours), "pages/s")
	b.ReportMetric(median(theirs), "bare-pages/s")
	b.ReportMetric(100*median(ratios), "%")
	b.ReportMetric(0, "ns/op")
}
