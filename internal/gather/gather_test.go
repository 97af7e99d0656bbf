package gather_test

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/planfile"
	"young-compass/internal/project"
	"young-compass/internal/source"
	"young-compass/internal/visits"
)

const config = `site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example], files: [/assets/]}
languages: {default: en, others: {de: {prefix: de}, nb: {prefix: nb}}}
parameters: {identity: [id], tracking: ["utm_*"], noise: [sid]}
`

// given is a file to gather.
type given struct {
	name string
	form source.Form
	text string
}

// gathered is what gathering works on, between runs.
type gathered struct {
	config *planfile.Settings
	pages  *inventory.Inventory
	book   *book.Book
	memory *gather.Memory
	visits []visits.Visit
}

func newProject(t *testing.T) *gathered {
	t.Helper()
	dir := t.TempDir()
	demotest.Write(t, filepath.Join(dir, project.PlanFile), []byte(config))
	return &gathered{demotest.Load(t, dir).Settings, &inventory.Inventory{File: project.PagesFile},
		&book.Book{File: project.AddressesFile}, &gather.Memory{}, nil}
}

// gather merges sources, and reads back what it wrote, as a next run would.
func (p *gathered) gather(t *testing.T, sources ...given) ([]gather.Summary, []finding.Finding) {
	t.Helper()
	g := gather.Gatherer{Settings: p.config, Today: "2026-11-23", Pages: p.pages, Book: p.book, Memory: p.memory}
	for _, s := range sources {
		_, err := g.Read(s.name, s.form, strings.NewReader(s.text))
		require.NoError(t, err, s.name)
	}
	summaries, found := g.Merge()
	var err error
	p.pages, _, err = inventory.Read(project.PagesFile, bytes.NewReader(g.Pages.Encode()), "en")
	require.NoError(t, err)
	p.book, _, err = book.Read(project.AddressesFile, bytes.NewReader(g.Book.Encode()))
	require.NoError(t, err)
	p.memory, _, err = gather.ReadMemory(project.GatheredFile, bytes.NewReader(g.Memory.Encode()))
	require.NoError(t, err)
	p.visits = g.Visits
	return summaries, found
}

func (p *gathered) files() string {
	return string(p.pages.Encode()) + "\n" + string(p.book.Encode()) + "\n" + string(p.memory.Encode()) + "\n" +
		string(visits.Encode(p.visits))
}

func (p *gathered) page(t *testing.T, name string) *inventory.Page {
	t.Helper()
	ref, ok := inventory.ParseRef(name)
	require.True(t, ok)
	page := p.pages.Find(ref)
	require.NotNil(t, page, "%s\n%s", name, p.pages.Encode())
	return page
}

func codes(found []finding.Finding) (lines []string) {
	for _, f := range found {
		lines = append(lines, f.String())
	}
	return lines
}

func TestFirstAddressIsCurrentFurtherOnesVariants(t *testing.T) {
	p := newProject(t)
	s, found := p.gather(t, given{"old.csv", "",
		"key,language,title,state,colour,address\na,en,A,live,red,/a.html\na,en,A,live,,/b.html\n" +
			"a,de,A,live,,http://www.skerrywick.example/a\nd,,D,draft,,/d\ne,,E,,,\nf,,F,,,https://other.example/f\n"})
	require.Empty(t, found)
	assert.Equal(t, `address,page,state,since
http://www.skerrywick.example/a,a@de,current,2026-11-23
https://skerrywick.example/a.html,a@en,current,2026-11-23
https://skerrywick.example/b.html,a@en,variant,2026-11-23
`, string(p.book.Encode()))
	assert.Equal(t, `key,language,kind,title,state,colour,fixed,canonical,robots
a,de,page,A,live,,,,
a,en,page,A,live,red,,,
d,en,page,D,draft,,,,
e,en,page,E,live,,,,
`, string(p.pages.Encode()))
	assert.Equal(t, gather.Summary{Source: "old.csv", Form: source.Table, Records: 6, New: 4, Addresses: 3,
		Columns: []gather.Mapping{}, Ignored: map[string]int{"on a host that is not the site's": 1},
		Left: []gather.Left{{Record: "https://other.example/f", Line: 7, Reason: "on a host that is not the site's"}},
		Pages: []gather.Count{{Kind: "page", Language: "de", State: "live", Pages: 1},
			{Kind: "page", Language: "en", State: "draft", Pages: 1},
			{Kind: "page", Language: "en", State: "live", Pages: 2}}}, s[0])
}

