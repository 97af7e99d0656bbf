package term_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/term"
)

func TestLines(t *testing.T) {
	for name, c := range map[string]struct {
		text  string
		width int
		want  []string
	}{
		"fits":           {"abc def", 7, []string{"abc def"}},
		"at a space":     {"abc def", 6, []string{"abc", "def"}},
		"at a slash":     {"/routes/north-isles", 9, []string{"/routes", "/north-", "isles"}},
		"nowhere":        {"abcdefgh", 3, []string{"abc", "def", "gh"}},
		"wide":           {"日本語", 4, []string{"日本", "語"}},
		"too wide":       {"日本", 1, []string{"日", "本"}},
		"empty":          {"", 5, []string{""}},
		"coloured":       {"\x1b[1mabc\x1b[0m def", 7, []string{"\x1b[1mabc\x1b[0m def"}},
		"coloured, long": {"\x1b[1mabc\x1b[0m def", 5, []string{"\x1b[1mabc\x1b[0m", "def"}},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, term.Lines(c.text, c.width))
		})
	}
}

func TestWrapping(t *testing.T) {
	var b bytes.Buffer
	w := term.Wrapping(&b, term.Style{Width: 20})
	for _, part := range []string{"short\n  this line goes on", " and on below\nno end of it, and a long one"} {
		_, err := fmt.Fprint(w, part)
		require.NoError(t, err)
	}
	require.NoError(t, w.Flush())
	assert.Equal(t, "short\n  this line goes on\n      and on below\nno end of it, and a\n    long one", b.String())
	b.Reset()
	w = term.Wrapping(&b, term.Style{})
	_, err := fmt.Fprint(w, strings.Repeat("long ", 100))
	require.NoError(t, err)
	assert.Equal(t, strings.Repeat("long ", 100), b.String(), "what isn't for a screen stays in its lines")
}

// No table and no finding is ever wider than the screen, and nothing of a cell is lost.
func TestEverythingFitsTheScreen(t *testing.T) {
	rows := [][]string{
		{"guide-weather@en", "1", "https://skerrywick.example/guides/islands/north/weather-and-tides", "/de/reisefuehrer/wetter-und-gezeiten"},
		{"guide-kayak@en", "20000", "https://skerrywick.example/guides/islands/north/kayaking-for-beginners", "広い海の島々への長い道"},
		{"x", "", "https://skerrywick.example/guides/islands/north/ספינה", ""},
	}
	columns := []string{"page", "visits", "old address", "new address"}
	list := []finding.Finding{
		{Code: finding.Chain, Severity: finding.Error, Where: finding.Place{URL: rows[0][2]}, What: "this leads to " + rows[1][2],
			Advice: "write " + rows[0][2]},
		{Code: finding.Chain, Severity: finding.Error, Where: finding.Place{URL: rows[1][2]}, What: "this leads to " + rows[0][2],
			Evidence: []string{rows[2][2]}, Visits: 7},
		{Code: finding.Loop, Severity: finding.Error, Where: finding.Place{File: "redirects.csv", Line: 3}, What: "round"},
	}
	for width := 20; width < 200; width++ {
		for _, style := range []term.Style{{Width: width}, {Width: width, Colour: true, Drawn: true}} {
			var b bytes.Buffer
			w := term.Wrapping(&b, style)
			require.NoError(t, term.Table(w, style, columns, rows))
			require.NoError(t, term.Findings(w, style, list, false))
			require.NoError(t, w.Flush())
			for line := range strings.Lines(b.String()) {
				line = strings.TrimSuffix(line, "\n")
				require.LessOrEqual(t, text.StringWidthWithoutEscSequences(line), width, "%q", line)
			}
			packed := strings.NewReplacer(" ", "", "\n", "").Replace(text.StripEscape(b.String()))
			if width > 80 { // below, cells are broken between those beside them
				assert.Contains(t, packed, "weather-and-tides")
			}
		}
	}
}

// Cells differ behind what is left out of them.
func TestCellsAreShortenedWhereTheyAgree(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, term.Table(&b, term.Style{Width: 38}, []string{"n", "address"}, [][]string{
		{"1", "/guides/islands/of/the/north/weather"}, {"2", "/guides/islands/of/the/north/kayaking"}}))
	assert.Equal(t, "n  address\n---------------------------\n1  /.../weather\n2  /.../kayaking\n",
		strings.Replace(b.String(), strings.Repeat("-", strings.Count(b.String(), "-")), strings.Repeat("-", 27), 1))
}

