package propose_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/design"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/propose"
	"young-compass/internal/redirect"
	"young-compass/internal/visits"
)

// site collects what is known of a site.
type site struct {
	propose.Evidence
	asked []visits.Visit
}

func newSite() *site {
	return &site{Evidence: propose.Evidence{Pages: &inventory.Inventory{}, Book: &book.Book{}}}
}

// page adds a page: key, language and kind as "fares@de notice", and its address.
func (s *site) page(t *testing.T, name, title, at string, further ...string) {
	t.Helper()
	name, kind, _ := strings.Cut(name, " ")
	ref, ok := inventory.ParseRef(name)
	require.True(t, ok, name)
	if kind == "" {
		kind = "page"
	}
	s.Pages.Add(inventory.Page{Ref: ref, Kind: kind, Title: title, State: inventory.Live})
	for i, text := range append([]string{at}, further...) {
		a, err := address.Parse(text)
		require.NoError(t, err)
		state := book.Current
		if i > 0 {
			state = book.Variant
		}
		s.Book.Entries = append(s.Book.Entries, book.Entry{Address: a, Page: ref, State: state})
	}
}

// visit adds what logs say of an address.
func (s *site) visit(t *testing.T, at string, status, visitors, bytes int) {
	t.Helper()
	a, err := address.Parse(at)
	require.NoError(t, err)
	s.asked = append(s.asked, visits.Visit{Address: a, Status: status, Visitors: visitors, Bytes: bytes})
}

// draft returns what is proposed for the site.
func (s *site) draft() propose.Draft {
	e := propose.Gathered(s.Pages, s.Book, s.asked)
	e.Moves, e.Asked, e.Proved, e.Translated, e.Origin = s.Moves, s.Asked, s.Proved, s.Translated, s.Origin
	return propose.Of(e)
}

// says returns the lines with a key, doubtful ones with "? " in front.
func says(d propose.Draft, key string) (list []string) {
	for _, l := range d.Lines {
		if l.Key == key {
			mark := ""
			if !l.Sure() {
				mark = "? "
			}
			list = append(list, mark+l.Value)
		}
	}
	return list
}

func TestHosts(t *testing.T) {
	s := newSite()
	for i := range 10 {
		s.page(t, fmt.Sprintf("p%d@en", i), "", fmt.Sprintf("https://skerrywick.example/a%d", i), fmt.Sprintf("http://www.skerrywick.example/a%d.htm", i))
	}
	s.page(t, "f@en", "", "http://ferries.skerrywick.example/", "https://staging.skerrywick.example/", "https://static.skerrywick.example/x")
	to, err := address.Parse("https://maps.example/islands")
	require.NoError(t, err)
	from, err := address.Parse("http://old.skerrywick.example/map")
	require.NoError(t, err)
	s.Moves = []propose.Move{{From: from, To: to}}
	d := s.draft()
	assert.Equal(t, []string{"https://skerrywick.example"}, says(d, "site.origin"))
	assert.Equal(t, []string{"ferries.skerrywick.example", "www.skerrywick.example", "old.skerrywick.example"}, says(d, "site.hosts"))
	assert.Equal(t, []string{"staging.skerrywick.example"}, says(d, "site.staging"))
	assert.Equal(t, []string{"static.skerrywick.example", "maps.example"}, says(d, "site.known"))

	s = newSite()
	s.page(t, "a@en", "", "http://docs.skerrywick.example/a")
	d = s.draft()
	assert.Equal(t, []string{"http://docs.skerrywick.example"}, says(d, "site.origin"), "nothing speaks of https")
	assert.Empty(t, says(d, "site.hosts"), "nobody puts www. before such a name")
	d = propose.Of(propose.Gathered(&inventory.Inventory{}, &book.Book{}, nil))
	_, err = planfile.Read("young-compass.yaml", d.YAML())
	require.NoError(t, err, "of nothing, too")
}

