package redirect

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/route"
)

func skerrywick() address.Site {
	return address.Site{Origin: address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"},
		Hosts: []string{"www.skerrywick.example"}}
}

func read(t *testing.T, lines ...string) *List {
	t.Helper()
	rows, found, err := Read("list.csv", strings.NewReader("from,to,status\n"+strings.Join(lines, "\n")), skerrywick())
	require.NoError(t, err)
	require.Empty(t, found)
	return rows
}

func TestReadRow(t *testing.T) {
	rows := read(t, "/a,route-x@de,", "http://www.skerrywick.example/b?k=v,guide@en#part,302", "/c,,410",
		"/d,/e?x#y,308")
	assert.Equal(t, route.Source{Path: "/a"}, rows.Row(0).Source)
	assert.True(t, rows.Row(0).ToPage())
	assert.Zero(t, rows.Row(0).Status)
	assert.Equal(t, "www.skerrywick.example", rows.Row(1).Host)
	assert.Equal(t, []string{"k"}, rows.Row(1).Names())
	assert.Equal(t, "guide@en", rows.Row(1).Page.String())
	assert.Equal(t, "part", rows.Row(1).Target.Fragment)
	assert.True(t, rows.Row(2).Gone())
	assert.Equal(t, "https://skerrywick.example/e?x#y", rows.Row(3).Target.String())
	assert.Equal(t, 5, rows.Row(3).Line)
	assert.Equal(t, "//www.skerrywick.example/b?k=v", rows.Row(1).Source.String())
}

func TestMatch(t *testing.T) {
	sources := []route.Source{{Path: "/index.php", Query: "item=1"}, {Path: "/index.php", Query: "item=1&lang=de"},
		{Path: "/index.php"}, {Path: "/Ab%28c%29"},
		{Host: "www.skerrywick.example", Path: "/h"}, {Path: "/h"}, {Host: "skerrywick.example", Path: "/h"},
		{Host: "other.example", Path: "/h"}}
	x := route.NewIndex(skerrywick(), true, func(n int) route.Source { return sources[n] })
	for _, s := range sources {
		x.Add(s)
	}
	match := func(host, path, query string) []int {
		return x.Match(host, path, address.SplitQuery(query), x.Named(path))
	}
	assert.Equal(t, []string{"item", "lang"}, x.Named("//INDEX.php"))
	for query, want := range map[string][]int{
		"item=1": {0}, "x=y&item=1&z": {0}, "lang=de&item=1": {1}, "": {2}, "utm=1": {2}, "item=1&item=2": {0},
		"item=2&item=1": {}, "item": {}, "item=": {}, "lang=de": {}, "item=1&lang": {}, "ITEM=1": {2}, "item=%31": {},
	} {
		t.Run(query, func(t *testing.T) {
			assert.ElementsMatch(t, want, match("skerrywick.example", "/index.php", query), query)
		})
	}
	assert.Equal(t, []int{3}, match("skerrywick.example", "//aB(C)", ""),
		"letters, slashes and how a mark is written don't count")
	assert.Equal(t, []int{4, 5, 6}, match("www.skerrywick.example", "/h", ""),
		"what is written for the host or for all comes first")
	assert.Equal(t, []int{5, 6, 4}, match("skerrywick.example", "/h", ""))
}

