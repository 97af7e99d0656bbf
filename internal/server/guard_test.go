//go:build linux

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
	guardRows   = flag.Int("guards", 0, "measure what a script with this many redirects costs, by guards")
	guardModule = flag.Bool("guard-module", false, "measure with PHP as httpd's module instead of FPM")
	guardTurns  = flag.Int("guard-turns", 20, "how many turns of 100 requests for each kind of request and each guard")
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
	plain, script := measured()
	designs := []string{"no file"}
	servers := []*realServer{target{httpd.Folder{}, plain}.start(t, siteFolder(t, here), nil)}
	for _, floor := range floors() { // what httpd takes for a file of so few rules, whatever they say
		designs = append(designs, floor[0])
		servers = append(servers, target{httpd.Folder{}, func(t *testing.T, dir string, _ []string) *realServer {
			write(t, filepath.Join(dir, "www", ".htaccess"), floor[1])
			return plain(t, dir, nil)
		}}.start(t, siteFolder(t, here), nil))
	}
	for _, guard := range server.Guards() {
		designs = append(designs, "guard "+string(guard))
		servers = append(servers, script.with(t, g, server.Options{Guard: guard}, siteFolder(t, here)))
	}
	empty := script.with(t, g, server.Options{}, siteFolder(t, here)) // what PHP takes for nothing
	write(t, filepath.Join(empty.Dir, "www", php.ScriptFile), "<?php\nhttp_response_code(404);\n")
	designs, servers = append(designs, "a script that does nothing"), append(servers, empty)
	for _, n := range []int{10, 200} { // what the same costs without a script
		write(t, filepath.Join(dir, project.RedirectsFile), oldPages(n))
		p, _, err := project.Load(dir)
		require.NoError(t, err)
		few := compiled(t, p)
		files, _ := httpd.Folder{}.Emit(few, server.Options{Anyway: true})
		designs = append(designs, fmt.Sprintf("htaccess, %d redirects, %d rules", n, strings.Count(string(files[0].Data), "\nRewriteRule ")))
		servers = append(servers, target{httpd.Folder{}, startFolder}.with(t, few, server.Options{}, siteFolder(t, here)))
	}
	measure(t, fmt.Sprintf("%d redirects", *guardRows), designs, servers, []string{"/img/picture.png?v=3", "/about.html", "/old/section-2/page-000002",
		"/about/nothing"})
}

// measured returns what starts httpd alone, and with the script. It has the same modules with and without a file.
func measured() (plain func(t *testing.T, dir string, _ []string) *realServer, script target) {
	if *guardModule {
		return func(t *testing.T, dir string, _ []string) *realServer { return startHTTPDAndModule(t, dir) },
			target{php.Target{}, startModule}
	}
	return func(t *testing.T, dir string, _ []string) *realServer { return startHTTPD(t, dir, "") }, target{php.Target{}, startPHP}
}

// floors returns the smallest per-folder files that could guard a site, by name.
func floors() [][2]string {
	const on, rule = "RewriteEngine On\n", "RewriteRule \"^\" \"/x.php\" [END]\n"
	return [][2]string{
		{"an empty file", "\n"},
		{"a rule that isn't met", on + "RewriteRule \"^x$\" \"/x.php\" [END]\n"},
		{"a rule with a condition", on + "RewriteCond %{REQUEST_FILENAME} !-f\n" + rule},
		{"a rule with two conditions", on + "RewriteCond %{REQUEST_FILENAME} !-f [OR]\n" +
			"RewriteCond %{REQUEST_SCHEME}%{HTTP_HOST}%{THE_REQUEST} \"!^httpskerrywick\\x2eexampleGET \"\n" + rule},
	}
}

// TestShopCost measures the same for the shop.
func TestShopCost(t *testing.T) {
	if *guardRows == 0 {
		return // a measurement, made by hand: go test -run TestShopCost -guards 1 -v ./internal/server
	}
	files, _ := shop()
	_, g, found := opened(t, files)
	require.NotNil(t, g, "%v", found)
	here := site{Files: []string{"/img/picture.png", "/about", "/about.html"}}
	plain, script := measured()
	servers := []*realServer{target{httpd.Folder{}, plain}.start(t, siteFolder(t, here), nil)}
	for _, target := range []target{{httpd.Folder{}, startFolder}, script} {
		servers = append(servers, target.with(t, g, server.Options{}, siteFolder(t, here)))
	}
	measure(t, "the shop", []string{"no file", "htaccess", "php"}, servers, []string{"/img/picture.png?v=3", "/about", "/product.php?id=501", "/about/nothing"})
}

// measure asks servers for paths in turns, and says what each costs beside the first server.
func measure(t *testing.T, name string, designs []string, servers []*realServer, paths []string) {
	t.Helper()
	middle := func(list []float64) float64 {
		slices.Sort(list)
		return list[len(list)/2]
	}
	for _, path := range paths {
		costs := make([][]float64, len(servers)) // by design
		for turn := range *guardTurns + 1 {
			for i, s := range servers {
				before := busy(t, s)
				for range 100 {
					_, err := s.Ask(ask{method: "GET", url: "http://skerrywick.example" + path})
					require.NoError(t, err)
				}
				if turn > 0 { // the first warms up
					costs[i] = append(costs[i], (busy(t, s)-before)/100)
				}
			}
		}
		plain := middle(costs[0])
		for i, design := range designs {
			cost := middle(costs[i])
			t.Logf("%s, %s, %s: %.0f us a request; %.0f %%", name, path, design, cost, 100*plain/cost)
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
