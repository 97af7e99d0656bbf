//go:build linux

package server_test

import (
	"flag"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/demo"
	"young-compass/internal/finding"
	"young-compass/internal/preview"
	"young-compass/internal/server"
	"young-compass/internal/server/caddy"
	"young-compass/internal/server/haproxy"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/nginx"
	"young-compass/internal/server/php"
)

// site is what a server is to serve: pages by path, each as a file of its own
// that addresses without extension are mapped to, and files as they are.
type site struct {
	Pages []string // decoded paths
	Files []string
}

// realServer starts real servers in a folder that any user can read.
type realServer struct {
	Dir string
	client
	lenient bool     // pages that are there may be shown though the plan doesn't know the address
	absent  []string // decoded paths of pages that may be missing, since no file can be called so
	slashes bool     // real folders keep the slash behind their name
	groups  []int    // its groups of processes
	stop    func()   // ends the server
}

// folder makes a folder that the server's own user may read, with the site and
// a certificate in it.
func siteFolder(t *testing.T, site site) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "young-compass-test")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	root := filepath.Join(dir, "www")
	for _, page := range site.Pages {
		write(t, filepath.Join(root, ".site", page, "page.html"), "<title>"+page+"</title>")
	}
	for _, file := range site.Files {
		write(t, filepath.Join(root, file), "a file")
	}
	for _, script := range []string{"front", "page"} { // what makes pages says how it was asked
		write(t, filepath.Join(root, "inside", script+".shtml"),
			`<!--#echo encoding="none" var="DOCUMENT_URI" -->?<!--#echo encoding="none" var="QUERY_STRING" -->`)
	}
	certificate, key, err := preview.Certificate(append([]string{demo.Site().Origin.Host}, demo.Site().Hosts...))
	require.NoError(t, err)
	write(t, filepath.Join(dir, "cert.pem"), string(certificate))
	write(t, filepath.Join(dir, "key.pem"), string(key))
	return dir
}

func write(t *testing.T, path, text string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
}

// nextPort counts the ports that the tests have chosen: none is chosen twice, and
// none is of those that clients get.
var nextPort = func() *atomic.Int64 {
	var n atomic.Int64
	n.Store(int64(20_000 + os.Getpid()*37%9_000))
	return &n
}()

// freePort returns a loopback address that nothing listens at.
func freePort(t *testing.T) string {
	t.Helper()
	for range 1000 {
		at := fmt.Sprintf("127.0.0.1:%d", 20_000+nextPort.Add(1)%12_000)
		if l, err := net.Listen("tcp", at); err == nil {
			require.NoError(t, l.Close())
			return at
		}
	}
	t.Fatal("no port is free")
	return ""
}

// run starts a server and waits until both ports answer. The test fails, and
// doesn't skip, when the program isn't installed.
func run(t *testing.T, dir string, name string, args ...string) *realServer {
	t.Helper()
	path, err := exec.LookPath(name)
	if err != nil {
		path = filepath.Join("/usr/sbin", name)
	}
	command := exec.Command(path, args...)
	command.Env = append(os.Environ(), "GOGC=off", // Caddy starts sooner when it collects nothing
		"HOME="+dir, "XDG_CONFIG_HOME="+dir, "XDG_DATA_HOME="+dir)
	var output strings.Builder
	command.Stdout, command.Stderr = &output, &output
	command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	command.WaitDelay = time.Second // workers that outlive their parent keep its output open
	require.NoError(t, command.Start(), "%s must be installed; test.sh does it", name)
	exited := make(chan error, 1)
	go func() { exited <- command.Wait() }()
	stop := sync.OnceFunc(func() {
		_ = syscall.Kill(-command.Process.Pid, syscall.SIGKILL) // the workers too
		<-exited
	})
	t.Cleanup(stop)
	s := &realServer{Dir: dir, stop: stop, groups: []int{command.Process.Pid}}
	s.HTTP, s.HTTPS = readText(t, filepath.Join(dir, "http")), readText(t, filepath.Join(dir, "https"))
	for _, at := range []string{s.HTTP, s.HTTPS} {
		deadline := time.Now().Add(time.Minute)
		for {
			conn, err := net.DialTimeout("tcp", at, time.Second)
			if err == nil {
				_ = conn.Close()
				break
			}
			select {
			case err := <-exited:
				exited <- err
				log, _ := os.ReadFile(filepath.Join(dir, "error.log"))
				t.Fatalf("%s ended: %v\n%s%s", name, err, output.String(), log)
			case <-time.After(20 * time.Millisecond):
			}
			if time.Now().After(deadline) {
				t.Fatalf("%s does not answer on %s\n%s", name, at, output.String())
			}
		}
	}
	return s
}

