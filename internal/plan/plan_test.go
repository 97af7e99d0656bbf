package plan_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"young-compass/internal/compile"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/resolve"
)

const minimal = "site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example]}\n"

// load writes a project and loads it. Files are name, text, name, text...
func load(t testing.TB, files ...string) (*plan.Plan, []finding.Finding, error) {
	t.Helper()
	dir := t.TempDir()
	for i := 0; i < len(files); i += 2 {
		require.NoError(t, os.WriteFile(filepath.Join(dir, files[i]), []byte(files[i+1]), 0o644))
	}
	p, found, err := project.Load(dir)
	if err == nil {
		found = append(found, judge.Plan(p)...)
		finding.Sort(found)
	}
	return p, found, err
}

func answer(t testing.TB, p *plan.Plan, method, url string) plan.Answer {
	t.Helper()
	r, err := plan.NewRequest(method, url)
	require.NoError(t, err)
	a, err := p.Answer(r)
	require.NoError(t, err, url)
	return a
}

func TestStatesOfPages(t *testing.T) {
	p, found, err := load(t, project.PlanFile, minimal,
		project.PagesFile, "key,title,state,canonical\nlive,L,live,\nshown,S,live,\ngone,G,gone,\ndraft,D,draft,\n"+
			"away,A,away,\nmerged,M,gone,\nother,O,live,live@en\n",
		project.AddressesFile, `address,page,state
https://skerrywick.example/live,live@en,current
http://www.skerrywick.example/live-old,live@en,former
https://skerrywick.example/also-live,live@en,variant
https://skerrywick.example/shown,shown@en,current
https://skerrywick.example/section/shown,shown@en,shown
https://skerrywick.example/gone,gone@en,current
https://skerrywick.example/gone-old,gone@en,former
https://skerrywick.example/draft.html,draft@en,current
https://skerrywick.example/away,away@en,current
https://skerrywick.example/away-old?id=7,away@en,former
https://skerrywick.example/merged,merged@en,current
https://skerrywick.example/merged-old,merged@en,former
https://skerrywick.example/other,other@en,current
`, project.RedirectsFile, "from,to,status\n/away,live@en#note,307\n/merged,/shown?part=2,301\n")
	require.NoError(t, err)
	require.Empty(t, found)
	const o = "https://skerrywick.example"
	for url, want := range map[string]string{
		o + "/live":              "served 200 ",
		o + "/live-old":          "redirect 301 " + o + "/live",
		o + "/also-live?q=1":     "redirect 301 " + o + "/live?q=1",
		o + "/section/shown":     "served 200 ",
		o + "/Section/Shown":     "redirect 301 " + o + "/section/shown",
		o + "/gone":              "gone 410 ",
		o + "/gone-old":          "gone 410 ",
		o + "/draft.html":        "unknown 404 ",
		o + "/away":              "redirect 307 " + o + "/live#note",
		o + "/away-old?id=7&b=c": "redirect 307 " + o + "/live?b=c#note",
		o + "/away-old?id=8":     "unknown 404 ",
		o + "/merged":            "redirect 301 " + o + "/shown?part=2",
		o + "/merged-old?x=1":    "redirect 301 " + o + "/shown?part=2&x=1",
		"http://www.skerrywick.example/draft.html": "redirect 301 " + o + "/draft.html",
	} {
		t.Run(url, func(t *testing.T) {
			a := answer(t, p, "GET", url)
			assert.Equal(t, want, fmt.Sprintf("%s %d %s", a.Outcome, a.Status, a.To), url)
		})
	}
	assert.Equal(t, o+"/shown", answer(t, p, "GET", o+"/section/shown").Canonical)
	assert.Equal(t, o+"/live", answer(t, p, "GET", o+"/other").Canonical)
	assert.Equal(t, 307, answer(t, p, "POST", o+"/away-old?id=7").Status)
	assert.Equal(t, 308, answer(t, p, "POST", o+"/live-old").Status)
}

func TestCompose(t *testing.T) {
	for want, statuses := range map[int][][]int{
		301: {{301}, {301, 301}}, 302: {{301, 302}, {302, 308}}, 303: {{303, 307, 302, 301}},
		307: {{302, 307}, {308, 307}}, 308: {{301, 308}},
	} {
		for _, s := range statuses {
			assert.Equal(t, want, resolve.Compose(s...), "%v", s)
		}
	}
}

func TestTrace(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	r, err := plan.NewRequest("POST", "http://www.skerrywick.example/index.php?item=999")
	require.NoError(t, err)
	trace, err := p.Trace(r)
	require.NoError(t, err)
	require.Len(t, trace.Hops, 1)
	assert.Equal(t, 308, trace.Hops[0].Status)
	assert.Equal(t, "POST", trace.Final.Method, "a form survives 308")
	assert.Equal(t, plan.Unknown, trace.Answer.Outcome)
}

