package template

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The automaton finds just the templates that read a path one by one.
func TestAutomatonFindsWhatReadersRead(t *testing.T) {
	random := rand.New(rand.NewPCG(23, 2026))
	pieces := []string{"/a", "/b", "/{x%d}", "{/l%d*}", "/A{x%d}", "-{x%d}.htm", "/%%5D", "/é", "/"}
	classes := []string{"slug", "word", "digits", "segment", "[a-c]{1,3}", "[0-9]{2}"}
	paths := []string{"/a", "/b", "/A", "/1", "/ab", "/-x.htm", ".htm", "/%5D", "/%C3%A9", "/", "/c12", "/22", "-9.HTM"}
	for range 300 {
		fold := random.IntN(2) == 0
		var readers []*Reader
		for len(readers) < 12 {
			var b strings.Builder
			set := map[string]Class{}
			for n := range 1 + random.IntN(4) {
				piece := pieces[random.IntN(len(pieces))]
				if strings.Contains(piece, "%d") {
					piece = fmt.Sprintf(piece, n)
					class, err := ParseClass(classes[random.IntN(len(classes))])
					require.NoError(t, err)
					set[fmt.Sprintf("x%d", n)] = class
				}
				b.WriteString(strings.ReplaceAll(piece, "%%", "%"))
			}
			parsed, err := Parse(b.String())
			require.NoError(t, err)
			if r, err := NewReader(parsed, set); err == nil {
				readers = append(readers, r)
			}
		}
		a := NewAutomaton(readers, fold)
		for range 200 {
			var b strings.Builder
			for range 1 + random.IntN(4) {
				b.WriteString(paths[random.IntN(len(paths))])
			}
			path := strings.ReplaceAll(b.String(), "//", "/")
			var want []int32
			for n, r := range readers {
				if _, ok := r.ReadPath(path, fold); ok {
					want = append(want, int32(n))
				}
			}
			require.Equal(t, want, a.Find(path), "%s, fold %v", path, fold)
		}
	}
}
