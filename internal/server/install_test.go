//go:build linux

package server_test

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
	"young-compass/internal/project"
	"young-compass/internal/server"
	"young-compass/internal/server/php"
)

// foreignFolderFile is what another system wrote: its front controller and its
// page for what isn't there.
const foreignFolderFile = `# BEGIN pages
<IfModule mod_rewrite.c>
RewriteEngine On
RewriteBase /
RewriteRule ^inside/front\.shtml$ - [L]
RewriteCond %{REQUEST_FILENAME} !-f
RewriteCond %{REQUEST_FILENAME} !-d
RewriteCond %{REQUEST_URI} !^/really-not
RewriteRule . /inside/front.shtml [L]
</IfModule>
# END pages
ErrorDocument 404 "no such thing"
`

// foreignSite is a site of nginx with TLS and locations of its own. PLAIN and so
// on are filled in.
const foreignSite = `# kept by hand; "a brace { in a comment"
server {
	listen PLAIN; listen SECURE ssl;
	ssl_certificate DIR/cert.pem; ssl_certificate_key DIR/key.pem;
	server_name www.skerrywick.example
		skerrywick.example;
	root DIR/www;
	location ~ "^/api/v[0-9]{1,2}$" { return 200 "api ${uri}"; }
	location = /status { return 204; }
	error_page 404 /missing.html;
	location = /missing.html { internal; return 404 "not here"; }
	location / { try_files $uri /.site$uri/page.html =404; }
}
server { # another site
	listen PLAIN; server_name other.example; return 200 "other";
}
`

// run runs the program in a project.
func runProgram(t *testing.T, args ...string) (output string, status int) {
	t.Helper()
	var out bytes.Buffer
	status = cli.Main(t.Context(), args, strings.NewReader(""), &out, &out)
	return out.String(), status
}

// threePlans writes a project's plan as it is at three times.
func threePlans(t *testing.T, folder string, at int) {
	t.Helper()
	write(t, filepath.Join(folder, project.PlanFile), `
site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example]}
rules:
`+[]string{"  - {from: '/go/{x}', to: '/timetables/{x}'}\n", "  - {from: '/go/{x}', to: '/routes/{x}', status: 302}\n  - {for: '/status', headers: {X-Robots-Tag: noindex}}\n", "  - {from: '/nowhere', to: '/routes'}\n"}[at])
	write(t, filepath.Join(folder, project.PagesFile), "key,language,title,state\nroutes,en,Routes,live\n")
	write(t, filepath.Join(folder, project.AddressesFile),
		"address,page,state\nhttps://skerrywick.example/routes,routes@en,current\n")
	write(t, filepath.Join(folder, project.RedirectsFile), "from,to,status\n"+[]string{"/old.htm,/routes,301\n",
		"/old.htm,/routes,301\n/older.htm,/routes,301\n", "/old.htm,,410\n"}[at])
}

// step is a request and what is answered after each installation, and after
// it was undone.
type installed struct {
	url   string
	wants [4]string
}

func (i installed) check(t *testing.T, s *realServer, at int) {
	t.Helper()
	got, err := s.Ask(ask{method: "GET", url: i.url})
	require.NoError(t, err)
	answer := got.String()
	if got.Location == "" {
		answer += " " + got.Body
	}
	assert.Contains(t, answer, i.wants[at], "%s after installation %d", i.url, at+1)
}

