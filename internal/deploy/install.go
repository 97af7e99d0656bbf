package deploy

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

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
}

// Installation is worked out, and not made yet.
type Installation struct {
	Place
	Old, New []byte // the server's file
	Pieces   []server.File
	Changed  int // of the known addresses, those that are answered otherwise from now on
	Known    int
	First    bool // nothing of this target was installed before
	Findings []finding.Finding

	answers []byte
}

// ErrMissing says that a program is missing that the server's files must be converted with.
var ErrMissing = errors.New("httxt2dbm is not installed here, and httpd needs what it makes (package apache2-utils)")

// overview is a target for which files elsewhere count.
type overview interface {
	Below(root string) ([]string, error)
}

// Prepare works an installation out. An error of type *block.EditedError says that what was installed was edited by hand.
func (p Place) Prepare(g *compile.Program, files []server.File) (*Installation, error) {
	x := &Installation{Place: p}
	var err error
	if x.Old, err = safefile.Read(p.File, maxConfiguration); err != nil {
		return nil, err
	}
	rest, _, err := Remove(x.Old, p.Target.Name())
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.File, err)
	}
	if x.New, err = Insert(rest, p.Target, files, p.Folder, g.Plan.Site.All()); err != nil {
		return nil, fmt.Errorf("%s: %w", p.File, err)
	}
	for _, f := range files {
		if p.Target.Beside(f.Name) {
			x.Pieces = append(x.Pieces, f)
		}
	}
	if x.answers, err = Answers(g); err != nil {
		return nil, err
	}
	before, err := os.ReadFile(p.note("answers"))
	if x.First = errors.Is(err, os.ErrNotExist); err != nil && !x.First {
		return nil, fmt.Errorf("reading what was installed: %w", err)
	}
	x.Changed, x.Known = Changed(before, x.answers)
	if o, ok := p.Target.(overview); ok {
		below, err := o.Below(filepath.Dir(p.File))
		if err != nil {
			return nil, fmt.Errorf("looking for per-folder files: %w", err)
		}
		for _, path := range below {
			x.Findings = append(x.Findings, finding.Finding{Code: finding.RulesBelow, Severity: finding.Warning,
				Where:  finding.Place{File: path},
				What:   "this per-folder file switches rewriting on, and with it the rules of the folders above off",
				Advice: "write RewriteOptions InheritBefore into it, or take its RewriteEngine out"})
		}
	}
	return x, nil
}

// Check lets the server's own checker read what the file is to become; see the function Check.
func (x *Installation) Check() (said string, err error) {
	return Check(x.Target, x.New, x.File, x.Folder, x.Pieces)
}

// Difference returns the lines of the server's file that change.
func (x *Installation) Difference() []string { return Difference(string(x.Old), string(x.New)) }

// Make writes the pieces, then the server's file, and last what the project remembers, so that the server never reads
// of a piece that isn't there. write replaces a file.
func (x *Installation) Make(write func(path string, data []byte) error) error {
	for _, f := range x.Pieces {
		if err := write(filepath.Join(x.Folder, f.Name), f.Data); err != nil {
			return err
		}
	}
	if done, err := Convert(x.Target, x.Folder, x.Pieces); err != nil {
		return err
	} else if !done {
		return ErrMissing
	}
	if err := write(x.File, x.New); err != nil {
		return err
	}
	block := Installed(x.New, x.Target.Name())
	where, err := filepath.Abs(x.File)
	return errors.Join(err, safefile.Replace(x.note("file"), []byte(where+"\n")), safefile.Replace(x.note("block"), []byte(block)),
		safefile.Replace(x.note("answers"), x.answers))
}

// note is where the project keeps what it installed.
func (p Place) note(what string) string {
	return filepath.Join(p.Project, "out", p.Target.Name(), "installed-"+what+".txt")
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

// Remove works out how to take out what was installed. An error of type *block.EditedError says that it was edited by hand.
func (p Place) Remove() (*Removal, error) {
	old, err := safefile.Read(p.File, maxConfiguration)
	if err != nil {
		return nil, err
	}
	rest, removed, err := Remove(old, p.Target.Name())
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.File, err)
	}
	if removed == 0 {
		return nil, fmt.Errorf("%s: nothing of the form %s was installed here", p.File, p.Target.Name())
	}
	return &Removal{p, old, rest, removed}, nil
}

// Make writes the server's file, and forgets what was installed.
func (x *Removal) Make(write func(path string, data []byte) error) error {
	if err := write(x.File, x.New); err != nil {
		return err
	}
	for _, what := range []string{"file", "block", "answers"} {
		if err := os.Remove(x.note(what)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("forgetting what was installed: %w", err)
		}
	}
	return nil
}

// HasPieces reports whether there is anything in the folder for pieces.
func (p Place) HasPieces() bool {
	entries, err := os.ReadDir(p.Folder)
	return err == nil && len(entries) > 0
}

// maxConfiguration bounds the file that pieces are put into, in bytes.
const maxConfiguration = 16 << 20

// Note is what a project remembers of an installation.
type Note struct {
	When    time.Time
	Where   string // the server's file; empty: it wasn't noted
	Whole   bool   // what was installed is there as it was
	Answers []byte // what the plan answered then
}

// Noted returns what is remembered of an installation; ok is false where there is none. Errors are those of the disk.
func (p Place) Noted() (n Note, ok bool, err error) {
	info, err := os.Stat(p.note("answers"))
	if errors.Is(err, os.ErrNotExist) {
		return n, false, nil
	}
	if err != nil {
		return n, false, fmt.Errorf("reading what was installed: %w", err)
	}
	n.When = info.ModTime()
	if n.Answers, err = os.ReadFile(p.note("answers")); err != nil {
		return n, false, fmt.Errorf("reading what was installed: %w", err)
	}
	where, err := os.ReadFile(p.note("file"))
	if errors.Is(err, os.ErrNotExist) {
		return n, true, nil
	}
	if err != nil {
		return n, false, fmt.Errorf("reading what was installed: %w", err)
	}
	n.Where = strings.TrimSpace(string(where))
	was, err := os.ReadFile(p.note("block"))
	if err != nil {
		return n, false, fmt.Errorf("reading what was installed: %w", err)
	}
	text, err := safefile.Read(n.Where, maxConfiguration)
	if err != nil {
		return n, false, err
	}
	n.Whole = Installed(text, p.Target.Name()) == string(was)
	return n, true, nil
}
