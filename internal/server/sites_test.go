//go:build linux

package server_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
)

// islandSite is one of two projects whose sites live on one server. The second has so many addresses that nginx needs
// larger tables, and httpd a converted one.
type islandSite struct {
	name, project, path string
	rows                int
}

func (i islandSite) host() string { return i.name + ".example" }

// plan writes the project's plan for the n-th time.
func (i islandSite) plan(t *testing.T, n int) {
	t.Helper()
	write(t, filepath.Join(i.project, project.PlanFile), fmt.Sprintf(
		"site: {origin: http://%[1]s, hosts: [www.%[1]s]}\nrules:\n  - {from: '/go/{x}', to: '/%[2]s/{x}'}\n", i.host(), i.name))
	rows := "from,to,status\n"
	for k := range i.rows {
		rows += fmt.Sprintf("/old/a-page-with-a-long-name-%d,/%s-%d/%d,301\n", k, i.name, n, k)
	}
	write(t, filepath.Join(i.project, project.RedirectsFile), rows)
}

// asked asks what the n-th plan answers, and what is answered where nothing is installed, for n below 0.
func (i islandSite) asked(t *testing.T, s *realServer, n int, when string) {
	t.Helper()
	for url, want := range map[string]string{
		"/old/a-page-with-a-long-name-2": fmt.Sprintf("301 http://%s/%s-%d/2", i.host(), i.name, n),
		"/go/x":                          fmt.Sprintf("301 http://%s/%s/x", i.host(), i.name),
	} {
		got, err := s.Ask(ask{method: "GET", url: "http://" + i.host() + url})
		require.NoError(t, err)
		if n < 0 {
			want = "404"
		}
		assert.Equal(t, want, got.String(), "%s%s %s", i.host(), url, when)
	}
}

// twoSites installs, updates and takes out the plans of two projects in one server, in each order, and asks both sites
// after each step. start starts the server as an administrator would, from its main file.
func twoSites(t *testing.T, form, dir string, start func() *realServer, files map[string]string) {
	t.Helper()
	sites := map[string]islandSite{}
	for name, rows := range map[string]int{"north": 3, "south": 3000} {
		sites[name] = islandSite{name, t.TempDir(), files[name], rows}
	}
	texts := map[string]string{}
	if main := filepath.Join(dir, "nginx.conf"); form == "nginx" {
		texts[main] = readText(t, main)
	}
	for _, i := range sites {
		texts[i.path] = readText(t, i.path)
	}
	for _, order := range []string{"north south north south -north -south",
		"south north -south north -north south -south",
		"north -north south north south -south north -north", "south north south -north -south"} {
		at := map[string]int{"north": -1, "south": -1}
		for n, step := range strings.Fields(order) {
			name := strings.TrimPrefix(step, "-")
			i := sites[name]
			args := []string{"--project", i.project, "emit", form, "--undo", i.path}
			if at[name] = -1; step[0] != '-' {
				i.plan(t, n)
				args, at[name] = []string{"--project", i.project, "emit", form, "--install", i.path, "--yes"}, n
			}
			output, status := runProgram(t, args...)
			require.Zero(t, status, "%s in %q: %s", step, order, output)
			s := start()
			for _, other := range sites {
				other.asked(t, s, at[other.name], fmt.Sprintf("after step %d of %q", n+1, order))
			}
			s.stop()
			if t.Failed() {
				return
			}
		}
		for path, text := range texts {
			assert.Equal(t, text, readText(t, path), "all that was put in came out")
		}
		assert.NoFileExists(t, filepath.Join(dir, "young-compass", "once.conf"))
	}
}

