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
	"young-compass/internal/page"
	"young-compass/internal/project"
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
	assert.Contains(t, found[0].Advice, "--state '")
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

// pagesOf returns what gather makes of sources, as "key@language state kind title address...", by page.
func pagesOf(t *testing.T, g *gather.Gatherer) []string {
	t.Helper()
	addresses := map[inventory.Ref]string{}
	for _, e := range g.Book.Entries {
		addresses[e.Page] += " " + e.Address.Local()
	}
	var list []string
	for _, p := range g.Pages.Pages {
		list = append(list, p.Ref.String()+" "+string(p.State)+" "+p.Kind+" "+p.Title+addresses[p.Ref])
	}
	return list
}

func newGatherer(t *testing.T) *gather.Gatherer {
	return &gather.Gatherer{Settings: demotest.Gathered(t, t.TempDir()).Settings, Today: "2026-11-23", Pages: &inventory.Inventory{}, Book: &book.Book{}}
}

// A row of a wide table holds a page in all its languages.
func TestWideTables(t *testing.T) {
	for about, text := range map[string]string{
		"underscores":      "title_en;title_de;url_en;url_de;state\nFares;Preise;/fares;/de/preise;live\nOnly here;;/here;;draft\n",
		"brackets":         "Title (EN);Title (DE);URL (EN);URL (DE);Status\nFares;Preise;/fares;/de/preise;aktiv\nOnly here;;/here;;entwurf\n",
		"another language": "titel-en,titel-de,adresse-en,adresse-de,status\nFares,Preise,/fares,/de/preise,1\nOnly here,,/here,,0\n",
	} {
		g := newGatherer(t)
		_, err := g.Read("t.csv", "", strings.NewReader(text))
		require.NoError(t, err, about)
		_, found := g.Merge()
		assert.Empty(t, found, about)
		assert.ElementsMatch(t, []string{"fares@en live page Fares /fares", "fares@de live page Preise /de/preise", "here@en draft page Only here"}, pagesOf(t, g), about)
	}
	g := newGatherer(t)
	_, err := g.Read("t.csv", "", strings.NewReader("id,title_en,title_nb,region\nf,Fares,Priser,north\n"))
	require.NoError(t, err)
	g.Merge()
	assert.ElementsMatch(t, []string{"f@en live page Fares", "f@nb live page Priser"}, pagesOf(t, g))
	assert.Equal(t, "north", g.Pages.Pages[0].Field("region"))
	pages, _ := fromTable(t, "key,title_en,text_all,url\na,A,x,/a\n", nothing)
	assert.Equal(t, "A", pages["a"].Field("title_en"), "one language alone makes no wide table")
}

// Empty columns behind the last are none, and neither are their cells; a cell that holds something is a mistake.
func TestColumnsBehindTheLast(t *testing.T) {
	pages, found := fromTable(t, "key,title,url,,\na,A,/a,,\nb,B,/b,\nc,C,/c,,x\n", nothing)
	assert.Len(t, pages, 2)
	require.Len(t, found, 1)
	assert.Equal(t, "t.csv:4: error bad-row: 5 fields where the header has 3; name the column, or quote a field that holds a separator", found[0].String())
}

// The site's name is taken off titles where most have it, and headings are titles where titles say nothing.
func TestTitlesOfASite(t *testing.T) {
	for about, c := range map[string]struct {
		n      int // pages with the site's name
		others int
		title  func(n string) string
		want   string
		noted  bool
	}{
		"at the end":           {5, 0, func(n string) string { return n + " | Skerrywick Ferries" }, "Pier 0", true},
		"at the beginning":     {6, 1, func(n string) string { return "Skerrywick – " + n }, "Pier 0", true},
		"too few":              {4, 0, func(n string) string { return n + " | Skerrywick Ferries" }, "Pier 0 | Skerrywick Ferries", false},
		"not most":             {6, 6, func(n string) string { return n + " | Skerrywick Ferries" }, "Pier 0 | Skerrywick Ferries", false},
		"all have one title":   {5, 0, func(string) string { return "Skerrywick Ferries" }, "Heading 0", true},
		"hyphens within words": {5, 0, func(n string) string { return n + "-Skerrywick" }, "Pier 0-Skerrywick", false},
	} {
		g := newGatherer(t)
		g.BeginSite("https://skerrywick.example/")
		for i := range c.n + c.others {
			name := "Pier " + string(rune('0'+i))
			signals := page.Signals{Title: name, Headings: []string{"Heading " + string(rune('0'+i))}}
			if i < c.n {
				signals.Title = c.title(name)
			}
			g.AddPage("", "https://skerrywick.example/p"+string(rune('a'+i)), signals)
		}
		summaries, _ := g.Merge()
		assert.Equal(t, c.want, g.Pages.Find(inventory.Ref{Key: "pa", Language: "en"}).Title, about)
		assert.Equal(t, c.noted, len(summaries[0].Notes) > 0, about)
	}
}

