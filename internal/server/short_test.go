package server_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/server"
)

// plainFiles returns a project as most sites have it, of a size at a limit: no internal addresses, no proxies, no upkeep,
// so that servers may answer plain addresses on a short way.
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
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	w := world{rand.New(rand.NewPCG(*randomSeed, 17))}
	sizes := []int{0, 1, 8, 30, 31, 64}
	plans, short, refused := *randomPlans/5, 0, 0
	for used := 0; used < plans; {
		dir := t.TempDir()
		files := w.plainFiles(sizes[used%len(sizes)])
		for name, text := range files {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		}
		p, found, err := judged(dir)
		require.NoError(t, err)
		if finding.Worst(found, finding.Error) {
			refused++
			require.Less(t, refused, 1000, "%v", found)
			continue
		}
		g, found, err := compile.Plan(p)
		require.NoError(t, err)
		if finding.Worst(found, finding.Error) {
			refused++
			require.Less(t, refused, 1000, "%v", found)
			continue
		}
		used++
		if flow, _ := server.Decide(g, server.Server{}, server.Options{}); flow.Quick != nil {
			short++
		}
		here := site{}
		for _, e := range p.Book.Entries {
			if page := p.Pages.Find(e.Page); page.State == inventory.Live {
				here.Pages = append(here.Pages, address.Decode(p.Site.Rebase(e.Address).Path))
			}
		}
		var asks []ask
		for range 80 {
			q := ask{w.one("GET", "GET", "GET", "POST"), w.plainURL(p), ""}
			r, err := plan.NewRequest(q.method, q.url)
			require.NoError(t, err, q.url)
			if _, err := p.Trace(r); err == nil {
				asks = append(asks, q)
			}
		}
		var lock sync.Mutex
		t.Run(fmt.Sprint("plan ", used), func(t *testing.T) {
			for _, target := range targets() {
				if _, found := target.try(g); finding.Worst(found, finding.Error) {
					lock.Lock()
					refused++
					lock.Unlock()
					continue
				}
				t.Run(target.Name(), func(t *testing.T) {
					t.Parallel()
					s := target.serve(t, g, here)
					s.lenient = true
					compare(t, fmt.Sprintf("%s, plain plan %d", target.Name(), used), g, s, asks, target.Differences())
					s.stop()
				})
			}
		})
		if t.Failed() {
			for name, text := range files {
				t.Logf("%s:\n%s", name, text)
			}
			return
		}
	}
	t.Logf("%d plans, %d take the short way, %d refused", plans, short, refused)
}
