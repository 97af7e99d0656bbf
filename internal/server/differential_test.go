//go:build linux

package server_test

import (
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/preview"
	"young-compass/internal/project"
	"young-compass/internal/server"
)

// ask is one request of the comparison.
type ask struct {
	method, url, forwarded string
	way                    sending
}

// demoSite returns what the demo's plan says is there.
func demoSite(t *testing.T, p *plan.Plan) site {
	var there site
	for _, page := range p.Pages.Pages {
		if a, ok := p.CurrentAddress(page.Ref); ok && page.State == inventory.Live {
			there.Pages = append(there.Pages, address.Decode(a.Path))
		}
	}
	for _, row := range demotest.ReadExpected(t, "../..", "") {
		if row.Outcome == "served" && row.Canonical == "-" {
			r, err := plan.NewRequest("GET", row.URL)
			require.NoError(t, err)
			there.Files = append(there.Files, r.Path)
		}
	}
	return there
}

// knownAddresses returns every old and new address of the plan.
func knownAddresses(p *plan.Plan) []string {
	var list []string
	for _, e := range p.Book.Entries {
		list = append(list, e.Address.String())
	}
	for _, row := range p.Redirects.All() {
		if strings.HasPrefix(row.From, "/") {
			list = append(list, "http://www.skerrywick.example"+row.From)
		} else {
			list = append(list, row.From)
		}
	}
	return list
}

// mutate writes an address in one of eight other ways.
func mutate(random *rand.Rand, url string, way int) string {
	scheme, rest, _ := strings.Cut(url, "://")
	slash := strings.Index(rest, "/")
	host, local := rest[:slash], rest[slash:]
	path, query, _ := strings.Cut(local, "?")
	join := func(more string) {
		if query != "" {
			query += "&"
		}
		query += more
	}
	switch way {
	case 0: // slash
		path += strings.Repeat("/", 1+random.IntN(2))
	case 1: // letters
		b := []byte(path)
		for i := range b {
			if c := b[i]; 'a' <= c && c <= 'z' && random.IntN(3) == 0 && (i == 0 || b[i-1] != '%') &&
				(i < 2 || b[i-2] != '%') {
				b[i] -= 32
			}
		}
		path = string(b)
	case 2: // encoding
		var b strings.Builder
		for i := 0; i < len(path); i++ {
			if c := path[i]; address.Unreserved(c) && (i == 0 || path[i-1] != '%') && (i < 2 || path[i-2] != '%') &&
				random.IntN(4) == 0 {
				fmt.Fprintf(&b, []string{"%%%02X", "%%%02x"}[random.IntN(2)], c)
			} else {
				b.WriteByte(c)
			}
		}
		path = b.String()
	case 3: // order of parameters, among others
		items := append(strings.Split(query, "&"), "a=b", "c")
		random.Shuffle(len(items), func(i, j int) { items[i], items[j] = items[j], items[i] })
		query = strings.Join(items, "&")
	case 4: // tracking
		join("utm_source=letter&utm_medium=mail")
	case 5: // noise
		query = strings.Trim("sid=8f3&"+query+"&sid=1", "&")
	case 6: // host
		host = []string{"skerrywick.example", "www.skerrywick.example", "ferries.skerrywick.example",
			"WWW.Skerrywick.Example"}[random.IntN(4)]
	case 7: // scheme
		scheme = map[string]string{"http": "https", "https": "http"}[scheme]
	}
	if query != "" {
		query = "?" + query
	}
	return scheme + "://" + host + path + query
}

