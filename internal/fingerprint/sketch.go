// Package fingerprint tells texts that are the same, or nearly the same, by
// small sketches of them. What a site repeats on its pages (menus, footers) can
// be left out of a sketch afterwards.
package fingerprint

import (
	"slices"
	"unicode"
	"unicode/utf8"
)

// Sketch is a text in blocks: paragraphs, headings, items of lists. It keeps the
// smallest hashes of runs of three words, which are a fair sample of all of them
// (a bottom-k sketch), each with the block where it stands.
type Sketch struct {
	Blocks []uint64 // a hash of each block, in their order
	Runs   []uint64 // sorted: a hash, its last byte the block
	Whole  bool     // Runs holds all of them
}

const (
	maxRuns   = 192
	maxBlocks = 256 // what comes behind counts to the last
	runLength = 3
)

// Builder makes a sketch of text that is added piece by piece. The zero value is
// ready.
type Builder struct {
	runs   []uint64
	blocks []uint64
	block  uint64 // hash of the block so far
	words  [runLength]uint64
	count  int    // words of the block
	word   uint64 // hash of the word so far; 0 outside one
	limit  uint64 // above it runs are thrown away; 0: none are
}

// The constants of FNV-1a, 64 bits.
const (
	offset = 14695981039346656037
	prime  = 1099511628211
)

// mix spreads a value over all bits (the finalizer of SplitMix64).
func mix(x uint64) uint64 {
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// Add adds text; words go on from one piece to the next. Letters count as small
// ones, and what isn't a letter or a digit parts words.
func (b *Builder) Add(text []byte) {
	word := b.word
	for i := 0; i < len(text); {
		c := text[i]
		letter := uint64(wordBytes[c])
		i++
		if c >= utf8.RuneSelf {
			r, size := utf8.DecodeRune(text[i-1:])
			i += size - 1
			if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) {
				letter = uint64(unicode.ToLower(r))
			}
		}
		switch {
		case letter != 0 && word != 0:
			word = (word ^ letter) * prime
		case letter != 0:
			word = (offset ^ letter) * prime
		case word != 0:
			b.end(word)
			word = 0
		}
	}
	b.word = word
}

// wordBytes are the letters and digits of ASCII, as small ones; 0 for all else.
var wordBytes = func() (set [256]byte) {
	for c := range set {
		switch c := byte(c); {
		case 'A' <= c && c <= 'Z':
			set[c] = c + 'a' - 'A'
		case 'a' <= c && c <= 'z', '0' <= c && c <= '9':
			set[c] = c
		}
	}
	return set
}()

// end ends a word.
func (b *Builder) end(word uint64) {
	w := mix(word)
	b.words[0], b.words[1], b.words[2] = b.words[1], b.words[2], w
	b.block = mix(b.block ^ w)
	if b.count++; b.count >= runLength {
		b.run(b.words[0] + 3*b.words[1] + 9*b.words[2])
	}
}

func (b *Builder) run(h uint64) {
	r := mix(h)&^0xff | uint64(min(len(b.blocks), maxBlocks-1))
	if b.limit > 0 && r > b.limit {
		return
	}
	if b.runs = append(b.runs, r); len(b.runs) >= 4*maxRuns {
		b.shrink()
	}
}

// shrink keeps the smallest runs, each once in a block.
func (b *Builder) shrink() {
	slices.Sort(b.runs)
	b.runs = slices.Compact(b.runs)
	if len(b.runs) > maxRuns {
		b.runs, b.limit = b.runs[:maxRuns], b.runs[maxRuns-1]
	}
}

// Break ends a block.
func (b *Builder) Break() {
	if b.word != 0 {
		b.end(b.word)
		b.word = 0
	}
	if b.count == 0 {
		return
	}
	if b.count < runLength { // a short block is one run
		b.run(b.block)
	}
	if len(b.blocks) < maxBlocks {
		b.blocks = append(b.blocks, b.block)
	} else {
		last := &b.blocks[maxBlocks-1]
		*last = mix(*last ^ b.block)
	}
	b.block, b.count = 0, 0
}

// Mark returns how many blocks there are, to go back to.
func (b *Builder) Mark() int {
	b.Break()
	return len(b.blocks)
}

// Keep leaves out the blocks for which keep says no, by their numbers.
func (b *Builder) Keep(keep func(block int) bool) {
	b.Break()
	number := make([]int, len(b.blocks))
	left := b.blocks[:0]
	for i, block := range b.blocks {
		number[i] = -1
		if keep(i) {
			number[i] = len(left)
			left = append(left, block)
		}
	}
	b.blocks = left
	b.runs = slices.DeleteFunc(b.runs, func(r uint64) bool { return number[r&0xff] < 0 })
	for i, r := range b.runs {
		b.runs[i] = r&^0xff | uint64(number[r&0xff])
	}
}

// Sketch ends the text. The builder begins a new one.
func (b *Builder) Sketch() Sketch {
	b.Break()
	b.shrink()
	s := Sketch{Blocks: slices.Clone(b.blocks), Runs: slices.Clone(b.runs), Whole: b.limit == 0}
	*b = Builder{runs: b.runs[:0], blocks: b.blocks[:0]}
	return s
}

// All returns a hash of all blocks.
func (s Sketch) All() uint64 {
	h := uint64(offset)
	for _, block := range s.Blocks {
		h = mix(h ^ block)
	}
	return h
}
