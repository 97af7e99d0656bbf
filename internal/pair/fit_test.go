package pair

import (
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
)

// fitWeights makes TestFit fit the weights anew, and print them.
var fitWeights = flag.Bool("fit", false, "fit the weights of evidence to made-up sites, and print them")

// The seeds to which the weights were fitted, and those they never saw.
func fitted() []uint64 { return []uint64{1, 2, 3, 4, 5} }
func unseen() []uint64 { return []uint64{6, 7, 8, 9, 10} }

func modes() []mode { return []mode{withText, withTitles, withAddresses} }

// pages returns one side of a made-up site, as far as it is known.
func pages(t testing.TB, list []madePage, m mode) []Page {
	t.Helper()
	out := make([]Page, len(list))
	for i, p := range list {
		p = p.shown(m)
		a, err := address.Parse(p.URL)
		require.NoError(t, err)
		out[i] = Page{Address: a, Written: a.Local(), Language: p.Language, Kind: p.Kind, Title: p.Title,
			Heading: p.Heading, Text: p.Text,
			Date: p.Date}
		if p.ID != "" {
			out[i].IDs = []string{p.ID}
		}
	}
	return out
}

// lesson is the candidates of an old page and which of them is right; -1: none.
type lesson struct {
	evidence []evidence
	right    int
	counts   float64 // the pages of a large site count less each
}

// countsOf returns how much each page of a site counts: a site of four times as many pages counts twice as much.
func countsOf(pages int) float64 { return math.Sqrt(100 / float64(pages+5)) }

// schools returns the made-up sites to which the weights are fitted.
func schools() []made {
	var sites []made
	for _, seed := range fitted() {
		sites = append(sites, makeSite(2500, seed), makeSiteWith(1500, seed, 85)) // not all write their addresses anew
	}
	for seed := range uint64(480) {
		sites = append(sites, makeShelf([]int{40, 100, 300, 600}[seed/2%4], 100+seed))
	}
	for seed := range uint64(1200) {
		sites = append(sites, makeShelf(2+int(seed%25), 10000+seed)) // handfuls
	}
	for seed := range uint64(160) {
		sites = append(sites, makeEdited([]int{40, 100, 300, 600}[seed/2%4], 20000+seed))
	}
	for seed := range uint64(300) {
		sites = append(sites, makeEdited(2+int(seed%25), 30000+seed))
	}
	return sites
}

// TestFit fits the weights by the likelihood of what is right: a softmax over the
// candidates and none.
func TestFit(t *testing.T) {
	if !*fitWeights {
		t.Skip("say -fit to fit the weights anew")
	}
	type run struct {
		s     *sides
		all   [][]scored
		truth []int
	}
	var runs []run
	teach := func(list []scored, truth, pages int) lesson {
		l := lesson{right: -1, counts: countsOf(pages)}
		for k, c := range list {
			l.evidence = append(l.evidence, c.evidence)
			if int(c.page) == truth {
				l.right = k
			}
		}
		return l
	}
	for k, site := range schools() {
		for _, m := range []mode{withText, withTitles, withOneTitle, withAddresses} {
			if (m == withText || m == withOneTitle) && k%2 == 1 { // as few lists are
				continue
			}
			before, after := m, m
			if m == withOneTitle { // addresses from logs, and a new site whose titles are known
				before, after = withAddresses, withTitles
			}
			s := newSides(pages(t, site.before, before), pages(t, site.after, after))
			r := run{s, make([][]scored, len(site.before)), site.truth}
			each(len(site.before), func(i int, t *tally) { r.all[i] = s.candidates(i, t) }, s.tally, nil)
			runs = append(runs, r)
		}
	}
	var by [3]weights
	for round, name := range []string{"first", "second", "final"} {
		var lessons []lesson
		for _, r := range runs {
			rounds := by
			r.s.rounds(r.all, rounds, func(n int) {
				if n == round {
					for i := range r.all {
						lessons = append(lessons, teach(r.all[i], r.truth[i], len(r.all)))
					}
				}
			})
		}
		by[round] = fit(lessons)
		fmt.Printf("// %sWeights\n", name)
		printWeights(&by[round])
	}
	var lessons []goneLesson
	for _, r := range runs {
		r.s.rounds(r.all, by, nil)
		for i := range r.all {
			l := goneLesson{none: r.s.goneOf(i, r.all[i]), gone: r.truth[i] < 0, counts: countsOf(len(r.all))}
			l.evidence, l.known = r.s.goneEvidence(i, r.all[i])
			lessons = append(lessons, l)
		}
	}
	w := fitGone(lessons)
	fmt.Println("// goneWeights")
	for k, name := range constantNames("gone.go", "goneKinds") {
		fmt.Printf("\t\t%s: {%.3f, %.3f, %.3f, %.3f},\n", name, w[k][0], w[k][1], w[k][2], w[k][3])
	}
}

// goneLesson is how likely none of an old page's candidates is the one, what speaks for its being gone, and whether it is.
type goneLesson struct {
	none     float64
	evidence goneEvidence
	known    known
	gone     bool
	counts   float64
}

