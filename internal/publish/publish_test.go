package publish_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/publish"
	"young-compass/internal/sitefile"
)

const settings = `site:
  origin: https://skerrywick.example
  hosts: [www.skerrywick.example]
  files: [/media/]
  blocked: [/search, /crew/]
languages:
  default: en
  others: {de: {prefix: de}, de-CH: {host: skerrywick-ch.example}}
parameters: {pagination: [page]}
rules:
  - {for: "/hidden", headers: {X-Robots-Tag: "noarchive, NOINDEX"}}
  - {from: "/img/{name}", to: "/media/{name}"}
`

const rows = `key,language,kind,title,state,modified,images,canonical,robots
home,en,page,Home,live,2026-11-01,,,
home,de,page,Start,live,2026-11-02T10:00+01:00,,,
home,de-CH,page,Grüezi,live,,,,
ports,en,section,Ports,live,last Tuesday,http://www.skerrywick.example/img/a.jpg /media/b.jpg https://cdn.example/c.jpg /gone.jpg,,
ports,de,section,Häfen,draft,,,,
hidden,en,page,Hidden,live,,,,
noindex,en,page,Not listed,live,,,,"noindex, nofollow"
noindex,de,page,Gelistet,live,,,,
print,en,page,Ports to print,live,,,ports@en,
away,en,page,Away,away,,,,
lost,en,page,Without an address,live,,,,
`

const addresses = `address,page,state
https://skerrywick.example/,home@en,current
https://skerrywick.example/de,home@de,current
https://skerrywick-ch.example/,home@de-CH,current
https://skerrywick.example/ports,ports@en,current
https://skerrywick.example/hidden,hidden@en,current
https://skerrywick.example/noindex,noindex@en,current
https://skerrywick.example/de/gelistet,noindex@de,current
https://skerrywick.example/print,print@en,current
https://skerrywick.example/away,away@en,current
`

func load(t testing.TB, files map[string]string) *plan.Plan {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	return p
}

func ferries(t testing.TB) *plan.Plan {
	return load(t, map[string]string{project.PlanFile: settings, project.PagesFile: rows, project.AddressesFile: addresses,
		project.RedirectsFile: "from,to,status\n/away,/ports,302\n/gone.jpg,,410\n"})
}

// What each page says is what the plan says of it.
func TestPages(t *testing.T) {
	list, found := publish.Pages(ferries(t))
	var got []string
	for i := range list {
		text, err := json.Marshal(&list[i])
		require.NoError(t, err)
		got = append(got, fmt.Sprintf("%v %s", list[i].Listed, strings.ReplaceAll(string(text), "https://skerrywick.example", "")))
	}
	const starts = `,"alternates":[{"hreflang":"de","href":"/de"},{"hreflang":"de-CH","href":"https://skerrywick-ch.example/"},` +
		`{"hreflang":"en","href":"/"},{"hreflang":"x-default","href":"/"}]}`
	assert.Equal(t, []string{
		`true {"page":"home@de-CH","address":"https://skerrywick-ch.example/","canonical":"https://skerrywick-ch.example/"` + starts,
		`true {"page":"home@en","address":"/","canonical":"/"` + starts,
		`true {"page":"home@de","address":"/de","canonical":"/de"` + starts,
		`true {"page":"noindex@de","address":"/de/gelistet","canonical":"/de/gelistet","alternates":[]}`,
		`false {"page":"hidden@en","address":"/hidden","canonical":"/hidden","alternates":[]}`,
		`false {"page":"noindex@en","address":"/noindex","canonical":"/noindex","alternates":[]}`,
		`true {"page":"ports@en","address":"/ports","canonical":"/ports","alternates":[]}`,
		`false {"page":"print@en","address":"/print","canonical":"/ports","alternates":[]}`,
	}, got)
	require.Len(t, found, 1)
	assert.Equal(t, "pages.csv:12: warning left-out: lost@en: it has no address; run design --write", found[0].String())
}

