package template

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOverlapAndCovered(t *testing.T) {
	classes := map[string]string{"d": "digits", "w": "word", "s": "slug", "r": "segments"}
	for _, c := range []struct {
		a, b    string
		overlap string // empty: none
		covered bool   // a by b
	}{
		{"/a/{d}", "/a/{x}", "/a/0", true},
		{"/a/{x}", "/a/{d}", "/a/0", false},
		{"/a/{d}", "/b/{d}", "", false},
		{"/{d}-{w}", "/{x}", "/0-x", true},
		{"/A/{w}", "/a/{s}", "/a/x", true},
		{"/{d}", "/{w}", "", false},
		{"/a{/x*}", "/a", "/a", false},
		{"/a", "/a{/x*}", "/a", true},
		{"/a{/x*}", "/a/{r}", "/a/x", false},
		{"/a/{r}", "/a{/x*}", "/a/x", true},
		{"/{s}/x", "/a/{s}", "/a/x", false},
		{"/{d}.htm", "/{x}", "/0.htm", true},
	} {
		path, ok := Overlap(reader(t, c.a, classes), reader(t, c.b, classes), true)
		assert.Equal(t, c.overlap != "", ok, "%s %s", c.a, c.b)
		assert.Equal(t, c.overlap, path, "%s %s", c.a, c.b)
		assert.Equal(t, c.covered, Covered(reader(t, c.a, classes), []*Reader{reader(t, c.b, classes)}, true), "%s %s",
			c.a, c.b)
	}
	assert.True(t, Covered(reader(t, "/{x}", map[string]string{"x": "[ab]{1}"}),
		[]*Reader{reader(t, "/a", nil), reader(t, "/b", nil)}, true), "by two together")
	assert.False(t, Covered(reader(t, "/{x}", map[string]string{"x": "[abc]{1}"}),
		[]*Reader{reader(t, "/a", nil), reader(t, "/b", nil)}, true))
}

// Trying all short paths agrees.
func TestCompareAgreesWithTrying(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 2026))
	var paths []string
	var grow func(path string)
	grow = func(path string) {
		paths = append(paths, path)
		if len(path) < 6 {
			for _, c := range "/ab" {
				grow(path + string(c))
			}
		}
	}
	grow("/")
	classes := map[string]string{"x": "[ab]{1,2}", "y": "[a]{1}", "z": "[ab]{1}"}
	parsedClasses := reader(t, "/{x}-{y}-{z}", classes).Classes()
	pieces := []string{"/a", "/b", "a", "b", "/{x}", "/{y}", "/{z}", "a{z}", "b{y}"}
	build := func() *Reader {
		for {
			text := "/"
			for range 1 + random.IntN(3) {
				text += pieces[random.IntN(len(pieces))]
			}
			if parsed, err := Parse(text); err == nil {
				if r, err := NewReader(parsed, parsedClasses); err == nil {
					return r
				}
			}
		}
	}
	for range 3000 {
		a, b, c := build(), build(), build()
		overlap, covered := false, true
		for _, path := range paths {
			_, inA := a.ReadPath(path, false)
			_, inB := b.ReadPath(path, false)
			_, inC := c.ReadPath(path, false)
			overlap = overlap || inA && inB
			covered = covered && (!inA || inB || inC)
		}
		path, ok := Overlap(a, b, false)
		if len(path) <= 6 {
			require.Equal(t, overlap, ok, "%v %v", a.elements, b.elements)
		}
		if !covered {
			require.False(t, Covered(a, []*Reader{b, c}, false), "%v %v %v", a.elements, b.elements, c.elements)
		} else if longest(a) <= 6 {
			require.True(t, Covered(a, []*Reader{b, c}, false), "%v %v %v", a.elements, b.elements, c.elements)
		}
	}
}

func longest(r *Reader) int {
	n := 0
	for _, e := range r.elements {
		n += len(e.Literal) + e.Class.max
	}
	return n
}