// unknownPath makes up an address that nobody listed.
func unknownPath(random *rand.Rand) string {
	words := []string{"nope", "old", "news", "2019", "img_1", "a.b", "x~y", "index", "page-2", "en", "de", "press",
		"timetable"}
	var b strings.Builder
	b.WriteString([]string{"https://skerrywick.example", "http://www.skerrywick.example",
		"http://skerrywick.example"}[random.IntN(3)])
	for range 1 + random.IntN(4) {
		b.WriteString([]string{"/", "/", "/", "//"}[random.IntN(4)] + words[random.IntN(len(words))])
	}
	b.WriteString([]string{"", "", "", ".html", ".htm", ".php", "/", "/index.html", "/index.php", ".php/",
		".jpeg"}[random.IntN(11)])
	b.WriteString([]string{"", "", "", "?a=b", "?sid=1", "?a=b&sid=2&c=d&sid=3", "?utm_source=x&&y"}[random.IntN(7)])
	return b.String()
}

// demoAsks returns the whole comparison.
func demoAsks(t *testing.T, p *plan.Plan) []ask {
	var asks []ask
	for _, row := range demotest.ReadExpected(t, "../..", "") {
		asks = append(asks, ask{method: row.Method, url: row.URL})
	}
	random := rand.New(rand.NewPCG(7, 2026))
	for i, url := range knownAddresses(p) {
		asks = append(asks, ask{method: "GET", url: url})
		for way := i % 2; way < 8; way += 2 {
			method := "GET"
			if random.IntN(8) == 0 {
				method = "POST"
			}
			asks = append(asks, ask{method: method, url: mutate(random, url, way)})
		}
	}
	for range 500 {
		asks = append(asks, ask{method: "GET", url: unknownPath(random)})
	}
	return asks
}

// exceptional are requests that meet each documented exception.
func exceptional(code string) []ask {
	many := "https://skerrywick.example/nope?sid=0"
	for i := range 10 {
		many += fmt.Sprintf("&a%d=1&sid=%d", i, i)
	}
	return map[string][]ask{
		"refused": {{method: "GET", url: "http://www.skerrywick.example/../routes"},
			{method: "GET", url: "http://www.skerrywick.example/a%00b"}},
		"spelling": {{method: "GET", url: "http://www.skerrywick.example/caf%c3%a9"},
			{method: "GET", url: "http://www.skerrywick.example/Caf%C3%A9"},
			{method: "GET", url: "https://skerrywick.example/caf%C3%A9//x"}},
		"slashes-and-dots": {{method: "GET", url: "https://skerrywick.example/a//../nope"}},
		"many-parameters":  {{method: "GET", url: many}},
		"two-hops": {{method: "GET", url: "https://skerrywick.example/newsletter?lang=de"},
			{method: "GET", url: "https://skerrywick.example/feedback.php?lang=nb"}},
		"letters": {{method: "GET", url: "https://skerrywick.example/Nope"},
			{method: "GET", url: "http://www.skerrywick.example/Nope"}},
	}[code]
}

// compareAll also asks for what meets each exception, and holds the server to
// them: one that no request meets any more is obsolete.
func compareAll(t *testing.T, name string, g *compile.Program, s *realServer, asks []ask,
	exceptions []server.Difference) {
	exceptions = slices.DeleteFunc(exceptions, func(e server.Difference) bool { return exceptional(e.Code) == nil })
	for _, e := range exceptions {
		asks = append(asks, exceptional(e.Code)...)
	}
	met := compare(t, name, g, s, asks, exceptions)
	excepted := 0
	for _, n := range met {
		excepted += n
	}
	assert.LessOrEqual(t, float64(excepted), 0.02*float64(len(asks)), "more than 2 %% excepted")
	for _, e := range exceptions {
		assert.NotZero(t, met[e.Code], "%s: the exception %s is obsolete: no request met it", name, e.Code)
	}
}

