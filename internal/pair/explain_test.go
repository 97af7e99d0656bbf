package pair

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"
)

// explain shows what counts for the best candidates of an old page.
func explain(t *testing.T, before, after []Page, olds []int, truth []int) {
	s := newSides(before, after)
	all := make([][]scored, len(before))
	each(len(before), func(i int, t *tally) { all[i] = s.candidates(i, t) }, s.tally, nil)
	s.rounds(all, [3]weights{firstWeights(), secondWeights(), finalWeights()}, nil)
	w := finalWeights()
	names := constantNames("evidence.go", "kinds")
	for _, i := range olds {
		for k, c := range all[i] {
			if k > 0 && int(c.page) != truth[i] {
				continue
			}
			type part struct {
				name string
				x    float64
			}
			var parts []part
			for j, x := range c.evidence {
				if math.Abs(x*w[j][c.evidence.known()]) > 0.1 {
					parts = append(parts, part{fmt.Sprintf("%s %.2f", names[j], x), x * w[j][c.evidence.known()]})
				}
			}
			slices.SortFunc(parts, func(a, b part) int { return int(1e6 * (math.Abs(b.x) - math.Abs(a.x))) })
			var b strings.Builder
			for _, p := range parts {
				fmt.Fprintf(&b, " %s:%+.2f", p.name, p.x)
			}
			old, new := &before[i], &after[c.page]
			t.Logf("%s %q -> %s %q, right: %v, said %.3f =%s", old.Written, old.Title, new.Written, new.Title,
				int(c.page) == truth[i], c.confidence, b.String())
		}
	}
}
