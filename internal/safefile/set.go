package safefile

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"
)

// Sum is by which a change of a file is seen: a hash of what it holds. Zero is that of no file.
type Sum [sha256.Size]byte

// SumOf returns the sum of a file. Errors are those of the disk; that there is no file is none.
func SumOf(path string) (sum Sum, err error) {
	f, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return Sum{}, nil
	}
	if err != nil {
		return Sum{}, err
	}
	defer func() { _ = f.Close() }()
	hash := sha256.New()
	if _, err := io.Copy(hash, f); err != nil {
		return Sum{}, err
	}
	return Sum(hash.Sum(nil)), nil
}

// sumOfData is what SumOf returns of a file that holds data.
func sumOfData(data []byte) Sum { return sha256.Sum256(data) }

// File is what a file of a set is to hold.
type File struct {
	Path   string
	Data   []byte
	Was    *Sum // what it held when it was read; nil: nobody read it
	NoCopy bool // what it holds can be made again
}

// Became says what became of a file.
type Became struct {
	Path    string
	Kept    string // the name of what it held before, if that was kept
	Written bool   // it held something else
	Is      Sum    // of what it holds now
}

// The names of what lies in a folder while several of its files are written: what is being prepared, and what is
// complete, so that any later run can finish it.
const (
	preparedPrefix = asidePrefix + "new-"
	alonePrefix    = asidePrefix + "one-" // a single file of the folder; then comes the beginning of its new sum
	completeName   = asidePrefix + "set"
	manifestName   = "manifest.json"
)

// manifest says what a complete set makes of which files.
type manifest struct {
	Time  time.Time `json:"time"` // for the names of copies
	Files []entry   `json:"files"`
}

// entry is a file of a manifest. Beside the manifest its new content is named by its number, and its old one by that
// and ".old".
type entry struct {
	Path   string `json:"path"` // from the folder of the set, or absolute
	Was    string `json:"was"`  // sums, in hexadecimal
	Is     string `json:"is"`
	NoCopy bool   `json:"no_copy,omitempty"`
}

// settling is how long is waited for another run that reads or writes the files of a folder.
const settling = 30 * time.Second

// WriteSet makes files hold what they are to hold: all of them, or none. folder is where they lie, or one above. Where
// this is cut short, even by the power, the next call for the folder, or Enter, finishes it or has nothing to do. What
// a file held before is kept beside it as Write says. A link is followed. Errors are ErrChanged, where a file doesn't
// hold any more what it held when it was read, and those of the disk; after one all files are as they were.
func WriteSet(folder string, files []File, now time.Time) ([]Became, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("making the folder %s: %w", folder, err)
	}
	lock, err := lockFolder(folder, true)
	if err != nil {
		return nil, err
	}
	defer lock.release()
	if err := settle(folder, lock, now); err != nil {
		return nil, err
	}
	m := manifest{Time: now.UTC()}
	became := sums(files)
	fresh := map[int][]byte{} // by their numbers in the manifest
	for i, f := range files {
		e, changes, err := f.entry(folder, became[i].Is)
		if err != nil {
			return nil, err
		}
		if changes {
			became[i].Written = true
			fresh[len(m.Files)] = f.Data
			m.Files = append(m.Files, e)
		}
	}
	if len(m.Files) == 0 {
		return became, nil
	}
	var kept []string
	if len(m.Files) == 1 && filepath.Base(m.Files[0].Path) == m.Files[0].Path {
		kept, err = m.Files[0].alone(folder, holding(fresh[0]), m.Time)
	} else if err = prepare(folder, m, fresh); err == nil {
		kept, err = apply(folder, m)
	}
	if err != nil {
		return nil, err
	}
	for i := range became {
		if became[i].Written {
			became[i].Kept, kept = kept[0], kept[1:]
		}
	}
	return became, nil
}

// sums returns files with the sums of what they are to hold. They may be large.
func sums(files []File) []Became {
	became := make([]Became, len(files))
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i, f := range files {
		group.Go(func() error {
			became[i] = Became{Path: f.Path, Is: sumOfData(f.Data)}
			return nil
		})
	}
	_ = group.Wait() // none fails
	return became
}