// What a person wrote stays; what a source said, a newer word of it replaces.
func TestHandEditedPagesStay(t *testing.T) {
	p := newProject(t)
	p.gather(t, given{"old.csv", "", "key,title,region,address\na,First,north,/a\nb,B,,/b\n"})
	p.page(t, "a@en").Title = "By hand"
	s, _ := p.gather(t, given{"old.csv", "", "key,title,region,address\na,Second,south,/a\nb,Renamed,,/b\n"})
	assert.Equal(t, "By hand", p.page(t, "a@en").Title)
	assert.Equal(t, "south", p.page(t, "a@en").Field("region"))
	assert.Equal(t, "Renamed", p.page(t, "b@en").Title)
	assert.Equal(t, []int{1, 2, 2, 0}, []int{s[0].Kept, s[0].Changed, s[0].Merged, s[0].New})

	p.page(t, "a@en").Set("region", "") // emptied by hand
	p.gather(t, given{"feed.xml", "", `<rss><channel><item><title>From the feed</title><link>/b</link></item>` +
		`</channel></rss>`})
	assert.Equal(t, "Renamed", p.page(t, "b@en").Title, "a feed's word counts less than what a table said")
	p.gather(t, given{"old.csv", "", "key,title,region\na,Third,west\n"})
	assert.Empty(t, p.page(t, "a@en").Field("region"))

	p.pages.Pages = p.pages.Pages[:1] // b deleted by hand
	p.pages, _, _ = inventory.Read(project.PagesFile, bytes.NewReader(p.pages.Encode()), "en")
	s, _ = p.gather(t, given{"old.csv", "", "key,title\nb,B\n"})
	assert.Equal(t, map[string]int{"deleted from pages.csv by hand": 1}, s[0].Ignored)
	assert.Nil(t, p.pages.Find(inventory.Ref{Key: "b", Language: "en"}))
}

// A run that breaks off between its writes is followed by the same files.
func TestBrokenOffBetweenWrites(t *testing.T) {
	first := given{"old.csv", "", "key,title,region,address\na,First,north,/a\nb,B,,/b\n"}
	second := given{"old.csv", "", "key,title,region,state,address\na,Second,north,,/a\nc,C,west,draft,/c\nd,D,,,/d\n"}
	whole, broken := newProject(t), newProject(t)
	for _, p := range []*gathered{whole, broken} {
		p.gather(t, first)
		p.page(t, "b@en").Title = "By hand"
	}
	memory, _, err := gather.ReadMemory(project.GatheredFile, bytes.NewReader(broken.memory.Encode()))
	require.NoError(t, err)
	entries := string(broken.book.Encode())
	whole.gather(t, second)
	broken.gather(t, second)
	broken.memory = memory // was not written
	broken.gather(t, second)
	assert.Equal(t, whole.files(), broken.files())
	broken.memory = memory
	broken.book, _, err = book.Read(project.AddressesFile, strings.NewReader(entries)) // nor was this
	require.NoError(t, err)
	broken.gather(t, second)
	assert.Equal(t, whole.files(), broken.files())
}

