//go:build linux

package server_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/server"
)

// grammar makes plans up by another idea than world: it walks through what a plan can hold, key by key, and writes
// each list at a size of its own. Most are small; two of a plan have a size at some limit. Words are made of letters,
// long ones and short ones, and what is asked is what the plan says, sent in every form that HTTP has.
type grammar struct {
	*rand.Rand
	words []string // those written so far
	big   map[string]int
	plain bool // the plan has nothing that keeps servers from their short way
}

// lists are the keys of a plan that hold several things.
func lists() []string {
	return []string{"hosts", "proxies", "admit", "files", "except", "except-rule", "noise", "noise-for", "identity",
		"index",
		"patterns", "headers", "having", "places", "serve", "rows", "languages", "variables"}
}

// sizes are those at which something changes in a server or a form, and those beside them.
func sizes() []int { return []int{0, 1, 7, 8, 9, 30, 31, 63, 64, 65, 500, 501} }

// size is how many things a list holds.
func (g *grammar) size(list string) int {
	if n, ok := g.big[list]; ok {
		return n
	}
	return g.IntN(3)
}

func (g *grammar) one(list ...string) string { return list[g.IntN(len(list))] }

// word makes up a word that no other is like.
func (g *grammar) word(most int) string {
	n := 1 + g.IntN(most)
	if g.IntN(4) == 0 {
		n = most
	}
	b := make([]byte, n)
	for i := range b {
		b[i] = byte('a' + g.IntN(26))
	}
	return string(b) + fmt.Sprint(len(g.words))
}

// segment is a word of a path, kept so that requests can use it again.
func (g *grammar) segment() string {
	w := g.word(20)
	switch g.IntN(30) {
	case 0, 3:
		w += g.one(".html", ".php", ".jpg", ".b")
	case 1:
		w += g.one("%C3%A9", "%20x", "~", "_", "!", "'", "+", ",", ";a", "%22")
	case 2:
		w += strings.ToUpper(g.word(3))
	}
	g.words = append(g.words, w)
	return w
}

func (g *grammar) path() string {
	if len(g.words) > 0 && g.IntN(6) == 0 { // below, or beside, what is there
		return "/" + g.words[g.IntN(len(g.words))] + g.one("", "/"+g.segment())
	}
	path := ""
	for range 1 + g.IntN(3) {
		path += "/" + g.segment()
	}
	return path
}

// many writes a list of things at its size.
func (g *grammar) many(list, between string, one func(i int) string) string {
	var all []string
	for i := range g.size(list) {
		all = append(all, one(i))
	}
	return strings.Join(all, between)
}

// places is a list of places, in quotation marks.
func (g *grammar) places(list string) string {
	return g.many(list, ", ", func(int) string {
		return "'" + g.one("/"+g.word(10)+"/", "/"+g.word(10), "."+g.word(5), "/"+g.word(4)+"/"+g.word(9)+"/") + "'"
	})
}

