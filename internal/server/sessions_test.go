//go:build linux

package server_test

import (
	"strings"
	"testing"

	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
)

// Sessions in paths are left out on every server, however they are written; a listed script keeps its own.
func TestEveryServerAnswersAsThePlanWithSessionsInPaths(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	p := demotest.Accepted(t, t.TempDir())
	p.Noise = []string{"jsessionid", "s"}
	p.Reindex()
	var asks []ask
	for i, e := range p.Book.Entries {
		if e.State != book.Current && i%4 != 0 || i%3 != 1 {
			continue
		}
		at, query, _ := strings.Cut(e.Address.String(), "?")
		if query != "" {
			query = "?" + query
		}
		slash := strings.LastIndexByte(at, '/')
		if strings.Count(at, "/") == 3 {
			slash = 0 // nothing stands before it but the host
		}
		for _, session := range []string{";jsessionid=0A3F", ";JSESSIONID=x.node1", ";s=", "%3Bjsessionid%3Dab", "%3bs=a%20b", ";jsessionid=1;s=2", ";jsessionid",
			";other=1", ";jsessionidx=1"} {
			asks = append(asks, ask{method: "GET", url: at + session + query})
			if len(asks)%4 == 0 {
				if slash > len("https://") {
					asks = append(asks, ask{method: "GET", url: at[:slash] + session + at[slash:] + query})
				}
				asks = append(asks, ask{method: "GET", url: at + session + "/" + query}, ask{method: "POST", url: at + session + query})
			}
		}
	}
	for _, local := range []string{"/assets/site.css;s=1", "/assets;s=1/site.css", "/;s=1", "/en;s=1/", "/;jsessionid=2/ports", "/nothing;s=1", "/NOTHING;S=1",
		"/x.html;s=1", "/x;s=1.html", "/a%2F;s=1", "/.well-known/x;s=1"} {
		asks = append(asks, ask{method: "GET", url: "https://skerrywick.example" + local}, ask{method: "GET", url: "http://www.skerrywick.example" + local})
	}
	g := compiled(t, p)
	for _, target := range targets() {
		s := target.serve(t, g, demoSite(t, p))
		compare(t, target.Name()+", with sessions in paths", g, s, asks, target.Differences())
		s.stop()
	}
}
