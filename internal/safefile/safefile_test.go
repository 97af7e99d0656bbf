//go:build linux

package safefile

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWriteKeepsWhatItReplaces(t *testing.T) {
	path := filepath.Join(t.TempDir(), "new", "a.csv")
	now := time.Date(2026, 11, 23, 9, 30, 0, 0, time.UTC)
	write := func(text string) (string, bool) {
		kept, written, err := Write(path, []byte(text), now)
		require.NoError(t, err)
		have, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, text, string(have))
		return kept, written
	}
	kept, written := write("one")
	assert.True(t, written)
	assert.Empty(t, kept)
	kept, written = write("one")
	assert.False(t, written, "the same is not written again")
	assert.Empty(t, kept)
	first, _ := write("two")
	assert.Equal(t, path+".2026-11-23T09-30-00.bak", first)
	second, _ := write("three")
	assert.Equal(t, path+".2026-11-23T09-30-00-2.bak", second, "nothing that was kept is lost")
	for name, want := range map[string]string{first: "one", second: "two"} {
		t.Run(name, func(t *testing.T) {
			have, err := os.ReadFile(name)
			require.NoError(t, err)
			assert.Equal(t, want, string(have))
		})
	}
	entries, err := os.ReadDir(filepath.Dir(path))
	require.NoError(t, err)
	assert.Len(t, entries, 3, "nothing temporary stays")
}

func TestAnInterruptedWriteIsTakenUp(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.csv")
	now := time.Date(2026, 11, 23, 9, 30, 0, 0, time.UTC)
	require.NoError(t, os.WriteFile(path, []byte("old"), 0o644))
	// killed after the copy was kept and before the file was replaced
	require.NoError(t, os.WriteFile(path+".2026-11-23T09-30-00.bak", []byte("old"), 0o644))
	kept, _, err := Write(path, []byte("new"), now)
	require.NoError(t, err)
	assert.Equal(t, path+".2026-11-23T09-30-00.bak", kept, "one copy is enough")
}

// What is compared and copied in pieces is whole at their ends.
func TestWriteAtTheEdgesOfPieces(t *testing.T) {
	const piece = 32 << 10
	now := time.Date(2026, 11, 23, 9, 30, 0, 0, time.UTC)
	for _, n := range []int{0, 1, piece - 1, piece, piece + 1, 2 * piece} {
		t.Run(strconv.Itoa(n), func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "a.csv")
			old := bytes.Repeat([]byte("x"), n)
			require.NoError(t, os.WriteFile(path, old, 0o600))
			_, written, err := Write(path, old, now)
			require.NoError(t, err)
			assert.False(t, written)
			kept, written, err := Write(path, append(bytes.Clone(old), 'y'), now)
			require.NoError(t, err)
			assert.True(t, written)
			have, err := os.ReadFile(kept)
			require.NoError(t, err)
			assert.True(t, bytes.Equal(old, have))
			for _, name := range []string{path, kept} {
				info, err := os.Stat(name)
				require.NoError(t, err)
				assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "nobody else may read the copy either")
			}
			if n == 0 {
				return
			}
			_, written, err = Write(path, old, now)
			require.NoError(t, err)
			assert.True(t, written, "shorter by its end")
		})
	}
}

func TestWriteRefusesAFolder(t *testing.T) {
	dir := t.TempDir()
	_, _, err := Write(dir, []byte("x"), time.Now())
	assert.Error(t, err)
}

func TestReplaceKeepsNothing(t *testing.T) {
	path := filepath.Join(t.TempDir(), "out", "installed.txt")
	for _, text := range []string{"one", "two"} {
		require.NoError(t, Replace(path, []byte(text)))
		have, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, text, string(have))
	}
	entries, err := os.ReadDir(filepath.Dir(path))
	require.NoError(t, err)
	assert.Len(t, entries, 1)
	assert.Error(t, Replace(filepath.Dir(path), []byte("x")), "a folder stays a folder")
}

// Where a file can't be written, what is there stays, and nothing is left behind.
func TestNothingIsLostWhereNothingCanBeWritten(t *testing.T) {
	dir := t.TempDir()
	blocked := filepath.Join(dir, "file")
	require.NoError(t, os.WriteFile(blocked, []byte("old"), 0o600))
	_, _, err := Write(filepath.Join(blocked, "a.csv"), []byte("new"), time.Now())
	assert.Error(t, err)
	assert.Error(t, Replace(filepath.Join(blocked, "a.csv"), []byte("new")))
	have, err := os.ReadFile(blocked)
	require.NoError(t, err)
	assert.Equal(t, "old", string(have))
}

// What takes a file's place belongs to whom the file belonged, with its permissions, and so does the kept copy.
func TestOwnersStay(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("only the administrator may give files away")
	}
	path := filepath.Join(t.TempDir(), "site.conf")
	require.NoError(t, os.WriteFile(path, []byte("old"), 0o640))
	require.NoError(t, os.Chown(path, 33, 4))
	owner := func(path string) [3]int {
		info, err := os.Stat(path)
		require.NoError(t, err)
		s := info.Sys().(*syscall.Stat_t)
		return [3]int{int(s.Uid), int(s.Gid), int(info.Mode().Perm())}
	}
	want := [3]int{33, 4, 0o640}
	kept, written, err := Write(path, []byte("new"), time.Unix(0, 0))
	require.NoError(t, err)
	require.True(t, written)
	assert.Equal(t, want, owner(path))
	assert.Equal(t, want, owner(kept))
	kept, err = Rewrite(path, *sumOfText("new"), *sumOfText("newer"), time.Unix(9, 0), func(to io.Writer, _ io.Reader) error {
		_, err := to.Write([]byte("newer"))
		return err
	})
	require.NoError(t, err)
	assert.Equal(t, want, owner(path))
	assert.Equal(t, want, owner(kept))
}
