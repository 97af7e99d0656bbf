package publish

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"young-compass/internal/plan"
	"young-compass/internal/safefile"
	"young-compass/internal/sitefile"
)

// optionsFile is where a folder of sitemaps keeps how they were written.
const optionsFile = "options.json"

// File is to stand beside the sitemaps of a folder, and says how they were written, for Compare.
func (o SitemapOptions) File(dir string) (safefile.File, error) {
	data, err := json.Marshal(o)
	if err != nil {
		return safefile.File{}, fmt.Errorf("noting how sitemaps were written: %w", err)
	}
	return safefile.File{Path: filepath.Join(dir, optionsFile), Data: append(data, '\n'), NoCopy: true}, nil
}

// Compare reports whether the sitemaps in a folder are those that the plan gives, written as they were last; ok is false
// where there are none. Errors are those of the disk.
func Compare(p *plan.Plan, dir string) (same bool, when time.Time, ok bool, err error) {
	info, err := os.Stat(filepath.Join(dir, sitefile.Index))
	if errors.Is(err, fs.ErrNotExist) {
		return false, when, false, nil
	}
	if err != nil {
		return false, when, false, fmt.Errorf("looking for sitemaps: %w", err)
	}
	var o SitemapOptions
	data, err := os.ReadFile(filepath.Join(dir, optionsFile))
	if err == nil {
		err = json.Unmarshal(data, &o)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return false, when, false, fmt.Errorf("reading how sitemaps were written: %w", err)
	}
	pages, _ := Pages(p)
	same = true
	list, _, err := Sitemaps(p, pages, o, func(name string, data []byte) error {
		old, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name)))
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("comparing sitemaps: %w", err)
		}
		same = same && bytes.Equal(old, data)
		return nil
	})
	return same && len(list) > 0, info.ModTime(), true, err
}

// Leftovers returns the names of a folder's sitemaps that weren't written this time.
func Leftovers(dir string, wrote map[string]bool) (names []string) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil // there is nothing to tell
	}
	for _, e := range entries {
		name := e.Name()
		if strings.HasPrefix(name, "sitemap") && strings.HasSuffix(strings.TrimSuffix(name, ".gz"), ".xml") && !wrote[name] {
			names = append(names, name)
		}
	}
	return names
}
