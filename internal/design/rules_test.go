package design_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/compile"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/design"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/project"
	"young-compass/internal/visits"
)

// world is a small project to design.
type world struct {
	t   *testing.T
	dir string
}

func newWorld(t *testing.T, config, pages, book string) *world {
	t.Helper()
	w := &world{t, t.TempDir()}
	demotest.Write(t, filepath.Join(w.dir, project.PlanFile),
		[]byte("site: {origin: https://skerrywick.example}\n"+config))
	w.pages(pages)
	demotest.Write(t, filepath.Join(w.dir, project.AddressesFile), []byte("address,page,state,since\n"+book))
	return w
}

func (w *world) pages(rows string) {
	demotest.Write(w.t, filepath.Join(w.dir, project.PagesFile),
		[]byte("key,language,kind,title,section,date,fixed,canonical\n"+rows))
}

func (w *world) load() *plan.Plan {
	w.t.Helper()
	p, _, err := project.Load(w.dir)
	require.NoError(w.t, err)
	return p
}

// propose returns the proposals as "key@language /path", and the codes found.
func (w *world) propose(o design.Options) (lines []string, codes []string) {
	w.t.Helper()
	proposals, found := design.Propose(w.load(), o)
	for _, q := range proposals {
		if q.Held {
			continue
		}
		line := q.Page.Ref.String() + " " + strings.TrimPrefix(q.New.Readable(), "https://skerrywick.example")
		for _, a := range q.More {
			line += fmt.Sprintf(" +%s(%v)", a.Local(), q.Shown)
		}
		lines = append(lines, line)
	}
	for _, f := range found {
		codes = append(codes, string(f.Code))
	}
	return lines, codes
}

// accept designs and writes the book.
func (w *world) accept(o design.Options) {
	w.t.Helper()
	p := w.load()
	proposals, found := design.Propose(p, o)
	require.False(w.t, finding.Worst(found, finding.Error), "%v", found)
	demotest.Write(w.t, filepath.Join(w.dir, project.AddressesFile),
		design.Accept(p.Book, proposals, "2026-11-23").Encode())
}

func TestSlugRules(t *testing.T) {
	w := newWorld(t, `slugs: {length: 20, fillers: {en: [the, of]}, spelling: {en: {ø: oe}, all: {"+": plus}}, reserved: [admin]}
kinds: {page: {address: "/{slug}"}, vessel: {address: "/fleet/{slug}"}}
`, `a,en,page,The Isle of Øre,,,,
b,en,page,2026,,,,
c,en,vessel,7,,,,
d,en,page,Admin,,,,
e,en,page,★★★,,,,
f,en,page,One very long title that goes on,,,,
g,en,page,Fish+chips,,,,
`, "")
	lines, codes := w.propose(design.Options{})
	assert.Equal(t, []string{"a@en /isle-oere", "b@en /page-2026", "c@en /fleet/vessel-7", "d@en /admin-page",
		"e@en /e", "f@en /one-very-long-title", "g@en /fish-plus-chips"}, lines)
	assert.Equal(t, []string{"slug-from-key"}, codes)

	w = newWorld(t, `slugs: {letters: keep}
kinds: {page: {address: "/{slug}"}}
`, "a,en,page,Ytre Åmøy,,,,\nb,en,page,ytre A\u030amøy,,,,\n", "")
	lines, codes = w.propose(design.Options{})
	assert.Equal(t, []string{"a@en /ytre-åmøy", "b@en /ytre-åmøy"}, lines)
	assert.Equal(t, []string{"collision"}, codes, "whatever the Unicode form")
}

func TestExtension(t *testing.T) {
	w := newWorld(t, "kinds: {page: {address: \"/{slug}\"}}\nslugs: {collide: number}\n",
		"a,en,page,A,,,,\nb,en,page,A,,,,\nh,en,page,Home,,,/,\n", "")
	demotest.Write(t, filepath.Join(w.dir, project.PlanFile),
		[]byte("site: {origin: https://skerrywick.example, paths: {extension: .html}}\nkinds: {page: {address: "+
			"\"/{slug}\"}}\nslugs: {collide: number}\n"))
	lines, codes := w.propose(design.Options{})
	assert.Equal(t, []string{"a@en /a.html", "b@en /a-2.html", "h@en /"}, lines)
	assert.Empty(t, codes)
}

