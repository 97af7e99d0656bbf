// Package report works out what the owner of a site should know of a plan and of what was observed, and writes it as
// one page that needs nothing else. What is said is worked out in Make; how it looks is in page.html and page.css.
package report

import (
	"fmt"
	"slices"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/figure"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/probe"
	"young-compass/internal/step"
)

// Input is what a report is made from.
type Input struct {
	Title    string // empty: the site's origin
	Evidence *step.Evidence
	Stopped  int    // addresses that a run asked for which was broken off; 0: none was
	Each     func() // called for each section that is worked out; nil: nobody wants to know
}

// Report is what an owner should know.
type Report struct {
	Title    string
	Origin   string
	Made     time.Time
	Answers  []Answer
	Next     []Todo
	Sections []*Section
}

// Verdict is how good an answer is.
type Verdict string

// The verdicts.
const (
	Yes     Verdict = "yes"
	Partly  Verdict = "not yet"
	No      Verdict = "no"
	Unknown Verdict = "not known"
)

// Answer is one of the questions that an owner asks first.
type Answer struct {
	Question string
	Verdict  Verdict
	Figure   string // what stands out: "97.3 %"
	Text     string
	Seen     string // what the live site showed of it; empty: it wasn't asked
}

// Todo is one of the things to do next.
type Todo struct {
	What, Why, Do string
	Code          finding.Code // empty: it is no finding
	Severity      finding.Severity
}

// Section is a part of the report. One that has nothing to show says which command fills it.
type Section struct {
	ID, Title string
	Lead      string          // in a sentence or two
	Notes     []string        // how far to trust it: when it was asked, of which plan
	Missing   string          // the command that fills it; empty: it is filled
	Picture   *figure.Figure  // that the page shows
	Figures   []figure.Figure // of what its tables show, for files
	Trees     []Tree
	Tables    []Table
	Groups    []Group // of findings
}

// Table is a table of a section.
type Table struct {
	ID, Caption string
	Columns     []Column
	Rows        [][]Cell
	More        int    // rows that are left out
	File        string // that has them all; empty: there is none
	all         [][]string
}

// Column is a column of a table.
type Column struct {
	Name   string
	Number bool
}

// Cell is a cell of a table.
type Cell struct {
	Text  string
	Share float64 // of a bar that is filled, from 0 to 1
	Of    float64 // how long the bar is, from 0 to 1; 0: there is none
	State Verdict // how good it is; empty: that isn't said
}

// Tree is a side of the site's tree of addresses.
type Tree struct {
	Title string
	Lines []Line
}

// Line is a line of a tree: a path segment, and the pages at it and below.
type Line struct {
	Depth   int
	Segment string
	Pages   int
	Share   float64 // of all pages
	Moved   int     // of the pages: that had another address before
	Rest    bool    // what isn't shown one by one
}

// Group is findings of one cause, as they are shown.
type Group struct {
	finding.Group
	Places []Place
	More   int // places that are left out
	File   string
}

// Place is one finding of a group.
type Place struct {
	Where, What, Advice string
	Evidence            []string
	Visits              int
}

// IDs returns the names of all sections, in their order.
func IDs() []string {
	return []string{"tree", "readability", "redirects", "coverage", "canonicals", "languages", "parameters", "hosts", "https",
		"index", "steps", "findings"}
}

// Make works out a report. only names the sections that are wanted; empty: all.
func Make(in Input, only []string) (*Report, error) {
	e := in.Evidence
	r := &Report{Title: in.Title, Origin: e.Plan.Site.Origin.Base(), Made: e.Now}
	if r.Title == "" {
		r.Title = r.Origin
	}
	r.Title = shown(r.Title)
	found := slices.Clone(e.Judged)
	for _, kind := range probe.Kinds() {
		if p, ok := e.Proofs[kind]; ok && p.Origin == e.Plan.Site.Origin.String() {
			found = append(found, p.Findings...)
		}
	}
	judge.Weigh(e.Plan, e.Visits, found)
	groups := finding.Groups(found)
	ways := waysOf(e.Plan, e.Visits)
	r.Answers = []Answer{oldAddresses(e, ways), duplicates(e, ways), visitsSafe(e)}
	next, err := todo(e, groups)
	if err != nil {
		return nil, err
	}
	r.Next = next
	moved := movesOf(e)
	sections := map[string]func() (*Section, error){
		"tree":        func() (*Section, error) { return trees(moved), nil },
		"readability": func() (*Section, error) { return readability(e, moved), nil },
		"redirects":   func() (*Section, error) { return redirects(e, ways), nil },
		"coverage":    func() (*Section, error) { return coverageOf(e), nil },
		"canonicals":  func() (*Section, error) { return probed(in, probe.Canonicals), nil },
		"languages":   func() (*Section, error) { return languages(in), nil },
		"parameters":  func() (*Section, error) { return probed(in, probe.Parameters), nil },
		"hosts":       func() (*Section, error) { return probed(in, probe.Hosts), nil },
		"https":       func() (*Section, error) { return probed(in, probe.Secure), nil },
		"index":       func() (*Section, error) { return probed(in, probe.Index), nil },
		"steps":       func() (*Section, error) { return steps(e) },
		"findings":    func() (*Section, error) { return findings(e, groups), nil },
	}
	for _, id := range IDs() {
		if len(only) > 0 && !slices.Contains(only, id) {
			continue
		}
		s, err := sections[id]()
		if err != nil {
			return nil, fmt.Errorf("section %s: %w", id, err)
		}
		s.ID = id
		for i := range s.Tables {
			s.Tables[i].ID = id
			if i > 0 {
				s.Tables[i].ID = fmt.Sprintf("%s-%d", id, i+1)
			}
		}
		r.Sections = append(r.Sections, s)
		if in.Each != nil {
			in.Each()
		}
	}
	return r, nil
}

// mostShown is how long a text is at most that a cell shows.
const mostShown = 240

// shown returns a text of a site as a page may show it: without what nobody sees or what turns lines round, and not
// longer than anybody reads.
func shown(s string) string { return figure.Short(address.Printable(s), mostShown) }

// plural writes a number and what it counts.
func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
