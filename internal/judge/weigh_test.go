package judge_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/project"
	"young-compass/internal/visits"
)

// A finding costs the visits of its page, by whatever address they came; one of a row of the book those of that row.
func TestWeigh(t *testing.T) {
	dir := t.TempDir()
	for name, content := range map[string]string{
		project.PlanFile:      "site: {origin: \"https://skerrywick.example\"}\nlanguages: {default: en}\nkinds: {page: {address: \"/{slug}\"}}\n",
		project.PagesFile:     "key,language,kind,title,state\nfares,en,page,Fares,live\nports,en,page,Ports,live\n",
		project.AddressesFile: "address,page,state,since\nhttps://skerrywick.example/fares,fares@en,current,2026-11-01\nhttps://skerrywick.example/prices.htm,fares@en,former,2026-11-01\nhttps://skerrywick.example/ports,ports@en,current,2026-11-01\n",
		project.RedirectsFile: "from,to,status\n/x,fares@en,301\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644))
	}
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	visit := func(url string, n int) visits.Visit {
		a, err := address.Parse(url)
		require.NoError(t, err)
		return visits.Visit{Address: a, Status: 200, Visitors: n}
	}
	list := []visits.Visit{visit("https://skerrywick.example/fares", 5), visit("http://skerrywick.example/prices.htm", 7),
		visit("https://skerrywick.example/ports", 1), visit("https://other.example/fares", 100),
		visit("https://skerrywick.example/x", 9),
		visit("https://skerrywick.example/ports", 0)}
	at := func(url, file string, line, already int) finding.Finding {
		return finding.Finding{Where: finding.Place{URL: url, File: file, Line: line}, Visits: already}
	}
	judged := []finding.Finding{
		at("https://skerrywick.example/fares", "", 0, 0),
		at("", p.Pages.File, 2, 0),
		at("", p.Book.File, 2, 0),
		at("", p.Book.File, 3, 0),
		at("https://skerrywick.example/ports", "", 0, 0),
		at("https://skerrywick.example/ports", "", 0, 40),
		at("", p.Pages.File, 0, 0),
		at("https://other.example/fares", "", 0, 0),
		at("", project.RedirectsFile, 2, 0),
	}
	judge.Weigh(p, list, judged)
	var got []int
	for _, f := range judged {
		got = append(got, f.Visits)
	}
	assert.Equal(t, []int{21, 21, 5, 7, 1, 40, 0, 0, 9}, got)
}
