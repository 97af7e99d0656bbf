package canonical_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/crawl"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/page"
)

const base = "https://skerrywick.example"

func at(t *testing.T, s string) address.Address {
	t.Helper()
	if strings.HasPrefix(s, "/") {
		s = base + s
	}
	a, err := address.Parse(s)
	require.NoError(t, err)
	return a
}

// web makes a site of texts: the head of a page, "301 /to", or a status.
func web(t *testing.T, texts map[string]string) canonical.Web {
	t.Helper()
	w := canonical.Web{}
	for path, text := range texts {
		a := at(t, path)
		p := &crawl.Page{Address: a, Status: 200}
		switch {
		case strings.HasPrefix(text, "301 "):
			p.Status, p.To = 301, at(t, text[4:])
		case text == "404":
			p.Status = 404
		case text == "blocked":
			p.HTML, p.Blocked = true, true
		default:
			p.HTML, p.Signals = true, page.Parse([]byte(text), "text/html; charset=utf-8")
		}
		w[a] = p
	}
	return w
}

func link(to string) string { return `<link rel="canonical" href="` + to + `">` }

func TestResolve(t *testing.T) {
	w := web(t, map[string]string{
		"/a": link(base + "/b"), "/b": "301 /c", "/c": link(base + "/c"),
		"/self": link("/self"), "/none": "", "/two": link("/a") + link("/c"), "/same-twice": link("/c") +
			link(base+"/c#top"),
		"/fresh": `<meta http-equiv=refresh content="0; url=/c">`,
		"/again": `<meta http-equiv=refresh content="30; url=/again?now">`,
		"/x":     "301 /y", "/y": "301 /x", "/www": link(base + "/back"), "/back": "301 /www", "/p": link("/q"),
		"/q": link("/p"),
	})
	for from, to := range map[string]string{"/a": "/c", "/b": "/c", "/c": "/c", "/self": "/self", "/none": "/none",
		"/two": "/two", "/same-twice": "/c", "/www": "/www", "/fresh": "/c", "/again": "/again",
		"/unknown": "/unknown"} {
		r := w.Resolve(at(t, from))
		assert.Equal(t, base+to, r.End.String(), from)
		assert.False(t, r.Loop, from)
	}
	for _, from := range []string{"/x", "/y", "/p", "/q"} {
		assert.True(t, w.Resolve(at(t, from)).Loop, from)
	}
	r := w.Resolve(at(t, "/a"))
	assert.Equal(t, []canonical.Step{{At: at(t, "/a"), To: at(t, "/b"), By: canonical.Element},
		{At: at(t, "/b"), To: at(t, "/c"), By: canonical.Redirect}}, r.Steps)
	assert.True(t, w.Indexable(at(t, "/c")))
	assert.False(t, w.Indexable(at(t, "/a")))
	assert.False(t, w.Indexable(at(t, "/b")))
}

func TestTheHeaderNamesToo(t *testing.T) {
	p := &crawl.Page{Address: at(t, "/file"), Status: 200, Header: crawl.Header{Canonical: "/paper"}}
	choice, ok := canonical.Choice(p)
	assert.True(t, ok)
	assert.Equal(t, canonical.Header, choice.By)
	assert.True(t, choice.Relative())
	p.Signals = page.Parse([]byte(link(base+"/other")), "")
	_, ok = canonical.Choice(p)
	assert.False(t, ok, "header and page contradict each other")
}