func TestLanguages(t *testing.T) {
	for about, c := range map[string]struct {
		pages     []string // key@language, title and address
		standard  string
		others    []string
		parameter []string
	}{
		"a prefix, said by pages":            {[]string{"a@en||/a", "b@en||/b", "a@de||/de/a"}, "en", []string{"de: {prefix: de}"}, nil},
		"a section called as a code is none": {[]string{"a@en||/it/support", "b@en||/it/network", "c@en||/it/phones", "d@en||/about"}, "en", nil, nil},
		"a parameter":                        {[]string{"a@en||/i.php?p=1", "a@de||/i.php?p=1&lang=de", "a@nb||/i.php?p=1&lang=nb"}, "en", []string{"de: {prefix: de}", "nb: {prefix: nb}"}, []string{"lang"}},
		"a parameter of another name": {[]string{"a@en||/i.php?p=1", "a@de||/i.php?p=1&v=de", "b@de||/i.php?p=2&v=de", "a@fr||/i.php?p=1&v=fr", "b@fr||/i.php?p=3&v=fr"}, "en",
			[]string{"de: {prefix: de}", "fr: {prefix: fr}"}, []string{"v"}},
		"a number is no language": {[]string{"a@en||/i.php?l=1", "b@en||/i.php?l=2", "c@en||/i.php?l=3"}, "en", nil, nil},
		"capitals":                {[]string{"a@en||/a", "a@de||/DE/a", "b@de||/DE/b"}, "en", []string{"de: {prefix: de}"}, nil},
		"a host of its own":       {[]string{"a@de||/a", "b@de||/b", "c@de||/c", "a@en||https://skerrywick-en.example/a", "b@en||https://skerrywick-en.example/b"}, "de", []string{"en: {host: skerrywick-en.example}"}, nil},
		"said, and not shown":     {[]string{"a@en||/a", "b@en||/b", "c@en||/c", "x@fr||/x", "y@fr||/y", "z@fr||/z"}, "en", []string{"fr: {prefix: fr}"}, nil},
	} {
		t.Run(about, func(t *testing.T) {
			s := newSite()
			for i, line := range c.pages {
				name, rest, _ := strings.Cut(line, "|")
				title, at, _ := strings.Cut(rest, "|")
				if strings.HasPrefix(at, "/") {
					at = "https://skerrywick.example" + at
				}
				key, language, _ := strings.Cut(name, "@")
				s.page(t, fmt.Sprintf("%s%d@%s", key, i, language), title, at)
			}
			d := s.draft()
			assert.Equal(t, []string{c.standard}, says(d, "languages.default"))
			assert.Equal(t, c.others, says(d, "languages.others"))
			assert.Equal(t, c.parameter, says(d, "languages.parameter"))
		})
	}
}

// Where no source says a language, titles do, or folders that are there with the mark and without; else it is a question.
func TestLanguagesThatNobodySays(t *testing.T) {
	survey := func(lines ...string) propose.Draft {
		var e propose.Evidence
		for _, line := range lines {
			at, title, _ := strings.Cut(line, "|")
			a, err := address.Parse("https://skerrywick.example" + at)
			require.NoError(t, err)
			e.Seen = append(e.Seen, propose.Seen{Address: a, Says: propose.Table, Title: title})
		}
		return propose.Survey(e)
	}
	d := survey("/a|The ferry to the islands", "/b|How to travel with your dog", "/c|Where we are", "/de/x|Die Fähre für die Insel", "/de/y|Der Hafen und das Museum")
	assert.Equal(t, []string{"en"}, says(d, "languages.default"))
	assert.Equal(t, []string{"de: {prefix: de}"}, says(d, "languages.others"))
	d = survey("/news/a", "/news/b", "/shop/c", "/de/news/d", "/de/news/e", "/de/shop/f")
	assert.Equal(t, []string{"? en"}, says(d, "languages.default"))
	assert.Equal(t, []string{"de: {prefix: de}"}, says(d, "languages.others"))
	var lines []string
	for i := range 12 {
		lines = append(lines, fmt.Sprintf("/de/seite-%d", i), fmt.Sprintf("/page-%d", i))
	}
	assert.Equal(t, []string{"? de: {prefix: de}"}, says(survey(lines...), "languages.others"))
	_, err := planfile.Read("young-compass.yaml", survey(lines...).YAML())
	require.NoError(t, err, "a question is a comment")
}

