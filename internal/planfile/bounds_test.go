package planfile

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What would keep the YAML package busy for long, or take all memory, is refused before it sees it.
func TestPlansAreBounded(t *testing.T) {
	const head = "site: {origin: https://skerrywick.example}\n"
	many := func(n int, form string) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, form, i)
		}
		return b.String()
	}
	for text, want := range map[string]string{
		strings.Repeat("{a: ", 16000):              ":1:257: error unreadable: more than 64 brackets within one another",
		strings.Repeat("[", 200_000):               ":1:65: error unreadable: more than 64 brackets within one another",
		head + many(300_000, "k%d: 1\n"):           ":20000:7: error unreadable: more than 20000 keys and items",
		head + "a: [" + many(300_000, "%d,"):       "error unreadable: more than 20000 keys and items",
		head + strings.Repeat(" ", 201) + "a: 1\n": ":2:201: error unreadable: more than 200 columns of indentation",
		head + strings.Repeat("- ", 30) + "a\n":    ":2:1: error unreadable: more than 16 lists in lists",
		head + "# a\x00b\n":                        ":2:4: error unreadable: a control character",
		head + "# é\xffb\n":                        ":2:4: error unreadable: this byte is no UTF-8",
		head + "---\n" + head:                      ":3: error unreadable: a second document begins here",
	} {
		start := time.Now()
		_, err := Read("p.yaml", []byte(text))
		require.Error(t, err)
		assert.Contains(t, err.Error(), want)
		assert.Less(t, time.Since(start), 5*time.Second)
	}
	for _, text := range []string{"\ufeff" + head, head + "---\n", "---\n" + head, head + "# " + strings.Repeat("[", 100) + "\n",
		head + "rules:\n  - {from: \"/a/{x}\", to: '/b/{x}'} # [[[\n"} {
		_, err := Read("p.yaml", []byte(text))
		assert.NoError(t, err, text)
	}
}
