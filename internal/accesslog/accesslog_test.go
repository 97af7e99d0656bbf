package accesslog

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
)

func TestRead(t *testing.T) {
	log, err := Read("access.log", strings.NewReader(`192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /routes?page=2 HTTP/1.1" 200 512
192.0.2.2 - anna b [23/Nov/2026:12:30:01 +0200] "GET /routes?page=2 HTTP/1.1" 200 - "https://search.example/?q=\"ferry\"" "Mozilla/5.0 (X11)"
192.0.2.3 - - [22/Nov/2026:10:00:00 +0000] "HEAD /routes?page=2 HTTP/1.1" 200 0 "-" "ExampleBot/1.0 (+http://bot.example/)" 0.004
192.0.2.3 - - [22/Nov/2026:10:00:00 +0000] "GET /lost HTTP/1.1" 404 0 "http://a.example/x" "Mozilla/5.0"
192.0.2.3 - - [22/Nov/2026:10:00:00 +0000] "GET /caf\xC3\xA9\"x HTTP/1.1" 404 0 "-" "Mozilla/5.0"
192.0.2.3 - - [22/Nov/2026:10:00:00 +0000] "\x16\x03\x01" 400 0 "-" "-"
192.0.2.3 - - [22/Nov/2026:10:00:00 +0000] "-" 408 0 "-" "-"
this is no line of a log
192.0.2.3 - - [99/Nov/2026:10:00:00 +0000] "GET / HTTP/1.1" 200 0
2001:db8::1 - - [22/Nov/2026:10:00:00 +0000] "GET http://www.skerrywick.example/ HTTP/1.1" 301 0 "-" "curl/8.0"`))
	require.NoError(t, err)
	assert.Equal(t, 10, log.Lines)
	assert.Equal(t, 2, log.Malformed)
	assert.Equal(t, 2, log.Empty)
	assert.Equal(t, []BadLine{{8, "this is no line of a log"},
		{9, `192.0.2.3 - - [99/Nov/2026:10:00:00 +0000] "GET / HTTP/1.1" `}}, log.Samples)
	assert.Len(t, log.Tallies, 4)
	assert.Equal(t, []Hits{{200, 2, 1, time.Date(2026, 11, 23, 10, 30, 1, 0, time.UTC).Unix()}},
		log.Tallies["/routes?page=2"].ByStatus)
	assert.Equal(t, map[string]int{"http://a.example/x": 1}, log.Tallies["/lost"].Referrers)
	assert.Nil(t, log.Tallies["/café\"x"].Referrers)
	assert.Equal(t, 1, log.Tallies["http://www.skerrywick.example/"].ByStatus[0].Robots)
}

func TestTimes(t *testing.T) {
	for seed := range uint64(200) {
		random := rand.New(rand.NewPCG(seed, 1))
		want := time.Unix(random.Int64N(4e9), 0).In(time.FixedZone("", 60*(random.IntN(1600)-800)))
		got, ok := (&counter{}).time([]byte(want.Format("02/Jan/2006:15:04:05 -0700")))
		assert.True(t, ok)
		assert.Equal(t, want.Unix(), got, want)
	}
}

// However the log is cut into blocks, the counts are those of reading it line
// by line.
func TestLargeLogs(t *testing.T) {
	var b bytes.Buffer
	random := rand.New(rand.NewPCG(3, 4))
	want := map[string]int{}
	for n := range 40000 {
		path := fmt.Sprintf("/p%d", random.IntN(500))
		want[path]++
		fmt.Fprintf(&b, "192.0.2.%d - - [01/Nov/2026:00:00:%02d +0000] \"GET %s HTTP/1.1\" 404 1 "+
			"\"http://r.example/%d\" \"Mozilla\"\n", n%250, n%60, path, n%7)
		if n == 20000 {
			b.WriteString(strings.Repeat("x", 3*blockSize) + "\n")
		}
	}
	log, err := Read("access.log", &b)
	require.NoError(t, err)
	assert.Equal(t, 40001, log.Lines)
	assert.Equal(t, 1, log.Malformed)
	require.Len(t, log.Samples, 1)
	assert.Equal(t, 20002, log.Samples[0].Line)
	for path, n := range want {
		require.Equal(t, n, log.Tallies[path].ByStatus[0].Visitors)
	}
}

func TestNoLog(t *testing.T) {
	for text, what := range map[string]string{"": "the file is empty",
		"a,b\nc,d\n": "access.log:1: error unreadable: no line", "\x00\x01": "no line",
		strings.Repeat("x", 3*blockSize): "no line"} {
		_, err := Read("access.log", strings.NewReader(text))
		var input *finding.Input
		require.ErrorAs(t, err, &input)
		assert.Contains(t, err.Error(), what)
	}
}

func TestIsRobot(t *testing.T) {
	for agent, robot := range map[string]bool{"": false, "-": true,
		"Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/128.0": false, "ExampleBot/2": true, "curl/8.0": true,
		"Mozilla/5.0 (compatible; +https://x.example)": true, "AdsBot-Example": true, "bot": true, "example-bots (x)": true,
		"Mozilla/5.0 (Linux; Android 9; CUBOT_X18_Plus) Mobile": false, "Botanical Garden/1": false, "Sabotage/2": false} {
		assert.Equal(t, robot, IsRobot(agent), agent)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(`192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /routes?page=2 HTTP/1.1" 200 512 "-" "x"`)
	f.Add(`192.0.2.1 - - [23/Nov/2026:10:00:00 +0000] "GET /\x4" 200 512 "\\\"" "x`)
	f.Fuzz(func(t *testing.T, text string) {
		log, err := Read("l", strings.NewReader(text))
		if err == nil {
			hits := 0
			for _, e := range log.Tallies {
				for _, h := range e.ByStatus {
					hits += h.Visitors + h.Robots
				}
			}
			assert.Equal(t, log.Lines, hits+log.Malformed+log.Empty)
		}
	})
}
