package coverage_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/coverage"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/redirect"
)

// Parameters that decide a page lead an unknown address to it; those that don't, or that contradict one another, don't.
func TestDecidingParameters(t *testing.T) {
	settings, err := planfile.Read("young-compass.yaml", []byte("site: {origin: https://skerrywick.example}\n"+
		"languages: {default: en, others: {de: {prefix: de}}, parameter: lang}\nparameters: {tracking: ['utm_*']}\n"))
	require.NoError(t, err)
	pages, _, err := inventory.Read("pages.csv", strings.NewReader("key,language,title,state\n17,en,Boot,live\n17,de,Stiefel,live\n18,en,Hat,live\n19,en,Coat,live\n20,en,Old,gone\n"), "en")
	require.NoError(t, err)
	entries, _, err := book.Read("addresses.csv", strings.NewReader("address,page,state\nhttps://skerrywick.example/boot,17@en,current\nhttps://skerrywick.example/de/stiefel,17@de,current\n"+
		"https://skerrywick.example/s.php?cat=3&prod=17,17@en,former\nhttps://skerrywick.example/s.php?cat=3&prod=17&lang=de,17@de,former\n"+
		"https://skerrywick.example/s.php?cat=3&prod=18,18@en,former\nhttps://skerrywick.example/s.php?cat=4&prod=19,19@en,former\nhttps://skerrywick.example/s.php?cat=4&prod=20,20@en,former\n"))
	require.NoError(t, err)
	p := plan.New(settings, pages, entries, redirect.NewList(settings.Site))
	for url, want := range map[string]string{
		"/s.php?cat=9&prod=17":              "17@en /s.php?cat={cat}&prod=17",
		"/s.php?prod=17":                    "17@en /s.php?prod=17",
		"/s.php?prod=17&cat=3&lang=en":      "17@en /s.php?prod=17&cat={cat}&lang=en",
		"/s.php?cat=8&prod=17&lang=de":      "17@de /s.php?cat={cat}&prod=17&lang=de",
		"/s.php?cat=8&prod=18&lang=de":      " ", // isn't there in German
		"/s.php?cat=8&prod=17&utm_source=a": "17@en /s.php?cat={cat}&prod=17",
		"/s.php?cat=3":                      " ",
		"/s.php?cat=3&prod=99":              " ",
		"/s.php?cat=3&prod=20&x=1":          " ", // is gone
		"/other.php?prod=17":                " ",
		"/s.php?prod=17&prod=18":            " ",
	} {
		a, err := address.Parse("https://skerrywick.example" + url)
		require.NoError(t, err)
		of := coverage.Of(p, []coverage.Known{{Address: a, Visits: 1}})
		i := 0
		for i < len(of.Lost) && of.Lost[i].Address != a {
			i++
		}
		require.Less(t, i, len(of.Lost), url)
		ref := ""
		if of.Lost[i].Pattern != "" {
			ref = of.Lost[i].Proposed.String()
			from, _, err := redirect.Read("redirects.csv", strings.NewReader("from,to,status\n\""+of.Lost[i].Pattern+"\","+of.Lost[i].Target+",301\n"), settings.Site)
			require.NoError(t, err)
			trace, err := p.With(from).Trace(plan.Request{Method: "GET", Address: a})
			require.NoError(t, err)
			assert.Equal(t, ref, trace.Answer.Page.String(), "%s as %s", url, of.Lost[i].Pattern)
		}
		assert.Equal(t, want, ref+" "+of.Lost[i].Pattern, url)
	}
}
