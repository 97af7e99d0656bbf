package deploy

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/block"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/safefile"
	"young-compass/internal/server"
)

// Place is where a plan is installed: a file that the server has already, a folder for the pieces that lie beside it,
// and the project, which remembers what was installed.
type Place struct {
	Target  server.Target
	File    string
	Folder  string
	Project string
	Hosts   []string // that the plan is for, the origin's first; to take out, none: whatever was installed
}

// visible is a target whose pieces lie in a folder that visitors see, below that of the file.
type visible interface {
	Visible() bool
}

// seen reports whether visitors see the folder in which a target's pieces lie.
func seen(target server.Target) bool {
	v, ok := target.(visible)
	return ok && v.Visible()
}

// copies is the folder for what is replaced: one that no server reads, and no visitor.
func (p Place) copies() string {
	if p.Target.Pieces() && !seen(p.Target) {
		return filepath.Join(p.Folder, "replaced")
	}
	return filepath.Join(p.Project, "out", p.Target.Name(), "replaced")
}

// Installation is worked out, and not made yet.
type Installation struct {
	Place
	Old, New []byte // the server's file
	Pieces   []server.File
	Changed  int // of the known addresses, those that are answered otherwise from now on
	Known    int
	First    bool // nothing of this site was installed in the file before
	Findings []finding.Finding
	Existing []Existing // rules and settings that are in the file already

	at      string        // the folder of this version of the pieces
	once    *server.File  // what is said once for all sites; nil: nothing need be
	shared  *shared       // nil: nothing can be
	whole   *server.Whole // how the whole configuration is checked; nil: it can't be
	answers []byte
}

// ErrMissing says that a program is missing that the server's files must be converted with.
var ErrMissing = errors.New("httxt2dbm is not installed here, and httpd needs what it makes (package apache2-utils)")

// overview is a target for which files elsewhere count.
type overview interface {
	Below(root string) ([]string, error)
}

// slasher is a target that can tell whether the server adds slashes to the addresses of real folders.
type slasher interface {
	SlashesFolders(into server.Into, file string) bool
}

// Prepare works an installation out; the files are those that the target emits for the folder Unplaced. An error of
// type *block.EditedError says that what was installed was edited by hand.
func (p Place) Prepare(g *compile.Program, files []server.File, trial bool) (*Installation, error) {
	x := &Installation{Place: p, at: filepath.Join(p.Folder, version(files))}
	var err error
	if x.Old, err = safefile.Read(p.File, maxConfiguration); err != nil {
		return nil, err
	}
	rest, removed, err := Remove(x.Old, p.Target.Name(), p.Hosts)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.File, err)
	}
	into := server.Into{Text: string(rest), Folder: x.at, Root: rootOf(p.Folder), Hosts: p.Hosts}
	at, err := p.reached(x.at)
	if err != nil {
		return nil, err
	}
	for _, f := range files {
		f.Data = f.With(Unplaced, at)
		into.Files = append(into.Files, f)
		switch {
		case f.Once:
			x.once = &f
		case p.Target.Beside(f.Name):
			x.Pieces = append(x.Pieces, f)
		}
	}
	if err := x.prepareShared(&into); err != nil {
		return nil, err
	}
	if x.New, err = Insert(p.Target, into); err != nil {
		return nil, fmt.Errorf("%s: %w", p.File, err)
	}
	if x.answers, err = Answers(g, trial); err != nil {
		return nil, err
	}
	before, err := os.ReadFile(p.note("answers"))
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("reading what was installed: %w", err)
	}
	if x.First = removed == 0 || err != nil; x.First {
		before = nil
	}
	x.Changed, x.Known = Changed(before, x.answers)
	if s, ok := p.Target.(slasher); ok && g.Plan.Paths.Slash == address.SlashNever && s.SlashesFolders(into, p.File) {
		x.Findings = append(x.Findings, finding.Finding{Code: finding.FolderSlash, Severity: finding.Warning,
			Where:  finding.Place{File: p.File},
			What:   "the server may add a slash to the address of a real folder, and the plan removes it: round in a circle",
			Advice: "see docs/servers.md, beside other rules; or write paths.slash: keep"})
	}
	more, found, err := p.judgeExisting(g.Plan, x.Old, len(x.Pieces) > 0)
	if err != nil {
		return nil, err
	}
	x.Existing, x.Findings = more, append(x.Findings, found...)
	x.Findings = append(x.Findings, p.insecure(g.Plan, x.Old)...)
	if o, ok := p.Target.(overview); ok {
		below, err := o.Below(filepath.Dir(p.File))
		if err != nil {
			return nil, fmt.Errorf("looking for per-folder files: %w", err)
		}
		for _, path := range below {
			x.Findings = append(x.Findings, rulesBelow(path))
		}
	}
	return x, nil
}

