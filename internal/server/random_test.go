//go:build linux

package server_test

import (
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/server"
)

var (
	randomPlans = flag.Int("plans", 200, "how many random plans are compared")
	randomSeed  = flag.Uint64("seed", usualSeed, "of the random plans")
)

// usualSeed makes plans and requests that meet every exception.
const usualSeed = 5

// world makes up plans and requests. It knows nothing of the program but the
// form of its files.
type world struct{ *rand.Rand }

func (w world) one(list ...string) string { return list[w.IntN(len(list))] }

func (w world) path() string {
	var b strings.Builder
	for range 1 + w.IntN(3) {
		b.WriteString("/" + w.one("a", "b", "A", "bC", "en", "de", "x.html", "index.php", "p", "n", "7", "old-1",
			"c%20d", "%C3%A9", "it's", "logo.css"))
	}
	return b.String() + w.one("", "", "", "", "/", ".html", ".php")
}

func (w world) query() string {
	var items []string
	for range w.IntN(3) {
		items = append(items, w.one("k=1", "k=2", "m=A", "m=a", "k", "m="))
	}
	slices.Sort(items)
	items = slices.CompactFunc(items, func(a, b string) bool { return a[0] == b[0] })
	return strings.Join(items, "&")
}

func (w world) local() string {
	if q := w.query(); q != "" && w.IntN(2) == 0 {
		return w.path() + "?" + q
	}
	return w.path()
}

func (w world) origin() string {
	return w.one("https://o.example", "https://o.example", "https://o.example", "https://o.example", "http://o.example",
		"http://www.o.example", "https://www.o.example", "http://old.example")
}

// files returns a project.
func (w world) files() map[string]string {
	var config, pages, book, rows strings.Builder
	fmt.Fprintf(&config, "site:\n  origin: %s\n  hosts: [www.o.example, old.example]\n%s  paths: {slash: %s, "+
		"letters: %s, extension: %s, index: [%s]}\n",
		w.one("https://o.example", "https://o.example", "http://o.example"),
		w.one("", "", "", "  except: [/n/, .jpeg]\n", "  except: [/x.html, /DE/]\n",
			"  only: [/a/, /a, /b/, /b, /p/, /p, /en/, /en]\n")+w.one("", "", "  trusted-proxies: [127.0.0.1]\n",
			"  trusted-proxies: [192.0.2.0/24, '2001:db8::/32']\n"),
		w.one("never", "never", "keep", "always"), w.one("lower", "lower", "keep"), w.one("none", "none", "keep"),
		w.one("index.php", "index.php, index.html", ""))
	fmt.Fprintf(&config, "languages: {default: %s%s}\nparameters: {noise: [%s], tracking: [t]}\nrules:\n",
		w.one("en", "de"), w.one("", "", ", others: {nb: {host: nb.example}}"),
		w.one("sid", "sid, 's_*'", "", "sid, {name: k, for: /p}", "{name: sid, for: /a}, {name: t, for: /a/b}"))
	for range 1 + w.IntN(4) {
		fmt.Fprintf(&config, "  - {%s, status: %s%s}\n", w.one(
			`from: "/p/{x}", to: "/n/{x}"`, `from: "/p{/x*}", to: "https://far.example{/x*}"`,
			`from: "/n/{x}", to: "https://far.example/n?x={x}"`, `from: "/n/{x}.html", to: "/p/{x}"`,
			`from: "/a/{x}", to: "/b/{x}", class: {x: digits}`, `from: "/b?k={x}", to: "/a/{x}", class: {x: digits}`,
			`from: "/7{/x*}/p", to: "/old-1{/x*}/q?k=2#part"`,
			`from: "/a?m={x}&k=1", to: "https://far.example/{x}", query: drop`),
			w.one("301", "302", "303", "307", "308"), w.one("", "", "", ", except: [/p/a/, /n/]", ", except: [/b]"))
	}
	w.acts(&config)
	pages.WriteString("key,language,title,state\n")
	book.WriteString("address,page,state\n")
	for i := range 2 + w.IntN(5) {
		fmt.Fprintf(&pages, "p%d,en,P,%s\n", i, w.one("live", "live", "live", "gone", "draft"))
		for j, state := range []string{"current", "former", "former", "variant", "shown"}[:1+w.IntN(5)] {
			if j == 0 || w.IntN(3) > 0 {
				fmt.Fprintf(&book, "%s%s,p%d@en,%s\n", w.origin(), w.local(), i, state)
			}
		}
	}
	if strings.Contains(config.String(), "nb.example") {
		pages.WriteString("n,nb,N,live\nn2,nb,N2,gone\n")
		fmt.Fprintf(&book, "https://nb.example%s,n@nb,current\nhttps://nb.example%s,n@nb,former\n"+
			"https://nb.example%s,n2@nb,current\n",
			w.path(), w.local(), w.local())
	}
	rows.WriteString("from,to,status,query\n")
	for range w.IntN(6) {
		from := w.local()
		if w.IntN(4) == 0 {
			from = w.origin() + from
		}
		to := w.one(w.local(), w.origin()+w.local(), "https://far.example"+w.local()+"#f", "p0@en", "p1@en#f", "")
		status := w.one("", "301", "302", "303", "307", "308")
		if to == "" {
			status = "410"
		}
		fmt.Fprintf(&rows, "%s,%s,%s,%s\n", from, to, status, w.one("", "", "drop"))
	}
	return map[string]string{project.PlanFile: config.String(), project.PagesFile: pages.String(),
		project.AddressesFile: book.String(), project.RedirectsFile: rows.String()}
}

