//go:build linux

package server_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/project"
	"young-compass/internal/server"
	"young-compass/internal/server/php"
)

// scripted starts httpd with the script for a plan, and these files in the document root.
func scripted(t *testing.T, config string, files map[string]string) *realServer {
	t.Helper()
	return scriptedBy(t, startPHP, config, files)
}

// scriptedBy starts it as start does.
func scriptedBy(t *testing.T, start func(*testing.T, string, []string) *realServer, config string, files map[string]string) *realServer {
	t.Helper()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	p, g, found := opened(t, map[string]string{project.PlanFile: "site: {origin: http://skerrywick.example, " + config,
		project.RedirectsFile: "from,to,status\n/old,/about,301\n/gone,,410\n/img/moved.png,/about,301\n"})
	require.NotNil(t, p, "%v", found)
	dir := siteFolder(t, site{})
	for name, text := range files {
		write(t, filepath.Join(dir, "www", name), text)
	}
	return target{php.Target{}, start}.with(t, g, server.Options{}, dir)
}

// fetched is what a server answered to a request with headers of its own.
type fetched struct {
	status int
	header http.Header
	body   string
}

func fetch(t *testing.T, s *realServer, method, path string, fields ...string) fetched {
	t.Helper()
	conn, err := net.DialTimeout("tcp", s.HTTP, time.Minute)
	require.NoError(t, err)
	defer conn.Close()
	fields = append([]string{"Host: skerrywick.example", "Connection: close", "Content-Length: 0"}, fields...)
	_, err = fmt.Fprintf(conn, "%s %s HTTP/1.1\r\n%s\r\n\r\n", method, path, strings.Join(fields, "\r\n"))
	require.NoError(t, err)
	response, err := http.ReadResponse(bufio.NewReader(conn), &http.Request{Method: method})
	require.NoError(t, err, path)
	defer response.Body.Close()
	body, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return fetched{response.StatusCode, response.Header, string(body)}
}

// said returns what PHP wrote into its log.
func said(t *testing.T, s *realServer) []string {
	t.Helper()
	return strings.FieldsFunc(readText(t, filepath.Join(s.Dir, "scripts.log")), func(r rune) bool { return r == '\n' })
}

