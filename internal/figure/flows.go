package figure

import (
	"cmp"
	"fmt"
	"slices"
)

// Flow is how much leads from one place to another.
type Flow struct {
	From, To  string
	Weight    int // by which it is drawn; one that has none is a thin line
	Addresses int
	Ink       Ink // of its end
}

// mostPlaces is how many places of a side a drawing of flows shows by name.
const mostPlaces = 14

// Flows draws where things lead, as bands between two columns of places, as wide as their weights. What has too many
// places to be named is put together. unit is what a weight counts, such as "visits".
func Flows(name, title, unit string, flows []Flow) Figure {
	const width, left, right, bar, most, gap, top = 900.0, 250.0, 640.0, 10.0, 420.0, 22.0, 58.0
	flows = gathered(flows)
	f := Figure{Name: name, Title: title, Width: width}
	total := 0
	for _, x := range flows {
		total += x.Weight
	}
	unitHeight := most / float64(max(total, 1))
	height := func(weight int) float64 { return max(float64(weight)*unitHeight, 1.5) }
	from := places(flows, func(x Flow) string { return x.From })
	to := places(flows, func(x Flow) string { return x.To })
	f.Shapes = append(f.Shapes, Label{Point{8, 16}, title, Text, true, false},
		Label{Point{left, 44}, "from", Quiet, false, true}, Label{Point{right + bar, 44}, "to", Quiet, false, false})
	start, end := map[string]float64{}, map[string]float64{}
	lay := func(list []place, at map[string]float64) (bottom float64) {
		y := top
		for i := range list {
			p := &list[i]
			at[p.name] = y
			for _, w := range p.weights {
				p.thick += height(w)
			}
			y += max(p.thick+6, gap)
		}
		return y
	}
	f.Height = max(lay(from, start), lay(to, end)) + 6
	var bars, words []Shape
	side := func(list []place, at map[string]float64, x float64, atEnd bool) {
		for _, p := range list {
			bars = append(bars, Rectangle{Point{x, at[p.name]}, bar, p.thick, p.ink})
			label := Label{Point{x - 8, at[p.name] + p.thick/2 + 4}, Short(p.name, 34), Text, false, true}
			if atEnd {
				label.At.X, label.End, label.Text = x+bar+8, false, Short(p.name, 26)
			}
			label.Text += fmt.Sprintf("  %d", p.weight)
			words = append(words, label)
		}
	}
	side(from, start, left, false)
	side(to, end, right, true)
	for _, p := range from {
		for _, x := range flows {
			if x.From != p.name {
				continue
			}
			h := height(x.Weight)
			f.Shapes = append(f.Shapes, Band{Point{left + bar, start[x.From]}, Point{right, end[x.To]}, h, h, x.Ink,
				fmt.Sprintf("%s to %s: %d %s, %d addresses", x.From, x.To, x.Weight, unit, x.Addresses)})
			start[x.From] += h
			end[x.To] += h
		}
	}
	f.Shapes = append(f.Shapes, append(bars, words...)...)
	f.About = about(flows, unit)
	return f
}

// place is one end of flows.
type place struct {
	name    string
	weight  int
	weights []int // of the flows that meet there
	thick   float64
	ink     Ink
}

// places returns the ends of flows on one side, those with most weight first.
func places(flows []Flow, name func(Flow) string) (list []place) {
	at := map[string]int{}
	for _, x := range flows {
		i, ok := at[name(x)]
		if !ok {
			i = len(list)
			at[name(x)] = i
			list = append(list, place{name: name(x), ink: First})
		}
		list[i].weight += x.Weight
		list[i].weights = append(list[i].weights, x.Weight)
		if name(x) == x.To {
			list[i].ink = x.Ink
		}
	}
	slices.SortStableFunc(list, func(a, b place) int {
		return cmp.Or(cmp.Compare(b.weight, a.weight), cmp.Compare(a.name, b.name))
	})
	return list
}

// gathered puts together what leads from and to the places that are too small to be named, and orders the flows.
func gathered(flows []Flow) []Flow {
	rename := func(name func(Flow) string) map[string]string {
		list := places(flows, name)
		names := map[string]string{}
		if len(list) <= mostPlaces {
			return names
		}
		rest := list[mostPlaces-1:]
		for _, p := range rest {
			names[p.name] = fmt.Sprintf("%d others", len(rest))
		}
		return names
	}
	from := rename(func(x Flow) string { return x.From })
	to := rename(func(x Flow) string { return x.To })
	sums := map[Flow]Flow{}
	for _, x := range flows {
		if to[x.To] != "" { // they end in several ways
			x.Ink = First
		}
		x.From, x.To = cmp.Or(from[x.From], x.From), cmp.Or(to[x.To], x.To)
		key := Flow{From: x.From, To: x.To, Ink: x.Ink}
		sum := sums[key]
		sums[key] = Flow{x.From, x.To, sum.Weight + x.Weight, sum.Addresses + x.Addresses, x.Ink}
	}
	var list []Flow
	for _, x := range sums {
		list = append(list, x)
	}
	slices.SortFunc(list, func(a, b Flow) int {
		return cmp.Or(cmp.Compare(b.Weight, a.Weight), cmp.Compare(b.Addresses, a.Addresses), cmp.Compare(a.From, b.From),
			cmp.Compare(a.To, b.To), cmp.Compare(a.Ink, b.Ink))
	})
	return list
}

// about says the widest flows in words.
func about(flows []Flow, unit string) string {
	if len(flows) == 0 {
		return "Nothing leads anywhere."
	}
	text := "The widest: "
	for i, x := range flows[:min(5, len(flows))] {
		if i > 0 {
			text += "; "
		}
		text += fmt.Sprintf("%s to %s, %d %s", x.From, x.To, x.Weight, unit)
	}
	return text + "."
}
