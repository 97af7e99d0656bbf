package finding

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The costliest cause stands first; what all of a group say is said once.
func TestGroups(t *testing.T) {
	list := []Finding{
		{Code: Redundant, Severity: Note, Visits: 900},
		{Code: Chain, Severity: Error, Where: Place{File: "r.csv", Line: 9}, Visits: 3, Why: "slow", Advice: "a"},
		{Code: Chain, Severity: Error, Where: Place{File: "r.csv", Line: 2}, Visits: 4, Why: "slow", Advice: "b"},
		{Code: Chain, Severity: Error, Where: Place{File: "r.csv", Line: 2, Column: 7}, Visits: 4, Why: "slow", Advice: "b"},
		{Code: Loop, Severity: Error, Where: Place{File: "r.csv", Line: 1}, Advice: "same"},
		{Code: Loop, Severity: Error, Where: Place{File: "r.csv", Line: 5}, Advice: "same"},
		{Code: Self, Severity: Error},
		{Code: Chain, Severity: Warning},
	}
	var got []string
	for _, g := range Groups(list) {
		got = append(got, fmt.Sprintf("%s %s %d %d why=%s advice=%s first=%d", g.Severity, g.Code, len(g.Findings), g.Visits,
			g.Why, g.Advice, g.Findings[0].Where.Line))
	}
	chain, _ := Find("chain")
	loop, _ := Find("loop")
	self, _ := Find("self")
	redundant, _ := Find("redundant")
	assert.Equal(t, []string{
		"error chain 3 7 why=slow advice= first=2",
		"error loop 2 0 why=" + loop.Why + " advice=same first=1",
		"error self 1 0 why=" + self.Why + " advice= first=0",
		"warning chain 1 0 why=" + chain.Why + " advice= first=0",
		"note redundant 1 900 why=" + redundant.Why + " advice= first=0",
	}, got)
	assert.Empty(t, Groups(nil))
}

func TestFind(t *testing.T) {
	d, ok := Find("loop")
	assert.True(t, ok)
	assert.NotEmpty(t, d.What+d.Why)
	_, ok = Find("lop")
	assert.False(t, ok)
}
