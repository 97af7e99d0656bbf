package page

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRead(t *testing.T) {
	s, err := Read(strings.NewReader(`<!DOCTYPE html><HTML LANG="en-GB"><head><meta charset=utf-8><base href="/b/"><svg><title>Logo</title></svg>
<title> Ports &amp;
 piers </title><title>second</title><link rel="Canonical nofollow" href=" https://skerrywick.example/ports ">
<link rel=alternate hreflang=de href=/de/haefen><link rel=alternate type=application/rss+xml href=/feed>
<meta name="ROBOTS" content="NoIndex, follow"><meta http-equiv="Refresh" content="0; URL='/new'"></head>
<body><script>"<h1>no</h1>"</script><h1>All <em>ports</em></h1><h2></h2><h2>North</h2>
<a href="/a">a</a><a href="/a">again</a><a name=x>none</a><area href="/b"><!-- <a href="/c"> --></body>`), "text/html")
	require.NoError(t, err)
	assert.Equal(t, Signals{Title: "Ports & piers", Headings: []string{"All ports", "North"}, Language: "en-GB", Base: "/b/", Canonical: "https://skerrywick.example/ports",
		Robots: "noindex, follow", Refresh: "/new", Alternates: []Alternate{{"de", "/de/haefen"}}, Links: []string{"/a", "/b"}}, s)
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
	s, err := Read(strings.NewReader("<title>"+strings.Repeat("é", 3000)+"</title>"+strings.Repeat("<a href='/x"+strings.Repeat("y", 50)+"'>", 100)+"<h1>"+strings.Repeat("<", 3<<20)), "")
	require.NoError(t, err)
	assert.Len(t, s.Title, maxText)
	assert.Len(t, s.Links, 1)
}

func FuzzRead(f *testing.F) {
	f.Add("<title>x</title><h1>y<h2>z", "text/html; charset=utf-16")
	f.Fuzz(func(_ *testing.T, text, kind string) { _, _ = Read(strings.NewReader(text), kind) })
}
