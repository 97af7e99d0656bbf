package redirect

import (
	"hash/maphash"
	"slices"
	"strconv"
)

// record is a row as it was written.
type record struct {
	from, to string
	line     uint32
	file     uint16
	status   uint16
	path     uint16 // where the path begins in to, if that is an address in normal form that ends with its path; else 0
	plain    bool   // from is a path in normal form and no more
	local    bool   // so is to, with nothing encoded
	drop     bool
	pattern  bool
}

// blockSize is how many records are kept together.
const blockSize = 1 << 14

// records are kept in blocks: to add one copies none, and a copy of the whole shares its blocks with the original
// until one of the two changes a record.
type records struct {
	blocks []*block
	alike  int      // how many records of the last block are in another list at the same places
	spare  []record // the room of a block that gave way to that of the other list
}

type block struct {
	records []record
	shared  bool
}

func (s *records) len() int {
	n := len(s.blocks)
	if n == 0 {
		return 0
	}
	return (n-1)*blockSize + len(s.blocks[n-1].records)
}

// at returns a record, to be read only.
func (s *records) at(i int) *record { return &s.blocks[i/blockSize].records[i%blockSize] }

// set puts another record in the place of one.
func (s *records) set(i int, r record) {
	(*s.own(i / blockSize))[i%blockSize] = r
}

// own returns the records of a block that is this list's alone; where it wasn't, there is a copy now.
func (s *records) own(n int) *[]record {
	if s.blocks[n].shared {
		s.blocks[n] = &block{records: slices.Clone(s.blocks[n].records)}
	}
	return &s.blocks[n].records
}

// copied returns the same records, to be changed on their own.
func (s *records) copied() records {
	for _, b := range s.blocks {
		b.shared = true
	}
	return records{blocks: slices.Clone(s.blocks)}
}

// add appends records.
func (s *records) add(more ...record) {
	for len(more) > 0 {
		last := s.room()
		n := min(len(more), cap(*last)-len(*last))
		*last, more = append(*last, more[:n]...), more[n:]
	}
}

// addFrom appends the record that another list has in a place. Blocks that turn out the same are shared.
func (s *records) addFrom(o *records, i int) {
	same := s.len() == i
	last := s.room()
	*last = append(*last, *o.at(i))
	if same {
		s.alike++
	}
	if s.alike == blockSize {
		n := i / blockSize
		s.spare = s.blocks[n].records[:0]
		o.blocks[n].shared = true
		s.blocks[n] = o.blocks[n]
	}
}

// room returns the last block, which has room for more: twice as much as before, up to the size of a block.
func (s *records) room() *[]record {
	n := len(s.blocks)
	if n == 0 || len(s.blocks[n-1].records) == blockSize {
		s.blocks = append(s.blocks, &block{records: s.spare})
		s.spare, s.alike = nil, 0
		n++
	}
	last := s.own(n - 1)
	if len(*last) == cap(*last) {
		size := max(16, 2*cap(*last))
		if n > 1 {
			size = blockSize
		}
		grown := make([]record, len(*last), min(size, blockSize))
		copy(grown, *last)
		*last = grown
	}
	return last
}

// NewIn counts the rows of a list that another one doesn't have. Rows in blocks that both share aren't looked at.
func (l *List) NewIn(before *List) int {
	shared := map[*block]bool{}
	for i := range l.records.blocks {
		shared[l.records.blocks[i]] = true
	}
	seed := maphash.MakeSeed()
	rows := func(l *List, other map[*block]bool, yield func(uint64)) {
		for i := range l.Len() {
			if b := l.records.blocks[i/blockSize]; !other[b] {
				yield(l.hash(seed, i))
			}
		}
	}
	have := map[uint64]bool{}
	rows(before, shared, func(h uint64) { have[h] = true })
	clear(shared)
	for i := range before.records.blocks {
		shared[before.records.blocks[i]] = true
	}
	n := 0
	rows(l, shared, func(h uint64) {
		if !have[h] {
			n++
		}
	})
	return n
}

// hash returns a number that is equal for rows that are written alike.
func (l *List) hash(seed maphash.Seed, i int) uint64 {
	var h maphash.Hash
	h.SetSeed(seed)
	r := l.at(i)
	row := l.notes[i]
	for _, text := range []string{r.from, r.to, strconv.Itoa(int(r.status)), strconv.FormatBool(r.drop)} {
		_, _ = h.WriteString(text)
		_ = h.WriteByte(0)
	}
	for _, n := range row {
		_, _ = h.WriteString(n.column + "\x00" + n.text + "\x00")
	}
	return h.Sum64()
}