func readText(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	return string(data)
}

// ports chooses two ports and notes them in the folder.
func ports(t *testing.T, dir string) (plain, secure string) {
	t.Helper()
	for _, name := range []string{"http", "https"} {
		write(t, filepath.Join(dir, name), freePort(t))
	}
	return readText(t, filepath.Join(dir, "http")), readText(t, filepath.Join(dir, "https"))
}

var onlyForm = flag.String("form", "", "compare this form alone")

// targets are all the servers, each started as an administrator would.
func targets() []target {
	return slices.DeleteFunc([]target{
		{httpd.Folder{}, startFolder},
		{httpd.Host{}, startApache},
		{nginx.Target{}, startNginx},
		{caddy.Target{}, startCaddy},
		{haproxy.Target{}, startHAProxy},
		{php.Target{}, startPHP},
	}, func(t target) bool { return *onlyForm != "" && t.Name() != *onlyForm })
}

type target struct {
	server.Target
	start func(t *testing.T, dir string, hosts []string) *realServer
}

// try emits a plan, however large.
func (target target) try(g *compile.Program) ([]server.File, []finding.Finding) {
	return target.Emit(g, server.Options{Anyway: true})
}

// serve emits a plan and starts the server with it.
func (target target) serve(t *testing.T, g *compile.Program, site site) *realServer {
	t.Helper()
	return target.with(t, g, server.Options{}, siteFolder(t, site))
}

// with starts the server in a folder in which the site lies.
func (target target) with(t *testing.T, g *compile.Program, o server.Options, dir string) *realServer {
	t.Helper()
	o.Folder, o.Anyway = dir, true
	if target.Target == (php.Target{}) || target.Target == (httpd.Folder{}) {
		o.Folder = "" // the document root
	}
	files, found := target.Emit(g, o)
	require.False(t, finding.Worst(found, finding.Error), "%s: %v", target.Name(), found)
	for _, f := range files {
		name := f.Name
		if name == httpd.FolderFile {
			name = folderRules
		}
		write(t, filepath.Join(dir, name), string(f.Data))
	}
	for _, f := range files {
		if command := regexp.MustCompile(`(?m)^#   (httxt2dbm .*)$`).FindSubmatch(f.Data); command != nil {
			output, err := exec.Command("sh", "-c", string(command[1])).CombinedOutput()
			require.NoError(t, err, string(output))
		}
	}
	return target.start(t, dir, slices.Concat([]string{g.Plan.Site.Origin.Host}, g.Plan.Site.Hosts,
		g.Plan.Site.LanguageHosts))
}

// startNginx starts nginx with the pieces that were emitted for it.
func startNginx(t *testing.T, dir string, hosts []string) *realServer {
	t.Helper()
	plain, secure := ports(t, dir)
	write(t, filepath.Join(dir, "nginx.conf"), strings.NewReplacer("DIR", dir, "PLAIN", plain, "SECURE", secure,
		"HOSTS", strings.Join(hosts, " ")).Replace(`
daemon off; master_process off; worker_processes 1;
pid DIR/pid; error_log DIR/error.log warn;
events { worker_connections 256; }
http {
	access_log off; client_body_temp_path DIR/t1; proxy_temp_path DIR/t2; fastcgi_temp_path DIR/t3; uwsgi_temp_path DIR/t4; scgi_temp_path DIR/t5;
	keepalive_requests 100000;
	include DIR/young-compass-http.conf;
	server {
		listen PLAIN; listen SECURE ssl http2;
		ssl_certificate DIR/cert.pem; ssl_certificate_key DIR/key.pem;
		server_name HOSTS;
		root DIR/www;
		include DIR/young-compass-server.conf;
		error_page 405 =200 @posted;
		location @posted { return 200 "ok"; }
		location /inside/ { return 200 "$uri?$args"; }
		location / { try_files $uri /.site$uri/page.html =404; }
	}
	server {
		listen PLAIN default_server; listen SECURE ssl http2 default_server;
		ssl_certificate DIR/cert.pem; ssl_certificate_key DIR/key.pem;
		return 421;
	}
}`))
	return run(t, dir, "nginx", "-p", dir, "-e", filepath.Join(dir, "error.log"), "-c",
		filepath.Join(dir, "nginx.conf"))
}