// Addresses that a visitor, or the plan, could take for one another collide.
func TestCollisionsOnTheFullMeaning(t *testing.T) {
	const kinds = "kinds: {page: {address: \"/{slug}\"}}\n"
	for fixed, collides := range map[string]bool{
		"/A-B": true, "/a-b/": true, "/a-b//": true, "/a-b.html": true, "/a-b.php": true, "/a%2Db": true,
		"/%61-b": true, "/a-b/index.html": true, "/a-b/index.php/": true,
		"/a-b.txt": false, "/a-b?x=1": false, "/a_b": false, "/ab": false, "/a-b/c": false,
	} {
		t.Run(fixed, func(t *testing.T) {
			w := newWorld(t, kinds, "a,en,page,A b,,,,\nb,en,page,Other,,,"+fixed+",\n", "")
			_, codes := w.propose(design.Options{})
			assert.Equal(t, collides, slices.Contains(codes, "collision"), "%s: %v", fixed, codes)
		})
	}
	for former, taken := range map[string]bool{"http://skerrywick.example/A-B/": true,
		"https://skerrywick.example/a-b.html": true, "https://skerrywick.example/a-b?id=1": false} {
		w := newWorld(t, kinds, "a,en,page,A b,,,,\n", former+",z@en,former,2020-01-01\n")
		_, codes := w.propose(design.Options{})
		assert.Equal(t, taken, slices.Contains(codes, "taken"), "%s: %v", former, codes)
	}
	for fixed, reserved := range map[string]bool{"/robots.txt": true, "/x.PDF": false, "/logo.png": true,
		"/.well-known/x": true, "/x%2Fy": true} {
		w := newWorld(t, kinds, "a,en,page,A,,,"+fixed+",\n", "")
		_, codes := w.propose(design.Options{})
		assert.Equal(t, reserved, slices.Contains(codes, "reserved"), "%s: %v", fixed, codes)
	}
}

func TestCollisionsAreSolvedByTheRule(t *testing.T) {
	const kinds = "kinds: {page: {address: \"/{slug}\"}}\n"
	const pages = "a,en,page,Same,,2026-01-02,,\nb,en,page,Same,north/outer;x,2026-03-04,,\nc,en,page,Same,,,,\n"
	for rule, want := range map[planfile.Collide][]string{
		planfile.CollideNumber: {"a@en /same", "b@en /same-2", "c@en /same-3"},
		planfile.CollideParent: {"a@en /same", "b@en /same-outer", "c@en /same-page"},
		planfile.CollideDate:   {"a@en /same", "b@en /same-2026-03-04", "c@en /same"},
	} {
		w := newWorld(t, kinds, pages, "")
		lines, codes := w.propose(design.Options{Collide: rule})
		assert.Equal(t, want, lines)
		assert.Equal(t, rule == planfile.CollideDate, slices.Contains(codes, "collision"), "%s: c has no date", rule)
	}
	// who had the address first keeps it, whatever the order; a fixed one wins
	w := newWorld(t, kinds, pages, "https://skerrywick.example/same,c@en,current,2020-01-01\n")
	lines, _ := w.propose(design.Options{Collide: planfile.CollideNumber})
	assert.Equal(t, []string{"a@en /same-2", "b@en /same-3", "c@en /same"}, lines)
	w = newWorld(t, kinds, pages+"d,en,page,D,,,/Same,\n", "")
	lines, _ = w.propose(design.Options{Collide: planfile.CollideNumber})
	assert.Equal(t, []string{"a@en /same-2", "b@en /same-3", "c@en /same-4", "d@en /Same"}, lines)
	// what others had is left to them
	w = newWorld(t, kinds, pages, "https://skerrywick.example/same-2,z@en,former,2020-01-01\n")
	lines, _ = w.propose(design.Options{Collide: planfile.CollideNumber})
	assert.Equal(t, []string{"a@en /same", "b@en /same-3", "c@en /same-4"}, lines)
	// the plan can say the rule
	w = newWorld(t, kinds+"slugs: {collide: number}\n", pages, "")
	lines, codes := w.propose(design.Options{})
	assert.Equal(t, []string{"a@en /same", "b@en /same-2", "c@en /same-3"}, lines)
	assert.Empty(t, codes)
}