func TestPrecedence(t *testing.T) {
	p := newProject(t)
	_, found := p.gather(t,
		given{"sitemap.xml", "", `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>` +
			`https://skerrywick.example/a</loc><lastmod>2026-01-02T03:04:05Z</lastmod></url></urlset>`},
		given{"a", "", `<!doctype html><html lang="en"><title>From the page</title><link rel=canonical ` +
			`href="https://skerrywick.example/a"><meta name=robots content=noindex><h1>Heading</h1>`},
		given{"feed.atom", "", `<feed xmlns="http://www.w3.org/2005/Atom"><entry><title>From the feed</title><link ` +
			`href="/a"/><updated>2026-05-06T00:00:00Z</updated></entry></feed>`},
		given{"t.csv", "", "key,title,address\nkey-of-a,From the table,http://www.skerrywick.example/A\n"},
	)
	assert.Empty(t, found)
	a := p.page(t, "key-of-a@en")
	assert.Equal(t, "From the table", a.Title)
	assert.Equal(t, "2026-05-06", a.Field("date"))
	assert.Equal(t, "2026-01-02", a.Field("modified"))
	assert.Equal(t, "Heading", a.Field("heading"))
	assert.Equal(t, "noindex", a.Robots)
	assert.Len(t, p.pages.Pages, 1)

	p = newProject(t)
	_, found = p.gather(t, given{"one.csv", "", "key,title,state\na,One,live\n"},
		given{"two.csv", "", "key,title,state\na,Two,draft\n"})
	assert.Equal(t, []string{
		`one.csv:2: warning sources-differ: the state of a@en is "live" here and "draft" in two.csv:2; neither is ` +
			`taken; write the right one into pages.csv`,
		`one.csv:2: warning sources-differ: the title of a@en is "One" here and "Two" in two.csv:2; neither is taken; ` +
			`write the right one into pages.csv`,
	}, codes(found))
	assert.Empty(t, p.page(t, "a@en").Title)
	assert.Equal(t, inventory.Draft, p.page(t, "a@en").State, "nothing is published by a guess")
}

func TestAnAddressIsNotGivenAway(t *testing.T) {
	p := newProject(t)
	p.gather(t, given{"a.csv", "", "key,title,address\na,A,/a\n"})
	_, found := p.gather(t, given{"more.csv", "", "key,title,address\nb,B,/%61\nc d,C,/c\ne,E,ftp://x\nf,F,\n"})
	assert.Equal(t, []string{
		"more.csv:2: error bad-row: https://skerrywick.example/a belongs to a@en already, so it can't be given to " +
			"b@en; correct the key, or change the page in addresses.csv",
		`more.csv:3: error bad-row: key "c d" names no page; write it without @ / : ? # or spaces, and without = + or - at its beginning`,
		"more.csv:4: error bad-row: ftp://x is not an http or https address; write an http(s) address, or a path on " +
			"https://skerrywick.example/",
	}, codes(found))
}

func TestColumnsByTheirUsualNames(t *testing.T) {
	p := newProject(t)
	s, _ := p.gather(t, given{"t.csv", "",
		"ID;Page Title;URL;Status;Lang\n7;Storm;/page.php?id=7;Published;de\n8;Calm;/page.php?id=8;Pending;\n" +
			"9;Lost;/x;Not found;\n"})
	assert.Equal(t, []gather.Mapping{{Column: "key", From: "id"}, {Column: "title", From: "page title"},
		{Column: "address", From: "url"}, {Column: "language", From: "lang"}, {Column: "state", From: "status"}},
		s[0].Columns)
	assert.Equal(t, map[string]int{"not found": 1}, s[0].Ignored)
	assert.Equal(t, "key,language,kind,title,state,fixed,canonical,robots\n7,de,page,Storm,live,,,\n"+
		"8,en,page,Calm,draft,,,\n",
		string(p.pages.Encode()))
	require.Len(t, p.book.Entries, 1)

	p = newProject(t)
	m, err := gather.ParseColumn("address = Old Link")
	require.NoError(t, err)
	g := gather.Gatherer{Settings: p.config, Pages: p.pages, Book: p.book, Columns: []gather.Mapping{m}}
	_, err = g.Read("old.csv", "", strings.NewReader("key,title,old link,address\na,A,/a,Harbour Street 1\n"))
	require.NoError(t, err)
	g.Merge()
	assert.Equal(t, "https://skerrywick.example/a", p.book.Entries[0].Address.String())
	assert.Equal(t, "Harbour Street 1", p.pages.Pages[0].Field("other address"), "what had the name before is kept")

	_, err = g.Read("old.csv", "", strings.NewReader("key,title\n"))
	assert.ErrorContains(t, err, `there is no column "old link" to take for address`)
	for _, s := range []string{"", "address", "=x", "address="} {
		_, err := gather.ParseColumn(s)
		assert.Error(t, err, s)
	}
}

