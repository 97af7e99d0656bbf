//go:build linux

package server_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/server"
)

// plainFiles returns a project as most sites have it, of a size at a limit: no internal addresses, no proxies, no
// upkeep, so that servers may answer plain addresses on a short way.
func (w world) plainFiles(entries int) map[string]string {
	var config, rows strings.Builder
	fmt.Fprintf(&config, "site:\n  origin: %s\n  hosts: [www.o.example]\n  paths: {slash: %s, letters: %s, extension: %s, index: [%s]}\n"+
		"languages: {default: %s, others: {nb: {prefix: nb}}}\nparameters: {noise: [sid], identity: [k], tracking: [t]}\nrules:\n",
		w.one("https://o.example", "http://o.example"), w.one("never", "never", "always", "keep"), w.one("lower", "lower", "keep"),
		w.one("none", "none", "keep"), w.one("index.php", "index.html, index.php", "start"), w.one("en", "de"))
	for range w.IntN(3) {
		fmt.Fprintf(&config, "  - {%s}\n", w.one(
			`from: "/News/{slug}", to: "/news/{slug}"`, `from: "/blog{/cat*}/{slug}", to: "/blog/{slug}"`,
			`from: "/shop{/r*}", to: "https://o.example/shop{/r*}"`, `from: "/q/{x}", to: "/r/{x}", class: {x: digits}`,
			`from: "/list?k={x}", to: "/k/{x}", class: {x: slug}`, `from: "/away{/r*}", to: "https://far.example//a{/r*}", status: 302`))
	}
	for range w.IntN(4) {
		fmt.Fprintf(&config, "  - {for: %s%s, headers: {%s}}\n", w.one("[/]", "[/h/]", "[/new-3]", `"/h/{x}"`, "[.html, .pdf]"),
			w.one("", "", "", ", having: [k]"), w.one("X-T: abc", "X-Robots-Tag: noindex", `Strict-Transport-Security: "max-age=60"`))
	}
	if config.String()[config.Len()-7:] == "rules:\n" {
		config.WriteString("  - {from: /one, to: /two}\n")
	}
	pages, book := "key,language,title,state\n", "address,page,state\n"
	for i := range 4 {
		pages += fmt.Sprintf("p%d,en,P,%s\n", i, w.one("live", "live", "gone"))
		book += fmt.Sprintf("https://o.example%s%d,p%d@en,current\n", w.one("/h/", "/new-", "/x/y-"), i, i)
		if w.IntN(2) == 0 {
			book += fmt.Sprintf("https://o.example/was-%d%s,p%d@en,former\n", i, w.one("", ".html", "?k=1"), i)
		}
	}
	rows.WriteString("from,to,status\n")
	for i := range entries {
		from := fmt.Sprintf("/old-%d", i)
		switch w.IntN(12) {
		case 0:
			from = fmt.Sprintf("/s/old_%d.html", i)
		case 1:
			from = fmt.Sprintf("/%s-%d", strings.Repeat("long-long-long-long-long-long-long-long-long-long/", 20), i)
		case 2:
			from += "?k=2"
		case 3:
			from = fmt.Sprintf("/Old-%d/Deep", i)
		case 4:
			from = fmt.Sprintf("/caf%%C3%%A9-%d", i)
		}
		to := w.one("p0@en", "/new-1", "https://far.example/a//b?c=d#e", "https://far.example/"+strings.Repeat("x", 950), "/h/nowhere", "https://far.example/a+b%20c", "")
		status := w.one("301", "301", "302", "308")
		if to == "" {
			status = "410"
		}
		fmt.Fprintf(&rows, "%s,%s,%s\n", from, to, status)
	}
	return map[string]string{project.PlanFile: config.String(), project.PagesFile: pages, project.AddressesFile: book, project.RedirectsFile: rows.String()}
}

// plainURL asks for what the plan knows, mostly as it is.
func (w world) plainURL(p *plan.Plan) string {
	origin := w.one(p.Site.Origin.Base(), p.Site.Origin.Base(), p.Site.Origin.Base(), p.Site.Origin.Base(), "http://www.o.example", "https://o.example")
	local := w.one("/en", "/en/", "/de", "/nb/x", "/news/a", "/News/a", "/NEWS/A", "/blog/a", "/blog/a/b", "/shop", "/shop/a/b", "/q/7", "/q/x", "/k/a",
		"/list?k=a", "/away/x", "/away", "/h/0", "/h/1", "/new-3", "/zz", "/zz/y.html", "/start", "/", "/one", "/two", "/files/logo.css", "/plan.pdf")
	if w.IntN(3) > 0 {
		known := knownAddresses(p)
		if rows := p.Redirects.Len(); rows > 0 && w.IntN(2) == 0 {
			local = p.Redirects.Row(w.IntN(rows)).From
		} else {
			local = known[w.IntN(len(known))]
		}
	}
	if strings.HasPrefix(local, "http") {
		return local + w.one("", "", "", "?t=1", "?sid=2")
	}
	if w.IntN(5) == 0 && len(local) > 2 {
		local = strings.ToUpper(local[:2]) + local[2:]
	}
	join := "?"
	if strings.Contains(local, "?") {
		join = "&"
	}
	return origin + local + w.one("", "", "", "", "", join+"t=1", join+"sid=2&x", join+"k=2", "/")
}

// Plans of sizes at the limits of the short way answer the same everywhere, on it and off it.
func TestPlainPlansAnswerAsEverywhere(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	w := world{rand.New(rand.NewPCG(*randomSeed, 17))}
	sizes := []int{0, 1, 8, 30, 31, 64}
	plans, short, refused := *randomPlans/8, 0, 0
	var all []comparison
	for used := 0; used < plans; {
		files := w.plainFiles(sizes[used%len(sizes)])
		p, g, found := opened(t, files)
		if p == nil {
			refused++
			require.Less(t, refused, 1000, "%v", found)
			continue
		}
		used++
		if flow, _ := server.Decide(g, server.Server{}, server.Options{}); flow.Quick != nil {
			short++
		}
		var asks []ask
		for range 80 {
			q := ask{method: w.one("GET", "GET", "GET", "POST"), url: w.plainURL(p)}
			r, err := plan.NewRequest(q.method, q.url)
			require.NoError(t, err, q.url)
			if _, err := p.Trace(r); err == nil {
				asks = append(asks, q)
			}
		}
		all = append(all, comparison{fmt.Sprint("plain plan ", used), g, pagesOf(p), asks, files})
	}
	compareEach(t, all)
	t.Logf("%d plans, %d take the short way, %d refused", plans, short, refused)
}