func TestParameters(t *testing.T) {
	s := newSite()
	for i := range 6 {
		at := fmt.Sprintf("https://skerrywick.example/i.php?item=%d", i)
		s.page(t, fmt.Sprintf("p%d@en", i), fmt.Sprint("Pier ", i), at, at+"&PHPSESSID=a"+fmt.Sprint(i))
		s.visit(t, at, 200, 3, 1000+i)
		s.visit(t, at+"&utm_source=x&utm_medium=y", 200, 1, 1000+i)
		s.visit(t, at+fmt.Sprintf("&tok=%032x", i*7919+1), 200, 1, 1000+i)
		s.visit(t, at+"&promo=spring", 200, 1, 1000+i)
		s.visit(t, at+"&tab=2", 200, 1, 2000+i)
		s.visit(t, at+"&sort=name", 200, 1, 900+i)
		s.visit(t, at+"&ref=mail", 200, 1, 1000+i)
		s.visit(t, at+fmt.Sprintf("&page=%d", i+2), 200, 1, 3000+i)
		s.visit(t, fmt.Sprintf("https://skerrywick.example/i.php;jsessionid=%d?item=%d", i, i), 200, 1, 0)
	}
	s.visit(t, "https://skerrywick.example/?x=../../etc", 404, 1, 0)
	s.Proved = []propose.Proved{{Name: "season", Class: parameter.Identity, Agree: 4, Told: 4}, {Name: "shaky", Class: parameter.Noise, Agree: 1, Told: 4}}
	d := s.draft()
	assert.Equal(t, []string{"item", "season", "? shaky", "? tab"}, says(d, "parameters.identity"))
	assert.Equal(t, []string{"page"}, says(d, "parameters.pagination"))
	assert.Equal(t, []string{"sort"}, says(d, "parameters.display"))
	assert.Equal(t, []string{"promo", "ref", `"utm_*"`}, says(d, "parameters.tracking"))
	assert.Equal(t, []string{`";jsessionid"`, "PHPSESSID", "tok"}, says(d, "parameters.noise"))

	s = newSite() // of the same name, but it tells pages apart
	for i, v := range []string{"about", "fares", "contact"} {
		s.page(t, fmt.Sprintf("p%d@en", i), v, "https://skerrywick.example/i.php?page="+v)
	}
	assert.Equal(t, []string{"page"}, says(s.draft(), "parameters.identity"))
}

func TestScriptsAndDocuments(t *testing.T) {
	s := newSite()
	s.page(t, "a@en", "A", "https://skerrywick.example/i.php?id=1")
	s.visit(t, "https://skerrywick.example/basket.php?add=1", 200, 3, 0)
	s.visit(t, "https://skerrywick.example/once.php", 200, 1, 0)
	s.visit(t, "https://skerrywick.example/lost.php", 404, 9, 0)
	s.visit(t, "https://skerrywick.example/i.php?id=9", 200, 9, 0)
	s.visit(t, "https://skerrywick.example/plan.PDF", 200, 2, 0)
	s.Asked = []string{"/search.cgi", "/i.php", "/about"}
	assert.Equal(t, []string{"/basket.php", "/search.cgi", ".pdf"}, says(s.draft(), "site.files"))
}