// A source without keys gets them from its addresses; translations share one.
func TestKeysOfSourcesWithoutAny(t *testing.T) {
	p := newProject(t)
	_, found := p.gather(t, given{"sitemap.xml", "", `<urlset xmlns:xhtml="http://www.w3.org/1999/xhtml">
<url><loc>https://skerrywick.example/</loc></url>
<url><loc>https://skerrywick.example/ports/Hildafjord.html</loc>
  <xhtml:link rel="alternate" hreflang="de" href="https://skerrywick.example/de/haefen/hildafjord"/>
  <xhtml:link rel="alternate" hreflang="x-default" href="https://skerrywick.example/ports/Hildafjord.html"/></url>
<url><loc>https://skerrywick.example/de/haefen/hildafjord</loc></url>
<url><loc>https://skerrywick.example/page.php?id=7&amp;sid=x</loc></url>
<url><loc>https://skerrywick.example/assets/logo.png</loc></url>
<url><loc>https://media.example/x</loc></url>
</urlset>`})
	assert.Empty(t, found)
	assert.Equal(t, "home@en page-id-7-sid-x@en ports-hildafjord@de ports-hildafjord@en", refs(p))
	p.gather(t, given{"list.txt", "", "https://skerrywick.example/page.php?id=7\nhttps://skerrywick.example/new\n"})
	assert.Equal(t, "home@en new@en page-id-7-sid-x@en ports-hildafjord@de ports-hildafjord@en", refs(p))

	p = newProject(t)
	p.gather(t, given{"f.atom", "", `<feed xmlns="http://www.w3.org/2005/Atom" ` +
		`xmlns:app="http://www.w3.org/2007/app"><entry><id>tag:skerrywick.example,2026:1</id><title>Spring &amp; ` +
		`storm</title><app:control><app:draft>yes</app:draft></app:control></entry></feed>`})
	assert.Equal(t, "spring-and-storm@en", refs(p))
	assert.Empty(t, p.book.Entries)
	p.gather(t, given{"f.atom", "", `<feed xmlns="http://www.w3.org/2005/Atom"><entry><id>` +
		`tag:skerrywick.example,2026:1</id><title>Spring storm</title><link ` +
		`href="https://skerrywick.example/news/spring"/></entry></feed>`})
	assert.Equal(t, "spring-and-storm@en", refs(p), "the entry is known by its id")
	assert.Equal(t, inventory.Live, p.page(t, "spring-and-storm@en").State)
	require.Len(t, p.book.Entries, 1)
}

func refs(p *gathered) string {
	var names []string
	for _, page := range p.pages.Pages {
		names = append(names, page.Ref.String())
	}
	return strings.Join(names, " ")
}

func TestPagesThatNameAnotherAsCanonical(t *testing.T) {
	p := newProject(t)
	g := gather.Gatherer{Settings: p.config, Pages: p.pages, Book: p.book}
	require.NoError(t, g.ReadFolder("html", fstest.MapFS{
		"guides/tides.html": {Data: []byte(`<!doctype html><html lang="en-GB"><title>Tides</title>`)},
		"nature/tides.html": {Data: []byte(`<!doctype html><title>Tides</title><link rel="canonical" ` +
			`href="../guides/tides.html">`)},
		"de/index.html": {Data: []byte(`<!doctype html><html lang="de"><title>Start</title>`)},
		"de/alt.html": {Data: []byte(`<!doctype html><title>Alt</title><link rel="canonical" ` +
			`href="https://media.example/alt">`)},
		"assets/app.js":        {Data: []byte("let a = 1 < 2")},
		"robots.txt":           {Data: []byte("User-agent: *")},
		".hidden/x.html":       {Data: []byte("<!doctype html><title>X</title>")},
		"notes/no-markup.html": {Data: []byte("plain words")},
	}))
	s, found := g.Merge()
	assert.Empty(t, found)
	assert.Equal(t, map[string]int{"no HTML page": 3}, s[0].Ignored)
	assert.Equal(t, `address,page,state,since
https://skerrywick.example/de/alt.html,alt@de,current,
https://skerrywick.example/guides/tides.html,guides-tides@en,current,
https://skerrywick.example/nature/tides.html,guides-tides@en,variant,
https://skerrywick.example/de/,home@de,current,
`, string(g.Book.Encode()))
}

