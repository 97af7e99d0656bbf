package redirect

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// BenchmarkMillion reads and checks a million rows, of which one in twenty is
// redirected again, and says how long sort -u took for the same file beside it.
func BenchmarkMillion(b *testing.B) {
	file := filepath.Join(b.TempDir(), "list.csv")
	require.NoError(b, os.WriteFile(file, million(1_000_000), 0o600))
	var own, sorting time.Duration
	for b.Loop() {
		start := time.Now()
		f, err := os.Open(file)
		require.NoError(b, err)
		list, found, err := Read(file, f, skerrywick())
		require.NoError(b, err)
		require.Empty(b, found)
		require.Len(b, Check(list, small(list)), 50_000)
		_ = f.Close()
		own += time.Since(start)
		start = time.Now()
		sort := exec.Command("sort", "-u", file)
		sort.Env = append(os.Environ(), "LC_ALL=C")
		var out bytes.Buffer
		sort.Stdout = &out
		require.NoError(b, sort.Run())
		sorting += time.Since(start)
	}
	b.ReportMetric(own.Seconds()/sorting.Seconds(), "of-sort")
}

// million writes a list of n rows in no order.
func million(n int) []byte {
	words := []string{"harbour", "ferry", "island", "winter", "summer", "timetable", "freight", "kvitsund",
		"hildafjord", "notice", "cabin", "route", "guide", "walk", "family", "school", "boat"}
	word := func(i int) string { return words[i%len(words)] }
	var text bytes.Buffer
	text.WriteString("from,to,status\n")
	old := func(i int) string { return fmt.Sprintf("/index/%s/%s-%07d.html", word(i), word(i/17), i) }
	for _, i := range rand.New(rand.NewPCG(7, 2026)).Perm(n) {
		to := fmt.Sprintf("https://skerrywick.example/%s/%s-and-%s-%07d", word(i/17), word(i), word(i/289), i)
		if i%20 == 0 {
			to = old(i + 1)
		}
		fmt.Fprintf(&text, "%s,%s,301\n", old(i), to)
	}
	return text.Bytes()
}