// reached returns how files name the folder of the pieces: as it is, or, where visitors see it, from the file's folder.
func (p Place) reached(folder string) (string, error) {
	if !seen(p.Target) {
		return folder, nil
	}
	root, err := filepath.Abs(filepath.Dir(p.File))
	if err != nil {
		return "", fmt.Errorf("finding the folder of %s: %w", p.File, err)
	}
	below, err := filepath.Rel(root, folder)
	if err != nil || !filepath.IsLocal(below) {
		return "", fmt.Errorf("%s is not below the folder of %s; the server runs the script there, so name one that is",
			p.Folder, p.File)
	}
	return filepath.ToSlash(below), nil
}

// prepareShared works out what is said for all sites: in the file itself, if that is the main one, else in the main
// one.
func (x *Installation) prepareShared(into *server.Into) error {
	s, ok := x.sharing()
	if !ok {
		return nil
	}
	x.shared = s
	if x.once == nil {
		return nil
	}
	if filepath.Clean(s.main) == filepath.Clean(x.File) {
		text, err := s.prepare([]byte(into.Text), x.once.Data)
		into.Text = string(text)
		return err
	}
	var err error
	if s.old, err = safefile.Read(s.main, maxConfiguration); err != nil {
		return err
	}
	s.new, err = s.prepare(s.old, x.once.Data)
	return err
}

// Check lets the server's own checker read what the file is to become; see the function Check. Where the server says
// that it reads the file, the whole configuration is checked: as it is now, and again by Make.
func (x *Installation) Check() (said string, err error) {
	w, ok := x.Target.Whole(x.File, rootOf(x.Folder))
	reads := false
	if ok && x.Old != nil && program(x.Target.Checker()) != "" {
		reads, err = reading(x.Target, w, x.File)
	}
	if !reads {
		said, failed := Check(x.Target, x.New, x.File, x.Folder, x.at, x.once, x.Pieces)
		if failed == nil && ok && err == nil && x.Old != nil {
			said += "; " + w.Main + " doesn't include it yet"
		}
		return said, failed
	}
	if err := ask(x.Target, w.Check, w.Env); err != nil {
		var invalid *InvalidError
		if errors.As(err, &invalid) {
			invalid.Already = true
		}
		return "", err
	}
	x.whole = &w
	return x.Target.Checker() + " reads the file; its whole configuration is checked once the lines are there", nil
}

// Accepted says what Make had the server check; empty: nothing.
func (x *Installation) Accepted() string {
	if x.whole == nil {
		return ""
	}
	return x.Target.Checker() + " accepts its whole configuration, which begins with " + x.whole.Main
}

// Difference returns the lines of the server's file that change, and those of its main one, behind that one's name.
func (x *Installation) Difference() []string {
	list := Difference(string(x.Old), string(x.New))
	if main := x.Main(); main != "" {
		list = append(append(list, main+":"), Difference(string(x.shared.old), string(x.shared.new))...)
	}
	return list
}

// Main names the server's main file where that is to change, too; else it is empty.
func (x *Installation) Main() string {
	if x.shared == nil || bytes.Equal(x.shared.old, x.shared.new) {
		return ""
	}
	return x.shared.main
}