func TestLogs(t *testing.T) {
	p := newProject(t)
	line := func(target, status, referrer, agent string) string {
		return `192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET ` + target + ` HTTP/1.1" ` + status + ` 1 "` +
			referrer + `" "` + agent + "\"\n"
	}
	const person, robot = "Mozilla/5.0 (X11)", "ExampleBot/1.0"
	s, found := p.gather(t, given{"access.log", "", line("/a?utm_source=x", "200", "-", person) +
		line("/a", "200", "-", person) + line("/a", "200", "-", robot) +
		line("/lost", "404", "https://search.example/", person) +
		line("/lost", "404", "https://search.example/", person) +
		line("/lost", "404", "https://b.example/,", person) +
		line("/assets/x.png", "200", "-", person) + line("/new?id=3&x=1", "200", "-", person) +
		line("/new?id=3&x=2", "200", "-", person) + line("/robots-only", "200", "-", robot) +
		line("/old", "301", "-", person) + "garbage\n" + line("http://www.skerrywick.example/W", "200", "-", person)},
		given{"t.csv", "", "key,title,address\na,A,http://www.skerrywick.example/a\n"})
	assert.Empty(t, found)
	assert.Equal(t, "a@en new-id-3@en w@en", refs(p))
	assert.Equal(t, map[string]int{"a file": 1, "answered 404": 1, "asked for by robots alone": 1, "redirects": 1},
		s[0].Ignored)
	assert.Equal(t, []gather.Parameter{{Name: "id", Class: "identity", Addresses: 2, Visitors: 2},
		{Name: "x", Addresses: 2, Visitors: 2}, {Name: "utm_source", Class: "tracking", Addresses: 1, Visitors: 1}},
		s[0].Log.Parameters)
	assert.Equal(t, []int{13, 1, 10, 2, 3}, []int{s[0].Log.Lines, s[0].Log.Malformed, s[0].Log.Visitors,
		s[0].Log.Robots, s[0].Log.NotFound})
	assert.Contains(t, string(visits.Encode(p.visits)), "http://www.skerrywick.example/a,200,1,1,2026-11-23,,1\n",
		"a path is said of the book's address")
	assert.Contains(t, string(visits.Encode(p.visits)),
		"https://skerrywick.example/lost,404,3,0,2026-11-23,\"https://search.example/ 2, https://b.example/%2C 1\",\n")
	list, bad, err := visits.Read(project.VisitsFile, bytes.NewReader(visits.Encode(p.visits)))
	require.NoError(t, err)
	assert.Empty(t, bad)
	assert.Len(t, list, len(p.visits))
}

func TestDaysOfVisits(t *testing.T) {
	p := newProject(t)
	p.gather(t, given{"access.log", source.Log, `192.0.2.1 - - [31/Dec/2025:23:59:59 +0000] "GET /a HTTP/1.1" 404 1
192.0.2.1 - - [01/Jan/1970:00:00:01 +0000] "GET /b HTTP/1.1" 404 1
192.0.2.1 - - [01/Jan/1970:23:59:59 +0000] "GET /c HTTP/1.1" 404 1
192.0.2.1 - - [02/Jan/1970:00:30:00 +0100] "GET /d HTTP/1.1" 404 1
192.0.2.1 - - [02/Jan/1970:00:00:00 +0000] "GET /e HTTP/1.1" 404 1
`})
	var days []string
	for _, v := range p.visits {
		days = append(days, v.Address.Path+" "+v.Last)
	}
	assert.Equal(t, []string{"/a 2025-12-31", "/b 1970-01-01", "/c 1970-01-01", "/d 1970-01-01", "/e 1970-01-02"}, days)
}

