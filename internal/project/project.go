// Package project is a plan on disk: a folder with the rules, the pages, the address book and the redirects.
package project

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/redirect"
	"young-compass/internal/safefile"
	"young-compass/internal/table"
)

// The files of a project folder.
const (
	PlanFile      = "young-compass.yaml"
	PagesFile     = "pages.csv"
	AddressesFile = "addresses.csv"
	RedirectsFile = "redirects.csv"
)

// Sum returns a number that changes with the files of a project that decide where anything leads, but not with the
// order of their rows. A file that isn't there is an empty one.
func Sum(dir string) (string, error) {
	whole := sha256.New()
	plan, err := os.ReadFile(filepath.Join(dir, PlanFile))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", err
	}
	sum := sha256.Sum256(plan)
	_, _ = whole.Write(sum[:])
	for _, name := range []string{PagesFile, AddressesFile, RedirectsFile} {
		lines, err := sumOfLines(filepath.Join(dir, name))
		if err != nil {
			return "", err
		}
		_, _ = fmt.Fprintf(whole, "%s %x ", name, lines)
	}
	return hex.EncodeToString(whole.Sum(nil)), nil
}

// sumOfLines returns the sums of a file's lines, added, so that their order makes no difference.
func sumOfLines(path string) (sums [4]uint64, err error) {
	f, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return sums, nil
	}
	if err != nil {
		return sums, err
	}
	defer func() { _ = f.Close() }()
	for r := bufio.NewReaderSize(f, 64<<10); ; {
		line, err := r.ReadBytes('\n')
		if len(line) > 0 {
			sum := sha256.Sum256(bytes.TrimRight(line, "\r\n"))
			for i := range sums {
				sums[i] += binary.BigEndian.Uint64(sum[8*i:])
			}
		}
		if errors.Is(err, io.EOF) {
			return sums, nil
		}
		if err != nil {
			return sums, err
		}
	}
}

// Load reads a project folder.
func Load(dir string) (*plan.Plan, []finding.Finding, error) { return (&Folder{Dir: dir}).Load() }

// Load reads the folder. A file that can't be read as what it should be is an error; bad rows are findings. Whether the
// plan makes sense is package judge's matter.
func (f *Folder) Load() (*plan.Plan, []finding.Finding, error) {
	leave, err := safefile.Enter(f.Dir)
	if err != nil {
		return nil, nil, err
	}
	defer leave()
	var data []byte
	err = f.reading(PlanFile, func(r io.Reader) (err error) {
		data, err = io.ReadAll(r)
		return err
	})
	if err != nil {
		return nil, nil, err
	}
	if data == nil {
		return nil, nil, finding.Unreadable(finding.Place{File: PlanFile}, "there is no such file",
			"young-compass init starts a project, --project names its folder")
	}
	config, err := planfile.Read(PlanFile, data)
	if err != nil {
		return nil, nil, err
	}
	return f.under(config)
}

// Under reads the folder under other settings than those of its plan, which may be missing. Errors and findings are
// those of Load.
func (f *Folder) Under(config *planfile.Settings) (*plan.Plan, []finding.Finding, error) {
	leave, err := safefile.Enter(f.Dir)
	if err != nil {
		return nil, nil, err
	}
	defer leave()
	return f.under(config)
}

func (f *Folder) under(config *planfile.Settings) (*plan.Plan, []finding.Finding, error) {
	pages, entries := &inventory.Inventory{File: PagesFile}, &book.Book{File: AddressesFile}
	rows := redirect.NewList(config.Site)
	var found, more []finding.Finding
	for _, source := range []struct {
		name string
		read func(io.Reader) error
	}{
		{PagesFile, func(r io.Reader) (err error) {
			pages, more, err = inventory.Read(PagesFile, r, config.Languages.Default)
			return err
		}},
		{AddressesFile, func(r io.Reader) (err error) {
			entries, more, err = book.Read(AddressesFile, r)
			return err
		}},
		{RedirectsFile, func(r io.Reader) (err error) {
			more, err = rows.Read(RedirectsFile, r)
			return err
		}},
	} {
		more = nil
		if err := f.reading(source.name, source.read); err != nil {
			return nil, nil, err
		}
		found = append(found, more...)
	}
	return plan.New(config, pages, entries, rows), found, nil
}

// SourceHosts returns the hosts on which redirects of a project start, as written in redirects.csv, each once: before
// there
// is a plan, nobody else says that they are the site's.
func SourceHosts(dir string) (hosts []string, err error) {
	f, err := os.Open(filepath.Join(dir, RedirectsFile))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", RedirectsFile, err)
	}
	defer func() { _ = f.Close() }()
	sheet, _, err := table.Read(RedirectsFile, f, "from")
	if err != nil {
		return nil, err
	}
	for _, row := range sheet.Rows {
		if a, err := address.Parse(row.Get("from")); err == nil && !strings.Contains(a.Host, ":") && !slices.Contains(hosts,
			a.Host) {
			hosts = append(hosts, a.Host)
		}
	}
	return hosts, nil
}