// Pages once told apart stay where they are, without a rule and with newcomers.
func TestPagesToldApartStay(t *testing.T) {
	w := newWorld(t, "kinds: {page: {address: \"/{slug}\"}}\n", "b,en,page,Same,,,,\nc,en,page,Same,,,,\n", "")
	w.accept(design.Options{Collide: planfile.CollideNumber})
	lines, codes := w.propose(design.Options{})
	assert.Equal(t, []string{"b@en /same", "c@en /same-2"}, lines)
	assert.Empty(t, codes)
	w.pages("a,en,page,Same,,,,\nb,en,page,Same,,,,\nc,en,page,Same,,,,\n")
	lines, _ = w.propose(design.Options{Collide: planfile.CollideNumber})
	assert.Equal(t, []string{"a@en /same-3", "b@en /same", "c@en /same-2"}, lines)
	w.pages("b,en,page,Renamed,,,,\nc,en,page,Same,,,,\n")
	lines, codes = w.propose(design.Options{})
	assert.Equal(t, []string{"b@en /renamed", "c@en /same-2"}, lines, "what b had stays b's")
	assert.Empty(t, codes)
}

func TestAPersonIsAsked(t *testing.T) {
	w := newWorld(t, "kinds: {page: {address: \"/{slug}\"}}\n",
		"a,en,page,Same,,,,\nb,en,page,Same,,,,\nc,en,page,Same,,,,\n", "")
	answers := []string{"Same", "Taken again: same!", "/over/there", ""}
	p := w.load()
	proposals, found := design.Propose(p, design.Options{Collide: planfile.CollideAsk,
		Ask: func(c design.Collision) (string, error) {
			assert.Equal(t, "a@en", c.Owner.String())
			answer := answers[0]
			answers = answers[1:]
			return answer, nil
		}})
	assert.Equal(t, "/taken-again-same", proposals[1].New.Path, "the first answer was taken too")
	assert.Equal(t, "/over/there", proposals[2].New.Path)
	assert.Equal(t, "/over/there", p.Pages.Find(inventory.Ref{Key: "c", Language: "en"}).Fixed)
	assert.Empty(t, found)
	_, found = design.Propose(w.load(), design.Options{Collide: planfile.CollideAsk,
		Ask: func(design.Collision) (string, error) { return "", errors.New("nobody there") }})
	assert.Equal(t, map[string]int{"collision": 2}, finding.Count(found))
}

func TestSections(t *testing.T) {
	const pages = "a,en,page,A,north/outer; south ;,,,\nb,en,page,B,,,,\n"
	w := newWorld(t, "kinds: {page: {address: \"/x{/section*,slug}\"}}\n", pages, "")
	lines, codes := w.propose(design.Options{})
	assert.Equal(t, []string{"a@en /x/north/outer/a +/x/south/a(false) +/x/a(false)", "b@en /x/b"}, lines)
	assert.Empty(t, codes)
	w = newWorld(t, "kinds: {page: {address: \"/x{/section*,slug}\", sections: shown}}\n",
		strings.Replace(pages, " ;", "", 1), "https://skerrywick.example/x/south/a,a@en,variant,2020-01-01\n")
	lines, _ = w.propose(design.Options{})
	assert.Equal(t, []string{"a@en /x/north/outer/a +/x/south/a(true)", "b@en /x/b"}, lines)
	w.accept(design.Options{})
	assert.Contains(t, string(w.load().Book.Encode()), "/x/south/a,a@en,variant,2020-01-01", "what the book says stays")
	w.pages("a,en,page,A,north;west,,,\n")
	w.accept(design.Options{})
	p := w.load()
	assert.Contains(t, string(p.Book.Encode()), "https://skerrywick.example/x/west/a,a@en,shown,2026-11-23")
	for path, want := range map[string]string{"/x/west/a": "served ",
		"/x/south/a":       "redirect https://skerrywick.example/x/north/a",
		"/x/north/outer/a": "redirect https://skerrywick.example/x/north/a"} {
		r, err := plan.NewRequest("GET", "https://skerrywick.example"+path)
		require.NoError(t, err)
		a, err := p.Answer(r)
		require.NoError(t, err)
		assert.Equal(t, want, fmt.Sprintf("%s %s", a.Outcome, a.To), path)
	}
	w.pages("a,en,page,A,north;west,,,\nc,en,page,C,,,/x/west/a,\n")
	_, codes = w.propose(design.Options{})
	assert.Equal(t, []string{"taken"}, codes)
}

