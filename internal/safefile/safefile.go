// Package safefile replaces files so that a crash leaves either the old or the
// new one, and what was replaced stays beside it under a dated name.
package safefile

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/google/renameio/v2"
)

// Write makes path hold data. A file that holds it already is left alone; one
// that holds something else is first kept as path + "." + now + ".bak". It
// reports the name of the kept file, if any, and whether anything was written.
func Write(path string, data []byte, now time.Time) (kept string, written bool, err error) {
	old, err := os.ReadFile(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
	case err != nil:
		return "", false, fmt.Errorf("reading %s before replacing it: %w", path, err)
	case bytes.Equal(old, data):
		return "", false, nil
	default:
		if kept, err = keep(path, old, now); err != nil {
			return "", false, fmt.Errorf("keeping a copy of %s: %w", path, err)
		}
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return kept, false, fmt.Errorf("making the folder of %s: %w", path, err)
	}
	if err := renameio.WriteFile(path, data, 0o644); err != nil {
		return kept, false, fmt.Errorf("writing %s: %w", path, err)
	}
	return kept, true, nil
}

// keep writes old under a dated name that no file has yet.
func keep(path string, old []byte, now time.Time) (string, error) {
	stamp := path + "." + now.UTC().Format("2006-01-02T15-04-05")
	for n := 1; ; n++ {
		name := stamp + ".bak"
		if n > 1 {
			name = fmt.Sprintf("%s-%d.bak", stamp, n)
		}
		have, err := os.ReadFile(name)
		switch {
		case err == nil && bytes.Equal(have, old):
			return name, nil // a run that was interrupted after this step
		case err == nil:
			continue
		case !errors.Is(err, fs.ErrNotExist):
			return "", err
		}
		return name, renameio.WriteFile(name, old, 0o644)
	}
}

// Replace makes path hold data, without keeping what was there: for files that
// the program alone writes and can make again.
func Replace(path string, data []byte) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return fmt.Errorf("making the folder of %s: %w", path, err)
	}
	if err := renameio.WriteFile(path, data, 0o644); err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	return nil
}