func TestTwoSitesOnOneNginx(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	dir := siteFolder(t, site{})
	plain, secure := ports(t, dir)
	files := map[string]string{"north": filepath.Join(dir, "sites-enabled", "north"), "south": filepath.Join(dir,
		"sites-enabled", "south")}
	// all on one line, and with the brace on a line of its own
	write(t, files["north"],
		fmt.Sprintf("server { listen %s; listen %s; server_name north.example www.north.example; root %s/www; }\n",
			plain,
			secure, dir))
	write(t, filepath.Join(dir, "snippets", "names.conf"), "server_name south.example\n\t\"www.south.example\";\n")
	write(t, files["south"],
		fmt.Sprintf("server\n{\n\tinclude snippets/names.conf;\n\tlisten %s;\n\troot %s/www;\n\tlocation ~ \"^/x{2}\" {\n\t\treturn 204;\n\t}\n}\n",
			plain, dir))
	write(t, filepath.Join(dir, "nginx.conf"), strings.ReplaceAll(`
daemon off; master_process off; worker_processes 1;
pid DIR/pid; error_log DIR/error.log warn;
events { worker_connections 256; }
http {
	access_log off; client_body_temp_path DIR/t1; proxy_temp_path DIR/t2; fastcgi_temp_path DIR/t3; uwsgi_temp_path DIR/t4; scgi_temp_path DIR/t5;
	map $host $of_my_own { default 1; }
	include DIR/sites-enabled/*;
}`, "DIR", dir))
	twoSites(t, "nginx", dir, func() *realServer {
		return run(t, dir, "nginx", "-p", dir, "-e", filepath.Join(dir, "error.log"), "-c", filepath.Join(dir,
			"nginx.conf"))
	}, files)
}

func TestTwoSitesOnOneHTTPD(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	dir := siteFolder(t, site{})
	plain, secure := ports(t, dir)
	files := map[string]string{"north": filepath.Join(dir, "sites-enabled", "north.conf"),
		"south": filepath.Join(dir, "sites-enabled", "south.conf")}
	user := ""
	if os.Geteuid() == 0 {
		user = "User www-data\nGroup www-data"
	}
	write(t, files["north"],
		fmt.Sprintf("<VirtualHost %s>\n\tServerName north.example\n\tServerAlias \\\n\t\twww.north.example\n</VirtualHost>\n", plain))
	write(t, files["south"],
		fmt.Sprintf("<Macro Site $port $name>\n<VirtualHost $port>\n\tServerName $name\n\tServerAlias www.$name\n"+
			"</VirtualHost>\n</Macro>\nUse Site %s south.example\n", plain))
	write(t, filepath.Join(dir, "mime.types"), "")
	write(t, filepath.Join(dir, "apache2.conf"), strings.NewReplacer("DIR", dir, "PLAIN", plain, "SECURE", secure,
		"MODS", "/usr/lib/apache2/modules", "USER", user).Replace(`
ServerRoot "DIR"
Mutex posixsem
PidFile "DIR/pid"
Listen PLAIN
Listen SECURE
ServerName none.example
USER
LoadModule mpm_event_module MODS/mod_mpm_event.so
LoadModule authz_core_module MODS/mod_authz_core.so
LoadModule rewrite_module MODS/mod_rewrite.so
LoadModule dir_module MODS/mod_dir.so
LoadModule mime_module MODS/mod_mime.so
LoadModule macro_module MODS/mod_macro.so
TypesConfig "DIR/mime.types"
ErrorLog "DIR/error.log"
DocumentRoot "DIR/www"
<Directory "DIR/www">
	Require all granted
</Directory>
IncludeOptional sites-enabled/*.conf
`))
	twoSites(t, "apache", dir, func() *realServer {
		return run(t, dir, "apache2", "-D", "FOREGROUND", "-f", filepath.Join(dir, "apache2.conf"))
	}, files)
}

// Two sites in one frontend: the lines of both stand in it.
func TestTwoSitesInOneFrontendOfHAProxy(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	dir := siteFolder(t, site{})
	plain, secure := ports(t, dir)
	behind := httptest.NewServer(http.NotFoundHandler())
	t.Cleanup(behind.Close)
	path := filepath.Join(dir, "haproxy.cfg")
	write(t, path, fmt.Sprintf("defaults\n\tmode http\n\ttimeout client 5s\n\ttimeout server 5s\n\ttimeout connect 5s\n"+
		"frontend sites\n\tbind %s\n\tbind %s\n\tdefault_backend pages\nbackend pages\n\tserver pages %s\n", plain, secure,
		behind.Listener.Addr()))
	twoSites(t, "haproxy", dir, func() *realServer {
		return run(t, dir, "haproxy", "-db", "-f", path)
	}, map[string]string{"north": path, "south": path})
}
