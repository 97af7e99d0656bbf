package feed

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func read(t *testing.T, text string) (list []Item) {
	t.Helper()
	require.NoError(t, Read("f", strings.NewReader(text), func(e Item) error {
		list = append(list, e)
		return nil
	}))
	return list
}

func TestRSS(t *testing.T) {
	assert.Equal(t, []Item{
		{ID: "n1", Title: "Storm & tides", Link: "https://skerrywick.example/n?a=1&b=2", Language: "de",
			Categories: []string{"Weather", "On board"}, Date: "2026-01-19", Line: 5},
		{Title: "Calm", Link: "/calm", Language: "nb", Date: "2026-02-03", Line: 9},
	}, read(t, `<rss version="2.0" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:media="http://media.example/ns/"><channel>
<title>Not an entry</title><link>https://skerrywick.example/</link>
<image><title>Logo</title><link>/logo</link></image>
<language>de</language>
<item><title><![CDATA[<b>Storm</b> &amp;
 tides]]></title><media:title>Other</media:title><link>https://skerrywick.example/n?a=1&amp;b=2</link>
<guid isPermaLink="false">n1</guid><category>Weather</category><category domain="x">On board</category>
<description>&lt;p&gt;x&lt;/p&gt;</description><pubDate>Mon, 19 Jan 2026 23:30:00 -0800</pubDate></item>
<item><title>Calm</title><link>/calm</link><dc:language>nb</dc:language><dc:date>2026-02-03</dc:date></item></channel></rss>`))
}

func TestAtom(t *testing.T) {
	assert.Equal(t, []Item{
		{ID: "tag:1", Title: "Gale", Link: "https://skerrywick.example/gale", Language: "en",
			Categories: []string{"Fleet"}, Date: "2026-03-04", Line: 2},
		{ID: "tag:2", Title: "Not yet", Language: "fr", Date: "2026-05-06", Draft: true, Line: 6},
	}, read(t, `<feed xmlns="http://www.w3.org/2005/Atom" xmlns:app="http://www.w3.org/2007/app" xml:lang="en"><title>All</title>
<entry><id>tag:1</id><title type="html">&lt;i>Gale&lt;/i></title>
<link rel="edit" href="/edit"/><link href="https://skerrywick.example/gale"/><link rel="alternate" href="/second"/>
<updated>2026-09-09T00:00:00Z</updated><published>2026-03-04T23:00:00+01:00</published><category term="Fleet" label="x"/>
<content type="xhtml"><div xmlns="http://www.w3.org/1999/xhtml"><title>inside</title></div></content></entry>
<entry xml:lang="fr"><id>tag:2</id><title>Not yet</title><updated>2026-05-06T07:08:09Z</updated><app:control><app:draft>yes</app:draft></app:control></entry></feed>`))
}

func TestDays(t *testing.T) {
	for text, want := range map[string]string{"Mon, 02 Jan 2006 15:04:05 GMT": "2006-01-02",
		"2 Jan 2006 15:04:05 +0000": "2006-01-02", "2006-01-02T15:04Z": "2006-01-02", "yesterday": "", "": ""} {
		assert.Equal(t, want, day(text), text)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("<rss><channel><item><title>&lt;b&gt;</title></item></channel></rss>")
	f.Add("<feed><entry><title><x><y></y></x></title><link href=''/></entry></feed>")
	f.Fuzz(func(_ *testing.T, text string) {
		_ = Read("f", strings.NewReader(text), func(Item) error { return nil })
	})
}