func TestInstallIntoAFolderFileOfAnotherSystem(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	folder, dir := t.TempDir(), siteFolder(t, site{Pages: []string{"/routes"}, Files: []string{"/logo.png"}})
	path := filepath.Join(dir, "www", ".htaccess")
	write(t, path, foreignFolderFile)
	write(t, filepath.Join(dir, "www", "shop", ".htaccess"), "RewriteEngine on\n")
	threePlans(t, folder, 0)
	s := startHTTPD(t, dir, "")
	front := "200 /inside/front.shtml?"
	asks := []installed{
		{"http://www.skerrywick.example/Old.htm/", [4]string{"301 https://skerrywick.example/routes",
			"301 https://skerrywick.example/routes", "410 ", front}},
		{"https://skerrywick.example/go/a", [4]string{"301 https://skerrywick.example/timetables/a",
			"302 https://skerrywick.example/routes/a", front, front}},
		{"https://skerrywick.example/something", [4]string{front, front, front, front}},
		{"https://skerrywick.example/something?x=1", [4]string{front + "x=1", front + "x=1", front + "x=1", front +
			"x=1"}},
		{"https://skerrywick.example/logo.png", [4]string{"200 a file", "200 a file", "200 a file", "200 a file"}},
		{"https://skerrywick.example/really-not", [4]string{"404 no such thing", "404 no such thing",
			"404 no such thing", "404 no such thing"}},
	}
	for at := range 3 {
		threePlans(t, folder, at)
		output, status := runProgram(t, "emit", "htaccess", "--install", path, "--yes", "--project", folder)
		require.Zero(t, status, output)
		assert.Contains(t, output, []string{"1 of 2 known addresses are answered by the plan from now on",
			"the answer changes for 1 of 3 known addresses", "the answer changes for 1 of 2 known addresses"}[at])
		assert.Contains(t, output, "httpd accepts these rules in a folder")
		assert.Contains(t, output, "warning folder-slash", "httpd adds a slash to shop")
		assert.Contains(t, output, "warning rules-below", "the shop's own file switches them off")
		assert.Equal(t, foreignFolderFile, withoutBlock(t, path), "every other line is as it was")
		for _, q := range asks {
			q.check(t, s, at)
		}
	}
	edited := strings.Replace(readText(t, path), "# END pages\n", "# END pages\nOptions -Indexes\n", 1)
	write(t, path, edited)
	output, status := runProgram(t, "emit", "htaccess", "--undo", path, "--project", folder)
	require.Zero(t, status, output)
	assert.Equal(t, strings.Replace(foreignFolderFile, "# END pages\n", "# END pages\nOptions -Indexes\n", 1),
		readText(t, path))
	for _, q := range asks {
		q.check(t, s, 3)
	}
	kept, err := filepath.Glob(filepath.Join(folder, "out", "htaccess", "replaced", ".htaccess.*.bak"))
	require.NoError(t, err)
	assert.Len(t, kept, 4, "dated copies stay, where no visitor reads them")
}

// withoutBlock returns the lines of a file that were not installed.
func withoutBlock(t *testing.T, path string) string {
	t.Helper()
	var rest []string
	inside := false
	for line := range strings.Lines(readText(t, path)) {
		inside = inside || strings.HasPrefix(line, "# young-compass begins: ")
		if !inside {
			rest = append(rest, line)
		}
		inside = inside && line != "# young-compass ends\n"
	}
	return strings.Join(rest, "")
}