// entry compares a file with what is there; is is the sum of what it is to hold.
func (f File) entry(folder string, is Sum) (e entry, changes bool, err error) {
	path, err := filepath.EvalSymlinks(f.Path)
	if errors.Is(err, fs.ErrNotExist) {
		path, err = f.Path, nil
		if target, linked := os.Readlink(f.Path); linked == nil {
			return e, false, fmt.Errorf("%s is a link to %s, which isn't there", f.Path, target)
		}
	}
	if err != nil {
		return e, false, fmt.Errorf("reading %s before replacing it: %w", f.Path, err)
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return e, false, fmt.Errorf("making the folder of %s: %w", path, err)
	}
	was, err := SumOf(path)
	if err != nil {
		return e, false, fmt.Errorf("reading %s before replacing it: %w", path, err)
	}
	if f.Was != nil && was != *f.Was {
		return e, false, fmt.Errorf("%s: %w", f.Path, ErrChanged)
	}
	if was == is {
		return e, false, nil
	}
	if info, err := os.Stat(path); err == nil && info.Mode().Perm()&0o200 == 0 {
		return e, false, fmt.Errorf("%s: %w", f.Path, errReadOnly)
	}
	if inside, err := filepath.Rel(folder, path); err == nil && filepath.IsLocal(inside) {
		path = inside
	} else if path, err = filepath.Abs(path); err != nil {
		return e, false, err
	}
	return entry{Path: path, Was: was.String(), Is: is.String(), NoCopy: f.NoCopy}, true, nil
}

// errReadOnly says that nobody may write a file.
var errReadOnly = errors.New("is read-only; make it writable (chmod u+w) if it is to change")

// String is the sum in hexadecimal; that of no file is empty.
func (s Sum) String() string {
	if s == (Sum{}) {
		return ""
	}
	return hex.EncodeToString(s[:])
}

// prepare writes the new files and the manifest, and makes them a complete set in one step.
func prepare(folder string, m manifest, fresh map[int][]byte) (err error) {
	dir, err := os.MkdirTemp(folder, preparedPrefix)
	if err != nil {
		return fmt.Errorf("writing into %s: %w", folder, err)
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, os.RemoveAll(dir))
		}
	}()
	for i, e := range m.Files {
		if err := writeLike(filepath.Join(dir, strconv.Itoa(i)), e.in(folder), holding(fresh[i])); err != nil {
			return fmt.Errorf("writing %s: %w", e.in(folder), err)
		}
	}
	data, err := json.Marshal(m)
	if err != nil {
		return err
	}
	if err := writeLike(filepath.Join(dir, manifestName), "", holding(data)); err != nil {
		return fmt.Errorf("writing into %s: %w", folder, err)
	}
	if err := syncFolder(dir); err != nil {
		return err
	}
	if err := os.Rename(dir, filepath.Join(folder, completeName)); err != nil {
		return fmt.Errorf("writing into %s: %w", folder, err)
	}
	return syncFolder(folder)
}

func (e entry) in(folder string) string {
	if filepath.IsAbs(e.Path) {
		return e.Path
	}
	return filepath.Join(folder, e.Path)
}

// alone gives a file of the folder its new content, for which no manifest is needed.
func (e entry) alone(folder string, write func(io.Writer) error, now time.Time) (kept []string, err error) {
	dir, err := os.MkdirTemp(folder, alonePrefix+e.Is[:sumLength]+"-")
	if err != nil {
		return nil, fmt.Errorf("writing into %s: %w", folder, err)
	}
	fresh := filepath.Join(dir, e.Path)
	err = writeLike(fresh+unfinishedSuffix, e.in(folder), write)
	if err == nil {
		err = os.Rename(fresh+unfinishedSuffix, fresh)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("writing %s: %w", e.in(folder), err), os.RemoveAll(dir))
	}
	if err := e.put(folder, fresh); err != nil {
		return nil, errors.Join(err, removed(fresh), os.Remove(dir))
	}
	name := ""
	switch {
	case !there(fresh+".old") || e.NoCopy:
		err = os.RemoveAll(dir)
	default:
		name, err = moveAs(fresh+".old", e.in(folder), now)
		err = errors.Join(err, os.Remove(dir))
	}
	if err != nil {
		return nil, fmt.Errorf("keeping what was in %s: %w", e.in(folder), err)
	}
	return []string{name}, nil
}

