package term

import (
	"bytes"
	"os"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
)

func TestOtherDevicesAreNoTerminals(t *testing.T) {
	null, err := os.Open(os.DevNull)
	require.NoError(t, err)
	defer func() { _ = null.Close() }()
	assert.False(t, IsTerminal(null), "a character device, but no terminal")
	assert.False(t, IsTerminal(strings.NewReader("")))
	assert.False(t, IsTerminal(nil))
}

func TestFitting(t *testing.T) {
	for name, c := range map[string]struct {
		text  string
		width int
		cut   string
	}{
		"short": {"abc", 5, "abc"}, "exact": {"abcde", 5, "abcde"}, "one too long": {"abcdef", 5, "ab..."},
		"wide letters": {"日本語", 5, "日..."}, "nothing": {"", 3, ""},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.cut, Cut(c.text, c.width))
			assert.True(t, utf8.ValidString(Pad(c.text, c.width)))
		})
	}
	for _, line := range Wrap("the ferry leaves the old quay at seven in the morning", 20, 3) {
		assert.LessOrEqual(t, len(line), 21)
	}
}

func TestColoursAreThereOnlyWhenWanted(t *testing.T) {
	for _, severity := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		assert.Equal(t, string(severity), Style{}.Severity(severity))
		assert.Contains(t, Style{Colour: true}.Severity(severity), "\x1b[")
	}
	assert.Equal(t, "a", Style{}.Bold("a")+Style{}.Dim(""))
}

// Nothing of the data reaches a terminal as a control character.
func TestHostileCells(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, Table(&b, Style{}, []string{"a", "n"}, [][]string{{"x\x1b[2Jy\n", "1"}, {"\u202egone", "20"}}))
	require.NoError(t, Findings(&b, Style{},
		[]finding.Finding{{Code: finding.Loop, Severity: finding.Error, What: "a\x07b", Why: "c\r", Advice: "d\x1b",
			Evidence: []string{"e\x00"}}}, false))
	assert.False(t, strings.ContainsAny(b.String(), "\x1b\x07\r\x00\u202e"), "%q", b.String())
}

func TestUnits(t *testing.T) {
	for want, n := range map[string]int64{"0 B": 0, "999 B": 999, "1000 B": 1000, "92.5 MiB": 97_000_000} {
		t.Run(want, func(t *testing.T) {
			assert.Equal(t, want, Bytes(n))
		})
	}
	assert.Equal(t, "1000", Plain(1000))
}
