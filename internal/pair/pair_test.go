package pair

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
)

// pageAt makes a page of "language title /path".
func pageAt(t *testing.T, language, title, path string) Page {
	t.Helper()
	a, err := address.Parse("https://skerrywick.example" + path)
	require.NoError(t, err)
	return Page{Address: a, Language: language, Title: title}
}

// leads returns for each old page the path of the new one, or "gone".
func leads(before, after []Page) []string {
	var list []string
	for _, m := range Pair(before, after, nil) {
		if best := m.Best(); best != nil {
			list = append(list, after[best.New].Address.Local())
		} else {
			list = append(list, "gone")
		}
	}
	return list
}

func TestTellsApart(t *testing.T) {
	titles := []string{"C++ for ticket machines", "C# for ticket machines", "C for ticket machines", "Handbook 1.2",
		"Handbook 1.3", "Handbook 2.1", "Comparing with ==", "Comparing with ===",
		"Timetable 2019", "Timetable 2020", "Landing at Kvitsund", "Landing at Hildafjord", "Fares: cars",
		"Fares – bicycles"}
	var before, after []Page
	for i, title := range titles {
		before = append(before, pageAt(t, "en", title, fmt.Sprintf("/node/%d", 1000+i)))
		after = append(after, pageAt(t, "en", title, fmt.Sprintf("/pages/%c", 'a'+i)))
	}
	for i, got := range leads(before, after) {
		assert.Equal(t, fmt.Sprintf("/pages/%c", 'a'+i), got, titles[i])
	}
}

// A text's words that name things stand for it, however their parts are joined.
func TestWordsAreAlsoPutTogether(t *testing.T) {
	for text, want := range map[string][]string{
		"":                                       nil,
		"the boats sail":                         nil,
		"readFile and read_file":                 {"readfile", "readfile"},
		"fareTable2 of Reise-Tagebuch,":          {"faretable2", "reisetagebuch"},
		"a -- b, c- d, _e, f_":                   nil,
		"Fähr-Überfahrt":                         {"fahruberfahrt"},
		"x" + strings.Repeat("_long", 11) + " y": {"x" + strings.Repeat("long", 11)},
		"x" + strings.Repeat("_long", 12) + " y": nil, // no name is so long
	} {
		var got []string
		wholes(text, func(word string) { got = append(got, word) })
		assert.Equal(t, want, got, text)
	}
}

// Lists of what each ship has are all called the same and share nearly all words; the ship's own name tells them apart.
func TestPagesOfOneTitleAreToldByTheirTexts(t *testing.T) {
	list := func(i, version int, path string) Page {
		p := pageAt(t, "en", "Equipment", path)
		p.Text = fmt.Sprintf("Equipment of the seaShip%c%d as of %d. This is the whole list of what is on board, shared decks included: "+
			"lifeBoat lifeJacket fireHose seaAnchor carDeck saloon galley wheelHouse engineRoom steeringGear", 'A'+i%26, i, version)
		return p
	}
	for _, n := range []int{2, 30, 31, 64, 501} { // none is a multiple of 7
		var before, after []Page
		var want []string
		for i := range n {
			before = append(before, list(i, 2024, fmt.Sprintf("/list.php?n=%d", 700+i)))
			after = append(after, list((i*7+3)%n, 2026, fmt.Sprintf("/equipment/%d", (i*7+3)%n)))
			want = append(want, fmt.Sprintf("/equipment/%d", i))
		}
		assert.Equal(t, want, leads(before, after), n)
	}
}

// Where very many pages have one title, and nothing else is known, nobody can say which is which; but they aren't gone.
func TestPagesOfOneTitleAreNotGone(t *testing.T) {
	for _, n := range []int{4, 30, 501} {
		var before, after []Page
		for i := range n {
			before = append(before, pageAt(t, "en", "Equipment", fmt.Sprintf("/list.php?n=%d", 700+i)))
			after = append(after, pageAt(t, "en", "Equipment", fmt.Sprintf("/equipment/%c%d", 'a'+i%26, i)))
		}
		before = append(before, pageAt(t, "en", "Whale watching", "/whales.html"))
		matches := Pair(before, after, nil)
		for _, m := range matches[:n] {
			assert.Less(t, m.Gone, 0.5, "%d pages: %v", n, m.GoneWhy)
		}
		assert.Greater(t, matches[n].Gone, 0.5, "%d pages", n)
		if n > 8 {
			assert.Contains(t, matches[0].GoneWhy, fmt.Sprintf("%d new pages have its title", n))
		}
	}
}

