package pair

import (
	"encoding/gob"
	"flag"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
)

var (
	documentsDir  = flag.String("documents", "", "pair the documentation sets of this folder; see testdata/documents.sh")
	documentFlaws = flag.Int("mistakes", 0, "show so many of the worst mistakes of each set")
	documentSets  = flag.String("sets", "", "of these sets alone, with commas")
)

// document is a page of a documentation set.
type document struct {
	Path, Language, Title, Heading, Text string
}

func (d document) page() madePage {
	return madePage{URL: d.Path, Language: d.Language, Title: d.Title, Heading: d.Heading, Text: d.Text}
}

// documents reads one version of a set. Pages with the same title and text are one. What was read is kept beside it.
func documents(t *testing.T, dir string) []document {
	t.Helper()
	var list []document
	if f, err := os.Open(dir + ".gob"); err == nil {
		defer func() { _ = f.Close() }()
		require.NoError(t, gob.NewDecoder(f).Decode(&list))
		return list
	}
	base, err := address.Parse("https://documents.example/")
	require.NoError(t, err)
	all, _, err := ReadFolder(dir, os.DirFS(dir), base)
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, p := range all {
		if text := p.Title + "\n" + p.Text; !seen[text] && len(p.Text) > 200 {
			seen[text] = true
			list = append(list, document{within(p.Address.Path), p.Language, p.Title, p.Heading, p.Text})
		}
	}
	f, err := os.Create(dir + ".gob")
	require.NoError(t, err)
	require.NoError(t, gob.NewEncoder(f).Encode(list))
	require.NoError(t, f.Close())
	return list
}

// within returns a path without the folders of the package that it lies in.
//
//	/usr/share/doc/python3.9-doc/html/library/os.html -> /library/os.html
func within(path string) string {
	for _, root := range []string{"/html/", "/manual/", "/help/", "-doc/", "/erlang/"} {
		if _, rest, ok := strings.Cut(path, root); ok {
			return "/" + rest
		}
	}
	return path
}

// shingles returns hashes of all runs of three words.
func shingles(text string) map[uint32]bool {
	set := map[uint32]bool{}
	words := strings.Fields(text)
	for i := 0; i+3 <= len(words); i++ {
		h := fnv.New32a()
		_, _ = h.Write([]byte(strings.Join(words[i:i+3], " ")))
		set[h.Sum32()] = true
	}
	return set
}

// betweenNames stands between what a page is called and the name of its set.
var betweenNames = regexp.MustCompile(` (--|—|–|-|\|) |: `)