func TestLanguageHosts(t *testing.T) {
	w := newWorld(t, `languages: {default: en, others: {de: {prefix: de}, de-CH: {host: skerrywick-ch.example}}, words: {ports: {de: haefen, de-CH: haefen}}}
kinds: {port: {address: "/ports/{slug}"}}
`, "a,en,port,Hilda,,,,\na,de,port,Hilda,,,,\na,de-CH,port,Hilda,,,,\n", "")
	lines, codes := w.propose(design.Options{})
	assert.Equal(t, []string{"a@de /de/haefen/hilda", "a@de-CH https://skerrywick-ch.example/haefen/hilda",
		"a@en /ports/hilda"}, lines)
	assert.Empty(t, codes)
	w.accept(design.Options{})
	w.pages("a,en,port,Hilda,,,,\na,de,port,Hilda,,,,\na,de-CH,port,Hilda neu,,,,\n")
	w.accept(design.Options{})
	p := w.load()
	for url, want := range map[string]string{
		"https://skerrywick-ch.example/haefen/hilda-neu":     "served ",
		"http://skerrywick-ch.example/haefen/hilda-neu":      "redirect https://skerrywick-ch.example/haefen/hilda-neu",
		"http://skerrywick-ch.example/Haefen/Hilda/":         "redirect https://skerrywick-ch.example/haefen/hilda-neu",
		"https://skerrywick-ch.example/ports/hilda":          "unknown ",
		"https://skerrywick-ch.example/en/x":                 "unknown ",
		"http://skerrywick-ch.example/X.html":                "redirect https://skerrywick-ch.example/x",
		"https://skerrywick.example/haefen/hilda":            "unknown ",
		"https://skerrywick.example/de/haefen/hilda":         "served ",
		"https://www.skerrywick-ch.example/haefen/hilda-neu": "foreign ",
	} {
		t.Run(url, func(t *testing.T) {
			r, err := plan.NewRequest("GET", url)
			require.NoError(t, err)
			a, err := p.Answer(r)
			require.NoError(t, err)
			assert.Equal(t, want, fmt.Sprintf("%s %s", a.Outcome, a.To), url)
		})
	}
	_, found, err := compile.Plan(p)
	require.NoError(t, err)
	assert.Empty(t, found)
}

func TestTemplatesByLanguage(t *testing.T) {
	w := newWorld(t, `languages: {default: en, others: {de: {prefix: de}, nb: {prefix: nb}}, words: {ports: {de: no, nb: havner}}}
kinds: {port: {address: {en: "/ports/{slug}", de: "/alle-haefen/ports/{section}/{slug}"}}}
`, "a,en,port,Hilda,north,,,\na,de,port,Hilda,Nord,,,\na,nb,port,Hilda,nord,,,\n", "")
	lines, codes := w.propose(design.Options{})
	assert.Equal(t, []string{"a@de /de/alle-haefen/ports/nord/hilda", "a@en /ports/hilda", "a@nb /nb/havner/hilda"},
		lines)
	assert.Empty(t, codes)
}