// share writes what is said for all sites, or takes back what this one doesn't need any more.
func (x *Installation) share(now time.Time, tell func(path string, data []byte, kept string)) error {
	switch {
	case x.shared == nil:
		return nil
	case x.once == nil:
		return x.shared.leave(now)
	}
	if err := x.shared.say(x.once.Data); err != nil {
		return err
	}
	if x.Main() == "" {
		return nil
	}
	kept, err := safefile.Exchange(x.shared.main, x.shared.old, x.shared.new, x.copies(), now)
	if err == nil {
		tell(x.shared.main, x.shared.new, kept)
	}
	return err
}

// Make writes the pieces, then the server's file, and last what the project remembers, so that the server never reads
// of a piece that isn't there. It tells of each file that it wrote, and where a copy of what was there is. Where the
// server's own check of the whole configuration fails then, the file is put back; the error is an *InvalidError.
func (x *Installation) Make(now time.Time, tell func(path string, data []byte, kept string)) error {
	if err := x.putDown(); err != nil {
		return err
	}
	if err := x.share(now, tell); err != nil {
		return err
	}
	for _, f := range x.Pieces {
		tell(filepath.Join(x.at, f.Name), f.Data, "")
	}
	kept := ""
	if !bytes.Equal(x.Old, x.New) || x.Old == nil {
		var err error
		if kept, err = safefile.Exchange(x.File, x.Old, x.New, x.copies(), now); err != nil {
			return errors.Join(err, x.unshare(now))
		}
	}
	if x.whole != nil {
		if err := ask(x.Target, x.whole.Check, x.whole.Env); err != nil {
			return errors.Join(err, x.putBack(now))
		}
	}
	tell(x.File, x.New, kept)
	if err := x.remember(); err != nil {
		return err
	}
	return x.prune()
}

// putBack undoes what Make did to the server's file.
func (x *Installation) putBack(now time.Time) error {
	if bytes.Equal(x.Old, x.New) {
		return nil
	}
	if _, err := safefile.Exchange(x.File, x.New, x.Old, x.copies(), now); err != nil {
		return fmt.Errorf("putting back what was there: %w", err)
	}
	return x.unshare(now)
}

// unshare takes back what a first installation said for all sites, when it fails.
func (x *Installation) unshare(now time.Time) error {
	if !x.First || x.shared == nil {
		return nil
	}
	return x.shared.leave(now)
}

// Edits returns the lines in which what was installed was edited by hand.
func (p Place) Edits(edited *block.EditedError) []string {
	was, err := os.ReadFile(p.note("block"))
	if err != nil {
		return nil
	}
	return Difference(string(was), edited.Text)
}

// Removal takes out what was installed. Its pieces stay, and nothing reads them any more.
type Removal struct {
	Place
	Old, New []byte
	Blocks   int
}

// Remove works out how to take out what was installed. An error of type *block.EditedError says that it was edited by
// hand.
func (p Place) Remove() (*Removal, error) {
	old, err := safefile.Read(p.File, maxConfiguration)
	if err != nil {
		return nil, err
	}
	rest, removed, err := Remove(old, p.Target.Name(), p.Hosts)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.File, err)
	}
	if removed == 0 {
		return nil, fmt.Errorf("%s: nothing of the form %s was installed here", p.File, p.Target.Name())
	}
	return &Removal{p, old, rest, removed}, nil
}

// Make writes the server's file, and forgets what was installed. It returns where a copy of what was there is.
func (x *Removal) Make(now time.Time) (kept string, err error) {
	if kept, err = safefile.Exchange(x.File, x.Old, x.New, x.copies(), now); err != nil {
		return "", err
	}
	if s, ok := x.sharing(); ok {
		if err := s.leave(now); err != nil {
			return kept, err
		}
	}
	if err := os.RemoveAll(filepath.Dir(x.note("file"))); err != nil {
		return kept, fmt.Errorf("forgetting what was installed: %w", err)
	}
	return kept, nil
}

// HasPieces reports whether there is anything in the folder for pieces.
func (p Place) HasPieces() bool {
	entries, err := os.ReadDir(p.Folder)
	return err == nil && len(entries) > 0
}

// maxConfiguration bounds the file that pieces are put into, in bytes.
const maxConfiguration = 16 << 20
