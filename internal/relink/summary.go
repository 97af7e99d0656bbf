package relink

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// Summary counts what becomes of the links of documents.
type Summary struct {
	Files   int
	Changed int // of them, those in which links change
	Links   int // that change
	Forms   map[Form]int
	Reasons map[Reason]int

	swaps map[swap]int
}

// swap is an address and the one that takes its place.
type swap struct{ from, to string }

// Frequent is a change with how often it is made.
type Frequent struct {
	From  string `json:"from"`
	To    string `json:"to"`
	Times int    `json:"times"`
}

// Add counts a document.
func (s *Summary) Add(d *Document) {
	if s.Forms == nil {
		s.Forms, s.Reasons, s.swaps = map[Form]int{}, map[Reason]int{}, map[swap]int{}
	}
	s.Files++
	if d.Changed() {
		s.Changed++
	}
	for _, link := range d.Links {
		s.count(Sort{link.Reason, link.Form}, 1)
		if link.Reason.Changes() {
			s.swaps[swap{link.From, link.To}]++
		}
	}
	for sort, n := range d.More {
		s.count(sort, n)
	}
}

func (s *Summary) count(sort Sort, n int) {
	s.Reasons[sort.Reason] += n
	if sort.Reason.Changes() {
		s.Forms[sort.Form] += n
		s.Links += n
	}
}

// MostFrequent returns the n changes that are made most often.
func (s *Summary) MostFrequent(n int) []Frequent {
	swaps := slices.SortedFunc(maps.Keys(s.swaps), func(a, b swap) int {
		return cmp.Or(s.swaps[b]-s.swaps[a], strings.Compare(a.from, b.from), strings.Compare(a.to, b.to))
	})
	list := []Frequent{}
	for _, w := range swaps[:min(n, len(swaps))] {
		list = append(list, Frequent{w.from, w.to, s.swaps[w]})
	}
	return list
}

// Findings says what a person should know of a document: which of its links stay, and why it was left alone.
func (d *Document) Findings() (found []finding.Finding) {
	switch untold := d.untold(); {
	case d.Problem == symbolic:
		return []finding.Finding{d.left(finding.Note, "left alone: "+d.Problem)}
	case d.Problem != "":
		return []finding.Finding{d.left(finding.Error, "left alone: "+d.Problem)}
	case untold > 0:
		found = append(found, d.left(finding.Note, fmt.Sprintf("told of in part: %d more links are counted only", untold)))
	}
	for i := range d.Links {
		if f, ok := d.Links[i].finding(d.Row); ok {
			f.Where = finding.Place{File: d.Path, Line: d.Links[i].Line, Column: d.Links[i].Column, URL: d.Links[i].Address}
			found = append(found, f)
		}
	}
	return found
}

// Unwritten is the finding for a document that couldn't be written.
func (d *Document) Unwritten(why error) finding.Finding {
	return d.left(finding.Error, "not written: "+why.Error())
}

func (d *Document) untold() (n int) {
	for _, more := range d.More {
		n += more
	}
	return n
}

func (d *Document) left(severity finding.Severity, what string) finding.Finding {
	code, subject := finding.FileLeft, "this file"
	if d.Row {
		code, subject = finding.RowLeft, "this row"
	}
	return finding.Finding{Code: code, Severity: severity, Where: finding.Place{File: d.Path},
		What: subject + " is " + what, Advice: "see to it, and run relink again"}
}

// finding says what is to be said of a link, in a file or a row; false where it just changes.
func (k *Link) finding(row bool) (finding.Finding, bool) {
	told := func(code finding.Code, severity finding.Severity, what, advice string) (finding.Finding, bool) {
		return finding.Finding{Code: code, Severity: severity, What: what, Advice: advice}, true
	}
	shown := address.Printable(k.From)
	switch k.Reason {
	case Temporary:
		return told(finding.LinkTemporary, finding.Note, shown+" is redirected for now, and stays", "")
	case Gone:
		return told(finding.LinkGone, finding.Warning, shown+" leads to what is gone for good",
			"take the link out, or lead it elsewhere")
	case Unplaced:
		advice := "say where with --base URL"
		if row {
			advice = "name the column that has the address of a row's page with --address COLUMN"
		}
		return told(finding.LinkUnplaced, finding.Note, shown+" is relative, and nothing says where it stands", advice)
	case Broken:
		return told(finding.BrokenValue, finding.Warning, "a serialised value here isn't as PHP writes it, and stays",
			"mend its lengths")
	case Endless:
		return told(finding.LinkUnknown, finding.Warning, shown+" leads round in a circle", "mend the plan")
	case TooLong:
		return told(finding.FileLeft, finding.Warning, fmt.Sprintf("a text here has more than %d MiB, and stays",
			MaxFile>>20), "")
	case Unwritable:
		return told(finding.FileLeft, finding.Warning, "the new address of "+shown+" can't be written here", "")
	}
	if k.Unknown || k.Reason == Unknown {
		return told(finding.LinkUnknown, finding.Note, shown+" leads to no page", "lead it to the page that took its place")
	}
	return finding.Finding{}, false
}
