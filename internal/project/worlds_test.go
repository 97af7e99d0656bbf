package project_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
	"young-compass/internal/resolve"
)

var (
	worlds    = flag.Int("worlds", 6000, "how many random worlds are tried")
	worldSeed = flag.Uint64("world-seed", 13, "of the random worlds")
)

// dice makes up small worlds: a few words, so that everything meets everything.
type dice struct{ *rand.Rand }

func (d dice) of(list ...string) string { return list[d.IntN(len(list))] }

func (d dice) host() string {
	return d.of("", "", "", "", "https://s.example", "http://s.example", "http://www.s.example", "https://old.example",
		"https://nb.example")
}

func (d dice) path() string {
	p := "/" + d.of("a", "b", "c", "d", "B", "en", "t")
	if d.IntN(3) == 0 {
		p += "/" + d.of("a", "b", "1", "x.html", "index.php")
	}
	return p + d.of("", "", "", "", "/", ".html")
}

func (d dice) local() string {
	return d.path() + d.of("", "", "", "", "?k=1", "?k=2", "?m=1", "?sid=7", "?k=1&m=1")
}

// row is a line of redirects.csv.
func (d dice) row() string {
	status := d.of("301", "301", "", "302", "303", "307", "308")
	if d.IntN(6) == 0 {
		from := d.of("/a/{x}", "/b/{x}", "/c{/x*}", "/{x}/1", "/t/{x}/{y}", "/d?k={x}", "/{x}.html")
		to := d.of("/b/{x}", "/a/{x}", "/c/{x}", "/{x}", "/t/{x}", "/d?k={x}", "/d", "https://far.example/{x}")
		if strings.HasPrefix(from, "/c{") {
			to = d.of("/d{/x*}", "/c", "https://far.example{/x*}")
		}
		if strings.HasPrefix(to, "/") {
			to = d.of("", "", "", d.host()) + to + d.of("", "", "", "#f")
		}
		return from + "," + to + "," + status + "," + d.of("", "", "", "drop")
	}
	from := d.local()
	if d.IntN(4) == 0 {
		from = d.host() + from
	}
	to := d.of(d.host()+d.local(), d.host()+d.local()+d.of("", "", "#f"), "p0@en", "p1@en", "https://far.example/x", "")
	if to == "" {
		status = "410"
	}
	return from + "," + to + "," + status + "," + d.of("", "", "", "", "drop")
}

