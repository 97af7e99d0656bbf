package pair

import (
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
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
		out[i] = Page{Address: a, Language: p.Language, Kind: p.Kind, Title: p.Title, Heading: p.Heading, Text: p.Text,
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
}

// TestFit fits the weights by the likelihood of what is right: a softmax over the
// candidates and none.
func TestFit(t *testing.T) {
	if !*fitWeights {
		t.Skip("say -fit to fit the weights anew")
	}
	var first, final []lesson
	type run struct {
		s     *sides
		all   [][]scored
		truth []int
	}
	var runs []run
	teach := func(list []scored, truth int) lesson {
		l := lesson{right: -1}
		for k, c := range list {
			l.evidence = append(l.evidence, c.evidence)
			if int(c.page) == truth {
				l.right = k
			}
		}
		return l
	}
	for _, seed := range slices.Concat(fitted(), fitted()) {
		site := makeSite(5000, seed)
		if len(runs) >= len(fitted())*len(modes()) {
			site = makeSiteWith(3000, seed, 85) // not all sites write their addresses anew
		}
		for _, m := range modes() {
			s := newSides(pages(t, site.before, m), pages(t, site.after, m))
			r := run{s, make([][]scored, len(site.before)), site.truth}
			each(len(site.before), func(i int, t *tally) { r.all[i] = s.candidates(i, t) }, s.tally, nil)
			for i := range r.all {
				first = append(first, teach(r.all[i], site.truth[i]))
			}
			runs = append(runs, r)
		}
	}
	w := fit(first)
	fmt.Println("// firstWeights")
	printWeights(w)
	for _, r := range runs {
		for i := range r.all {
			r.s.rate(r.all[i], &w)
		}
		r.s.learn(r.all)
		r.s.compete(r.all)
		for i := range r.all {
			r.s.refine(i, r.all[i])
			final = append(final, teach(r.all[i], r.truth[i]))
		}
	}
	fmt.Println("// finalWeights")
	printWeights(fit(final))
}

func printWeights(w weights) {
	for k, name := range strings.Fields("always titled titleAlike titleWithin titleVeryAlike titleEqual " +
		"signsDiffer headingAlike slugAlike slugEqual crossAlike allAlike rarity onlyOld onlyNew texted textAlike " +
		"textVeryAlike yearEqual yearDiffers yearAlone numberDiffers idEqual idSure idDiffers dateEqual " +
		"dateDiffers foreignLanguage placed folderLost folderNew slugKept ahead beaten") {
		if k == foreignLanguage {
			w[k] = -2 // made-up sites have one language; by hand
		}
		fmt.Printf("\t\t%s: %.3f,\n", name, w[k])
	}
}

// sign says whether evidence can only speak for a candidate (1) or against it
// (-1), whatever else made-up sites may suggest.
func sign(kind int) int {
	switch kind {
	case always, titled, texted:
		return 0
	case onlyOld, onlyNew, signsDiffer, yearDiffers, yearAlone, numberDiffers, idDiffers, dateDiffers, foreignLanguage,
		folderLost, folderNew, beaten:
		return -1
	}
	return 1
}

// fit climbs to the weights under which what is right is likeliest.
func fit(lessons []lesson) weights {
	random := rand.New(rand.NewPCG(1, 2026))
	var w, squares weights
	for epoch := range 12 {
		loss := 0.0
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
				for j, x := range e {
					slope[j] += push * x
				}
			}
			loss -= math.Log(right)
			for j := range w {
				slope[j] -= 1e-5 * w[j]
				squares[j] += slope[j] * slope[j]
				if squares[j] > 0 {
					w[j] += 0.3 * slope[j] / math.Sqrt(squares[j])
				}
				switch sign(j) {
				case 1:
					w[j] = max(w[j], 0)
				case -1:
					w[j] = min(w[j], 0)
				}
			}
		}
		fmt.Printf("// epoch %d: %.4f\n", epoch, loss/float64(len(lessons)))
	}
	return w
}