// What the plan leaves to the site is sent as httpd itself sends it.
func TestTheScriptSendsFilesAsTheServerDoes(t *testing.T) {
	t.Parallel()
	s := scripted(t, "except: [/left/], files: [.css, .png, .cgi]}\nlanguages: {default: en}\n", map[string]string{
		"about.html": "0123456789", "docs/index.html": "docs", "style.css": "a{}", "img/a.png": "png", "img/moved.png": "never",
		"404.html": "not here", "shop.php": "<?php $name = 'global'; function name() { return $GLOBALS['name']; } echo name(), $_SERVER['SCRIPT_NAME'];",
		".user.ini": "; nothing", ".git/config": "secret", "private/.htaccess": "Require all denied\n", "private/page.html": "secret",
		"tool.cgi": "#!/bin/sh\n# secret", "Big File.html": strings.Repeat("x", 300_000), "../outside.html": "secret", "empty.html": "",
	})
	require.NoError(t, os.Symlink(filepath.Join(s.Dir, "outside.html"), filepath.Join(s.Dir, "www", "leak.html")))
	for path, want := range map[string]string{
		"/old": "301 ", "/gone": "410 not found or gone", "/about": "200 0123456789", "/about?x=1": "200 0123456789", "/docs": "200 docs",
		"/docs/": "200 docs", "/about.html": "301 ", "/style.css": "200 a{}", "//style.css": "200 a{}", "/img/a.png?v=2": "200 png",
		"/img/moved.png": "301 ", "/nothing": "404 not here", "/shop": "200 global/shop.php", "/.user.ini": "404", "/.git/config": "404 not here",
		"/.GIT/config": "301 ", "/private/page": "403", "/private/nothing": "403", "//tool.cgi": "404 not here", "/leak": "404 not here",
		"/big%20file": "404 not here", "/empty": "200 ", "/.htaccess": "404", "/docs/..%2f..%2foutside": "404", "/left/x": "404 not here",
	} {
		got := fetch(t, s, "GET", path)
		status, body, whole := strings.Cut(want, " ")
		assert.Equal(t, status, fmt.Sprint(got.status), path)
		if whole && got.status == 200 || got.status == 404 && whole {
			assert.Equal(t, body, got.body, path)
		}
		assert.NotContains(t, got.body, "secret", path)
	}
	page := fetch(t, s, "GET", "/about")
	assert.Equal(t, "text/html", strings.Split(page.header.Get("Content-Type"), ";")[0])
	date := page.header.Get("Last-Modified")
	sent, err := http.ParseTime(date)
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), sent, time.Hour)
	for _, ask := range []struct {
		method, path, field string
		status              int
		body, part          string
	}{
		{"GET", "/about", "If-Modified-Since: " + date, 304, "", ""},
		{"GET", "/about", "If-Modified-Since: Thu, 01 Jan 1970 00:00:00 GMT", 200, "0123456789", ""},
		{"GET", "/about", "If-Modified-Since: nonsense", 200, "0123456789", ""},
		{"GET", "/about", "Range: bytes=0-3", 206, "0123", "bytes 0-3/10"},
		{"GET", "/about", "Range: bytes=8-", 206, "89", "bytes 8-9/10"},
		{"GET", "/about", "Range: bytes=9-99", 206, "9", "bytes 9-9/10"},
		{"GET", "/about", "Range: bytes=-3", 206, "789", "bytes 7-9/10"},
		{"GET", "/about", "Range: bytes=-99", 206, "0123456789", "bytes 0-9/10"},
		{"GET", "/about", "Range: bytes=10-", 416, "", "bytes */10"},
		{"GET", "/about", "Range: bytes=-", 200, "0123456789", ""},
		{"GET", "/about", "Range: bytes=5-2", 416, "", "bytes */10"},
		{"GET", "/about", "Range: bytes=0-3\r\nIf-Range: " + date, 206, "0123", "bytes 0-3/10"},
		{"GET", "/about", "Range: bytes=0-3\r\nIf-Range: Thu, 01 Jan 1970 00:00:00 GMT", 200, "0123456789", ""},
		{"HEAD", "/about", "Accept: */*", 200, "", ""},
		{"POST", "/about", "Accept: */*", 405, "", ""},
		{"GET", "/empty", "Range: bytes=0-", 416, "", "bytes */0"},
	} {
		got := fetch(t, s, ask.method, ask.path, ask.field)
		assert.Equal(t, ask.status, got.status, "%v", ask)
		assert.Equal(t, ask.body, got.body, "%v", ask)
		assert.Equal(t, ask.part, got.header.Get("Content-Range"), "%v", ask)
	}
	assert.Empty(t, said(t, s))
}

// A real folder keeps the slash that httpd adds to it: taken away, it would come back.
func TestTheScriptLeavesTheSlashOfAFolder(t *testing.T) {
	t.Parallel()
	own := "DirectorySlash On\nDirectoryIndex index.html index.php\n" // as hosts have it
	s := scripted(t, "hosts: [www.skerrywick.example]}\nlanguages: {default: en}\n", map[string]string{"docs/.htaccess": own,
		"docs/index.html": "docs", "old/.htaccess": own, "old/index.html": "never", "bare/.htaccess": own, "bare/a.css": "a{}",
		"about.html": "about", "chart.js/.htaccess": own, "chart.js/index.php": "<?php echo 'chart';"})
	for path, want := range map[string]string{"/docs": "301 /docs/", "/docs/": "200 docs", "/docs/?a=b": "200 docs", "/docs/index.html": "301 /docs",
		"//docs/": "200 docs", "/old": "301 /old/", "/old/": "301 /about", "/bare": "301 /bare/", "/bare/": "404 ", "/bare/a.css": "200 a{}",
		"/about/": "301 /about", "/DOCS/": "301 /docs", "/chart.js/": "200 chart", "/chart.js": "301 /chart.js/"} {
		got := fetch(t, s, "GET", path)
		at := strings.TrimPrefix(strings.TrimPrefix(got.header.Get("Location"), "http://skerrywick.example"), s.HTTP[strings.LastIndexByte(s.HTTP, ':'):])
		if got.status == 200 {
			at = got.body
		}
		assert.Equal(t, want, fmt.Sprint(got.status, " ", at), path)
	}
	assert.Empty(t, said(t, s))
}