func packed(t *testing.T, text string) (gz, zst string) {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, err := w.Write([]byte(text))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	z, err := zstd.NewWriter(nil)
	require.NoError(t, err)
	return b.String(), string(z.EncodeAll([]byte(text), nil))
}

func workbook(t *testing.T, rows ...[]any) string {
	t.Helper()
	f := excelize.NewFile()
	for i, row := range rows {
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		require.NoError(t, err)
		require.NoError(t, f.SetSheetRow("Sheet1", cell, &row))
	}
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	return b.String()
}

// everyKind returns sources of every form that speak of the same site.
func everyKind(t *testing.T) []given {
	t.Helper()
	const log = `192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /routes/skerry HTTP/1.1" 200 1 "-" "Mozilla/5.0"
192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /only-in-the-log HTTP/1.1" 200 1
`
	gz, zst := packed(t, log)
	sitemap := `<urlset><url><loc>https://skerrywick.example/routes/skerry</loc><lastmod>2026-01-01</lastmod></url>` +
		`<url><loc>https://skerrywick.example/fares</loc></url></urlset>`
	mapGz, _ := packed(t, sitemap)
	return []given{
		{"a.csv", "", "key,title,address,region\nroute-1,Skerry route,/routes/skerry,north\n"},
		{"b.tsv", "", "id\ttitle\turl\nroute-2\tOuter route\t/routes/outer\n"},
		{"c.csv", "", "\xff\xfe" + strings.Join(strings.Split("key;title;url\r\nroute-3;Inner;/routes/inner\r\n", ""),
			"\x00") + "\x00"},
		{"d.xlsx", "", workbook(t, []any{"Key", "Title", "URL", "Fare"}, []any{"route-4", "Far", "/routes/far", 12},
			[]any{}, []any{"route-5", "Near", "/routes/near"})},
		{"e.json", "", `{"count": 2, "pages": [{"id": 6, "title": {"text": "Six"}, "link": "/six", "tags": ["a/b", ` +
			`"c"]}, {"id": 7, "title": {"text": "Seven"}, "link": "/seven"}]}`},
		{"f.ndjson", "", "{\"key\": \"eight\", \"title\": \"Eight\", \"url\": \"/eight\"}\n{\"key\": \"nine\", " +
			"\"title\": \"Nine\", \"url\": \"/nine\"}\n"},
		{"g.xml", "", sitemap}, {"h.xml.gz", "", mapGz},
		{"i.rss", "", `<?xml version="1.0"?><rss version="2.0"><channel><language>en</language><item><title>` +
			`Gale</title><link>https://skerrywick.example/news/gale</link><pubDate>Mon, 19 Jan 2026 08:00:00 ` +
			`+0100</pubDate><category>Weather</category></item></channel></rss>`},
		{"j.atom", "", `<feed xmlns="http://www.w3.org/2005/Atom"><entry><id>x</id><title>Calm</title><link ` +
			`href="https://skerrywick.example/news/calm"/></entry></feed>`},
		{"k.log", "", log}, {"l.log.gz", "", gz}, {"m.log.zst", "", zst},
		{"fares", "", `<!doctype html><html lang="en"><title>Fares</title><h1>Fares</h1>`},
		{"n.txt", "", "https://skerrywick.example/fares\nhttps://skerrywick.example/contact\n"},
	}
}

