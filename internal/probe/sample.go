package probe

import (
	"young-compass/internal/address"
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

// Sample returns n of the targets, in their order: what is visited more is
// likelier among them (systematic sampling), the same every time.
func Sample(targets []Target, n int, weight func(address.Address) int) []Target {
	if n <= 0 || n >= len(targets) {
		return targets
	}
	total := 0
	for _, t := range targets {
		total += weight(t.Address)
	}
	var some []Target
	sum := 0
	for i, t := range targets {
		sum += weight(t.Address)
		// The k-th is taken where the weights so far pass k+1/2 steps of total/n; and
		// as many as are still needed are taken from the end.
		if due := (2*sum*n + total) / (2 * total); due > len(some) && len(some) < n || n-len(some) >= len(targets)-i {
			some = append(some, t)
		}
	}
	return some
}