// The front controller is handed on to as if it had been asked for by its own address.
func TestTheScriptHandsOnToTheFrontController(t *testing.T) {
	t.Parallel()
	s := scripted(t, "hosts: [www.skerrywick.example]}\nlanguages: {default: en}\nparameters: {noise: [sid]}\n"+
		"front-controller: {to: /index.php}\n", map[string]string{
		"index.php": `<?php
$set = 'global';
function set() { global $set; return $set; }
echo json_encode([$_SERVER['REQUEST_URI'], $_SERVER['SCRIPT_NAME'], $_SERVER['PHP_SELF'], basename($_SERVER['SCRIPT_FILENAME']),
	$_SERVER['QUERY_STRING'], $_GET, $_REQUEST, basename(getcwd()), set(), isset($_SERVER['PATH_INFO']), ini_get('display_errors')]);`,
		"style.css": "a{}", "notes": "read", "login.php": "<?php echo 'login ', $_SERVER['SCRIPT_NAME'];", "admin/index.php": "<?php echo 'admin';",
		"admin/list.php": "<?php echo 'list';", "fares.html": "fares"})
	for path, body := range map[string]string{"/notes": "read", "/login": "login /login.php", "/admin/": "admin", "/admin": "admin",
		"/admin/list": "list", "/fares": "fares", "/robots.txt": "[", "/sitemap.xml?x=1": "[", "/img/nothing.png": "["} { // what lies there goes first
		got := fetch(t, s, "GET", path)
		assert.Equal(t, 200, got.status, path)
		assert.True(t, strings.HasPrefix(got.body, body), "%s: %s", path, got.body)
	}
	got := fetch(t, s, "GET", "/some/page?b=2&a[]=1&a[]=%20")
	assert.Equal(t, 200, got.status)
	assert.Equal(t, `["\/some\/page?b=2&a[]=1&a[]=%20","\/index.php","\/index.php","index.php","b=2&a[]=1&a[]=%20",`+
		`{"b":"2","a":["1"," "]},{"b":"2","a":["1"," "]},"www","global",false,"1"]`, got.body)
	for path, status := range map[string]int{"/old": 301, "/some/page?sid=1": 301, "/gone": 410, "/": 200, "/index.php": 301, "/style.css": 200} {
		assert.Equal(t, status, fetch(t, s, "GET", path).status, path)
	}
	assert.Empty(t, said(t, s))
}

// None of the script's own files can be had, and nothing that a request holds makes it complain.
func TestTheScriptKeepsItsFilesToItself(t *testing.T) {
	t.Parallel()
	for _, paths := range []string{"", ", paths: {extension: keep}"} { // with extensions, httpd may run the files by itself
		keepsItsFiles(t, scripted(t, "hosts: [www.skerrywick.example]"+paths+"}\n", map[string]string{"about.html": "about"}))
	}
}

