package safefile_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/safefile"
)

func TestExchange(t *testing.T) {
	now := time.Date(2026, 11, 30, 6, 0, 0, 0, time.UTC)
	dir := t.TempDir()
	path, copies := filepath.Join(dir, "site.conf"), filepath.Join(dir, "replaced")
	read := func(path string) string {
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		return string(data)
	}
	kept, err := safefile.Exchange(path, nil, []byte("one"), copies, now)
	require.NoError(t, err)
	assert.Empty(t, kept)
	assert.Equal(t, "one", read(path))

	_, err = safefile.Exchange(path, nil, []byte("two"), copies, now)
	assert.ErrorIs(t, err, safefile.ErrChanged, "a file that wasn't there is there now")
	_, err = safefile.Exchange(path, []byte("other"), []byte("two"), copies, now)
	assert.ErrorIs(t, err, safefile.ErrChanged)
	assert.Equal(t, "one", read(path), "what somebody else wrote stays")

	require.NoError(t, os.Chmod(path, 0o600))
	open, err := os.OpenFile(path, os.O_WRONLY|os.O_APPEND, 0) // somebody has it open to save it
	require.NoError(t, err)
	kept, err = safefile.Exchange(path, []byte("one"), []byte("two"), copies, now)
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(copies, "site.conf.2026-11-30T06-00-00.bak"), kept)
	_, err = open.WriteString(", late")
	require.NoError(t, err)
	require.NoError(t, open.Close())
	assert.Equal(t, "two", read(path))
	assert.Equal(t, "one, late", read(kept), "the very file is kept")
	for _, name := range []string{path, kept} {
		info, err := os.Stat(name)
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), name)
	}

	require.NoError(t, os.Link(path, filepath.Join(dir, "second")))
	_, err = safefile.Exchange(path, []byte("two"), []byte("three"), copies, now)
	assert.ErrorContains(t, err, "has 2 names (hard links)")

	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, entries, 3, "nothing lies beside it: %v", entries)
}

// What a killed run has left aside goes to the copies, once it is plain that nobody works on it.
func TestExchangeRescues(t *testing.T) {
	dir := t.TempDir()
	path, copies := filepath.Join(dir, "site.conf"), filepath.Join(dir, "replaced")
	for name, age := range map[string]time.Duration{".young-compass-1": time.Hour, ".young-compass-2": 0} {
		aside := filepath.Join(dir, name)
		require.NoError(t, os.Mkdir(aside, 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(aside, "site.conf"), []byte(name), 0o600))
		require.NoError(t, os.Chtimes(aside, time.Now().Add(-age), time.Now().Add(-age)))
	}
	_, err := safefile.Exchange(path, nil, []byte("new"), copies, time.Now())
	require.NoError(t, err)
	assert.NoDirExists(t, filepath.Join(dir, ".young-compass-1"))
	assert.DirExists(t, filepath.Join(dir, ".young-compass-2"))
	kept, err := filepath.Glob(filepath.Join(copies, "site.conf.*.bak"))
	require.NoError(t, err)
	require.Len(t, kept, 1)
	data, err := os.ReadFile(kept[0])
	require.NoError(t, err)
	assert.Equal(t, ".young-compass-1", string(data))
}
