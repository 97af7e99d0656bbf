package relink_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/relink"
)

// Whatever a text is like, nothing changes but where a link is told of, and a second run finds nothing more.
func FuzzRelink(f *testing.F) {
	l := relink.New(ferries(f), relink.AsWritten)
	page := at(f, l, "https://skerrywick.example/ports")
	forms := relink.Forms()
	for i, text := range []string{
		`<a href="/harbours?a=1&amp;b"><base href=/old/x><img srcset="/harbours 1x,/ports">`,
		`@import "/harbours"; a{b:url(/old/tides)}`,
		`{"url":"\/harbours","x":"<a href=\"\u002fharbours\">"}`,
		`<a href="/harbours"><![CDATA[<a href="/old/tides">]]></a>`,
		"[a](/harbours) `x` <http://skerrywick.example/harbours>\n[b]: /old/tides\n",
		`x="http:\/\/skerrywick.example\/harbours" //www.skerrywick.example/harbours`,
		"INSERT INTO t VALUES ('http://skerrywick.example/harbours', E'\\'', $$x$$);\nCOPY t (a) FROM stdin;\n/harbours\n\\.\n",
		`a:1:{s:1:"u";s:34:"http://skerrywick.example/harbours";}`,
	} {
		f.Add(uint8(i), []byte(text))
	}
	f.Fuzz(func(t *testing.T, form uint8, text []byte) {
		before := string(text)
		got, links := l.Relink(text, forms[int(form)%len(forms)], page)
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
		again, links := l.Relink(got, forms[int(form)%len(forms)], page)
		for _, link := range links {
			require.False(t, link.Reason.Changes(), "%q then %q: %v", before, got, link)
		}
		require.Equal(t, string(got), string(again))
	})
}
