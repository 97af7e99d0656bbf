package lint

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

func origin() address.Address {
	return address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"}
}

func subject(t testing.TB, text string) Subject {
	t.Helper()
	a, err := address.Resolve(origin(), text)
	require.NoError(t, err)
	return Subject{Text: text, Address: a, Language: "en"}
}

func codes(list []finding.Finding) string {
	var all []string
	for _, f := range list {
		all = append(all, string(f.Code))
	}
	return strings.Join(all, " ")
}

func TestFaultsOfOneAddress(t *testing.T) {
	for text, want := range map[string]string{
		"/": "", "/routes/north-isles/skerrywick-to-grimsay": "", "/notices/2026": "", "/fleet/mv-kittiwake-ii": "",
		"/page/4711":                     "opaque-id",
		"/p4711":                         "opaque-id",
		"/a3f9c2e87b":                    "opaque-id",
		"/top-10":                        "",
		"/index.php?item=214":            "index-file opaque-id query-address",
		"/routes?lang=de":                "query-address",
		"/routes?sid=8f3":                "session-id",
		"/routes;jsessionid=1A2B":        "session-id capitals",
		"/index.html":                    "index-file",
		"/about.aspx":                    "technical-extension",
		"/leaflet.pdf":                   "",
		"/harbour_walk":                  "underscore",
		"/harbour%20walk":                "space",
		"/harbour+walk":                  "space",
		"/Harbour-Walk":                  "capitals",
		"/h%C3%A5vn":                     "encoded-letters",
		"/h%E5vn":                        "encoded-letters",
		"/a--b":                          "double-separator",
		"/a//b":                          "double-separator",
		"/thisisaverylongwordwithoutany": "missing-separator",
		"/a/b/c/d/e":                     "deep-address",
		"/" + strings.Repeat("word-", 15) + "end-of-it": "filler-words long-address repeated-word",
		"/ferry/ferry-times":                            "repeated-word",
		"/guide/the-best-of-skerrywick":                 "filler-words",
		"/the-sound":                                    "",
		"/en/routes":                                    "default-language-prefix",
		"/english":                                      "",
		"/%7Bslug%7D":                                   "placeholder",
		"/%25title%25":                                  "placeholder",
		"/undefined/x":                                  "placeholder",
	} {
		t.Run(text, func(t *testing.T) {
			got := codes(Judge{DefaultLanguage: "en"}.Findings([]Subject{subject(t, text)}))
			assert.ElementsMatch(t, strings.Fields(want), strings.Fields(got), text)
		})
	}
}

func TestDateIn(t *testing.T) {
	for text, want := range map[string]string{"a/b": "", "2024": "2024", "a/2024-05-07-x": "2024-05-07",
		"x-1999-12": "1999-12", "12024": "", "3024": "", "2024-99": "2024", "v2024b": "2024"} {
		assert.Equal(t, want, dateIn(strings.Split(text, "/")), text)
	}
	for text, want := range map[string]bool{"2026": true, "05": true, "7": true, "31": true, "32": false, "0": false,
		"-5": false, "1800": false, "007": false, "": false} {
		assert.Equal(t, want, datePart(text), text)
	}
}

func TestPlaceholders(t *testing.T) {
	for text, want := range map[string]bool{"{slug}": true, "{{ page.title }}": true, "${name}": true, "$name": true,
		"%title%": true, "<title>": true, "[field-name]": true,
		"null": true, "{}": false, "{1}": false, "100%": false, "$5": false, "a{b}": false, "slug": false} {
		assert.Equal(t, want, placeholder(text), text)
	}
}

func TestDatesBelongToSomeKinds(t *testing.T) {
	s := subject(t, "/2024/05/07/pier-rebuilt")
	s.Kind = "page"
	assert.Contains(t, codes(Judge{}.Findings([]Subject{s})), "needless-date")
	s.Dated = true
	assert.Empty(t, codes(Judge{}.Findings([]Subject{s})))
}

// What addresses show only together.
func TestMixedAndRepeated(t *testing.T) {
	got := codes(Judge{}.Findings([]Subject{subject(t, "/ports/kvitsund.html"), subject(t, "/routes/kvitsund"),
		subject(t, "/fleet/kvitsund"), subject(t, "/a")}))
	assert.Contains(t, got, string(finding.MixedExtensions))
	assert.Contains(t, got, string(finding.SameLastSegment))
}

func TestABetterAddress(t *testing.T) {
	for text, want := range map[string]string{
		"/Guides/Harbour_Walk.html": "/guides/harbour-walk",
		"/en/MvSkerryBelle.php":     "/mv-skerry-belle",
		"/Fisch%20&%20Chips.HTM":    "/fisch-and-chips",
		"/a//b/index.html":          "/a/b",
		"/which-island-is-the-best": "/which-island-best",
		"/Caf%C3%A9/caf%C3%A9":      "/cafe",
		"/routes;jsessionid=1":      "/routes",
		"/show.php?id=7":            "/the-title",
		"/4711":                     "/the-title",
		"/guides/%7Bslug%7D":        "/guides/the-title",
	} {
		t.Run(text, func(t *testing.T) {
			s := subject(t, text)
			s.Title = "The title"
			assert.Equal(t, want, Judge{DefaultLanguage: "en"}.better(s), text)
		})
	}
	s := subject(t, "/x_y")
	s.Better = "/decided"
	found := Judge{}.Findings([]Subject{s})
	require.Len(t, found, 1)
	assert.Equal(t, "better: /decided", found[0].Advice)
	assert.Equal(t, "x_y in /x_y", found[0].What)
}

