package probe

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// Of findings of one code as many are told as a person can want; the others are counted.
func TestFindingsAreBounded(t *testing.T) {
	origin := address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"}
	for _, n := range []int{0, 1, maxTold - 1, maxTold, maxTold + 1, maxTold + 500} {
		s := &Section{}
		for range n {
			s.add(finding.AlternateWithoutReturn, finding.Error, origin, "x", "", "").Evidence = []string{"y"}
		}
		s.add(finding.NoAnswer, finding.Error, origin, "x", "", "")
		s.leftOut(origin)
		if n <= maxTold {
			assert.Len(t, s.Findings, n+1)
			continue
		}
		require.Len(t, s.Findings, maxTold+2)
		last := s.Findings[maxTold+1]
		assert.Equal(t, finding.FindingsLeftOut, last.Code)
		assert.Contains(t, last.What, "more findings: alternate-without-return")
	}
}