func keepsItsFiles(t *testing.T, s *realServer) {
	t.Helper()
	names, err := filepath.Glob(filepath.Join(s.Dir, "www", "young-compass*"))
	require.NoError(t, err)
	require.Len(t, names, 3)
	var paths []string
	for _, name := range names {
		path := "/" + filepath.Base(name)
		paths = append(paths, path, path+"?x=1", path+"/", path+"/x.css", path+"/..%2f", "/"+path, strings.ToUpper(path), path+"/x/../y",
			"/x/.."+path, strings.Replace(path, "young", "%79oung", 1), strings.TrimSuffix(path, ".php"), path+"%00", path+".", path+"~")
	}
	for _, path := range paths {
		for _, method := range []string{"GET", "POST", "HEAD"} {
			got := fetch(t, s, method, path)
			assert.Contains(t, []int{301, 308, 400, 403, 404, 405}, got.status, "%s %s", method, path)
			assert.NotContains(t, got.body, "steps", path)
			assert.NotContains(t, got.body, "/s0:", path)
		}
		got := fetch(t, s, "GET", path)
		if at := got.header.Get("Location"); at != "" { // what it leads to is nothing either
			assert.Contains(t, []int{403, 404}, fetch(t, s, "GET", strings.TrimPrefix(at, "http://skerrywick.example")).status, at)
		}
	}
	random := rand.New(rand.NewPCG(7, 2026))
	alphabet := []string{"/", "a", "%", "%2e", "%C3", ".", "..", ";", "?", "&", "=", "\x80", "\xff", "%0a", "%00", "\"", "<", "'", "\\", "|", "A", "old",
		"about", ".html", ".php", "#", "+", "[", "]", "[]", ":", "@", "~", "$", "{", "}"}
	for range 1500 {
		path := "/"
		for range random.IntN(14) {
			path += alphabet[random.IntN(len(alphabet))]
		}
		method := []string{"GET", "GET", "POST", "HEAD", "PUT", "OPTIONS", "X"}[random.IntN(7)]
		got := fetch(t, s, method, path, "X-Forwarded-Proto: \x80", "Range: bytes="+path, "If-Modified-Since: "+path,
			"Host: "+[]string{"skerrywick.example", "", "[::1]:80", ":", "x\xff"}[0])
		assert.Less(t, got.status, 500, "%s %q", method, path)
	}
	assert.Empty(t, said(t, s))
}

// Where a file of the script is missing or spoilt, the site goes on answering what it can.
func TestTheScriptWithoutItsFiles(t *testing.T) {
	t.Parallel()
	s := scripted(t, "hosts: [www.skerrywick.example]}\n", map[string]string{"about.html": "about", "style.css": "a{}"})
	root := filepath.Join(s.Dir, "www")
	tables, err := filepath.Glob(filepath.Join(root, "young-compass-*[0-9a-f].php"))
	require.NoError(t, err)
	program := filepath.Join(root, php.ProgramFile)
	table := ""
	for _, path := range tables {
		if path != program {
			table = path
		}
	}
	require.NotEmpty(t, table)
	asked := func(when string, old int, lines int) {
		t.Helper()
		require.NoError(t, os.WriteFile(filepath.Join(s.Dir, "scripts.log"), nil, 0o666))
		assert.Equal(t, old, fetch(t, s, "GET", "/old").status, when)
		got := said(t, s)
		assert.Len(t, got, lines, "%s: %v", when, got)
		for _, line := range got {
			assert.Contains(t, line, "young-compass: ", when)
			assert.Contains(t, line, "upload", when)
		}
		assert.Equal(t, 200, fetch(t, s, "GET", "/style.css").status, when)
		page := fetch(t, s, "GET", "/about")
		assert.Equal(t, "200 about", fmt.Sprintf("%d %s", page.status, page.body), when)
	}
	asked("whole", 301, 0)
	for name, path := range map[string]string{"table": table, "program": program} {
		whole, err := os.ReadFile(path)
		require.NoError(t, err)
		for when, data := range map[string][]byte{"cut short": whole[:len(whole)/2], "empty": {}, "spoilt": bytes.Repeat([]byte{255}, len(whole)),
			"of another version": []byte(strings.Replace(string(whole), "'format' => 1", "'format' => 9", 1))} {
			if bytes.Equal(data, whole) {
				continue // the table has none: its name says what is in it
			}
			require.NoError(t, os.WriteFile(path, data, 0o644))
			asked(name+" "+when, 503, 1)
		}
		require.NoError(t, os.Remove(path))
		asked(name+" missing", 503, 1)
		require.NoError(t, os.WriteFile(path, whole, 0o644))
		asked(name+" back", 301, 0)
	}
}

