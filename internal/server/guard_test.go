package server_test

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
	"young-compass/internal/server"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/php"
)

var (
	guardRows  = flag.Int("guards", 0, "measure what a script with this many redirects costs, by guards")
	guardTurns = flag.Int("guard-turns", 20, "how many turns of 100 requests for each kind of request and each guard")
)

// TestGuardCost measures what a per-folder file and a script cost: the time on a processor that httpd and PHP take for
// a request, the median of turns taken one design after the other, beside the same folder without any file.
func TestGuardCost(t *testing.T) {
	if *guardRows == 0 {
		return // a measurement, made by hand: go test -run TestGuardCost -guards 10000 -v ./internal/server
	}
	dir := t.TempDir()
	write(t, filepath.Join(dir, project.PlanFile), "site: {origin: http://skerrywick.example, hosts: [www.skerrywick.example], "+
		"paths: {extension: keep}}\n")
	write(t, filepath.Join(dir, project.RedirectsFile), oldPages(*guardRows))
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	g := compiled(t, p)
	here := site{Files: []string{"/img/picture.png", "/about.html"}}
	designs := []string{"no file"}
	servers := []*realServer{target{httpd.Folder{}, func(t *testing.T, dir string, _ []string) *realServer {
		return startHTTPD(t, dir, "")
	}}.start(t, siteFolder(t, here), nil)}
	for _, guard := range server.Guards() {
		designs = append(designs, "guard "+string(guard))
		servers = append(servers, target{php.Target{}, startPHP}.with(t, g, server.Options{Guard: guard}, siteFolder(t, here)))
	}
	for _, n := range []int{10, 200} { // what the same costs without a script
		write(t, filepath.Join(dir, project.RedirectsFile), oldPages(n))
		p, _, err := project.Load(dir)
		require.NoError(t, err)
		few := compiled(t, p)
		files, _ := httpd.Folder{}.Emit(few, server.Options{Anyway: true})
		designs = append(designs, fmt.Sprintf("htaccess, %d redirects, %d rules", n, strings.Count(string(files[0].Data), "\nRewriteRule ")))
		servers = append(servers, target{httpd.Folder{}, startFolder}.with(t, few, server.Options{}, siteFolder(t, here)))
	}
	kinds := map[string]string{"file": "/img/picture.png?v=3", "page file": "/about.html", "redirect": "/old/section-2/page-000002",
		"unknown": "/about/nothing"}
	costs := map[string][][]float64{} // by kind and design
	for kind, path := range kinds {
		costs[kind] = make([][]float64, len(servers))
		for turn := range *guardTurns + 1 {
			for i, s := range servers {
				before := busy(t, s)
				for range 100 {
					_, err := s.Ask(ask{method: "GET", url: "http://skerrywick.example" + path})
					require.NoError(t, err)
				}
				if turn > 0 { // the first warms up
					costs[kind][i] = append(costs[kind][i], (busy(t, s)-before)/100)
				}
			}
		}
	}
	middle := func(list []float64) float64 {
		slices.Sort(list)
		return list[len(list)/2]
	}
	for _, kind := range []string{"file", "page file", "redirect", "unknown"} {
		plain := middle(costs[kind][0])
		for i, design := range designs {
			cost := middle(costs[kind][i])
			t.Logf("%d redirects, %s, %s: %.0f us a request; %.0f %%", *guardRows, kind, design, cost, 100*plain/cost)
		}
	}
}

// busy returns how long the processes of a server were on a processor, in microseconds.
func busy(t *testing.T, s *realServer) (sum float64) {
	t.Helper()
	stats, err := filepath.Glob("/proc/[0-9]*/stat")
	require.NoError(t, err)
	for _, path := range stats {
		data, err := os.ReadFile(path)
		if err != nil {
			continue // it has ended
		}
		fields := strings.Fields(string(data[strings.LastIndexByte(string(data), ')')+1:])) // state, parent, group
		if group, _ := strconv.Atoi(fields[2]); !slices.Contains(s.groups, group) {
			continue
		}
		tasks, _ := filepath.Glob(filepath.Join(filepath.Dir(path), "task/*/schedstat"))
		for _, task := range tasks {
			data, _ := os.ReadFile(task)
			if words := strings.Fields(string(data)); len(words) > 0 {
				ns, err := strconv.ParseFloat(words[0], 64)
				require.NoError(t, err)
				sum += ns / 1000
			}
		}
	}
	return sum
}
