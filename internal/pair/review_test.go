package pair

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// review is one of three old pages, two of them doubtful.
func review(t *testing.T, decided map[int]Decision) *Review {
	before := []Page{pageAt(t, "en", "Fares", "/fares.htm"), pageAt(t, "en", "Harbour walk", "/walk.htm"),
		pageAt(t, "en", "Regatta", "/regatta.htm")}
	after := []Page{pageAt(t, "en", "Fares", "/fares"), pageAt(t, "en", "Walk", "/guides/walk"),
		pageAt(t, "en", "Harbour museum", "/guides/museum")}
	for i := range before {
		before[i].Written, after[i].Written = before[i].Address.Path, after[i].Address.Path
	}
	matches := []Match{
		{Old: 0, Candidates: []Candidate{{New: 0, Confidence: 0.99, Reasons: []string{"same title"}}}, Gone: 0.01},
		{Old: 1, Candidates: []Candidate{{New: 1, Confidence: 0.6, Reasons: []string{"title 50 % alike"}},
			{New: 2, Confidence: 0.3}}, Gone: 0.1},
		{Old: 2, Candidates: []Candidate{{New: 2, Confidence: 0.4}}, Gone: 0.5},
	}
	return NewReview(before, after, matches, 0.9, decided)
}

func TestReview(t *testing.T) {
	r := review(t, map[int]Decision{})
	assert.Equal(t, []int{2, 1}, r.Doubtful, "the most doubtful first")
	assert.Equal(t, 2, r.Left())
	assert.False(t, r.Undo())
	r.Decide(Decision{New: 2})
	assert.Equal(t, 1, r.Match().Old)
	r.Decide(Decision{Gone: true})
	assert.Zero(t, r.Left())
	assert.True(t, r.Undo())
	assert.Equal(t, 1, r.Match().Old)
	assert.NotContains(t, r.Decided, 1)
	r.Move(-1)
	r.Decide(Decision{Gone: true})
	assert.True(t, r.Undo(), "back to what was decided before")
	assert.Equal(t, Decision{New: 2}, r.Decided[2])
	r.Move(3)
	assert.Equal(t, 1, r.At)
	assert.Equal(t, []int{2}, r.Search("MUSEUM harb", 5))
	assert.Equal(t, []int{1}, r.Search("guides", 1))
	assert.Empty(t, r.Search(" ", 5))
}

// What was decided is in the list, and read back from it.
func TestDecisionsComeBack(t *testing.T) {
	r := review(t, map[int]Decision{})
	r.Decide(Decision{New: 1})
	text := string(Encode(Proposals(r.Before, r.After, r.Matches, r.Decided)))
	assert.Equal(t, `from,to,status,confidence,reason,decided
/fares.htm,/fares,301,0.990,same title,
/walk.htm,/guides/walk,301,0.600,title 50 % alike,
/regatta.htm,/guides/walk,301,1.000,decided,yes
`, text)
	decided, err := ReadDecided("pairs.csv", strings.NewReader(text), r.Before, r.After)
	require.NoError(t, err)
	assert.Equal(t, r.Decided, decided)
	again := review(t, decided)
	assert.Equal(t, 1, again.Match().Old, "goes on with the first that isn't decided")
	assert.Equal(t, 1, again.Left())
	r.Decide(Decision{Gone: true})
	decided, err = ReadDecided("pairs.csv",
		strings.NewReader(string(Encode(Proposals(r.Before, r.After, r.Matches, r.Decided)))), r.Before, r.After)
	require.NoError(t, err)
	assert.Equal(t, r.Decided, decided)
	_, err = ReadDecided("pairs.csv", strings.NewReader(strings.ReplaceAll(text, "/regatta.htm,/guides/walk",
		"/regatta.htm,/elsewhere")), r.Before, r.After)
	assert.ErrorContains(t, err, "pairs.csv:4")
	_, err = ReadDecided("pairs.csv", strings.NewReader("from,to\n"), r.Before, r.After)
	assert.Error(t, err)
}
