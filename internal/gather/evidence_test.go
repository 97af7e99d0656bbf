package gather_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/propose"
)

// Before sources are merged, they say what there is of addresses.
func TestEvidence(t *testing.T) {
	g := gather.Gatherer{Pages: &inventory.Inventory{}, Book: &book.Book{}}
	for _, source := range [][2]string{
		{"t.csv", "key,lang,title,url\na,en,A,http://skerrywick.example/a\na,en,A,http://skerrywick.example/a2\n"},
		{"s.xml", `<urlset xmlns:x="http://www.w3.org/1999/xhtml"><url><loc>https://skerrywick.example/a</loc><x:link rel="alternate" hreflang="de" href="/de/a"/>` +
			`<x:link rel="alternate" hreflang="x-default" href="https://skerrywick.example/a"/></url></urlset>`},
		{"p.html", `<title>B</title><html lang=de><link rel=canonical href="https://skerrywick.example/b"><form action="/basket.php">`},
		{"robots.txt", "# ours\nUser-agent: *\nDisallow: /order.php # not for robots\nDisallow: /*.pdf$\nSitemap: https://www.skerrywick.example/map.xml\n"},
		{"access.log", `192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET //x?y=1 HTTP/1.1" 200 77 "-" "Mozilla/5.0"` + "\n" +
			`192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /a HTTP/1.1" 404 77 "-" "Mozilla/5.0"` + "\n"},
	} {
		_, err := g.Read(source[0], "", strings.NewReader(source[1]))
		require.NoError(t, err, source[0])
	}
	e := g.Evidence()
	seen := map[string]propose.Seen{}
	for _, s := range e.Seen {
		seen[strings.TrimPrefix(s.Address.Base(), "https://")+s.Address.Local()] = s
	}
	assert.Equal(t, propose.Table, seen["http://skerrywick.example/a"].Says)
	assert.Equal(t, propose.Table|propose.Elsewhere, seen["http://skerrywick.example/a2"].Says)
	assert.Equal(t, "a", seen["http://skerrywick.example/a2"].Page)
	assert.Equal(t, propose.Page|propose.Elsewhere, seen["/p.html"].Says, "of which no host is known")
	assert.Equal(t, propose.Canonical, seen["skerrywick.example/b"].Says)
	assert.Equal(t, propose.Sitemap|propose.Canonical, seen["www.skerrywick.example/"].Says)
	assert.Equal(t, propose.Seen{Address: address.Address{Scheme: "https", Path: "//x", Query: "y=1"}, Says: propose.Log, Visits: 1, Status: 200, Bytes: 77}, seen["//x?y=1"])
	assert.Equal(t, 404, seen["/a"].Status)
	assert.Equal(t, []string{"/basket.php", "/order.php"}, e.Asked)
	assert.Equal(t, "skerrywick.example/a", e.XDefault)
	require.Len(t, e.Translated, 1)
	assert.Equal(t, "https://skerrywick.example/de/a", e.Translated[0].Address.String())
}

// A parameter that says the language parts translations; where it says the default one, it makes no page, and its
// address is not lost.
func TestLanguageParameter(t *testing.T) {
	settings := *demotest.Gathered(t, t.TempDir()).Settings
	settings.Languages.Parameter = "lang"
	g := gather.Gatherer{Settings: &settings, Today: "2026-11-23", Pages: &inventory.Inventory{}, Book: &book.Book{}}
	_, err := g.Read("l.txt", "list", strings.NewReader("https://skerrywick.example/s.php?season=7\nhttps://skerrywick.example/s.php?season=7&lang=de\n"))
	require.NoError(t, err)
	const line = `192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET %s HTTP/1.1" 200 512 "-" "Mozilla/5.0"` + "\n"
	_, err = g.Read("access.log", "", strings.NewReader(strings.ReplaceAll(line, "%s", "/s.php?season=7&lang=en&utm_source=x")+
		strings.ReplaceAll(line, "%s", "/s.php?season=8&lang=en")))
	require.NoError(t, err)
	g.Merge()
	assert.ElementsMatch(t, []string{"s-season-7@en live page  /s.php?season=7 /s.php?season=7&lang=en", "s-season-7@de live page  /s.php?season=7&lang=de"}, pagesOf(t, &g))
}

// Sessions in paths make no pages, and logs keep them.
func TestSessionsInPaths(t *testing.T) {
	settings := *demotest.Gathered(t, t.TempDir()).Settings
	settings.Noise = []string{"jsessionid"}
	g := gather.Gatherer{Settings: &settings, Today: "2026-11-23", Pages: &inventory.Inventory{}, Book: &book.Book{}}
	_, err := g.Read("l.txt", "list", strings.NewReader("https://skerrywick.example/a;jsessionid=1\nhttps://skerrywick.example/a;jsessionid=2\n"))
	require.NoError(t, err)
	_, err = g.Read("access.log", "", strings.NewReader(`192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /a;jsessionid=3 HTTP/1.1" 200 512 "-" "Mozilla/5.0"`+"\n"))
	require.NoError(t, err)
	g.Merge()
	assert.Equal(t, []string{"a@en live page  /a"}, pagesOf(t, &g))
	require.Len(t, g.Visits, 1)
	assert.Equal(t, "/a;jsessionid=3", g.Visits[0].Address.Path)
}