// folderRules is where the per-folder file waits for its folder.
const folderRules = "folder-rules"

// siteRules are what a site served by httpd itself does, in its folder:
// addresses without extension are files.
const siteRules = `
RewriteEngine On
RewriteCond %{DOCUMENT_ROOT}/.site%{REQUEST_URI}/page.html -f
RewriteRule "^" "/.site%{REQUEST_URI}/page.html" [END]
`

// startFolder starts Apache httpd with a per-folder file in its document root.
// The site's own rules for its content stand behind what was emitted.
func startFolder(t *testing.T, dir string, hosts []string) *realServer {
	t.Helper()
	write(t, filepath.Join(dir, "www", ".htaccess"), readText(t, filepath.Join(dir, folderRules))+siteRules)
	apart := filepath.Join("young-compass", "rules", ".htaccess")
	if _, err := os.Stat(filepath.Join(dir, apart)); err == nil {
		write(t, filepath.Join(dir, "www", apart), readText(t, filepath.Join(dir, apart)))
	}
	return startHTTPD(t, dir, "")
}

// startApache starts Apache httpd with the pieces that were emitted for its own
// configuration, and the site's own rules in a per-folder file.
func startApache(t *testing.T, dir string, hosts []string) *realServer {
	t.Helper()
	write(t, filepath.Join(dir, "www", ".htaccess"), siteRules)
	return startHTTPD(t, dir, "Include "+dir+"/"+httpd.HostFile)
}

// startPHP starts Apache httpd with the script in its document root. Pages are files that the script finds by itself.
func startPHP(t *testing.T, dir string, hosts []string) *realServer {
	t.Helper()
	absent := putScript(t, dir)
	s := startWithPHP(t, dir)
	s.absent = absent
	return s
}

// putScript puts the script into the document root, and returns the paths of pages that can't be files.
func putScript(t *testing.T, dir string) (absent []string) {
	t.Helper()
	root := filepath.Join(dir, "www")
	write(t, filepath.Join(root, ".htaccess"), readText(t, filepath.Join(dir, folderRules)))
	scripts, err := filepath.Glob(filepath.Join(dir, "young-compass*.php"))
	require.NoError(t, err)
	for _, path := range scripts { // internal addresses are those of scripts here
		text := strings.ReplaceAll(readText(t, path), ".shtml", ".php")
		write(t, filepath.Join(root, filepath.Base(path)), strings.ReplaceAll(text, "fcgi|pl|py|rb|sh|asp|aspx|jsp|.php",
			"fcgi|pl|py|rb|sh|asp|aspx|jsp|shtml"))
	}
	for _, script := range []string{"front", "page"} {
		write(t, filepath.Join(root, "inside", script+".php"),
			"<?php echo str_replace('.php', '.shtml', $_SERVER['SCRIPT_NAME']), '?', $_SERVER['QUERY_STRING'];")
	}
	pages := filepath.Join(root, ".site")
	if program := readText(t, filepath.Join(dir, php.ProgramFile)); !strings.Contains(program, "'front' => ''") {
		pages = filepath.Join(root, "no pages: a script makes them, and files would go before it")
	}
	err = filepath.WalkDir(pages, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.Name() != "page.html" {
			return err
		}
		page, names := strings.TrimPrefix(filepath.Dir(path), pages), []string{"", "/index.html"}
		absent = append(absent, page+"/") // where there are no index files
		if folderOf(pages, page) {
			names, absent = []string{".html", "/index.html"}, append(absent, page)
		}
		for _, name := range names {
			if _, err := os.Stat(filepath.Join(root, page+name)); os.IsNotExist(err) {
				write(t, filepath.Join(root, page+name), readText(t, path))
				if name == "" {
					break
				}
			}
		}
		return nil
	})
	if !os.IsNotExist(err) {
		require.NoError(t, err)
	}
	return absent
}

// startWithPHP starts Apache httpd and PHP's process manager.
func startWithPHP(t *testing.T, dir string) *realServer {
	t.Helper()
	socket, group := startFPM(t, dir)
	s := startHTTPD(t, dir, "<FilesMatch \"\\.php$\">\nSetHandler \"proxy:unix:"+socket+"|fcgi://localhost\"\n</FilesMatch>")
	s.slashes, s.groups = true, append(s.groups, group)
	return s
}

// folderOf reports whether there are pages below a page.
func folderOf(pages, page string) bool {
	entries, err := os.ReadDir(filepath.Join(pages, page))
	return err == nil && (len(entries) > 1 || page == "/" || page == "")
}