// sumLength is how much of a sum stands in the name of a folder.
const sumLength = 16

// unfinishedSuffix is behind the name of a file that is being written.
const unfinishedSuffix = ".part"

// settleAlone takes away what a run that was killed has left of a single file. What was in the file before is kept,
// what never got there goes.
func settleAlone(folder, dir string, now time.Time) error {
	files, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	for _, f := range files {
		kept := filepath.Join(dir, f.Name())
		name, old := strings.CutSuffix(f.Name(), ".old")
		sum, err := SumOf(kept)
		if err != nil {
			return err
		}
		fresh := strings.HasPrefix(filepath.Base(dir), alonePrefix+sum.String()[:sumLength])
		if !old && (fresh || strings.HasSuffix(name, unfinishedSuffix)) {
			continue
		}
		if path := filepath.Join(folder, name); there(path) {
			_, err = moveAs(kept, path, now)
		} else {
			err = os.Rename(kept, path)
		}
		if err != nil {
			return err
		}
	}
	return os.RemoveAll(dir)
}

// apply makes what the manifest of a complete set says, from wherever a run before was cut short: first every file gets
// its new content, then the old ones are kept. It returns their names. Where a file holds neither what it held nor what
// it is to hold, all get their old content back.
func apply(folder string, m manifest) (kept []string, err error) {
	set := filepath.Join(folder, completeName)
	begun := false // with the second part
	for i := range m.Files {
		fresh := filepath.Join(set, strconv.Itoa(i))
		begun = begun || !there(fresh) && !there(fresh+".old")
	}
	for i, e := range m.Files {
		if begun {
			break
		}
		if err := e.put(folder, filepath.Join(set, strconv.Itoa(i))); err != nil {
			return nil, errors.Join(err, takeBack(folder, m))
		}
	}
	for i, e := range m.Files {
		fresh := filepath.Join(set, strconv.Itoa(i))
		name := ""
		switch {
		case there(fresh+".old") && e.NoCopy:
			err = os.Remove(fresh + ".old")
		case there(fresh + ".old"):
			name, err = moveAs(fresh+".old", e.in(folder), m.Time)
		case there(fresh):
			err = os.Remove(fresh)
		}
		if err != nil {
			return nil, fmt.Errorf("keeping what was in %s: %w", e.in(folder), err)
		}
		kept = append(kept, name)
	}
	return kept, errors.Join(os.RemoveAll(set), syncFolder(folder))
}

func there(path string) bool {
	_, err := os.Lstat(path)
	return err == nil
}

// put gives a file its new content, which is in fresh. Its old content is then in fresh + ".old"; where there was no
// file, fresh stays.
func (e entry) put(folder, fresh string) error {
	path := e.in(folder)
	if there(fresh + ".old") { // on file systems that can't exchange names, or a run before came this far
		switch {
		case !there(fresh):
			return nil
		case there(path):
			return fmt.Errorf("%s: %w", path, ErrChanged)
		}
		return os.Rename(fresh, path)
	}
	sum, err := SumOf(path)
	switch {
	case err != nil:
		return fmt.Errorf("writing %s: %w", path, err)
	case sum.String() == e.Is && e.Was != "":
		return os.Rename(fresh, fresh+".old") // exchanged already
	case sum.String() == e.Is:
		return nil
	case sum.String() != e.Was:
		return fmt.Errorf("%s: %w", path, ErrChanged)
	case e.Was == "":
		err := os.Link(fresh, path) // which never replaces a file
		if errors.Is(err, fs.ErrExist) {
			err = fmt.Errorf("%s: %w", path, ErrChanged)
		} else if err != nil {
			err = copyFile(fresh, path) // on a file system without links
		}
		return err
	}
	if err := swap(path, fresh, fresh+".old"); err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	was, err := SumOf(fresh + ".old")
	if err == nil && was.String() != e.Was { // somebody saved it a moment ago
		err = fmt.Errorf("%s: %w", path, ErrChanged)
		err = errors.Join(err, os.Rename(path, fresh), os.Rename(fresh+".old", path))
	}
	return err
}

