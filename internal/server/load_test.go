//go:build linux

package server_test

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
	"young-compass/internal/server"
)

var (
	loadRows = flag.Int("load", 0, "measure requests a second with this many redirects; needs wrk")
	loadRuns = flag.Int("load-runs", 9, "how many runs with and without redirects")
)

// TestLoad measures what redirects cost: the median of nine runs with and
// without them, taken in turn, for addresses that are listed, for random ones
// that are not, each with a query too, and for assets.
func TestLoad(t *testing.T) {
	if *loadRows == 0 {
		return // a measurement, made by hand: go test -run TestLoad -load 100000 -v ./internal/server
	}
	dir := t.TempDir()
	write(t, filepath.Join(dir, project.PlanFile),
		"site: {origin: http://skerrywick.example, hosts: [www.skerrywick.example]}\n")
	write(t, filepath.Join(dir, project.RedirectsFile), oldPages(*loadRows))
	full, _, err := project.Load(dir)
	require.NoError(t, err)
	listed := fmt.Sprintf(`local i = math.random(0, %d) local path = string.format("/old/section-%%d/page-%%06d", i %% 97, i)`, *loadRows-1)
	unknown := `local path = string.format("/about/section-%d/nothing-%d", math.random(0, 96), math.random(0, 100000000))`
	query := ` path = path .. "?page=" .. math.random(1, 999)`
	kinds := []string{"listed", "listed, with a query", "unknown", "unknown, with a query", "asset"}
	for kind, path := range map[string]string{kinds[0]: listed, kinds[1]: listed + query, kinds[2]: unknown,
		kinds[3]: unknown + query,
		kinds[4]: `local path = string.format("/img/picture-%d.png?v=3", math.random(0, 9))`} {
		write(t, filepath.Join(dir, kind), `request = function() `+path+` return wrk.format("GET", path) end`)
	}
	here := site{}
	for i := range 10 {
		here.Files = append(here.Files, fmt.Sprintf("/img/picture-%d.png", i))
	}
	for _, target := range targets() {
		with := target.serve(t, compiled(t, full), here)
		folder := siteFolder(t, here)
		files, _ := target.Emit(compiled(t, full), server.Options{Folder: folder, Anyway: true})
		for _, f := range files { // the same server with pieces that hold nothing
			write(t, filepath.Join(folder, strings.Replace(f.Name, ".htaccess", folderRules, 1)), "# none\n")
		}
		without := target.start(t, folder, []string{"skerrywick.example"})
		for _, kind := range kinds {
			var rates [2][]float64
			for range *loadRuns {
				for i, s := range []*realServer{with, without} {
					rates[i] = append(rates[i], rate(t, s.HTTP, filepath.Join(dir, kind)))
				}
			}
			slices.Sort(rates[0])
			slices.Sort(rates[1])
			t.Logf("%s, %d redirects, %s: %.0f requests a second, %.0f without; %.0f %%", target.Name(), *loadRows,
				kind, rates[0][*loadRuns/2], rates[1][*loadRuns/2], 100*rates[0][*loadRuns/2]/rates[1][*loadRuns/2])
		}
		with.stop()
		without.stop()
	}
}

// oldPages returns a list of so many redirects.
func oldPages(n int) string {
	var rows strings.Builder
	rows.WriteString("from,to,status\n")
	for i := range n {
		fmt.Fprintf(&rows, "/old/section-%d/page-%06d,/new/area-%d/article-%06d,301\n", i%97, i, i%31, i)
	}
	return rows.String()
}

// rate asks a server for a second and returns the requests a second.
func rate(t *testing.T, at, script string) float64 {
	t.Helper()
	command := exec.Command("wrk", "-t1", "-c8", "-d1s", "-H", "Host: skerrywick.example", "-s", script,
		"http://"+at+"/")
	command.Env = append(os.Environ(), "LC_ALL=C")
	output, err := command.Output()
	require.NoError(t, err)
	found := regexp.MustCompile(`Requests/sec:\s+([0-9.]+)`).FindSubmatch(bytes.TrimSpace(output))
	require.NotNil(t, found, string(output))
	r, err := strconv.ParseFloat(string(found[1]), 64)
	require.NoError(t, err)
	return r
}
