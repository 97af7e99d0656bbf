package plan_test

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"young-compass/internal/plan"
	"young-compass/internal/project"
)

// largePlan has exact redirects and patterns, and no pages.
func largePlan(b testing.TB, exact, patterns int) *plan.Plan {
	b.Helper()
	dir := b.TempDir()
	var config, rows strings.Builder
	config.WriteString("site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example]}\nparameters: " +
		"{tracking: ['utm_*'], noise: [sid]}\nrules:\n")
	for i := range patterns {
		fmt.Fprintf(&config, "  - {from: '/archive-%d/{year}/{slug}.htm', to: '/stories-%d/{year}/{slug}', class: "+
			"{year: '[0-9]{4}', slug: slug}}\n", i, i)
	}
	rows.WriteString("from,to,status\n")
	for i := range exact {
		fmt.Fprintf(&rows, "/old/section-%d/page-%06d,/new/area-%d/article-%06d,301\n", i%97, i, i%31, i)
	}
	for name, text := range map[string]string{project.PlanFile: config.String(), project.RedirectsFile: rows.String()} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			b.Fatal(err)
		}
	}
	p, _, err := project.Load(dir)
	if err != nil {
		b.Fatal(err)
	}
	return p
}

// largeRequests asks for listed addresses, in other spellings too, for what
// patterns read, and for what nobody listed.
func largeRequests(exact, patterns int) []string {
	random := rand.New(rand.NewPCG(3, 2026))
	var list []string
	for range min(20_000, exact/4) {
		i := random.IntN(exact)
		switch random.IntN(10) {
		case 0, 1, 2, 3:
			list = append(list, fmt.Sprintf("https://skerrywick.example/old/section-%d/page-%06d", i%97, i))
		case 4:
			list = append(list, fmt.Sprintf("http://www.skerrywick.example/Old/section-%d/page-%06d/?utm_source=letter",
				i%97, i))
		case 5, 6:
			list = append(list, fmt.Sprintf("https://skerrywick.example/archive-%d/%d/some-story-%d.htm",
				random.IntN(patterns), 1990+i%35, i))
		default:
			list = append(list, fmt.Sprintf("https://skerrywick.example/about/section-%d/nothing-%d", i%97, i))
		}
	}
	return list
}

// What an answerer remembers, and its short ways, answer as the long way does.
func TestAnswererAgreesWithTheLongWay(t *testing.T) {
	p := largePlan(t, 2_000, 50)
	remembers, long := p.Answerer(), p.LongAnswerer()
	for range 2 {
		for _, s := range largeRequests(2_100, 55) {
			for _, method := range []string{"GET", "POST"} {
				for _, url := range []string{s, strings.Replace(s, "https://", "http://", 1), s + "?sid=1", s +
					".html"} {
					r, err := plan.NewRequest(method, url)
					require.NoError(t, err)
					want, err := long.Answer(r)
					require.NoError(t, err)
					got, err := remembers.Answer(r)
					require.NoError(t, err)
					require.Equal(t, want, got, url)
				}
			}
		}
	}
}

// BenchmarkAnswerMany compares an answer with parsing and writing the same URLs by
// net/url. Both take turns with a thousand URLs at a time, so that whatever else
// the machine does falls on both; the ratio is the median of all turns.
func BenchmarkAnswerMany(b *testing.B) {
	for _, patterns := range []int{100, 1_000, 10_000} {
		b.Run(fmt.Sprint(patterns, " patterns"), func(b *testing.B) {
			p := largePlan(b, 100_000, patterns)
			list := largeRequests(100_000, patterns)
			answerer := p.Answerer()
			answer := func(s string) {
				r, err := plan.NewRequest("GET", s)
				if err == nil {
					_, err = answerer.Answer(r)
				}
				if err != nil {
					b.Fatal(err)
				}
			}
			parse := func(s string) {
				u, err := url.Parse(s)
				if err != nil {
					b.Fatal(err)
				}
				_ = u.String()
			}
			for _, s := range list { // what is worked out once
				answer(s)
			}
			took := func(do func(string), some []string) float64 {
				start := time.Now()
				for _, s := range some {
					do(s)
				}
				return float64(time.Since(start).Nanoseconds()) / float64(len(some))
			}
			var answers, parses, ratios []float64
			turns := slices.Collect(slices.Chunk(list, 1_000))
			for i := 0; b.Loop(); i++ {
				// Never the same URLs at once, which the second would find in the cache.
				ours, theirs := took(answer, turns[i%len(turns)]), took(parse, turns[(i+len(turns)/2)%len(turns)])
				answers, parses, ratios = append(answers, ours), append(parses, theirs), append(ratios, ours/theirs)
			}
			median := func(values []float64) float64 {
				slices.Sort(values)
				return values[len(values)/2]
			}
			b.ReportMetric(median(answers), "ns/answer")
			b.ReportMetric(median(parses), "ns/net-url")
			b.ReportMetric(median(ratios), "times")
			b.ReportMetric(0, "ns/op")
		})
	}
}
