package probe

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/finding"
)

// The ways in which a finding changed since a baseline.
const (
	New    = "new"
	Worse  = "worse"
	Better = "better"
	Over   = "gone"
)

// Change is a finding that isn't as it was.
type Change struct {
	Change  string          `json:"change"`
	Finding finding.Finding `json:"finding"` // as it is, or, if it is gone, as it was
	Was     string          `json:"was,omitempty"`
}

// Baseline is what a probe found, to compare later ones with.
type Baseline struct {
	Kinds    []string          `json:"kinds"`
	Findings []finding.Finding `json:"findings"`
}

// Encode returns the baseline as it is kept: a line for each value, in a stable order, so that version control shows what
// changed.
func (b Baseline) Encode() ([]byte, error) {
	b.Findings = append([]finding.Finding{}, b.Findings...) // never null
	finding.Sort(b.Findings)
	data, err := json.MarshalIndent(b, "", "  ")
	return append(data, '\n'), err
}

// IsName reports whether a baseline can be kept under a name: as a file of that name, on any system.
func IsName(name string) bool {
	return len(name) <= maxName && name != "" && name[0] != '-' &&
		strings.Trim(name, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_") == ""
}

// maxName is how long the name of a baseline may be, in bytes.
const maxName = 100

// DecodeBaseline reads what Encode wrote.
func DecodeBaseline(data []byte) (b Baseline, err error) {
	if err := json.Unmarshal(data, &b); err != nil {
		return b, fmt.Errorf("reading a baseline: %w", err)
	}
	return b, nil
}

// Compare returns what changed. Findings are the same when they have the same
// code and place.
func (b Baseline) Compare(now []finding.Finding) []Change {
	key := func(f finding.Finding) string { return string(f.Code) + " " + f.Where.File + " " + f.Where.URL }
	was := map[string][]finding.Finding{}
	for _, f := range b.Findings {
		was[key(f)] = append(was[key(f)], f)
	}
	var changes []Change
	for _, f := range now {
		before := was[key(f)]
		if len(before) == 0 {
			changes = append(changes, Change{New, f, ""})
			continue
		}
		old := before[0]
		was[key(f)] = before[1:]
		switch {
		case old.Severity == f.Severity:
		case f.Severity.AtLeast(old.Severity):
			changes = append(changes, Change{Worse, f, string(old.Severity)})
		default:
			changes = append(changes, Change{Better, f, string(old.Severity)})
		}
	}
	for _, list := range was {
		for _, f := range list {
			changes = append(changes, Change{Over, f, string(f.Severity)})
		}
	}
	order := []string{New, Worse, Better, Over}
	slices.SortStableFunc(changes, func(x, y Change) int {
		return cmp.Or(slices.Index(order, x.Change)-slices.Index(order, y.Change),
			cmp.Compare(key(x.Finding), key(y.Finding)))
	})
	return changes
}