// files returns the n-th project: one after the other, each list gets each size.
func (g *grammar) files(n int) map[string]string {
	g.words, g.big, g.plain = nil, map[string]int{}, n%5 < 2
	g.big[lists()[g.IntN(len(lists()))]] = sizes()[g.IntN(len(sizes()))]
	g.big[lists()[n%len(lists())]] = sizes()[n/len(lists())%len(sizes())]
	if n, ok := g.big["index"]; ok {
		g.big["index"] = min(n, 64) // the most that a plan can name
	}
	if g.plain {
		for _, list := range []string{"proxies", "except", "serve"} {
			g.big[list] = 0
		}
	}
	var b strings.Builder
	fmt.Fprintf(&b, "site:\n  origin: %s\n", g.one("https://o.example", "https://o.example", "http://o.example"))
	fmt.Fprintf(&b, "  hosts: [%s]\n", g.many("hosts", ", ", func(i int) string {
		return fmt.Sprintf("h%d.example",
			i)
	}))
	if !g.plain && g.IntN(2) == 0 {
		fmt.Fprintf(&b, "  trusted-proxies: [%s]\n", g.many("proxies", ", ", g.network))
	}
	files := g.places("files")
	if g.plain {
		files = g.many("files", ", ", func(int) string { return "." + g.word(5) })
	}
	fmt.Fprintf(&b, "  files: [%s]\n", files)
	if !g.plain && g.IntN(2) == 0 {
		fmt.Fprintf(&b, "  except: [%s]\n", g.places("except"))
	}
	fmt.Fprintf(&b, "  paths: {slash: %s, letters: %s, extension: %s, index: [%s]}\n", g.slash(),
		g.one("lower", "lower", "keep"), g.one("none", "none", "keep"),
		g.many("index", ", ", func(i int) string { return fmt.Sprintf("index%d.html", i) }))
	codes := strings.Fields("de nb sv da fi fr nl es it pt pl cs sk hu ro bg el et lv lt ga mt hr sl")
	regions := strings.Fields("_ -AT -CH -DE -ES -FR -GB -IE -IT -NL -NO -PL -PT -RO -SE -SI -SK -US -CA -AU -NZ -ZA -IN")
	regions[0] = ""
	fmt.Fprintf(&b, "languages: {default: en, others: {%s}}\n", g.many("languages", ", ", func(i int) string {
		return fmt.Sprintf("%s%s: {prefix: %[1]s%[2]s}", codes[i%len(codes)], regions[i/len(codes)])
	}))
	noise := g.many("noise", ", ", func(i int) string { return g.word(19) + g.one("", "", "", "_") })
	local := g.many("noise-for", ", ", func(i int) string {
		return fmt.Sprintf("{name: view%d, for: /%s}", i%4,
			g.word(8))
	})
	fmt.Fprintf(&b, "parameters: {noise: [%s], tracking: [t]}\n", strings.Trim(noise+", "+local, ", "))
	b.WriteString("rules:\n  - {from: /one, to: /two}\n")
	g.rules(&b)
	if !g.plain && g.IntN(4) == 0 {
		fmt.Fprintf(&b, "front-controller: {to: /inside/front.shtml, except: [%s]}\n", g.places("except-rule"))
	}
	if _, admits := g.big["admit"]; !g.plain && (admits || g.IntN(8) == 0) {
		fmt.Fprintf(&b, "maintenance: {retry-after: 120, admit: [%s]}\n", g.many("admit", ", ", g.network))
	}
	pages, book, rows := "key,language,title,state\n", "address,page,state\n", "from,to,status,query\n"
	for i := range 3 {
		pages += fmt.Sprintf("p%d,en,P,%s\n", i, g.one("live", "live", "gone", "draft"))
		book += fmt.Sprintf("https://o.example%s,p%d@en,current\n", g.path(), i)
		if g.IntN(2) == 0 {
			book += fmt.Sprintf("https://o.example%s,p%d@en,%s\n", g.path(), i, g.one("former", "variant", "shown"))
		}
	}
	item := "/" + g.segment()
	if n := g.size("identity"); n > 0 { // parameters that give one path a meaning, all together and one by one
		var all []string
		for range n {
			all = append(all, fmt.Sprintf("%s=%s", g.word(min(19, 1+3000/n)), g.one("1", "a", "", "a/b", "%C3%A9", "b",
				"c")))
		}
		rows += fmt.Sprintf("%s?%s,/two,301,\n", item, strings.Join(all, "&"))
		if n > 1 {
			rows += fmt.Sprintf("%s?%s,/three,301,\n", item, all[0])
		}
	}
	for range g.size("rows") {
		from := g.path()
		switch g.IntN(10) {
		case 0:
			from += "?" + g.word(5) + g.one("", "=", "=1", "=a%26b", "=a+b", "=%C3%A9", "=a//b")
		case 1:
			from += "/" + strings.Repeat("long-", 100+g.IntN(80))
		}
		to := g.one("p0@en", "p1@en#part", "/two", "https://far.example/a//b?c=d#e", "https://far.example",
			"/"+g.segment(), "")
		status := g.one("301", "301", "302", "303", "307", "308")
		if to == "" {
			status = "410"
		}
		rows += fmt.Sprintf("\"%s\",%s,%s,%s\n", from, to, status, g.one("", "", "drop"))
	}
	return map[string]string{project.PlanFile: b.String(), project.PagesFile: pages, project.AddressesFile: book,
		project.RedirectsFile: rows}
}