func TestCheckSmall(t *testing.T) {
	for name, c := range map[string]struct {
		lines []string
		want  map[string]int
	}{
		"clean": {[]string{"/a,/b,301", "/c,/b,302", "/d,https://other.example/a,301", "/e,,410",
			"/f,page@en,"}, map[string]int{"foreign-target": 1}},
		"chain of three": {[]string{"/a,/b,301", "/b,/c,301", "/c,/d,301"}, map[string]int{"chain": 2}},
		"loop":           {[]string{"/a,/b,301", "/b,/a,301"}, map[string]int{"loop": 1}},
		"into a loop is not a chain": {[]string{"/x,/a,301", "/a,/b,301", "/b,/a,301"},
			map[string]int{"loop": 1, "into-loop": 1}},
		"to itself is not a loop": {[]string{"/a,/a,301"}, map[string]int{"self": 1}},
		"two loops": {[]string{"/a,/b,301", "/b,/a,301", "/c,/d,301", "/d,/c,301"},
			map[string]int{"loop": 2}},
		"conflict once":  {[]string{"/a,/b,301", "/a,/c,301", "/a,/b,302"}, map[string]int{"conflict": 1}},
		"the same twice": {[]string{"/a,/b,301", "/a,/b,301"}, map[string]int{"duplicate": 1}},
		"the origin's row serves all": {[]string{"/a,http://www.skerrywick.example/b,301",
			"https://skerrywick.example/b,/c,301"}, map[string]int{"chain": 1}},
		"only the first row counts": {[]string{"/a,/b,301", "/a,/c,301", "/c,/d,301"}, map[string]int{"conflict": 1}},
		"hosts may differ": {[]string{"http://www.skerrywick.example/a,/b,301",
			"https://skerrywick.example/a,/c,301"}, map[string]int{}},
		"twice behind a host's": {[]string{"http://www.skerrywick.example/a,/b,301", "/a,/b,301", "/a,/b,301"},
			map[string]int{"duplicate": 1}},
		"a path is all hosts": {[]string{"http://www.skerrywick.example/a,/b,301", "/a,/c,301"},
			map[string]int{"conflict": 1}},
		"letters and slashes": {[]string{"/a,/B//c,301", "/b/C,/d,301"}, map[string]int{"chain": 1}},
		"parameters": {[]string{"/a,/i?k=1,301", "/i?k=1,/b,301", "/i?k=2,/c,301"},
			map[string]int{"chain": 1}},
		"other parameters":           {[]string{"/a,/i?k=3,301", "/i?k=1,/b,301"}, map[string]int{}},
		"gone at the end is a chain": {[]string{"/a,/b,301", "/b,,410"}, map[string]int{"chain": 1}},
		"conflict leading into loops": {[]string{"/a,/b,301", "/a,/x,301", "/b,/a,301"},
			map[string]int{"conflict": 1, "loop": 1}},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, finding.Count(found(t, c.lines...)), name)
		})
	}
}

func TestCheckTells(t *testing.T) {
	found := found(t, "/a,/b,301", "/b,/c,301", "/x,/y,301", "/y,/x,301")
	require.Len(t, found, 2)
	chain, loop := found[0], found[1]
	assert.Equal(t, "list.csv:2", chain.Where.String())
	assert.Equal(t, []string{"/a", "/b", "https://skerrywick.example/c (301)"}, chain.Evidence)
	assert.Equal(t, 3, chain.Related[0].Line)
	assert.Equal(t, []string{"/x", "/y", "/x"}, loop.Evidence)
	assert.NotEmpty(t, loop.Advice)
}

// small is the world of a list on a site in small letters.
func small(list *List) World {
	return Alone(list, address.Speller{Site: skerrywick(), Paths: address.Paths{Lower: true}})
}

// found checks lines as a list.
func found(t *testing.T, lines ...string) []finding.Finding {
	list := read(t, lines...)
	return Check(list, small(list))
}

// What the site's own rules make of a row.
func TestCheckAfterTheSitesRules(t *testing.T) {
	speller := address.Speller{Site: skerrywick(), Paths: address.Paths{Lower: true, Slash: address.SlashNever,
		NoExtension: true}}
	for line, want := range map[string]map[string]int{
		"/a,/b,301":                              {},
		"/a,/a,301":                              {"self": 1},
		"/a,/a/,301":                             {"self": 1, "hidden-chain": 1},
		"/a,/a/,301\n/b,/a,301":                  {"self": 1, "hidden-chain": 1, "into-loop": 1},
		"/a,http://www.skerrywick.example/a,301": {"self": 1},
		"/a/,/a,301":                             {"redundant": 1},
		"/A,/a,301":                              {"redundant": 1},
		"/A,/A,301":                              {"self": 1},
		"/a.html,/a,301":                         {"redundant": 1},
		"http://www.skerrywick.example/a,/a,301": {"redundant": 1},
		"https://skerrywick.example/a,/a#top,301": {"self": 1},
		"/b,/a.html,301":                                      {"hidden-chain": 1},
		"/b,http://skerrywick.example/a,301":                  {"hidden-chain": 1},
		"/b,https://skerrywick.example/a?x=1#y,301":           {},
		"/b,https://other.example/A.html,301":                 {"foreign-target": 1},
		"/b,/c/,301\n/c/,/d,301":                              {"chain": 1},
		"/b,,410":                                             {},
		"/b,page@en,301":                                      {},
		"/index.php?k=1,/index.php?k=1,301":                   {"self": 1},
		"/b,https://skerrywick.example/C?x=1,301":             {"hidden-chain": 1},
		"http://www.skerrywick.example/b,/b/,301\n/c,/b/,302": {"self": 1, "hidden-chain": 1, "into-loop": 1},
	} {
		t.Run(line, func(t *testing.T) {
			rows := read(t, strings.Split(line, "\n")...)
			assert.Equal(t, want, finding.Count(Check(rows, Alone(rows, speller))), line)
		})
	}
}

