//go:build linux

package server_test

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
)

// oddPlan keeps slashes, letters and extensions, and has addresses full of
// what means something in the servers' configuration languages.
func oddPlan(t *testing.T) *plan.Plan {
	dir := t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile: `
site:
  origin: http://skerrywick.example
  hosts: [www.skerrywick.example]
  known: [x.example, search.example, tail.example]
  paths: {slash: keep, letters: keep, extension: keep, index: [index.html]}
kinds: {page: {address: "/{slug}"}}
rules:
  - {from: "/go/{a}/{b}", to: "/went/{b}/{a}?from=go$1,%20"}
  - {from: "/list{/rest*}.html", to: "/all{/rest*}", status: 307}
  - {from: "/find?q={q}&x=1", to: "https://search.example/{q}", query: drop}
  - {from: "/tail/{x}", to: "https://tail.example{?x}", class: {x: "[A-Za-z0-9_-]{1,12}"}}
`,
		project.PagesFile: "key,language,title,state\nhome,en,Home,live\nold,en,Old,live\ndraft,en,Draft,draft\n" +
			"GONE,en,Gone,gone\n",
		project.AddressesFile: `address,page,state
http://skerrywick.example/,home,current
http://skerrywick.example/Home,home@en,former
`,
		project.RedirectsFile: `from,to,status,query
"/a""b","https://x.example/""q""",301,
/a$b,"https://x.example/$1,$2/%20%7Bx%7D?$a=%1&b=%{HTTP_HOST}#$f",302,
/a\b,/never-unsafe,301,
"/with space,comma","https://x.example/a,b;c",308,
/~tilde!*(),https://x.example/'~!*(),303,
/%25percent%2520,https://x.example/%2520%25,307,
/ø/ß,https://x.example/%C3%B8?%C3%B8,301,
/Case,https://x.example/upper,301,
/case,https://x.example/lower,301,
/q?k=A,https://x.example/A,301,
/q?k=a,https://x.example/a,301,
/q?k=$1&m=%2,https://x.example/dollar,301,
/q?k,https://x.example/bare,301,
/q?k=,https://x.example/empty,301,
/slash/,https://x.example/with-slash,301,
/slash,https://x.example/without-slash,301,
/%7Bx%7D,https://x.example/brace,301,
/# not,https://x.example/never,301,
/;semi,https://x.example/semi,301,
/plus+plus,https://x.example/plus?own=1#frag,301,drop
/default,https://x.example/default,301,
/hostnames,https://x.example/hostnames?k=v,301,
/gone,,410,
`,
	} {
		if name == project.AddressesFile {
			text = strings.ReplaceAll(text, ",home,", ",home@en,")
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	p, found, err := judged(dir)
	require.NoError(t, err)
	// A backslash and a fragment are no sources; everything else is.
	require.Len(t, found, 2, "%v", found)
	for _, f := range found {
		require.Equal(t, "unreachable-source", string(f.Code))
	}
	return p
}

func oddAsks(p *plan.Plan) []ask {
	var asks []ask
	random := rand.New(rand.NewPCG(11, 2026))
	add := func(url string) {
		asks = append(asks, ask{method: "GET", url: url}, ask{method: "POST", url: url})
		for _, way := range []int{2, 3, 4, 6} {
			asks = append(asks, ask{method: "GET", url: mutate(random, url, way)})
		}
	}
	for _, row := range p.Redirects.All() {
		a := p.Site.Origin
		a.Path, a.Query = row.Path, row.Query
		add(a.String())
	}
	for _, local := range []string{"/", "/Home", "/home", "/go/a/b", "/go/A.b/~c?x=1&from=2", "/list/a/b.html",
		"/list.html", "/list/a.b.html", "/find?q=abc&x=1&y=2", "/find?x=1&q=Abc", "/find?x=1&q=a/b",
		"/tail/abc_1", "/tail/waytoolongtomatch", "/nope/", "/nope.html", "/nope/index.html", "/index.html",
		"/Index.html", "/q", "/q?k=b", "/q?m=%2&k=$1", "/q?k=A&k=a", "/en/", "/en/x/", "/en"} {
		add("http://skerrywick.example" + local)
		add("https://www.skerrywick.example" + local)
	}
	return asks
}

func TestOddAddressesSurviveEveryServer(t *testing.T) {
	p := oddPlan(t)
	g := compiled(t, p)
	here := site{Pages: []string{"/"}}
	for _, target := range targets() {
		compare(t, target.Name(), g, target.serve(t, g, here), oddAsks(p), target.Differences())
	}
}

// No byte of a plan's data may appear where it could be read as configuration.
func TestCommentsHoldNoData(t *testing.T) {
	g := compiled(t, oddPlan(t))
	for _, target := range targets() {
		files, _ := target.try(g)
		again, _ := target.try(g)
		assert.Equal(t, files, again, "the same plan gives the same bytes")
		for _, f := range files {
			if strings.Contains(string(f.Data[:64]), "__halt_compiler") {
				continue // a table of numbers, which is no text
			}
			for line := range strings.Lines(string(f.Data)) {
				for _, c := range []byte(strings.TrimSuffix(line, "\n")) {
					assert.True(t, c >= 0x20 || c == '\t', "%s: control character in %q", f.Name, line)
				}
				if strings.HasPrefix(strings.TrimSpace(line), "#") {
					assert.NotContains(t, line, "x.example", f.Name)
				}
			}
		}
	}
}

// Whatever bytes stand in a plan, every server loads what was emitted for it and
// answers as the plan says: nothing in the data is taken for configuration.
func TestRandomBytesSurviveEveryServer(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(17, 2026))
	tokens := []string{`"`, `\`, `"\`, "'", "`", "$1", "${x}", "%{HTTP_HOST}", "{$HOME}", "{host}",
		"{http.request.host}", "%[path]", "[", "]", "(", ")*", "^", "|", "?", "#", ";", ",", "<", ">", " ", "&", "=",
		"//", "..", "%0d%0aX-A: b", "%00", "\n", "\t", "é", "\U0001F6A2", "a", "b/", "end", "# young-compass ends",
		"map", "if ($x) {"}
	text := func(n int) string {
		var b strings.Builder
		for range 1 + random.IntN(n) {
			b.WriteString(tokens[random.IntN(len(tokens))])
		}
		return b.String()
	}
	quoted := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }
	plans := 12
	if testing.Short() {
		plans = 3
	}
	rows, asked := 0, 0
	for range plans {
		dir := t.TempDir()
		var list strings.Builder
		list.WriteString("from,to,status\n")
		for range 60 {
			list.WriteString(quoted("/"+text(6)) + "," +
				quoted([]string{"/", "https://x.example/", "/a?", "https://x.example/b#"}[random.IntN(4)]+text(6)) +
				",301\n")
		}
		write(t, filepath.Join(dir, project.PlanFile),
			"site: {origin: http://skerrywick.example, hosts: [www.skerrywick.example], known: [x.example]}\n")
		write(t, filepath.Join(dir, project.PagesFile), "key,language,title,state\nhome,en,"+quoted(text(8))+",live\n")
		write(t, filepath.Join(dir, project.AddressesFile),
			"address,page,state\nhttp://skerrywick.example/,home@en,current\n")
		write(t, filepath.Join(dir, project.RedirectsFile), list.String())
		p, _, err := project.Load(dir)
		require.NoError(t, err)
		// What contradicts itself, or one server can't be told, is left out row by row.
		good := redirect.NewList(p.Site)
		for _, row := range p.Redirects.All() {
			one := redirect.NewList(p.Site)
			one.Append(row)
			q := p.With(one)
			if finding.Worst(judge.Plan(q), finding.Error) {
				continue
			}
			g, found, err := compile.Plan(q)
			if err != nil || finding.Worst(found, finding.Warning) ||
				slices.ContainsFunc(targets(), func(target target) bool {
					files,
						_ := target.try(g)
					return len(files) == 0
				}) {
				continue
			}
			if both := p.With(plus(p, good, row)); !finding.Worst(judge.Plan(both), finding.Error) {
				if _, found, err := compile.Plan(both); err == nil && !finding.Worst(found, finding.Error) {
					good = both.Redirects
				}
			}
		}
		p = p.With(good)
		g, _, err := compile.Plan(p)
		require.NoError(t, err)
		var asks []ask
		for _, row := range p.Redirects.All() {
			a := p.Site.Origin
			a.Path, a.Query = row.Path, row.Query
			if row.Pattern != nil {
				a.Path, a.Query, _ = strings.Cut(row.Pattern.Example(), "?")
			}
			for _, url := range []string{a.String(), mutate(random, a.String(), 2), mutate(random, a.String(), 4),
				mutate(random, a.String(), 6)} {
				if r, err := plan.NewRequest("GET", url); err == nil {
					if _, err := p.Trace(r); err == nil {
						asks = append(asks, ask{method: "GET", url: url})
					}
				}
			}
		}
		rows += p.Redirects.Len()
		for _, target := range targets() {
			s := target.serve(t, g, site{Pages: []string{"/"}})
			compare(t, target.Name(), g, s, asks, target.Differences())
			for _, q := range asks {
				got, err := s.Ask(q)
				require.NoError(t, err)
				assert.Empty(t, got.Header.Get("X-A"), "%s: a header was smuggled in by %s", target.Name(), q.url)
				asked++
			}
			s.stop()
		}
	}
	t.Logf("%d rows of random bytes, %d requests", rows, asked)
	assert.Greater(t, rows, 5*plans)
}

// plus is a list with one more row.
func plus(p *plan.Plan, list *redirect.List, row redirect.Redirect) *redirect.List {
	more := redirect.NewList(p.Site)
	for _, have := range list.All() {
		more.Append(have)
	}
	more.Append(row)
	return more
}
