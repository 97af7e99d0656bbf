package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/safefile"
	"young-compass/internal/table"
	"young-compass/internal/term"
)

// write replaces a file and says what became of the one that was there.
func (a *app) write(path string, data []byte) error {
	return a.writeAll(safefile.File{Path: path, Data: data})
}

// writeAll replaces files, all or none, and says what became of those that were there.
func (a *app) writeAll(files ...safefile.File) error {
	all, err := a.writeSet(files...)
	if err != nil {
		return err
	}
	for _, became := range all {
		switch {
		case !became.Written:
			a.say("%s: unchanged", became.Path)
		case became.Kept != "":
			a.say("%s: written; what was there is now %s", became.Path, filepath.Base(became.Kept))
		default:
			a.say("%s: written", became.Path)
		}
	}
	return nil
}

// writeSet replaces files, all or none, and returns what became of them.
func (a *app) writeSet(files ...safefile.File) (all []safefile.Became, err error) {
	err = a.save(func() (err error) {
		all, err = a.folder.Write(a.now, files...)
		for _, became := range all {
			if became.Written {
				a.names = append(a.names, filepath.Base(became.Path))
			}
		}
		return err
	})
	if err != nil {
		return nil, unfinished{err}
	}
	return all, nil
}

// save writes something that must not be cut short, unless the run was interrupted before.
func (a *app) save(write func() error) error {
	a.saving.Lock()
	defer a.saving.Unlock()
	if err := a.ctx.Err(); err != nil {
		return err
	}
	return write()
}

// change changes files of the project, all or none.
func (a *app) change(changes ...project.Change) error {
	var files []safefile.File
	var wait sync.WaitGroup
	wrong := make([]error, len(changes))
	for i, c := range changes {
		if strings.HasSuffix(c.Name, ".csv") {
			wait.Go(func() { wrong[i] = table.Check(c.Name, c.Data) })
		}
		files = append(files, safefile.File{Path: a.in(c.Name), Data: c.Data})
	}
	if wait.Wait(); cmp.Or(wrong...) != nil {
		return unfinished{cmp.Or(wrong...)}
	}
	return a.writeAll(files...)
}

// patience is how long a run waits for another one to end that changes the project.
const patience = 30 * time.Second

// alone waits until no other run changes the project. A command that writes to the project calls it before it reads
// anything of it.
func (a *app) alone(c *cobra.Command) (end func(), err error) {
	wait := patience
	if a.noWait {
		wait = 0
	}
	end, err = a.folder.Lock(c.Context(), fmt.Sprintf("%s (process %d)", c.CommandPath(), os.Getpid()), wait,
		func(holder string) {
			a.say("%s is at work in this project; waiting for it to end, for at most %v", holder, patience)
		})
	if err != nil {
		return nil, unfinished{err}
	}
	return end, nil
}

// open reads a file, or standard input for "-". A bar shows how far that is.
func (a *app) open(path string) (io.ReadCloser, error) {
	if path == "-" {
		bar := term.NewProgress(a.stderr, path, 0, term.Bytes)
		return watched{bar.Reader(a.stdin), io.NopCloser(nil), bar}, nil
	}
	f, err := os.Open(path)
	if err != nil {
		what := err.Error()
		var pathError *os.PathError
		if errors.As(err, &pathError) {
			what = pathError.Err.Error()
		}
		return nil, finding.Unreadable(finding.Place{File: path}, what, "check the name")
	}
	size := int64(0)
	if info, err := f.Stat(); err == nil {
		size = info.Size()
	}
	bar := term.NewProgress(a.stderr, path, size, term.Bytes)
	return watched{bar.Reader(f), f, bar}, nil
}

// watched is a file whose reading a bar shows.
type watched struct {
	io.Reader
	io.Closer
	bar *term.Progress
}

// Close wipes the bar, and closes the file.
func (w watched) Close() error {
	w.bar.Done()
	return w.Closer.Close()
}

// readIfThere reads a file of the project that gather makes, if there is one. A
// bad row of it makes all of it unreadable: it is made anew by gathering again.
func (a *app) readIfThere(name string, read func(path string, r io.Reader) ([]finding.Finding, error)) error {
	path := a.in(name)
	f, err := a.folder.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return unfinished{err}
	}
	defer func() { _ = f.Close() }()
	found, err := read(path, f)
	if err == nil && len(found) > 0 {
		err = &finding.Input{Finding: found[0]}
	}
	return err
}

// judged reads the project, and says what is wrong with its plan.
func (a *app) judged() (*plan.Plan, []finding.Finding, error) {
	p, found, err := a.load()
	if err != nil {
		return nil, nil, err
	}
	return p, append(found, judge.Plan(p)...), nil
}

// load reads the project. Findings are of reading alone.
func (a *app) load() (*plan.Plan, []finding.Finding, error) {
	p, found, err := a.folder.Load()
	var input *finding.Input
	if errors.As(err, &input) {
		a.locate(&input.Finding.Where)
	}
	return p, found, err
}

// locate turns the name of one of the project's files into its path.
func (a *app) locate(where *finding.Place) {
	switch where.File {
	case project.PlanFile, project.PagesFile, project.AddressesFile, project.RedirectsFile:
		where.File = a.in(where.File)
	}
}