func TestKinds(t *testing.T) {
	s := newSite()
	for i := range 12 {
		s.page(t, fmt.Sprintf("r%02d@en", i), fmt.Sprint("Route to pier ", i), fmt.Sprintf("https://skerrywick.example/i.php?sec=route&item=%d", 100+i))
		s.page(t, fmt.Sprintf("n%02d@en", i), fmt.Sprint("News ", i), fmt.Sprintf("https://skerrywick.example/news/2025/storm-%d", i))
		s.page(t, fmt.Sprintf("n%02d@de", i), fmt.Sprint("Neues ", i), fmt.Sprintf("https://skerrywick.example/de/aktuelles/2025/sturm-%d", i))
		s.page(t, fmt.Sprintf("h%02d@en", i), fmt.Sprint("Pier ", i), fmt.Sprintf("https://skerrywick.example/Havens/Pier_%d.html", i))
		s.page(t, fmt.Sprintf("k%02d@en boat", i), fmt.Sprint("Boat ", i), fmt.Sprintf("https://skerrywick.example/b%d.htm", 100+i))
		s.page(t, fmt.Sprintf("x%02d@en", i), "", fmt.Sprintf("https://skerrywick.example/show.php?id=%d", i))
	}
	s.page(t, "home@en", "Skerrywick", "https://skerrywick.example/")
	s.page(t, "extra@en", "Boat 99", "https://skerrywick.example/b199.htm")
	d := s.draft()
	assert.Equal(t, []string{`{address: "/routes/{slug}"}`}, says(d, "kinds.route"))
	assert.Equal(t, []string{`{address: "/{slug}"}`}, says(d, "kinds.page"))
	assert.Equal(t, []string{`{address: "/news/{year}/{slug}", slug: slug}`}, says(d, "kinds.news"))
	assert.Equal(t, []string{"news: {de: aktuelles}"}, says(d, "languages.words"))
	assert.Equal(t, []string{`{address: "/havens/{slug}", slug: slug}`}, says(d, "kinds.haven"))
	assert.Equal(t, []string{`{address: "/boats/{slug}"}`}, says(d, "kinds.boat"))
	fill := map[string]string{}
	for _, f := range d.Fill {
		fill[f.Page.String()+" "+f.Column] += f.Value
	}
	assert.Equal(t, "boat", fill["extra@en kind"], "what looks as those that a column calls so")
	assert.Equal(t, "storm-3", fill["n03@en slug"])
	assert.Equal(t, "2025", fill["n03@en year"])
	assert.Equal(t, "Pier_3", fill["h03@en slug"])
	assert.Equal(t, "/show.php?id=3", fill["x03@en fixed"], "nothing says how to call it")
	assert.Empty(t, fill["home@en slug"])
}

func TestRules(t *testing.T) {
	s := newSite()
	for i := range 12 {
		s.page(t, fmt.Sprintf("t%02d@en", i), fmt.Sprint("Times ", i), fmt.Sprintf("https://skerrywick.example/timetable.php?port=pier-%c", 'a'+i))
		from, _ := address.Parse(fmt.Sprintf("https://skerrywick.example/old/x-%d.htm", i))
		to, _ := address.Parse(fmt.Sprintf("https://skerrywick.example/new/x-%d", i))
		s.Moves = append(s.Moves, propose.Move{From: from, To: to})
		to.Path = "/one"
		from.Path = fmt.Sprintf("/lump/%d", i)
		s.Moves = append(s.Moves, propose.Move{From: from, To: to})
	}
	d := s.draft()
	assert.Equal(t, []string{`{from: "/timetable.php?port={port}", to: "/timetables/{port}", class: {port: slug}}`,
		`{from: "/old/{slug}.htm", to: "/new/{slug}", class: {slug: slug}}`}, says(d, "rules"))
}

// made invents a tidy site by templates: words, dates and sections of any depth, in languages with prefixes.
func made(t *testing.T, r *rand.Rand) *site {
	s := newSite()
	words := []string{"ports", "boats", "stories", "tides", "guides", "harbour-walks", "news", "shop", "archive-a"}
	r.Shuffle(len(words), func(i, j int) { words[i], words[j] = words[j], words[i] })
	languages := []string{"en", "de", "nb"}[:1+r.IntN(3)]
	slash := ""
	if r.IntN(3) == 0 {
		slash = "/"
	}
	n := 0
	for _, word := range words[:1+r.IntN(5)] {
		date, depth := r.IntN(4), r.IntN(3)
		for range 1 + r.IntN(25) {
			n++
			name := fmt.Sprintf("%s-%c%c%d", []string{"storm", "the-old-pier", "2025-in", "ab", "c3-po"}[r.IntN(5)], 'a'+r.IntN(26), 'g'+r.IntN(20), n)
			for _, l := range languages {
				at := "/" + word
				if l != "en" {
					at = "/" + l + "/" + l + "-" + word
				}
				at += []string{"", "/2025", "/2024/0" + fmt.Sprint(1+r.IntN(9)), "/2024/11/2" + fmt.Sprint(r.IntN(9))}[date]
				for range depth {
					at += []string{"/north", "/south-east", "/inner"}[r.IntN(3)]
				}
				if l != "en" && r.IntN(4) == 0 {
					continue
				}
				s.page(t, fmt.Sprintf("k%04d@%s", n, l), []string{"Some title", "", name}[r.IntN(3)], "https://skerrywick.example"+at+"/"+name+slash)
			}
		}
	}
	for _, name := range []string{"about", "contact", "2024"}[:r.IntN(4)] {
		n++
		s.page(t, fmt.Sprintf("k%04d@en", n), strings.ToUpper(name), "https://skerrywick.example/"+name+slash)
	}
	n++
	s.page(t, fmt.Sprintf("k%04d@en", n), "Home", "https://skerrywick.example/")
	return s
}

