package template

import (
	"cmp"
	"iter"
	"math/bits"
)

// charset is a set of bytes.
type charset [4]uint64

func (s *charset) has(c byte) bool { return s[c>>6]>>(c&63)&1 == 1 }
func (s *charset) add(c byte)      { s[c>>6] |= 1 << (c & 63) }
func (s *charset) remove(c byte)   { s[c>>6] &^= 1 << (c & 63) }

// all yields the bytes of the set in order.
func (s charset) all() iter.Seq[byte] {
	return func(yield func(byte) bool) {
		for i, word := range s {
			for ; word != 0; word &= word - 1 {
				if !yield(byte(i<<6 + bits.TrailingZeros64(word))) {
					return
				}
			}
		}
	}
}

// within reports whether the other set holds all of this one.
func (s charset) within(o charset) bool { return s.and(o) == s }

func (s charset) and(o charset) charset {
	for i := range s {
		s[i] &= o[i]
	}
	return s
}

func (s charset) compare(o charset) int {
	return cmp.Or(cmp.Compare(s[0], o[0]), cmp.Compare(s[1], o[1]), cmp.Compare(s[2], o[2]), cmp.Compare(s[3], o[3]))
}