// An origin that all addresses share is said once; one that only some have stays in each.
func TestTheOriginIsSaidOnce(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, term.Table(&b, term.Style{}, []string{"page", "address"}, [][]string{
		{"a", "https://skerrywick.example/a"}, {"b", "https://skerrywick.example/b"}}))
	assert.Equal(t, "on https://skerrywick.example\npage  address\n-------------\na     /a\nb     /b\n", b.String())
	b.Reset()
	require.NoError(t, term.Table(&b, term.Style{}, []string{"page", "address"}, [][]string{
		{"a", "https://skerrywick.example/a"}, {"b", "http://skerrywick.example/b"}}))
	assert.Contains(t, b.String(), "https://skerrywick.example/a")
	assert.Contains(t, b.String(), "http://skerrywick.example/b")
	b.Reset()
	require.NoError(t, term.Table(&b, term.Style{}, []string{"address"}, [][]string{
		{"https://skerrywick.example/a"}, {"https://skerrywick.example/b"}}))
	assert.Contains(t, b.String(), "https://skerrywick.example/a", "a list to copy")
}

func TestStyleOf(t *testing.T) {
	environ := func(pairs ...string) func(string) string {
		return func(name string) string {
			for i := 0; i < len(pairs); i += 2 {
				if pairs[i] == name {
					return pairs[i+1]
				}
			}
			return ""
		}
	}
	var file bytes.Buffer
	assert.Equal(t, term.Style{}, term.StyleOf(&file, environ("LANG", "en_GB.UTF-8")), "no terminal")
	assert.Equal(t, term.Style{Width: 120}, term.StyleOf(&file, environ("COLUMNS", "120")))
	assert.Equal(t, term.Style{Width: 20}, term.StyleOf(&file, environ("COLUMNS", "3")))
	assert.Equal(t, term.Style{}, term.StyleOf(&file, environ("COLUMNS", "wide")))
}

// Of many findings of one cause five are shown, and what all say is said once.
func TestFindingsByCause(t *testing.T) {
	var list []finding.Finding
	for i := range 7 {
		list = append(list, finding.Finding{Code: finding.DeadTarget, Severity: finding.Error, Visits: 10 * i,
			Where: finding.Place{File: "r.csv", Line: i + 1}, What: fmt.Sprintf("/%d leads to nothing", i), Advice: "say 410"})
	}
	for _, code := range []finding.Code{finding.Self, finding.Loop, finding.Redundant} {
		list = append(list, finding.Finding{Code: code, Severity: finding.Warning, Where: finding.Place{File: "r.csv", Line: 9},
			What: "so", Why: "since"})
	}
	var b bytes.Buffer
	require.NoError(t, term.Findings(&b, term.Style{}, list, false))
	assert.Equal(t, `error dead-target: 7 times, 210 visits: a redirect leads to where no page is
    the visitor is led to an error
    r.csv:7: /6 leads to nothing (60 visits)
    r.csv:6: /5 leads to nothing (50 visits)
    r.csv:5: /4 leads to nothing (40 visits)
    r.csv:4: /3 leads to nothing (30 visits)
    r.csv:3: /2 leads to nothing (20 visits)
    and 2 more
    => say 410

r.csv:9: warning loop: so
    since

r.csv:9: warning redundant: so
    since

r.csv:9: warning self: so
    since

2 more; --all prints them
what matters most: dead-target (7 times, 210 visits), loop (once), redundant (once); young-compass findings dead-target says more
`, b.String())
	b.Reset()
	require.NoError(t, term.Findings(&b, term.Style{Colour: true}, list, true))
	assert.Contains(t, b.String(), "\x1b[1m/6\x1b[0m leads to nothing", "what differs is marked")
	assert.NotContains(t, b.String(), "and 2 more")
}

// What differs between what was and what is to be is marked, where both fit on a line.
func TestChangesAreMarked(t *testing.T) {
	var b bytes.Buffer
	rows := [][]string{{"a", "/fleet/mv-hilda", "/fleet/mv-hildina"}, {"b", "/same", "/same"}}
	require.NoError(t, term.Changes(&b, term.Style{Colour: true}, []string{"page", "was", "is"}, rows, 1, 2))
	assert.Contains(t, b.String(), "/fleet/mv-\x1b[1;4;31mhilda\x1b[0m")
	assert.Contains(t, b.String(), "/fleet/mv-\x1b[1;4;32mhildina\x1b[0m")
	assert.Contains(t, b.String(), "/same")
	b.Reset()
	require.NoError(t, term.Changes(&b, term.Style{}, []string{"page", "was", "is"}, rows, 1, 2))
	assert.NotContains(t, b.String(), "\x1b")
}
