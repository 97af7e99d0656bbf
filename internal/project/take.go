package project

import (
	"bytes"
	"hash/maphash"
	"slices"

	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/redirect"
)

// Taken is a project's map after redirects were taken in.
type Taken struct {
	List     *redirect.List // flat, sorted
	Data     []byte         // the list as redirects.csv
	Added    int
	Replaced int
	Known    int // rows that say what one before says
	Changed  int // lines of redirects.csv that weren't there before
}

// Take puts redirects into a plan's map, and keeps it flat and sorted. Where a row contradicts one that is there,
// choose decides. Findings say why nothing can be taken in; no answer of the plan changes but those for the sources of
// the rows, and for what leads there.
func Take(p *plan.Plan, more *redirect.List, choose redirect.Choose) (Taken, []finding.Finding, error) {
	if found := redirect.Refused(redirect.Check(more, p.With(more).World())); len(found) > 0 {
		return Taken{}, found, nil
	}
	more = redirect.Straighten(more, p.Redirects.Len(), p.With(redirect.Together(p.Redirects, more)).World())
	merged, found, err := redirect.Merge(p.Redirects, more, p.World(), choose)
	if err != nil || len(found) > 0 {
		return Taken{}, found, err
	}
	flat, found := redirect.Flatten(merged.List, p.With(merged.List).World(), redirect.Exact)
	if flat == nil {
		return Taken{}, found, nil
	}
	taken := Taken{List: flat.Sorted(), Added: merged.Added, Replaced: merged.Replaced, Known: merged.Known}
	taken.Data = taken.List.Encode()
	taken.Changed = newLines(p.Redirects, taken.Data)
	return taken, nil, nil
}

// newLines counts the lines of a text that a list, as it is written, doesn't have, but for the heading. A line is the
// same with more columns that are empty. It knows lines by their hashes.
func newLines(before *redirect.List, after []byte) int {
	have := lineHashes{seed: maphash.MakeSeed(), hashes: make([]uint64, 0, before.Len()+1)}
	_ = before.Write(&have) // which doesn't fail
	slices.Sort(have.hashes)
	n := 0
	_, rows, _ := bytes.Cut(after, []byte("\n"))
	for line := range bytes.Lines(rows) {
		if _, ok := slices.BinarySearch(have.hashes, have.hash(line)); !ok {
			n++
		}
	}
	return n
}

// lineHashes are of the lines that were written to it.
type lineHashes struct {
	seed   maphash.Seed
	hashes []uint64
	rest   []byte // of a line that isn't whole yet
}

func (s *lineHashes) hash(line []byte) uint64 {
	return maphash.Bytes(s.seed, bytes.TrimRight(line, ",\r\n"))
}

// Write notes lines.
func (s *lineHashes) Write(text []byte) (int, error) {
	for line := range bytes.Lines(text) {
		if s.rest = append(s.rest, line...); line[len(line)-1] == '\n' {
			s.hashes = append(s.hashes, s.hash(s.rest))
			s.rest = s.rest[:0]
		}
	}
	return len(text), nil
}
