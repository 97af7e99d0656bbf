package probe

import (
	"iter"

	"young-compass/internal/address"
	"young-compass/internal/plan"
	"young-compass/internal/visits"
)

// Weights returns how much each address counts in a sample: one more than the
// people who asked for it.
func Weights(list []visits.Visit) func(address.Address) int {
	count := map[address.Address]int{}
	for _, v := range list {
		count[v.Address] += v.Visitors
	}
	return func(a address.Address) int { return 1 + count[a] }
}

// Sample yields n of the targets, in their order: what is visited more is
// likelier among them (systematic sampling), the same every time. 0 means all.
func Sample(targets iter.Seq[plan.Known], n int, weight func(address.Address) int) iter.Seq[plan.Known] {
	if n <= 0 {
		return targets
	}
	return func(yield func(plan.Known) bool) {
		total, count := 0, 0
		for t := range targets {
			total += weight(t.Address)
			count++
		}
		sum, seen, taken := 0, 0, 0
		for t := range targets {
			sum += weight(t.Address)
			// The k-th is taken where the weights so far pass k-1/2 steps of total/n; and
			// as many as are still needed are taken from the end.
			due := (2*sum*n + total) / (2 * total)
			if due > taken && taken < n || n-taken >= count-seen {
				taken++
				if !yield(t) {
					return
				}
			}
			seen++
		}
	}
}