// compare asks a server everything and holds it to the plan. It returns how
// often each exception was met.
func compare(t *testing.T, name string, g *compile.Program, s *realServer, asks []ask,
	exceptions []server.Difference) map[string]int {
	met := map[string]int{}
	excepted, different := 0, 0
	for _, q := range asks {
		r, err := server.NewAsked(q.method, q.url)
		require.NoError(t, err, q.url)
		r.Client, r.Forwarded = netip.MustParseAddr("127.0.0.1"), q.forwarded
		want, err := g.Plan.Answer(r.Request)
		require.NoError(t, err, q.url)
		got, err := s.Ask(q)
		require.NoError(t, err)
		got.Location, got.Body = beyondASCII(got.Location), beyondASCII(got.Body) // they come back as they were sent
		if q.unheard(want, got) || agrees(g, want, got) || want.Outcome == plan.Served && (got.Status == 404 || s.fronts(g, got)) &&
			(missingFile(s, want, r) || slices.Contains(s.absent, address.MergeSlashes(address.Decode(r.Path)))) ||
			s.lenient && want.Outcome == plan.Unknown && got.Status == 200 || s.slashes && got.Location == "" && realFolder(s, r) {
			continue
		}
		i := slices.IndexFunc(exceptions, func(e server.Difference) bool { return e.Applies(g, r) })
		if i < 0 {
			if different++; different <= 25 {
				t.Errorf("%s: %s %s %s\n\tplan:   %s %d %s %s %v\n\tserver: %s %v %.100s", name, q.method, q.url, q.way,
					want.Outcome, want.Status, want.To, want.Internal, want.Headers, got, got.Header, got.Body)
			}
			continue
		}
		if exceptions[i].Code == "last-ampersand" {
			got.Body = strings.TrimRight(got.Body, "&")
			assert.True(t, echoes(got, strings.TrimSuffix(strings.TrimRight(want.Internal, "&"), "?")), "%s: %s: %s",
				name, q.url, got.Body)
		}
		excepted++
		met[exceptions[i].Code]++
		assert.True(t, sameEnd(t, g, r, exceptions[i], got),
			"%s: %s %s\n\tplan:   %s %d %s\n\tserver: %s\n\tleads elsewhere, exception or not", name, q.method, q.url,
			want.Outcome, want.Status, want.To, got)
	}
	t.Logf("%s: %d asked, %d compared, %d excepted (%.2f %%), %d different", name, len(asks), len(asks)-excepted,
		excepted, 100*float64(excepted)/float64(len(asks)), different)
	return met
}

// beyondASCII encodes the bytes that no URL has.
func beyondASCII(url string) string {
	var b strings.Builder
	for i := 0; i < len(url); i++ {
		if url[i] < 0x80 {
			b.WriteByte(url[i])
		} else {
			fmt.Fprintf(&b, "%%%02X", url[i])
		}
	}
	return b.String()
}

// unheard reports whether a request is one that a server may refuse by itself: with two hosts (RFC 9112 section 3.2),
// or with two different ones (section 3.2.2), with bytes that no URL has (RFC 3986 section 2), or of a method that
// nothing at that address takes.
func (q ask) unheard(want plan.Answer, got reply) bool {
	switch {
	case (q.way == twoHosts || q.way == absolute || strings.ContainsFunc(q.url,
		func(r rune) bool { return r >= 0x80 })) && got.Status == 400:
		return true
	case q.method == "HEAD" && want.Internal != "":
		return got.Status == 200 && got.Location == ""
	case q.method == "GET" || q.method == "HEAD" || want.Outcome == plan.Moved && q.method != "TRACE" &&
		q.method != "OPTIONS":
		return false
	case q.method == "TRACE" && got.Location == "":
		return got.Status < 500
	case q.method == "OPTIONS" && got.Location == "" && got.Status == 200 &&
		q.way == absolute: // without a path: the whole server
		return true
	}
	return want.Outcome != plan.Moved && (slices.Contains([]int{400, 403, 405, 501}, got.Status) ||
		q.method == "OPTIONS" && got.Status == 200)
}

// agrees compares an answer of the plan with a server's.
func agrees(g *compile.Program, want plan.Answer, got reply) bool {
	return sameAnswer(want, got) && sameHeaders(g, want, got)
}

// echoes reports whether a script says that it was asked by an internal address: its path, a question mark, its query.
func echoes(got reply, internal string) bool { return got.Body == internal || got.Body == internal+"?" }

