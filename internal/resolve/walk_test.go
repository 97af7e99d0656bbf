package resolve_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/resolve"
)

// chained returns the rules of n rows, each of which leads to the next.
func chained(t *testing.T, n int) *resolve.Rules {
	t.Helper()
	rows := make([]string, n)
	for i := range rows {
		rows[i] = fmt.Sprintf("/step-%d,/step-%d,", i, i+1)
	}
	return alone(t, rows...)
}

// A way ends after 64 steps at most, and a longer one isn't called a circle.
func TestLongWays(t *testing.T) {
	start, err := address.Parse("https://skerrywick.example/step-0")
	require.NoError(t, err)
	for n, wrong := range map[int]string{1: "", 2: "", 63: "", 64: "", 65: "more than 64 redirects follow one another",
		500: "more than 64 redirects follow one another"} {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			w := chained(t, n).Walker()
			w.Start("GET", start)
			_, err := w.Walk(nil)
			if wrong != "" {
				require.ErrorContains(t, err, wrong)
				return
			}
			require.NoError(t, err)
			assert.Len(t, w.Steps, n)
			assert.Equal(t, fmt.Sprintf("/step-%d", n), w.At.Path)
		})
	}
}

func TestCircles(t *testing.T) {
	for name, rows := range map[string][]string{
		"of two rows":      {"/a,/b,", "/b,/a,"},
		"into a circle":    {"/a,/b,", "/b,/c,", "/c,/b,"},
		"with a pattern":   {"/a,/p/1,", "/p/{x},/a,"},
		"with a parameter": {"/a,/b?k=1,", "/b?k=1,/a,"},
	} {
		t.Run(name, func(t *testing.T) {
			at, err := address.Parse("https://skerrywick.example/a")
			require.NoError(t, err)
			w := alone(t, rows...).Walker()
			w.Start("GET", at)
			_, err = w.Walk(nil)
			require.ErrorContains(t, err, "this leads round in a circle: ")
		})
	}
}

// More than five patterns never follow one another, in whatever order they stand.
func TestPatternsBehindOneAnother(t *testing.T) {
	at, err := address.Parse("https://skerrywick.example/p0/x")
	require.NoError(t, err)
	for n := 1; n <= resolve.MaxRounds+2; n++ {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			rows := make([]string, n)
			for i := range rows {
				rows[n-1-i] = fmt.Sprintf("/p%d/{x},/p%d/{x},", i, i+1)
			}
			w := alone(t, rows...).Walker()
			w.Start("GET", at)
			_, err := w.Walk(nil)
			if n > resolve.MaxRounds {
				require.ErrorContains(t, err, "more than five patterns lead on to one another")
				return
			}
			require.NoError(t, err)
			assert.Equal(t, fmt.Sprintf("/p%d/x", n), w.At.Path)
		})
	}
}