// A chain of 100,000 rows, a million steps to one loop and one source again and
// again take time in proportion.
func TestCheckIsNeverQuadratic(t *testing.T) {
	const n = 100000
	var chain, into, same []string
	for i := range n {
		chain = append(chain, fmt.Sprintf("/%d,/%d,301", i, i+1))
		into = append(into, fmt.Sprintf("/%d,/loop,301", i))
		same = append(same, "/a,/b,301")
	}
	assert.Equal(t, map[string]int{"chain": n - 1}, finding.Count(found(t, chain...)))
	assert.Equal(t, map[string]int{"loop": 1, "into-loop": n},
		finding.Count(found(t, append(into, "/loop,/x,301", "/x,/loop,301")...)))
	assert.Equal(t, map[string]int{"duplicate": n - 1}, finding.Count(found(t, same...)))
}

func BenchmarkCheck(b *testing.B) {
	var list strings.Builder
	list.WriteString("from,to,status\n")
	for i := range 100000 {
		fmt.Fprintf(&list, "/old/page-%06d,/new/article-%06d,301\n", i, i)
	}
	rows, _, err := Read("list.csv", strings.NewReader(list.String()), skerrywick())
	require.NoError(b, err)
	for b.Loop() {
		Check(rows, small(rows))
	}
}

// Match agrees with the rule read word by word.
func TestMatchAgreesWithTheRule(t *testing.T) {
	random := rand.New(rand.NewPCG(4, 2026))
	one := func(list ...string) string { return list[random.IntN(len(list))] }
	query := func() string {
		var items []string
		for range random.IntN(4) {
			items = append(items, one("a=1", "a=2", "b", "b=", "c=1", ""))
		}
		return strings.Join(items, "&")
	}
	for range 5000 {
		var sources []route.Source
		x := route.NewIndex(skerrywick(), false, func(n int) route.Source { return sources[n] })
		for range 1 + random.IntN(5) {
			s := route.Source{Path: one("/x", "/y"), Query: query()}
			sources = append(sources, s)
			x.Add(s)
		}
		path, asked := one("/x", "/y"), address.SplitQuery(query())
		var want []int
		for i, s := range sources {
			if s.Path != path {
				continue
			}
			ok := true
			for _, name := range s.Names() { // what it names is there, with the value of its first occurrence
				own, _ := address.First(address.SplitQuery(s.Query), name)
				got, there := address.First(asked, name)
				ok = ok && there && got.Raw == own.Raw
			}
			for _, other := range sources { // and nothing that another source of the path names
				for _, name := range other.Names() {
					_, carried := address.First(asked, name)
					ok = ok && !(other.Path == path && carried && !slices.Contains(s.Names(), name))
				}
			}
			if ok {
				want = append(want, i)
			}
		}
		assert.ElementsMatch(t, want, x.Match("skerrywick.example", path, asked, x.Named(path)), "%v asked %v", sources,
			asked)
	}
}

// Whatever can be read, what is written of it reads back as the same rows, and is written the same again.
func FuzzRead(f *testing.F) {
	f.Add("from,to,status\n/a,/b,301\n/c,,410\n/a%2,p@en,\n")
	f.Add("from,to,status,query,class,reason\n/n/{x},/m/{x},302,drop,x=digits,\"a, " +
		"b\"\nhttps://www.skerrywick.example/é?k=1,https://x.example/#f,308,,,\n")
	f.Fuzz(func(t *testing.T, text string) { readsBack(t, text) })
}