func TestInstallIntoASiteOfNginx(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	folder, dir := t.TempDir(), siteFolder(t, site{Pages: []string{"/routes"}, Files: []string{"/logo.png"}})
	plain, secure := ports(t, dir)
	foreign := strings.NewReplacer("DIR", dir, "PLAIN", plain, "SECURE", secure).Replace(foreignSite)
	path := filepath.Join(dir, "sites-enabled", "ferries")
	write(t, path, foreign)
	write(t, filepath.Join(dir, "nginx.conf"), strings.ReplaceAll(`
daemon off; master_process off; worker_processes 1;
pid DIR/pid; error_log DIR/error.log warn;
events { worker_connections 256; }
http {
	access_log off; client_body_temp_path DIR/t1; proxy_temp_path DIR/t2; fastcgi_temp_path DIR/t3; uwsgi_temp_path DIR/t4; scgi_temp_path DIR/t5;
	include DIR/sites-enabled/*;
}`, "DIR", dir))
	start := func() *realServer {
		return run(t, dir, "nginx", "-p", dir, "-e", filepath.Join(dir, "error.log"), "-c",
			filepath.Join(dir, "nginx.conf"))
	}
	gone := "404 not here"
	asks := []installed{
		{"http://www.skerrywick.example/Old.htm/", [4]string{"301 https://skerrywick.example/routes",
			"301 https://skerrywick.example/routes", "410 ", gone}},
		{"https://skerrywick.example/go/a", [4]string{"301 https://skerrywick.example/timetables/a",
			"302 https://skerrywick.example/routes/a", gone, gone}},
		{"https://skerrywick.example/api/v1", [4]string{"200 api /api/v1", "200 api /api/v1", "200 api /api/v1",
			"200 api /api/v1"}},
		{"https://skerrywick.example/status", [4]string{"204", "204", "204", "204"}},
		{"https://skerrywick.example/logo.png", [4]string{"200 a file", "200 a file", "200 a file", "200 a file"}},
		{"https://skerrywick.example/routes", [4]string{"200 <title>", "200 <title>", "200 <title>", "200 <title>"}},
		{"https://skerrywick.example/nothing", [4]string{gone, gone, gone, gone}},
		{"http://other.example/old.htm", [4]string{"200 other", "200 other", "200 other", "200 other"}},
	}
	for at := range 3 {
		threePlans(t, folder, at)
		output, status := runProgram(t, "emit", "nginx", "--install", path, "--yes", "--project", folder)
		require.Zero(t, status, output)
		assert.Contains(t, output, "nginx accepts its whole configuration")
		assert.Equal(t, foreign, withoutBlock(t, path))
		s := start()
		for _, q := range asks {
			q.check(t, s, at)
		}
		s.stop()
	}
	write(t, path, strings.Replace(readText(t, path), "# another site", "# another site, soon", 1))
	output, status := runProgram(t, "emit", "nginx", "--undo", path, "--project", folder)
	require.Zero(t, status, output)
	assert.Equal(t, strings.Replace(foreign, "# another site", "# another site, soon", 1), readText(t, path))
	s := start()
	for _, q := range asks {
		q.check(t, s, 3)
	}
}

func TestInstallRefuses(t *testing.T) {
	folder, dir := t.TempDir(), t.TempDir()
	threePlans(t, folder, 0)
	path := filepath.Join(dir, ".htaccess")
	emit := func(args ...string) (string, int) {
		return runProgram(t, append([]string{"--project", folder, "emit"}, args...)...)
	}
	output, status := emit("htaccess", "--install", path)
	assert.Equal(t, 2, status, output)
	assert.Contains(t, output, "say --yes to install without being asked")
	assert.NoFileExists(t, path)
	output, status = emit("htaccess", "--install", path, "--yes")
	assert.Zero(t, status, output)
	// edited by hand
	text := readText(t, path)
	write(t, path, strings.Replace(text, "RewriteEngine On\n", "RewriteEngine Off\n", 1))
	for _, args := range [][]string{{"htaccess", "--install", path, "--yes"}, {"htaccess", "--undo", path}} {
		output, status = emit(args...)
		assert.Equal(t, 2, status, output)
		assert.Contains(t, output, "- RewriteEngine On\n+ RewriteEngine Off\n")
		assert.Contains(t, output, ".htaccess:1: what was installed here has been edited by hand")
	}
	write(t, path, strings.Replace(text, "# young-compass ends\n", "", 1))
	output, status = emit("htaccess", "--undo", path)
	assert.Equal(t, 2, status, output)
	assert.Contains(t, output, "has no end")
	// links
	write(t, path, text)
	link := filepath.Join(t.TempDir(), "link")
	require.NoError(t, os.Symlink(path, link))
	output, status = emit("htaccess", "--undo", link)
	assert.Equal(t, 2, status, output)
	assert.Contains(t, output, "is a link to "+path)
	output, status = emit("htaccess", "--undo", link, "--follow-links")
	assert.Zero(t, status, output)
	assert.Empty(t, readText(t, path))
	output, status = emit("htaccess", "--undo", path)
	assert.Equal(t, 2, status, output)
	assert.Contains(t, output, "nothing of the form htaccess was installed here")
	// what the server itself would refuse, and what is not there
	site := filepath.Join(dir, "site")
	write(t, site, "server {\n\tserver_name skerrywick.example;\n\tno_such_directive on;\n}\n")
	output, status = emit("nginx", "--install", site, "--yes")
	assert.Equal(t, 1, status, output)
	assert.Contains(t, output, "error server-check: ")
	assert.Contains(t, output, `unknown directive "no_such_directive"`)
	assert.NotContains(t, readText(t, site), "young-compass")
	write(t, site, "server {\n\tserver_name other.example;\n}\n")
	for _, form := range []string{"nginx", "apache", "caddy", "haproxy"} {
		output, status = emit(form, "--install", site, "--yes")
		assert.Equal(t, 2, status, "%s: %s", form, output)
		assert.Contains(t, output, "site: ", form)
	}
	output, status = emit("nginx", "--install", site, "--yes", "--pieces", filepath.Join(dir, "a b"))
	assert.Equal(t, 2, status, output)
}

