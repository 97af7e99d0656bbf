package step

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
	"unicode"

	"young-compass/internal/finding"
	"young-compass/internal/spelling"
	"young-compass/internal/table"
)

// File is where a project keeps what is told of steps.
const File = "steps.csv"

func columns() []string { return []string{"step", "on", "mark", "note"} }

// ReadTold reads steps.csv: a step that is taken outside, the day on which it was, and perhaps a mark and a note. Rows that
// can't be read become findings.
//
//	step,on,mark,note
//	registration,2026-11-20,/proof-4711.html,both services
func ReadTold(file string, r io.Reader) (map[string]Told, []finding.Finding, error) {
	sheet, found, err := table.Read(file, r, "step", "on")
	if err != nil {
		return nil, nil, err
	}
	told := map[string]Told{}
	for _, row := range sheet.Rows {
		t, err := NewTold(row.Get("step"), row.Get("on"), row.Get("mark"), row.Get("note"))
		if err != nil {
			found = append(found, table.BadRow(file, row.Line, err.Error(), "mend the row, or delete it"))
			continue
		}
		t.Line = row.Line
		told[t.Step] = t
	}
	return told, found, nil
}

// NewTold returns what is told of a step. Errors say what can't be told.
func NewTold(id, on, mark, note string) (Told, error) {
	all := catalogue()
	i := slices.IndexFunc(all, func(s Step) bool { return s.ID == id })
	switch {
	case i < 0:
		return Told{}, fmt.Errorf("%q is no step; %s", id, spelling.Choices(id, Outside()))
	case !all[i].Outside:
		return Told{}, fmt.Errorf("the step %s is proven, not told: %s", id, all[i].What)
	}
	when, err := time.Parse(time.DateOnly, on)
	if err != nil {
		return Told{}, fmt.Errorf("%q is not a date; write it as 2026-11-23", on)
	}
	if mark != "" && (!strings.HasPrefix(mark, "/") || strings.ContainsAny(mark, "?#") || !table.Plain(mark) ||
		strings.ContainsFunc(mark, unicode.IsSpace)) {
		return Told{}, fmt.Errorf("%q is no path of a mark; write one such as /proof-4711.html", mark)
	}
	return Told{Step: id, On: when, Mark: mark, Note: note}, nil
}

// EncodeTold writes steps.csv, in the order of the steps' names.
func EncodeTold(told map[string]Told) []byte {
	var rows [][]string
	for _, t := range told {
		rows = append(rows, []string{t.Step, t.On.Format(time.DateOnly), t.Mark, t.Note})
	}
	slices.SortFunc(rows, slices.Compare)
	return table.EncodeRecords(columns(), slices.Values(rows))
}

// Outside returns the names of the steps that are taken outside.
func Outside() (ids []string) {
	for _, s := range catalogue() {
		if s.Outside {
			ids = append(ids, s.ID)
		}
	}
	return ids
}