// A better address has no faults that can be mended without knowing the page.
func TestBetterIsBetter(t *testing.T) {
	piece := rapid.SampledFrom([]string{"Guides", "harbour_walk", "a%20b", "%C3%A5", "index.html", "x.php", "en",
		"MvBelle", "a--b", "", "the-best-of-it", "routes"})
	judge := Judge{DefaultLanguage: "en", Limits: Limits{Depth: 100, Length: 8000}}
	rapid.Check(t, func(t *rapid.T) {
		text := "/" + strings.Join(rapid.SliceOfN(piece, 1, 6).Draw(t, "pieces"), "/")
		a, err := address.Resolve(origin(), "https://skerrywick.example"+text)
		require.NoError(t, err)
		s := Subject{Text: text, Address: a, Language: "en"}
		better := judge.better(s)
		if better == "" || better == "/" {
			return
		}
		b, err := address.Resolve(origin(), better)
		require.NoError(t, err)
		for _, f := range judge.faults(Subject{Text: better, Address: b, Language: "en"}) {
			assert.Contains(t, []string{"repeated-word", "default-language-prefix"}, string(f.code), "%s became %s",
				text, better)
		}
		assert.GreaterOrEqual(t, judge.Readable(Subject{Address: b, Language: "en"}), judge.Readable(s), "%s became %s",
			text, better)
	})
}

func TestTogether(t *testing.T) {
	var list []Subject
	for _, text := range []string{"/a/x/", "/b/x", "/c/y.html", "/d/z"} {
		s := subject(t, text)
		s.Kind = "page"
		list = append(list, s)
	}
	found := Judge{}.together(list)
	assert.Equal(t, "mixed-slash mixed-extensions same-last-segment", codes(found))
	assert.Equal(t, []string{"/a/x/"}, found[0].Evidence, "the fewer are shown")
	list[1].Kind = "other"
	assert.Equal(t, "mixed-slash mixed-extensions", codes(Judge{}.together(list)),
		"pages of different kinds are different pages")
}

func TestAWordThatShouldHaveBeenAField(t *testing.T) {
	var list []Subject
	for i := range 3 {
		s := subject(t, fmt.Sprintf("/guides/category/page-%c", 'a'+i))
		s.Kind = "guide"
		list = append(list, s)
	}
	found := Judge{}.Findings(list)
	require.Equal(t, "placeholder", codes(found))
	assert.Equal(t, `all 3 pages of the kind guide have the word "category" in their address`, found[0].What)
	list[2] = subject(t, "/guides/walks/page-c")
	list[2].Kind = "guide"
	assert.Empty(t, Judge{}.Findings(list))
}

func TestSummarise(t *testing.T) {
	s := Judge{}.Summarise([]Subject{subject(t, "/"), subject(t, "/routes/a"), subject(t, "/routes/b?x=y"),
		subject(t, "/ports/c_d")})
	assert.Equal(t, 4, s.Addresses)
	assert.Equal(t, 1, s.Queries)
	assert.Equal(t, 95, s.Readability, "(100 + 100 + 85 + 95) / 4")
	assert.Equal(t, []Count{{"routes", 2}, {"ports", 1}}, s.First)
	assert.Equal(t, 4, s.Lengths[0].Count)
	assert.Equal(t, 3, s.Depths[2].Count)
	assert.Zero(t, Judge{}.Summarise(nil).Readability)
}

func TestRead(t *testing.T) {
	subjects, found, err := Read("list.txt",
		strings.NewReader("\ufeffhttps://skerrywick.example/a\n\n/b?c\nnonsense\n"), origin())
	require.NoError(t, err)
	require.Len(t, subjects, 2)
	assert.Equal(t, "https://skerrywick.example/b?c", subjects[1].Address.String())
	assert.Equal(t, 3, subjects[1].Where.Line)
	require.Len(t, found, 1)
	assert.Equal(t, "list.txt:4", found[0].Where.String())

	subjects, found, err = Read("list.csv", strings.NewReader("kind,address,title\nguide,/a,A\n,,\nguide,ftp://x/,B\n"),
		origin())
	require.NoError(t, err)
	require.Len(t, subjects, 1)
	assert.Equal(t, "guide", subjects[0].Kind)
	assert.Len(t, found, 1)

	_, _, err = Read("junk", strings.NewReader("what,ever\n"), origin())
	assert.ErrorContains(t, err, `there is no column "address"`)
	_, _, err = Read("long", strings.NewReader("/a\n"+strings.Repeat("x", 1<<20)), origin())
	assert.ErrorContains(t, err, "a line can't be read")
}

func FuzzRead(f *testing.F) {
	f.Add("/a%20b?sid=1\n/%7Bx%7D;jsessionid=2")
	f.Add("address,title\n/x,Y")
	f.Fuzz(func(t *testing.T, text string) {
		subjects, _, err := Read("f", strings.NewReader(text), origin())
		if err != nil {
			return
		}
		Judge{DefaultLanguage: "en"}.Findings(subjects)
	})
}
