package term_test

import (
	"strings"
	"testing"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/assert"

	"young-compass/internal/term"
)

func TestCutMiddle(t *testing.T) {
	assert.Equal(t, "/a/b", term.CutMiddle("/a/b", 4))
	assert.Equal(t, "/ve...end", term.CutMiddle("/very/long/end", 9))
	for _, s := range []string{"/very/long/address/of/a/page", strings.Repeat("広い", 20), "e\u0301" + strings.Repeat("é", 30), "\x1b[31mred"} {
		for width := 3; width < 40; width++ {
			cut := term.CutMiddle(s, width)
			assert.LessOrEqual(t, text.StringWidth(cut), width, cut)
			assert.NotContains(t, cut, "\x1b")
		}
	}
}