// fitGone climbs to the weights under which what is gone is likeliest.
func fitGone(lessons []goneLesson) goneWeighed {
	random := rand.New(rand.NewPCG(1, 2026))
	var w, squares goneWeighed
	for epoch := range 12 {
		loss, all := 0.0, 0.0
		for _, n := range random.Perm(len(lessons)) {
			l := &lessons[n]
			odds := w.odds(&l.evidence, l.known)
			p := max(1e-9, min(1-1e-9, l.none*odds))
			slope := 1 - odds
			said := p
			if !l.gone {
				said, slope = 1-p, -slope*p/(1-p)
			}
			loss, all = loss-l.counts*math.Log(said), all+l.counts
			for k, x := range l.evidence {
				step(&w[k][l.known], &squares[k][l.known], l.counts*slope*x, 0)
			}
		}
		fmt.Printf("// epoch %d: %.4f\n", epoch, loss/all)
	}
	return w
}

func printWeights(w *weights) {
	// By hand: what made-up sites lack.
	w[foreignLanguage], w[foreignWords] = [knowns]float64{-4, -4, -4, -4}, [knowns]float64{-2.5, -2.5, -2.5, -2.5}
	w[homes], w[sameDepth] = [knowns]float64{6, 6, 6, 6}, [knowns]float64{0, 0, 0.8, 0.4}
	w[fewerLanguages] = [knowns]float64{0, -6, -6, -6}
	w[yearDiffers][texts] = min(w[yearDiffers][texts], w[yearDiffers][titles]) // no made-up page changes its year
	w[slugUnique][titles] = 2.5                                                // made-up names are oftener the same by chance
	for k, name := range constantNames("evidence.go", "kinds") {
		if w[k] != [knowns]float64{} {
			fmt.Printf("\t\t%s: {%.3f, %.3f, %.3f, %.3f},\n", name, w[k][0], w[k][1], w[k][2], w[k][3])
		}
	}
}

// constantNames returns the names of the constants of a file that start with const, up to the last, as the code has them.
func constantNames(file, last string) []string {
	data, err := os.ReadFile(file)
	if err != nil {
		panic(err)
	}
	before, _, _ := strings.Cut(string(data), "\t"+last)
	list := before[strings.LastIndex(before, "const (\n")+len("const (\n"):]
	var names []string
	for line := range strings.Lines(list) {
		names = append(names, strings.Fields(line)[0])
	}
	return names
}

// sign says whether evidence can only speak for a candidate (1) or against it
// (-1), whatever else made-up sites may suggest.
func sign(kind int) int {
	switch kind {
	case always, titled, texted, bare:
		return 0
	case titleShared, fewerNew, wouldStay, onlyOld, onlyNew, rarestLost, rarestNew, elsewhere, another, modelDiffers,
		signsDiffer, yearDiffers, yearAlone, numberDiffers, idDiffers, dateDiffers, foreignLanguage, foreignWords,
		unknown, placeStrays, folderLost, folderNew, beaten, taken, goneAround, goneHere, namesStay, textUnusual, few, fewerLanguages,
		leftOver, sibling, unclaimed:
		return -1
	}
	return 1
}

// fit climbs to the weights under which what is right is likeliest.
func fit(lessons []lesson) weights {
	random := rand.New(rand.NewPCG(1, 2026))
	var w, squares weights
	for epoch := range 12 {
		loss, all := 0.0, 0.0
		for _, n := range random.Perm(len(lessons)) {
			l := &lessons[n]
			scores := make([]float64, len(l.evidence))
			top := 0.0
			for k := range l.evidence {
				scores[k] = w.score(&l.evidence[k])
				top = max(top, scores[k])
			}
			sum := math.Exp(-top)
			for k := range scores {
				scores[k] = math.Exp(scores[k] - top)
				sum += scores[k]
			}
			var slope weights
			right := math.Exp(-top) / sum
			for k, e := range l.evidence {
				push := -scores[k] / sum
				if k == l.right {
					right = scores[k] / sum
					push++
				}
				push *= l.counts
				of := e.known()
				for j, x := range e {
					slope[j][of] += push * x
				}
			}
			loss, all = loss-l.counts*math.Log(right), all+l.counts
			for j := range w {
				for of := range w[j] {
					step(&w[j][of], &squares[j][of], slope[j][of], sign(j))
				}
			}
		}
		fmt.Printf("// epoch %d: %.4f\n", epoch, loss/all)
	}
	return w
}

// step takes a weight a little further up a slope, but not past 0 where it has a sign.
func step(w, squares *float64, slope float64, sign int) {
	slope -= 1e-5 * *w
	if slope == 0 {
		return
	}
	*squares += slope * slope
	*w += 0.3 * slope / math.Sqrt(*squares)
	if sign > 0 {
		*w = max(*w, 0)
	} else if sign < 0 {
		*w = min(*w, 0)
	}
}