// As httpd's module PHP runs the script as its process manager does, with errors shown or not.
func TestTheScriptAsAModule(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	p := demotest.Accepted(t, t.TempDir())
	g := compiled(t, p)
	module := target{php.Target{}, startModule}
	s := module.with(t, g, server.Options{}, siteFolder(t, demoSite(t, p)))
	compare(t, "php, module of httpd", g, s, demoAsks(t, p), module.Differences())
	s = scriptedBy(t, startModule, "hosts: [www.skerrywick.example]}\n", map[string]string{"about.html": "about"})
	keepsItsFiles(t, s)
	table, err := filepath.Glob(filepath.Join(s.Dir, "www", "young-compass-*[0-9a-f].php"))
	require.NoError(t, err)
	for _, path := range table {
		if filepath.Base(path) != php.ProgramFile {
			require.NoError(t, os.Remove(path))
		}
	}
	got := fetch(t, s, "GET", "/old")
	assert.Equal(t, 503, got.status)
	assert.NotContains(t, got.body, "young-compass", "no error text to visitors")
	require.Len(t, said(t, s), 1)
}

// The lesser guards ask the plan wherever no file lies, and the middle one for other schemes and hosts too.
func TestGuardsAskThePlanWhereNoFileLies(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	p := demotest.Accepted(t, t.TempDir())
	g := compiled(t, p)
	for _, guard := range []server.Guard{server.GuardHost, server.GuardNone} {
		target := target{php.Target{}, startPHP}
		s := target.with(t, g, server.Options{Guard: guard}, siteFolder(t, demoSite(t, p)))
		var asks []ask
		left := 0
		for _, q := range demoAsks(t, p) {
			r, err := server.NewAsked(q.method, q.url)
			require.NoError(t, err)
			if _, err := os.Stat(filepath.Join(s.Dir, "www", address.Decode(r.Path))); err == nil &&
				(guard == server.GuardNone || r.Address.Base() == p.Site.Origin.Base()) {
				left++
				continue
			}
			asks = append(asks, q)
		}
		compare(t, "php, guard "+string(guard), g, s, asks, target.Differences())
		t.Logf("%d requests for what lies there are left out", left)
		assert.Less(t, left, len(asks))
		s.stop()
	}
}

