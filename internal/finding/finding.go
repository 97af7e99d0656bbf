// Package finding holds the one type in which every command says what it
// found: what is wrong, where, why it matters and what to do.
package finding

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// Severity says how bad a finding is.
type Severity string

// The severities, worst first.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
	Note    Severity = "note"
	never   Severity = "never"
)

// ParseSeverity reads the value of --fail-on. "never" is worse than any
// finding, so that none reaches it.
func ParseSeverity(s string) (Severity, error) {
	switch v := Severity(s); v {
	case Error, Warning, Note, never:
		return v, nil
	}
	return "", fmt.Errorf("%s is not a severity; say error, warning, note or never", address.Printable(s))
}

func (s Severity) rank() int {
	switch s {
	case never:
		return 4
	case Error:
		return 3
	case Warning:
		return 2
	}
	return 1
}

// AtLeast reports whether s is as bad as limit or worse.
func (s Severity) AtLeast(limit Severity) bool { return s.rank() >= limit.rank() }

// Place is where a finding is: a position in a file, an address, or both.
type Place struct {
	File   string `json:"file,omitempty"`
	Line   int    `json:"line,omitempty"`
	Column int    `json:"column,omitempty"`
	URL    string `json:"url,omitempty"`
}

// String returns "file:line:column", as far as known, or else the address.
func (p Place) String() string {
	if p.File == "" {
		return p.URL
	}
	s := p.File
	if p.Line > 0 {
		s += fmt.Sprintf(":%d", p.Line)
		if p.Column > 0 {
			s += fmt.Sprintf(":%d", p.Column)
		}
	}
	return s
}

// Finding is one thing that a person should know.
type Finding struct {
	Code     Code     `json:"code"`
	Severity Severity `json:"severity"`
	Where    Place    `json:"where"`
	Related  []Place  `json:"related,omitempty"`
	What     string   `json:"what"`
	Why      string   `json:"why,omitempty"`
	Advice   string   `json:"advice,omitempty"`
	Evidence []string `json:"evidence,omitempty"`
	Visits   int      `json:"visits,omitempty"` // requests by people that it concerns, where logs say
}

// String returns the finding in one line.
func (f Finding) String() string {
	s := fmt.Sprintf("%s: %s %s: %s", f.Where, f.Severity, f.Code, f.What)
	if f.Advice != "" {
		s += "; " + f.Advice
	}
	return address.Printable(s)
}

// Sort puts findings in their stable order: worst first, then most visited, then
// by place.
func Sort(list []Finding) {
	if !slices.IsSortedFunc(list, compare) { // long lists often are
		slices.SortStableFunc(list, compare)
	}
}

func compare(a, b Finding) int {
	if order := cmp.Or(cmp.Compare(b.Severity.rank(), a.Severity.rank()), cmp.Compare(b.Visits, a.Visits),
		strings.Compare(a.Where.File, b.Where.File), cmp.Compare(a.Where.Line, b.Where.Line)); order != 0 {
		return order
	}
	return cmp.Or(
		cmp.Compare(a.Where.Column, b.Where.Column),
		strings.Compare(a.Where.URL, b.Where.URL),
		cmp.Compare(a.Code, b.Code),
	)
}

// Worst reports whether any finding is at least as bad as limit.
func Worst(list []Finding, limit Severity) bool {
	return slices.ContainsFunc(list, func(f Finding) bool { return f.Severity.AtLeast(limit) })
}

// Count returns how often each code occurs.
func Count(list []Finding) map[string]int {
	counts := map[string]int{}
	for _, f := range list {
		counts[string(f.Code)]++
	}
	return counts
}

// Input is an error that makes a whole file unreadable as what it should be.
// It ends a command with exit status 2.
type Input struct{ Finding Finding }

// Error returns the finding in one line.
func (e *Input) Error() string { return e.Finding.String() }

// Unreadable returns an Input error.
func Unreadable(where Place, what, advice string) error {
	return &Input{Finding{Code: UnreadableFile, Severity: Error, Where: where, What: what, Advice: advice}}
}
