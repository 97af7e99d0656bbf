package deploy

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"young-compass/internal/server"
	"young-compass/internal/server/httpd"
)

// InvalidError is what a server's own check says against a configuration.
type InvalidError struct{ Output string }

// Error is the last line of it.
func (e *InvalidError) Error() string {
	lines := strings.Split(strings.TrimSpace(e.Output), "\n")
	return lines[len(lines)-1]
}

// checkTime bounds a server's check of its configuration.
const checkTime = 30 * time.Second

// program finds a server's program; empty when it isn't installed.
func program(name string) string {
	for _, path := range []string{name, "/usr/sbin/" + name, "/usr/local/sbin/" + name} {
		if found, err := exec.LookPath(path); err == nil {
			return found
		}
	}
	return ""
}

// Check lets the server's own checker read what a file is to become, where the
// server is installed. What it says is returned as *InvalidError; without an
// error the text says what was checked. The pieces needn't be written yet.
func Check(form string, text []byte, path, folder string, pieces []server.File) (said string, err error) {
	name := map[string]string{"htaccess": "apache2", "apache": "apache2"}[form]
	if name == "" {
		name = form
	}
	tool := program(name)
	if tool == "" {
		return name + " is not installed here, so its own check was not made", nil
	}
	dir, err := os.MkdirTemp("", "young-compass-check")
	if err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	text = bytes.ReplaceAll(text, []byte(folder), []byte(dir))
	for _, f := range pieces {
		if err := os.WriteFile(filepath.Join(dir, f.Name), bytes.ReplaceAll(f.Data, []byte(folder), []byte(dir)), 0o644); err != nil {
			return "", fmt.Errorf("checking %s: %w", path, err)
		}
	}
	if _, err := Convert(form, dir, pieces); err != nil {
		return "", err
	}
	checked := filepath.Join(dir, "checked")
	if form == "htaccess" { // which httpd's check would not read
		text = []byte(Installed(text, form))
	}
	if err := os.WriteFile(checked, text, 0o644); err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	args, remove, err := checkCommand(form, text, checked, dir, filepath.Dir(folder))
	defer remove()
	if err != nil {
		return "", fmt.Errorf("checking %s: %w", path, err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), checkTime)
	defer cancel()
	command := exec.CommandContext(ctx, tool, args...)
	command.Env = append(os.Environ(), "HOME="+dir, "XDG_CONFIG_HOME="+dir, "XDG_DATA_HOME="+dir)
	output, err := command.CombinedOutput()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return "", &InvalidError{strings.ReplaceAll(string(output), checked, path)}
	}
	if err != nil {
		return "", fmt.Errorf("checking %s with %s: %w", path, tool, err)
	}
	if form == "htaccess" {
		return "httpd accepts these rules in a folder; its check doesn't read per-folder files, so look at the site once they are there", nil
	}
	return name + " accepts the file", nil
}

// Convert makes the database that httpd looks addresses up in, where the pieces
// in a folder want one. It reports false where the program for that is missing.
func Convert(form, folder string, pieces []server.File) (done bool, err error) {
	wanted := slices.ContainsFunc(pieces, func(f server.File) bool { return bytes.Contains(f.Data, []byte(httpd.DBMFile)) })
	if form != "apache" || !wanted {
		return true, nil
	}
	tool := program("httxt2dbm")
	if tool == "" {
		return false, nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), checkTime)
	defer cancel()
	output, err := exec.CommandContext(ctx, tool, "-f", "SDBM", "-i", filepath.Join(folder, httpd.MapFile), "-o", filepath.Join(folder, httpd.DBMFile)).CombinedOutput()
	if err != nil {
		return false, fmt.Errorf("converting %s: %w: %s", httpd.MapFile, err, bytes.TrimSpace(output))
	}
	return true, nil
}

