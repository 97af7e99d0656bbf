package relink_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/relink"
)

// A link that leads to nothing is told with the page that probably took its place, and stays.
func TestPropose(t *testing.T) {
	p := ferries(t)
	l := relink.New(p, relink.AsWritten)
	text := "<a href='/guide/tides'>a</a> <a href='/guide/tides?x=1#y'>b</a> <a href='/quite/another'>c</a>"
	d := l.Document("a.html", []byte(text), relink.HTML, nil)
	require.False(t, d.Changed())
	found := d.Findings()
	relink.Propose(p, found)
	require.Len(t, found, 3)
	require.Equal(t, "https://skerrywick.example/guide/tides", found[0].Where.URL)
	for _, f := range found[:2] {
		require.Equal(t, finding.LinkUnknown, f.Code)
		require.Regexp(t, `^perhaps https://skerrywick.example/guides/tides took its place \(0\.\d\d: `, f.Advice)
	}
	require.Equal(t, "lead it to the page that took its place", found[2].Advice)
}
