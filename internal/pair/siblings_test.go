package pair

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// titledPages makes pages of titles, each at an address that says nothing.
func titledPages(t *testing.T, path string, list ...string) (pages []Page) {
	t.Helper()
	for i, title := range list {
		pages = append(pages, pageAt(t, "", title, fmt.Sprintf("/%s?n=%d", path, 100+i)))
	}
	return pages
}

func TestWordsInOnePlaceTellApart(t *testing.T) {
	before := titledPages(t, "old", "Fares to Kvitsund", "Fares to Kvitsund", "Fares to Nordvoe", "Fares to Grimsay",
		"Seabirds", "Seabirds of Aamoy", "Harbour walk", "One two three four five six seven eight", "Regatta")
	after := titledPages(t, "new", "Fares to Hildafjord", "Seals", "Seabirds of Skerry", "Harbour tour", "Harbor walk",
		"One two three four five six seven nine", "One two three four five six seven eight nine", "Regatta in spring")
	s := newSides(before, after)
	for _, c := range []struct {
		old, new string
		want     float64
	}{
		{"Fares to Nordvoe", "Fares to Hildafjord", 0.4}, // two others beside it
		{"Fares to Kvitsund", "Fares to Hildafjord", 0.4},
		{"Harbour walk", "Harbour tour", 0},
		{"Harbour walk", "Harbor walk", 0}, // is the same, misspelt
		{"Seabirds", "Seals", 0},           // share nothing
		{"Seabirds", "Seabirds of Skerry", 0},
		{"Regatta", "Regatta in spring", 0},
		{"Regatta", "Regatta", 0},
		{"One two three four five six seven eight", "One two three four five six seven nine", 0},
		{"One two three four five six seven eight", "One two three four five six seven eight nine", 0}, // too long
	} {
		names := func(list []Page, taken []parts, title string) bag {
			for i := range list {
				if list[i].Title == title {
					return taken[i].names()
				}
			}
			return s.old[len(s.old)-1].names()
		}
		got := s.siblings(names(before, s.old, c.old), names(after, s.new, c.new))
		assert.InDelta(t, c.want, got, 1e-9, "%s, %s", c.old, c.new)
	}
}

// A rest of a name that is no name itself, and names of one word, or none, are no family.
func TestFindSlots(t *testing.T) {
	assert.Empty(t, findSlots())
	assert.Empty(t, findSlots(nil, []parts{{}, {title: bag{1}}, {title: bag{2}}, {title: bag{3, 4}}, {title: bag{5, 6}}}))
	long := make(bag, longestName+1)
	for n := range long {
		long[n] = int32(n)
	}
	assert.Empty(t, findSlots([]parts{{title: long}, {title: long[:longestName]}}))
	assert.Equal(t, slots{sum(bag{0, 1, 2, 3, 4, 5, 6}): 2}, findSlots([]parts{{title: long[:8]}, {title: long[:7]}}))
	assert.Equal(t, slots{sum(bag{7}): 3}, findSlots([]parts{{title: bag{7, 9}}}, []parts{{slug: bag{7}}, {slug: bag{2, 7}},
		{slug: bag{7, 8}}, {slug: bag{2, 7}}}))
}

func TestDiffer(t *testing.T) {
	for _, c := range []struct {
		a, b bag
		x, y int32
		both int
		ok   bool
	}{
		{nil, nil, nothing, nothing, 0, true},
		{bag{1}, nil, 1, nothing, 0, true},
		{nil, bag{1}, nothing, 1, 0, true},
		{bag{1, 2}, bag{1, 3}, 2, 3, 1, true},
		{bag{2, 3}, bag{1, 3}, 2, 1, 1, true},
		{bag{1, 2, 3}, bag{1, 3}, 2, nothing, 2, true},
		{bag{1, 2}, bag{1, 2}, nothing, nothing, 2, true},
	} {
		x, y, both, ok := differ(c.a, c.b)
		assert.Equal(t, []any{c.x, c.y, c.both, c.ok}, []any{x, y, both, ok}, "%v %v", c.a, c.b)
	}
	for _, c := range [][2]bag{{{1, 2}, nil}, {nil, {1, 2}}, {{1, 2, 3}, {3}}, {{3}, {1, 2, 3}}} {
		_, _, _, ok := differ(c[0], c[1])
		assert.False(t, ok, "%v", c)
	}
}

// Of pages of one name in several languages, where the new site has fewer and doesn't tell theirs, each may be the one.
func TestFewerLanguages(t *testing.T) {
	var before, after []Page
	places := strings.Fields("kvitsund nordvoe grimsay hildafjord storskjar aamoy osterholm skerry")
	for i, place := range places {
		for _, code := range []string{"en", "de", "fr"} {
			before = append(before, pageAt(t, "", "", "/"+code+"/"+place+"-harbour.html"))
		}
		after = append(after, pageAt(t, "", "", "/ports/"+place+"-harbour"))
		require.Equal(t, i+1, len(after))
	}
	for i, m := range Pair(before, after, nil) {
		if len(m.Candidates) > 0 {
			assert.Less(t, m.Candidates[0].Confidence, 0.7, before[i].Written)
		}
	}
	one := Pair(before[:1], after[:1], nil)
	require.NotEmpty(t, one[0].Candidates)
}

// Pages without titles don't count for how seldom those with titles are called otherwise.
func TestNamesStayApart(t *testing.T) {
	named, other := scored{confidence: 1}, scored{confidence: 1}
	named.evidence[titled], named.evidence[titleEqual] = 1, 1
	var d drift
	for range 1000 {
		d.add([]scored{named})
	}
	before := d.seldom(1)
	for range 1000 {
		d.add([]scored{other})
	}
	assert.InDelta(t, before, d.seldom(1), 1e-9)
	assert.Less(t, d.seldom(0), 0.2)
	assert.Greater(t, before, 0.9)
}