// A crawl that finds one page at many addresses gives one page: by its canonical link, or by its text.
func TestOnePageAtManyAddresses(t *testing.T) {
	g := newGatherer(t)
	g.BeginSite("https://skerrywick.example/")
	text := "<title>Fares</title><body><p>" + strings.Repeat("one adult there and back on a weekday costs twelve pounds and children travel free of charge with us ", 3)
	for i, at := range []string{"/fares", "/fares?sid=1&tab=2", "/preise-fares-x", "/fares?tab=3"} {
		signals, err := page.Read(strings.NewReader(text), "text/html")
		require.NoError(t, err)
		if i == 3 {
			signals.Title = "Another title"
		}
		g.AddPage("", "https://skerrywick.example"+at, signals)
	}
	short, err := page.Read(strings.NewReader("<title>Fares</title><p>Fares"), "text/html")
	require.NoError(t, err)
	g.AddPage("", "https://skerrywick.example/s1", short)
	g.AddPage("", "https://skerrywick.example/s2", short)
	summaries, _ := g.Merge()
	assert.ElementsMatch(t, []string{"fares@en live page Fares /fares /fares?sid=1&tab=2 /preise-fares-x", "fares-tab-3@en live page Another title /fares?tab=3",
		"s1@en live page Fares /s1", "s2@en live page Fares /s2"}, pagesOf(t, g), "too little text tells nothing")
	assert.Equal(t, []string{"3 addresses show the text of /fares: they are taken for one page"}, summaries[0].Notes)
}

// The key of translations is made of the words of the default language.
func TestKeysOfTheDefaultLanguage(t *testing.T) {
	g := newGatherer(t)
	_, err := g.Read("sitemap.xml", "", strings.NewReader(`<urlset xmlns:x="http://www.w3.org/1999/xhtml"><url><loc>https://skerrywick.example/de/aal</loc>`+
		`<x:link rel="alternate" hreflang="en" href="https://skerrywick.example/eel"/></url><url><loc>https://skerrywick.example/eel</loc></url></urlset>`))
	require.NoError(t, err)
	g.Merge()
	assert.ElementsMatch(t, []string{"eel@de live page  /de/aal", "eel@en live page  /eel"}, pagesOf(t, g))
}

