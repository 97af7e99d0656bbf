//go:build linux

package main

import (
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/project"
)

var stress = flag.Duration("stress", 3*time.Second, "how long TestStress goes on")

// act is something that a run does to a project, which another order of runs doesn't undo.
type act struct {
	args []string
	file string // of the project; empty: nothing there shows that it was done
	mark string // what stands there then
}

// actNumber returns the n-th act of a worker.
func actNumber(t *testing.T, dir string, random *rand.Rand, worker, n int) act {
	name := fmt.Sprintf("w%d-n%d", worker, n)
	table := func(text string) string {
		path := filepath.Join(dir, "sources", name+".csv")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		return path
	}
	switch random.IntN(7) {
	case 0, 1:
		return act{[]string{"redirects", "add", "/old/" + name, "about@en"}, project.RedirectsFile, "/old/" + name + ","}
	case 2:
		return act{[]string{"redirects", "merge", table(fmt.Sprintf("from,to\n/list/%s/a,about@en\n/list/%[1]s/b,fares@en\n",
			name))}, project.RedirectsFile, "/list/" + name + "/a,"}
	case 3, 4:
		return act{[]string{"gather", table(fmt.Sprintf("key,language,title,address\n%s,en,Page %[1]s,"+
			"https://skerrywick.example/%[1]s.html\n", name))}, project.PagesFile, "\n" + name + ",en,"}
	case 5:
		return act{args: []string{"design", "--write", "--fail-on", "never"}}
	}
	return act{args: []string{"emit", "nginx", "--fail-on", "never"}}
}

// TestStress has many runs work on one project at the same time, of which some are killed. What a run has done that
// came to its end is there; of one that was killed all is there or nothing; and the project is what the same acts
// give one after the other.
func TestStress(t *testing.T) {
	t.Parallel()
	program := built(t)
	dir := twoHands(t)
	require.NoError(t, os.Mkdir(filepath.Join(dir, "sources"), 0o755))
	run := func(dir string, killAfter time.Duration, args ...string) (output string, killed bool, err error) {
		c := exec.Command(program, append([]string{"--project", dir}, args...)...)
		c.Env = append(os.Environ(), "SOURCE_DATE_EPOCH=1795428000")
		if killAfter > 0 {
			timer := time.AfterFunc(killAfter, func() {
				if c.Process != nil {
					_ = c.Process.Signal(syscall.SIGKILL)
				}
			})
			defer timer.Stop()
		}
		text, err := c.CombinedOutput()
		var exit *exec.ExitError
		if errors.As(err, &exit) {
			state, ok := exit.Sys().(syscall.WaitStatus)
			killed = ok && state.Signaled()
		}
		return string(text), killed, err
	}
	var wait sync.WaitGroup
	var mu sync.Mutex
	var done, killed []act
	until := time.Now().Add(*stress)
	const workers = 6
	for worker := range workers {
		wait.Go(func() {
			random := rand.New(rand.NewPCG(uint64(worker), 18))
			for n := 0; time.Now().Before(until); n++ {
				what := actNumber(t, dir, random, worker, n)
				kill := time.Duration(0)
				if random.IntN(3) == 0 {
					kill = time.Duration(1+random.IntN(120)) * time.Millisecond
				}
				output, shot, err := run(dir, kill, what.args...)
				mu.Lock()
				switch {
				case shot:
					killed = append(killed, what)
				case assert.NoError(t, err, "%s: %s", what.args, output):
					done = append(done, what)
				}
				mu.Unlock()
			}
		})
	}
	wait.Wait()
	finish := func(dir string) {
		t.Helper()
		output, _, err := run(dir, 0, "design", "--write", "--fail-on", "never")
		require.NoError(t, err, output)
	}
	finish(dir)
	t.Logf("bounds: %d runs at the same time came to their end, %d were killed", len(done), len(killed))
	require.Greater(t, len(done), workers)

	is := func(what act) bool { return what.file != "" && strings.Contains(text(t, dir, what.file), what.mark) }
	for _, what := range done {
		assert.True(t, what.file == "" || is(what), "%s is lost", what.args)
	}
	killed = slices.DeleteFunc(killed, func(what act) bool { return !is(what) })
	serial := twoHands(t)
	for _, what := range append(done, killed...) {
		output, _, err := run(serial, 0, what.args...)
		require.NoError(t, err, output)
	}
	finish(serial)
	for _, name := range []string{project.PagesFile, project.AddressesFile, project.RedirectsFile, project.GatheredFile} {
		assert.Equal(t, text(t, serial, name), text(t, dir, name), name)
	}
	left, err := filepath.Glob(filepath.Join(dir, ".young-compass-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}