func TestLanguagesStayApart(t *testing.T) {
	before := []Page{pageAt(t, "de", "Museum am Hafen", "/de/museum.html"),
		pageAt(t, "en", "Harbour museum", "/museum.html"), pageAt(t, "nb", "Museum by the harbour", "/nb/museum.html")}
	after := []Page{pageAt(t, "en", "Museum by the harbour", "/en/museum"),
		pageAt(t, "de", "Museum am Hafen", "/de/museum")}
	assert.Equal(t, []string{"/de/museum", "/en/museum"}, leads(before[:2], after))
	matches := Pair(before, after, nil)
	for _, c := range matches[0].Candidates {
		assert.Equal(t, 1, c.New, "German has pages of its own")
	}
	require.NotEmpty(t, matches[2].Candidates, "Norwegian has none, so another language will do")
	assert.Contains(t, strings.Join(matches[2].Candidates[0].Reasons, "; "), "as nothing in nb was found")
}

func TestTheHomePageIsNoDefault(t *testing.T) {
	before := []Page{pageAt(t, "en", "Skerrywick Ferries", "/index.php?item=1"),
		pageAt(t, "en", "Skerrywick Ferries home", "/")}
	after := []Page{pageAt(t, "en", "Skerrywick Ferries", "/"), pageAt(t, "en", "Fares", "/fares")}
	assert.Equal(t, []string{"gone", "/"}, leads(before, after))
}

func TestOneForSeveralAndNoneForSome(t *testing.T) {
	before := []Page{pageAt(t, "en", "Walk around the harbour", "/walk.htm"),
		pageAt(t, "en", "Walk around the harbour (print)", "/walk-print.htm"),
		pageAt(t, "en", "Regatta results", "/regatta.htm")}
	after := []Page{pageAt(t, "en", "A walk around the harbour", "/guides/walk-harbour"),
		pageAt(t, "en", "Jobs on board", "/jobs")}
	found := leads(before, after)
	assert.Equal(t, "/guides/walk-harbour", found[0])
	assert.Equal(t, "gone", found[2])
	again := Pair(before, after, nil)[1] // nothing says that the page for printing isn't gone
	assert.True(t, again.Doubtful(0.9))
	assert.Zero(t, again.Candidates[0].New)
}

// What happened to many pages tells what happened to the next, and is said.
func TestLearnsFromOthers(t *testing.T) {
	var before, after []Page
	for i, word := range makeSite(60, 3).before {
		before = append(before, pageAt(t, "en", word.Title, fmt.Sprintf("/docs/%s.html", lastOf(word.URL))))
		after = append(after, pageAt(t, "en", word.Title, fmt.Sprintf("/library/%s-%d", lastOf(word.URL), i)))
	}
	before = append(before, pageAt(t, "en", "", "/docs/skerry.html"))
	after = append(after, pageAt(t, "en", "", "/library/skerry"), pageAt(t, "en", "", "/jobs/skerry"))
	matches := Pair(before, after, nil)
	last := matches[len(matches)-1]
	require.NotNil(t, last.Best())
	assert.Equal(t, "/library/skerry", after[last.Best().New].Address.Path)
	assert.Contains(t, last.Best().Reasons[len(last.Best().Reasons)-1], "docs -> library as ")
}

func TestReasons(t *testing.T) {
	before, after := pageAt(t, "en", "Summer boat to Kvitsund", "/index.php?item=214"),
		pageAt(t, "en", "The summer boat to Kvitsnd", "/routes/summer-boat-214")
	m := Pair([]Page{before}, []Page{after}, nil)[0]
	require.NotNil(t, m.Best())
	assert.Equal(t, "same id 214", m.Best().Reasons[0])
	assert.Regexp(t, `^title \d\d % alike$`, m.Best().Reasons[1])
}