// Sitemaps hold what may be listed, by host; dates and images are those of the plan.
func TestSitemaps(t *testing.T) {
	p := ferries(t)
	list, _ := publish.Pages(p)
	files := map[string]string{}
	sitemaps, found, err := publish.Sitemaps(p, list, publish.SitemapOptions{}, func(name string, data []byte) error {
		files[name] = string(data)
		return nil
	})
	require.NoError(t, err)
	assert.Equal(t, []publish.Sitemap{
		{Host: "skerrywick.example", File: "sitemap.xml", Address: "https://skerrywick.example/sitemap.xml", Entries: 4},
		{Host: "skerrywick-ch.example", File: "skerrywick-ch.example/sitemap.xml",
			Address: "https://skerrywick-ch.example/sitemap.xml", Entries: 1}}, sitemaps)
	assert.Len(t, files, 2)
	var said []string
	_, err = sitefile.ReadSitemap("sitemap.xml", strings.NewReader(files["sitemap.xml"]), func(u sitefile.URL) error {
		said = append(said, fmt.Sprintf("%s %s %v %d", u.Location, u.Modified, u.Images, len(u.Alternates)))
		return nil
	})
	require.NoError(t, err)
	assert.Equal(t, []string{
		"https://skerrywick.example/ 2026-11-01 [] 4",
		"https://skerrywick.example/de 2026-11-02T10:00:00+01:00 [] 4",
		"https://skerrywick.example/de/gelistet  [] 0",
		"https://skerrywick.example/ports  [https://skerrywick.example/media/a.jpg https://skerrywick.example/media/b.jpg " +
			"https://cdn.example/c.jpg] 0"}, said)
	var told []string
	for _, f := range found {
		told = append(told, f.String())
	}
	assert.Equal(t, []string{
		"pages.csv:5: warning left-out: ports@en: its column modified says last Tuesday, which is no whole date; write it as 2026-11-23",
		"pages.csv:5: warning left-out: ports@en: the image /gone.jpg is answered 410; mend the column images"}, told)
}

// A cluster of too many translations names none, and one with an address that is too long is left out.
func TestTooMuch(t *testing.T) {
	for _, n := range []int{500, 501} {
		var rows, addresses, others strings.Builder
		rows.WriteString("key,language,title,state\n")
		addresses.WriteString("address,page,state\n")
		for i := range n {
			fmt.Fprintf(&rows, "home,q%c%c,Home,live\n", 'a'+i/26, 'a'+i%26)
			fmt.Fprintf(&addresses, "https://skerrywick.example/%d,home@q%c%c,current\n", i, 'a'+i/26, 'a'+i%26)
			fmt.Fprintf(&others, "q%c%c: {prefix: q%c%c}, ", 'a'+i/26, 'a'+i%26, 'a'+i/26, 'a'+i%26)
		}
		p := load(t, map[string]string{
			project.PlanFile:  "site: {origin: https://skerrywick.example}\nlanguages: {default: en, others: {" + others.String() + "}}\n",
			project.PagesFile: rows.String(), project.AddressesFile: addresses.String()})
		list, found := publish.Pages(p)
		require.Len(t, list, n)
		if n == 500 {
			assert.Empty(t, found)
			assert.Len(t, list[0].Alternates, 500)
			continue
		}
		require.Len(t, found, 1)
		assert.Contains(t, found[0].What, "501 translations, more than 500: none is named")
		assert.Empty(t, list[0].Alternates)
	}
}

// What keeps crawlers from pages that they should see is told.
func TestBlocked(t *testing.T) {
	p := ferries(t)
	list, _ := publish.Pages(p)
	text, err := publish.RobotsLines(p, nil, "skerrywick.example").Put([]byte("User-agent: *\nDisallow: /ports\nDisallow: /noindex\nDisallow: /print\n"))
	require.NoError(t, err)
	assert.Contains(t, string(text), "User-agent: *\nDisallow: /search\nDisallow: /crew/\n")
	robots, err := sitefile.ReadRobots(strings.NewReader(string(text)))
	require.NoError(t, err)
	var told []string
	for _, f := range publish.Blocked(p, list, robots, "skerrywick.example", "robots.txt") {
		assert.Equal(t, finding.BlockedPage, f.Code)
		told = append(told, f.What)
	}
	assert.Equal(t, []string{
		"robots.txt blocks https://skerrywick.example/noindex (noindex@en), so that nobody sees its noindex",
		"robots.txt blocks https://skerrywick.example/ports (ports@en), though it may be listed",
		"robots.txt blocks https://skerrywick.example/print (print@en), so that nobody sees that it names another page as its canonical one",
	}, told)
}

