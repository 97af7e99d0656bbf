package probe

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
)

func at(t *testing.T, text string) address.Address {
	t.Helper()
	a, err := address.Parse(text)
	require.NoError(t, err)
	return a
}

func TestSectionTable(t *testing.T) {
	home, fares := at(t, "https://skerrywick.example/"), at(t, "https://skerrywick.example/fares")
	day := time.Date(2027, 2, 1, 23, 59, 0, 0, time.UTC)
	for _, c := range []struct {
		name    string
		section Section
		columns []string
		rows    [][]string
	}{
		{"hosts", Section{Kind: Hosts, Spelled: Spelled{
			Origins: []address.Address{home, at(t, "http://www.skerrywick.example/"), at(t, "http://ferry.example/")},
			Rows: []SpelledRow{{Page: "/fares", Spelling: "as planned",
				Ends: []End{{Status: 200}, {Hops: 1, Status: 200}, {Hops: 2, Status: 404, Differs: true}}},
				{Spelling: "slash at the end",
					Ends: []End{{Failed: true, Differs: true}, {Hops: 1, Away: true}, {Hops: 1, Status: 410}}}}}},
			[]string{"page", "spelling", "https", "http www.", "http ferry.example"},
			[][]string{{"/fares", "as planned", "200", "1 hop 200", "2 hops 404 !"},
				{"", "slash at the end", "none !", "1 hop away", "1 hop 410"}}},
		{"canonicals", Section{Kind: Canonicals, Groups: []Group{
			{First: fares, Addresses: 2, Likeness: 0.955, OnePath: true},
			{First: fares, Addresses: 3, Likeness: 1},
			{First: fares, Addresses: 4, Likeness: 1, OnePath: true, Code: finding.CanonicalChain},
			{First: fares, Addresses: 5, Likeness: 1, Canonical: home, Code: finding.CanonicalChain}}},
			[]string{"address", "addresses", "alike", "canonical", "why there is none"},
			[][]string{{fares.String(), "2", "96 %", "", "they differ by parameters alone"},
				{fares.String(), "3", "100 %", "", "see the findings of its pages"},
				{fares.String(), "4", "100 %", "", "canonical-chain"},
				{fares.String(), "5", "100 %", home.String(), "canonical-chain"}}},
		{"parameters", Section{Kind: Parameters, Parameters: []Parameter{
			{Name: "sid", Addresses: []address.Address{home, fares}, Visits: 7, Indexable: 1, Class: parameter.Noise},
			{Name: "a\x1b[31m", Proposed: parameter.Display, Agree: 2, Told: 3}}},
			[]string{"parameter", "addresses", "visits", "indexable", "class", "evidence says", "trials that agree"},
			[][]string{{"sid", "2", "7", "1", "noise", "-", ""},
				{address.Printable("a\x1b[31m"), "0", "0", "0", "-", "display", "2 of 3"}}},
		{"languages", Section{Kind: Languages, Translations: Translations{Languages: []string{"de", "en"},
			Rows: []TranslationsRow{{Page: fares, Language: "en", Marks: []string{"yes", "self"}}}}},
			[]string{"page", "lang", "de", "en"}, [][]string{{"/fares", "en", "yes", "self"}}},
		{"https", Section{Kind: Secure, Certificates: []Certificate{
			{Host: "a.example", Names: []string{"a.example", "b.example", "c.example"}, Issuer: "CA", To: day, Chain: 2,
				Protocol: "TLS 1.3"},
			{Host: "b.example", Failure: fetch.Certificate, Problem: "it has ended", To: day},
			{Host: "c.example", Failure: fetch.NoName}}},
			[]string{"host", "certificate", "issuer", "valid until", "chain", "protocol"},
			[][]string{{"a.example", "a.example and 2 more", "CA", "2027-02-01", "2", "TLS 1.3"},
				{"b.example", "not valid: it has ended", "", "", "0", ""},
				{"c.example", string(fetch.NoName), "", "", "0", ""}}},
		{"index", Section{Kind: Index, Sitemaps: []Sitemap{
			{Address: at(t, "https://skerrywick.example/sitemap.xml"), Named: true, Status: 200, Entries: 3, Size: 512},
			{Address: at(t, "https://skerrywick.example/news.xml"), Status: 404}}},
			[]string{"sitemap", "answer", "entries", "bytes", "in robots.txt"},
			[][]string{{"https://skerrywick.example/sitemap.xml", "200", "3", "512", "yes"},
				{"https://skerrywick.example/news.xml", "404", "0", "0", "no"}}},
		{"redirects, which have no table", Section{Kind: Redirects}, nil, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			columns, rows := c.section.Table(home)
			assert.Equal(t, c.columns, columns)
			assert.Equal(t, c.rows, rows)
		})
	}
}
