package judge_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/project"
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
