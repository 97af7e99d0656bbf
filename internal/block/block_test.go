package block_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/block"
)

// What is put between marks is found again, whatever lines end in, and an edit is seen.
func TestBlocks(t *testing.T) {
	for _, ending := range []string{"\n", "\r\n", "\r"} {
		file := "a" + ending + block.Marked("one", "", "x\ny\n", ending) + "b" + ending + block.Marked("two", "joined", "", ending)
		lines := strings.SplitAfter(file, ending)
		list, err := block.Find(lines)
		require.NoError(t, err)
		require.Len(t, list, 2)
		assert.Equal(t, []string{"one", "", "x" + ending + "y" + ending}, []string{list[0].Name, list[0].Note, list[0].Text})
		assert.Equal(t, []int{1, 5}, []int{list[0].Begin, list[0].End})
		assert.Equal(t, []string{"two", "joined", ""}, []string{list[1].Name, list[1].Note, list[1].Text})
		require.NoError(t, list[0].Edited())
		require.NoError(t, list[1].Edited())

		lines[2] = "z" + ending
		list, err = block.Find(lines)
		require.NoError(t, err)
		require.EqualError(t, list[0].Edited(), "line 2: what was installed here has been edited by hand")
		_, err = block.Find(lines[:4])
		require.ErrorContains(t, err, "line 2: what was installed here has no end")
	}
}
