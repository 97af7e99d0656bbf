//go:build linux

package main

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// usualKills is how often an installation is killed where nobody says otherwise.
const usualKills = 12

var kills = flag.Int("kills", usualKills, "how often an installation is killed, for each form and user")

// serverFiles are files of servers as somebody keeps them. DIR is filled in.
func serverFiles() map[string]string {
	return map[string]string{
		"htaccess": "Options -Indexes\n",
		"php":      "Options -Indexes\n",
		"apache":   "<VirtualHost *:80>\n\tServerName skerrywick.example\n</VirtualHost>\n",
		"nginx":    "server { listen 8080; server_name skerrywick.example; # by hand\n}\n",
		"caddy":    "http://skerrywick.example {\n\troute {\n\t\trespond ok\n\t}\n}\n",
		"haproxy": "defaults\n\tmode http\n\ttimeout client 5s\n\ttimeout server 5s\n\ttimeout connect 5s\nfrontend site\n\tbind 127.0.0.1:1\n" +
			"\tdefault_backend pages\nbackend pages\n\tserver pages 127.0.0.1:2\n",
	}
}

// nobody is a user without rights.
const nobody = 65534

// installing is one form of a plan, installed by one user.
type installing struct {
	program, form, file, text, project string
	user                               uint32
}

func newInstalling(t *testing.T, program, form string, user uint32) installing {
	t.Helper()
	dir, err := os.MkdirTemp("", "young-compass-test")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	i := installing{program, form, filepath.Join(dir, "conf", "sites.d", "site"), serverFiles()[form],
		filepath.Join(dir, "project"), user}
	require.NoError(t, os.MkdirAll(filepath.Dir(i.file), 0o755))
	require.NoError(t, os.MkdirAll(i.project, 0o755))
	require.NoError(t, os.Chmod(dir, 0o755))
	require.NoError(t, os.WriteFile(i.file, []byte(i.text), 0o600))
	require.NoError(t, os.Chmod(i.file, 0o640))
	i.plan(t, 0)
	require.NoError(t, exec.Command("chown", "-R", fmt.Sprintf("%d:%[1]d", user), dir).Run())
	return i
}

// plan writes the n-th plan.
func (i installing) plan(t *testing.T, n int) {
	t.Helper()
	rows := "from,to,status\n"
	for k := range 40 {
		rows += fmt.Sprintf("/old/%d,/new/%d/%d,301\n", k, n, k)
	}
	for name, text := range map[string]string{"young-compass.yaml": "site: {origin: http://skerrywick.example}\n",
		"redirects.csv": rows} {
		require.NoError(t, os.WriteFile(filepath.Join(i.project, name), []byte(text), 0o644))
	}
}

func (i installing) command(t *testing.T, args ...string) *exec.Cmd {
	t.Helper()
	c := exec.Command(i.program, append([]string{"--project", i.project, "emit", i.form}, args...)...)
	if os.Geteuid() == 0 && i.user != 0 {
		c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: i.user, Gid: i.user}}
	}
	return c
}

