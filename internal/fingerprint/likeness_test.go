package fingerprint_test

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/fingerprint"
)

// words makes n words of random letters.
func words(random *rand.Rand, n int) []string {
	list := make([]string, n)
	for i := range list {
		list[i] = fmt.Sprintf("w%d", random.IntN(20_000))
	}
	return list
}

// paragraphs writes words in paragraphs of about forty.
func paragraphs(b *fingerprint.Builder, list []string) {
	for i := 0; i < len(list); i += 40 {
		b.Add([]byte(strings.Join(list[i:min(i+40, len(list))], " ")))
		b.Break()
	}
}

// page makes a page of which seven tenths are on every page.
func page(frame, text []string) fingerprint.Sketch {
	var b fingerprint.Builder
	paragraphs(&b, frame[:len(frame)/2])
	paragraphs(&b, text)
	paragraphs(&b, frame[len(frame)/2:])
	return b.Sketch()
}

// altered replaces a share of the words, in stretches as an editor does.
func altered(random *rand.Rand, text []string, share float64) []string {
	out := append([]string(nil), text...)
	for left := int(share * float64(len(text))); left > 0; {
		at, n := random.IntN(len(out)), min(left, 4+random.IntN(8))
		copy(out[at:], words(random, min(n, len(out)-at)))
		left -= n
	}
	return out
}

// Two thousand pages of which seven tenths are frame: pairs at five levels of
// likeness, and pages that are like no other.
func TestPairsAmongMuchFrame(t *testing.T) {
	random := rand.New(rand.NewPCG(6, 2026))
	frame := words(random, 700)
	type planted struct{ a, b, level int }
	levels := []float64{0, 0.03, 0.08, 0.35, 0.6} // share of the words that differ
	var sketches []fingerprint.Sketch
	var plants []planted
	for i := range 500 {
		text := words(random, 300)
		level := i % len(levels)
		sketches = append(sketches, page(frame, text), page(frame, altered(random, text, levels[level])))
		plants = append(plants, planted{2 * i, 2*i + 1, level})
	}
	for range 1_000 {
		sketches = append(sketches, page(frame, words(random, 300)))
	}
	repeated := fingerprint.Repeated(sketches)
	texts := make([]fingerprint.Text, len(sketches))
	for i, s := range sketches {
		texts[i] = s.Main(repeated)
	}
	found := map[[2]int]bool{}
	for _, p := range fingerprint.Pairs(texts) {
		found[[2]int{p.A, p.B}] = true
	}
	hit, asked := make([]int, len(levels)), make([]int, len(levels))
	for _, p := range plants {
		asked[p.level]++
		if found[[2]int{p.a, p.b}] {
			hit[p.level]++
			delete(found, [2]int{p.a, p.b})
		}
	}
	for i, level := range levels {
		t.Logf("%3.0f %% of the words differ: %d of %d pairs found", 100*level, hit[i], asked[i])
	}
	right := hit[0] + hit[1] + hit[2]
	t.Logf("of pairs that differ by at most 8 %%: recall %.3f, precision %.3f", float64(right)/300,
		float64(right)/float64(right+hit[3]+hit[4]+len(found)))
	assert.Equal(t, []int{100, 100}, hit[:2])
	assert.Greater(t, hit[2], 80)
	assert.Zero(t, hit[3]+hit[4]+len(found))
}

func text(paragraphs ...string) fingerprint.Text {
	var b fingerprint.Builder
	for _, p := range paragraphs {
		b.Add([]byte(p))
		b.Break()
	}
	return b.Sketch().Main(nil)
}

func TestText(t *testing.T) {
	one, two := "The ferry leaves the old quay at seven in the morning",
		"Tickets are sold on board, and at the harbour office"
	assert.Equal(t, text(one, two), text(strings.ToUpper(one), strings.ReplaceAll(two, " ", "\n ")))
	assert.NotEqual(t, text(one, two).Exact, text(two, one).Exact)
	assert.Equal(t, text(one, two).Bag, text(two, one).Bag)
	assert.NotEqual(t, text(one, two).Bag, text(one).Bag)
	assert.InDelta(t, 1, fingerprint.Likeness(text(one, two), text(two, one)), 0)
	assert.InDelta(t, 0, fingerprint.Likeness(text(one), text(two)), 0)
	assert.True(t, text("Two words").Little())
	assert.Equal(t, text("Grüße aus Øst und Hildafjord").Exact, text("GRÜßE AUS ØST UND HILDAFJORD").Exact)
}

// What is between two marks is a text of its own.
func TestKeep(t *testing.T) {
	var b fingerprint.Builder
	b.Add([]byte("a menu of many words that lead away"))
	from := b.Mark()
	b.Add([]byte("the one and only text of this page, which counts"))
	to := b.Mark()
	b.Add([]byte("and a foot below it with an address"))
	b.Keep(func(n int) bool { return n >= from && n < to })
	assert.Equal(t, text("the one and only text of this page, which counts"), b.Sketch().Main(nil))
}

func TestGroups(t *testing.T) {
	assert.Equal(t, [][]int{{0, 2, 4}, {1, 5}},
		fingerprint.Groups(6, []fingerprint.Pair{{A: 2, B: 4}, {A: 1, B: 5}, {A: 0, B: 4}}))
}

// BenchmarkPairs compares sketching and grouping with bare 64-bit signatures of
// the same texts (one bit of each counts how many words have it set).
func BenchmarkPairs(b *testing.B) {
	random := rand.New(rand.NewPCG(7, 2026))
	const n = 100_000
	texts := make([][]byte, n)
	for i := range texts {
		texts[i] = []byte(strings.Join(words(random, 500), " "))
	}
	b.Run("sketches", func(b *testing.B) {
		for b.Loop() {
			var builder fingerprint.Builder
			list := make([]fingerprint.Text, n)
			for i, t := range texts {
				builder.Add(t)
				list[i] = builder.Sketch().Main(nil)
			}
			fingerprint.Pairs(list)
		}
	})
	b.Run("signatures", func(b *testing.B) {
		for b.Loop() {
			for _, t := range texts {
				var counts [64]int
				for word := range strings.FieldsSeq(string(t)) {
					h := fnv.New64a()
					_, _ = h.Write([]byte(word))
					for bit, sum := 0, h.Sum64(); bit < 64; bit++ {
						counts[bit] += int(sum>>bit&1)*2 - 1
					}
				}
			}
		}
	})
}
