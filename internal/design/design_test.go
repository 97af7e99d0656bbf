package design_test

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/design"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/project"
)

const config = `site: {origin: https://skerrywick.example, paths: {depth: 3, length: 30}}
languages: {default: en, others: {de: {prefix: de}}, words: {news: {de: neues}}}
kinds:
  page: {address: "/{slug}"}
  news: {address: "/news{/section*}/{year}/{slug}"}
  colour: {address: "/colours/{shade}"}
`

func propose(t *testing.T, pages, book string) (map[string]string, []finding.Finding) {
	t.Helper()
	dir := t.TempDir()
	demotest.Write(t, filepath.Join(dir, project.PlanFile), []byte(config))
	demotest.Write(t, filepath.Join(dir, project.PagesFile),
		[]byte("key,language,kind,title,state,fixed,section,date,shade\n"+pages))
	demotest.Write(t, filepath.Join(dir, project.AddressesFile), []byte("address,page,state\n"+book))
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	proposals, found := design.Propose(p, design.Options{})
	got := map[string]string{}
	for _, q := range proposals {
		got[q.Page.Ref.String()] = q.New.Local()
	}
	return got, slices.DeleteFunc(found, func(f finding.Finding) bool { return f.Code == "missing-translation" })
}

func TestPropose(t *testing.T) {
	got, found := propose(t, `a,en,page,Ä & B,live,,,,
n,en,news,Gale!,live,,Out & Back/Deep,2026-01-19,
n,de,news,Sturm,live,,,2026-01-19,
f,en,page,Whatever,live,/Fixed-by-hand,,,
d,en,page,Draft,draft,,,,
g,en,page,Gone,gone,,,,
`, "")
	assert.Equal(t, map[string]string{"a@en": "/a-and-b", "n@en": "/news/out-and-back/deep/2026/gale",
		"n@de": "/de/neues/2026/sturm", "f@en": "/Fixed-by-hand"}, got)
	assert.Equal(t, map[string]int{"deep-address": 2, "long-address": 1}, finding.Count(found))
}

func TestTheHomePageStays(t *testing.T) {
	got, found := propose(t, "home,en,page,Skerrywick Ferries,live,,,,\nb,en,page,B,live,,,,\n",
		"https://skerrywick.example/,home@en,current\nhttps://skerrywick.example/?p=2,b@en,current\n")
	assert.Empty(t, found)
	assert.Equal(t, map[string]string{"home@en": "/", "b@en": "/b"}, got)
}

func TestWhatStandsInTheWay(t *testing.T) {
	for name, c := range map[string]struct {
		pages, book string
		want        map[string]int
	}{
		"same title": {"a,en,page,Same,live,,,,\nb,en,page,Same!,live,,,,\n", "",
			map[string]int{"collision": 1}},
		"letters aside": {"a,en,page,x,live,/Same,,,\nb,en,page,same,live,,,,\n", "",
			map[string]int{"collision": 1}},
		"another page had it": {"a,en,page,Old,live,,,,\n", "https://skerrywick.example/old,b@en,former\n",
			map[string]int{"taken": 1}},
		"another page has it": {"a,en,page,Old,live,,,,\nb,en,page,New,live,,,,\n",
			"https://skerrywick.example/old,b@en,current\n", map[string]int{"taken": 1}},
		"two pages swap": {"a,en,page,B,live,,,,\nb,en,page,A,live,,,,\n",
			"https://skerrywick.example/a,a@en,current\nhttps://skerrywick.example/b,b@en,current\n",
			map[string]int{"taken": 2}},
		"its own former one is free": {"a,en,page,Old,live,,,,\n",
			"https://skerrywick.example/old,a@en,former\nhttps://skerrywick.example/new,a@en,current\n",
			map[string]int{}},
		"no such kind":     {"a,en,poem,A,live,,,,\n", "", map[string]int{"unknown-kind": 1}},
		"no such language": {"a,fr,page,A,live,,,,\n", "", map[string]int{"unknown-language": 1}},
		"nothing to write": {"a,en,page,!!!,live,,,,\n", "", map[string]int{"slug-from-key": 1}},
		"no date": {"a,en,news,A,live,,,,\nb,en,news,B,live,,,2026-01-02,\n", "",
			map[string]int{"missing-field": 1}},
		"a field nobody has": {"a,en,colour,A,live,,,,\n", "", map[string]int{"unknown-field": 1}},
		"fixed elsewhere": {"a,en,page,A,live,https://other.example/a,,,\n", "",
			map[string]int{"bad-fixed": 1}},
		"fixed, and redirected": {"a,en,page,A,live,/en/about,,,\n", "", map[string]int{}},
	} {
		t.Run(name, func(t *testing.T) {
			_, found := propose(t, c.pages, c.book)
			assert.Equal(t, c.want, finding.Count(found), "%s: %v", name, found)
		})
	}
}

func TestOrderDoesNotMatter(t *testing.T) {
	dir := t.TempDir()
	p := demotest.Gathered(t, dir)
	proposals, _ := design.Propose(p, design.Options{})
	want := string(design.Accept(p.Book, proposals, demotest.Today).Encode())
	for seed := range uint64(10) {
		random := rand.New(rand.NewPCG(seed, 1))
		shuffled := *p.Pages
		shuffled.Pages = append([]inventory.Page(nil), p.Pages.Pages...)
		random.Shuffle(len(shuffled.Pages), func(i, j int) {
			shuffled.Pages[i], shuffled.Pages[j] = shuffled.Pages[j],
				shuffled.Pages[i]
		})
		q := plan.New(p.Settings, &shuffled, p.Book, p.Redirects)
		proposals, _ := design.Propose(q, design.Options{})
		assert.Equal(t, want, string(design.Accept(q.Book, proposals, demotest.Today).Encode()))
	}
}

// Whatever changes, every address that ever was accepted answers in one hop
// with the page's address of today.
func TestTheBookOnlyGrows(t *testing.T) {
	dir := t.TempDir()
	p := demotest.Accepted(t, dir)
	ever := map[string]inventory.Ref{}
	note := func(p *plan.Plan) {
		for _, e := range p.Book.Entries {
			ever[e.Address.String()] = e.Page
		}
	}
	note(p)
	data, err := os.ReadFile(filepath.Join(dir, project.PlanFile))
	require.NoError(t, err)
	for _, pattern := range []string{`"/sail{/region*,slug}"`, `"/where/{slug}"`, `"/routes{/region*,slug}"`,
		`"/sail/{slug}"`} {
		demotest.Write(t, filepath.Join(dir, project.PlanFile), []byte(replaceRoute(string(data), pattern)))
		demotest.Accept(t, dir, demotest.Load(t, dir))
		p = demotest.Load(t, dir)
		note(p)
		for text, ref := range ever {
			r, err := plan.NewRequest("GET", text)
			require.NoError(t, err)
			trace, err := p.Trace(r)
			require.NoError(t, err)
			assert.LessOrEqual(t, len(trace.Hops), 1, text)
			if p.Pages.Find(ref).State == inventory.Live {
				assert.Equal(t, ref, trace.Answer.Page, "%s after %s", text, pattern)
			}
		}
	}
	assert.Len(t, ever, 196+181+3*39, "each change adds the addresses of the routes")
}

func replaceRoute(config, pattern string) string {
	const line = `  route:     {address: `
	return config[:strings.Index(config, line)+len(line)] + pattern + config[strings.Index(config, `, slug: title}`):]
}
