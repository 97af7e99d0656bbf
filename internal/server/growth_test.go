//go:build linux

package server_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
)

// hostilePaths are addresses of n bytes that keep expressions busy which can be read in many ways.
func hostilePaths() map[string]func(n int) string {
	fill := func(begin, unit, end string) func(n int) string {
		return func(n int) string {
			return begin + strings.Repeat(unit, max(0, n-len(begin)-len(end))/len(unit)) + end
		}
	}
	return map[string]func(n int) string{
		"extensions":                 fill("/a", ".html", "x"),
		"extensions, one at the end": fill("/a", ".html", "x.html"),
		"index files":                fill("/a", "/index.php", "/x"),
		"index files at the end":     fill("/a", "/index.php", ""),
		"index files and more":       fill("/a", "/index.php.html", "/x.html"),
		"slashes":                    fill("/a", "/", "x"),
		"slashes at the end":         fill("/a", "/", ""),
		"slashes, then an index":     fill("/a", "/", "index.php"),
		"prefixes":                   fill("", "/en", "/x"),
		"prefixes without an end":    fill("", "/en", "x"),
		"dots":                       fill("/a", "/./", "x"),
		"up":                         fill("/a", "/b", "/.."),
		"up and up": func(n int) string {
			return fill("/a", "/b", "")(n*2/5) + fill("", "/..",
				"/x")(n*3/5)
		},
		"segments":                  fill("", "/a", "/x.html"),
		"letters":                   fill("/", "A", ""),
		"encoded":                   fill("/", "%41", ""),
		"spaces":                    fill("/", "a%20", "b"),
		"session ids":               fill("/a", ";sid=a", "/x"),
		"session ids, begun":        fill("/a", ";sid", "/x"),
		"noise":                     fill("/a?", "sid=1&", "x"),
		"noise and others":          fill("/a?", "sid=1&b&", "x"),
		"names of headers":          fill("/b?", "k=1&", "x"),
		"ampersands":                fill("/a?", "&", "x"),
		"ampersands at the end":     fill("/a?x", "&", ""),
		"a pattern's list":          fill("/list", "/a", "/b."),
		"a pattern's middle":        fill("/mid", "/x", "/y"),
		"parameters with a meaning": fill("/item?", "id=&", "id=3"),
	}
}

// No address keeps a server busy for longer than its length allows: eight times the bytes take about eight times as
// long.
func TestHostileAddressesCostWhatTheirLengthDoes(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: times say nothing beside the race detector")
	}
	dir := t.TempDir()
	write(t, dir+"/"+project.PlanFile, `
site:
  origin: http://o.example
  hosts: [www.o.example]
  except: [/left/, /alone/x/]
  trusted-proxies: [192.0.2.1]
languages: {default: en}
parameters: {noise: [sid, ";sid", "s_*", {name: view, for: /b}]}
rules:
  - {from: "/list{/x*}/end", to: "/list{/x*}"}
  - {from: "/mid/{x}/z/{y}", to: "/mid/{y}/{x}"}
  - {for: [/b/], having: [k], headers: {X-Robots-Tag: noindex}}
  - {for: "/p{/x*}/{y}", having: [k], headers: {X-Robots-Tag: none}}
`)
	write(t, dir+"/"+project.RedirectsFile, "from,to,status\n/item?id=1,/one,301\n/old,/new,301\n")
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	g := compiled(t, p)
	const limit = 12 * time.Millisecond // what 8 kB may cost on a slow machine
	for _, target := range targets() {
		s := target.serve(t, g, site{})
		once := func(local string) time.Duration {
			var times []time.Duration
			for range 5 {
				begin := time.Now()
				_, err := s.Ask(ask{method: "GET", url: "http://o.example" + local})
				require.NoError(t, err)
				times = append(times, time.Since(begin))
			}
			return slices.Min(times)
		}
		for name, address := range hostilePaths() {
			var took []time.Duration
			for _, n := range []int{1000, 2000, 4000, 8000} {
				took = append(took, once(address(n)))
			}
			if took[3] > limit { // not slow, however it grows
				assert.Less(t, took[3], 32*max(took[0], time.Millisecond/2), "%s: %s: %v", target.Name(), name, took)
			}
			if took[3] > 3*time.Millisecond {
				t.Logf("%s: %s: %v", target.Name(), name, took)
			}
		}
		s.stop()
	}
}
