//go:build linux

package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
)

// This file makes up a project and a list of redirects with known troubles. It
// uses nothing of the program but its command line.

// troubled is a list of redirects under way, and what is wrong with it.
type troubled struct {
	*rand.Rand
	rows []placed
	want map[string]int
}

// placed is a row at a random place; rows put in together keep their order.
type placed struct {
	at  float64
	row string
}

func (d *troubled) put(rows ...string) {
	places := make([]float64, len(rows))
	for i := range places {
		places[i] = d.Float64()
	}
	slices.Sort(places)
	for i, row := range rows {
		d.rows = append(d.rows, placed{places[i], row})
	}
}

// wrong puts rows in, and counts what is wrong with them: "chain 2, conflict".
func (d *troubled) wrong(codes string, rows ...string) {
	for _, item := range strings.Split(codes, ", ") {
		code, n := item, 1
		if _, err := fmt.Sscanf(item, "%s %d", &code, &n); err != nil {
			n = 1
		}
		d.want[code] += n
	}
	d.put(rows...)
}

func (d *troubled) text() []byte {
	slices.SortFunc(d.rows, func(a, b placed) int {
		if a.at < b.at {
			return -1
		}
		return 1
	})
	var b bytes.Buffer
	b.WriteString("from,to,status,class\n")
	for _, p := range d.rows {
		b.WriteString(p.row + "\n")
	}
	return b.Bytes()
}

const livePages = 500

