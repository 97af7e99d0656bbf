package relink_test

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/finding"
	"young-compass/internal/relink"
)

// document returns a document of n lines in which some change.
func document(n int, changes ...int) relink.Document {
	before, after := strings.Repeat("x\n", n), strings.Split(strings.Repeat("x\n", n), "\n")
	for _, i := range changes {
		after[i] = "xy"
	}
	return relink.Document{Path: "a", Before: []byte(before), After: []byte(strings.Join(after, "\n"))}
}

func TestHunks(t *testing.T) {
	for name, test := range map[string]struct {
		document relink.Document
		starts   []int // of the hunks
		lines    []int // in each
	}{
		"nothing":          {document(5), nil, nil},
		"the only line":    {document(1, 0), []int{1}, []int{2}},
		"in the middle":    {document(20, 10), []int{8}, []int{8}},
		"close together":   {document(20, 5, 11), []int{3}, []int{15}},
		"further apart":    {document(30, 5, 13), []int{3, 11}, []int{8, 8}},
		"at both its ends": {document(9, 0, 8), []int{1, 6}, []int{5, 5}},
	} {
		t.Run(name, func(t *testing.T) {
			hunks, ok := test.document.Hunks()
			assert.True(t, ok)
			var starts, lines []int
			for _, h := range hunks {
				starts, lines = append(starts, h.Start), append(lines, len(h.Lines))
			}
			assert.Equal(t, test.starts, starts)
			assert.Equal(t, test.lines, lines)
		})
	}
	d := relink.Document{Before: []byte("a\nb"), After: []byte("a\nb\nc")}
	_, ok := d.Hunks()
	assert.False(t, ok, "its lines change")
}

func TestSummary(t *testing.T) {
	d := document(3, 1)
	d.Links = []relink.Link{{From: "/a", To: "/b", Reason: relink.Redirected, Form: relink.HTML},
		{From: "/a", To: "/b", Reason: relink.Redirected, Form: relink.CSS},
		{From: "/c", To: "/d", Reason: relink.Spelled, Form: relink.HTML, Unknown: true},
		{From: "/e", To: "/e", Reason: relink.Gone, Form: relink.HTML, Line: 3, Column: 4}}
	d.More = map[relink.Sort]int{{Reason: relink.Redirected, Form: relink.HTML}: 5, {Reason: relink.Unknown, Form: relink.HTML}: 2}
	var s relink.Summary
	s.Add(&d)
	s.Add(&relink.Document{Path: "b", Problem: "it is locked"})
	assert.Equal(t, []int{2, 1, 8}, []int{s.Files, s.Changed, s.Links})
	assert.Equal(t, map[relink.Form]int{relink.HTML: 7, relink.CSS: 1}, s.Forms)
	assert.Equal(t, map[relink.Reason]int{relink.Redirected: 7, relink.Spelled: 1, relink.Gone: 1, relink.Unknown: 2}, s.Reasons)
	assert.Equal(t, []relink.Frequent{{From: "/a", To: "/b", Times: 2}}, s.MostFrequent(1))
	assert.Len(t, s.MostFrequent(10), 2)
	assert.Equal(t, map[string]int{"link-unknown": 1, "link-gone": 1, "file-left": 1}, finding.Count(d.Findings()))
	assert.Equal(t, finding.Place{File: "a", Line: 3, Column: 4}, d.Findings()[2].Where)
}

func TestDocumentsThatAreLeft(t *testing.T) {
	locked := relink.Document{Path: "b", Problem: "it is locked"}
	assert.Equal(t, finding.Error, locked.Findings()[0].Severity)
	assert.Equal(t, "this file is left alone: it is locked", locked.Findings()[0].What)
	assert.Equal(t, "this file is not written: the disk is full", locked.Unwritten(errors.New("the disk is full")).What)
}