// write writes a world into a folder.
func (d dice) write(t *testing.T, dir string) {
	var config, pages, book, rows strings.Builder
	fmt.Fprintf(&config, "site:\n  origin: https://s.example\n  hosts: [www.s.example, old.example]\n%s  paths: "+
		"{slash: %s, letters: %s, extension: %s, index: [index.php]}\n",
		d.of("", "", "  except: [/b]\n", "  except: [/c/, /d]\n", "  only: [/a/, /a, /b, /b/, /d, /c]\n"),
		d.of("never", "keep", "always"), d.of("lower", "lower", "keep"), d.of("none", "keep"))
	fmt.Fprintf(&config, "languages: {default: en, others: {nb: {host: nb.example}}}\nparameters: {noise: [%s], "+
		"tracking: [t]}\nrules:\n", d.of("sid", "sid", "sid, {name: m, for: /a}", ""))
	for range d.IntN(3) {
		fmt.Fprintf(&config, "  - {%s, status: %s%s}\n", d.of(`from: "/a/{x}", to: "/d/{x}"`,
			`from: "/b{/x*}", to: "/c{/x*}"`, `from: "/t/{x}", to: "/{x}"`, `from: "/c?m={x}", to: "/a/{x}"`),
			d.of("301", "302", "308"), d.of("", "", ", except: [/a/b]", ", query: drop"))
	}
	pages.WriteString("key,language,title,state\n")
	book.WriteString("address,page,state\n")
	for i := range 1 + d.IntN(3) {
		fmt.Fprintf(&pages, "p%d,en,P,%s\n", i, d.of("live", "live", "live", "gone", "draft", "away"))
		for j, state := range []string{"current", "former", "variant", "shown"}[:1+d.IntN(4)] {
			if j == 0 || d.IntN(2) == 0 {
				fmt.Fprintf(&book, "%s%s,p%d@en,%s\n", d.of("https://s.example", "https://s.example",
					"http://www.s.example"), d.local(), i, state)
			}
		}
	}
	rows.WriteString("from,to,status,query\n")
	for range 1 + d.IntN(6) {
		rows.WriteString(d.row() + "\n")
	}
	for name, text := range map[string]string{
		project.PlanFile: config.String(), project.PagesFile: pages.String(), project.AddressesFile: book.String(),
		project.RedirectsFile: rows.String(),
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
}

// requests asks for what is written in a plan, in several spellings, and for more.
func (d dice) requests(t *testing.T, p *plan.Plan) []plan.Request {
	var urls []string
	add := func(base, local string) {
		mark := "?"
		if strings.Contains(local, "?") {
			mark = "&"
		}
		urls = append(urls, base+local, base+local+mark+d.of("k=1", "k=2", "m=1", "k=1&m=2", "u=9", "sid=3", "t=4&k=1"))
	}
	bases := []string{"https://s.example", "http://www.s.example", "https://old.example", "https://nb.example"}
	for i := range p.Redirects.Len() {
		s := p.Redirects.Source(i)
		if s.Path == "" {
			row := p.Redirects.Row(i)
			for _, example := range row.Pattern.Examples(3) {
				add(bases[0], example)
			}
			continue
		}
		on := s.On(address.Address{Scheme: "https", Host: "s.example"})
		add(on.Base(), on.Local())
		add(d.of(bases...), on.Local())
		add(bases[0], strings.ToUpper(on.Path)+"/")
	}
	for _, e := range p.Book.Entries {
		add(e.Address.Base(), e.Address.Local())
	}
	for range 12 {
		add(d.of(bases...), d.local())
	}
	var list []plan.Request
	for i, url := range urls {
		r, err := plan.NewRequest([]string{"GET", "POST"}[i%3/2], url)
		require.NoError(t, err, url)
		list = append(list, r)
	}
	return list
}

// answers says what a plan answers.
func answers(p *plan.Plan, r plan.Request) string {
	a, err := p.Answer(r)
	if err != nil {
		return "none"
	}
	return fmt.Sprint(a.Outcome, " ", a.Status, " ", a.To, " ", a.Page, " ", a.Canonical, " ", a.Internal)
}

// On random worlds, check says of chains and loops just what answering shows, and neither flatten nor taking
// redirects in changes any answer.
func TestRandomWorlds(t *testing.T) {
	defer debug.SetGCPercent(debug.SetGCPercent(400))
	n := *worlds
	if testing.Short() {
		n /= 20
	}
	var all sync.Mutex
	total := map[string]int{}
	t.Run("parts", func(t *testing.T) {
		for part := range 2 {
			t.Run(fmt.Sprint(part), func(t *testing.T) {
				t.Parallel()
				counts := map[string]int{}
				for i := part; i < n; i += 2 {
					oneWorld(t, i, counts)
				}
				all.Lock()
				defer all.Unlock()
				for what, count := range counts {
					total[what] += count
				}
			})
		}
	})
	t.Log(total)
	for _, what := range []string{"chain", "loop", "flat", "shorter", "clean", "taken", "followed"} {
		require.Greater(t, total[what], n/400, what)
	}
}

// oneWorld tries the world with a number.
func oneWorld(t *testing.T, number int, counts map[string]int) {
	d := dice{rand.New(rand.NewPCG(*worldSeed, uint64(number)))}
	dir := filepath.Join(t.TempDir(), "world")
	require.NoError(t, os.MkdirAll(dir, 0o700))
	d.write(t, dir)
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	label := fmt.Sprintf("world %d\n", number)
	for _, name := range []string{project.PlanFile, project.PagesFile, project.AddressesFile, project.RedirectsFile} {
		text, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		label += string(text)
	}
	require.NoError(t, os.RemoveAll(dir))
	requests := d.requests(t, p)
	checksAsAnswering(t, p, label, counts)
	flatKeepsAnswers(t, p, requests, label, counts)
	takingKeepsAnswers(t, d, p, requests, label, counts)
}

// checksAsAnswering compares chains and loops with what a walk from each row shows.
func checksAsAnswering(t *testing.T, p *plan.Plan, label string, counts map[string]int) {
	found := redirect.Check(p.Redirects, p.World())
	at := map[int]map[finding.Code]bool{} // codes by line
	note := func(line int, code finding.Code) {
		if at[line] == nil {
			at[line] = map[finding.Code]bool{}
		}
		at[line][code] = true
	}
	for _, f := range found {
		note(f.Where.Line, f.Code)
		for _, r := range f.Related {
			if f.Code == "loop" && r.File == project.RedirectsFile {
				note(r.Line, f.Code)
			}
		}
	}
	w := p.Rules().Walker()
	seen := map[string]bool{}
	for i, row := range p.Redirects.All() {
		if row.Pattern != nil {
			continue
		}
		key := row.Host + " " + p.Key(row.Path) + " " + row.Signature()
		if seen[key] {
			continue // another row before has the same source
		}
		seen[key] = true
		w.Start("GET", row.Source.On(p.Site.Origin))
		end, err := w.Walk(nil)
		if len(w.Steps) == 0 || w.Steps[0].By != resolve.BySource || w.Steps[0].Number != i {
			continue
		}
		codes := at[row.Line]
		if err != nil {
			counts["loop"]++
			require.True(t, codes["loop"] || codes["into-loop"] || codes["self"], "%s\n%s: %v\n%v", label, row.From,
				err, found)
			continue
		}
		require.False(t, codes["into-loop"], "%s\n%s ends at %s\n%v", label, row.From, w.At, found)
		if codes["loop"] { // it goes round only with parameters that the other rows of the circle bring
			counts["loop with parameters"]++
			i := slices.IndexFunc(found, func(f finding.Finding) bool {
				return f.Code == "loop" && (f.Where.Line == row.Line || slices.ContainsFunc(f.Related,
					func(r finding.Place) bool { return r.File == project.RedirectsFile && r.Line == row.Line }))
			})
			require.NotContains(t, found[i].Evidence, row.From, "%s\nends at %s", label, w.At)
		}
		chain := end.Kind == resolve.AtGone && end.Number < p.Redirects.Len()
		for _, s := range w.Steps[1:] {
			chain = chain || s.By == resolve.ByPattern || s.By == resolve.BySource && s.Number < p.Redirects.Len() &&
				s.Number != i
		}
		if row.ToPage() {
			chain = false // the page is where the row says; what leads on there is the page's matter
		}
		if chain {
			counts["chain"]++
		}
		require.Equal(t, chain, codes["chain"], "%s\n%s: %v\n%v", label, row.From, w.Causes, found)
	}
	for _, f := range found { // what is said of patterns can be seen at the address that is shown
		i := slices.IndexFunc(p.Rules().Patterns, func(q resolve.Pattern) bool { return q.Where == f.Where })
		if f.Code != "chain" || i < 0 {
			continue
		}
		a, err := address.Resolve(p.Site.Origin, f.Evidence[0])
		require.NoError(t, err)
		w.Start("GET", a)
		end, err := w.Walk(nil)
		require.NoError(t, err, label)
		others := 0
		for _, s := range w.Steps {
			if s.By == resolve.ByPattern && s.Number != i || s.By == resolve.BySource && s.Number < p.Redirects.Len() {
				others++
			}
		}
		require.True(t, others > 0 || end.Kind == resolve.AtGone, "%s\n%v\n%v", label, f, w.Causes)
		counts["followed"]++
	}
}

func same(t *testing.T, before, after *plan.Plan, requests []plan.Request, label string) {
	for _, r := range requests {
		if want, got := answers(before, r), answers(after, r); want != got {
			require.Equal(t, want, got, "%s\n%s %s, with\n%s", label, r.Method, r.Address, after.Redirects.Encode())
		}
	}
}

func flatKeepsAnswers(t *testing.T, p *plan.Plan, requests []plan.Request, label string, counts map[string]int) {
	flat, _ := redirect.Flatten(p.Redirects, p.World(), redirect.Exact)
	if flat == nil {
		return
	}
	counts["flat"]++
	if string(flat.Encode()) != string(p.Redirects.Encode()) {
		counts["shorter"]++
	}
	same(t, p, p.With(flat), requests, label)
	found := judge.Redirects(p, redirect.Examine(p.Redirects, p.World()))
	if finding.Worst(found, finding.Warning) {
		return
	}
	straight, _ := redirect.Flatten(p.Redirects, p.World(), redirect.Straight)
	get := slices.DeleteFunc(slices.Clone(requests),
		func(r plan.Request) bool { return r.Method != "GET" }) // each row gets a status
	same(t, p, p.With(straight), get, label)
	counts["clean"]++
}

// takingKeepsAnswers takes a row in, and compares with the plan in which it simply stands.
func takingKeepsAnswers(t *testing.T, d dice, p *plan.Plan, requests []plan.Request, label string,
	counts map[string]int) {
	more := redirect.NewList(p.Site)
	_, err := more.Read("more.csv", strings.NewReader("from,to,status,query\n"+d.row()+"\n"))
	require.NoError(t, err)
	if more.Len() == 0 {
		return
	}
	taken, found, err := project.Take(p, more, nil)
	require.NoError(t, err)
	if len(found) > 0 {
		return
	}
	counts["taken"]++
	row := more.Row(0)
	requests = append(slices.Clone(requests), d.requests(t, p.With(more))...)
	same(t, p.With(redirect.Together(p.Redirects, more)), p.With(taken.List), requests,
		label+row.From+","+row.To+fmt.Sprint(",", row.Status))
}
