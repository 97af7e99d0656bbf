package project

import (
	"bufio"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"young-compass/internal/safefile"
)

// LockFile is the file that a run locks while it changes a project.
const LockFile = ".young-compass.lock"

// Folder is a project's folder as one run reads and writes it. It remembers what the files held when they were read, so
// that nothing is written over what somebody has changed since. Of zero, Dir must be set.
type Folder struct {
	Dir  string
	seen map[string]safefile.Sum // by paths
}

// Lock waits until no other run changes the project, for at most so long; waiting is told for whom. holder is how
// others call this run. Errors are those of safefile.Lock; there is no lock where there is no folder.
func (f *Folder) Lock(ctx context.Context, holder string, wait time.Duration,
	waiting func(holder string)) (unlock func(), err error) {
	if _, err := os.Stat(f.Dir); errors.Is(err, fs.ErrNotExist) {
		return func() {}, nil
	}
	return safefile.Lock(ctx, filepath.Join(f.Dir, LockFile), holder, wait, waiting)
}

// Open opens a file of the folder; it is remembered what it held, once it was read to its end and closed. Errors are
// those of the disk.
func (f *Folder) Open(name string) (io.ReadCloser, error) {
	path := filepath.Join(f.Dir, name)
	file, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		f.remember(path, safefile.Sum{})
	}
	if err != nil {
		return nil, err
	}
	return &summed{file: file, hash: sha256.New(), done: func(s safefile.Sum) { f.remember(path, s) }}, nil
}

func (f *Folder) remember(path string, sum safefile.Sum) {
	if f.seen == nil {
		f.seen = map[string]safefile.Sum{}
	}
	if _, ok := f.seen[path]; !ok { // what was read first counts
		f.seen[path] = sum
	}
}

// summed sums what is read from a file.
type summed struct {
	file *os.File
	hash hash.Hash
	done func(safefile.Sum)
}

func (s *summed) Read(p []byte) (int, error) {
	n, err := s.file.Read(p)
	_, _ = s.hash.Write(p[:n])
	return n, err
}

// Close reads what nobody has read, for the sum.
func (s *summed) Close() error {
	_, err := io.Copy(s.hash, s.file)
	if err == nil {
		s.done(safefile.Sum(s.hash.Sum(nil)))
	}
	return errors.Join(err, s.file.Close())
}

// Write makes files hold what they are to hold, all or none; paths of the folder begin with it. What a file holds
// before is kept beside it. Errors are safefile.ErrChanged, where somebody has changed one since it was read, and those
// of the disk.
func (f *Folder) Write(now time.Time, files ...safefile.File) ([]safefile.Became, error) {
	for i := range files {
		files[i].Path = filepath.Clean(files[i].Path)
		if sum, ok := f.seen[files[i].Path]; ok && files[i].Was == nil {
			files[i].Was = &sum
		}
	}
	folder := filepath.Clean(f.Dir)
	for _, file := range files {
		if inside, err := filepath.Rel(folder, file.Path); len(files) == 1 || err != nil || !filepath.IsLocal(inside) {
			folder = filepath.Dir(files[0].Path)
			break
		}
	}
	became, err := safefile.WriteSet(folder, files, now)
	if err != nil {
		return nil, err
	}
	for _, b := range became {
		if _, ok := f.seen[b.Path]; ok {
			f.seen[b.Path] = b.Is
		}
	}
	return became, nil
}

// reading opens a file of the folder, for read; one that isn't there isn't read, nor is an empty table, which is what
// is left when somebody has deleted all rows.
func (f *Folder) reading(name string, read func(io.Reader) error) error {
	file, err := f.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("reading %s: %w", name, err)
	}
	text := bufio.NewReader(file)
	if _, err := text.Peek(1); errors.Is(err, io.EOF) && strings.HasSuffix(name, ".csv") {
		return file.Close()
	}
	return errors.Join(read(text), file.Close())
}