// A journal's export holds more than its pages: comments, drafts, what is in the bin, attachments, templates.
func TestExportOfAJournal(t *testing.T) {
	for about, text := range map[string]string{
		"RSS with extensions": `<rss xmlns:e="urn:some-export"><channel>
<item><title>Storm</title><link>https://skerrywick.example/storm</link><e:status>publish</e:status><e:post_type>post</e:post_type><e:post_name>storm-2</e:post_name></item>
<item><title>Calm</title><guid>g2</guid><e:status>draft</e:status><e:post_type>post</e:post_type></item>
<item><title>Old</title><link>https://skerrywick.example/old</link><e:status>trash</e:status><e:post_type>post</e:post_type></item>
<item><title>About</title><link>https://skerrywick.example/about</link><e:status>publish</e:status><e:post_type>page</e:post_type></item>
<item><title>pier.jpg</title><link>https://skerrywick.example/pier-jpg</link><e:status>inherit</e:status><e:post_type>attachment</e:post_type></item>
<item><title>Menu</title><e:status>publish</e:status><e:post_type>nav_menu_item</e:post_type></item>
<item><title>Re</title><e:post_type>comment</e:post_type></item>
</channel></rss>`,
		"Atom with kinds": `<feed xmlns="http://www.w3.org/2005/Atom" xmlns:app="http://www.w3.org/2007/app" xmlns:thr="http://purl.org/syndication/thread/1.0">
<entry><id>1</id><category scheme="http://some.example/#kind" term="http://some.example/#post"/><title>Storm</title><link href="https://skerrywick.example/storm"/></entry>
<entry><id>2</id><category scheme="http://some.example/#kind" term="http://some.example/#post"/><title>Calm</title><app:control><app:draft>yes</app:draft></app:control></entry>
<entry><id>3</id><category scheme="http://some.example/#kind" term="http://some.example/#comment"/><title>Nice</title><thr:in-reply-to ref="1"/></entry>
<entry><id>4</id><title>Me too</title><thr:in-reply-to ref="1"/><link href="https://skerrywick.example/storm#c4"/></entry>
<entry><id>5</id><category scheme="http://some.example/#kind" term="http://some.example/#template"/><title>Template</title></entry>
<entry><id>6</id><category scheme="http://some.example/#kind" term="http://some.example/#settings"/><title>Time zone</title></entry>
</feed>`,
	} {
		g := newGatherer(t)
		_, err := g.Read("export.xml", "", strings.NewReader(text))
		require.NoError(t, err, about)
		summaries, found := g.Merge()
		assert.Empty(t, found, about)
		states := map[string]int{}
		for _, c := range summaries[0].Pages {
			states[c.State] += c.Pages
		}
		if strings.HasPrefix(about, "RSS") {
			assert.Equal(t, map[string]int{"live": 2, "draft": 1, "gone": 1}, states, about)
			assert.Equal(t, map[string]int{"an attachment": 1, "a template or a setting": 1, "a reply to another entry": 1}, summaries[0].Ignored)
			assert.Equal(t, "storm-2", g.Pages.Find(inventory.Ref{Key: "storm", Language: "en"}).Field("slug"))
			continue
		}
		assert.Equal(t, map[string]int{"live": 1, "draft": 1}, states, about)
		assert.Equal(t, map[string]int{"a reply to another entry": 2, "a template or a setting": 2}, summaries[0].Ignored)
		assert.Equal(t, []gather.Left{{Record: "Nice", Line: 4, Reason: "a reply to another entry"},
			{Record: "https://skerrywick.example/storm#c4", Line: 5, Reason: "a reply to another entry"}, {Record: "Template", Line: 6, Reason: "a template or a setting"},
			{Record: "Time zone", Line: 7, Reason: "a template or a setting"}}, summaries[0].Left)
	}
}

// Every ignored record is kept where that is wanted, else five for each reason.
func TestIgnoredRecords(t *testing.T) {
	for all, want := range map[bool]int{false: 5, true: 7} {
		g := newGatherer(t)
		g.AllIgnored = all
		_, err := g.Read("l.txt", "list", strings.NewReader(strings.Repeat("https://elsewhere.example/x\n", 7)))
		require.NoError(t, err)
		summaries, _ := g.Merge()
		assert.Len(t, summaries[0].Left, want)
		assert.Equal(t, 7, summaries[0].Ignored["on a host that is not the site's"])
	}
}

// Control characters of a source become spaces, and it is said where they were.
func TestControlCharactersAreTold(t *testing.T) {
	dir := t.TempDir()
	demotest.Write(t, dir+"/"+project.PlanFile, []byte(config))
	p := demotest.Load(t, dir)
	g := gather.Gatherer{Settings: p.Settings, Today: "2026-11-23", Pages: &inventory.Inventory{}, Book: &book.Book{}}
	_, err := g.Read("t.csv", "", strings.NewReader("key,title,note\na,Fa\x1bres,\"two\r\nlines\"\nb,Ports,x\nc,Po\u0085rts,\x01\n"))
	require.NoError(t, err)
	summaries, _ := g.Merge()
	assert.Contains(t, summaries[0].Notes, "3 values held control characters, which are spaces now: t.csv:2, t.csv:5, t.csv:5")
	assert.Equal(t, "Fa res", g.Pages.Find(inventory.Ref{Key: "a", Language: "en"}).Title)
}