// acts adds headers, internal addresses and maintenance to a plan.
func (w world) acts(config *strings.Builder) {
	for range w.IntN(3) {
		fmt.Fprintf(config, "  - {for: %s%s%s, headers: {%s}}\n",
			w.one("[/a, /b/, .php]", "[/p/, /n]", `"/n/{x}"`, `"/p{/y*}/{x}"`, `"/{x}"`),
			w.one("", "", ", having: [k, t]", ", having: ['s*']"), w.one("", "", ", except: [/a/b, /n/a/]"),
			w.one(`X-Robots-Tag: noindex`, `X-Robots-Tag: "nofollow, noarchive"`,
				`Strict-Transport-Security: "max-age=60; includeSubDomains"`,
				`Link: '<https://o.example/a>; rel="canonical"'`))
	}
	if w.IntN(3) == 0 {
		fmt.Fprint(config, `  - {for: "/a/{x}", headers: {X-Robots-Tag: "none", Link: '<https://o.example/n/{x}?%20$1>`+
			`; rel="canonical"'}}`+"\n")
	}
	for range w.IntN(4) {
		fmt.Fprintf(config, "  - {from: %s, serve: %s%s}\n", w.one(`"/p/{x}"`, `"/a/{x}"`, `"/{x}"`, `"/n{/y*}/{x}"`),
			w.one(`"/inside/page.shtml?a={x}"`, `"/inside/page.shtml?a=%20&b={x}"`, `"/inside/page.shtml"`),
			w.one("", "", ", except: [/a/b, /p/a/]"))
	}
	if w.IntN(3) > 0 {
		fmt.Fprintf(config, "front-controller: {to: /inside/front.shtml, except: [%s]}\n",
			w.one("", "/n/, /7", ".html"))
	}
	if w.IntN(8) == 0 {
		fmt.Fprintf(config, "maintenance: {retry-after: 120, admit: [%s], except: [%s]}\n",
			w.one("", "127.0.0.1", "192.0.2.0/24"), w.one("", "/a/"))
	}
}

// url asks near what the plan knows, or anywhere.
func (w world) url(p *plan.Plan) string {
	if w.IntN(10) == 0 { // nothing to redirect, perhaps
		return p.Site.Origin.Base() + w.one("/zz", "/p/a", "/a/x", "/n/x", "/zz/zz") +
			map[address.Slash]string{address.SlashAlways: "/"}[p.Paths.Slash] + w.one("", "?k=2", "?z&t=1")
	}
	local := w.local()
	if known := knownAddresses(p); w.IntN(4) > 0 {
		a, err := address.Parse(strings.Replace(known[w.IntN(len(known))], "www.skerrywick.example", "o.example", 1))
		if err == nil {
			local = a.Local()
		}
	}
	if w.IntN(5) == 0 {
		local = w.one("/p/a", "/n/b", "/p/a/b", "/n/7.html", "/a/7", "/b?k=7", "/7/a/p", "/a?m=x&k=1", "/p", "/a/x")
	}
	path, query, _ := strings.Cut(local, "?")
	path, _, _ = strings.Cut(path, "#")
	query, _, _ = strings.Cut(query, "#")
	path = w.one("", "", "", "", "", "/en", "/de", "/", "/p") + path +
		w.one("", "", "", "", "", "/", "//", ".html", "/index.php")
	if w.IntN(5) == 0 {
		path = "/files" + w.one("/logo.css", "/Plan.PNG", "//a.js", "/a.css/")
	}
	if w.IntN(3) > 0 {
		path = strings.ToUpper(path[:2]) + path[2:]
	}
	for range w.IntN(3) {
		query = strings.Trim(w.one("sid=1&"+query, "sid=1&"+query, query+"&t=1", query+"&k=2", query+"&&z",
			"s_x&"+query, query), "&")
	}
	if query != "" {
		path += "?" + query
	}
	if len(p.Site.LanguageHosts) > 0 && w.IntN(4) == 0 {
		return w.one("https://", "https://", "http://") + p.Site.LanguageHosts[0] + path
	}
	return w.origin() + path
}

// allFeatures are the kinds of rules that a request can meet, with what the words
// of their causes begin with.
func allFeatures() map[string]string {
	return map[string]string{"redirects": "redirect from", "patterns": "pattern ",
		"scheme and host": "everything is on", "slash at the end": "a slash at the end|no slash at the end",
		"single slashes": "slashes are single", "letters": "addresses are in small",
		"extension": "addresses have no extension", "index file": "index files", "noise": "noise parameters",
		"prefix of the default language": "the default language has no",
		"former addresses":               "was the address|is another address|the address of",
		"live pages":                     "the page ",
		"headers":                        "", "internal addresses": "", "maintenance": "the site is closed",
		"left alone": "the plan leaves", "gone": "", "a host of a language": "", "files": "a listed file"}
}