// project writes the plan, pages and addresses of the made-up site.
func newProject(t *testing.T, dir string) {
	t.Helper()
	pages, book := "key,language,kind,title,state\n", "address,page,state\n"
	add := func(key, language, state, path string) {
		pages += fmt.Sprintf("%s,%s,page,%s %s,%s\n", key, language, key, language, state)
		book += fmt.Sprintf("https://skerrywick.example%s,%s@%s,current\n", path, key, language)
	}
	add("home", "en", "live", "/")
	add("home", "de", "live", "/de")
	var away string
	for i := range livePages {
		add(fmt.Sprintf("p%d", i), "en", "live", fmt.Sprintf("/pages/p%d", i))
		add(fmt.Sprintf("p%d", i), "de", "live", fmt.Sprintf("/de/pages/p%d", i))
		book += fmt.Sprintf("http://www.skerrywick.example/former.php?id=%d,p%d@en,former\n", i, i)
	}
	for i := range 100 {
		add(fmt.Sprintf("away%d", i), "en", "away", fmt.Sprintf("/pages/away%d", i))
		add(fmt.Sprintf("gone%d", i), "en", "gone", fmt.Sprintf("/pages/gone%d", i))
		away += fmt.Sprintf("/pages/away%d,p%d@en,302\n", i, i)
	}
	for name, text := range map[string]string{
		"pages.csv": pages, "addresses.csv": book, "redirects.csv": "from,to,status\n" + away,
		"young-compass.yaml": `site:
  origin: https://skerrywick.example
  hosts: [www.skerrywick.example]
  known: [partner.example]
  paths: {slash: never, letters: lower, extension: none, index: [index.html]}
languages:
  default: en
  others: {de: {prefix: de}}
parameters:
  noise: [sid]
kinds:
  page: {address: "/pages/{slug}"}
`,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
}

// clean puts in rows with which nothing is wrong: of every status, with hosts,
// queries, fragments, known foreign targets, pages, patterns.
func (d *troubled) clean(n int) {
	d.put("/tales/{year}/{slug},/pages/p1,301,year=[0-9]{4} slug=slug",
		"/tales/{part}/{more},https://partner.example/tales/{part}/{more},302,")
	for i := range n {
		page := i % livePages
		switch i % 12 {
		case 0:
			d.put(fmt.Sprintf("/old/%d,p%d@en,308,", i, page))
		case 1:
			d.put(fmt.Sprintf("/old/%d,/pages/p%d#part,302,", i, page))
		case 2:
			d.put(fmt.Sprintf("/old/%d,,410,", i))
		case 3:
			d.put(fmt.Sprintf("/old/%d,https://partner.example/%d?from=old,307,", i, i))
		case 4:
			d.put(fmt.Sprintf("http://www.skerrywick.example/old/%d,/pages/p%d,301,", i, page))
		case 5:
			d.put(fmt.Sprintf("/old.php?id=%d&kind=x,https://skerrywick.example/pages/p%d,,", i, page))
		case 6:
			d.put(fmt.Sprintf("/de/alt/%d,/de/pages/p%d?tab=2,303,", i, page))
		case 7:
			d.put(fmt.Sprintf("https://www.skerrywick.example/two/%d,/pages/p%d,301,", i, page),
				fmt.Sprintf("https://skerrywick.example/two/%d,/pages/p%d,301,", i, (page+1)%livePages))
		default:
			d.put(fmt.Sprintf("/Old/Place-%d.html,https://skerrywick.example/pages/p%d,301,", i, page))
		}
	}
}

// troubles puts in k of every trouble.
func (d *troubled) troubles(k int) {
	for i := range k {
		f := func(row string) string {
			return strings.NewReplacer("#i", fmt.Sprint(i), "#p", fmt.Sprint(i%livePages), "#q",
				fmt.Sprint((i+1)%livePages)).Replace(row)
		}
		put := func(codes string, rows ...string) {
			for n := range rows {
				rows[n] = f(rows[n])
			}
			d.wrong(codes, rows...)
		}
		put("loop", "/loop/#i/a,/loop/#i/b,301,", "/loop/#i/b,https://www.skerrywick.example/LOOP/#i/c,301,",
			"/loop/#i/c,/loop/#i/a,301,")
		put("into-loop 2", "/into/#i,/into/#i/more,301,", "/into/#i/more,/loop/#i/b,301,")
		put("chain 2", "/chain/#i/0,/chain/#i/1,301,", "/chain/#i/1,/chain/#i/2,301,", "/chain/#i/2,p#p@en,301,")
		put("duplicate", "/chain/#i/0,https://skerrywick.example/chain/#i/1,301,") // within the chain; it may come first
		put("chain, wrong-status", "/mixed/#i,/mixed/#i/on,301,", "/mixed/#i/on,p#p@en,302,")
		put("self", "/self/#i,/self/#i,301,")
		put("self", "/self/#i/www,http://www.skerrywick.example/self/#i/www,301,")
		put("redundant", "/pages/p#p/?again=#i,/pages/p#p?again=#i,301,")
		put("hidden-chain", "/hidden/#i,http://www.skerrywick.example/Pages/p#p.html,301,")
		put("conflict", "/conflict/#i,p#p@en,301,", "/conflict/#i,p#q@en,301,", "/conflict/#i,p#p@en,302,")
		put("conflict, into-loop", "/split/#i,/loop/#i/a,301,", "/split/#i,p#p@en,301,") // leading into a loop
		put("shadowed", "/wide/#i/{x},/pages/p#p,301,", "/wide/#i/{n},/pages/p#q,301,n=digits")
		put("dead-target", "/dead/#i,/nowhere/#i,301,")
		put("dead-target", "/dead/#i/gone,gone#i@en,301,")
		put("home-target", "/lump/#i,/,301,")
		put("cross-language", "/de/fremd/#i,/pages/p#p,301,")
		put("wrong-status", "/former.php?id=#i,p#i@en,302,")
		put("wrong-status", "/pages/away#i,p#p@en,301,")
		put("wrong-status", "/both/#i,p#p@en,410,")
		put("wrong-status", "/neither/#i,,301,")
		put("live-source", "/pages/p#i,p#q@en,302,")
		put("unreachable-source", "/fragment/#i#x,p#p@en,301,")
		put("unreachable-source", "https://elsewhere.example/#i,p#p@en,301,")
		put("unreachable-source", "/slash/%2F#i,p#p@en,301,")
		put("unsafe-target", "/unsafe/#i,//evil.example/#i,301,")
		put("unsafe-target", "/unsafe/#i/script,javascript:alert(#i),301,")
		put("foreign-target", "/foreign/#i,https://stranger.example/#i,301,")
		put("bad-row", "/bad/#i,p#p@en")
		put("bad-row", "/bad/#i/status,p#p@en,soon,")
		put("conflict", "/over/#i/{a}/x,/pages/p#p,301,", "/over/#i/y/{b},/pages/p#q,301,")
	}
}

// checked runs redirects check on a list and returns what it counts.
func checked(t *testing.T, dir string, list []byte) map[string]int {
	t.Helper()
	file := filepath.Join(dir, "list.csv")
	require.NoError(t, os.WriteFile(file, list, 0o644))
	var out, messages bytes.Buffer
	status := cli.Main(context.Background(), []string{"redirects", "check", "--project", dir, "--format", "json",
		"--fail-on", "never", file}, strings.NewReader(""), &out, &messages)
	require.Zero(t, status, messages.String())
	var result struct {
		Summary struct {
			Findings map[string]int `json:"findings"`
		} `json:"summary"`
	}
	require.NoError(t, json.Unmarshal(out.Bytes(), &result))
	return result.Summary.Findings
}

// The known numbers of every trouble are found in a long list, and nothing in a
// clean one.
func TestEveryTroubleIsCounted(t *testing.T) {
	n, k := 100_000, 60
	if testing.Short() {
		n, k = 3000, 20
	}
	dir := t.TempDir()
	newProject(t, dir)
	for seed := range uint64(2) {
		d := &troubled{Rand: rand.New(rand.NewPCG(seed, 2026)), want: map[string]int{}}
		d.clean(n)
		assert.Equal(t, map[string]int{"unused-variables": 1}, checked(t, dir, d.text()), "a clean list")
		d.troubles(k)
		d.want["unused-variables"] = 1 + 4*k // of the shadowed ones, and those in conflict
		assert.Equal(t, d.want, checked(t, dir, d.text()))
	}
}
