package safefile

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// ErrChanged says that a file isn't any more what it was when it was read.
var ErrChanged = errors.New("somebody changed it meanwhile, and that is left as it is; run this again")

// asidePrefix begins the names of folders in which new files are written beside those whose place they take. No server
// reads such a folder: names that begin with a dot match no pattern, and nobody else may enter it.
const asidePrefix = ".young-compass-"

// Exchange makes path hold data instead of old, which is what it held when it was read; with old nil, there was no
// file.
// What was there goes into the folder copies under a dated name, the very file, so that an edit that somebody saves at
// this moment is in one of the two. The new file has the old one's owner, group, permissions and attributes. Errors are
// ErrChanged, and those of the disk; after one the old file is in its place.
func Exchange(path string, old, data []byte, copies string, now time.Time) (kept string, err error) {
	if err := os.MkdirAll(copies, 0o755); err != nil {
		return "", fmt.Errorf("making the folder for copies: %w", err)
	}
	dir := filepath.Dir(path)
	rescue(dir, copies, now)
	if err := oneName(path); err != nil {
		return "", err
	}
	aside, err := os.MkdirTemp(dir, asidePrefix)
	if err != nil {
		return "", fmt.Errorf("writing beside %s: %w", path, err)
	}
	defer func() { _ = os.Remove(aside) }() // which does nothing while something is in it
	fresh := filepath.Join(aside, filepath.Base(path))
	if err := writeLike(fresh, path, holding(data)); err != nil {
		return "", errors.Join(fmt.Errorf("writing %s: %w", path, err), removed(fresh))
	}
	if old == nil {
		err := os.Link(fresh, path) // which never replaces a file
		if errors.Is(err, fs.ErrExist) {
			err = ErrChanged
		}
		if err = errors.Join(err, removed(fresh)); err != nil {
			return "", fmt.Errorf("writing %s: %w", path, err)
		}
		return "", syncFolder(dir)
	}
	if err := exchange(fresh, path); err != nil {
		return "", errors.Join(fmt.Errorf("writing %s: %w", path, err), removed(fresh))
	}
	was, err := os.ReadFile(fresh)
	if err != nil || !bytes.Equal(was, old) {
		if err == nil {
			err = ErrChanged
		}
		if back := exchange(fresh, path); back != nil {
			return "", fmt.Errorf("%s: %w; what was there is now %s", path, errors.Join(err, back), fresh)
		}
		return "", fmt.Errorf("%s: %w", path, errors.Join(err, removed(fresh)))
	}
	if kept, err = move(fresh, copies, now); err != nil {
		return "", fmt.Errorf("keeping what was in %s (it is now %s): %w", path, fresh, err)
	}
	return kept, syncFolder(dir)
}

// swap gives path the content of fresh, and old what path held.
func swap(path, fresh, old string) error {
	if exchangeAtOnce(fresh, path) == nil {
		return os.Rename(fresh, old)
	}
	if err := os.Rename(path, old); err != nil {
		return err
	}
	return os.Rename(fresh, path)
}

// exchangeInSteps makes two files change their names one after the other: between the steps there is none of the
// second.
func exchangeInSteps(a, b string) error {
	between := a + ".between"
	if err := os.Rename(b, between); err != nil {
		return err
	}
	if err := os.Rename(a, b); err != nil {
		return errors.Join(err, os.Rename(between, b))
	}
	return os.Rename(between, a)
}

// writeLike writes a new file with the permissions and the owner of another, whose place it is to take.
func writeLike(path, other string, write func(io.Writer) error) error {
	mode := fs.FileMode(0o644)
	if info, err := os.Stat(other); err == nil {
		mode = info.Mode().Perm()
	}
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	err = write(f)
	if err == nil {
		err = f.Chmod(mode)
	}
	if err == nil {
		err = likeOld(f, other)
	}
	if err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// holding writes data.
func holding(data []byte) func(io.Writer) error {
	return func(to io.Writer) error {
		_, err := to.Write(data)
		return err
	}
}

// move puts a file into a folder under a dated name that nothing has yet.
func move(path, folder string, now time.Time) (string, error) {
	return moveAs(path, filepath.Join(folder, filepath.Base(path)), now)
}

// moveAs gives a file a dated name that nothing has yet, for a copy of what another path held. A copy that holds the
// same is enough: a run that was cut short has made it.
func moveAs(path, of string, now time.Time) (string, error) {
	for n := 1; ; n++ {
		name := dated(of, now, n)
		err := os.Link(path, name)
		switch {
		case errors.Is(err, fs.ErrExist) && sameFiles(path, name):
			return name, os.Remove(path)
		case errors.Is(err, fs.ErrExist):
			continue
		case err == nil:
			return name, os.Remove(path)
		}
		if there(name) {
			continue
		}
		if err := copyFile(path, name); err != nil { // the folder is on another disk, or on one without links
			return "", errors.Join(err, removed(name))
		}
		return name, os.Remove(path)
	}
}

// sameFiles reports whether two files hold the same.
func sameFiles(a, b string) bool {
	one, errA := SumOf(a)
	other, errB := SumOf(b)
	return errA == nil && errB == nil && one == other
}

// abandoned is how long a file has to lie aside before it is taken for one whose run was killed.
const abandoned = 10 * time.Minute

// rescue moves what runs that were killed have left aside into the folder for copies. It may be what somebody had
// saved.
func rescue(dir, copies string, now time.Time) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		info, err := e.Info()
		if err != nil || !e.IsDir() || !strings.HasPrefix(e.Name(), asidePrefix) ||
			time.Since(info.ModTime()) < abandoned {
			continue
		}
		aside := filepath.Join(dir, e.Name())
		files, err := os.ReadDir(aside)
		if err != nil {
			continue
		}
		for _, f := range files {
			if f.Type().IsRegular() {
				_, _ = move(filepath.Join(aside, f.Name()), copies, now)
			}
		}
		_ = os.Remove(aside)
	}
}

// removed removes a file that may not be there.
func removed(path string) error {
	if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// syncFolder makes names in a folder last.
func syncFolder(dir string) error {
	f, err := os.Open(dir)
	if err != nil {
		return err
	}
	_ = f.Sync() // not every disk can
	return f.Close()
}