// Headers say the same as heads, at pages alone, and never where a parameter selects another content.
func TestWithLinks(t *testing.T) {
	p := ferries(t)
	list, _ := publish.Pages(p)
	_, _, err := publish.WithLinks(p, list)
	require.ErrorIs(t, err, publish.ErrLanguageHosts)
	p = load(t, map[string]string{
		project.PlanFile: strings.Replace(settings, ", de-CH: {host: skerrywick-ch.example}", "", 1),
		project.PagesFile: strings.Replace(rows, "home,de-CH,page,Grüezi,live,,,,\n", "", 1) +
			"item,en,page,Item,live,,,,\n",
		project.AddressesFile: strings.Replace(addresses, "https://skerrywick-ch.example/,home@de-CH,current\n", "", 1) +
			"https://skerrywick.example/shop?item=7,item@en,current\n",
		project.RedirectsFile: "from,to,status\n/away,/ports,302\n/gone.jpg,,410\n"})
	list, _ = publish.Pages(p)
	linked, found, err := publish.WithLinks(p, list)
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Contains(t, found[0].What, "item@en: its path alone doesn't tell it")
	link := func(url string) string {
		r, err := plan.NewRequest("GET", url)
		require.NoError(t, err)
		a, err := linked.Answer(r)
		require.NoError(t, err)
		for _, f := range a.Headers {
			if f.Name == "Link" {
				return f.Value
			}
		}
		return ""
	}
	for i := range list {
		if list[i].Key != "item" {
			assert.Equal(t, list[i].Link(), link(list[i].Address.String()))
			assert.Equal(t, list[i].Link(), link(list[i].Address.String()+"?utm_source=x"))
			assert.Empty(t, link(list[i].Address.String()+"?page=2"))
		}
	}
	assert.Equal(t, `<https://skerrywick.example/>; rel="canonical", <https://skerrywick.example/de>; rel="alternate"; hreflang="de", `+
		`<https://skerrywick.example/>; rel="alternate"; hreflang="en", <https://skerrywick.example/>; rel="alternate"; hreflang="x-default"`,
		link("https://skerrywick.example/"))
	assert.Empty(t, link("https://skerrywick.example/nothing"))
	assert.Empty(t, link("https://skerrywick.example/ports/x"))
}

// Every page has a file of its own, whose name leads nowhere else.
func TestFileNames(t *testing.T) {
	p := load(t, map[string]string{project.PlanFile: "site: {origin: https://skerrywick.example}\n",
		project.PagesFile: "key,language,title,state\n..,en,A,live\na.b,en,B,live\na\\b,en,C,live\na%5Cb,en,D,live\n",
		project.AddressesFile: "address,page,state\nhttps://skerrywick.example/a,..@en,current\nhttps://skerrywick.example/b,a.b@en,current\n" +
			"https://skerrywick.example/c,a\\b@en,current\nhttps://skerrywick.example/d,a%5Cb@en,current\n"})
	list, _ := publish.Pages(p)
	seen := map[string]bool{}
	links, err := publish.Heads(list, publish.HeadHTML, func(name string, _ []byte) error {
		assert.False(t, seen[name], name)
		seen[name] = true
		assert.Equal(t, filepath.Base(name), name)
		assert.NotContains(t, name, `\`)
		return nil
	})
	require.NoError(t, err)
	assert.Equal(t, 4, links)
	assert.Len(t, list, 4)
}

// BenchmarkSitemaps writes the sitemaps of a million pages in three languages.
func BenchmarkSitemaps(b *testing.B) {
	const n = 1_000_000
	var rows, addresses strings.Builder
	rows.WriteString("key,language,title,state,modified\n")
	addresses.WriteString("address,page,state\n")
	for i := range n {
		language, prefix := []string{"en", "de", "nb"}[i%3], []string{"", "/de", "/nb"}[i%3]
		fmt.Fprintf(&rows, "page-%d,%s,Page %d,live,2026-11-0%d\n", i/3, language, i, 1+i%9)
		fmt.Fprintf(&addresses, "https://skerrywick.example%s/pages/number-%d,page-%d@%s,current\n", prefix, i, i/3, language)
	}
	p := load(b, map[string]string{
		project.PlanFile:  "site: {origin: https://skerrywick.example}\nlanguages: {default: en, others: {de: {prefix: de}, nb: {prefix: nb}}}\n",
		project.PagesFile: rows.String(), project.AddressesFile: addresses.String()})
	for b.Loop() {
		size := 0
		pages, _ := publish.Pages(p)
		_, _, err := publish.Sitemaps(p, pages, publish.SitemapOptions{}, func(_ string, data []byte) error {
			size += len(data)
			return nil
		})
		require.NoError(b, err)
		b.ReportMetric(float64(size)/1e6, "MB")
	}
}