// readsBack holds a list to what FuzzRead says, and returns how many rows it has.
func readsBack(t *testing.T, text string) int {
	rows, _, err := Read("r.csv", strings.NewReader(text), skerrywick())
	if err != nil {
		return 0
	}
	Check(rows, small(rows))
	written := rows.Encode()
	again, found, err := Read("r.csv", bytes.NewReader(written), skerrywick())
	require.NoError(t, err, "%q", written)
	require.Empty(t, found, "%q", written)
	require.Equal(t, rows.Len(), again.Len(), "%q", written)
	for i, row := range rows.All() {
		other := again.Row(i)
		require.Equal(t, []any{row.Source, row.Page, row.Target, row.Status, row.Drop, row.Pattern != nil},
			[]any{other.Source, other.Page, other.Target, other.Status, other.Drop, other.Pattern != nil}, "%q",
			written)
	}
	require.Equal(t, string(written), string(again.Encode()))
	return rows.Len()
}

// The same of random bytes in every field, and in the names of columns.
func TestWhatIsWrittenReadsBack(t *testing.T) {
	pieces := []string{"\x00", "\x1b]0;x\x07", "\x7f", "\u0085", "\u202e", "\ufeff", "\xff", "\r", "\n", "\t", " ", "\u00a0", `"`, ",", ";",
		"@", "/", ":", "?", "#", "=1+1", "-", "{x}", "{", "a", "é", "https://skerrywick.example/x", "%00", "%2", "301", "drop"}
	random := rand.New(rand.NewPCG(18, 7))
	text := func() string {
		var b strings.Builder
		for range random.IntN(4) {
			b.WriteString(pieces[random.IntN(len(pieces))])
		}
		return b.String()
	}
	rows := 0
	for range 2000 {
		var b bytes.Buffer
		w := csv.NewWriter(&b)
		columns := []string{"from", "to", "status", "query", "class", "reason", "note " + text()}
		_ = w.Write(columns)
		for n := range random.IntN(6) {
			row := []string{fmt.Sprintf("/f%d%s", n, text()), "/t" + text(), "", "", "", text(), text()}
			for i := range row {
				if random.IntN(8) == 0 {
					row[i] = text()
				}
			}
			_ = w.Write(row)
		}
		w.Flush()
		rows += readsBack(t, b.String())
	}
	require.Greater(t, rows, 600)
}

func TestListsOfOthers(t *testing.T) {
	for text, want := range map[string]string{
		"/a,/b,302\n/c,/d,301\n":                                "/a,/b,302\n/c,/d,301\n",
		"/a,/a.html\n":                                          "/a,/a.html,\n",
		"https://skerrywick.example/a;/b\n":                     "https://skerrywick.example/a,/b,\n",
		"Code;New URL;Old URL\n307;/b;/a\n":                     "/a,/b,307\n",
		"destination,request\n/b,/a\n":                          "/a,/b,\n",
		`[{"from": "/a", "to": "/b", "status": 308}]`:           "/a,/b,308\n",
		"{\"old\": \"/a\", \"new\": \"/b\"}\n{\"old\": \"/c\"}": "/a,/b,\n",
		"from,to,status,reason\n/a,/b,301,moved twice\n":        "/a,/b,301,moved twice\n",
	} {
		t.Run(text, func(t *testing.T) {
			rows, _, err := Read("list", strings.NewReader(text), skerrywick())
			require.NoError(t, err, text)
			_, got, _ := strings.Cut(string(rows.Encode()), "\n")
			assert.Equal(t, want, got, text)
		})
	}
	for _, text := range []string{"", "a,b\n/a,/b\n", "from\n/a\n", "/only\n"} {
		_, _, err := Read("list", strings.NewReader(text), skerrywick())
		assert.Error(t, err, text)
	}
}

// A list is sorted alike wherever its first part that is in order ends.
func TestSorted(t *testing.T) {
	for _, n := range []int{0, 1, 2, 3, 30, 64} {
		for begun := range n + 1 {
			order := rand.New(rand.NewPCG(uint64(n), uint64(begun))).Perm(n)
			slices.Sort(order[:begun])
			rows, want := []string{}, []string{}
			for i, k := range order {
				rows = append(rows, fmt.Sprintf("/p%02d,/x%d,301", k, k))
				want = append(want, fmt.Sprintf("/p%02d,/x%d,301", i, i))
			}
			if n == 0 {
				assert.Zero(t, NewList(skerrywick()).Sorted().Len())
				continue
			}
			list := read(t, rows...)
			assert.Equal(t, "from,to,status\n"+strings.Join(want, "\n")+"\n", string(list.Sorted().Encode()), "%v", order)
		}
	}
}
