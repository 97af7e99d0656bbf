package gather_test

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/book"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/project"
	"young-compass/internal/visits"
)

// hostileText is what sources may hold anywhere.
func hostileText(random *rand.Rand) string {
	pieces := []string{"\x00", "\x01", "\x1b]0;x\x07", "\x7f", "\u0085", "\u202e", "\u2028", "\ufeff", "\xff", "\xc3(", "\r", "\n",
		"\r\n", "\t", " ", "\u00a0", "\"", "\"\"", ",", ";", "@", "/", ":", "?", "#", "=1+1", "+1", "-", "'", "a", "b", "ports",
		"é", "https://skerrywick.example/x", "%00", "%", "live", "de", "en", "key", strings.Repeat("x", 300)}
	var b strings.Builder
	for range random.IntN(4) {
		b.WriteString(pieces[random.IntN(len(pieces))])
	}
	return b.String()
}

// Whatever sources hold, what gather makes of them can be read again, without a finding, and is then written byte for
// byte as it was.
func TestWhatIsGatheredCanBeRead(t *testing.T) {
	dir := t.TempDir()
	demotest.Write(t, dir+"/"+project.PlanFile, []byte(config))
	p := demotest.Load(t, dir)
	random := rand.New(rand.NewPCG(18, 2026))
	pages, rounds := 0, 800
	if testing.Short() {
		rounds = 100
	}
	for round := range rounds {
		g := gather.Gatherer{Settings: p.Settings, Today: "2026-11-23", Pages: &inventory.Inventory{File: project.PagesFile},
			Book: &book.Book{File: project.AddressesFile}}
		var table bytes.Buffer
		w := csv.NewWriter(&table)
		columns := []string{"key", "language", "title", "address", "state", hostileText(random), hostileText(random) + "x"}
		_ = w.Write(columns)
		for range []int{0, 1, 2, 30, 31, 64}[random.IntN(6)] {
			row := make([]string, len(columns))
			for i := range row {
				if random.IntN(3) > 0 {
					row[i] = hostileText(random)
				}
			}
			if random.IntN(2) == 0 {
				row[3] = fmt.Sprintf("/p%d%s", random.IntN(40), hostileText(random))
			}
			_ = w.Write(row)
		}
		w.Flush()
		var log strings.Builder
		for range random.IntN(20) {
			fmt.Fprintf(&log, "192.0.2.7 - - [12/Oct/2026:13:00:00 +0000] \"GET /%s HTTP/1.1\" %d 512 \"%s\" \"Mozilla/5.0\"\n",
				hostileText(random), []int{200, 404}[random.IntN(2)], hostileText(random))
		}
		for name, text := range map[string]string{"t.csv": table.String(), "access.log": log.String()} {
			_, err := g.Read(name, "", strings.NewReader(text))
			var input *finding.Input
			require.True(t, err == nil || errors.As(err, &input), "%v", err)
		}
		g.Merge()
		pages += len(g.Pages.Pages)
		for name, again := range map[string]struct {
			data []byte
			read func(data []byte) ([]byte, []finding.Finding, error)
		}{
			project.PagesFile: {g.Pages.Encode(), func(data []byte) ([]byte, []finding.Finding, error) {
				read, found, err := inventory.Read("f", bytes.NewReader(data), "en")
				if err != nil {
					return nil, nil, err
				}
				return read.Encode(), found, nil
			}},
			project.AddressesFile: {g.Book.Encode(), func(data []byte) ([]byte, []finding.Finding, error) {
				read, found, err := book.Read("f", bytes.NewReader(data))
				if err != nil {
					return nil, nil, err
				}
				return read.Encode(), found, nil
			}},
			project.GatheredFile: {g.Memory.Encode(), func(data []byte) ([]byte, []finding.Finding, error) {
				read, found, err := gather.ReadMemory("f", bytes.NewReader(data))
				if err != nil {
					return nil, nil, err
				}
				return read.Encode(), found, nil
			}},
			project.VisitsFile: {visits.Encode(g.Visits), func(data []byte) ([]byte, []finding.Finding, error) {
				read, found, err := visits.Read("f", bytes.NewReader(data))
				if err != nil {
					return nil, nil, err
				}
				return visits.Encode(read), found, nil
			}},
		} {
			data, found, err := again.read(again.data)
			if !assert.NoError(t, err) || !assert.Empty(t, found) || !assert.Equal(t, string(again.data), string(data)) {
				t.Fatalf("round %d, %s of %q", round, name, table.String())
			}
		}
	}
	require.Greater(t, pages, rounds)
}