// copyFile copies a file to a name that nothing has.
func copyFile(from, to string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	return writeLike(to, from, func(w io.Writer) error {
		_, err := io.Copy(w, f)
		return err
	})
}

// takeBack gives all files of a complete set their old content back, where they have the new one.
func takeBack(folder string, m manifest) error {
	set := filepath.Join(folder, completeName)
	for i, e := range m.Files {
		path, old := e.in(folder), filepath.Join(set, strconv.Itoa(i)+".old")
		sum, err := SumOf(path)
		switch {
		case err != nil:
		case there(old) && (sum == Sum{} || sum.String() == e.Is):
			err = os.Rename(old, path)
		case there(old): // it was edited since
			_, err = moveAs(old, path, m.Time)
		case e.Was == "" && sum.String() == e.Is:
			err = os.Remove(path)
		}
		if err != nil {
			return fmt.Errorf("giving %s its old content back (%s holds it): %w", path, set, err)
		}
	}
	return errors.Join(os.RemoveAll(set), syncFolder(folder))
}

// settle finishes a set that a run which was killed has left, and takes away what it had only prepared. The folder is
// locked; where there are no locks, others may be at work, and only what is old is taken away.
func settle(folder string, lock *lock, now time.Time) error {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return err
	}
	for _, e := range entries {
		dir, err := filepath.Join(folder, e.Name()), error(nil)
		if info, unknown := e.Info(); unknown != nil || lock.none && time.Since(info.ModTime()) < abandoned {
			continue
		}
		switch {
		case strings.HasPrefix(e.Name(), preparedPrefix):
			err = os.RemoveAll(dir)
		case strings.HasPrefix(e.Name(), alonePrefix):
			err = settleAlone(folder, dir, now)
		}
		if err != nil {
			return fmt.Errorf("taking away what a run that was killed has left: %w", err)
		}
	}
	data, err := os.ReadFile(filepath.Join(folder, completeName, manifestName))
	if errors.Is(err, fs.ErrNotExist) { // it was being taken away, the manifest first, when all was done
		return os.RemoveAll(filepath.Join(folder, completeName))
	}
	var m manifest
	if err == nil {
		err = json.Unmarshal(data, &m)
	}
	if err == nil {
		_, err = apply(folder, m)
	}
	if errors.Is(err, ErrChanged) {
		return nil // all is as it was before that run, and as it was edited since
	}
	if err != nil {
		return fmt.Errorf("finishing what a run that was killed had begun to write: %w", err)
	}
	return nil
}

// Enter lets a run read the files of a folder while nobody writes a set of them, until leave is called. It finishes a
// set that a run which was killed has left. A folder that isn't there can be entered.
func Enter(folder string) (leave func(), err error) {
	lock, err := lockFolder(folder, false)
	if err != nil {
		return nil, err
	}
	if !there(filepath.Join(folder, completeName)) {
		return lock.release, nil
	}
	lock.release()
	if lock, err = lockFolder(folder, true); err != nil {
		return nil, err
	}
	if err := settle(folder, lock, time.Now()); err != nil {
		lock.release()
		return nil, err
	}
	return lock.release, nil
}

// lockFolder locks a folder for reading its files, or for writing them.
func lockFolder(folder string, write bool) (*lock, error) {
	f, err := os.Open(folder)
	if errors.Is(err, fs.ErrNotExist) {
		return &lock{}, nil
	}
	if err != nil {
		return nil, err
	}
	l := &lock{file: f}
	ctx, cancel := context.WithTimeout(context.Background(), settling)
	defer cancel()
	if err := l.take(ctx, write, nil); err != nil {
		l.release()
		return nil, fmt.Errorf("another run has been writing the files of %s for %v: %w", folder, settling, err)
	}
	return l, nil
}
