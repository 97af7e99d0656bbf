package plan_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/plan"
)

func TestAnswerAgreesWithWhatWasWorkedOutByHand(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for _, row := range demotest.ReadExpected(t, "../..") {
		r, err := plan.NewRequest(row.Method, row.URL)
		require.NoError(t, err, "line %d", row.Line)
		a, err := p.Answer(r)
		require.NoError(t, err, "line %d", row.Line)
		or := func(s string) string {
			if s == "" || s == "0" {
				return "-"
			}
			return s
		}
		status := or(fmt.Sprint(a.Status))
		got := fmt.Sprintf("%s %s %s %s", a.Outcome, status, or(a.To), or(a.Canonical))
		want := fmt.Sprintf("%s %s %s %s", row.Outcome, row.Status, row.Location, row.Canonical)
		if row.Outcome == "served" {
			want = fmt.Sprintf("served 200 - %s", row.Canonical)
			assert.Equal(t, "200", row.Status, "testdata/expected.tsv:%d", row.Line)
		}
		assert.Equal(t, want, got, "testdata/expected.tsv:%d: %s %s", row.Line, row.Method, row.URL)
		assert.NotEmpty(t, a.Causes, "line %d", row.Line)
	}
}