func TestEveryKindInAnyOrder(t *testing.T) {
	sources := everyKind(t)
	p := newProject(t)
	summaries, found := p.gather(t, sources...)
	require.Empty(t, found)
	want := p.files()
	forms := []source.Form{"table", "table", "table", "table", "table", "table", "sitemap", "sitemap", "feed", "feed",
		"log", "log", "log", "html", "list"}
	for i, s := range summaries {
		assert.Equal(t, forms[i], s.Form, s.Source)
		assert.Positive(t, s.Records, s.Source)
	}
	assert.Equal(t, "6@en 7@en contact@en eight@en fares@en news-calm@en news-gale@en nine@en only-in-the-log@en "+
		"route-1@en route-2@en route-3@en route-4@en route-5@en", refs(p))
	assert.Equal(t, "2026-01-19", p.page(t, "news-gale@en").Field("date"))
	assert.Equal(t, "a b/c", p.page(t, "6@en").Field("tags"))
	assert.Equal(t, "12", p.page(t, "route-4@en").Field("fare"))
	assert.Equal(t, "Inner", p.page(t, "route-3@en").Title)
	for seed := range uint64(10) {
		rand.New(rand.NewPCG(seed, 5)).Shuffle(len(sources), func(i, j int) {
			sources[i], sources[j] = sources[j],
				sources[i]
		})
		again := newProject(t)
		again.gather(t, sources...)
		require.Equal(t, want, again.files())
	}
	before := p.files()
	p.gather(t, sources...)
	assert.Equal(t, before, p.files(), "gathering again changes nothing")
}

func TestCompare(t *testing.T) {
	left, right := newProject(t), newProject(t)
	left.gather(t, given{"l.csv", "", "key,title,state\na,A,live\nb,Same title,live\nc,Only here,draft\n"})
	right.gather(t, given{"r.csv", "", "key,title,state\na,A,live\n17, Same  Title ,live\n18,New,live\n"})
	c := gather.Compare(gather.Side{Pages: left.pages}, gather.Side{Pages: right.pages}, nil)
	assert.Equal(t, []gather.SideBySide{{Kind: "page", Language: "en", State: "draft", Left: 1},
		{Kind: "page", Language: "en", State: "live", Left: 2, Right: 3}}, c.Counts)
	assert.Equal(t, []int{2, 1}, []int{c.Both, c.Titles})
	require.Len(t, c.Left, 1)
	assert.Equal(t, "c@en", c.Left[0].Ref.String())
	require.Len(t, c.Right, 1)
	assert.Equal(t, "18@en", c.Right[0].Ref.String())
}

// Pages that have other names on the other side are told by their addresses, as far as one side's book knows them.
func TestCompareByAddress(t *testing.T) {
	left, right := newProject(t), newProject(t)
	left.gather(t, given{"l.csv", "", "key,title,address\na,A,/one\nb,B,/two?id=3\nc,C,/three\n"})
	right.gather(t, given{"r.txt", source.List, "/one\n/two?id=3\n/four\n"})
	c := gather.Compare(gather.Side{Pages: left.pages, Book: left.book}, gather.Side{Pages: right.pages, Book: right.book},
		func(a address.Address) (inventory.Ref, bool) {
			for _, e := range left.book.Entries {
				if e.Address == a {
					return e.Page, true
				}
			}
			return inventory.Ref{}, false
		})
	assert.Equal(t, []int{2, 2, 0}, []int{c.Both, c.Addresses, c.Titles})
	require.Len(t, c.Left, 1)
	assert.Equal(t, "c@en", c.Left[0].Ref.String())
	require.Len(t, c.Right, 1)
}

// Addresses of which all have the same words: their keys are numbered, in a time that grows with their number.
func TestManyPagesOfTheSameWords(t *testing.T) {
	var list strings.Builder
	const pages = 30000
	for n := range pages {
		fmt.Fprintf(&list, "/~%s%s\n", strings.Repeat("~", n%200), strings.Repeat("/-", n/200))
	}
	dir := t.TempDir()
	demotest.Write(t, dir+"/"+project.PlanFile, []byte(config))
	p := demotest.Load(t, dir)
	g := gather.Gatherer{Settings: p.Settings, Today: "2026-11-23", Pages: &inventory.Inventory{}, Book: &book.Book{}}
	_, err := g.Read("list.txt", "list", strings.NewReader(list.String()))
	require.NoError(t, err)
	_, found := g.Merge()
	require.Zero(t, len(found))
	require.Equal(t, pages, len(g.Pages.Pages))
	assert.NotNil(t, g.Pages.Find(inventory.Ref{Key: fmt.Sprintf("home-%d", pages), Language: "en"}))
}
