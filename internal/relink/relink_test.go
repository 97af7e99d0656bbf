package relink_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/relink"
)

// ferries returns the plan of the tests.
func ferries(t testing.TB) *plan.Plan {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile: `site:
  origin: https://skerrywick.example
  hosts: [www.skerrywick.example]
  paths: {slash: never, letters: lower, extension: none, index: [index.html]}
  files: [/assets/]
parameters: {noise: [sid], tracking: [utm_source]}
`,
		project.PagesFile: "key,language,title,state\nhome,en,Home,live\ntides,en,Tides,live\nports,en,Ports,live\n",
		project.AddressesFile: "address,page,state\nhttps://skerrywick.example/,home@en,current\n" +
			"https://skerrywick.example/guides/tides,tides@en,current\nhttps://skerrywick.example/ports,ports@en,current\n" +
			"https://skerrywick.example/old/tides,tides@en,former\n",
		project.RedirectsFile: "from,to,status\n/index.php?item=7,tides@en,301\n/harbours,/ports,301\n/moved,https://archive.example/a?b=1&c=2,301\n" +
			"/away,/ports,302\n/dead,,410\n/map?a=1,/ports?x=1&y=2#m,301\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	return p
}

// at returns where a document stands.
func at(t testing.TB, l *relink.Linker, url string) relink.Place {
	t.Helper()
	a, err := address.Parse(url)
	require.NoError(t, err)
	return l.Place(a)
}