// names returns what a document is called: its heading, and the parts of its title.
//
//	Erlang -- Mnesia Release Notes: erlang, mnesia release notes
func (d document) names() []string {
	var names []string
	for _, name := range append(betweenNames.Split(d.Title, -1), d.Heading) {
		name = strings.TrimSpace(notWord.ReplaceAllString(strings.ToLower(name), " "))
		if name != "" && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// sameDocuments says for each document of before which one of after it is: at the same path with a text not unlike, or
// with nearly its text; -1: none is like it; -2: nobody can say, such as where one with its title, or at its path,
// has another text, or where its text went into a longer one.
func sameDocuments(before, after []document) []int {
	lasts, called := map[string]int{}, map[string]int{}
	byPath, postings, sizes := map[string]int{}, map[uint32][]int32{}, make([]int, len(after))
	for j, d := range after {
		byPath[d.Path] = j
		lasts[strings.ToLower(lastOf(d.Path))]++
		for _, name := range d.names() {
			called[name]++
		}
		all := shingles(d.Text)
		sizes[j] = len(all)
		for s := range all {
			postings[s] = append(postings[s], int32(j))
		}
	}
	same := make([]int, len(before))
	for i, d := range before {
		own := shingles(d.Text)
		shared := map[int32]int{}
		for s := range own {
			if list := postings[s]; len(list) <= 50 {
				for _, j := range list {
					shared[j]++
				}
			}
		}
		best, second, within, at := 0.0, 0.0, 0.0, -1
		for j, n := range shared {
			within = max(within, float64(n)/float64(len(own)))
			like := float64(n) / float64(len(own)+sizes[j]-n)
			if like > best || like == best && int(j) < at {
				best, second, at = like, best, int(j)
			} else {
				second = max(second, like)
			}
		}
		j, kept := byPath[d.Path]
		likeKept := 0.0
		if kept {
			likeKept = float64(shared[int32(j)]) / float64(len(own)+sizes[j]-shared[int32(j)])
		}
		named := slices.ContainsFunc(d.names(), func(name string) bool { return called[name] > 0 && called[name] <= 3 })
		switch {
		case kept && (likeKept >= 0.2 || d.Title == after[j].Title) && likeKept >= best-0.2:
			same[i] = j
		case best > 0.6 && best > second+0.1 && !(kept && named && j != at):
			same[i] = at
		case best < 0.12 && within < 0.3 && !kept && lasts[strings.ToLower(lastOf(d.Path))] == 0 && !named:
			same[i] = -1
		default:
			same[i] = -2
		}
	}
	return same
}

// drift is how the addresses of a set change.
type addressDrift string

const (
	asIs    addressDrift = "as they are"          // the pages that aren't at their old path any more
	renamed addressDrift = "renamed"              // other folders, the title as last segment
	opaque  addressDrift = "numbers as they were" // /index.php?sec=14&page=523 before
)

// documentSite makes a site before and after of a set. Where addresses are written anew, one new page in seven is left
// out, so that its old page is gone.
func documentSite(before, after []document, same []int, drift addressDrift) made {
	random := rand.New(rand.NewPCG(7, 2026))
	var site made
	where, left := make([]int, len(after)), map[string]int{}
	for j, d := range after {
		if where[j] = -1; drift != asIs && random.IntN(7) == 0 {
			continue
		}
		where[j] = len(site.after)
		left[d.Title]++
		site.after = append(site.after, d.page())
	}
	for i, d := range before {
		truth := same[i]
		if truth == -2 || drift == asIs && truth >= 0 && after[truth].Path == d.Path {
			continue
		}
		if truth >= 0 {
			title := after[truth].Title
			if truth = where[truth]; truth < 0 && left[title] > 0 { // a person would take the other one
				continue
			}
		}
		site.before = append(site.before, d.page())
		site.truth = append(site.truth, truth)
	}
	if most := 2000; drift != asIs && len(site.before) > most {
		keep := random.Perm(len(site.before))[:most]
		slices.Sort(keep)
		var few made
		for _, i := range keep {
			few.before, few.truth = append(few.before, site.before[i]), append(few.truth, site.truth[i])
		}
		site.before, site.truth = few.before, few.truth
	}
	switch drift {
	case renamed:
		m := &maker{Rand: random, words: makeWords(random, 3000)}
		folders := map[string]string{}
		for j := range site.after {
			p := &site.after[j]
			folder := p.URL[:strings.LastIndexByte(p.URL, '/')]
			if folders[folder] == "" {
				folders[folder] = "/" + m.word()
			}
			p.URL = folders[folder] + "/" + slugOfTitle(p.Title)
		}
		unique(site.after)
	case opaque:
		sections := map[string]int{}
		for i := range site.before {
			p := &site.before[i]
			folder := p.URL[:strings.LastIndexByte(p.URL, '/')]
			if sections[folder] == 0 {
				sections[folder] = len(sections) + 3
			}
			p.URL = fmt.Sprintf("/index.php?sec=%d&page=%d", sections[folder], 100+i*3+random.IntN(3))
		}
	}
	for _, side := range [][]madePage{site.before, site.after} {
		for i := range side {
			side[i].URL = "https://documents.example" + (&url.URL{Path: side[i].URL}).EscapedPath()
			if drift == opaque {
				side[i].URL = strings.Replace(strings.Replace(side[i].URL, "%3F", "?", 1), "%26", "&", 1)
			}
		}
	}
	return site
}

var notWord = regexp.MustCompile(`[^\p{L}\p{N}]+`)

func slugOfTitle(title string) string {
	title, _, _ = strings.Cut(title, " — ")
	title, _, _ = strings.Cut(title, " - ")
	words := strings.Fields(notWord.ReplaceAllString(strings.ToLower(title), " "))
	return strings.Join(words[:min(len(words), 7)], "-")
}

// TestDocuments pairs real documentation sets in two versions, as far as they were fetched.
func TestDocuments(t *testing.T) {
	if *documentsDir == "" {
		t.Skip("say -documents DIR; internal/pair/testdata/documents.sh DIR fetches them")
	}
	folders, err := filepath.Glob(filepath.Join(*documentsDir, "*", "before"))
	require.NoError(t, err)
	tenths := map[mode]*[10]tenth{withText: {}, withTitles: {}, withAddresses: {}}
	for _, folder := range folders {
		name := filepath.Base(filepath.Dir(folder))
		if *documentSets != "" && !slices.Contains(strings.Split(*documentSets, ","), name) {
			continue
		}
		before, after := documents(t, folder), documents(t, filepath.Join(filepath.Dir(folder), "after"))
		same := sameDocuments(before, after)
		for _, drift := range []addressDrift{asIs, renamed, opaque} {
			site := documentSite(before, after, same, drift)
			if len(site.before) < 20 {
				continue
			}
			gone := 0
			for _, n := range site.truth {
				if n < 0 {
					gone++
				}
			}
			for _, m := range modes() {
				if drift == opaque && m == withAddresses {
					continue // numbers alone say nothing
				}
				list := own(t, site, m)
				q := judge(list, site.truth)
				label := fmt.Sprintf("%-12s %-4.4s %-5.5s %4d old %4d new %4d gone", name, drift, m, len(site.before),
					len(site.after), gone)
				line := fmt.Sprintf("pair %.3f %.3f %.2f %.2f", q.f1, q.gone, q.goneTold, q.spared)
				worse := ""
				others := baselines(site, m)
				for _, other := range []string{"equal slugs", "closest last segment", "rare words"} {
					b := judge(others[other], site.truth)
					line += fmt.Sprintf(" | %.3f %.3f %.2f", b.f1, b.gone, b.goneTold)
					if b.f1 > q.f1 {
						worse += " F1<" + other[:5]
					}
					if b.gone > q.gone {
						worse += " TOLD<" + other[:5]
					}
					if b.goneTold > q.spared && b.f1 > 0.3 { // to say "gone" of everything is no answer
						worse += " GONE<" + other[:5]
					}
				}
				showMistakes(t, site, m)
				for k, c := range calibration(list, site.truth) {
					tenths[m][k].said += c.said
					tenths[m][k].right += c.right
					tenths[m][k].sum += c.sum
				}
				sureRight, sureAll, goneRight, goneAll := 0, 0, 0, 0
				for i, s := range list {
					if s.confidence < 0.9 {
						continue
					}
					if s.page >= 0 {
						sureAll++
						sureRight += int(is(s.page == site.truth[i]))
					} else {
						goneAll++
						goneRight += int(is(site.truth[i] < 0))
					}
				}
				t.Logf("%s: %s | sure %d %.3f, gone %d %.3f, paired gone %.3f%s", label, line, sureAll,
					float64(sureRight)/float64(max(1, sureAll)), goneAll, float64(goneRight)/float64(max(1, goneAll)),
					goneButPaired(list, site.truth, 0.8), worse)
			}
		}
	}
	for _, m := range modes() {
		list := tenths[m]
		if sure := list[9]; sure.said >= 200 {
			assert.GreaterOrEqual(t, float64(sure.right)/float64(sure.said), 0.95, "%s: pairs said at 0.9 and more", m)
		}
		for k, c := range list {
			if c.said > 0 {
				t.Logf("tenths of pairs, %s: 0.%d: %s", m, k, c)
			}
		}
	}
}

// showMistakes shows what was said most surely and is wrong.
func showMistakes(t *testing.T, site made, m mode) {
	t.Helper()
	if *documentFlaws == 0 {
		return
	}
	before, after := pages(t, site.before, m), pages(t, site.after, m)
	matches := Pair(before, after, nil)
	type flaw struct {
		i    int
		sure float64
	}
	var flaws []flaw
	for i := range matches {
		if best := matches[i].Best(); best != nil && best.New != site.truth[i] {
			flaws = append(flaws, flaw{i, best.Confidence})
		} else if best == nil && site.truth[i] >= 0 {
			flaws = append(flaws, flaw{i, matches[i].Gone})
		}
	}
	slices.SortStableFunc(flaws, func(a, b flaw) int { return int(1e6 * (b.sure - a.sure)) })
	step := max(1, len(flaws) / *documentFlaws)
	var olds []int
	for k := 0; k < len(flaws); k += step {
		olds = append(olds, flaws[k].i)
	}
	explain(t, before, after, olds, site.truth)
	for k := 0; k < len(flaws); k += step {
		match := matches[flaws[k].i]
		old := before[match.Old]
		t.Logf("OLD %s %q", old.Written, old.Title)
		if truth := site.truth[match.Old]; truth < 0 {
			t.Logf("   truth: gone; gone is said at %.3f", match.Gone)
		} else {
			t.Logf("   truth: %s %q; gone is said at %.3f", after[truth].Address.Local(), after[truth].Title, match.Gone)
		}
		for _, c := range match.Candidates[:min(3, len(match.Candidates))] {
			t.Logf("   said: %.3f %s %q %v", c.Confidence, after[c.New].Address.Local(), after[c.New].Title, c.Reasons)
		}
	}
}