// What is clean stays exactly as it is, whatever the site; and what is proposed is always a plan that can be read, says
// the same when it is proposed again, and adds nothing to itself.
func TestCleanAddressesStay(t *testing.T) {
	seeds := uint64(300)
	if testing.Short() {
		seeds = 50
	}
	for seed := range seeds {
		s := made(t, rand.New(rand.NewPCG(seed, 3)))
		d := s.draft()
		settings, err := planfile.Read("young-compass.yaml", d.YAML())
		require.NoError(t, err, "seed %d:\n%s", seed, d.YAML())
		assert.Equal(t, string(d.YAML()), string(s.draft().YAML()), "seed %d", seed)
		next, added, err := d.Into("young-compass.yaml", d.YAML())
		require.NoError(t, err)
		assert.Empty(t, added, "seed %d", seed)
		assert.Equal(t, string(d.YAML()), string(next))
		d.Apply(s.Pages)
		p := plan.New(settings, s.Pages, s.Book, redirect.NewList(settings.Site))
		proposals, found := design.Propose(p, design.Options{})
		require.False(t, finding.Worst(found, finding.Error), "seed %d: %v\n%s", seed, found, d.YAML())
		for _, q := range proposals {
			if q.Moves() {
				t.Fatalf("seed %d: %s moves from %s to %s\n%s", seed, q.Page.Ref, q.Old, q.New, d.YAML())
			}
		}
		again := propose.Of(propose.Gathered(s.Pages, s.Book, nil), kindsOf(settings)...)
		assert.Empty(t, again.Fill, "seed %d: nothing is left to be filled in", seed)
	}
}

func kindsOf(c *planfile.Settings) (names []string) {
	for _, k := range c.Kinds {
		names = append(names, k.Name)
	}
	slices.Sort(names)
	return names
}

// Whatever addresses there are, what is proposed is a plan that can be read.
func FuzzPropose(f *testing.F) {
	f.Add("/a?b=c|T\n/de/a|\n/x;jsessionid=1/y|Z\n//|\n/%00|")
	f.Add("/i.php?lang=de&a={x}|\"'\n/i.php?lang=fr&a=#|# ?\n/'\"{}[]: |- x")
	f.Fuzz(func(t *testing.T, text string) {
		pages, entries := &inventory.Inventory{}, &book.Book{}
		n := 0
		for line := range strings.Lines(text) {
			at, title, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "|")
			a, err := address.Parse("https://skerrywick.example/" + at)
			if err != nil {
				continue
			}
			n++
			ref := inventory.Ref{Key: fmt.Sprintf("k%04d", n), Language: []string{"en", "de"}[n%2]}
			pages.Add(inventory.Page{Ref: ref, Kind: "page", Title: title, State: inventory.Live})
			entries.Entries = append(entries.Entries, book.Entry{Address: a, Page: ref, State: book.Current})
		}
		d := propose.Of(propose.Gathered(pages, entries, nil))
		if _, err := planfile.Read("young-compass.yaml", d.YAML()); err != nil {
			t.Fatalf("%v\n%s", err, d.YAML())
		}
		_, _, err := d.Into("young-compass.yaml", []byte("site: {origin: https://skerrywick.example}\n"))
		require.NoError(t, err)
	})
}