func TestRelink(t *testing.T) {
	l := relink.New(ferries(t), relink.AsWritten)
	page := at(t, l, "https://skerrywick.example/ports")
	for name, test := range map[string]struct {
		form       relink.Form
		text, want string // no want: it stays
	}{
		"a redirect, absolute":   {relink.HTML, `<a href="https://skerrywick.example/harbours">`, `<a href="https://skerrywick.example/ports">`},
		"http":                   {relink.HTML, `<A HREF='http://www.skerrywick.example/ports'>`, `<A HREF='https://skerrywick.example/ports'>`},
		"without a scheme":       {relink.HTML, `<a href="//www.skerrywick.example/old/tides#low">`, `<a href="//skerrywick.example/guides/tides#low">`},
		"from the root":          {relink.HTML, `<a href=/old/tides>`, `<a href=/guides/tides>`},
		"relative":               {relink.HTML, `<a href="old/tides?utm_source=a">`, `<a href="guides/tides?utm_source=a">`},
		"capitals, an index":     {relink.HTML, `<a href="/Ports/index.html">`, `<a href="/ports">`},
		"a noise parameter":      {relink.HTML, `<a href="/ports?sid=7&amp;page=2">`, `<a href="/ports?page=2">`},
		"entities stay entities": {relink.HTML, `<a href="/map?a=1&amp;z=3">`, `<a href="/ports?x=1&amp;y=2&amp;z=3#m">`},
		"bare ampersands too":    {relink.HTML, `<a href="/map?a=1&z=3">`, `<a href="/ports?x=1&y=2&z=3#m">`},
		"to another site":        {relink.HTML, `<a href="/moved">`, `<a href="https://archive.example/a?b=1&amp;c=2">`},
		"already right":          {relink.HTML, `<a href="/ports"><a href=" /guides/tides ">`, ``},
		"another site":           {relink.HTML, `<a href="http://skerrywick.example.org/harbours"><a href="http://notskerrywick.example/old/tides">`, ``},
		"for now":                {relink.HTML, `<a href="/away">`, ``},
		"gone":                   {relink.HTML, `<a href="/dead">`, ``},
		"no page":                {relink.HTML, `<a href="/nowhere">`, ``},
		"no link":                {relink.HTML, `<a href="#x"><a href="mailto:a@skerrywick.example"><a href="javascript:go('/old/tides')">`, ``},
		"a set of images":        {relink.HTML, `<img srcset="http://www.skerrywick.example/assets/a.jpg 1x, /old/tides 2x,/harbours">`, `<img srcset="https://skerrywick.example/assets/a.jpg 1x, /guides/tides 2x,/ports">`},
		"a refresh":              {relink.HTML, `<meta http-equiv=Refresh content="5; URL='/harbours'">`, `<meta http-equiv=Refresh content="5; URL='/ports'">`},
		"a canonical link":       {relink.HTML, `<link rel=canonical href=http://skerrywick.example/Guides/Tides>`, `<link rel=canonical href=https://skerrywick.example/guides/tides>`},
		"a property":             {relink.HTML, `<meta property="og:url" content="http://skerrywick.example/harbours"><meta name=description content="harbours">`, `<meta property="og:url" content="https://skerrywick.example/ports"><meta name=description content="harbours">`},
		"a style":                {relink.HTML, `<p style="background:url( '/harbours' )"><style>p{x:url(/old/tides)}</style>`, `<p style="background:url( '/ports' )"><style>p{x:url(/guides/tides)}</style>`},
		"a script":               {relink.HTML, `<script>go("http://skerrywick.example/harbours"); p = "/harbours"; q = "http:\/\/skerrywick.example\/harbours"</script>`, `<script>go("https://skerrywick.example/ports"); p = "/harbours"; q = "https:\/\/skerrywick.example\/ports"</script>`},
		"linked data":            {relink.HTML, `<script type="application/ld+json">{"@id":"http:\/\/skerrywick.example\/harbours","url":"/old/tides","name":"/old/tides"}</script>`, `<script type="application/ld+json">{"@id":"https:\/\/skerrywick.example\/ports","url":"/guides/tides","name":"/old/tides"}</script>`},
		"a base":                 {relink.HTML, `<base href="http://skerrywick.example/old/x"><a href="tides">`, `<base href="https://skerrywick.example/old/x"><a href="../guides/tides">`},
		"a type of things":       {relink.HTML, `<p itemtype="http://skerrywick.example/harbours" itemid="http://skerrywick.example/harbours">`, `<p itemtype="http://skerrywick.example/harbours" itemid="https://skerrywick.example/ports">`},
		"a comment":              {relink.HTML, `<!-- <a href="/harbours"> --><template><a href="/harbours"></template>`, `<!-- <a href="/harbours"> --><template><a href="/ports"></template>`},
		"a document inside":      {relink.HTML, `<iframe srcdoc="&lt;a href=&quot;/harbours&quot;&gt;">`, `<iframe srcdoc="&lt;a href=&quot;/ports&quot;&gt;">`},
		"an import":              {relink.CSS, `@import "/harbours"; /* url(/harbours) */ a{b:url("/old/tides")} .url(/harbours)`, `@import "/ports"; /* url(/harbours) */ a{b:url("/guides/tides")} .url(/ports)`},
		"names in JSON":          {relink.JSON, `{"url": "\/harbours", "text": "/harbours", "html": "<a href=\"\/old\/tides\">x<\/a>", "u": "http://skerrywick.example/map?a=1\u0026z=3"}`, `{"url": "\/ports", "text": "/harbours", "html": "<a href=\"\/guides\/tides\">x<\/a>", "u": "https://skerrywick.example/ports?x=1\u0026y=2\u0026z=3#m"}`},
		"a sitemap":              {relink.XML, `<urlset><url><loc> http://skerrywick.example/harbours </loc></url></urlset>`, `<urlset><url><loc> https://skerrywick.example/ports </loc></url></urlset>`},
		"a vocabulary":           {relink.XML, `<a xmlns="http://skerrywick.example/harbours" xmlns:b='http://skerrywick.example/harbours' c="http://skerrywick.example/harbours"/>`, `<a xmlns="http://skerrywick.example/harbours" xmlns:b='http://skerrywick.example/harbours' c="https://skerrywick.example/ports"/>`},
		"a feed":                 {relink.XML, `<item><link href="/old/tides"/><d>&lt;a href="/harbours"&gt;</d><c><![CDATA[<a href="/harbours">]]></c></item>`, `<item><link href="/guides/tides"/><d>&lt;a href="/ports"&gt;</d><c><![CDATA[<a href="/ports">]]></c></item>`},
		"Markdown": {relink.Markdown, "[a](/harbours \"t\") ![b](</old/tides>) `[c](/harbours)` <http://skerrywick.example/harbours> see http://www.skerrywick.example/harbours.\n[d]: /harbours\n```\n[e](/harbours)\n```\n<a href=\"/harbours\">\n",
			"[a](/ports \"t\") ![b](</guides/tides>) `[c](/harbours)` <https://skerrywick.example/ports> see https://skerrywick.example/ports.\n[d]: /ports\n```\n[e](/harbours)\n```\n<a href=\"/ports\">\n"},
		"a text":             {relink.Text, "See (http://skerrywick.example/harbours), http://skerrywick.example:8080/x or /harbours; mail a@skerrywick.example.", "See (https://skerrywick.example/ports), http://skerrywick.example:8080/x or /harbours; mail a@skerrywick.example."},
		"a serialised value": {relink.PHP, `a:2:{s:4:"link";s:35:"http://www.skerrywick.example/ports";s:1:"n";i:3;}`, `a:2:{s:4:"link";s:32:"https://skerrywick.example/ports";s:1:"n";i:3;}`},
		"a wrong length":     {relink.SQL, `INSERT INTO t VALUES ('a:1:{i:0;s:5:"http://skerrywick.example/harbours";}');`, ``},
		"a dump": {relink.SQL, `INSERT INTO t VALUES (1,'<a href=\"/harbours\">It\'s</a>','a:1:{s:1:\"u\";s:34:\"http://skerrywick.example/harbours\";}',x'2f686172626f757273','http://skerrywick.example/harbours');`,
			`INSERT INTO t VALUES (1,'<a href=\"/ports\">It\'s</a>','a:1:{s:1:\"u\";s:32:\"https://skerrywick.example/ports\";}',x'2f686172626f757273','https://skerrywick.example/ports');`},
		"a dump of PostgreSQL": {relink.SQL, "-- PostgreSQL database dump\nCOPY public.t (a, b) FROM stdin;\n1\t<a href=\"/harbours\">\\n\n2\t\\N\n\\.\nSELECT '\\', E'\\'http://skerrywick.example/harbours\\'', $x$http://skerrywick.example/harbours$x$;\n",
			"-- PostgreSQL database dump\nCOPY public.t (a, b) FROM stdin;\n1\t<a href=\"/ports\">\\n\n2\t\\N\n\\.\nSELECT '\\', E'\\'https://skerrywick.example/ports\\'', $x$https://skerrywick.example/ports$x$;\n"},
	} {
		t.Run(name, func(t *testing.T) {
			want := test.want
			if want == "" {
				want = test.text
			}
			got, _ := l.Relink([]byte(test.text), test.form, page)
			assert.Equal(t, want, string(got))
			again, links := l.Relink(got, test.form, page)
			assert.Equal(t, string(got), string(again), "a second run changes nothing")
			for _, link := range links {
				assert.False(t, link.Reason.Changes(), "%v", link)
			}
		})
	}
}
