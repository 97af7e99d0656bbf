package relink

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"young-compass/internal/safefile"
)

// JournalFile is the name of the file of a project in which runs note what they write, so that it can be taken back.
const JournalFile = "relinked.jsonl"

// note is a line of the journal: what a run is about to write, or that a run was taken back.
type note struct {
	Run    string `json:"run"`              // when it began
	Path   string `json:"path,omitempty"`   // absolute
	Before string `json:"before,omitempty"` // SHA-256 of the content
	After  string `json:"after,omitempty"`
	Undone bool   `json:"undone,omitempty"`
}

// Journal notes what one run writes.
type Journal struct {
	file string
	now  time.Time
}

// NewJournal returns the journal of a run that begins now.
func NewJournal(file string, now time.Time) *Journal { return &Journal{file, now} }

func (j *Journal) run() string { return j.now.UTC().Format(stampForm + ".000000000") }

// stampForm is how the names of kept files have the time.
const stampForm = "2006-01-02T15-04-05"

// Known tells a linker which documents were written by runs before: the relative links of one that moves are written
// for its new place already, so that a second run changes nothing. Errors are those of the journal's file.
func (j *Journal) Known(l *Linker) error {
	open, err := openNotes(j.file)
	if err != nil {
		return err
	}
	l.written = map[string]bool{}
	for _, n := range open {
		l.written[n.After] = true
	}
	return nil
}

// Settle finishes what runs that were killed had begun to write, and takes away what they left besides. Errors are those
// of the disk.
func (j *Journal) Settle() error {
	open, err := openNotes(j.file)
	if err != nil {
		return err
	}
	settled := map[string]bool{}
	for _, n := range open {
		folder := filepath.Dir(n.Path)
		if n.Path == "" || settled[folder] {
			continue
		}
		settled[folder] = true
		if err := safefile.Settle(folder, j.now); err != nil && !errors.Is(err, fs.ErrPermission) {
			return err
		}
	}
	return nil
}

// Write writes a document in which links change, and keeps what was there beside it under a dated name, which it
// returns. A file that isn't as it was read is left alone.
func (j *Journal) Write(d Document) (kept string, err error) {
	file, err := filepath.Abs(d.Path)
	if err != nil {
		return "", err
	}
	if d.Large {
		return j.rewrite(file, d)
	}
	if now, err := os.ReadFile(file); err != nil {
		return "", err
	} else if !bytes.Equal(now, d.Before) {
		return "", errChanged
	}
	if err := j.note(note{Run: j.run(), Path: file, Before: sum(d.Before), After: sum(d.After)}); err != nil {
		return "", err
	}
	kept, _, err = safefile.Write(file, d.After, j.now)
	return kept, err
}

var errChanged = errors.New("it was changed since it was read")

// rewrite does the same for a large document.
func (j *Journal) rewrite(file string, d Document) (kept string, err error) {
	if err := j.note(note{Run: j.run(), Path: file, Before: d.sums[0].String(), After: d.sums[1].String()}); err != nil {
		return "", err
	}
	return safefile.Rewrite(file, d.sums[0], d.sums[1], j.now, func(to io.Writer, old io.Reader) error {
		before, after := sha256.New(), sha256.New()
		err := d.relink(io.MultiWriter(to, after), io.TeeReader(old, before))
		if err == nil && (safefile.Sum(before.Sum(nil)) != d.sums[0] || safefile.Sum(after.Sum(nil)) != d.sums[1]) {
			err = errChanged
		}
		return err
	})
}

// note appends a line, and waits until it is on the disk.
func (j *Journal) note(n note) error {
	line, err := json.Marshal(n)
	if err != nil {
		return err
	}
	f, err := os.OpenFile(j.file, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return fmt.Errorf("noting what is written: %w", err)
	}
	_, err = f.Write(append(line, '\n'))
	return errors.Join(err, f.Sync(), f.Close())
}

func sum(b []byte) string {
	s := sha256.Sum256(b)
	return hex.EncodeToString(s[:])
}

// Restored is a file that Undo looked at.
type Restored struct {
	Path    string
	Problem string // why it stays; empty: it is as it was
}

// ErrNothingWritten says that a journal notes no run that could be taken back.
var ErrNothingWritten = errors.New("no run has written anything that could be put back")

// Undo puts back what the last run that a journal notes has written, and wasn't taken back. Files that were changed
// since stay. Errors are ErrNothingWritten, or those of the journal's file.
func Undo(file string, now time.Time) ([]Restored, error) {
	open, err := openNotes(file)
	if err != nil {
		return nil, err
	}
	if len(open) == 0 {
		return nil, ErrNothingWritten
	}
	run := open[len(open)-1].Run
	var list []Restored
	whole := true
	for _, n := range slices.Backward(open) {
		if n.Run != run {
			continue
		}
		problem, changed := n.restore()
		if problem != "" || changed {
			list = append(list, Restored{n.Path, problem})
		}
		whole = whole && problem == ""
	}
	slices.Reverse(list)
	if whole {
		j := Journal{file, now}
		return list, j.note(note{Run: run, Undone: true})
	}
	return list, nil
}

// restore puts a file back; problem says why it stays, changed whether it was another.
func (n note) restore() (problem string, changed bool) {
	sum, err := safefile.SumOf(n.Path)
	switch have := sum.String(); {
	case err != nil:
		return reason(err), false
	case have == "":
		return "it isn't there any more", false
	case have == n.Before:
		return "", false // it was never written, or is put back already
	case have != n.After:
		return "it was changed since", false
	}
	copies, err := filepath.Glob(globbed(n.Path) + "." + n.Run[:min(len(n.Run), len(stampForm))] + "*.bak")
	if err != nil {
		return err.Error(), false
	}
	for _, kept := range copies {
		if old, err := safefile.SumOf(kept); err == nil && old.String() == n.Before {
			if err := os.Rename(kept, n.Path); err != nil {
				return reason(err), false
			}
			return "", true
		}
	}
	return "the copy of it isn't there any more", false
}

// globbed returns a pattern that only a name itself matches.
func globbed(name string) string {
	return strings.NewReplacer(`\`, `\\`, "*", `\*`, "?", `\?`, "[", `\[`).Replace(name)
}

// openNotes returns the notes of runs that weren't taken back; none where there is no journal.
func openNotes(file string) (open []note, err error) {
	notes, err := readNotes(file)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	for _, n := range notes {
		if !n.Undone {
			open = append(open, n)
			continue
		}
		open = slices.DeleteFunc(open, func(o note) bool { return o.Run == n.Run })
	}
	return open, err
}

func readNotes(file string) (notes []note, err error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 1<<20)
	for line := 1; lines.Scan(); line++ {
		var n note
		if err := json.Unmarshal(lines.Bytes(), &n); err != nil {
			return nil, fmt.Errorf("%s:%d: this can't be read as a line of the journal: %w", file, line, err)
		}
		notes = append(notes, n)
	}
	return notes, lines.Err()
}
