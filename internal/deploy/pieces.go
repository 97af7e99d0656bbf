package deploy

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"young-compass/internal/safefile"
	"young-compass/internal/server"
)

// version names pieces by what is in them. Each version has a folder of its own, so that the one line by which a
// server's file includes it changes all of them at once.
func version(files []server.File) string {
	sum := sha256.New()
	for _, f := range files {
		fmt.Fprintf(sum, "%s %d\n", f.Name, len(f.Data))
		sum.Write(f.Data)
	}
	return fmt.Sprintf("%x", sum.Sum(nil)[:4])
}

// versions are the names of such folders.
var versions = regexp.MustCompile(`^[0-9a-f]{8}$`)

// putDown writes the pieces into the folder of their version: into another one first, so that it is there whole or not.
func (x *Installation) putDown() error {
	if _, err := os.Stat(x.at); err == nil {
		return nil
	}
	if len(x.Pieces) == 0 {
		return nil
	}
	if err := os.MkdirAll(x.Folder, 0o755); err != nil {
		return fmt.Errorf("making the folder for pieces: %w", err)
	}
	aside, err := os.MkdirTemp(x.Folder, ".version-")
	if err != nil {
		return fmt.Errorf("making the folder for pieces: %w", err)
	}
	defer func() { _ = os.RemoveAll(aside) }()
	for _, f := range x.Pieces {
		if err := safefile.Replace(filepath.Join(aside, f.Name), f.Data); err != nil {
			return err
		}
	}
	if done, err := Convert(x.Target, aside, x.Pieces); err != nil {
		return err
	} else if !done {
		return ErrMissing
	}
	// Servers read pieces as users of their own, whatever this user's habits are.
	err = filepath.WalkDir(x.Folder, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case path == x.Folder || path == aside:
			return os.Chmod(path, 0o755)
		case filepath.Dir(path) == aside:
			return os.Chmod(path, 0o644)
		case d.IsDir():
			return fs.SkipDir
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("letting servers read the pieces: %w", err)
	}
	if err := os.Rename(aside, x.at); err != nil && !errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("writing the pieces: %w", err)
	}
	return nil
}

// prune removes the versions of pieces that neither the server's file nor its last copy includes.
func (x *Installation) prune() error {
	entries, err := os.ReadDir(x.Folder)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("looking for old pieces: %w", err)
	}
	for _, e := range entries {
		if e.IsDir() && versions.MatchString(e.Name()) && !strings.Contains(string(x.New), e.Name()) &&
			!strings.Contains(string(x.Old), e.Name()) {
			if err := os.RemoveAll(filepath.Join(x.Folder, e.Name())); err != nil {
				return fmt.Errorf("removing old pieces: %w", err)
			}
		}
	}
	return nil
}

// merger is a target some of whose pieces a server can be told once, for all its sites together.
type merger interface {
	Once() (name string)         // of the file that says it
	Merge(texts []string) string // puts such files of several sites together
}

// owner is the beginning of the name of the folder in which that stands. The site that it is named for includes it, and
// so one site alone does: the folder changes its name when that site leaves.
const owner = "once-by-"

// onceFile is the file in that folder.
const onceFile = "once.conf"

// Shared is the folder that this site includes, if it is there.
func (p Place) Shared() string { return filepath.Join(filepath.Dir(p.Folder), owner+p.Hosts[0]) }

// share says what can be said once for all sites, with what this one needs.
func (x *Installation) share() error {
	m, ok := x.Target.(merger)
	if !ok || x.once == nil {
		return nil
	}
	if err := safefile.Replace(filepath.Join(x.Folder, x.once.Name), x.once.Data); err != nil {
		return err
	}
	text, others := x.wanted(m, m.Once())
	owners, err := filepath.Glob(filepath.Join(filepath.Dir(x.Folder), owner+"*"))
	if err != nil {
		return fmt.Errorf("looking for other sites: %w", err)
	}
	for _, o := range owners {
		if host := strings.TrimPrefix(filepath.Base(o), owner); host == x.Hosts[0] || slices.Contains(others, host) {
			return safefile.Replace(filepath.Join(o, onceFile), []byte(text))
		}
		if err := os.RemoveAll(o); err != nil { // of a site that is gone
			return fmt.Errorf("removing what another site shared: %w", err)
		}
	}
	aside, err := os.MkdirTemp(x.Folder, ".once-")
	if err != nil {
		return fmt.Errorf("sharing with other sites: %w", err)
	}
	err = errors.Join(safefile.Replace(filepath.Join(aside, onceFile), []byte(text)), os.Chmod(aside, 0o755))
	if err = errors.Join(err, os.Rename(aside, x.Shared())); err != nil {
		return fmt.Errorf("sharing with other sites: %w", err)
	}
	return nil
}

// wanted puts together what all sites need, and returns the others by their hosts.
func (p Place) wanted(m merger, name string) (text string, others []string) {
	files, _ := filepath.Glob(filepath.Join(filepath.Dir(p.Folder), "*", name)) // the pattern is well-formed
	var texts []string
	for _, f := range files {
		if data, err := os.ReadFile(f); err == nil {
			texts = append(texts, string(data))
		}
		if host := filepath.Base(filepath.Dir(f)); host != p.Hosts[0] {
			others = append(others, host)
		}
	}
	return m.Merge(texts), others
}

// leave gives what this site says for all to another one, before this one is taken out. It returns what is left to do
// behind that.
func (p Place) leave() (after func() error, err error) {
	nothing := func() error { return nil }
	m, ok := p.Target.(merger)
	if !ok || len(p.Hosts) == 0 {
		return nothing, nil
	}
	name := m.Once()
	if err := os.Remove(filepath.Join(p.Folder, name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("leaving what sites share: %w", err)
	}
	if _, err := os.Stat(p.Shared()); err != nil {
		return nothing, nil
	}
	text, others := p.wanted(m, name)
	if len(others) == 0 {
		return func() error { return os.RemoveAll(p.Shared()) }, nil
	}
	other := Place{Folder: filepath.Join(filepath.Dir(p.Folder), others[0]), Hosts: others[:1]}
	if err := os.Rename(p.Shared(), other.Shared()); err != nil {
		return nil, fmt.Errorf("leaving what sites share: %w", err)
	}
	return nothing, safefile.Replace(filepath.Join(other.Shared(), onceFile), []byte(text))
}
