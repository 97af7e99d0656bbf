package relink_test

import (
	"fmt"
	"html"
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/require"

	"young-compass/internal/relink"
)

// baker makes up a content twice at a time: with the links as they are, and as they should be. It writes each form by
// code of its own.
type baker struct{ *rand.Rand }

// pair is a content before and after.
type pair [2]string

func (b baker) both(p pair, wrap func(string) string) pair { return pair{wrap(p[0]), wrap(p[1])} }

// link makes up a link, and where it leads.
func (b baker) link() pair {
	return []pair{
		{"http://www.skerrywick.example/harbours", "https://skerrywick.example/ports"},
		{"http://skerrywick.example/ports?a=1&b=2", "https://skerrywick.example/ports?a=1&b=2"},
		{"https://skerrywick.example/old/tides?x=1&y=2#z", "https://skerrywick.example/guides/tides?x=1&y=2#z"},
		{"https://skerrywick.example/index.php?item=7", "https://skerrywick.example/guides/tides"},
		{"HTTP://SKERRYWICK.example/Ports/", "https://skerrywick.example/ports"},
		{"http://skerrywick.example.org/harbours", "http://skerrywick.example.org/harbours"},
		{"https://skerrywick.example/away", "https://skerrywick.example/away"},
		{"https://archive.example/old/tides?u=http:", "https://archive.example/old/tides?u=http:"},
	}[b.IntN(8)]
}

// page makes up some HTML.
func (b baker) page(depth int) pair {
	out := pair{}
	add := func(p pair) { out[0], out[1] = out[0]+p[0], out[1]+p[1] }
	same := func(s string) { add(pair{s, s}) }
	for range 1 + b.IntN(3) {
		switch b.IntN(6) {
		case 0:
			same(`<p class="a/b" title='It&#39;s "é"'>harbours & /old/tides<br/>`)
		case 1:
			same("<!-- http://www.skerrywick.example/harbours -->\n")
		case 2:
			add(b.both(b.link(), func(s string) string { return `<img alt="" src='` + html.EscapeString(s) + `'>` }))
		case 3:
			if depth < 4 {
				add(b.both(b.any(depth+1), func(s string) string { return `<div data-it="` + html.EscapeString(s) + `"></div>` }))
			}
		case 4:
			add(b.both(b.link(), func(s string) string {
				return "<style>a{b:c(d)} a{b:url(\"" + s + "\")}</style><script>x(\"" + s + "\")</script>"
			}))
		}
		add(b.both(b.link(), func(s string) string { return `<a href="` + html.EscapeString(s) + `">é</a>` }))
	}
	return out
}

// object makes up some JSON.
func (b baker) object(depth int) pair {
	slashes, ascii := b.IntN(2) == 0, b.IntN(2) == 0
	return b.both(b.any(depth+1), func(s string) string {
		return `{"n": [1, "/old/tides", null], "it": ` + quoted(s, slashes, ascii) + `, "é\n": "é"}`
	})
}

// quoted writes a string in JSON.
func quoted(s string, slashes, ascii bool) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range s {
		switch {
		case r == '"' || r == '\\' || r == '/' && slashes:
			b.WriteString(`\` + string(r))
		case r == '\n':
			b.WriteString(`\n`)
		case r < ' ':
			fmt.Fprintf(&b, `\u%04x`, r)
		case r > '~' && ascii:
			for _, u := range utf16.Encode([]rune{r}) {
				fmt.Fprintf(&b, `\u%04x`, u)
			}
		default:
			b.WriteRune(r)
		}
	}
	return b.String() + `"`
}

// value makes up a serialised value.
func (b baker) value(depth int) pair {
	kind := b.IntN(3)
	return b.both(b.any(depth+1), func(s string) string {
		text := fmt.Sprintf(`s:%d:"%s";`, len(s), s)
		switch kind {
		case 0:
			return `a:2:{s:5:"été";` + text + `i:0;b:1;}`
		case 1:
			return "O:3:\"Foo\":2:{s:6:\"\x00Foo\x00a\";" + text + "s:4:\"\x00*\x00b\";a:1:{i:0;d:0.5;}}"
		}
		return text
	})
}

// any makes up a content that may lie in another.
func (b baker) any(depth int) pair {
	switch n := b.IntN(4); {
	case n == 0 && depth < 5:
		return b.object(depth)
	case n == 1 && depth < 5:
		return b.value(depth)
	case n == 2:
		return b.page(depth)
	}
	return b.link()
}

// dump makes up a dump of a table.
func (b baker) dump() (pair, string) {
	content := b.any(0)
	switch b.IntN(3) {
	case 0:
		escape := strings.NewReplacer(`\`, `\\`, "'", `\'`, `"`, `\"`, "\n", `\n`, "\x00", `\0`)
		return b.both(content, func(s string) string {
			return "-- MariaDB dump\nINSERT INTO `a'b` VALUES (1,'It''s','" + escape.Replace(s) + "',NULL);\n"
		}), "MariaDB"
	case 1:
		escape := strings.NewReplacer(`\`, `\\`, "\n", `\n`, "\t", `\t`)
		return b.both(content, func(s string) string {
			return "-- PostgreSQL database dump\nCOPY a.b (c, d) FROM stdin;\n1\t" + escape.Replace(s) + "\n2\t\\N\n\\.\n\nSELECT 1;\n"
		}), "COPY"
	}
	return b.both(content, func(s string) string {
		return "-- PostgreSQL database dump\nINSERT INTO \"a'b\" VALUES ('" + strings.ReplaceAll(s, "'", "''") + "', '\\');\n"
	}), "PostgreSQL"
}

// Whatever lies in what, links lead where they should, and all else stays byte for byte.
func TestNestedContents(t *testing.T) {
	l := relink.New(ferries(t), relink.AsWritten)
	page := at(t, l, "https://skerrywick.example/ports")
	n := 20_000
	if testing.Short() {
		n /= 10
	}
	counts := map[string]int{}
	for i := range n {
		b := baker{rand.New(rand.NewPCG(14, uint64(i)))}
		var content pair
		form, kind := relink.HTML, "html"
		switch b.IntN(4) {
		case 0:
			content = b.page(0)
		case 1:
			content, form, kind = b.object(0), relink.JSON, "json"
		case 2:
			content, form, kind = b.value(0), relink.PHP, "php"
		default:
			content, kind = b.dump()
			form = relink.SQL
		}
		got, links := l.Relink([]byte(content[0]), form, page)
		require.Equal(t, content[1], string(got), "%d, %s\n%s", i, kind, content[0])
		if content[0] != content[1] {
			counts[kind]++
			require.NotEmpty(t, links)
		}
		again, _ := l.Relink(got, form, page)
		require.Equal(t, string(got), string(again), "a second run changes nothing")
	}
	t.Log(counts)
	for _, kind := range []string{"html", "json", "php", "MariaDB", "COPY", "PostgreSQL"} {
		require.Greater(t, counts[kind], n/40, kind)
	}
}
