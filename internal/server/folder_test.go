//go:build linux

package server_test

import (
	"cmp"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
	"young-compass/internal/server/nginx"
)

// A real folder shows its index file at the address without a slash, though the server adds slashes to folders by
// itself, and the plan removes them.
func TestRealFoldersDontLeadInCircles(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	for _, rows := range []int{1, 40} { // on the long way alone, and on the short one too
		dir := t.TempDir()
		write(t, filepath.Join(dir, project.PlanFile),
			"site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example]"+map[int]string{1: ", except: [/left/]"}[rows]+"}\n")
		list := "from,to,status\n/moved,/docs,301\n"
		for i := range rows {
			list += "/old-" + strings.Repeat("x", i+1) + ",/docs,301\n"
		}
		write(t, filepath.Join(dir, project.RedirectsFile), list)
		p, _, err := project.Load(dir)
		require.NoError(t, err)
		g := compiled(t, p)
		for _, target := range targets() {
			if target.Name() == "caddy" || target.Name() == "haproxy" || target.Name() == "php" {
				continue // they add no slash by themselves, or leave it: see TestTheScriptLeavesTheSlashOfAFolder
			}
			start := target.start
			target.start = func(t *testing.T, dir string, hosts []string) *realServer {
				for _, folder := range []string{"docs", "docs/deep", "moved", "chart.js", "script"} {
					index := map[bool]string{true: "index.php"}[folder == "script"]
					write(t, filepath.Join(dir, "www", folder, cmp.Or(index, "index.html")), "index of "+folder)
					slash := "On"
					if target.Name() == "htaccess" {
						slash = "Off" // httpd adds slashes before it looks at what such a file says of a folder
					}
					write(t, filepath.Join(dir, "www", folder, ".htaccess"),
						"DirectorySlash "+slash+"\nDirectoryIndex index.html index.php\n")
				}
				if target.Target != (nginx.Target{}) {
					return start(t, dir, hosts)
				}
				s := start(t, dir, hosts)
				s.stop()
				conf := filepath.Join(dir, "nginx.conf")
				write(t, conf, strings.Replace(readText(t, conf), "try_files $uri /.site$uri/page.html =404;",
					"try_files $uri $uri.html $uri/ =404;", 1))
				require.NoError(t, os.MkdirAll(filepath.Join(dir, "www", "bare"), 0o755))
				require.NoError(t, os.MkdirAll(filepath.Join(dir, "www", "beside"), 0o755))
				write(t, filepath.Join(dir, "www", "beside.html"), "a page")
				return run(t, dir, "nginx", "-p", dir, "-e", filepath.Join(dir, "error.log"), "-c", conf)
			}
			port := regexp.MustCompile(`:[0-9]+/`)
			slashed := map[string]string{ // nginx doesn't look on the disk for each asset
				"/chart.js":      "301 https://skerrywick.example/chart.js/",
				"/chart.js?v=3":  "301 https://skerrywick.example/chart.js/?v=3",
				"/chart.js/":     "200 index of chart.js",
				"/chart.js/?v=3": "200 index of chart.js",
				"//chart.js/":    "200 index of chart.js",
			}
			s := target.serve(t, g, site{})
			if target.Target == (nginx.Target{}) { // folders without an index file
				for url, want := range map[string]string{"/bare": "403", "/bare/": "301 https://skerrywick.example/bare", "/beside": "200"} {
					got, err := s.Ask(ask{method: "GET", url: "https://skerrywick.example" + url})
					require.NoError(t, err)
					assert.Equal(t, want, got.String(), "%d rows: %s", rows, url)
				}
			}
			for url, want := range map[string]string{
				"/docs":              "200 index of docs",
				"/docs?page=2":       "200 index of docs",
				"/chart.js":          "200 index of chart.js",
				"/chart.js?v=3":      "200 index of chart.js",
				"/chart.js/":         "301 https://skerrywick.example/chart.js",
				"/chart.js/?v=3":     "301 https://skerrywick.example/chart.js?v=3",
				"//chart.js/":        "301 https://skerrywick.example/chart.js",
				"/app.js/":           "301 https://skerrywick.example/app.js",
				"/app.js//?v=3":      "301 https://skerrywick.example/app.js?v=3",
				"/app.js":            "404",
				"/APP.JS":            "404",
				"/chart%2Ejs/":       "301 https://skerrywick.example/chart.js",
				"/app.js.":           "404",
				"/x%2fapp.js":        "404",
				"/x%2fapp.js/":       "404",
				"/script":            "200 index of script",
				"/docs/":             "301 https://skerrywick.example/docs",
				"/docs/index.html":   "301 https://skerrywick.example/docs",
				"/docs/deep":         "200 index of docs/deep",
				"/docs/deep/?a=b":    "301 https://skerrywick.example/docs/deep?a=b",
				"/moved":             "301 https://skerrywick.example/docs",
				"/moved?a=b":         "301 https://skerrywick.example/docs?a=b",
				"/nothing":           "404",
				"/docs/nothing.html": "301 https://skerrywick.example/docs/nothing",
			} {
				got, err := s.Ask(ask{method: "GET", url: "https://skerrywick.example" + url})
				require.NoError(t, err)
				answer := got.String()
				if got.Status == 200 {
					answer += " " + got.Body
				}
				if kept, ok := slashed[url]; ok && target.Target == (nginx.Target{}) && rows > 1 {
					want, answer = kept, port.ReplaceAllString(answer, "/") // which nginx adds to its own redirect
				}
				assert.Equal(t, want, answer, "%s, %d rows: %s", target.Name(), rows, url)
			}
			s.stop()
		}
	}
}