// slash is what becomes of slashes at the end.
func (g *grammar) slash() string {
	if g.plain {
		return g.one("never", "never", "keep")
	}
	return g.one("never", "never", "keep", "always")
}

// network is an address, or a network.
func (g *grammar) network(i int) string {
	return g.one(fmt.Sprintf("192.0.%d.%d", i/200, i%200), fmt.Sprintf("'2001:db8:%x::/48'", i),
		fmt.Sprintf("198.51.%d.0/24", i%250),
		"127.0.0.1")
}

// rules writes the rules of a plan.
func (g *grammar) rules(b *strings.Builder) {
	except := func() string {
		if g.IntN(3) > 0 {
			return ""
		}
		return ", except: [" + g.places("except-rule") + "]"
	}
	for i := range g.size("patterns") {
		section := "/s" + fmt.Sprint(i) + g.word(6)
		g.words = append(g.words, section[1:])
		from, to := g.one("/{x}", "/{x}.html", "/a/{x}/b"), g.one("/t/", "https://far.example/",
			"https://far.example/?q=", "/t/v.html?x=")+"{x}"
		if g.IntN(4) == 0 {
			from, to = "{/x*}", g.one("/t", "https://far.example", "https://far.example/y")+"{/x*}"
		}
		fmt.Fprintf(b, "  - {from: \"%s%s\", to: \"%s\", status: %s%s}\n", section, from, to, g.one("301", "302",
			"308"), except())
	}
	if n := g.size("variables"); n > 0 && n < 12 {
		from, to := "/v", "https://far.example/v"
		for i := range n {
			from, to = from+fmt.Sprintf("/{x%d}", i), to+fmt.Sprintf("/{x%d}", n-1-i)
		}
		fmt.Fprintf(b, "  - {from: \"%s\", to: \"%s\"}\n", from, to)
	}
	for i := range g.size("headers") {
		having := ""
		if g.IntN(3) == 0 {
			having = ", having: [" + g.many("having", ", ", func(int) string { return g.word(8) }) + "]"
		}
		fmt.Fprintf(b, "  - {for: %s%s%s, headers: {%s}}\n", g.one("['/']", "['/"+g.word(3)+"/']", `"/{x}"`,
			"["+g.places("places")+"]"), having,
			except(), g.one(fmt.Sprintf("X-H%d: '%s'", i, g.one("abc", "-", "%", `a"b`, "$1", "a, b", "a; b")),
				"X-Robots-Tag: noindex",
				`Strict-Transport-Security: "max-age=60"`))
	}
	addresses := []string{"/inside/page.shtml?a={x}", "/inside/page.shtml", "/inside/page.shtml?a=1&b={x}"}
	if g.IntN(4) == 0 { // which Caddy isn't told
		addresses = append(addresses, "/inside/page.shtml?a=1&&b={x}")
	}
	for i := range g.size("serve") {
		section := fmt.Sprintf("c%d%s", i, g.word(4))
		g.words = append(g.words, section)
		fmt.Fprintf(b, "  - {from: \"/%s/{x}\", serve: \"%s\"%s}\n", section, g.one(addresses...), except())
	}
}