// The script is installed into a folder that has rules of its own, asked, and taken out again.
func TestTheScriptIsInstalled(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	folder, dir := t.TempDir(), siteFolder(t, site{})
	write(t, filepath.Join(folder, project.PlanFile), "site: {origin: http://skerrywick.example, hosts: [www.skerrywick.example]}\n")
	many := "" // so that every byte stands somewhere in the table of addresses
	for i := range 700 {
		many += fmt.Sprintf("/many/%d,/about?n=%d,301\n", i, i)
	}
	write(t, filepath.Join(folder, project.RedirectsFile), "from,to,status\n/old,/about,301\n"+many)
	root := filepath.Join(dir, "www")
	rules := "Options -Indexes\nRewriteEngine On\nRewriteRule ^secret/ - [F]\nErrorDocument 404 \"none\"\n"
	path := filepath.Join(root, ".htaccess")
	write(t, path, rules)
	write(t, filepath.Join(root, "about.html"), "about")
	write(t, filepath.Join(root, "secret", "page.html"), "secret")
	install := func() (version string) {
		output, status := runProgram(t, "--project", folder, "emit", "php", "--install", path, "--yes")
		require.Zero(t, status, output)
		kept, err := filepath.Glob(filepath.Join(folder, "out/php/replaced", ".htaccess.*"))
		require.NoError(t, err)
		require.Len(t, kept, 1, "what was there is kept where no visitor reaches it")
		assert.Equal(t, rules, readText(t, kept[0]))
		_, rest, ok := strings.Cut(readText(t, path), "RewriteRule \"^\" \"")
		require.True(t, ok)
		assert.Contains(t, output, "stays in front of the plan")
		return strings.Split(rest, "\"")[0]
	}
	script := install()
	assert.True(t, strings.HasPrefix(script, "/young-compass/skerrywick.example/"), script)
	s := startWithPHP(t, dir)
	asked := func(want map[string]string) {
		t.Helper()
		for path, answer := range want {
			got := fetch(t, s, "GET", path)
			assert.Equal(t, answer, strings.TrimSpace(fmt.Sprint(got.status, " ", got.header.Get("Location"), got.header.Get("Refresh"))), path)
		}
	}
	asked(map[string]string{"/old": "301 http://skerrywick.example/about", "/about": "200", "/about.html": "301 http://skerrywick.example/about",
		"/secret/page": "403", "/secret/page.html": "403", "/secret/page.html?x=1": "403", "/x/../secret/page": "403",
		script: "404", filepath.Dir(script): "404", filepath.Dir(script) + "/" + php.ProgramFile: "404"})
	for i := range 700 {
		asked(map[string]string{fmt.Sprint("/many/", i): fmt.Sprint("301 http://skerrywick.example/about?n=", i)})
	}
	packed := filepath.Join(folder, "up.zip")
	output, status := runProgram(t, "--project", folder, "emit", "php", "--zip", packed)
	require.Zero(t, status, output)
	unpacked, err := zip.OpenReader(packed)
	require.NoError(t, err)
	defer unpacked.Close()
	for _, f := range unpacked.File { // it holds what is installed, but for the name of its folder
		if strings.HasPrefix(f.Name, "young-compass/") && filepath.Base(f.Name) != php.ProgramFile {
			r, err := f.Open()
			require.NoError(t, err)
			data, err := io.ReadAll(r)
			require.NoError(t, err)
			assert.Equal(t, readText(t, filepath.Join(root, filepath.Dir(script), filepath.Base(f.Name))), string(data), f.Name)
		}
	}
	write(t, filepath.Join(folder, project.RedirectsFile), "from,to,status\n/old,/news,301\n")
	output, status = runProgram(t, "--project", folder, "emit", "php", "--install", path, "--yes")
	require.Zero(t, status, output)
	asked(map[string]string{"/old": "301 http://skerrywick.example/news"})
	_, status = runProgram(t, "--project", folder, "emit", "php", "--undo", path)
	require.Zero(t, status)
	assert.Equal(t, rules, readText(t, path))
	asked(map[string]string{"/old": "404", "/secret/page.html": "403", "/about.html": "200"})
	write(t, path, rules+"RewriteRule ^own$ /about.html [L]\n")
	output, status = runProgram(t, "--project", folder, "emit", "php", "--install", path, "--yes")
	assert.Equal(t, 1, status, output)
	assert.Contains(t, output, ".htaccess:5: error existing-unasked: it isn't asked any more where no file lies: RewriteRule ^own$ /about.html [L]")
	assert.Equal(t, rules+"RewriteRule ^own$ /about.html [L]\n", readText(t, path))
	output, status = runProgram(t, "--project", folder, "emit", "php", "--install", path, "--yes", "--force")
	assert.Zero(t, status&^1, output)
	assert.Contains(t, output, "young-compass probe redirects hosts --project "+folder)
	assert.Empty(t, said(t, s))
}