// check holds the file to being one of two texts, with the owner and the permissions that it always had.
func (i installing) check(t *testing.T, texts ...string) (now string) {
	t.Helper()
	data, err := os.ReadFile(i.file)
	require.NoError(t, err)
	assert.Contains(t, texts, string(data))
	info, err := os.Stat(i.file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
	if os.Geteuid() == 0 {
		assert.Equal(t, i.user, info.Sys().(*syscall.Stat_t).Uid)
	}
	return string(data)
}

// run installs, or takes out.
func (i installing) run(t *testing.T, args ...string) string {
	t.Helper()
	output, err := i.command(t, args...).CombinedOutput()
	require.NoError(t, err, "%s %v: %s", i.form, args, output)
	data, err := os.ReadFile(i.file)
	require.NoError(t, err)
	return string(data)
}

// What is killed while it installs leaves the file as it was or as it is to be, whole, and the next run finishes.
func TestInstallIsKilled(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: another program than the tested one would be slowed down")
	}
	program, random := built(t), rand.New(rand.NewPCG(17, 2026))
	for form := range serverFiles() {
		for _, user := range []uint32{0, nobody} {
			if user == 0 && os.Geteuid() != 0 {
				user = uint32(os.Geteuid())
			}
			i := newInstalling(t, program, form, user)
			before := time.Now()
			first := i.run(t, "--install", i.file, "--yes")
			takes := time.Since(before)
			i.plan(t, 1)
			second := i.run(t, "--install", i.file, "--yes")
			now := second
			for n := range *kills {
				i.plan(t, n%2)
				c := i.command(t, "--install", i.file, "--yes")
				require.NoError(t, c.Start())
				time.Sleep(time.Duration(random.Int64N(int64(takes))))
				_ = c.Process.Signal(syscall.SIGKILL)
				_ = c.Wait()
				now = i.check(t, first, second)
				assertIncluded(t, filepath.Dir(i.file), now)
			}
			i.plan(t, 0)
			assert.Equal(t, first, i.run(t, "--install", i.file, "--yes"))
			assert.Equal(t, i.text, i.run(t, "--undo", i.file))
			i.check(t, i.text)
			entries, err := os.ReadDir(filepath.Dir(i.file))
			require.NoError(t, err)
			for _, e := range entries { // what a killed run leaves, no server reads
				info, err := e.Info()
				require.NoError(t, err)
				assert.True(t, e.Name() == "site" || (form == "php" || form == "htaccess") && e.Name() == "young-compass" || strings.HasPrefix(e.Name(), ".young-compass-") &&
					info.Mode() == os.ModeDir|0o700, e.Name())
			}
		}
	}
}

// assertIncluded holds every piece that a file of a folder names to being there, whole.
func assertIncluded(t *testing.T, root, text string) {
	t.Helper()
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" \t\n;\"(),", r) }) {
		if path := strings.TrimSuffix(strings.TrimPrefix(word, "txt:"), "."); strings.Contains(path,
			"/young-compass/") &&
			!strings.HasPrefix(path, "#") {
			if strings.HasPrefix(path, "/young-compass/") { // as visitors see it
				path = filepath.Join(root, path)
			}
			_, err := os.Stat(path)
			assert.NoError(t, err)
		}
	}
}

// What somebody saves while a plan is installed is never lost: it is in the file, or the very file is among the copies.
func TestForeignEditSurvives(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: another program than the tested one would be slowed down")
	}
	program, random := built(t), rand.New(rand.NewPCG(18, 2026))
	for form := range serverFiles() {
		i := newInstalling(t, program, form, uint32(os.Geteuid()))
		before := time.Now()
		i.run(t, "--install", i.file, "--yes")
		takes := time.Since(before)
		for n := range *kills {
			i.plan(t, n%2+1)
			require.NoError(t, os.WriteFile(i.file, []byte(i.text), 0o640))
			c := i.command(t, "--install", i.file, "--yes")
			require.NoError(t, c.Start())
			time.Sleep(time.Duration(random.Int64N(int64(takes))))
			mark := fmt.Sprintf("# edited %d\n", n)
			if n%2 == 0 { // as some editors save: in the file itself, or as a new one
				f, err := os.OpenFile(i.file, os.O_WRONLY|os.O_APPEND, 0)
				require.NoError(t, err)
				_, err = f.WriteString(mark)
				require.NoError(t, err)
				require.NoError(t, f.Close())
			} else {
				require.NoError(t, os.WriteFile(i.file+"~", []byte(i.text+mark), 0o640))
				require.NoError(t, os.Rename(i.file+"~", i.file))
			}
			_ = c.Wait()
			found := false
			for _, pattern := range []string{i.file, filepath.Join(i.project, "out", "*", "replaced", "*"),
				filepath.Join(filepath.Dir(filepath.Dir(i.file)), "young-compass", "*", "replaced", "*")} {
				paths, err := filepath.Glob(pattern)
				require.NoError(t, err)
				for _, path := range paths {
					data, err := os.ReadFile(path)
					require.NoError(t, err)
					found = found || strings.Contains(string(data), mark)
				}
			}
			assert.True(t, found, "%s: %s is lost", form, mark)
		}
	}
}
