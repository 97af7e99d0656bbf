package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
)

// A list that is written in parts is what it would be in one.
func TestWriteList(t *testing.T) {
	for _, n := range []int{0, 1, 2, 3, 511, 512, 513, listedTogether - 1, listedTogether, listedTogether + 1,
		2*listedTogether + 3} {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			list := make([]finding.Finding, n)
			for i := range list {
				list[i] = finding.Finding{Code: finding.Loop, What: fmt.Sprintf("the way %d, a \"circle\",\n", i),
					Related: make([]finding.Place, i%3)}
			}
			var b bytes.Buffer
			out := bufio.NewWriter(&b)
			require.NoError(t, writeList(out, "  ", list, func(f finding.Finding) any { return f }))
			require.NoError(t, out.Flush())
			want, err := json.MarshalIndent(list, "  ", "  ")
			require.NoError(t, err)
			assert.Equal(t, string(want), b.String())
		})
	}
	broken := errors.New("broken")
	err := writeList(bufio.NewWriter(&bytes.Buffer{}), "", make([]int, 1000), func(int) any { return unwritable{broken} })
	assert.ErrorIs(t, err, broken)
}

// unwritable is what can't be written as JSON.
type unwritable struct{ err error }

func (u unwritable) MarshalJSON() ([]byte, error) { return nil, u.err }
