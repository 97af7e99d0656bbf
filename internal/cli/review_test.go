package cli

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/pair"
	"young-compass/internal/term"
)

// press sends keys to a screen: names of keys, or text.
func press(s *screen, keys ...string) (ended bool) {
	for _, key := range keys {
		switch key {
		case "enter", "down", "up", "esc", "backspace":
			ended = s.Key(key)
		default:
			for _, c := range key {
				ended = s.Key(string(c))
			}
		}
	}
	return ended
}

func reviewScreen(t *testing.T) *screen {
	t.Helper()
	var before, after []pair.Page
	add := func(list *[]pair.Page, title, path string) {
		a, err := address.Parse("https://skerrywick.example" + path)
		require.NoError(t, err)
		*list = append(*list, pair.Page{Address: a, Written: path, Title: title, Language: "en",
			Text: strings.Repeat("Wide 日本語 text ", 30)})
	}
	for i := range 20 {
		add(&before, fmt.Sprintf("Harbour walk number %d of the \x1b[31mislands", i), fmt.Sprintf("/old/%d.htm", i))
		add(&after, fmt.Sprintf("Walk round harbour %d", i),
			fmt.Sprintf("/guides/a-very-long-address-of-a-harbour-walk-that-goes-on-and-on/%d", i))
	}
	weighed := pair.New(before, after, nil)
	matches := weighed.Matches(nil)
	p := &pairing{app: &app{ctx: context.Background(), stdout: &bytes.Buffer{}, stderr: &bytes.Buffer{}, color: "never", now: time.Unix(1e9, 0),
		output: filepath.Join(t.TempDir(), "pairs.csv")}}
	return &screen{Review: pair.NewReview(before, after, matches, 1.1, map[int]pair.Decision{}), pairing: p, height: 24}
}

// Whatever is shown, the screen keeps to its size, and to printable text.
func TestScreenFits(t *testing.T) {
	s := reviewScreen(t)
	for _, size := range [][2]int{{80, 24}, {132, 50}, {60, 24}} {
		for _, keys := range [][]string{{}, {"/", "walk"}, {"enter"}, {"down", "down"}, {"esc"}, {"g"}, {"enter"},
			{"p"}} {
			press(s, keys...)
			view := s.View(size[0], size[1])
			assert.LessOrEqual(t, strings.Count(view, "\n")+1, size[1], "%v %v", size, keys)
			for line := range strings.SplitSeq(view, "\n") {
				assert.LessOrEqual(t, text.StringWidth(line), size[0], line)
			}
			assert.NotContains(t, view, "\x1b")
		}
	}
}

func TestScreenDecides(t *testing.T) {
	s := reviewScreen(t)
	all := len(s.Doubtful)
	first := s.Doubtful[0]
	s.View(80, 24)
	list := s.pages()
	for range list { // to the last, and not beyond it
		press(s, "down")
	}
	press(s, "up", "down", "enter")
	assert.Equal(t, list[len(list)-1], s.Decided[first].New)
	press(s, "u")
	assert.Empty(t, s.Decided)
	press(s, "u")
	assert.Contains(t, s.View(80, 24), "nothing to undo")
	press(s, "/", "harbour 1", "7", "enter", "enter")
	assert.Equal(t, "/guides/a-very-long-address-of-a-harbour-walk-that-goes-on-and-on/17",
		s.After[s.Decided[first].New].Address.Path)
	press(s, "/", "xyz", "backspace", "enter")
	assert.Contains(t, s.View(80, 24), "no new page has these words")
	press(s, "g", "w")
	assert.Contains(t, s.View(80, 24), "saved")
	data, err := os.ReadFile(s.pairing.output)
	require.NoError(t, err)
	assert.Equal(t, 2, strings.Count(string(data), ",yes\n"))
	assert.Equal(t, all-2, s.Left())
	assert.True(t, press(s, "q"))
}

// A family is decided at once, and taken back at once.
func TestScreenDecidesFamilies(t *testing.T) {
	s := reviewScreen(t)
	all := s.Left()
	require.Len(t, s.Family(), 19, "all differ by a number")
	assert.Contains(t, s.View(80, 24), "19 others differ by a number alone")
	press(s, "f")
	assert.Contains(t, s.View(80, 24), "20 accepted at once")
	assert.Equal(t, all-20, s.Left())
	press(s, "u")
	assert.Equal(t, all, s.Left())
	press(s, "G")
	assert.Equal(t, all-20, s.Left())
	for _, d := range s.Decided {
		assert.True(t, d.Gone)
	}
}

// What differs between the two pages is marked, in the colours of old and new.
func TestScreenMarksWhatDiffers(t *testing.T) {
	s := reviewScreen(t)
	s.pairing.color = "always"
	assert.Contains(t, s.View(120, 40), "\x1b[1;4;31mnumber\x1b[0m")
}

// The doubtful pairs take 80 columns at most, whatever is in them, and shorten addresses where they agree.
func TestDoubtfulTextFits(t *testing.T) {
	long := "https://skerrywick.example/" + strings.Repeat("very/long/", 20)
	rows := []pair.Proposal{
		{From: long + "old-end", To: long + "new-end", Status: 301, Confidence: 0.6, Title: strings.Repeat("広いタイトル ", 20),
			Reason: strings.Repeat("a reason; ", 60)},
		{From: "https://skerrywick.example/x", Status: 410, Confidence: 0.47, Reason: "nothing like it was found \x1b[31m"},
		{From: "https://skerrywick.example/y", Status: 410, Confidence: 0.67, Reason: "nothing like it was found"},
	}
	var b bytes.Buffer
	require.NoError(t, doubtfulText(&b, term.Style{}, rows, 7))
	for line := range strings.SplitSeq(b.String(), "\n") {
		assert.LessOrEqual(t, text.StringWidth(line), 80, line)
	}
	assert.Contains(t, b.String(), "3 of 7 doubtful pairs; old pages of https://skerrywick.example\n")
	assert.Contains(t, b.String(), "old-end")
	assert.Contains(t, b.String(), "new-end")
	assert.Contains(t, b.String(), "0.47  /x -> not known\n")
	assert.Contains(t, b.String(), "0.67  /y -> gone (410)?\n")
	assert.NotContains(t, b.String(), "\x1b")
}
