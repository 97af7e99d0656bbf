package pair

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/finding"
	"young-compass/internal/table"
)

// Proposal is a line of the list that pairing makes: a redirect, how sure it is, why,
// and who decided.
type Proposal struct {
	From       string  `json:"from"`
	To         string  `json:"to,omitempty"`
	Status     int     `json:"status"`
	Confidence float64 `json:"confidence"`
	Reason     string  `json:"reason"`
	Decided    bool    `json:"decided"`         // by a person
	Title      string  `json:"title,omitempty"` // of the old page
	Visits     int     `json:"visits,omitempty"`
}

// Open reports whether it says neither a page nor that the old one is gone: both are likelier wrong than right.
func (p *Proposal) Open() bool { return p.Status == 410 && p.Confidence < even && !p.Decided }

// Proposals returns the list, in the order of the old pages.
func Proposals(before, after []Page, matches []Match, decided map[int]Decision) []Proposal {
	rows := make([]Proposal, len(matches))
	for i := range matches {
		m := &matches[i]
		old := &before[m.Old]
		row := Proposal{From: old.Written, Status: 410, Confidence: m.Gone, Title: old.Title, Visits: old.Visits,
			Reason: m.why(after)}
		best := m.Best()
		if d, ok := decided[i]; ok {
			row.Decided, best = true, nil
			row.Reason, row.Confidence = "decided", 1
			if !d.Gone {
				row.Status, row.To = 301, after[d.New].Name()
			}
		}
		if best != nil {
			row.Status, row.To, row.Confidence, row.Reason = 301, after[best.New].Name(), best.Confidence,
				strings.Join(best.Reasons, "; ")
		}
		rows[i] = row
	}
	return rows
}

// why says why no new page is proposed.
func (m *Match) why(after []Page) string {
	list := slices.Clone(m.GoneWhy)
	named := func(k int) string { return after[m.Candidates[k].New].Name() }
	switch {
	case len(m.Candidates) == 0 && m.Gone < even: // very many look the same
	case len(m.Candidates) == 0:
		list = append(list, "nothing like it was found")
	case len(m.Candidates) > 1 && m.Candidates[0].Confidence+m.Candidates[1].Confidence > even:
		list = append(list, fmt.Sprintf("look at it: it may be %s (%.2f) or %s (%.2f)", named(0), m.Candidates[0].Confidence,
			named(1), m.Candidates[1].Confidence))
	default:
		list = append(list, fmt.Sprintf("closest is %s (%.2f): %s", named(0), m.Candidates[0].Confidence,
			strings.Join(m.Candidates[0].Reasons, "; ")))
	}
	return strings.Join(list, "; ")
}

// Name returns how a redirect names the page: by key and language in a project,
// else by its address.
func (p *Page) Name() string {
	if p.Ref.Key != "" {
		return p.Ref.String()
	}
	return p.Written
}

// Encode writes the list as a table: a list of redirects with three more columns.
func Encode(rows []Proposal) []byte {
	return table.EncodeRecords([]string{"from", "to", "status", "confidence", "reason", "decided"},
		func(yield func([]string) bool) {
			for _, r := range rows {
				decided := ""
				if r.Decided {
					decided = "yes"
				}
				if !yield([]string{r.From, r.To, strconv.Itoa(r.Status), strconv.FormatFloat(r.Confidence, 'f', 3, 64),
					r.Reason, decided}) {
					return
				}
			}
		})
}

// ReadDecided returns what a list written before says was decided, for pages
// that are still there.
func ReadDecided(file string, r io.Reader, before, after []Page) (map[int]Decision, error) {
	sheet, _, err := table.Read(file, r, "from", "to", "status", "decided")
	if err != nil {
		return nil, err
	}
	old, new := map[string]int{}, map[string]int{}
	for i := range before {
		old[before[i].Written] = i
	}
	for i := range after {
		new[after[i].Name()] = i
	}
	decided := map[int]Decision{}
	for _, row := range sheet.Rows {
		i, there := old[row.Get("from")]
		if row.Get("decided") == "" || !there {
			continue
		}
		if row.Get("status") == "410" && row.Get("to") == "" {
			decided[i] = Decision{Gone: true}
			continue
		}
		j, there := new[row.Get("to")]
		if !there {
			return nil, finding.Unreadable(finding.Place{File: file, Line: row.Line},
				fmt.Sprintf("%q is none of the new pages", row.Get("to")),
				"clear the column decided in this row to have it paired anew")
		}
		decided[i] = Decision{New: j}
	}
	return decided, nil
}
