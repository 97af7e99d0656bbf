//go:build linux

package main

import (
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/project"
)

// A run that is killed at any moment leaves the old or the new file, and the
// same command afterwards gives what an unbroken run gives.
func TestKilledWhileWriting(t *testing.T) {
	t.Parallel()
	program := built(t)

	run := func(dir string, killAfter time.Duration) {
		command := exec.Command(program, "design", "--write", "--project", dir)
		command.Env = append(os.Environ(), "SOURCE_DATE_EPOCH=1795428000")
		require.NoError(t, command.Start())
		if killAfter > 0 {
			time.Sleep(killAfter)
			_ = command.Process.Signal(syscall.SIGKILL)
		}
		err := command.Wait()
		if killAfter == 0 {
			require.NoError(t, err)
		}
	}
	book := func(dir string) string {
		data, err := os.ReadFile(filepath.Join(dir, project.AddressesFile))
		require.NoError(t, err)
		return string(data)
	}
	unbroken := t.TempDir()
	demotest.Gathered(t, unbroken)
	before := book(unbroken)
	start := time.Now()
	run(unbroken, 0)
	took := time.Since(start)
	after := book(unbroken)
	require.NotEqual(t, before, after)

	random := rand.New(rand.NewPCG(1, 2))
	for range 25 {
		dir := t.TempDir()
		demotest.Gathered(t, dir)
		run(dir, time.Duration(1+random.Int64N(int64(took))))
		assert.Contains(t, []string{before, after}, book(dir), "never half a file")
		run(dir, 0)
		assert.Equal(t, after, book(dir))
		kept, err := filepath.Glob(filepath.Join(dir, project.AddressesFile+".*.bak"))
		require.NoError(t, err)
		require.Len(t, kept, 1, "what was replaced is kept, once")
		old, err := os.ReadFile(kept[0])
		require.NoError(t, err)
		assert.Equal(t, before, string(old))
	}
}