func TestPage(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	german := `<html lang="de">` + link(base+"/german")
	w := web(t, map[string]string{
		"/right": link(base + "/right"), "/none": "", "/noindex": `<meta name=robots content=noindex>`,
		"/relative": link("/relative"), "/body": "<body>" + link(base+"/body"), "/two": link(base+"/right") +
			link(base+"/german"),
		"/script": link("javascript:alert(1)"), "/foreign": link("https://other.example/"),
		"/http": link("http://skerrywick.example/http"), "/moved": link(base + "/old"), "/old": "301 /right",
		"/lost": link(base + "/gone"), "/gone": "404", "/hidden": link(base + "/noindex"),
		"/shut": link(base + "/blocked"), "/blocked": "blocked", "/chain": link(base + "/link"),
		"/link": link(base + "/right"),
		"/p":    link(base + "/q"), "/q": link(base + "/p"), "/english": `<html lang="en">` + link(base+"/german"),
		"/german": german, "/list?page=3": link(base + "/list?page=1"), "/list?page=1": link(base + "/list"),
		"/list": link(base + "/list"),
		"/late": link(base + "/unasked"),
	})
	checker := canonical.Checker{Web: w, Plan: p}
	for path, code := range map[string]string{"/right": "", "/none": "no-canonical", "/noindex": "",
		"/relative": "canonical-relative", "/body": "canonical-outside-head", "/two": "several-canonicals",
		"/script":  "canonical-unreadable",
		"/foreign": "canonical-foreign", "/http": "canonical-insecure", "/moved": "canonical-redirects",
		"/lost": "canonical-not-found", "/hidden": "canonical-noindex", "/shut": "canonical-blocked",
		"/chain": "canonical-chain", "/link": "",
		"/p": "canonical-circle", "/english": "canonical-language", "/german": "",
		"/list?page=3": "canonical-first-page", "/list?page=1": "", "/list": "", "/late": "", "/old": "",
		"/gone": ""} {
		f := checker.Page(w[at(t, path)])
		if code == "" {
			assert.Nil(t, f, path)
			continue
		}
		if assert.NotNil(t, f, path) {
			assert.Equal(t, code, string(f.Code), path)
			assert.NotEmpty(t, f.Advice, path)
		}
	}
}

const text = "<p>The ferry leaves the old quay at seven in the morning and reaches the island by noon.<p>Tickets " +
	"are sold on board and at the harbour office, bicycles travel free of charge."

func TestGroups(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for name, c := range map[string]struct {
		texts map[string]string
		want  string
	}{
		"one chosen": {map[string]string{"/a": link(base+"/a") + text, "/b": link(base+"/a") + text}, ""},
		"two chosen": {map[string]string{"/a": link(base+"/a") + text, "/b": link(base+"/b") + text},
			"each names itself"},
		"nobody chose": {map[string]string{"/a": text, "/b": text}, "none names"},
		"one of both": {map[string]string{"/a": link(base+"/a") + text, "/b": text},
			"1 name themselves, the others none"},
		"parameters alone": {map[string]string{"/a": text, "/a?x=1": text}, ""},
		"nearly the same":  {map[string]string{"/a": text, "/b": text + "<p>It rains."}, "nearly the same text"},
		"other texts": {map[string]string{"/a": text,
			"/b": "<p>The lighthouse was built of granite by the islanders, who still light its lamp every winter " +
				"evening."}, ""},
		"too little": {map[string]string{"/a": "<p>Not found", "/b": "<p>Not found"}, ""},
		"translations": {map[string]string{"/a": `<link rel=alternate hreflang=de href=/b>` + text, "/b": text},
			""},
		"one isn't indexed": {map[string]string{"/a": text, "/b": `<meta name=robots content=noindex>` + text}, ""},
	} {
		checker := canonical.Checker{Web: web(t, c.texts), Plan: p}
		what := ""
		for _, g := range checker.Web.Groups() {
			if f := checker.Group(g, func(address.Address) bool { return false }); f != nil {
				what += f.What
			}
		}
		if c.want == "" {
			assert.Empty(t, what, name)
		} else {
			assert.Contains(t, what, c.want, name)
		}
	}
}

func TestCopied(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	for code, copied := range map[string]string{"copied": text, "copied-with-credit": link(base+"/a") + text,
		"": "<p>Something else altogether, of which nobody on the islands has ever heard a single word before now."} {
		checker := canonical.Checker{Web: web(t, map[string]string{"/a": link(base+"/a") + text}),
			Copies: web(t, map[string]string{"https://island-tips.example/": copied}), Plan: p}
		found := checker.Copied()
		if code == "" {
			assert.Empty(t, found)
		} else if assert.Len(t, found, 1) {
			assert.Equal(t, code, string(found[0].Code))
		}
	}
}
