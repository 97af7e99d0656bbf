//go:build linux

package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/klauspost/compress/gzip"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/probe"
	"young-compass/internal/project"
)

// measured is what a run took.
type measured struct {
	status  int
	out     []byte
	took    time.Duration
	memory  int64 // bytes, at most
	message string
}

// measure runs the program, for two minutes at most.
func measure(t *testing.T, program string, args ...string) (m measured) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	var out, messages bytes.Buffer
	c := exec.CommandContext(ctx, program, args...)
	c.Stdout, c.Stderr = &out, &messages
	begun := time.Now()
	err := c.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	require.NoError(t, ctx.Err(), "it didn't end: %s", args)
	usage, ok := c.ProcessState.SysUsage().(*syscall.Rusage)
	require.True(t, ok)
	return measured{c.ProcessState.ExitCode(), out.Bytes(), time.Since(begun), usage.Maxrss << 10, messages.String()}
}

// accepted is a project of its own for each run.
func accepted(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	demotest.Accepted(t, dir)
	return dir
}

// page answers with an HTML page.
func page(w http.ResponseWriter, write func(w io.Writer)) {
	w.Header().Set("Content-Type", "text/html")
	_, _ = io.WriteString(w, "<!doctype html><html lang=en><head><title>x</title>")
	write(w)
}

// hostileSites are sites that want a client's time and memory.
func hostileSites(t *testing.T) map[string]http.HandlerFunc {
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	for range 200 {
		_, err := z.Write(bytes.Repeat([]byte("<a href=/x>"), 100_000))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	var n atomic.Int64
	many := func(format string, most int) http.HandlerFunc {
		return func(w http.ResponseWriter, r *http.Request) {
			page(w, func(w io.Writer) {
				first := n.Add(int64(most))
				for i := range int64(most) {
					_, _ = fmt.Fprintf(w, format, i, first+i)
				}
			})
		}
	}
	drip := func(text string, every time.Duration) http.HandlerFunc {
		return func(w http.ResponseWriter, r *http.Request) {
			page(w, func(io.Writer) {
				for r.Context().Err() == nil {
					if _, err := io.WriteString(w, text); err != nil {
						return
					}
					_ = http.NewResponseController(w).Flush()
					time.Sleep(every)
				}
			})
		}
	}
	return map[string]http.HandlerFunc{
		"20,000 translations a page": many("<link rel=alternate hreflang=x%d href=/t/%d>", 20_000),
		"100,000 links a page":       many("<!--%d--><a href=/l/%d>l</a>", 100_000),
		"a new parameter each link":  many("<a href='/p?a%[2]d=1&b%[2]d=%[1]d'>l</a>", 50),
		"other hosts":                many("<!--%d--><a href=https://h%d.example/>l</a>", 50_000),
		"sitemaps of sitemaps": func(w http.ResponseWriter, r *http.Request) {
			if !strings.HasSuffix(r.URL.Path, ".xml") {
				http.NotFound(w, r)
				return
			}
			_, _ = io.WriteString(w, `<sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
			for range 10_000 {
				_, _ = fmt.Fprintf(w, "<sitemap><loc>https://skerrywick.example/%d.xml</loc></sitemap>", n.Add(1))
			}
			_, _ = io.WriteString(w, "</sitemapindex>")
		},
		"redirects on and on": func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, fmt.Sprintf("/r/%d", n.Add(1)), http.StatusFound)
		},
		"101 to all": func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Upgrade", "x")
			w.Header().Set("Connection", "Upgrade")
			w.WriteHeader(http.StatusSwitchingProtocols)
		},
		"pages without an end": drip(strings.Repeat("<p>on and on", 5000), 0),
		"packed 220 MB": func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Encoding", "gzip")
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write(packed.Bytes())
		},
		"headers without an end": func(w http.ResponseWriter, r *http.Request) {
			conn, _, err := w.(http.Hijacker).Hijack()
			if err != nil {
				return
			}
			defer func() { _ = conn.Close() }()
			_, err = io.WriteString(conn, "HTTP/1.1 200 OK\r\n")
			for err == nil {
				_, err = io.WriteString(conn, strings.Repeat("X-Much: y\r\n", 1000))
			}
		},
	}
}

// The bounds of what a site may make probe take. Of the addresses that it asks for, each may be asked again on http and
// without a parameter; a few more are robots.txt, sitemaps and certificates.
const (
	siteAddresses = 60 // of --max
	siteMemory    = 600 << 20
	siteRequests  = 3*siteAddresses + 100
)

func TestHostileSites(t *testing.T) {
	t.Parallel()
	program := built(t)
	told := map[string]string{"20,000 translations a page": "alternates-too-many", "redirects on and on": "no-answer",
		"101 to all": "no-answer", "headers without an end": "no-answer"}
	for name, site := range hostileSites(t) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			var asked atomic.Int64
			at, ca := standIn(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				asked.Add(1)
				site(w, r)
			}))
			m := measure(t, program, "probe", "canonicals", "parameters", "languages", "https", "index", "--project",
				accepted(t), "--at", at, "--ca", ca, "--max", strconv.Itoa(siteAddresses), "--rate", "0", "--timeout", "5s", "--format", "json")
			t.Logf("bounds: %s: %d requests (%d), %.0f MB (%d), %.1f s, status %d, %.1f MB of JSON", name, asked.Load(),
				siteRequests, float64(m.memory)/1e6, siteMemory/1_000_000, m.took.Seconds(), m.status, float64(len(m.out))/1e6)
			assert.Equal(t, 1, m.status, m.message)
			if code, ok := told[name]; ok {
				assert.Contains(t, string(m.out), `"`+code+`"`)
			}
			assert.LessOrEqual(t, asked.Load(), int64(siteRequests))
			assert.Less(t, m.memory, int64(siteMemory))
		})
	}
}

var rows = flag.Int("rows", 100_000, "how many addresses TestManyAddresses gathers")

// TestManyAddresses gathers a sitemap and logs in which no two addresses are the same, as a scanner fills them, into an
// empty project: 1.5 KB an address are enough.
func TestManyAddresses(t *testing.T) {
	t.Parallel()
	program := built(t)
	logLine := `192.0.2.7 - - [12/Oct/2026:13:00:00 +0000] "GET /scan/%d/crossing-%d?x=1 HTTP/1.1" %d 512 "-" "Mozilla/5.0"` +
		"\n"
	for name, source := range map[string]struct{ head, line, foot string }{
		"sitemap": {`<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">` + "\n",
			"<url><loc>https://skerrywick.example/fares/%d/crossing-%d</loc></url>\n", "</urlset>\n"},
		"log of pages":            {"", strings.ReplaceAll(logLine, "%d 512", "200 512"), ""},
		"log of what isn't there": {"", strings.ReplaceAll(logLine, "%d 512", "404 512"), ""},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			path := filepath.Join(dir, "source")
			f, err := os.Create(path)
			require.NoError(t, err)
			w := bufio.NewWriter(f)
			_, _ = w.WriteString(source.head)
			for n := range *rows {
				_, _ = fmt.Fprintf(w, source.line, n%997, n)
			}
			_, _ = w.WriteString(source.foot)
			require.NoError(t, errors.Join(w.Flush(), f.Close()))
			plan := "site: {origin: https://skerrywick.example}\n"
			require.NoError(t, os.WriteFile(filepath.Join(dir, project.PlanFile), []byte(plan), 0o644))
			bound := int64(max(400e6, 1500*float64(*rows))) // of few, memory is not scarce
			m := measure(t, program, "gather", path, "--project", dir)
			t.Logf("bounds: %s of %d addresses: %.0f MB (%d), %.1f s", name, *rows, float64(m.memory)/1e6, bound/1e6,
				m.took.Seconds())
			assert.Zero(t, m.status, m.message)
			assert.LessOrEqual(t, m.memory, bound)
			want := *rows
			if strings.Contains(name, "isn't") {
				want = 0
			}
			assert.Equal(t, want+1, strings.Count(text(t, dir, project.PagesFile), "\n"))
		})
	}
}

