//go:build linux

package server_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/project"
	"young-compass/internal/server"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/php"
)

// shop makes a project of 150 pages in three languages, and of 200 old addresses that parameters tell apart. It returns
// the paths of its pages.
func shop() (files map[string]string, pages []string) {
	var inventory, book strings.Builder
	languages := []struct{ code, folder string }{{"en", "/products/"}, {"de", "/de/produkte/"}, {"nb", "/nb/varer/"}}
	for i := range 150 {
		l := languages[i%3]
		at := fmt.Sprintf("%slantern-%d", l.folder, i/3)
		pages = append(pages, at)
		fmt.Fprintf(&inventory, "item-%d,%s,Lantern %d,live\n", i/3, l.code, i/3)
		fmt.Fprintf(&book, "http://skerrywick.example%s,item-%d@%s,current\n", at, i/3, l.code)
		fmt.Fprintf(&book, "http://skerrywick.example/shop.php?item=%d&lang=%s,item-%d@%s,variant\n", 100+i/3, l.code, i/3, l.code)
		if i < 50 {
			fmt.Fprintf(&book, "http://skerrywick.example/product.php?id=%d,item-%d@%s,variant\n", 500+i, i/3, l.code)
		}
	}
	return map[string]string{
		project.PlanFile: "site: {origin: http://skerrywick.example, hosts: [www.skerrywick.example], files: [/basket.php]}\n" +
			"languages: {default: en, others: {de: {prefix: de}, nb: {prefix: nb}}}\nparameters: {identity: [item, lang, id], tracking: [utm_*], noise: [sid]}\n",
		project.PagesFile:     "key,language,title,state\n" + inventory.String(),
		project.AddressesFile: "address,page,state\n" + book.String(),
	}, pages
}

// What costs each request too much is refused, and so is what costs too much where a request meets all rules.
func TestTheShopThatCostsTooMuchIsRefused(t *testing.T) {
	files, _ := shop()
	plain := files[project.PlanFile]
	many := "from,to,status\n"
	for i := range 3100 {
		many += fmt.Sprintf("/old/%d,/products/lantern-%d,301\n", i, i%50)
	}
	for name, c := range map[string]struct{ plan, rows, says string }{
		"maintenance, which all meet": {plain + "maintenance: {retry-after: 60}\n", "from,to,status\n", "for each request to the folder, images included"},
		"many rows":                   {plain, many, "for each request that is redirected or unusual"},
	} {
		files[project.PlanFile], files[project.RedirectsFile] = c.plan, c.rows
		_, g, found := opened(t, files)
		require.NotNil(t, g, "%v", found)
		emitted, found := httpd.Folder{}.Emit(g, server.Options{})
		assert.Empty(t, emitted, name)
		require.Len(t, found, 1, name)
		assert.Equal(t, finding.Error, found[0].Severity)
		assert.Contains(t, found[0].What, c.says, name)
		assert.Contains(t, found[0].Why, "ms of a processor", name)
		assert.Contains(t, found[0].Advice, "use emit php", name)
		emitted, found = httpd.Folder{}.Emit(g, server.Options{Anyway: true})
		assert.NotEmpty(t, emitted, name)
		assert.Equal(t, finding.Warning, found[0].Severity)
	}
}

// A small shop's file is short enough for each request to read it, and answers as the plan does.
func TestTheShopOnRentedHostingAnswersAsThePlan(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	t.Parallel()
	files, pages := shop()
	p, g, found := opened(t, files)
	require.NotNil(t, p, "%v", found)
	emitted, _ := httpd.Folder{}.Emit(g, server.Options{})
	require.Len(t, emitted, 2)
	rules := strings.Count(string(emitted[0].Data), "\nRewriteRule ")
	assert.Contains(t, string(emitted[0].Data), "\n<IfModule mod_rewrite.c>\nRewriteEngine On\n", "without the module the site goes on")
	assert.True(t, strings.HasSuffix(string(emitted[0].Data), "[E=yc_uri:%{REQUEST_URI},L]\"\n</IfModule>\n"))
	apart := strings.Count(string(emitted[1].Data), "\nRewriteRule ")
	t.Logf("%d rules that each request meets, %d that some meet", rules, apart)
	assert.LessOrEqual(t, rules, 40)
	var asks []ask
	for known := range p.KnownAddresses() {
		url := known.Address.String()
		for _, one := range []string{url, url + "&utm_source=x", strings.Replace(url, "?", "?sid=1&", 1), strings.ToUpper(url[:30]) + url[30:], url + "/"} {
			asks = append(asks, ask{method: "GET", url: one})
		}
	}
	for _, url := range []string{"http://skerrywick.example/", "http://www.skerrywick.example/img/a.png", "http://skerrywick.example/img/a.png?v=1",
		"http://skerrywick.example/basket.php", "http://skerrywick.example/shop.php?item=1", "http://skerrywick.example/shop.php", "http://skerrywick.example/unknown?item=101"} {
		asks = append(asks, ask{method: "GET", url: url}, ask{method: "POST", url: url})
	}
	for _, target := range []target{{httpd.Folder{}, startFolder}, {php.Target{}, startPHP}} {
		s := target.serve(t, g, site{Pages: pages, Files: []string{"/img/a.png", "/basket.php"}})
		compare(t, target.Name()+", the shop", g, s, asks, target.Differences())
		s.stop()
	}
}
