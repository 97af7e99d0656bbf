package page

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/fingerprint"
)

func TestRead(t *testing.T) {
	s, err := Read(strings.NewReader(`<!DOCTYPE html><HTML LANG="en-GB"><head><meta charset=utf-8><base href="/b/">
<title> Ports &amp;
 piers </title><title>second</title><link rel="Canonical nofollow" href=" https://skerrywick.example/ports ">
<link rel=alternate hreflang=de href=/de/haefen><link rel=alternate type=application/rss+xml href=/feed>
<meta name="ROBOTS" content="NoIndex, follow"><meta http-equiv="Refresh" content="0; URL='/new'"></head>
<body><script>"<h1>no</h1>"</script><h1>All <em>ports</em></h1><h2></h2><h2>North</h2>
<a href="/a">a</a><a href="/a">again</a><a name=x>none</a><area href="/b"><!-- <a href="/c"> --></body>`), "text/html")
	require.NoError(t, err)
	assert.NotEmpty(t, s.Text.Blocks)
	s.Text = fingerprint.Sketch{}
	assert.Equal(t, "https://skerrywick.example/ports", s.Canonical())
	assert.Equal(t, Signals{Title: "Ports & piers", Headings: []string{"All ports", "North"}, Language: "en-GB",
		Base: "/b/", Canonicals: []Canonical{{Link: "https://skerrywick.example/ports"}},
		Robots: "noindex, follow", Refresh: "/new", Feeds: []string{"/feed"},
		Alternates: []Alternate{{Language: "de", Link: "/de/haefen"}}, Links: []string{"/a", "/b"}}, s)
}

func TestTitleOfAnImage(t *testing.T) {
	s, err := Read(strings.NewReader("<body><svg><title>Logo</title></svg><title>Ports</title>"), "text/html")
	require.NoError(t, err)
	assert.Equal(t, "Ports", s.Title)
}

// What stands behind the head says nothing, and a browser ends the head at the
// first element that can't be in it.
func TestHead(t *testing.T) {
	for name, text := range map[string]string{
		"behind the head": `<head><title>x</title></head><link rel=canonical href=/a><link rel=alternate hreflang=de ` +
			`href=/b>`,
		"in the body":  `<title>x</title><body><link rel=canonical href=/a><link rel=alternate hreflang=de href=/b>`,
		"behind a div": `<head><div></div><link rel=canonical href=/a><link rel=alternate hreflang=de href=/b></head>`,
		"behind text":  `<head>text<link rel=canonical href=/a><link rel=alternate hreflang=de href=/b></head>`,
	} {
		t.Run(name, func(t *testing.T) {
			s, err := Read(strings.NewReader(text), "text/html")
			require.NoError(t, err)
			assert.Equal(t, []Canonical{{"/a", true}}, s.Canonicals, name)
			assert.Equal(t, []Alternate{{"de", "/b", true}}, s.Alternates, name)
			assert.Empty(t, s.Canonical(), name)
		})
	}
	s, err := Read(strings.NewReader(`<!doctype html> <!-- c --> <html><noscript><link rel=stylesheet href=/x.css>`+
		`</noscript><script>"a"</script><link rel=canonical href=/a><link rel=canonical href=/b><link rel=next `+
		`href="?page=2">`), "text/html")
	require.NoError(t, err)
	assert.Equal(t, []Canonical{{"/a", false}, {"/b", false}}, s.Canonicals)
	assert.Equal(t, "?page=2", s.Next)
}

func TestInsecure(t *testing.T) {
	s, err := Read(strings.NewReader(`<link rel=stylesheet href=http://a.example/x.css><link rel=canonical href=http://a.example/><body><img src="HTTP://a.example/b.png"><img src=/c.png><a href=http://a.example/>x</a>
<form action=http://a.example/login><input type=Password></form>`), "text/html")
	require.NoError(t, err)
	assert.Equal(t, []Load{{"link", "http://a.example/x.css"}, {"img", "HTTP://a.example/b.png"},
		{"form", "http://a.example/login"}}, s.Insecure)
	assert.True(t, s.Password)
}

// The text of a page is what it marks as such, or what isn't menu, header or
// footer.
func TestText(t *testing.T) {
	sketch := func(text string) fingerprint.Text {
		s, err := Read(strings.NewReader(text), "text/html; charset=utf-8")
		require.NoError(t, err)
		return s.Text.Main(nil)
	}
	want := sketch("<p>The ferry leaves at seven.</p><p>Tickets are sold on board.</p>")
	assert.Equal(t, want, sketch("<title>x</title><header><p>Skerrywick</p></header><nav><ul><li>Routes<li>Ports</ul></nav><p>The <b>ferry</b> leaves at seven.<div>Tickets are <!-- not --> sold on board.</div><script>no</script><style>no</style><footer>1998</footer>"))
	assert.Equal(t, want, sketch("<p>Menu of this site</p><main><p>The ferry leaves at seven.<p>Tickets are sold "+
		"on board.</main><p>Below</p>"))
	assert.Equal(t, want, sketch("<nav><p>The ferry leaves at seven.<p>Tickets are sold on board."),
		"a menu that never ends is none")
}

func TestEncodings(t *testing.T) {
	s, err := Read(strings.NewReader("<title>F\xe4hre</title>"), "text/html; charset=iso-8859-1")
	require.NoError(t, err)
	assert.Equal(t, "Fähre", s.Title)
	s, err = Read(strings.NewReader(""), "")
	require.NoError(t, err)
	assert.Equal(t, Signals{}, s)
}

func TestBounds(t *testing.T) {
	s, err := Read(strings.NewReader("<title>"+strings.Repeat("é",
		3000)+"</title>"+strings.Repeat("<a href='/x"+strings.Repeat("y", 50)+"'>", 100)+"<h1>"+strings.Repeat("<",
		3<<20)), "")
	require.NoError(t, err)
	assert.Len(t, s.Title, maxText)
	assert.Len(t, s.Links, 1)
}

func FuzzRead(f *testing.F) {
	f.Add("<title>x</title><h1>y<h2>z", "text/html; charset=utf-16")
	f.Fuzz(func(_ *testing.T, text, kind string) { _, _ = Read(strings.NewReader(text), kind) })
}

// The translations of a page are read as far as a page can have some; the others are counted.
func TestTranslationsAreBounded(t *testing.T) {
	for _, n := range []int{0, 1, MaxAlternates - 1, MaxAlternates, MaxAlternates + 1, 20000} {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, "<link rel=alternate hreflang=x%d href=/t/%d>", i, i)
		}
		s := Parse([]byte(b.String()), "text/html")
		assert.Len(t, s.Alternates, min(n, MaxAlternates))
		assert.Equal(t, max(0, n-MaxAlternates), s.Further)
	}
}