// startFPM starts PHP's process manager and returns its socket, and its group of processes.
func startFPM(t *testing.T, dir string) (socket string, group int) {
	t.Helper()
	socket = filepath.Join(dir, "php.sock")
	conf := filepath.Join(dir, "fpm.conf")
	user := ""
	if os.Geteuid() == 0 {
		user = "user = www-data\ngroup = www-data\nlisten.owner = www-data\n"
	}
	write(t, conf, "[global]\nerror_log = "+dir+"/php.log\ndaemonize = no\n[www]\nlisten = "+socket+"\n"+user+
		"pm = static\npm.max_children = 2\ncatch_workers_output = yes\n"+
		map[bool]string{true: "php_admin_value[open_basedir] = " + dir + "\nphp_admin_value[opcache.revalidate_freq] = 0\n"}[*guardRows == 0]+
		"php_admin_value[error_log] = "+dir+"/scripts.log\nphp_admin_flag[log_errors] = on\n")
	write(t, filepath.Join(dir, "scripts.log"), "")
	require.NoError(t, os.Chmod(filepath.Join(dir, "scripts.log"), 0o666))
	programs, err := filepath.Glob("/usr/sbin/php-fpm[0-9]*")
	require.NoError(t, err)
	require.NotEmpty(t, programs, "php-fpm must be installed; test.sh does it")
	command := exec.Command(programs[0], "-F", "-y", conf, "-c", dir)
	command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	require.NoError(t, command.Start())
	t.Cleanup(func() {
		_ = syscall.Kill(-command.Process.Pid, syscall.SIGKILL)
		_ = command.Wait()
	})
	require.Eventually(t, func() bool {
		conn, err := net.Dial("unix", socket)
		if err == nil {
			_ = conn.Close()
		}
		return err == nil
	}, time.Minute, 20*time.Millisecond)
	return socket, command.Process.Pid
}

func startHTTPD(t *testing.T, dir, rules string) *realServer {
	t.Helper()
	return startHTTPDWith(t, dir, rules, "LoadModule mpm_event_module MODS/mod_mpm_event.so\nLoadModule http2_module MODS/mod_http2.so\nProtocols h2 http/1.1")
}

// startModule starts Apache httpd with PHP as its module, and the script in its document root.
func startModule(t *testing.T, dir string, hosts []string) *realServer {
	t.Helper()
	absent := putScript(t, dir)
	s := startHTTPDAndModule(t, dir)
	s.slashes, s.absent = true, absent
	return s
}

// startHTTPDAndModule starts Apache httpd with PHP as a module.
func startHTTPDAndModule(t *testing.T, dir string) *realServer {
	t.Helper()
	write(t, filepath.Join(dir, "scripts.log"), "")
	require.NoError(t, os.Chmod(filepath.Join(dir, "scripts.log"), 0o666))
	modules, err := filepath.Glob("/usr/lib/apache2/modules/libphp*.so")
	require.NoError(t, err)
	require.NotEmpty(t, modules, "libapache2-mod-php must be installed; test.sh does it")
	return startHTTPDWith(t, dir, "php_admin_value error_log "+dir+"/scripts.log\nphp_admin_flag log_errors on\n"+
		"php_admin_flag display_errors on\n<FilesMatch \"\\.php$\">\nSetHandler application/x-httpd-php\n</FilesMatch>",
		"LoadModule mpm_prefork_module MODS/mod_mpm_prefork.so\nLoadModule php_module "+modules[0])
}