func TestSomeOnly(t *testing.T) {
	w := newWorld(t, `languages: {default: en, others: {de: {prefix: de}}}
kinds: {page: {address: "/{slug}"}, port: {address: "/ports/{slug}"}}
`, "a,en,page,A,,,,\na,de,page,A,,,,\np,en,port,P,,,,\nq,en,port,New,,,,\n", "https://skerrywick.example/old,a@en,current,\nhttps://skerrywick.example/ports/p2,p@en,current,\n")
	lines, codes := w.propose(design.Options{Only: "page"})
	assert.Equal(t, []string{"a@de /de/a", "a@en /a"}, lines)
	assert.Empty(t, codes)
	lines, codes = w.propose(design.Options{Language: "de"})
	assert.Equal(t, []string{"a@de /de/a"}, lines)
	assert.Equal(t, []string{"missing-translation", "missing-translation"}, codes)
	w.accept(design.Options{Only: "page"})
	assert.Contains(t, string(w.load().Book.Encode()), "/ports/p2,p@en,current")
	assert.NotContains(t, string(w.load().Book.Encode()), "q@en")
}

func TestCanonicalAndTranslations(t *testing.T) {
	w := newWorld(t, `languages: {default: en, others: {de: {prefix: de}}}
kinds: {page: {address: "/{slug}"}}
`, "a,en,page,A,,,,b@en\na,de,page,A,,,,\nb,en,page,B,,,,\nc,en,page,C,,,,a@en\nd,en,page,D,,,,d@en\ne,en,page,E,,,,nobody@en\nf,en,page,F,,,,https://media.example/f\ng,en,page,G,,,,no address\n", "")
	_, found := design.Propose(w.load(), design.Options{})
	var lines []string
	for _, f := range found {
		lines = append(lines, f.String())
	}
	assert.Equal(t, []string{
		`pages.csv:5: error bad-canonical: c@en defers to "a@en", which defers to "b@en" itself; name that one`,
		`pages.csv:6: error bad-canonical: d@en defers to "d@en", which is itself; empty the column canonical`,
		`pages.csv:7: error bad-canonical: e@en defers to "nobody@en", which is not a live page; name one, or empty ` +
			`the column canonical`,
		`pages.csv:9: error bad-canonical: g@en defers to "no address", which is neither a page nor an address; write ` +
			`key@language, a path or an address`,
		`pages.csv:4: note missing-translation: b is there in en, not in de`,
	}, lines[:5])
}

func TestTwoReadings(t *testing.T) {
	w := newWorld(t, "kinds: {page: {address: \"/x/{a}-{slug}\"}, note: {address: \"/n/{year}-{slug}\"}}\n",
		"a,en,note,A,,2026-01-02,,\n", "")
	_, found := design.Propose(w.load(), design.Options{})
	require.Len(t, found, 1)
	assert.Equal(t, "two-readings", string(found[0].Code))
	assert.Equal(t, "the address /x/x--x of the kind page can be read in two ways", found[0].What)
	assert.ElementsMatch(t, []string{"a=x slug=-x", "a=x- slug=x"}, found[0].Evidence)
}

func TestTreeAndVisits(t *testing.T) {
	var list []address.Address
	for _, s := range []string{"/", "/a/b", "/a/c", "/a", "/x.php?b=1&a=2", "/x.php?a=1&b=3", "/%C3%B8", "/?q",
		"/d/e/f", "//d/e/g/"} {
		a, err := address.Parse("https://skerrywick.example" + s)
		require.NoError(t, err)
		list = append(list, a)
	}
	assert.Equal(t, &design.Node{Segment: "/", Pages: 10, Children: []*design.Node{
		{Segment: "a", Pages: 3}, {Segment: "d", Pages: 2, Children: []*design.Node{{Segment: "e", Pages: 2}}},
		{Segment: "x.php?a&b", Pages: 2},
	}}, design.Tree(list))

	w := newWorld(t, "kinds: {page: {address: \"/{slug}\"}}\n", "a,en,page,A,,,,\n",
		"https://skerrywick.example/old,a@en,current,\nhttps://skerrywick.example/older,a@en,former,\n")
	visit := func(path string, status, n int) visits.Visit {
		a, err := address.Parse("https://skerrywick.example" + path)
		require.NoError(t, err)
		return visits.Visit{Address: a, Status: status, Visitors: n}
	}
	byPage, all := design.Visits(w.load(), []visits.Visit{visit("/old?utm=1", 200, 3), visit("/older", 301, 4),
		visit("/nowhere", 200, 9), visit("/old", 404, 9)})
	assert.Equal(t, map[inventory.Ref]int{{Key: "a", Language: "en"}: 7}, byPage)
	assert.Equal(t, 7, all)
}

