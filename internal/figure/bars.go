package figure

import "fmt"

// Bar is one row of a drawing of bars: how much there is, and how much of that is as it should be.
type Bar struct {
	Name     string
	Good, Of int
}

// Bars draws one bar below the other, as long as what each is of, with its good part in front.
func Bars(name, title, unit string, bars []Bar) Figure {
	const width, left, longest, row, thick, top = 900.0, 230.0, 480.0, 26.0, 14.0, 34.0
	f := Figure{Name: name, Title: title, Width: width, Height: top + row*float64(len(bars)) + 8,
		Shapes: []Shape{Label{Point{8, 16}, title, Text, true, false}}}
	most := 1
	for _, b := range bars {
		most = max(most, b.Of)
	}
	for i, b := range bars {
		y := top + row*float64(i)
		length := func(n int) float64 { return longest * float64(n) / float64(most) }
		f.Shapes = append(f.Shapes, Label{Point{left - 8, y + 12}, Short(b.Name, 30), Text, false, true},
			Rectangle{Point{left, y}, length(b.Of), thick, Bad}, Rectangle{Point{left, y}, length(b.Good), thick, Good})
		words := fmt.Sprintf("%d %s", b.Of, unit)
		if b.Good != b.Of {
			words = fmt.Sprintf("%d of %d %s", b.Good, b.Of, unit)
		}
		f.Shapes = append(f.Shapes, Label{Point{left + length(b.Of) + 8, y + 12}, words, Quiet, false, false})
		f.About += fmt.Sprintf("%s: %s. ", b.Name, words)
	}
	return f
}