func startHTTPDWith(t *testing.T, dir, rules, modules string) *realServer {
	t.Helper()
	plain, secure := ports(t, dir)
	user := ""
	if os.Geteuid() == 0 { // workers give up root's rights
		user = "User www-data\nGroup www-data"
	}
	write(t, filepath.Join(dir, "mime.types"), "text/html html\n")
	write(t, filepath.Join(dir, "apache.conf"), strings.NewReplacer("DIR", dir, "PLAIN", plain, "SECURE", secure,
		"MODS", "/usr/lib/apache2/modules", "USER", user, "RULES", rules).Replace(strings.Replace(`
ServerRoot "DIR"
Mutex posixsem
PidFile "DIR/pid"
Listen PLAIN
Listen SECURE
ServerName skerrywick.example
USER
MODULES
LoadModule authz_core_module MODS/mod_authz_core.so
LoadModule rewrite_module MODS/mod_rewrite.so
LoadModule headers_module MODS/mod_headers.so
LoadModule alias_module MODS/mod_alias.so
LoadModule dir_module MODS/mod_dir.so
LoadModule mime_module MODS/mod_mime.so
LoadModule include_module MODS/mod_include.so
LoadModule socache_shmcb_module MODS/mod_socache_shmcb.so
LoadModule ssl_module MODS/mod_ssl.so
LoadModule proxy_module MODS/mod_proxy.so
LoadModule proxy_fcgi_module MODS/mod_proxy_fcgi.so
TypesConfig "DIR/mime.types"
ErrorLog "DIR/error.log"
MaxKeepAliveRequests 0
KeepAliveTimeout 60
DocumentRoot "DIR/www"
DirectorySlash Off
DirectoryIndex disabled
AddOutputFilter INCLUDES .shtml
<Directory "DIR/www">
	Require all granted
	Options +FollowSymLinks +Includes -MultiViews
	AllowOverride All
</Directory>
<VirtualHost PLAIN>
	RULES
</VirtualHost>
<VirtualHost SECURE>
	SSLEngine on
	SSLCertificateFile "DIR/cert.pem"
	SSLCertificateKeyFile "DIR/key.pem"
	RULES
</VirtualHost>
`, "MODULES", modules, 1)))
	return run(t, dir, "apache2", "-D", "FOREGROUND", "-f", filepath.Join(dir, "apache.conf"))
}

// startCaddy starts Caddy with the pieces that were emitted for it.
func startCaddy(t *testing.T, dir string, hosts []string) *realServer {
	t.Helper()
	plain, secure := ports(t, dir)
	port := func(at string) string { return at[strings.LastIndexByte(at, ':'):] }
	write(t, filepath.Join(dir, "Caddyfile"), strings.NewReplacer("DIR", dir, "PLAIN", port(plain), "SECURE",
		port(secure)).Replace(`
{
	admin off
	auto_https off
}
(site) {
	bind 127.0.0.1
	root * DIR/www
	route {
		import DIR/young-compass-route.caddy
		@inside path /inside/*
		respond @inside "{http.request.uri.path}?{http.request.uri.query}"
		@posted {
			method POST
			file {path} /.site{path}/page.html
		}
		respond @posted ok
		try_files {path} /.site{path}/page.html
		file_server
	}
}
http://PLAIN {
	import site
}
https://SECURE {
	tls DIR/cert.pem DIR/key.pem
	import site
}
`))
	return run(t, dir, "caddy", "run", "--config", filepath.Join(dir, "Caddyfile"), "--adapter", "caddyfile")
}

// startHAProxy starts HAProxy with the lines that were emitted for its frontend,
// before a server of the site's pages.
func startHAProxy(t *testing.T, dir string, hosts []string) *realServer {
	t.Helper()
	behind := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		path := address.Decode(r.URL.EscapedPath())
		_, page := os.Stat(filepath.Join(dir, "www", ".site", path, "page.html"))
		file, err := os.Stat(filepath.Join(dir, "www", path))
		switch {
		case strings.HasPrefix(path, "/inside/"):
			fmt.Fprintf(w, "%s?%s", path, r.URL.RawQuery)
		case page == nil || err == nil && !file.IsDir():
		default:
			w.WriteHeader(404)
		}
	})}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = behind.Serve(listener) }()
	t.Cleanup(func() { _ = behind.Close() })
	plain, secure := ports(t, dir)
	write(t, filepath.Join(dir, "site.pem"), readText(t, filepath.Join(dir, "cert.pem"))+readText(t,
		filepath.Join(dir, "key.pem")))
	write(t, filepath.Join(dir, "haproxy.cfg"), strings.NewReplacer("DIR", dir, "PLAIN", plain, "SECURE", secure,
		"BEHIND", listener.Addr().String(), "LINES", readText(t, filepath.Join(dir, haproxy.FrontendFile))).Replace(`
global
	maxconn 500
	nbthread 1
	log stderr local0 warning
defaults
	mode http
	timeout client 60s
	timeout server 5s
	timeout connect 5s
frontend site
	bind PLAIN
	bind SECURE ssl crt DIR/site.pem alpn h2,http/1.1
LINES
	default_backend pages
backend pages
	server pages BEHIND
`))
	return run(t, dir, "haproxy", "-db", "-f", filepath.Join(dir, "haproxy.cfg"))
}

// Describe returns a reply in words.
func (r reply) String() string { return strings.TrimSpace(fmt.Sprintf("%d %s", r.Status, r.Location)) }
