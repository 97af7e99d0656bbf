package safefile

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// folderText is what the files of a folder hold, by their names; copies by that of the file and "bak".
func folderText(t *testing.T, dir string) map[string]string {
	t.Helper()
	texts := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(path)
		name, _ := filepath.Rel(dir, path)
		if before, _, ok := strings.Cut(name, ".2026-"); ok {
			name = before + ".bak"
		}
		texts[name] = string(data)
		return err
	}))
	return texts
}

func sumOfText(text string) *Sum {
	s := sumOfData([]byte(text))
	return &s
}

var setTime = time.Date(2026, 11, 30, 9, 30, 0, 0, time.UTC)

func TestASetIsWrittenWholeOrNotAtAll(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	write := func(files ...File) ([]Became, error) { return WriteSet(dir, files, setTime) }
	set := func(a, b string) []File {
		return []File{{Path: path("a"), Data: []byte(a)}, {Path: path("deep/b"), Data: []byte(b)}}
	}
	became, err := write(set("1", "2")...)
	require.NoError(t, err)
	assert.Equal(t, []Became{{path("a"), "", true, *sumOfText("1")}, {path("deep/b"), "", true, *sumOfText("2")}}, became)

	became, err = write(set("1", "3")...)
	require.NoError(t, err)
	assert.Equal(t, []Became{{path("a"), "", false, *sumOfText("1")},
		{path("deep/b"), path("deep/b") + ".2026-11-30T09-30-00.bak", true, *sumOfText("3")}}, became)
	want := map[string]string{"a": "1", "deep/b": "3", "deep/b.bak": "2"}
	assert.Equal(t, want, folderText(t, dir), "nothing temporary stays")

	files := set("new", "new")
	files[1].Was = sumOfText("what was read")
	_, err = write(files...)
	require.ErrorIs(t, err, ErrChanged)
	files[1].Was = &Sum{}
	_, err = write(files...)
	require.ErrorIs(t, err, ErrChanged, "there was no file when it was read")
	require.NoError(t, os.Chmod(path("deep/b"), 0o444))
	_, err = write(set("new", "new")...)
	require.ErrorIs(t, err, errReadOnly)
	assert.Equal(t, want, folderText(t, dir), "neither of the two")

	require.NoError(t, os.Symlink("a", path("link")))
	_, err = write(File{Path: path("link"), Data: []byte("4"), NoCopy: true})
	require.NoError(t, err)
	want["a"], want["link"] = "4", "4"
	assert.Equal(t, want, folderText(t, dir), "a link is followed, and stays")
	info, err := os.Lstat(path("link"))
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink)
	require.NoError(t, os.Symlink("nowhere", path("broken")))
	_, err = write(File{Path: path("broken"), Data: []byte("4")})
	assert.ErrorContains(t, err, "is a link to nowhere, which isn't there")
}

// A set that was cut short is finished by the next run, from wherever it was; before it was complete nothing has
// happened. Where somebody edited one of the files since, all are as they were, but for that edit.
func TestASetThatWasCutShort(t *testing.T) {
	data := map[string][2]string{"a": {"old a", "new a"}, "b": {"", "new b"}, "c": {"old c", "new c"}} // before, after
	names := []string{"a", "b", "c"}
	before := map[string]string{"a": "old a", "c": "old c"}
	after := map[string]string{"a": "new a", "b": "new b", "c": "new c", "a.bak": "old a", "c.bak": "old c"}
	// how far each file came: 0 not yet, 1 between two renames, 2 exchanged, 3 the old one is named so, 4 it is kept
	states := [][3]int{{0, 0, 0}, {1, 0, 0}, {2, 0, 0}, {3, 0, 0}, {3, 3, 0}, {3, 3, 1}, {3, 3, 2}, {3, 3, 3}, {4, 3, 3}, {4, 4, 3},
		{4, 4, 4}}
	cut := func(t *testing.T, state [3]int) string {
		dir := t.TempDir()
		set := filepath.Join(dir, completeName)
		require.NoError(t, os.Mkdir(set, 0o700))
		m := manifest{Time: setTime}
		for i, name := range names {
			path, fresh := filepath.Join(dir, name), filepath.Join(set, strconv.Itoa(i))
			put := func(path, text string) { require.NoError(t, os.WriteFile(path, []byte(text), 0o644)) }
			was, is := data[name][0], data[name][1]
			e := entry{Path: name, Is: sumOfText(is).String()}
			m.Files = append(m.Files, e)
			if was == "" { // a link puts it in its place, and what was prepared goes at the end
				if state[i] < 4 {
					put(fresh, is)
				}
				if state[i] > 0 {
					put(path, is)
				}
				continue
			}
			m.Files[i].Was = sumOfText(was).String()
			switch state[i] {
			case 0:
				put(path, was)
				put(fresh, is)
			case 1:
				put(fresh+".old", was)
				put(fresh, is)
			case 2:
				put(path, is)
				put(fresh, was)
			case 3:
				put(path, is)
				put(fresh+".old", was)
			case 4:
				put(path, is)
				put(dated(path, setTime, 1), was)
			}
		}
		text, err := json.Marshal(m)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(set, manifestName), text, 0o600))
		require.NoError(t, os.Mkdir(filepath.Join(dir, preparedPrefix+"77"), 0o700)) // another that wasn't complete
		return dir
	}
	for _, state := range states {
		t.Run(fmt.Sprint(state), func(t *testing.T) {
			dir := cut(t, state)
			leave, err := Enter(dir)
			require.NoError(t, err)
			leave()
			assert.Equal(t, after, folderText(t, dir))
			entries, err := os.ReadDir(dir)
			require.NoError(t, err)
			assert.Len(t, entries, 5, "nothing temporary stays")

			dir = cut(t, state)
			_, err = WriteSet(dir, []File{{Path: filepath.Join(dir, "d"), Data: []byte("d")}}, setTime)
			require.NoError(t, err)
			assert.Equal(t, "new c", folderText(t, dir)["c"], "the set before comes first")

			dir = cut(t, state)
			require.NoError(t, os.WriteFile(filepath.Join(dir, "c"), []byte("edited"), 0o644))
			leave, err = Enter(dir)
			require.NoError(t, err)
			leave()
			got := folderText(t, dir)
			assert.Equal(t, "edited", got["c"])
			if state[0] == 4 { // all had been exchanged: the edit is of the new one
				assert.Equal(t, "new a", got["a"])
				return
			}
			want := map[string]string{"a": before["a"], "c": "edited"}
			if state[2] == 1 || state[2] == 3 {
				want["c.bak"] = "old c"
			}
			if state[2] < 2 {
				assert.Equal(t, want, got)
			}
		})
	}
}