// TestSitesThatDontAnswer asks each kind of question of sites that answer nothing, or not all, and holds the table in
// docs/probe.md to what comes of it.
func TestSitesThatDontAnswer(t *testing.T) {
	t.Parallel()
	program := built(t)
	broken := func(w http.ResponseWriter, r *http.Request) { http.Error(w, "broken", http.StatusInternalServerError) }
	sites := map[string]http.HandlerFunc{
		"refuses connections": nil,
		"closes them without an answer": func(w http.ResponseWriter, r *http.Request) {
			if conn, _, err := w.(http.Hijacker).Hijack(); err == nil {
				_ = conn.Close()
			}
		},
		"never answers": func(w http.ResponseWriter, r *http.Request) { <-r.Context().Done() },
		"answers 500":   broken,
		"answers 500 at every second address": func(w http.ResponseWriter, r *http.Request) {
			if len(r.URL.Path)%2 == 0 {
				broken(w, r)
				return
			}
			page(w, func(io.Writer) {})
		}}
	documented := deadSites(t)
	require.Len(t, documented, len(sites))
	for name, site := range sites {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			at, ca := "127.0.0.1:9,9", ""
			if site != nil {
				at, ca = standIn(t, site)
			}
			for _, kind := range probe.Kinds() {
				t.Run(kind, func(t *testing.T) {
					t.Parallel()
					limit := "20s" // a busy machine is no site that doesn't answer
					if name == "never answers" {
						limit = "1s"
					}
					args := []string{"probe", kind, "--project", accepted(t), "--at", at, "--rate", "0", "--timeout", limit,
						"--format", "json"}
					if ca != "" {
						args = append(args, "--ca", ca)
					}
					m := measure(t, program, args...)
					var said struct {
						Findings []struct{ Code, Severity string }
					}
					require.NoError(t, json.Unmarshal(m.out, &said), m.message)
					var codes []string
					for _, f := range said.Findings {
						if f.Severity == "error" {
							codes = append(codes, f.Code)
						}
					}
					slices.Sort(codes)
					assert.Equal(t, documented[name][kind], slices.Compact(codes))
					assert.Equal(t, 1, m.status)
				})
			}
		})
	}
}

// deadSites returns what docs/probe.md says of sites that don't answer: the codes of errors, by site and kind.
func deadSites(t *testing.T) map[string]map[string][]string {
	t.Helper()
	_, table, ok := strings.Cut(text(t, "../../docs/probe.md"), "| the site |")
	require.True(t, ok)
	table, _, _ = strings.Cut(table, "\n\n")
	lines := strings.Split(table, "\n")
	cells := func(line string) (list []string) {
		for cell := range strings.SplitSeq(strings.Trim(line, "| "), "|") {
			list = append(list, strings.ReplaceAll(strings.TrimSpace(cell), "`", ""))
		}
		return list
	}
	kinds := cells(lines[0])
	require.ElementsMatch(t, probe.Kinds(), kinds)
	said := map[string]map[string][]string{}
	for _, line := range lines[2:] {
		row := cells(line)
		said[row[0]] = map[string][]string{}
		for i, kind := range kinds {
			said[row[0]][kind] = strings.Fields(row[i+1])
		}
	}
	return said
}
