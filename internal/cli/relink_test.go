package cli

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/relink"
)

func TestWriteDifference(t *testing.T) {
	numbered := func(n int) []string {
		var list []string
		for i := range n {
			list = append(list, strings.Repeat("x", i%5)+"\n")
		}
		return list
	}
	for name, test := range map[string]struct {
		lines   int
		changes []int
		hunks   []string
	}{
		"the first line":   {1, []int{0}, []string{"@@ -1,1 +1,1 @@"}},
		"in the middle":    {20, []int{10}, []string{"@@ -8,7 +8,7 @@"}},
		"close together":   {20, []int{5, 11}, []string{"@@ -3,13 +3,13 @@"}},
		"further apart":    {30, []int{5, 13}, []string{"@@ -3,7 +3,7 @@", "@@ -11,7 +11,7 @@"}},
		"at both its ends": {9, []int{0, 8}, []string{"@@ -1,4 +1,4 @@", "@@ -6,4 +6,4 @@"}},
	} {
		t.Run(name, func(t *testing.T) {
			before, after := numbered(test.lines), numbered(test.lines)
			for _, i := range test.changes {
				after[i] = "new\n"
			}
			var b bytes.Buffer
			writeDifference(&b, false, false, relink.Document{Path: "a", Before: []byte(strings.Join(before, "")),
				After: []byte(strings.Join(after, ""))})
			var hunks []string
			for line := range strings.Lines(b.String()) {
				if strings.HasPrefix(line, "@@") {
					hunks = append(hunks, strings.TrimSpace(line))
				}
			}
			assert.Equal(t, test.hunks, hunks, b.String())
		})
	}
	var b bytes.Buffer
	long := strings.Repeat("a ", 500)
	writeDifference(&b, false, true, relink.Document{Path: "a", Before: []byte("\x1b[2J" + long + "old"),
		After: []byte("\x1b[2J" + long + "new")})
	assert.NotContains(t, b.String(), "\x1b", "nothing that moves a terminal's cursor")
	assert.Contains(t, b.String(), "old\n\\ No newline at end of file\n+...")
}