// url asks for something that the plan knows, or for something near it.
func (g *grammar) url(p *plan.Plan) string {
	base := g.one(p.Site.Origin.Base(), p.Site.Origin.Base(), "https://o.example", "http://o.example",
		"https://elsewhere.example")
	if len(p.Site.Hosts) > 0 && g.IntN(4) == 0 {
		base = "http://" + p.Site.Hosts[g.IntN(len(p.Site.Hosts))]
	}
	word := func() string { return g.words[g.IntN(len(g.words))] }
	local := "/" + word()
	switch g.IntN(6) {
	case 0:
		local += "/" + word()
	case 1:
		local += "/" + g.one("a", "b", "c", "d", "1", "e", "a/b", "a.html", "a.html.html", "", ".", "..", "a/.",
			"a/..", "%7e", "a%7f", "v1.2", "-", "a%7f/..")
	case 2, 3:
		if rows := p.Redirects.Len(); rows > 0 {
			local = p.Redirects.Row(g.IntN(rows)).From
		} else if known := knownAddresses(p); len(known) > 0 {
			local = known[g.IntN(len(known))]
		}
	case 4:
		if known := knownAddresses(p); len(known) > 0 {
			local = known[g.IntN(len(known))]
		}
	}
	if a, err := address.Parse(local); err == nil {
		local = a.Local()
	}
	local, _, _ = strings.Cut(local, "#")
	path, query, asked := strings.Cut(local, "?")
	switch g.IntN(40) {
	case 0, 1, 2, 3:
		path += "/"
	case 4, 5, 6, 7:
		path = "/en" + path
	case 8:
		if g.IntN(3) > 0 {
			break
		}
		path = strings.ToUpper(path[:min(3, len(path))]) + path[min(3, len(path)):]
	case 9, 10, 11:
		path = "/x/.." + path
	case 12:
		path = g.one("/caf\xc3\xa9", "/a;b", "/a+b", "//a//b", "/a//../b", "/a/..//b/.", "//..//a", "/a/./b//../c/",
			"/../a", "/%2e%2e//a",
			"/.", "/..", "/a%25b")
	case 13, 14, 15:
		path = g.one("/v/a/b/c", "/v/1/2/3/4/5/6/7/8", "/t/a", "/t/v.html", "/one", "/two", "/", "/index1.html")
	case 16, 17:
		path = ""
	}
	names := p.Parameters.All
	switch g.IntN(9) {
	case 0:
		query, asked = "&"+query, true
	case 1:
		query, asked = query+"&t=1&", true
	case 2:
		query, asked = query+g.one(";x", "+", "a+b=c", "&&", "=", "=1", "\xc3\xa9", "a=b=c", "a=%", "%zz", "?",
			"a?b=/c"), true
	case 3, 4:
		if len(names) > 0 {
			name := strings.TrimSuffix(names[g.IntN(len(names))].Name, "*")
			query, asked = strings.TrimPrefix(query+"&"+name+"=1&u=2", "&"), true
		}
	}
	if asked {
		path += "?" + query
	}
	return base + path
}

// ask makes up a request.
func (g *grammar) ask(p *plan.Plan) ask {
	q := ask{method: g.one("GET", "GET", "GET", "GET", "HEAD", "POST", "PUT", "DELETE", "OPTIONS", "PATCH", "TRACE"),
		url:       g.url(p),
		forwarded: g.one("", "", "http", "https")}
	if g.IntN(3) == 0 {
		q.way = []sending{old, absolute, port, dot, capitals, twoHosts, pipelined, second}[g.IntN(8)]
	}
	if q.way == second && (!strings.HasPrefix(q.url, "https:") || strings.Contains(q.url, "example//")) ||
		q.way == absolute && strings.Contains(q.url, "\xc3") {
		q.way = ordinary
	}
	return q
}

// opened opens a project of files, with what is found about it. The plan is nil where that has errors.
func opened(t *testing.T, files map[string]string) (*plan.Plan, *compile.Program, []finding.Finding) {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	p, found, err := judged(dir)
	if err != nil {
		return nil, nil, []finding.Finding{{Code: "unreadable", Severity: finding.Error, What: err.Error()}}
	}
	if finding.Worst(found, finding.Error) {
		return nil, nil, found
	}
	g, more, err := compile.Plan(p)
	require.NoError(t, err)
	if finding.Worst(more, finding.Error) {
		return nil, nil, more
	}
	return p, g, found
}

// pagesOf returns what a plan says is there.
func pagesOf(p *plan.Plan) (here site) {
	for _, e := range p.Book.Entries {
		if page := p.Pages.Find(e.Page); page.State == inventory.Live {
			here.Pages = append(here.Pages, address.Decode(p.Site.Rebase(e.Address).Path))
		}
	}
	return here
}