// What a run that was killed has left of a single file: what was in the file is kept, what never got there goes.
func TestASingleFileThatWasCutShort(t *testing.T) {
	is := sumOfText("new").String()[:sumLength]
	for name, c := range map[string]struct{ left, want map[string]string }{
		"while it was written": {map[string]string{"a": "old", "1/a.part": "ne"}, map[string]string{"a": "old"}},
		"before the exchange":  {map[string]string{"a": "old", "1/a": "new"}, map[string]string{"a": "old"}},
		"behind it":            {map[string]string{"a": "new", "1/a": "old"}, map[string]string{"a": "new", "a.bak": "old"}},
		"before it is kept":    {map[string]string{"a": "new", "1/a.old": "old"}, map[string]string{"a": "new", "a.bak": "old"}},
		"between two renames":  {map[string]string{"1/a": "new", "1/a.old": "old"}, map[string]string{"a": "old"}},
		"a new file":           {map[string]string{"1/a": "new"}, map[string]string{}},
		"a new file, in place": {map[string]string{"a": "new", "1/a": "new"}, map[string]string{"a": "new"}},
	} {
		dir := t.TempDir()
		for file, text := range c.left {
			path := filepath.Join(dir, strings.Replace(file, "1/", alonePrefix+is+"-77/", 1))
			require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
			require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		}
		_, err := WriteSet(dir, []File{{Path: filepath.Join(dir, "b"), Data: []byte("b")}}, setTime)
		require.NoError(t, err)
		c.want["b"] = "b"
		assert.Equal(t, c.want, folderText(t, dir), name)
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Len(t, entries, len(c.want), name)
	}
}

func TestLock(t *testing.T) {
	path := filepath.Join(t.TempDir(), "lock")
	ctx := context.Background()
	unlock, err := Lock(ctx, path, "gather (process 7)", time.Second, nil)
	require.NoError(t, err)
	said := ""
	_, err = Lock(ctx, path, "design", 100*time.Millisecond, func(holder string) { said += holder })
	var busy *BusyError
	require.ErrorAs(t, err, &busy)
	assert.Equal(t, "gather (process 7)", busy.Holder)
	assert.Equal(t, "gather (process 7)", said, "once")
	_, err = Lock(ctx, path, "design", 0, nil)
	assert.EqualError(t, err, "gather (process 7) is at work in this project, and --no-wait says not to wait for it")
	cancelled, cancel := context.WithCancel(ctx)
	cancel()
	_, err = Lock(cancelled, path, "design", time.Hour, nil)
	assert.ErrorIs(t, err, context.Canceled)
	time.AfterFunc(50*time.Millisecond, unlock)
	unlock, err = Lock(ctx, path, "design", time.Minute, nil)
	require.NoError(t, err)
	unlock()
}

// While a set is written nobody reads, and the other way round.
func TestReadersWait(t *testing.T) {
	dir := t.TempDir()
	leave, err := Enter(dir)
	require.NoError(t, err)
	done := make(chan error)
	go func() {
		_, err := WriteSet(dir, []File{{Path: filepath.Join(dir, "a"), Data: []byte("a")}}, setTime)
		done <- err
	}()
	select {
	case <-done:
		t.Fatal("written while somebody read")
	case <-time.After(100 * time.Millisecond):
	}
	assert.NoFileExists(t, filepath.Join(dir, "a"))
	leave()
	require.NoError(t, <-done)
	leave, err = Enter(filepath.Join(dir, "nowhere"))
	require.NoError(t, err)
	leave()
	sum, err := SumOf(filepath.Join(dir, "nowhere"))
	require.NoError(t, errors.Join(err))
	assert.Empty(t, sum.String())
}