func TestPlacesHaveAName(t *testing.T) {
	for place, want := range map[string]string{"": "/", "guide": "guide", "/shop/en": "shop/en", "guide/shop": "shop",
		"guide/": "guide"} {
		assert.Equal(t, want, placeName(place), place)
	}
}

func TestNothingToPair(t *testing.T) {
	assert.Empty(t, Pair(nil, nil, nil))
	assert.Equal(t, []string{"gone"}, leads([]Page{pageAt(t, "", "", "/")}, nil))
	assert.Equal(t, []string{"gone"}, leads([]Page{pageAt(t, "", "x", "/x")}, []Page{{}}))
}

func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		near bool
	}{
		{"harbour", "harbor", true}, {"timetable", "timtabel", true}, {"route", "routes", true},
		{"2019", "2020", false}, {"boat", "goat", false}, {"times", "tides", false}, {"boat", "baot", true},
		{"cab", "cat", false}, {"ferry", "freight", false}, {"kvitsund", "kvitsnud", true},
		{"island", "iceland", false},
	} {
		assert.Equal(t, c.near, near(c.a, c.b), "%s %s", c.a, c.b)
		assert.Equal(t, c.near, near(c.b, c.a), "%s %s", c.b, c.a)
	}
}

func TestSplit(t *testing.T) {
	for text, want := range map[string]string{
		"C++, C# & F.A.Q.":    "c|++|c|#|&|f|a|q",
		"v1.2.3 of 2024":      "v1|2.3|of|2024",
		"1.2.3, 4.":           "1.2.3|4",
		"Überfahrt NACH Fårö": "uberfahrt|nach|faro",
		"a == b":              "a|==|b",
		"":                    "",
		"フェリー 12":             "フェリー|12",
	} {
		t.Run(text, func(t *testing.T) {
			var words []string
			split(text, func(word string) { words = append(words, word) })
			assert.Equal(t, want, strings.Join(words, "|"), text)
		})
	}
}

func FuzzPair(f *testing.F) {
	f.Add("Walk 2019", "/a/b.html", "walk", "/c?d=12")
	f.Fuzz(func(t *testing.T, title, path, otherTitle, otherPath string) {
		one, err := address.Parse("https://skerrywick.example/" + path)
		if err != nil {
			return
		}
		other, err := address.Parse("https://skerrywick.example/" + otherPath)
		if err != nil {
			return
		}
		for _, m := range Pair([]Page{{Address: one, Title: title}},
			[]Page{{Address: other, Title: otherTitle, Text: title}}, nil) {
			sum := m.Gone
			for _, c := range m.Candidates {
				sum += c.Confidence
			}
			if sum < 0.5 || sum > 1.0001 {
				t.Fatal(sum)
			}
		}
	})
}

func BenchmarkPair(b *testing.B) {
	for _, m := range []mode{withTitles, withText} {
		for _, n := range []int{10000, 20000, 40000, 50000} {
			site := makeSite(n, 1)
			before, after := pages(b, site.before, m), pages(b, site.after, m)
			b.Run(fmt.Sprintf("%s/%d", m, n), func(b *testing.B) {
				for b.Loop() {
					Pair(before, after, nil)
				}
				b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(b.N*n), "us/page")
			})
		}
	}
}

// What is said to be sure is so in the written list too: confidences are thousandths, never rounded up.
func TestConfidencesAreAsWritten(t *testing.T) {
	site := makeShelf(300, 42)
	for _, m := range Pair(pages(t, site.before, withTitles), pages(t, site.after, withTitles), nil) {
		said := []float64{m.Gone}
		for _, c := range m.Candidates {
			said = append(said, c.Confidence)
		}
		for _, c := range said {
			read, err := strconv.ParseFloat(strconv.FormatFloat(c, 'f', 3, 64), 64)
			require.NoError(t, err)
			assert.InDelta(t, c, read, 1e-12)
		}
	}
	assert.InDelta(t, 0.899, written(0.8999), 1e-12)
	assert.InDelta(t, 0.89, written(0.89), 1e-12)
	assert.InDelta(t, 1, written(1), 1e-12)
}