// features returns the kinds of rules that decided.
func features(p *plan.Plan, r plan.Request, a plan.Answer) []string {
	var list []string
	for name, words := range allFeatures() {
		met := slices.ContainsFunc(a.Causes, func(c plan.Cause) bool {
			return words != "" && slices.ContainsFunc(strings.Split(words, "|"),
				func(w string) bool { return strings.HasPrefix(c.Rule, w) })
		})
		met = met || name == "headers" && len(a.Headers) > 0 || name == "internal addresses" && a.Internal != "" ||
			name == "gone" && a.Outcome == plan.Gone || name == "a host of a language" && p.Site.IsLanguageHost(r.Host)
		if name == "noise" && a.Outcome == plan.Moved {
			met = slices.ContainsFunc(address.SplitQuery(r.Query),
				func(q address.Param) bool { return p.Parameters.ClassOf(q.Name, r.Path) == parameter.Noise })
		}
		if met {
			list = append(list, name)
		}
	}
	return list
}

// excepted reports whether a server may answer a request otherwise than the plan.
func excepted(t *testing.T, g *compile.Program, q ask) bool {
	t.Helper()
	asked, err := server.NewAsked(q.method, q.url)
	require.NoError(t, err)
	return slices.ContainsFunc(targets(), func(target target) bool {
		return slices.ContainsFunc(target.Differences(), func(d server.Difference) bool { return d.Applies(g, asked) })
	})
}

func TestRandomPlansAnswerTheSameEverywhere(t *testing.T) {
	t.Parallel()
	const requests = 60
	plans := *randomPlans
	if testing.Short() {
		plans = 5
	}
	w := world{rand.New(rand.NewPCG(*randomSeed, 2026))}
	used, refused, hits, compositions, asked := 0, 0, 0, 0, 0
	seen := map[string]int{}
	var all []comparison
	for used < plans {
		files := w.files()
		p, g, found := opened(t, files)
		if p == nil || finding.Count(found)["noise-source"] > 0 {
			refused++
			continue
		}
		if slices.ContainsFunc(targets(), func(target target) bool {
			_, found := target.try(g)
			return finding.Worst(found, finding.Error)
		}) {
			refused++
			continue
		}
		used++
		var asks []ask
		for len(asks) < requests {
			q := ask{method: w.one("GET", "GET", "POST"), url: w.url(p), forwarded: w.one("", "", "http", "https",
				"HTTPS")}
			r, err := plan.NewRequest(q.method, q.url)
			require.NoError(t, err)
			if excepted(t, g, q) && w.IntN(20) > 0 { // hardly more than whether it applies can be compared of these
				continue
			}
			if _, err := p.Trace(r); err == nil { // two patterns may lead to each other for odd values only
				asks = append(asks, q)
			}
		}
		for _, q := range asks {
			r, err := plan.NewRequest(q.method, q.url)
			require.NoError(t, err)
			r.Client, r.Forwarded = netip.MustParseAddr("127.0.0.1"), q.forwarded
			a, err := p.Answer(r)
			require.NoError(t, err)
			list := features(p, r, a)
			for _, name := range list {
				seen[name]++
			}
			if len(list) > 0 {
				hits++
			}
			if a.Outcome == plan.Moved && len(a.Causes) > 1 {
				compositions++
			}
			asked++
		}
		all = append(all, comparison{fmt.Sprint("plan ", used), g, pagesOf(p), asks, files})
	}
	met, exceptions := compareEach(t, all)
	t.Logf("%d plans, %d more refused for their own errors; %d of %d requests met a rule", used, refused, hits,
		plans*requests)
	t.Logf("exceptions met: %v", met)
	for _, target := range targets() {
		share := float64(exceptions[target.Name()]) / float64(asked)
		t.Logf("%s: %.2f %% excepted", target.Name(), 100*share)
		if !testing.Short() { // of a few plans a share says nothing
			assert.LessOrEqual(t, share, 0.02, target.Name())
		}
	}
	assert.Greater(t, hits, asked/2)
	assert.Greater(t, compositions, asked/10)
	for _, name := range slices.Sorted(maps.Keys(allFeatures())) {
		share := 100 * float64(seen[name]) / float64(asked)
		t.Logf("%5.1f %% of the requests met: %s", share, name)
		if !testing.Short() && *onlyForm == "" {
			assert.GreaterOrEqual(t, share, map[bool]float64{true: 3, false: 2.5}[*randomSeed == usualSeed], name)
		}
	}
	t.Logf("%5.1f %% met a rule, %.1f %% are compositions", 100*float64(hits)/float64(asked),
		100*float64(compositions)/float64(asked))
	if testing.Short() {
		return
	}
	if *randomSeed == usualSeed {
		assert.NotZero(t, met["pattern-value"], "no request of the demo meets this one, so it must be met here")
	}
}
