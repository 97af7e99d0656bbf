package figure_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"image/png"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/figure"
)

// wellFormed requires that a text is XML with these characters in it as text.
func wellFormed(t *testing.T, data []byte) (text string) {
	t.Helper()
	for d := xml.NewDecoder(bytes.NewReader(data)); ; {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return text
		}
		require.NoError(t, err)
		if s, ok := token.(xml.CharData); ok {
			text += string(s) + "\n"
		}
		if s, ok := token.(xml.StartElement); ok {
			assert.NotEqual(t, "script", s.Name.Local)
		}
	}
}

func TestFlowsAreDrawnInBothForms(t *testing.T) {
	f := figure.Flows("ways", "Where they lead", "visits", []figure.Flow{
		{From: "/index.php?item&lang", To: "/routes", Weight: 30, Addresses: 9, Ink: figure.First},
		{From: "/<script>&\x01", To: "gone (410)", Weight: 0, Addresses: 2, Ink: figure.Other},
		{From: "/index.php?item&lang", To: "/ports", Weight: 10, Addresses: 1, Ink: figure.First},
	})
	var svg, picture bytes.Buffer
	require.NoError(t, f.File(&svg))
	text := wellFormed(t, svg.Bytes())
	for _, want := range []string{"Where they lead", "/index.php?item&lang  40", "/routes  30", "gone (410)  0", "/<script>&",
		"/index.php?item&lang to /routes: 30 visits, 9 addresses", "The widest: /index.php?item&lang to /routes, 30 visits"} {
		assert.Contains(t, text, want)
	}
	require.NoError(t, f.PNG(&picture))
	drawn, err := png.Decode(&picture)
	require.NoError(t, err)
	assert.Equal(t, int(2*f.Width), drawn.Bounds().Dx())
	inked := 0
	for y := range drawn.Bounds().Dy() {
		for x := range drawn.Bounds().Dx() {
			if r, g, b, _ := drawn.At(x, y).RGBA(); r != 0xffff || g != 0xffff || b != 0xffff {
				inked++
			}
		}
	}
	assert.Greater(t, inked, 20_000, "something is drawn")
}

// Of very many places the largest are named, and nothing of the others is lost.
func TestManyPlacesAreGathered(t *testing.T) {
	for _, n := range []int{0, 1, 13, 14, 15, 500} {
		var flows []figure.Flow
		sum := 0
		for i := range n {
			flows = append(flows, figure.Flow{From: fmt.Sprintf("/old-%d", i), To: fmt.Sprintf("/new-%d", i%40), Weight: i + 1,
				Addresses: 1, Ink: figure.First})
			sum += i + 1
		}
		f := figure.Flows("x", "x", "visits", flows)
		from, width := 0, 0.0
		for _, s := range f.Shapes {
			switch s := s.(type) {
			case figure.Label:
				if s.End && strings.HasPrefix(s.Text, "/old-") || strings.Contains(s.Text, "others") && s.End {
					from++
				}
			case figure.Band:
				width += s.FromHeight
			}
		}
		assert.Equal(t, min(n, 14), from, n)
		if n > 1 {
			assert.InDelta(t, 420, width, 60, "the bands are as wide as all visits")
		}
		assert.Less(t, f.Height, 1100.0)
	}
}

func TestBars(t *testing.T) {
	f := figure.Bars("coverage", "Visits", "visits", []figure.Bar{{Name: "port", Good: 3, Of: 4}, {Name: "none"}})
	var svg bytes.Buffer
	require.NoError(t, f.SVG(&svg))
	text := wellFormed(t, svg.Bytes())
	assert.Contains(t, text, "port: 3 of 4 visits. none: 0 visits.")
	require.NoError(t, f.PNG(io.Discard))
}

func TestShort(t *testing.T) {
	assert.Equal(t, "abc", figure.Short("abc", 3))
	assert.Equal(t, "ab…", figure.Short("abcd", 3))
	assert.Equal(t, "広…", figure.Short("広い海", 2))
	assert.Equal(t, "…", figure.Short("abc", 0))
}
