//go:build linux

package server_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
)

// samples are per-folder files that Debian's packages of web applications ship, by what they are called there.
func samples(t *testing.T) map[string]string {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.Chmod(dir, 0o777)) // apt may fetch as a user of its own
	list := map[string]string{}
	for _, name := range []string{"shaarli", "php-horde", "roundcube-core", "wordpress", "ganglia-webfrontend"} {
		var output []byte
		var err error
		for range 3 { // mirrors stumble
			fetch := exec.Command("apt-get", "download", name)
			fetch.Dir = dir
			if output, err = fetch.CombinedOutput(); err == nil {
				break
			}
		}
		require.NoError(t, err, "apt-get download %s: %s", name, output)
		packed, err := filepath.Glob(filepath.Join(dir, name+"_*.deb"))
		require.NoError(t, err)
		require.NotEmpty(t, packed)
		output, err = exec.Command("dpkg-deb", "-x", packed[0], filepath.Join(dir, name)).CombinedOutput()
		require.NoError(t, err, string(output))
		require.NoError(t, filepath.WalkDir(filepath.Join(dir, name), func(path string, entry os.DirEntry, err error) error {
			if err == nil && entry.Type().IsRegular() && strings.HasSuffix(path, "htaccess") {
				list[strings.TrimPrefix(path, dir)] = readText(t, path)
			}
			return err
		}))
	}
	return list
}

// The files that others ship go on answering what they answered, and come back byte by byte.
func TestInstallBesideTheFilesOfWebApplications(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	t.Parallel()
	files := map[string]string{"picture.png": "png", "vendor/list.json": "{}", "README.md": "read", "logs/errors": "log", "logs/errors.log": "log",
		"index.php": script("index"), "rampage.php": script("rampage"), "tool.php": script("tool"), "page.html": "page", "SQL/x.sql": "sql"}
	paths := []string{"/", "/index.php", "/picture.png", "/picture.png?v=1", "/vendor/list.json", "/VENDOR/list.json", "/README.md", "/logs/errors",
		"/logs/errors.log?x=1", "/logs/../logs/errors", "/logs/errors%2Elog", "/SQL/x.sql", "/some/page", "/some/page?x=1&y=2", "/tool", "/tool.php?a=1", "/page.html", "/.git/config",
		"/favicon.ico", "/vendor/nothing", "/a%20b"}
	all := samples(t)
	require.GreaterOrEqual(t, len(all), 12)
	same, refused := 0, 0
	tried := map[string]bool{} // many are the same
	for name, text := range all {
		if tried[text] {
			continue
		}
		tried[text] = true
		for _, form := range []string{"htaccess", "php"} {
			dir, folder := siteFolder(t, site{}), t.TempDir()
			root := filepath.Join(dir, "www")
			for file, content := range files {
				write(t, filepath.Join(root, file), content)
			}
			path := filepath.Join(root, ".htaccess")
			text := "DirectoryIndex index.php\n" + text
			write(t, path, text)
			s := startWithPHP(t, dir)
			before := answers(t, s, paths)
			front := ""
			for _, script := range []string{"index", "rampage"} { // the script that gets what isn't there
				if form == "php" && strings.HasPrefix(before["/some/page"], "200 "+script) {
					front = "front-controller: {to: /" + script + ".php}\n"
				}
			}
			write(t, filepath.Join(folder, project.PlanFile), "site: {origin: http://skerrywick.example, paths: {letters: keep, slash: keep, extension: keep, "+
				"index: [index.php]}}\n"+front)
			write(t, filepath.Join(folder, project.RedirectsFile), "from,to,status\n/old-page,/some/page,301\n")
			output, status := runProgram(t, "emit", form, "--install", path, "--yes", "--project", folder)
			if status != 0 {
				refused++
				assert.Contains(t, output, "nothing written: mend what is in the file first", "%s %s", form, name)
				assert.Equal(t, text, readText(t, path), "%s %s", form, name)
				t.Logf("%s beside %s is refused: %s", form, name, firstError(output))
				continue
			}
			after := answers(t, s, append(paths, "/old-page"))
			if strings.HasPrefix(before["/picture.png"], "200") { // else nobody gets anything here
				assert.Equal(t, "301 http://skerrywick.example/some/page", after["/old-page"], "%s %s", form, name)
			}
			delete(after, "/old-page")
			delete(after, "/index.php") // the plan leads it to /
			delete(before, "/index.php")
			assert.Equal(t, before, after, "%s %s\n%s", form, name, output)
			same += len(after)
			output, status = runProgram(t, "emit", form, "--undo", path, "--project", folder)
			require.Zero(t, status, output)
			assert.Equal(t, text, readText(t, path), "%s %s", form, name)
		}
	}
	t.Logf("%d files, %d of them different; %d answers are as they were, %d installations are refused", len(all), len(tried), same, refused)
	assert.LessOrEqual(t, refused, 4, "of %d", 2*len(tried))
}

// script is one that says how it was asked.
func script(name string) string {
	return "<?php echo '" + name + " ', $_SERVER['SCRIPT_NAME'], ' ', $_SERVER['QUERY_STRING'], ' ', $_SERVER['HTTP_AUTHORIZATION'] ?? 'nobody';"
}

// answers asks for paths.
func answers(t *testing.T, s *realServer, paths []string) map[string]string {
	t.Helper()
	got := map[string]string{}
	for _, path := range paths {
		f := fetch(t, s, "GET", path, "Authorization: Basic abc")
		body := ""
		if f.status == 200 {
			body = f.body
		}
		got[path] = strings.TrimSpace(fmt.Sprint(f.status, " ", f.header.Get("Location"), body))
	}
	return got
}

// firstError returns the first error of a report.
func firstError(output string) string {
	for line := range strings.Lines(output) {
		if strings.Contains(line, ": error ") {
			return strings.TrimSpace(line)
		}
	}
	return output
}