// comparison is a plan to compare with all servers.
type comparison struct {
	name string
	g    *compile.Program
	here site
	asks []ask
	text map[string]string // its files
}

// compareEach compares plans with all servers that can be told them, several at once. It returns how often each
// exception was met, and how often each server was excepted.
func compareEach(t *testing.T, all []comparison) (met, excepted map[string]int) {
	t.Helper()
	met, excepted = map[string]int{}, map[string]int{}
	var lock sync.Mutex
	var failed atomic.Bool
	t.Run("each", func(t *testing.T) {
		for n, c := range all {
			t.Run(c.name, func(t *testing.T) {
				t.Parallel()
				if failed.Load() {
					return // one plan that fails is enough to read
				}
				for _, target := range targets() {
					if some := map[string]int{"php": 8, "htaccess": 3}[target.Name()]; some > 0 && n%some != 0 && *randomSeed == usualSeed && *onlyForm == "" {
						continue // other seeds, at night, take all
					}
					if _, found := target.try(c.g); finding.Worst(found, finding.Error) {
						continue
					}
					s := target.serve(t, c.g, c.here)
					s.lenient = true
					more := compare(t, target.Name()+", "+c.name, c.g, s, c.asks, target.Differences())
					s.stop()
					lock.Lock()
					for code, n := range more {
						met[code] += n
						excepted[target.Name()] += n
					}
					lock.Unlock()
				}
				if t.Failed() && !failed.Swap(true) {
					for name, text := range c.text {
						t.Logf("%s:\n%.6000s", name, text)
					}
				}
			})
		}
	})
	return met, excepted
}

// Plans with lists of sizes at the servers' limits load, and answer the same everywhere, in whatever form HTTP is
// spoken.
func TestPlansAtTheLimitsAnswerAsEverywhere(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	g := &grammar{Rand: rand.New(rand.NewPCG(*randomSeed, 19))}
	const requests = 45
	plans, refused, short, asked := *randomPlans, 0, 0, 0
	if *randomSeed == usualSeed { // other seeds, at night, take all
		plans = plans / 2
	}
	unwritten := map[string]int{}
	var all []comparison
	for used := 0; used < plans; {
		files := g.files(used)
		p, program, found := opened(t, files)
		if p == nil {
			refused++
			require.Less(t, refused, 6*plans+20, "%d plans were written, then always: %.300s", used, fmt.Sprint(found))
			continue
		}
		used++
		if flow, _ := server.Decide(program, server.Server{}, server.Options{}); flow.Quick != nil {
			short++
		}
		var asks []ask
		for range requests {
			q := g.ask(p)
			r, err := plan.NewRequest(q.method, q.url)
			if err != nil {
				continue
			}
			if _, err := p.Trace(r); err == nil {
				asks = append(asks, q)
			}
		}
		asked += len(asks)
		for _, target := range targets() {
			if _, found := target.try(program); finding.Worst(found, finding.Error) {
				i := slices.IndexFunc(found, func(f finding.Finding) bool { return f.Severity == finding.Error })
				unwritten[found[i].What]++
			}
		}
		all = append(all, comparison{fmt.Sprintf("plan %d %v", used, g.big), program, pagesOf(p), asks, files})
	}
	met, excepted := compareEach(t, all)
	t.Logf("%d plans at the limits, %d refused for their own errors, %d take the short way; %d asked; exceptions met: %v", plans, refused, short,
		asked, met)
	for _, what := range slices.Sorted(maps.Keys(unwritten)) {
		t.Logf("not written %d times: %s", unwritten[what], what)
	}
	assert.GreaterOrEqual(t, short, plans/4)
	for _, target := range targets() {
		t.Logf("%s: %.2f %% excepted", target.Name(), 100*float64(excepted[target.Name()])/float64(asked))
		assert.LessOrEqual(t, float64(excepted[target.Name()]), 0.02*float64(asked), target.Name())
	}
}
