package judge_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
)

const minimal = "site: {origin: https://skerrywick.example}\n"

func TestPlanThatContradictsItself(t *testing.T) {
	pages := "key,title,state\na,A,live\nb,B,away\nc,C,gone\n"
	book := "address,page,state\n" +
		"https://skerrywick.example/a,a@en,current\n" +
		"https://skerrywick.example/b,b@en,current\n" +
		"https://skerrywick.example/c,c@en,current\n" +
		"https://skerrywick.example/x,x@en,current\n"
	for name, c := range map[string]struct {
		redirects, rules string
		want             map[string]int
	}{
		"away without a redirect": {"", "", map[string]int{"away-without-redirect": 1, "orphan-address": 1}},
		"away with one":           {"/b,a@en,302\n", "", map[string]int{"orphan-address": 1}},
		"from a live page": {"/b,a@en,302\n/A,/c,301\n", "",
			map[string]int{"orphan-address": 1, "live-source": 1}},
		"to an unknown page": {"/b,a@en,302\n/z,z@en,301\n", "",
			map[string]int{"orphan-address": 1, "unknown-page": 1}},
		"to a host nobody listed": {"/b,a@en,302\n/z,https://far.example/,301\n",
			"rules: [{from: '/q/{x}', to: 'https://away.example/{x}'}]",
			map[string]int{"orphan-address": 1, "foreign-target": 2}},
		"rows in a circle": {"/b,a@en,302\n/m,/n,301\n/n,/m,301\n", "",
			map[string]int{"orphan-address": 1, "loop": 1}},
		"patterns in a circle": {"/b,a@en,302\n",
			"rules: [{from: '/m/{x}', to: '/n/{x}'}, {from: '/n/{x}', to: '/m/{x}'}]",
			map[string]int{"orphan-address": 1, "loop": 2}},
		"patterns without end": {"/b,a@en,302\n", "rules: [{from: '/m{/r*}', to: '/m/m{/r*}'}]",
			map[string]int{"orphan-address": 1, "loop": 1}},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			for file, text := range map[string]string{
				project.PlanFile: minimal + c.rules, project.PagesFile: pages, project.AddressesFile: book,
				project.RedirectsFile: "from,to,status\n" + c.redirects,
			} {
				require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(text), 0o644))
			}
			p, found, err := project.Load(dir)
			require.NoError(t, err)
			found = append(found, judge.Plan(p)...)
			assert.Equal(t, c.want, finding.Count(found), "%s: %v", name, found)
		})
	}
}

// Rows are judged side by side where there are many, and told in the order of the list.
func TestManyRedirects(t *testing.T) {
	dir := t.TempDir()
	var rows, pages, addresses strings.Builder
	for i := range 1200 {
		fmt.Fprintf(&rows, "/old/%d,/new/%d,301\n/home/%d,/,301\n", i, i, i)
		fmt.Fprintf(&pages, "p%d,P,live\n", i)
		if i%2 == 0 {
			fmt.Fprintf(&addresses, "https://skerrywick.example/new/%d,p%d@en,current\n", i, i)
		}
	}
	for file, text := range map[string]string{
		project.PlanFile:      minimal,
		project.PagesFile:     "key,title,state\nhome,Home,live\n" + pages.String(),
		project.AddressesFile: "address,page,state\nhttps://skerrywick.example/,home@en,current\n" + addresses.String(),
		project.RedirectsFile: "from,to,status\n" + rows.String(),
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(text), 0o600))
	}
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	found := judge.Redirects(p, redirect.Examine(p.Redirects, p.World()))
	assert.Equal(t, map[string]int{"dead-target": 600, "home-target": 1200}, finding.Count(found))
	var dead, home []int
	for _, f := range found {
		if f.Code == finding.DeadTarget {
			dead = append(dead, f.Where.Line)
		} else {
			home = append(home, f.Where.Line)
		}
	}
	assert.True(t, slices.IsSorted(dead), "in the order of the list")
	assert.True(t, slices.IsSorted(home), "in the order of the list")
}

// A pattern that leads to what it reads does nothing, and is told.
func TestPatternToItself(t *testing.T) {
	for rule, want := range map[string]int{
		`{from: "/News/{slug}", to: "/news/{slug}"}`:                       1,
		`{from: "/shop{/r*}", to: "https://skerrywick.example/shop{/r*}"}`: 1,
		`{from: "/shop{/r*}", to: "https://other.example/shop{/r*}"}`:      0,
		`{from: "/blog{/cat*}/{slug}", to: "/blog/{slug}"}`:                0,
	} {
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(dir+"/young-compass.yaml", []byte("site: {origin: https://skerrywick.example, known: [other.example]}\nrules:\n  - "+rule+"\n"), 0o644))
		p, found, err := project.Load(dir)
		require.NoError(t, err)
		require.Empty(t, found)
		assert.Equal(t, want, finding.Count(judge.Rest(p))[string(finding.IdlePattern)], rule)
	}
}

// Two pages with one address are told once, whatever their states.
func TestSharedAddress(t *testing.T) {
	for about, c := range map[string]struct {
		pages, book string
		want        int
	}{
		"two live pages":         {"a,A,live\nb,B,live\n", "https://skerrywick.example/x,a@en,current\nhttps://skerrywick.example/x,b@en,current\n", 1},
		"a draft and a live one": {"a,A,draft\nb,B,live\n", "https://skerrywick.example/x,a@en,current\nhttps://skerrywick.example/x,b@en,current\n", 1},
		"shown on another host":  {"a,A,gone\nb,B,live\n", "https://skerrywick.example/x,a@en,current\nhttp://www.skerrywick.example/x,b@en,shown\nhttps://skerrywick.example/b,b@en,current\n", 1},
		"a former one":           {"a,A,live\nb,B,live\n", "https://skerrywick.example/x,a@en,current\nhttps://skerrywick.example/x,b@en,former\n", 0},
		"other parameters":       {"a,A,live\nb,B,live\n", "https://skerrywick.example/x?k=1,a@en,current\nhttps://skerrywick.example/x?k=2,b@en,current\n", 0},
		"with and without":       {"a,A,live\nb,B,live\n", "https://skerrywick.example/x,a@en,current\nhttps://skerrywick.example/x?k=2,b@en,current\n", 0},
	} {
		dir := t.TempDir()
		write := func(name, text string) {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		}
		write("young-compass.yaml", "site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example]}\n")
		write("pages.csv", "key,title,state\n"+c.pages)
		write("addresses.csv", "address,page,state\n"+c.book)
		p, found, err := project.Load(dir)
		require.NoError(t, err)
		require.Empty(t, found, about)
		assert.Equal(t, c.want, finding.Count(judge.Rest(p))[string(finding.SharedAddress)], about)
	}
}
