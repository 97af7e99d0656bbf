package deploy

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"young-compass/internal/safefile"
)

// Note is what a project remembers of an installation into one file.
type Note struct {
	When    time.Time
	Where   string // the server's file
	Site    string // the host that the marks name
	Whole   bool   // what was installed is there as it was
	Answers []byte // what the plan answered then
}

// notes is the folder in which the project remembers what was installed for a target.
func notes(project, target string) string { return filepath.Join(project, "out", target, "installed") }

// note is where the project remembers something of an installation into the place's file.
func (p Place) note(what string) string {
	where, err := filepath.Abs(p.File)
	if err != nil {
		where = p.File
	}
	sum := sha256.Sum256([]byte(where))
	return filepath.Join(notes(p.Project, p.Target.Name()), fmt.Sprintf("%x", sum[:4]), what+".txt")
}

// remember notes an installation.
func (x *Installation) remember() error {
	where, err := filepath.Abs(x.File)
	if err != nil {
		return fmt.Errorf("noting what was installed: %w", err)
	}
	block := Installed(x.New, x.Target.Name(), x.Hosts)
	return errors.Join(safefile.Replace(x.note("file"), []byte(where+"\n")), safefile.Replace(x.note("site"),
		[]byte(x.Hosts[0]+"\n")),
		safefile.Replace(x.note("block"), []byte(block)), safefile.Replace(x.note("answers"), x.answers))
}

// Site returns the host for which something was installed in the place's file; ok is false where the project remembers
// nothing. Errors are those of the disk.
func (p Place) Site() (host string, ok bool, err error) {
	data, err := os.ReadFile(p.note("site"))
	if errors.Is(err, fs.ErrNotExist) {
		return "", false, nil
	}
	if err != nil {
		return "", false, fmt.Errorf("reading what was installed: %w", err)
	}
	return strings.TrimSpace(string(data)), true, nil
}

// Noted returns what is remembered of the installations for the place's target, whatever its file. Errors are those of
// the disk.
func (p Place) Noted() (list []Note, err error) {
	folder := notes(p.Project, p.Target.Name())
	entries, err := os.ReadDir(folder)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("reading what was installed: %w", err)
	}
	for _, e := range entries {
		n, err := p.noted(filepath.Join(folder, e.Name()))
		if errors.Is(err, fs.ErrNotExist) {
			continue // a run that was killed while it noted
		}
		if err != nil {
			return nil, fmt.Errorf("reading what was installed: %w", err)
		}
		list = append(list, n)
	}
	return list, nil
}

func (p Place) noted(folder string) (n Note, err error) {
	texts := map[string]string{}
	for _, what := range []string{"file", "site", "block", "answers"} {
		data, err := os.ReadFile(filepath.Join(folder, what+".txt"))
		if err != nil {
			return n, err
		}
		texts[what] = string(data)
	}
	info, err := os.Stat(filepath.Join(folder, "answers.txt"))
	if err != nil {
		return n, err
	}
	n = Note{When: info.ModTime(), Where: strings.TrimSpace(texts["file"]), Site: strings.TrimSpace(texts["site"]),
		Answers: []byte(texts["answers"])}
	text, err := safefile.Read(n.Where, maxConfiguration)
	if err != nil {
		return n, err
	}
	n.Whole = Installed(text, p.Target.Name(), []string{n.Site}) == texts["block"]
	return n, nil
}
