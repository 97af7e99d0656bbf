package page_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/page"
)

// The words of a page's body are kept up to a bound, without menus, scripts and styles.
func TestReadText(t *testing.T) {
	const text = `<!DOCTYPE html><html lang="de"><title>Fähren</title><style>p{}</style><nav>Start Preise</nav>` +
		`<h1>Alle Fähren</h1><p>Sie fahren &amp; legen an.<script>var x</script><footer>Impressum</footer>`
	signals, words, err := page.ReadText(strings.NewReader(text), "text/html; charset=utf-8", 1000)
	require.NoError(t, err)
	assert.Equal(t, "Fähren", signals.Title)
	assert.Equal(t, "de", signals.Language)
	assert.Equal(t, "Alle Fähren Sie fahren & legen an.", strings.TrimSpace(words))
	for _, n := range []int{0, 1, 5, 6, 12, 13} {
		_, words, err := page.ReadText(strings.NewReader(text), "text/html; charset=utf-8", n)
		require.NoError(t, err)
		assert.LessOrEqual(t, len(words), n)
		assert.True(t, strings.HasPrefix("Alle Fähren Sie ", words), words)
	}
	same, err := page.Read(strings.NewReader(text), "text/html; charset=utf-8")
	require.NoError(t, err)
	assert.Equal(t, same, signals)
}
