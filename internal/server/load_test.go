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
	loadForm = flag.String("load-form", "", "measure this form alone")
)

// TestLoad measures what redirects cost: the median of nine runs with and
// without them, taken in turn, for addresses that are listed and for random ones
// that are not.
func TestLoad(t *testing.T) {
	if *loadRows == 0 {
		return // a measurement, made by hand: go test -run TestLoad -load 100000 -v ./internal/server
	}
	dir := t.TempDir()
	var rows strings.Builder
	rows.WriteString("from,to,status\n")
	for i := range *loadRows {
		fmt.Fprintf(&rows, "/old/section-%d/page-%06d,/new/area-%d/article-%06d,301\n", i%97, i, i%31, i)
	}
	write(t, filepath.Join(dir, project.PlanFile),
		"site: {origin: http://skerrywick.example, hosts: [www.skerrywick.example]}\n")
	write(t, filepath.Join(dir, project.RedirectsFile), rows.String())
	full, _, err := project.Load(dir)
	require.NoError(t, err)
	write(t, filepath.Join(dir, "hit.lua"),
		fmt.Sprintf(`request = function() local i = math.random(0, %d) return wrk.format("GET", `+
			`string.format("/old/section-%%d/page-%%06d", i %% 97, i)) end`, *loadRows-1))
	write(t, filepath.Join(dir, "miss.lua"),
		`request = function() return wrk.format("GET", string.format("/about/section-%d/nothing-%d", math.random(0, `+
			`96), math.random(0, 100000000))) end`)
	for _, target := range targets() {
		if *loadForm != "" && target.Name() != *loadForm {
			continue
		}
		with := target.serve(t, compiled(t, full), site{})
		folder := siteFolder(t, site{})
		files, _ := target.Emit(compiled(t, full), server.Options{Folder: folder, Anyway: true})
		for _, f := range files { // the same server with pieces that hold nothing
			write(t, filepath.Join(folder, strings.Replace(f.Name, ".htaccess", folderRules, 1)), "# none\n")
		}
		without := target.start(t, folder, []string{"skerrywick.example"})
		for _, kind := range []string{"hit", "miss"} {
			var rates [2][]float64
			for range 9 {
				for i, s := range []*realServer{with, without} {
					rates[i] = append(rates[i], rate(t, s.HTTP, filepath.Join(dir, kind+".lua")))
				}
			}
			slices.Sort(rates[0])
			slices.Sort(rates[1])
			t.Logf("%s, %d redirects, %s: %.0f requests a second, %.0f without; %.0f %%", target.Name(), *loadRows,
				kind, rates[0][4], rates[1][4], 100*rates[0][4]/rates[1][4])
		}
		with.stop()
		without.stop()
	}
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
