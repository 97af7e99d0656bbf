package relink

import "bytes"

// Hunk is some lines of a document that change, with those around them.
type Hunk struct {
	Start int // the first line, from 1: the same before and after
	Lines []Line
}

// Line is a line before or after, or one that stays. Where it changes it differs from the other from one byte to another.
type Line struct {
	Mark     byte   // '-', '+' or ' ', as in a unified difference
	Text     []byte // with its end, if it has one
	From, To int
}

// aroundLine is how many lines around a change are told.
const aroundLine = 3

// Hunks returns the lines that change. It reports false where that can't be told line by line: the document is too long
// to be held, or a link with a line's end in it changes.
func (d *Document) Hunks() ([]Hunk, bool) {
	before, after := lines(d.Before), lines(d.After)
	if d.Large || len(before) != len(after) {
		return nil, false
	}
	var hunks []Hunk
	for i := 0; i < len(before); i++ {
		if bytes.Equal(before[i], after[i]) {
			continue
		}
		from, last := max(0, i-aroundLine), i
		for j := i; j < min(len(before), last+2*aroundLine+1); j++ {
			if !bytes.Equal(before[j], after[j]) {
				last = j
			}
		}
		to := min(len(before), last+aroundLine+1)
		h := Hunk{Start: from + 1}
		for j := from; j < to; j++ {
			if bytes.Equal(before[j], after[j]) {
				h.Lines = append(h.Lines, Line{Mark: ' ', Text: before[j]})
				continue
			}
			first, last := alike(before[j], after[j])
			h.Lines = append(h.Lines, Line{'-', before[j], first, len(before[j]) - last},
				Line{'+', after[j], first, len(after[j]) - last})
		}
		hunks = append(hunks, h)
		i = to - 1
	}
	return hunks, true
}

// lines returns the lines of a text with their ends.
func lines(text []byte) [][]byte {
	list := bytes.SplitAfter(text, []byte("\n"))
	if last := len(list) - 1; len(list[last]) == 0 {
		list = list[:last]
	}
	return list
}

// alike returns how many bytes of their beginnings and of their ends two texts have in common.
func alike[T string | []byte](a, b T) (first, last int) {
	for first < len(a) && first < len(b) && a[first] == b[first] {
		first++
	}
	for last < len(a)-first && last < len(b)-first && a[len(a)-1-last] == b[len(b)-1-last] {
		last++
	}
	return first, last
}