func sameAnswer(want plan.Answer, got reply) bool {
	switch {
	case want.Outcome == plan.Foreign || want.Outcome == plan.Exempt:
		return got.Location == ""
	case want.Outcome == plan.Moved:
		return got.Status == want.Status && got.Location == want.To
	case want.Internal != "":
		return got.Status == 200 && echoes(got, want.Internal)
	case want.Outcome == plan.Closed && got.Header.Get("Retry-After") != fmt.Sprint(want.RetryAfter):
		return false
	}
	return got.Status == want.Status && got.Location == ""
}

// sameHeaders compares the headers that any rule of the plan adds.
func sameHeaders(g *compile.Program, want plan.Answer, got reply) bool {
	for _, rule := range g.Plan.Headers {
		for _, header := range rule.Fields {
			value := ""
			for _, field := range want.Headers {
				if strings.EqualFold(field.Name, header.Name) {
					value = field.Value
				}
			}
			if list := got.Header.Values(header.Name); len(list) > 1 || got.Header.Get(header.Name) != value {
				return false
			}
		}
	}
	return true
}

// fronts reports whether the front controller answered, which a script hands a file on to that isn't there.
func (s *realServer) fronts(g *compile.Program, got reply) bool {
	return s.slashes && g.Plan.Front != nil && got.Status == 200 && strings.HasPrefix(got.Body, g.Plan.Front.To)
}

// missingFile reports whether the plan says that a file is served as it is, and
// there is none.
func missingFile(s *realServer, want plan.Answer, r server.Asked) bool {
	info, err := os.Stat(filepath.Join(s.Dir, "www", address.Decode(r.Path)))
	return want.Page == (inventory.Ref{}) && (err != nil || info.IsDir())
}

// realFolder reports whether a request is for a folder that is there, with a slash behind its name.
func realFolder(s *realServer, r server.Asked) bool {
	info, err := os.Stat(filepath.Join(s.Dir, "www", address.Decode(r.Path)))
	return err == nil && info.IsDir() && strings.HasSuffix(r.Path, "/")
}

// sameEnd reports whether a server that differs leads to where the plan leads
// in the end: to the same address, letters and spelling aside.
func sameEnd(t *testing.T, g *compile.Program, r server.Asked, e server.Difference, got reply) bool {
	if got.Status == 400 || got.Status == 403 && e.Code == "long-segment" || got.Status == 404 &&
		strings.Contains(r.RawPath, "%00") {
		return true // refused
	}
	if e.Reads != nil {
		r.Request = e.Reads(g, r)
	}
	want, err := g.Plan.Trace(r.Request)
	require.NoError(t, err)
	at := r.Request
	if got.Location != "" {
		if at, err = plan.NewRequest(r.Method, got.Location); err != nil {
			return false
		}
		at.Client = r.Client
		if e.Instead != nil && at.Path == e.Instead(g, r) {
			return true
		}
	}
	real, err := g.Plan.Trace(at)
	require.NoError(t, err)
	form := func(a plan.Request) string {
		query := strings.Join(strings.FieldsFunc(a.Query, func(r rune) bool { return r == '&' }), "&")
		return a.Scheme + "://" + a.Host + address.Decode(g.Plan.SiteForm(a.Path)) + "?" + query
	}
	if len(want.Hops) == 0 && r.Forwarded != "" { // what a proxy says of the scheme, the server's Location says itself
		want.Final.Scheme = real.Final.Scheme
	}
	if want.Answer.Outcome == real.Answer.Outcome && form(want.Final) == form(real.Final) {
		return true
	}
	t.Logf("%s: the plan ends %s at %s, the server %s at %s", e.Code, want.Answer.Outcome, form(want.Final),
		real.Answer.Outcome, form(real.Final))
	return false
}

func compiled(t *testing.T, p *plan.Plan) *compile.Program {
	g, found, err := compile.Plan(p)
	require.NoError(t, err)
	require.False(t, finding.Worst(found, finding.Warning), "%v", found)
	return g
}

