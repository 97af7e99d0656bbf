// Package figure draws: shapes that stand for something, written as SVG (W3C SVG 1.1) or PNG. It knows nothing of
// what is drawn but its flows and bars.
package figure

// Ink is what a shape stands for; each form of output has a colour for it.
type Ink string

// The inks.
const (
	Text  Ink = "text"
	Quiet Ink = "quiet" // of words that matter less
	Empty Ink = "empty" // the part of a bar that isn't filled
	Good  Ink = "good"
	Bad   Ink = "bad"
	First Ink = "first" // of what has no value of its own
	Other Ink = "other"
)

// Point is a place, in pixels from the upper left corner.
type Point struct{ X, Y float64 }

// Shape is one of Rectangle, Band and Label.
type Shape interface{ shape() }

// Rectangle is a filled rectangle.
type Rectangle struct {
	At            Point
	Width, Height float64
	Ink           Ink
}

// Band joins two upright edges, of which each begins at its upper end, and is as thick as they are high.
type Band struct {
	From, To             Point
	FromHeight, ToHeight float64
	Ink                  Ink
	About                string // in words, for a pointer that rests on it
}

// Label is a line of text whose base line begins, or ends, at a place.
type Label struct {
	At   Point
	Text string
	Ink  Ink
	Bold bool
	End  bool // it ends there
}

func (Rectangle) shape() {}
func (Band) shape()      {}
func (Label) shape()     {}

// Figure is a drawing with a name, as a file has it, a title, and what it shows in words.
type Figure struct {
	Name, Title, About string
	Width, Height      float64
	Shapes             []Shape
}

// fontSize is how high text is, in pixels.
const fontSize = 13

// Short returns a label of n letters at most; the end of what is longer is left out.
func Short(s string, n int) string {
	if letters := []rune(s); len(letters) > n {
		return string(letters[:max(n-1, 0)]) + "…"
	}
	return s
}
