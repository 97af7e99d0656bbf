package plan_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/plan"
)

func TestAnswerAgreesWithWhatWasWorkedOutByHand(t *testing.T) {
	for name, p := range map[string]*plan.Plan{"": demotest.Accepted(t, t.TempDir()),
		"rules": demotest.Plan(t, "../..", "rules"), "closed": demotest.Plan(t, "../..", "closed")} {
		for _, row := range demotest.ReadExpected(t, "../..", name) {
			r, err := plan.NewRequest(row.Method, row.URL)
			require.NoError(t, err, "line %d", row.Line)
			r.Client, r.Forwarded = netip.MustParseAddr("127.0.0.1"), row.Forwarded
			a, err := p.Answer(r)
			require.NoError(t, err, "line %d", row.Line)
			or := func(s string) string {
				if s == "" || s == "0" {
					return "-"
				}
				return s
			}
			var headers []string
			for _, f := range a.Headers {
				headers = append(headers, f.Name+": "+f.Value)
			}
			got := fmt.Sprintf("%s %s %s %s %s %s", a.Outcome, or(fmt.Sprint(a.Status)), or(a.To), or(a.Canonical),
				or(a.Internal), or(strings.Join(headers, "; ")))
			want := fmt.Sprintf("%s %s %s %s %s %s", row.Outcome, row.Status, row.Location, row.Canonical, row.Internal,
				row.Headers)
			if row.Outcome == "served" {
				assert.Equal(t, "200", row.Status, "testdata/expected.tsv:%d", row.Line)
			}
			assert.Equal(t, want, got, "testdata/expected.tsv:%d: %s %s", row.Line, row.Method, row.URL)
			assert.NotEmpty(t, a.Causes, "line %d", row.Line)
		}
	}
}

// A path that servers disagree about matches nothing, also where a dot segment takes away what they disagree about.
func TestUnsafePathsAsTheyWereSent(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for url, unknown := range map[string]bool{
		"https://skerrywick.example/a/../routes/":     false,
		"https://skerrywick.example/a%2Fb/../routes/": true,
		"https://skerrywick.example/a%7f/../routes/":  true,
		"https://skerrywick.example/a%5c/../routes/":  true,
		"https://skerrywick.example/routes/?x=%2F":    false,
		"https://skerrywick.example?x=a%2F":           false,
	} {
		t.Run(url, func(t *testing.T) {
			r, err := plan.NewRequest("GET", url)
			require.NoError(t, err)
			a, err := p.Answer(r)
			require.NoError(t, err)
			assert.Equal(t, unknown, a.Outcome == plan.Unknown, "%v", a)
		})
	}
}
