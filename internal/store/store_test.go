package store_test

import (
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/store"
)

func at(n int) address.Address {
	return address.Address{Scheme: "https", Host: "skerrywick.example", Path: fmt.Sprintf("/page-%d", n)}
}

func open(t *testing.T, dir string) *store.Store {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// A run that doesn't come to its end goes on with all but its last batch; one
// that asks something else, or after the end, begins anew.
func TestRuns(t *testing.T) {
	dir := t.TempDir() + "/a b?c#d%20e"
	require.NoError(t, os.MkdirAll(dir, 0o755))
	s := open(t, dir)
	run, err := s.Begin("all", time.Now)
	require.NoError(t, err)
	assert.Zero(t, run.Resumed)
	for i := range 450 {
		require.NoError(t, run.Put(at(i), []byte{byte(i)}))
	}
	again := open(t, dir) // as after a crash: nothing was told to end
	run, err = again.Begin("all", time.Now)
	require.NoError(t, err)
	assert.Equal(t, 400, run.Resumed)
	content, ok, err := run.Get(at(7))
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, []byte{7}, content)
	_, ok, err = run.Get(at(449))
	require.NoError(t, err)
	assert.False(t, ok)
	require.NoError(t, run.Put(at(449), []byte{}))
	require.NoError(t, run.Pause())
	run, err = again.Begin("all", time.Now)
	require.NoError(t, err)
	assert.Equal(t, 401, run.Resumed)
	require.NoError(t, run.Finish())
	run, err = again.Begin("all", time.Now)
	require.NoError(t, err)
	assert.Zero(t, run.Resumed)
	require.NoError(t, run.Put(at(1), []byte{}))
	require.NoError(t, run.Pause())
	run, err = again.Begin("hosts", time.Now)
	require.NoError(t, err)
	assert.Zero(t, run.Resumed)
}

func TestBaselines(t *testing.T) {
	s := open(t, t.TempDir())
	_, _, ok, err := s.Saved("monday")
	require.NoError(t, err)
	assert.False(t, ok)
	require.NoError(t, s.Save("monday", []byte("one"), time.Unix(0, 0)))
	require.NoError(t, s.Save("monday", []byte("two"), time.Unix(60, 0)))
	content, when, ok, err := s.Saved("monday")
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, "two 1970-01-01T00:01:00Z", string(content)+" "+when)
	names, err := s.Names()
	require.NoError(t, err)
	assert.Equal(t, []string{"monday"}, names)
}

// What is no database is left as it is.
func TestNoDatabase(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(dir+"/"+store.FileName, []byte("my notes, which are no database at all"), 0o644))
	_, err := store.Open(dir)
	require.ErrorContains(t, err, "move it away")
}
