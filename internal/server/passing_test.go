//go:build linux

package server_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/server"
	"young-compass/internal/server/php"
)

// The guard lets pass what surely is served as it is, and asks the plan about all else: the script is replaced by one
// that answers with a status of its own, so that who answered can be seen.
func TestWhatPassesTheGuard(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	const rest = "hosts: [www.skerrywick.example]"
	const pass, asked = 200, 418
	var old strings.Builder
	for i := range 30 { // so many that their ending goes, not each
		fmt.Fprintf(&old, "/list/%d.do,/list/%d,301\n", i, i)
	}
	for name, c := range map[string]struct {
		plan, rows string
		asks       map[string]int // by path and query
	}{
		"endings go": {
			"site: {origin: http://skerrywick.example, " + rest + ", paths: {index: [index.html, default.asp]}}\n" +
				"languages: {default: en, others: {de: {prefix: de}}}\nparameters: {noise: [sid, utm_*]}\n",
			"from,to,status\n/Tickets.cfm,/tickets,301\n/old.pdf,/new.pdf,301\n",
			map[string]int{
				"/img/picture.png": pass, "/img/picture.png?v=3": pass, "/img/picture.png?v=/index.html": pass,
				"/a.b.c/d_e~f-g.min.js": pass, "/x.p": pass, "/de/map.png": pass, "/english/map.png": pass,
				"/img/picture.png?sid=1": asked, "/img/picture.png?v=3&sid": asked, "/img/picture.png?utm_x=1": asked,
				"/img/picture.png?aside=1": pass, "/img/picture.png?besid=1": pass,
				"/en/map.png": asked, "/about.html": asked, "/about.htm": asked, "/about.php": asked, "/ABOUT.PNG": asked,
				"//img/picture.png": asked, "/img//picture.png": asked, "/img/./picture.png": asked,
				"/img/%70icture.png": asked, "/img/../map.png": asked, "/map.png/": asked,
				"/default.asp": asked, "/deep/default.asp": asked, "/default.png": asked, "/indexes.png": pass,
				"/tickets.cfm": asked, "/old.pdf": asked, "/other.pdf": pass, "/missing.png": asked, "/plain": asked, "/": asked,
			},
		},
		"endings stay": {
			"site: {origin: http://skerrywick.example, " + rest + ", paths: {extension: keep, letters: keep}}\n",
			"",
			map[string]int{
				"/about.html": pass, "/about.php5": pass, "/ABOUT.PNG": pass, "/index.html": asked, "/deep/index.php": asked,
				"/index.css": asked, "/myindex.html": pass, "/deep/index/a.html": pass, "/about.html?sid=1": pass,
			},
		},
		"two-letter endings": {
			"site: {origin: http://skerrywick.example, " + rest + "}\n",
			"from,to,status\n" + old.String(),
			map[string]int{"/list/5.do": asked, "/other.do": asked, "/letter.doc": pass},
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			_, g, found := opened(t, map[string]string{"young-compass.yaml": c.plan, "redirects.csv": c.rows})
			require.NotNil(t, g, "%v", found)
			var here site
			for path := range c.asks {
				file, _, _ := strings.Cut(path, "?")
				if base := filepath.Base(file); base != "/" && base != "missing.png" && base != "plain" {
					here.Files = append(here.Files, filepath.Clean(file))
				}
			}
			s := target{php.Target{}, startPHP}.with(t, g, server.Options{}, siteFolder(t, here))
			script := filepath.Join(s.Dir, "www", php.ScriptFile)
			require.NoError(t, os.WriteFile(script, []byte("<?php\nhttp_response_code(418);\n"), 0o644))
			for path, want := range c.asks {
				for url, want := range map[string]int{"http://skerrywick.example": want, "http://www.skerrywick.example": asked,
					"http://skerrywick.example:8080": asked} {
					got, err := s.Ask(ask{method: "GET", url: url + path})
					require.NoError(t, err)
					assert.Equal(t, want, got.Status, "%s%s", url, path)
				}
			}
		})
	}
}