// Whatever is asked, the plan answers it in one hop: what a redirect leads to
// is not redirected again.
func TestOneHop(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	segment := rapid.SampledFrom([]string{"en", "EN", "de", "routes", "Routes", "index.php", "index.html", "x",
		"x.html", "ports", "hildafjord", "press", "news", "2025", "aktuelt", "a.htm", "", "%C3%A9", "timetable.php",
		"contact", "book", "assets", "logo.png", "..", "%2e"})
	parameter := rapid.SampledFrom([]string{"sec=route", "item=201", "item=999", "lang=de", "sid=1", "utm_source=a",
		"page=1", "port=kvitsund", "ship=x", "a=b", "", "list=crew", "edition=x"})
	rapid.Check(t, func(t *rapid.T) {
		url := rapid.SampledFrom([]string{"https://skerrywick.example", "http://www.skerrywick.example",
			"http://ferries.skerrywick.example", "http://skerrywick.example"}).Draw(t, "host") +
			"/" + strings.Join(rapid.SliceOfN(segment, 0, 5).Draw(t, "path"), "/")
		if params := rapid.SliceOfN(parameter, 0, 4).Draw(t, "parameters"); len(params) > 0 {
			url += "?" + strings.Join(params, "&")
		}
		r, err := plan.NewRequest(rapid.SampledFrom([]string{"GET", "POST"}).Draw(t, "method"), url)
		require.NoError(t, err)
		trace, err := p.Trace(r)
		require.NoError(t, err)
		assert.LessOrEqual(t, len(trace.Hops), 1, "%s: %v", url, trace.Hops)
		if len(trace.Hops) == 1 {
			to := trace.Hops[0].To
			file := strings.Contains(strings.ToLower(to), "logo.png") ||
				strings.Contains(strings.ToLower(to), "/assets/")
			assert.True(t, file || !strings.Contains(to, "sid="), "%s: noise stays on files alone: %s", url, to)
			assert.False(t, strings.HasSuffix(to, "?") || strings.Contains(to, "&&") || strings.Contains(to, "?&"), to)
		}
	})
}

func TestCompileKnowsEveryAddress(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	g, found, err := compile.Plan(p)
	require.NoError(t, err)
	require.Empty(t, found)
	kinds := map[compile.Kind]int{}
	for _, e := range g.Listed {
		kinds[e.Kind]++
		assert.NotEmpty(t, e.Where.File, e.Key)
	}
	assert.Equal(t, 181, kinds[compile.Live], "one for each live page")
	assert.Equal(t, 4, kinds[compile.Gone])
	assert.Greater(t, kinds[compile.Move], 190)
	assert.Len(t, g.Patterns, 5)
	assert.Equal(t, "/notices/{year}/{slug}", g.Patterns[1].Target.String(),
		"a pattern that always leads to another is composed with it")
}

func BenchmarkAnswer(b *testing.B) {
	p := demotest.Accepted(b, b.TempDir())
	r, err := plan.NewRequest("GET",
		"http://www.skerrywick.example/index.php?sid=8f3&item=214&lang=de&sec=route&utm_source=letter")
	require.NoError(b, err)
	for b.Loop() {
		if _, err := p.Answer(r); err != nil {
			b.Fatal(err)
		}
	}
}

func FuzzConfig(f *testing.F) {
	f.Add(minimal + "rules: [{from: '/a{/x*}', to: '/b{/x*}', class: {x: slug}}]")
	f.Add("site: {origin: https://a.example}\nkinds: {a: {address: '/{b}'}}\nparameters: {noise: [a]}\nlanguages: " +
		"{others: {de: {prefix: de}}}")
	f.Fuzz(func(t *testing.T, text string) {
		p, _, err := load(t, project.PlanFile, text)
		if err == nil {
			_, _ = p.Answer(plan.Request{Method: "GET", Address: p.Site.Origin})
		}
	})
}

// "/" is every place.
func TestHeadersForTheWholeSite(t *testing.T) {
	p, _, err := load(t, project.PlanFile,
		minimal+"rules: [{for: [/], headers: {Strict-Transport-Security: max-age=60}}]")
	require.NoError(t, err)
	for url, want := range map[string]int{"https://skerrywick.example/": 1, "https://skerrywick.example/A/b.pdf": 1,
		"http://skerrywick.example/a": 0} {
		r, err := plan.NewRequest("GET", url)
		require.NoError(t, err)
		a, err := p.Answer(r)
		require.NoError(t, err)
		assert.Len(t, a.Headers, want, url)
	}
}
