// Package safefile replaces files so that a crash leaves either the old or the
// new one, and what was replaced stays beside it, or in a folder for copies,
// under a dated name.
package safefile

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"
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

// Rewrite makes path hold what write makes of what it holds, and keeps that as Write does: a file that is too large to be
// held. was and is are the sums of both. Where write fails, or the file holds something else by then, nothing changes.
func Rewrite(path string, was, is Sum, now time.Time, write func(to io.Writer, old io.Reader) error) (kept string,
	err error) {
	if path, err = filepath.EvalSymlinks(path); err != nil {
		return "", fmt.Errorf("reading %s before replacing it: %w", path, err)
	}
	old, err := os.Open(path)
	if err != nil {
		return "", fmt.Errorf("reading %s before replacing it: %w", path, err)
	}
	defer func() { _ = old.Close() }()
	folder, err := filepath.Abs(filepath.Dir(path))
	if err != nil {
		return "", err
	}
	lock, err := lockFolder(folder, true)
	if err != nil {
		return "", err
	}
	defer lock.release()
	if err := settle(folder, lock, now); err != nil {
		return "", err
	}
	e := entry{Path: filepath.Base(path), Was: was.String(), Is: is.String()}
	names, err := e.alone(folder, func(to io.Writer) error {
		buffered := bufio.NewWriterSize(to, 256<<10)
		return errors.Join(write(buffered, old), buffered.Flush())
	}, now)
	if err != nil {
		return "", err
	}
	return names[0], nil
}

// Settle takes away what runs that were killed have left in a folder, and finishes what they had begun to write.
func Settle(folder string, now time.Time) error {
	lock, err := lockFolder(folder, true)
	if err != nil {
		return err
	}
	defer lock.release()
	err = settle(folder, lock, now)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// Replace makes path hold data, without keeping what was there: for files that
// the program alone writes and can make again.
func Replace(path string, data []byte) error {
	_, err := WriteSet(filepath.Dir(path), []File{{Path: path, Data: data, NoCopy: true}}, time.Time{})
	return err
}
