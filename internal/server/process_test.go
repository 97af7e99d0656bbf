package server_test

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"young-compass/internal/demo"
	"young-compass/internal/server"
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
	lenient bool   // pages that are there may be shown though the plan doesn't know the address
	stop    func() // ends the server
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
	certificate, key, err := demo.Certificate(append([]string{demo.Site().Origin.Host}, demo.Site().Hosts...))
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

// freePort returns a loopback port that nothing listens on.
func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { require.NoError(t, l.Close()) }()
	return l.Addr().String()
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
	s := &realServer{Dir: dir, stop: stop}
	s.HTTP, s.HTTPS = readText(t, filepath.Join(dir, "http")), readText(t, filepath.Join(dir, "https"))
	for _, at := range []string{s.HTTP, s.HTTPS} {
		deadline := time.Now().Add(10 * time.Second)
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
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer func() { require.NoError(t, l.Close()) }() // both at the end, so that they differ
		write(t, filepath.Join(dir, name), l.Addr().String())
	}
	return readText(t, filepath.Join(dir, "http")), readText(t, filepath.Join(dir, "https"))
}

// Nginx starts nginx with the pieces that were emitted for it.
func startNginx(t *testing.T, files []server.File, hosts []string, site site) *realServer {
	t.Helper()
	dir := siteFolder(t, site)
	for _, f := range files {
		write(t, filepath.Join(dir, f.Name), string(f.Data))
	}
	plain, secure := ports(t, dir)
	write(t, filepath.Join(dir, "nginx.conf"), strings.NewReplacer("DIR", dir, "PLAIN", plain, "SECURE", secure, "HOSTS", strings.Join(hosts, " ")).Replace(`
daemon off; master_process off; worker_processes 1;
pid DIR/pid; error_log DIR/error.log warn;
events { worker_connections 256; }
http {
	access_log off; client_body_temp_path DIR/t1; proxy_temp_path DIR/t2; fastcgi_temp_path DIR/t3; uwsgi_temp_path DIR/t4; scgi_temp_path DIR/t5;
	keepalive_requests 100000;
	include DIR/young-compass-http.conf;
	server {
		listen PLAIN; listen SECURE ssl;
		ssl_certificate DIR/cert.pem; ssl_certificate_key DIR/key.pem;
		server_name HOSTS;
		root DIR/www;
		include DIR/young-compass-server.conf;
		error_page 405 =200 @posted;
		location @posted { return 200 "ok"; }
		location / { try_files $uri /.site$uri/page.html =404; }
	}
	server {
		listen PLAIN default_server; listen SECURE ssl default_server;
		ssl_certificate DIR/cert.pem; ssl_certificate_key DIR/key.pem;
		return 421;
	}
}`))
	return run(t, dir, "nginx", "-p", dir, "-e", filepath.Join(dir, "error.log"), "-c", filepath.Join(dir, "nginx.conf"))
}

// Apache starts Apache httpd with a per-folder file in its document root. The
// site's own rules for its content stand behind what was emitted.
func startApache(t *testing.T, htaccess []byte, site site) *realServer {
	t.Helper()
	dir := siteFolder(t, site)
	write(t, filepath.Join(dir, "www", ".htaccess"), string(htaccess)+`
# what the site itself does: addresses without extension are files
RewriteCond %{DOCUMENT_ROOT}/.site%{REQUEST_URI}/page.html -f
RewriteRule "^" "/.site%{REQUEST_URI}/page.html" [END]
`)
	plain, secure := ports(t, dir)
	user := ""
	if os.Geteuid() == 0 { // workers give up root's rights
		user = "User www-data\nGroup www-data"
	}
	write(t, filepath.Join(dir, "mime.types"), "text/html html\n")
	write(t, filepath.Join(dir, "apache.conf"), strings.NewReplacer("DIR", dir, "PLAIN", plain, "SECURE", secure, "MODS", "/usr/lib/apache2/modules", "USER", user).Replace(`
ServerRoot "DIR"
Mutex posixsem
PidFile "DIR/pid"
Listen PLAIN
Listen SECURE
ServerName skerrywick.example
USER
LoadModule mpm_event_module MODS/mod_mpm_event.so
LoadModule authz_core_module MODS/mod_authz_core.so
LoadModule rewrite_module MODS/mod_rewrite.so
LoadModule headers_module MODS/mod_headers.so
LoadModule dir_module MODS/mod_dir.so
LoadModule mime_module MODS/mod_mime.so
LoadModule socache_shmcb_module MODS/mod_socache_shmcb.so
LoadModule ssl_module MODS/mod_ssl.so
TypesConfig "DIR/mime.types"
ErrorLog "DIR/error.log"
MaxKeepAliveRequests 0
KeepAliveTimeout 60
DocumentRoot "DIR/www"
DirectorySlash Off
DirectoryIndex disabled
<Directory "DIR/www">
	Require all granted
	Options +FollowSymLinks -MultiViews
	AllowOverride All
</Directory>
<VirtualHost SECURE>
	SSLEngine on
	SSLCertificateFile "DIR/cert.pem"
	SSLCertificateKeyFile "DIR/key.pem"
</VirtualHost>
`))
	return run(t, dir, "apache2", "-D", "FOREGROUND", "-f", filepath.Join(dir, "apache.conf"))
}

// Describe returns a reply in words.
func (r reply) String() string { return strings.TrimSpace(fmt.Sprintf("%d %s", r.Status, r.Location)) }
