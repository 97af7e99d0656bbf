package pair

import (
	"testing"
)

func TestDebugDrift(t *testing.T) {
	site := makeSite(5000, 6)
	before, after := pages(t, site.before, withAddresses), pages(t, site.after, withAddresses)
	var olds []int
	for i, m := range Pair(before, after, nil) {
		if b := m.Best(); b != nil && site.truth[i] < 0 && b.Confidence > 0.8 && len(olds) < 16 {
			olds = append(olds, i)
		}
	}
	explain(t, before, after, olds, site.truth)
}
