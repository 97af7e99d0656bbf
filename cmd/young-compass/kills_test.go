//go:build linux

package main

import (
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
)

// writing are the commands that write into a project, or beside it, as TestKilledAtEachSystemCall runs them.
func writing() map[string][]string {
	return map[string][]string{
		"gather":   {"gather", "new.csv", "access.log"},
		"add":      {"redirects", "add", "/x", "about@en"},
		"nginx":    {"emit", "nginx"},
		"design":   {"design", "--write", "--fail-on", "never"},
		"merge":    {"redirects", "merge", "more.csv"},
		"flatten":  {"redirects", "flatten", "chain.csv", "--output", "flat.csv"},
		"relink":   {"relink", "content", "--write"},
		"sitemap":  {"emit", "sitemap"},
		"robots":   {"emit", "robots"},
		"head":     {"emit", "head"},
		"htaccess": {"emit", "htaccess"},
		"php":      {"emit", "php"},
		"propose":  {"propose", "old.csv", "--write"},
	}
}

// changing are system calls that change something, or lead to one that does, each with those of the same meaning.
func changing() []string {
	list := []string{"renameat,renameat2,rename", "linkat", "unlinkat", "fsync", "mkdirat,mkdir"}
	if *kills > usualKills { // at night: what leads to a change, too, and all commands
		list = append(list, "openat", "write", "close", "fchmod", "fchownat,fchown", "flock", "newfstatat", "getdents64")
	}
	return list
}

// killable is a project that every command of writing changes.
func killable(t *testing.T, program string) string {
	t.Helper()
	dir := t.TempDir()
	visit := `192.0.2.7 - - [12/Oct/2026:13:00:00 +0000] "GET /about.html HTTP/1.1" 200 512 "-" "Mozilla/5.0"` + "\n"
	for name, text := range map[string]string{
		project.PlanFile:      "site: {origin: https://skerrywick.example}\nkinds:\n  page: {address: '/{slug}'}\n",
		project.RedirectsFile: "from,to\n/a,/about.html\n/b,/fares.html\n",
		"old.csv": "key,language,title,address\nabout,en,About,https://skerrywick.example/about.html\n" +
			"fares,en,Fares,https://skerrywick.example/fares.html\n",
		"new.csv": "key,language,title,address\nabout,en,About us,https://skerrywick.example/about.html\n" +
			"ports,en,Ports,https://skerrywick.example/ports.html\n",
		"newer.csv": "key,language,title,address\nabout,en,About the ferries,https://skerrywick.example/about.html\n" +
			"ports,en,All ports,https://skerrywick.example/ports.html\n",
		"access.log":          visit,
		"chain.csv":           "from,to\n/e,/f\n/f,/about.html\n",
		"more.csv":            "from,to\n/c,/about.html\n/d,/fares.html\n",
		"content/one.html":    `<a href="/a">one</a>` + "\n",
		"content/in/two.html": `<a href="/b">two</a>` + "\n",
	} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	output, status := runIn(dir, program, "gather", "old.csv")
	require.Zero(t, status, output)
	return dir
}

// runIn runs the program in a project, on a fixed day.
func runIn(dir string, program string, args ...string) (output string, status int) {
	c := exec.Command(program, args...)
	c.Dir, c.Env = dir, append(os.Environ(), "SOURCE_DATE_EPOCH=1795428000", "GOMAXPROCS=1")
	text, _ := c.CombinedOutput()
	return string(text), c.ProcessState.ExitCode()
}

// files returns what a folder holds: its files by their names, without copies and hidden ones, and the texts of copies.
func files(t *testing.T, dir string) (now map[string]string, kept []string) {
	t.Helper()
	now = map[string]string{}
	require.NoError(t, fs.WalkDir(os.DirFS(dir), ".", func(name string, e fs.DirEntry, err error) error {
		hidden := strings.HasPrefix(e.Name(), ".") && name != "."
		switch {
		case err != nil:
			return err
		case hidden && e.IsDir():
			return fs.SkipDir
		case e.IsDir() || hidden && e.Name() != ".htaccess":
			return nil
		}
		data, err := os.ReadFile(filepath.Join(dir, name))
		switch {
		case strings.HasSuffix(name, ".bak"):
			kept = append(kept, string(data))
		case name != "relinked.jsonl": // a journal of runs, in which each has its line

			now[name] = string(data)
		}
		return err
	}))
	return now, kept
}