// What is put into the other servers' files is accepted by their own checks.
func TestInstallIntoTheOtherServersFiles(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	folder := t.TempDir()
	threePlans(t, folder, 1)
	for form, foreign := range map[string]string{
		"apache": "<VirtualHost *:80>\n\tServerName other.example\n</VirtualHost>\n<VirtualHost " +
			"*:80>\n\tServerName skerrywick.example\n\tRewriteEngine On\n\tRewriteRule ^/x - [L]\n</VirtualHost>\n",
		"caddy": "other.example {\n\trespond other\n}\nhttp://skerrywick.example, http://www.skerrywick.example " +
			"{\n\troute {\n\t\trespond ok\n\t}\n}\n",
		"haproxy": "defaults\n\tmode http\n\ttimeout client 5s\n\ttimeout server 5s\n\ttimeout connect " +
			"5s\nfrontend site\n\tbind 127.0.0.1:1\n\tdefault_backend pages\nbackend pages\n\tserver pages " +
			"127.0.0.1:2\n",
	} {
		t.Run(form, func(t *testing.T) {
			dir := t.TempDir()
			path := filepath.Join(dir, "sites.d", "site")
			for _, ending := range []string{"\n", "\r\n"} {
				text := strings.ReplaceAll(foreign, "\n", ending)
				write(t, path, text)
				for range 2 {
					output, status := runProgram(t, "--project", folder, "emit", form, "--install", path, "--yes")
					require.Zero(t, status, "%s: %s", form, output)
					assert.Regexp(t, "accepts (the file|its whole configuration)", output, form)
				}
				blocks := map[string]int{"haproxy": 2}[form]
				assert.Equal(t, max(1, blocks), strings.Count(readText(t, path), "# young-compass begins: "+form))
				entries, err := os.ReadDir(filepath.Join(dir, "young-compass"))
				require.NoError(t, err)
				assert.Equal(t, form != "haproxy" || len(entries) == 1, true)
				output, status := runProgram(t, "--project", folder, "emit", form, "--undo", path)
				require.Zero(t, status, output)
				assert.Equal(t, text, readText(t, path), form)
			}
		})
	}
}

func TestTrialIsTemporary(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	dir := t.TempDir()
	threePlans(t, dir, 1)
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	g := compiled(t, p)
	for _, target := range targets() {
		folder := siteFolder(t, site{})
		files, _ := target.Emit(g, server.Options{Trial: true})
		for _, f := range files {
			if target.Name() == "php" && f.Name != php.FolderFile && f.Name != php.ProgramFile {
				continue // the script is the same for all plans, and the table has no comments
			}
			assert.Contains(t, string(f.Data[:min(300, len(f.Data))]), "# A TRIAL: ", f.Name)
		}
		s := target.with(t, g, server.Options{Trial: true}, folder)
		for _, q := range []struct {
			ask
			want int
		}{{ask{method: "GET", url: "http://www.skerrywick.example/old.htm"}, 302},
			{ask{method: "POST", url: "http://www.skerrywick.example/nope"}, 307},
			{ask{method: "GET", url: "https://skerrywick.example/go/a"}, 302}} {
			got, err := s.Ask(q.ask)
			require.NoError(t, err)
			log, _ := os.ReadFile(filepath.Join(folder, "error.log"))
			assert.Equal(t, q.want, got.Status, "%s: %s\n%s", target.Name(), q.url, log)
			assert.Equal(t, []string{"max-age=60"}, got.Header.Values("Cache-Control"), target.Name())
		}
		s.stop()
	}
}