func TestEveryServerAnswersAsThePlan(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	p := demotest.Accepted(t, t.TempDir())
	g := compiled(t, p)
	for _, target := range targets() {
		s := target.serve(t, g, demoSite(t, p))
		compareAll(t, target.Name(), g, s, demoAsks(t, p), target.Differences())
		s.stop()
	}
}

// The plans of testdata have what the demo's hasn't.
func TestEveryServerAnswersAsTheOtherPlans(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	for _, name := range []string{"rules", "closed"} {
		p := demotest.Plan(t, "../..", name)
		var asks []ask
		random := rand.New(rand.NewPCG(13, 2026))
		for _, row := range demotest.ReadExpected(t, "../..", name) {
			asks = append(asks, ask{method: row.Method, url: row.URL, forwarded: row.Forwarded})
			for _, way := range []int{2, 3, 4, 5} {
				asks = append(asks, ask{method: row.Method, url: mutate(random, row.URL, way),
					forwarded: row.Forwarded})
			}
		}
		g := compiled(t, p)
		for _, target := range targets() {
			s := target.serve(t, g, site{Files: []string{"/assets/a.css", "/assets/Logo.PNG", "/plan.pdf"}})
			met := compare(t, target.Name()+", "+name, g, s, asks, target.Differences())
			for code := range met {
				assert.Contains(t, []string{"letters", "spelling", "pattern-value", "last-ampersand"}, code)
			}
			s.stop()
		}
	}
}

// Letters stay where the site's own rules lead to what the plan leaves alone, and to a pattern that takes them over,
// though the plan knows the address.
func TestLettersStayInWhatIsLeftAlone(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	p, g, found := opened(t, map[string]string{
		project.PlanFile: "site: {origin: https://o.example, hosts: [www.o.example], except: [/n/]}\nlanguages: {default: de}\n" +
			"rules:\n  - {from: '/p{/x*}', to: 'https://far.example{/x*}'}\n",
		project.PagesFile: "key,language,title,state\ndraft,de,Draft,draft\nlive,de,Live,live\n",
		project.AddressesFile: "address,page,state\nhttps://o.example/de/n/A,draft@de,current\nhttps://o.example/b,live@de,current\n" +
			"https://o.example/p/A/,draft@de,former\n",
		project.RedirectsFile: "from,to,status\n",
	})
	require.NotNil(t, p, "%v", found)
	var asks []ask
	for _, url := range []string{"https://www.o.example//de/n/A", "http://www.o.example/de/n/A?t=1", "https://o.example/de/n/A",
		"https://o.example/de/n/a", "https://o.example/DE/N/A", "https://o.example/n/A", "https://o.example/de/B", "https://o.example/p/A/", "https://o.example//p/A/",
		"https://o.example/p/A", "https://o.example/p/a/", "https://www.o.example/P/A//"} {
		asks = append(asks, ask{method: "GET", url: url}, ask{method: "POST", url: url})
	}
	for _, target := range targets() {
		s := target.serve(t, g, site{Pages: []string{"/b"}})
		compare(t, target.Name(), g, s, asks, target.Differences())
		s.stop()
	}
}

// serve answers the same over http and https, without any exception.
func TestServeAnswersAsThePlan(t *testing.T) {
	t.Parallel()
	p := demotest.Accepted(t, t.TempDir())
	handler := preview.NewServer(p, nil, time.Now, nil)
	plain, secure := httptest.NewServer(handler), httptest.NewTLSServer(handler)
	defer plain.Close()
	defer secure.Close()
	s := &realServer{client: client{HTTP: plain.Listener.Addr().String(), HTTPS: secure.Listener.Addr().String()}}
	asks := demoAsks(t, p)
	require.Greater(t, len(asks), 2000)
	assert.Empty(t, compare(t, "serve", compiled(t, p), s, asks, nil))
}