// checkCommand returns the arguments of a server's check. root is the folder
// with respect to which a site's file names others.
func checkCommand(form string, text []byte, checked, dir, root string) (args []string, remove func(), err error) {
	remove = func() {}
	switch form {
	case "htaccess", "apache":
		var b strings.Builder
		fmt.Fprintf(&b, "ServerRoot \"%s\"\nPidFile \"%s/pid\"\nErrorLog \"%s/error.log\"\nListen 127.0.0.1:1\nServerName check.example\nMutex posixsem default\n", root, dir, dir)
		for _, module := range []string{"mpm_event", "authz_core", "authz_host", "alias", "rewrite", "headers", "dir", "mime", "env", "setenvif", "ssl", "socache_shmcb", "proxy", "proxy_http", "proxy_fcgi", "deflate", "filter", "expires", "include"} {
			if path := "/usr/lib/apache2/modules/mod_" + module + ".so"; exists(path) {
				fmt.Fprintf(&b, "LoadModule %s_module %s\n", module, path)
			}
		}
		fmt.Fprintf(&b, "TypesConfig \"%s/mime.types\"\n", dir)
		if form == "htaccess" {
			fmt.Fprintf(&b, "<Directory \"%s\">\nInclude \"%s\"\n</Directory>\n", dir, checked)
		} else {
			fmt.Fprintf(&b, "Include \"%s\"\n", checked)
		}
		wrapper := filepath.Join(dir, "wrapper.conf")
		err := errors.Join(os.WriteFile(filepath.Join(dir, "mime.types"), nil, 0o644), os.WriteFile(wrapper, []byte(b.String()), 0o644))
		return []string{"-t", "-f", wrapper}, remove, err
	case "nginx":
		if !slices.ContainsFunc(split(string(text)), func(l string) bool { w := words(l); return len(w) > 0 && w[0] == "http" }) {
			text = fmt.Appendf(nil, "pid %s/pid;\nevents {}\nhttp {\n\tinclude %s;\n}\n", dir, checked)
		}
		// Names in it are relative to the folder of the file that is checked.
		f, err := os.CreateTemp(root, ".young-compass-check-*")
		if err != nil {
			return nil, remove, err
		}
		remove = func() { _ = os.Remove(f.Name()) }
		_, err = f.Write(text)
		return []string{"-t", "-q", "-p", root, "-e", filepath.Join(dir, "error.log"), "-c", f.Name()}, remove, errors.Join(err, f.Close())
	case "caddy":
		return []string{"validate", "--config", checked, "--adapter", "caddyfile"}, remove, nil
	}
	return []string{"-c", "-q", "-f", checked}, remove, nil
}

func exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// Installed returns the lines that were installed last in a file, without the
// marks.
func Installed(text []byte, form string) string {
	list, err := blocks(split(string(text)))
	if err != nil {
		return ""
	}
	for _, b := range slices.Backward(list) {
		if b.form == form {
			return b.text
		}
	}
	return ""
}

// maxBelow bounds the search for per-folder files.
const maxBelow = 20_000

// FoldersBelow finds the per-folder files below a folder that switch rewriting
// on, and with it the rules of the folders above off.
func FoldersBelow(root string) ([]string, error) {
	var list []string
	seen := 0
	err := filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return fs.SkipDir
		}
		if seen++; seen > maxBelow {
			return fs.SkipAll
		}
		if entry.Name() != ".htaccess" || filepath.Dir(path) == filepath.Clean(root) || !entry.Type().IsRegular() {
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return nil
		}
		for _, line := range split(string(data)) {
			if w := strings.Fields(strings.ToLower(line)); len(w) > 1 && w[0] == "rewriteengine" && w[1] == "on" {
				list = append(list, path)
				break
			}
		}
		return nil
	})
	return list, err
}

// Difference returns the lines in which two texts differ, with "- " before those
// of the first alone and "+ " before those of the second alone.
func Difference(old, new string) []string {
	a, b := split(old), split(new)
	for len(a) > 0 && len(b) > 0 && a[0] == b[0] {
		a, b = a[1:], b[1:]
	}
	for len(a) > 0 && len(b) > 0 && a[len(a)-1] == b[len(b)-1] {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	var list []string
	for _, l := range a {
		list = append(list, "- "+strings.TrimRight(l, "\r\n"))
	}
	for _, l := range b {
		list = append(list, "+ "+strings.TrimRight(l, "\r\n"))
	}
	return list
}