// Over two runs with pages added, renamed and renamed back, every accepted
// address stays or redirects in one hop, whatever the order of the pages.
func TestNothingIsLostOverRuns(t *testing.T) {
	for seed := range uint64(10) {
		random := rand.New(rand.NewPCG(seed, 9))
		w := newWorld(t, "kinds: {page: {address: \"/{section}/{slug}\"}}\nslugs: {collide: number}\n", "", "")
		titles := map[string]string{}
		for i := range 40 {
			titles[fmt.Sprintf("p%02d", i)] = fmt.Sprintf("Title %d", i%25)
		}
		original := map[string]string{}
		for key, title := range titles {
			original[key] = title
		}
		ever := map[string]string{}
		for run := range 4 {
			var keys []string
			for key := range titles {
				keys = append(keys, key)
			}
			slices.Sort(keys)
			random.Shuffle(len(keys), func(i, j int) { keys[i], keys[j] = keys[j], keys[i] })
			var rows strings.Builder
			for _, key := range keys {
				fmt.Fprintf(&rows, "%s,en,page,%s,guides,,,\n", key, titles[key])
			}
			w.pages(rows.String())
			w.accept(design.Options{})
			p := w.load()
			for _, e := range p.Book.Entries {
				owner, known := ever[e.Address.String()]
				assert.True(t, !known || owner == e.Page.String(), "an address never changes its page")
				ever[e.Address.String()] = e.Page.String()
			}
			for text, owner := range ever {
				r, err := plan.NewRequest("GET", text)
				require.NoError(t, err)
				trace, err := p.Trace(r)
				require.NoError(t, err)
				assert.LessOrEqual(t, len(trace.Hops), 1)
				assert.Equal(t, owner, trace.Answer.Page.String(), text)
			}
			before := p.Book.Encode()
			w.accept(design.Options{})
			assert.Equal(t, string(before), string(w.load().Book.Encode()), "again changes nothing")
			for i, key := range keys {
				switch {
				case run == 0 && i%4 == 0:
					titles[key] = fmt.Sprintf("Renamed %d", i%3)
				case run == 1:
					titles[key] = original[key] // renamed back
				}
			}
			titles[fmt.Sprintf("q%d", run)] = "Title 1"
			original[fmt.Sprintf("q%d", run)] = "Title 1"
		}
	}
}

// What collisions don't ask the plan about, it answers as they say.
func TestPlainAddressesAreServed(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for _, e := range p.Book.Entries {
		page := p.Pages.Find(e.Page)
		if e.State != book.Current || page == nil || page.State != inventory.Live {
			continue
		}
		a, err := p.Answer(plan.Request{Method: "GET", Address: p.Site.Rebase(e.Address)})
		require.NoError(t, err)
		assert.Equal(t, plan.Served, a.Outcome, e.Address)
		assert.Equal(t, e.Page, a.Page)
	}
}

func TestAnAddressThatIsTooLongForAnything(t *testing.T) {
	w := newWorld(t, "kinds: {page: {address: '/{section}/{slug}'}}\n",
		"a,en,page,Title,"+strings.Repeat("long", 5000)+",,,\n", "")
	_, codes := w.propose(design.Options{})
	assert.Contains(t, codes, "bad-address")
}
