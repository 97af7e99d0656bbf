package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/probe"
	"young-compass/internal/project"
	"young-compass/internal/safefile"
	"young-compass/internal/store"
)

// maxBaseline bounds what is read of a baseline, in bytes.
const maxBaseline = 256 << 20

// baselineFile returns where a baseline of that name is kept.
func (p *probing) baselineFile(name string) string {
	return p.in(filepath.Join(project.BaselinesFolder, name+".json"))
}

// keep keeps what was found under a name, for later runs to be compared with.
func (p *probing) keep(found []finding.Finding) error {
	content, err := probe.Baseline{Kinds: p.kinds, Findings: found}.Encode()
	if err != nil {
		return unfinished{err}
	}
	var visible bytes.Buffer
	if _, err := (&visibleJSON{w: &visible}).Write(content); err != nil {
		return unfinished{err}
	}
	return p.writeAll(safefile.File{Path: p.baselineFile(p.save), Data: visible.Bytes(), NoCopy: true})
}

// baseline returns what was kept under a name: in a file, or, by versions before, among the answers.
func (p *probing) baseline(db *store.Store) (b probe.Baseline, err error) {
	var content []byte
	if probe.IsName(p.against) {
		if content, err = safefile.Read(p.baselineFile(p.against), maxBaseline); err != nil {
			return b, unfinished{err}
		}
	}
	if content == nil {
		var ok bool
		if content, _, ok, err = db.Saved(p.against); err != nil {
			return b, unfinished{err}
		}
		if !ok || probe.IsProof(p.against) {
			return b, p.noBaseline(db)
		}
	}
	if b, err = probe.DecodeBaseline(content); err != nil {
		return b, finding.Unreadable(finding.Place{File: p.baselineFile(p.against)}, err.Error(),
			"take the file back from version control, or keep a new one with --save")
	}
	return b, nil
}

// noBaseline is the error for a name under which nothing is kept.
func (p *probing) noBaseline(db *store.Store) error {
	names, err := db.Names()
	if err != nil {
		return unfinished{err}
	}
	names = slices.DeleteFunc(names, probe.IsProof)
	entries, err := os.ReadDir(p.in(project.BaselinesFolder))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return unfinished{err}
	}
	for _, e := range entries {
		if name, ok := strings.CutSuffix(e.Name(), ".json"); ok && probe.IsName(name) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	if names = slices.Compact(names); len(names) == 0 {
		names = []string{"nothing"}
	}
	return fmt.Errorf("--against: nothing is kept as %s; there is: %s", address.Printable(p.against),
		address.Printable(strings.Join(names, ", ")))
}

// changes makes the report tell of nothing but what changed.
func (r *report) changes(changes []probe.Change) {
	r.items, r.name, r.more = changes, "changes", nil
	r.findings, r.columns, r.rows = nil, []string{"change", "severity", "code", "where"}, nil
	r.counts, r.text = nil, nil
	for _, kind := range []string{probe.New, probe.Worse, probe.Better, probe.Over} {
		n := 0
		for _, c := range changes {
			if c.Change != kind {
				continue
			}
			n++
			r.rows = append(r.rows, []string{kind, string(c.Finding.Severity), string(c.Finding.Code),
				c.Finding.Where.String()})
			if kind == probe.New || kind == probe.Worse {
				r.findings = append(r.findings, c.Finding)
			}
		}
		r.counts = append(r.counts, count{kind, kind, n})
	}
}