// killedAt runs the program until it makes a system call for the n-th time, and kills it there. It returns false where
// the program came to its end before.
func killedAt(t *testing.T, dir, program string, args []string, calls string, n int) bool {
	t.Helper()
	traced := []string{"-f", "-qq", "-o", os.DevNull, "-e", "trace=" + calls, "-e",
		fmt.Sprintf("inject=%s:signal=KILL:when=%d", calls, n), program}
	c := exec.Command("strace", append(traced, args...)...)
	c.Dir, c.Env = dir, append(os.Environ(), "SOURCE_DATE_EPOCH=1795428000", "GOMAXPROCS=1")
	err := c.Run()
	var exit *exec.ExitError
	if err != nil {
		require.ErrorAs(t, err, &exit)
	}
	state, ok := c.ProcessState.Sys().(syscall.WaitStatus)
	require.True(t, ok)
	return state.Signaled() && state.Signal() == syscall.SIGKILL
}

// A run that is killed at any system call leaves all its files as they were, or all as they are to be, once any other
// command has looked at the project; the same command afterwards gives what an unbroken run gives; and nothing that was
// replaced is lost.
func TestKilledAtEachSystemCall(t *testing.T) {
	t.Parallel()
	program := built(t)
	base := killable(t, program)
	before, _ := files(t, base)
	var all atomic.Int64
	t.Run("commands", func(t *testing.T) {
		for name, args := range writing() {
			if *kills <= usualKills && !slices.Contains([]string{"gather", "add", "nginx"}, name) {
				continue
			}
			t.Run(name, func(t *testing.T) {
				t.Parallel()
				fresh := func() string {
					dir := t.TempDir()
					require.NoError(t, os.CopyFS(dir, os.DirFS(base)))
					return dir
				}
				unbroken := fresh()
				output, status := runIn(unbroken, program, args...)
				require.Zero(t, status, output)
				after, _ := files(t, unbroken)
				require.NotEqual(t, before, after, "it writes")
				for _, calls := range changing() {
					for n := 1; ; n++ {
						dir := fresh()
						if !killedAt(t, dir, program, args, calls, n) {
							break
						}
						all.Add(1)
						heldAfterKill(t, dir, program, args, before, after)
						if t.Failed() {
							t.Fatalf("killed at %s number %d", calls, n)
						}
					}
				}
			})
		}
	})
	t.Logf("bounds: %d kills at system calls", all.Load())
	assert.Greater(t, all.Load(), int64(50))
}

// heldAfterKill holds a project in which a run was killed to what TestKilledAtEachSystemCall says.
func heldAfterKill(t *testing.T, dir, program string, args []string, before, after map[string]string) {
	t.Helper()
	output, status := runIn(dir, program, "lint", "--fail-on", "never")
	require.Zero(t, status, output)
	now, _ := files(t, dir)
	if args[0] == "relink" { // goes file by file, and notes each before it writes it
		for name, text := range now {
			assert.Contains(t, []string{before[name], after[name]}, text, name)
		}
	} else if !assert.ObjectsAreEqual(before, now) && !assert.ObjectsAreEqual(after, now) {
		assert.Equal(t, before, now, "neither as before nor as after")
		return
	}
	if args[0] == "gather" { // what the killed run wrote is a source's, not a person's: a newer word replaces it
		newer := t.TempDir()
		require.NoError(t, os.CopyFS(newer, os.DirFS(dir)))
		output, status = runIn(newer, program, "gather", "newer.csv")
		require.Zero(t, status, output)
		pages := text(t, newer, project.PagesFile)
		assert.Contains(t, pages, "About the ferries")
		assert.Contains(t, pages, "All ports")
	}
	output, status = runIn(dir, program, args...)
	require.Zero(t, status, output)
	now, kept := files(t, dir)
	assert.Equal(t, after, now)
	for name, old := range before {
		if after[name] != old && !strings.HasPrefix(name, "out/") {
			assert.Contains(t, kept, old, "what %s held is kept", name)
		}
	}
	left, err := filepath.Glob(filepath.Join(dir, ".*"))
	require.NoError(t, err)
	for _, path := range left {
		assert.Equal(t, project.LockFile, filepath.Base(path))
	}
}
