package gather_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
)

// fromTable returns what gather makes of a table: the pages by their keys, and what is wrong.
func fromTable(t *testing.T, text string, change func(*gather.Gatherer)) (map[string]*inventory.Page, []finding.Finding) {
	t.Helper()
	g := gather.Gatherer{Settings: demotest.Gathered(t, t.TempDir()).Settings, Today: "2026-11-23", Pages: &inventory.Inventory{},
		Book: &book.Book{}}
	change(&g)
	_, err := g.Read("t.csv", "", strings.NewReader(text))
	require.NoError(t, err)
	_, found := g.Merge()
	pages := map[string]*inventory.Page{}
	for i := range g.Pages.Pages {
		pages[g.Pages.Pages[i].Key] = &g.Pages.Pages[i]
	}
	return pages, found
}

func nothing(*gather.Gatherer) {}

// Dates are read as the column as a whole has them.
func TestDatesOfAColumn(t *testing.T) {
	for about, c := range map[string]struct{ one, other, first, second string }{
		"ISO":                    {"2019-03-12", "2019-12-25", "2019-03-12", "2019-12-25"},
		"dots":                   {"12.03.2019", "1.2.2019", "2019-03-12", "2019-02-01"},
		"slashes, day first":     {"3/12/2019", "25/12/2019", "2019-12-03", "2019-12-25"},
		"slashes, month first":   {"3/12/2019", "12/25/2019", "2019-03-12", "2019-12-25"},
		"hyphens, and a time":    {"31-12-2019 08:15", "01-02-2019", "2019-12-31", "2019-02-01"},
		"slashes, nobody knows":  {"3/12/2019", "4/5/2019", "3/12/2019", "4/5/2019"},
		"both ways":              {"13/1/2019", "1/13/2019", "13/1/2019", "1/13/2019"},
		"no date":                {"last week", "25/12/2019", "last week", "2019-12-25"},
		"a day that there isn't": {"31.02.2019", "1.2.2019", "31.02.2019", "2019-02-01"},
		"a year of two digits":   {"1.2.19", "1.2.2019", "1.2.19", "2019-02-01"},
	} {
		pages, found := fromTable(t, "key,title,url,modified\na,A,/a,"+c.one+"\nb,B,/b,"+c.other+"\n", nothing)
		assert.Equal(t, []string{c.first, c.second}, []string{pages["a"].Field("modified"), pages["b"].Field("modified")}, about)
		doubtful := about == "slashes, nobody knows" || about == "both ways"
		assert.Equal(t, doubtful, len(found) == 1 && found[0].Code == finding.AmbiguousDate, "%s: %v", about, found)
	}
}

// Words for states are read in several languages, and as told; values are given where a source says none.
func TestStatesAndGivenValues(t *testing.T) {
	pages, found := fromTable(t, "key,title,url,status,type\na,A,/a,aktiv,\nb,B,/b,Brouillon,guide\nc,C,/c,1,\nd,D,/d,Offline,\n"+
		"e,E,/e,Papierkorb,\n", func(g *gather.Gatherer) {
		g.States = map[string]string{"offline": "draft"}
		g.Given = map[string]string{"kind": "notice", "season": "summer", "language": "de"}
	})
	require.Empty(t, found)
	var got []string
	for _, key := range []string{"a", "b", "c", "d", "e"} {
		p := pages[key]
		got = append(got, string(p.State)+" "+p.Kind+" "+p.Field("season")+" "+p.Language)
	}
	assert.Equal(t, []string{"live notice summer de", "draft guide summer de", "live notice summer de", "draft notice summer de",
		"gone notice summer de"}, got)
	_, found = fromTable(t, "key,title,url,status\na,A,/a,sometimes\n", nothing)
	require.Len(t, found, 1)
	assert.Contains(t, found[0].Advice, "--state WORD=draft")
	word, state, err := gather.ParseState("Off=gone")
	require.NoError(t, err)
	assert.Equal(t, "off gone", word+" "+state)
	_, _, err = gather.ParseState("off=away-ish")
	require.Error(t, err)
}

// Two slashes at the beginning of what a log says are part of a path.
func TestLogPathWithTwoSlashes(t *testing.T) {
	g := gather.Gatherer{Settings: demotest.Gathered(t, t.TempDir()).Settings, Today: "2026-11-23", Pages: &inventory.Inventory{},
		Book: &book.Book{}}
	_, err := g.Read("access.log", "", strings.NewReader(
		`192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET //ports//kvitsund HTTP/1.1" 200 512 "-" "Mozilla/5.0"`+"\n"))
	require.NoError(t, err)
	g.Merge()
	require.Len(t, g.Visits, 1)
	assert.Equal(t, "//ports//kvitsund", g.Visits[0].Address.Path)
}

// A script that only a log names is no page: it would lose its address.
func TestScriptOfALog(t *testing.T) {
	g := gather.Gatherer{Settings: demotest.Gathered(t, t.TempDir()).Settings, Today: "2026-11-23", Pages: &inventory.Inventory{},
		Book: &book.Book{}}
	const line = `192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET %s HTTP/1.1" 200 512 "-" "Mozilla/5.0"` + "\n"
	_, err := g.Read("access.log", "", strings.NewReader(strings.ReplaceAll(line, "%s", "/basket.php")+
		strings.ReplaceAll(line, "%s", "/guide.htm")+strings.ReplaceAll(line, "%s", "/known.php")))
	require.NoError(t, err)
	_, err = g.Read("t.csv", "", strings.NewReader("key,title,url\nk,Known,/known.php\n"))
	require.NoError(t, err)
	summaries, _ := g.Merge()
	assert.Equal(t, 1, summaries[0].Ignored["a script that no other source names"])
	var keys []string
	for _, p := range g.Pages.Pages {
		keys = append(keys, p.Key)
	}
	assert.ElementsMatch(t, []string{"guide", "k"}, keys)
}
