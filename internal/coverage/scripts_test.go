package coverage_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/project"
	"young-compass/internal/visits"
)

// A script that visitors get today, and that nobody listed, is told before it is redirected away; what answers today is
// never proposed to be gone.
func TestScripts(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile: "site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example], files: [/listed.php]}\n" +
			"rules: [{from: '/old/{x}.php', to: '/ports'}]\n",
		project.PagesFile: "key,language,title,state\nports,en,Ports,live\ntides,en,Tides,live\n",
		project.AddressesFile: "address,page,state\nhttps://skerrywick.example/ports,ports@en,current\n" +
			"https://skerrywick.example/tides,tides@en,current\nhttps://skerrywick.example/ports.php,ports@en,former\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	visit := func(url string, status, visitors int) visits.Visit {
		a, err := address.Parse(url)
		require.NoError(t, err)
		return visits.Visit{Address: a, Status: status, Visitors: visitors}
	}
	list := []visits.Visit{
		visit("http://www.skerrywick.example/basket.php", 200, 30), visit("http://www.skerrywick.example/basket.php?item=3", 200, 12),
		visit("https://skerrywick.example/search.php?q=x", 200, 50), visit("https://skerrywick.example/listed.php", 200, 9),
		visit("https://skerrywick.example/tides.php", 200, 9), visit("https://skerrywick.example/ports.php", 200, 9),
		visit("https://skerrywick.example/old/a.php", 200, 9), visit("https://skerrywick.example/gone.php", 404, 9),
		visit("https://skerrywick.example/robot.php", 200, 0), visit("https://skerrywick.example/nothing", 200, 9),
	}
	var told []string
	for _, f := range coverage.Scripts(p, list) {
		assert.Equal(t, finding.ScriptMoved, f.Code)
		told = append(told, f.What+"; "+f.Advice)
	}
	assert.Equal(t, []string{
		"/search.php?q=x is answered today (50 visits), and the plan redirects it to /search?q=x, where no page is; " +
			"list it in site.files (/search.php), or lead it to a page",
		"/basket.php is answered today (42 visits), and the plan redirects it to /basket, where no page is; " +
			"list it in site.files (/basket.php), or lead it to a page"}, told)
	lost := map[string]bool{}
	for _, l := range coverage.Of(p, coverage.OfVisits(list)).Lost {
		lost[l.Address.Local()] = l.Answers
	}
	assert.Equal(t, map[string]bool{"/basket.php": true, "/basket.php?item=3": true, "/search.php?q=x": true, "/gone.php": false,
		"/nothing": true}, lost)
}
