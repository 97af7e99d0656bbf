package relink_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/relink"
)

// fuzz holds one form to this: nothing changes but where a link is told of, and a second run finds nothing more.
func fuzz(f *testing.F, form relink.Form, texts ...string) {
	l := relink.New(ferries(f), relink.AsWritten)
	page := at(f, l, "https://skerrywick.example/ports")
	for _, text := range texts {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		before := string(text)
		got, links := l.Relink(text, form, page)
		require.Equal(t, before, string(text), "the text itself stays")
		changes := 0
		for _, link := range links {
			require.Positive(t, link.Line)
			require.Positive(t, link.Column)
			if link.Reason.Changes() {
				changes++
				require.NotEqual(t, link.From, link.To)
			}
		}
		if changes == 0 {
			require.Equal(t, before, string(got))
			return
		}
		requireLinesStay(t, before, string(got), links)
		again, links := l.Relink(got, form, page)
		for _, link := range links {
			require.False(t, link.Reason.Changes(), "%q then %q: %v", before, got, link)
		}
		require.Equal(t, string(got), string(again))
	})
}

// requireLinesStay holds that no line changes in which no link is told of, nor what is before the first in a line; only
// the lengths of serialised values are as far before a link as that.
func requireLinesStay(t *testing.T, before, after string, links []relink.Link) {
	t.Helper()
	first := map[int]int{} // by line, the column
	last := 0
	for _, link := range links {
		if link.Reason.Changes() {
			if c, ok := first[link.Line]; !ok || link.Column < c {
				first[link.Line] = link.Column
			}
			// A link may have line feeds in it, which belong to no address.
			last = max(last, link.Line+strings.Count(link.From, "\n"))
		}
	}
	was, is := strings.Split(before, "\n"), strings.Split(after, "\n")
	if strings.Contains(before, "s:") || len(was) != len(is) {
		return
	}
	for i := range was {
		if c, ok := first[i+1]; ok {
			require.Equal(t, was[i][:c-1], is[i][:min(c-1, len(is[i]))], "line %d", i+1)
		} else if i+1 > last {
			require.Equal(t, was[i], is[i], "line %d", i+1)
		}
	}
}

func FuzzHTML(f *testing.F) {
	fuzz(f, relink.HTML, `<a href="/harbours?a=1&amp;b"><base href=/old/x><img srcset="/harbours 1x,/ports">`,
		"<!-- /harbours --><script>a('http://skerrywick.example/harbours')</script><style>a{b:url(/harbours)}</style>",
		`<meta http-equiv=refresh content="0; url=/harbours"><template><a href='/old/tides'></template>`)
}

func FuzzCSS(f *testing.F) {
	fuzz(f, relink.CSS, `@import "/harbours"; a{b:url(/old/tides)}`, `a{b:url( "\2f harbours" )} /* url(/harbours) */`)
}

func FuzzJSON(f *testing.F) {
	fuzz(f, relink.JSON, `{"url":"\/harbours","x":"<a href=\"\u002fharbours\">"}`, `["http:\/\/skerrywick.example\/harbours",{"a":`)
}

func FuzzXML(f *testing.F) {
	fuzz(f, relink.XML, `<a href="/harbours"><![CDATA[<a href="/old/tides">]]></a>`,
		`<?xml version="1.0"?><loc>http://skerrywick.example/harbours</loc><!-- x --><d>&lt;a href="/harbours"&gt;</d>`)
}

func FuzzMarkdown(f *testing.F) {
	fuzz(f, relink.Markdown, "[a](/harbours) `x` <http://skerrywick.example/harbours>\n[b]: /old/tides\n", "](0\\)000A000",
		"```\n[a](/harbours)\n```\n![a](</old/tides> \"t\")\n<a href='/harbours'>\n")
}

func FuzzText(f *testing.F) {
	fuzz(f, relink.Text, `x="http:\/\/skerrywick.example\/harbours" //www.skerrywick.example/harbours`,
		"(http://skerrywick.example/harbours), HTTP://SKERRYWICK.EXAMPLE/Ports/.")
}

func FuzzSQL(f *testing.F) {
	fuzz(f, relink.SQL, "INSERT INTO t VALUES ('http://skerrywick.example/harbours', E'\\'', $$x$$);\nCOPY t (a) FROM stdin;\n/harbours\n\\.\n",
		"-- MariaDB dump\nINSERT INTO t VALUES ('a:1:{s:1:\\\"u\\\";s:34:\\\"http://skerrywick.example/harbours\\\";}', x'2f', 'It''s');")
}

func FuzzPHP(f *testing.F) {
	fuzz(f, relink.PHP, `a:1:{s:1:"u";s:34:"http://skerrywick.example/harbours";}`,
		"O:1:\"A\":1:{s:4:\"\x00A\x00b\";s:43:\"s:34:\"http://skerrywick.example/harbours\";\";}")
}
