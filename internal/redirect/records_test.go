package redirect

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// content returns the records as one slice.
func (s *records) content() []record {
	var list []record
	for i := range s.len() {
		list = append(list, *s.at(i))
	}
	return list
}

// made returns n records with numbers from first on, and the same as one slice.
func made(first, n int) (records, []record) {
	var s records
	var list []record
	for i := range n {
		list = append(list, record{line: uint32(first + i)})
	}
	s.add(list...)
	return s, list
}

func TestRecordsAtTheEdgesOfBlocks(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: hundreds of thousands of records are compared, one by one")
	}
	for _, n := range []int{0, 1, 15, 16, 17, blockSize - 1, blockSize, blockSize + 1, 2*blockSize - 1, 2 * blockSize,
		2*blockSize + 1} {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			s, want := made(1, n)
			require.Equal(t, want, s.content())
			for _, more := range []int{1, 2, blockSize} {
				one, other := s.copied(), s.copied()
				added, list := made(1000000, more)
				one.add(list...)
				other.add(added.content()[:more/2]...)
				require.Equal(t, append(slices.Clone(want), list...), one.content())
				require.Equal(t, append(slices.Clone(want), list[:more/2]...), other.content())
				require.Equal(t, want, s.content(), "the original stays")
			}
		})
	}
}

// Each list stays what a plain slice would be, whatever is done to it and to those that share its blocks.
func TestRecordsAreTheirOwn(t *testing.T) {
	d := rand.New(rand.NewPCG(3, 4))
	s, plain := made(0, 2*blockSize+5)
	lists, wants := []records{s}, [][]record{plain}
	for round := range 30 {
		k := d.IntN(len(lists))
		switch list := &lists[k]; round % 3 {
		case 0: // changed in a few places
			for range d.IntN(3) {
				i, r := d.IntN(list.len()), record{line: d.Uint32()}
				list.set(i, r)
				wants[k] = slices.Clone(wants[k])
				wants[k][i] = r
			}
		case 1: // copied, and longer
			c := list.copied()
			r := record{line: d.Uint32()}
			c.add(r)
			lists, wants = append(lists, c), append(wants, append(slices.Clone(wants[k]), r))
		default: // built anew, with a few records changed or left out
			special := map[int]bool{0: d.IntN(2) == 0, blockSize: d.IntN(2) == 0, d.IntN(list.len()): d.IntN(2) == 0}
			leave := d.IntN(4) == 0
			var c records
			var want []record
			for i := range list.len() {
				if !special[i] {
					c.addFrom(list, i)
					want = append(want, *list.at(i))
				} else if !leave {
					r := record{line: d.Uint32()}
					c.add(r)
					want = append(want, r)
				}
			}
			lists, wants = append(lists, c), append(wants, want)
		}
		if round%6 < 5 {
			continue
		}
		for k := range lists {
			require.True(t, slices.Equal(wants[k], lists[k].content()), "round %d, list %d", round, k)
		}
	}
}

func TestRecordsShareWhatStaysTheSame(t *testing.T) {
	s, _ := made(0, 4*blockSize)
	var c records
	for i := range s.len() {
		if i == 2*blockSize+7 {
			c.add(record{line: 1})
		} else {
			c.addFrom(&s, i)
		}
	}
	shared := []bool{}
	for i := range c.blocks {
		shared = append(shared, c.blocks[i] == s.blocks[i])
	}
	require.Equal(t, []bool{true, true, false, true}, shared)
}
