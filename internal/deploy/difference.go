package deploy

import (
	"strings"

	"young-compass/internal/server"
)

// maxCompared bounds the lines that are compared with each other, one side times the other.
const maxCompared = 16 << 20

// Difference returns the lines in which two texts differ, in their order, with "- " before those of the first alone and
// "+ " before those of the second alone. Lines that both have in the same order (a longest common subsequence) are left
// out; where the texts are too long for that, what stands between their common beginning and end.
func Difference(old, new string) []string {
	a, b := server.Lines(old), server.Lines(new)
	for len(a) > 0 && len(b) > 0 && a[0] == b[0] {
		a, b = a[1:], b[1:]
	}
	for len(a) > 0 && len(b) > 0 && a[len(a)-1] == b[len(b)-1] {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	var list []string
	minus := func(line string) { list = append(list, "- "+strings.TrimRight(line, "\r\n")) }
	plus := func(line string) { list = append(list, "+ "+strings.TrimRight(line, "\r\n")) }
	if len(a)*len(b) > maxCompared {
		for _, line := range a {
			minus(line)
		}
		for _, line := range b {
			plus(line)
		}
		return list
	}
	shared := common(a, b)
	i, j := 0, 0
	for i < len(a) || j < len(b) {
		switch {
		case i < len(a) && j < len(b) && a[i] == b[j]:
			i, j = i+1, j+1
		case j == len(b) || i < len(a) && shared[i+1][j] >= shared[i][j+1]:
			minus(a[i])
			i++
		default:
			plus(b[j])
			j++
		}
	}
	return list
}

// common returns, for the rest of a from i on and of b from j on, how many lines they have in common, in order.
func common(a, b []string) [][]int32 {
	lengths := make([][]int32, len(a)+1)
	for i := range lengths {
		lengths[i] = make([]int32, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if a[i] == b[j] {
				lengths[i][j] = lengths[i+1][j+1] + 1
			} else {
				lengths[i][j] = max(lengths[i+1][j], lengths[i][j+1])
			}
		}
	}
	return lengths
}
