// Package safefile replaces files so that a crash leaves either the old or the
// new one, and what was replaced stays beside it, or in a folder for copies,
// under a dated name.
package safefile

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/google/renameio/v2"
)

// Write makes path hold data. A file that holds it already is left alone; one
// that holds something else is first kept as path + "." + now + ".bak", with its permissions. It
// reports the name of the kept file, if any, and whether anything was written.
func Write(path string, data []byte, now time.Time) (kept string, written bool, err error) {
	became, err := WriteSet(filepath.Dir(path), []File{{Path: path, Data: data}}, now)
	if err != nil {
		return "", false, err
	}
	return became[0].Kept, became[0].Written, nil
}

// Read reads a file of at most so many bytes; one that isn't there is empty.
func Read(path string, most int64) ([]byte, error) {
	f, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", path, err)
	}
	defer func() { _ = f.Close() }()
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", path, err)
	}
	if int64(len(data)) > most {
		return nil, fmt.Errorf("%s is larger than %d MiB", path, most>>20)
	}
	return data, nil
}

// equal reports whether two texts are the same to their ends.
func equal(a, b io.Reader) (bool, error) {
	var one, other [32 << 10]byte
	for {
		n, errA := io.ReadFull(a, one[:])
		m, errB := io.ReadFull(b, other[:])
		for _, err := range []error{errA, errB} {
			if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
				return false, err
			}
		}
		if !bytes.Equal(one[:n], other[:m]) {
			return false, nil
		}
		if n < len(one) {
			return true, nil
		}
	}
}

// dated is the n-th name for a copy of what a path held.
//
//	site.conf.2026-11-23T06-00-00.bak    site.conf.2026-11-23T06-00-00-2.bak
func dated(path string, now time.Time, n int) string {
	stamp := path + "." + now.UTC().Format("2006-01-02T15-04-05")
	if n > 1 {
		stamp = fmt.Sprintf("%s-%d", stamp, n)
	}
	return stamp + ".bak"
}

// keep writes a file under a dated name that no file has yet.
func keep(path string, old *os.File, now time.Time) (string, error) {
	for n := 1; ; n++ {
		name := dated(path, now, n)
		if _, err := old.Seek(0, io.SeekStart); err != nil {
			return "", err
		}
		have, err := os.Open(name)
		if errors.Is(err, fs.ErrNotExist) {
			return name, copyTo(name, old)
		}
		if err != nil {
			return "", err
		}
		same, err := equal(have, old)
		if err = errors.Join(err, have.Close()); err != nil || same {
			return name, err // the same: a run that was interrupted after this step
		}
	}
}

// copyTo gives a file's content and permissions another name: by a link where there can be one, since the file that
// takes its place is a new one, else by a copy.
func copyTo(name string, old *os.File) error {
	info, err := old.Stat()
	if err != nil {
		return err
	}
	if there, err := os.Lstat(old.Name()); err == nil && there.Mode().IsRegular() && os.SameFile(there, info) &&
		os.Link(old.Name(), name) == nil {
		return nil
	}
	to, err := renameio.NewPendingFile(name, renameio.WithStaticPermissions(info.Mode().Perm()))
	if err != nil {
		return err
	}
	defer func() { _ = to.Cleanup() }()
	if err := likeOld(to.File, old.Name()); err != nil {
		return err
	}
	if _, err := io.Copy(to, old); err != nil {
		return err
	}
	return to.CloseAtomicallyReplace()
}

// Rewrite makes path hold what write makes of what it holds, and keeps that as Write does. Where write fails nothing
// changes.
func Rewrite(path string, now time.Time, write func(to io.Writer, old io.Reader) error) (kept string, err error) {
	old, err := os.Open(path)
	if err != nil {
		return "", fmt.Errorf("reading %s before replacing it: %w", path, err)
	}
	defer func() { _ = old.Close() }()
	to, err := renameio.NewPendingFile(path, renameio.WithExistingPermissions())
	if err != nil {
		return "", fmt.Errorf("writing %s: %w", path, err)
	}
	defer func() { _ = to.Cleanup() }()
	if err := likeOld(to.File, path); err != nil {
		return "", fmt.Errorf("writing %s: %w", path, err)
	}
	buffered := bufio.NewWriterSize(to, 256<<10)
	if err := write(buffered, old); err != nil {
		return "", err
	}
	if err := buffered.Flush(); err != nil {
		return "", fmt.Errorf("writing %s: %w", path, err)
	}
	if kept, err = keep(path, old, now); err != nil {
		return "", fmt.Errorf("keeping a copy of %s: %w", path, err)
	}
	if err := to.CloseAtomicallyReplace(); err != nil {
		return kept, fmt.Errorf("writing %s: %w", path, err)
	}
	return kept, nil
}

// Replace makes path hold data, without keeping what was there: for files that
// the program alone writes and can make again.
func Replace(path string, data []byte) error {
	_, err := WriteSet(filepath.Dir(path), []File{{Path: path, Data: data, NoCopy: true}}, time.Time{})
	return err
}
