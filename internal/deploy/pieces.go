package deploy

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"young-compass/internal/block"
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
	if len(x.Pieces) == 0 || x.complete() {
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
		path := filepath.Join(aside, f.Name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return fmt.Errorf("making the folder for pieces: %w", err)
		}
		if err := safefile.Replace(path, f.Data); err != nil {
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
		case path == x.Folder || path == aside || d.IsDir() && strings.HasPrefix(path, aside+string(filepath.Separator)):
			return os.Chmod(path, 0o755)
		case strings.HasPrefix(path, aside+string(filepath.Separator)):
			return os.Chmod(path, 0o644)
		case d.IsDir():
			return fs.SkipDir
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("letting servers read the pieces: %w", err)
	}
	if err := x.discard(x.at); err != nil { // what was edited by hand, perhaps
		return err
	}
	if err := os.Rename(aside, x.at); err != nil {
		return fmt.Errorf("writing the pieces: %w", err)
	}
	return nil
}

// complete reports whether the pieces are there, as they are to be.
func (x *Installation) complete() bool {
	for _, f := range x.Pieces {
		if data, err := os.ReadFile(filepath.Join(x.at, f.Name)); err != nil || !bytes.Equal(data, f.Data) {
			return false
		}
	}
	return true
}

// discard removes a folder of pieces: under another name, so that no half of it is ever taken for the whole.
func (x *Installation) discard(folder string) error {
	gone, err := os.MkdirTemp(x.Folder, ".gone-")
	if err != nil {
		return fmt.Errorf("removing old pieces: %w", err)
	}
	if err := os.Rename(folder, filepath.Join(gone, "pieces")); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("removing old pieces: %w", err)
	}
	if err := os.RemoveAll(gone); err != nil {
		return fmt.Errorf("removing old pieces: %w", err)
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
			if err := x.discard(filepath.Join(x.Folder, e.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}

// merger is a target to which something can be said once, for all the sites of a server together.
type merger interface {
	Once() (name string)         // of the file in which a site says what it needs
	Merge(texts []string) string // puts such files of several sites together
	// Main finds where the server's main file includes what is said for all, and whether that file says it itself.
	Main(text string) (at int, says []string, err error)
}

// allSites is what the marks say of lines that all sites of a server share, instead of a host.
const allSites = "all-sites"

// onceFile is the file that the server's main file includes, beside the folders of the sites.
const onceFile = "once.conf"

// shared is what is said once for all sites of a server.
type shared struct {
	merger
	place    Place
	main     string // the server's main file
	old, new []byte
}

// Shares reports whether something can be said once for all sites: the server's main file is where it mostly is.
func (p Place) Shares() bool {
	_, ok := p.sharing()
	return ok
}

func (p Place) sharing() (*shared, bool) {
	m, ok := p.Target.(merger)
	if !ok {
		return nil, false
	}
	w, ok := p.Target.Whole(p.File, rootOf(p.Folder))
	return &shared{merger: m, place: p, main: w.Main}, ok
}

func (s *shared) file() string { return filepath.Join(filepath.Dir(s.place.Folder), onceFile) }

func (s *shared) own() string { return filepath.Join(s.place.Folder, s.Once()) }

// prepare works out what the main file is to become; text is what it holds, but for what is installed anyway.
func (s *shared) prepare(text, needs []byte) ([]byte, error) {
	if list, err := block.Find(server.Lines(string(text))); err != nil ||
		slices.ContainsFunc(list, func(b block.Block) bool {
			return b.Name == s.place.Target.Name() &&
				b.Note == allSites
		}) {
		return text, err
	}
	at, says, err := s.Main(string(text))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.main, err)
	}
	if len(says) > 0 {
		own := strings.Join(says, "\n") + "\n"
		if both := s.Merge([]string{own, string(needs)}); both != s.Merge([]string{own}) {
			return nil, fmt.Errorf("%s says %s, which is too little for this plan; write %s there", s.main,
				strings.Join(says, " "),
				strings.Join(strings.Split(strings.TrimSpace(both), "\n"), " "))
		}
		return text, nil
	}
	marked := block.Marked(s.place.Target.Name(), allSites, "include "+s.file()+";\n", "\n")
	if at > 0 && text[at-1] != '\n' {
		return nil, fmt.Errorf("%s: end the line of the http block behind its brace", s.main)
	}
	return slices.Concat(text[:at], []byte(marked), text[at:]), nil
}

// say writes what all sites need together.
func (s *shared) say(needs []byte) error {
	if err := safefile.Replace(s.own(), needs); err != nil {
		return err
	}
	return safefile.Replace(s.file(), []byte(s.Merge(s.needs())))
}

// needs returns what the sites need.
func (s *shared) needs() (texts []string) {
	files, _ := filepath.Glob(filepath.Join(filepath.Dir(s.place.Folder), "*", s.Once())) // the pattern is well-formed
	for _, f := range files {
		if data, err := os.ReadFile(f); err == nil {
			texts = append(texts, string(data))
		}
	}
	return texts
}

// leave takes back what one site needs. When it was the last, the main file includes nothing any more.
func (s *shared) leave(now time.Time) error {
	err := os.Remove(s.own())
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("leaving what sites share: %w", err)
	}
	if needs := s.needs(); len(needs) > 0 {
		return safefile.Replace(s.file(), []byte(s.Merge(needs)))
	}
	text, err := safefile.Read(s.main, maxConfiguration)
	if err != nil {
		return err
	}
	rest, removed, err := Remove(text, s.place.Target.Name(), []string{allSites})
	if err != nil {
		return fmt.Errorf("%s: %w", s.main, err)
	}
	if removed > 0 {
		if _, err := safefile.Exchange(s.main, text, rest, s.place.copies(), now); err != nil {
			return err
		}
	}
	if err := os.Remove(s.file()); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("leaving what sites share: %w", err)
	}
	return nil
}
