package cli

import (
	"fmt"
	"os"
	"strings"

	"young-compass/internal/pair"
	"young-compass/internal/term"
)

// screen is the review of pairs on the whole screen.
type screen struct {
	*pair.Review
	pairing *pairing
	height  int    // of the screen, when it was last drawn
	chosen  int    // of the candidates or of what a search found
	search  *query // nil: the candidates are shown
	message string
}

// query is a search under way.
type query struct {
	text   string
	typing bool
	found  []int
}

// reviewOnScreen lets a person decide, and saves.
func (p *pairing) reviewOnScreen(in *os.File, r *pair.Review) error {
	if len(r.Doubtful) == 0 {
		p.say("nothing is doubtful")
		return p.save(r)
	}
	s := &screen{Review: r, pairing: p}
	err := term.Whole(in, p.stdout, s)
	if saveErr := p.save(r); saveErr != nil { // also when the terminal went away
		return saveErr
	}
	if err != nil {
		return unfinished{err}
	}
	p.say("%d of %d doubtful pairs are decided; the same command goes on", len(r.Doubtful)-r.Left(), len(r.Doubtful))
	return nil
}

// save writes the list as it is now.
func (p *pairing) save(r *pair.Review) error {
	return p.write(p.output, pair.Encode(pair.Proposals(r.Before, r.After, r.Matches, r.Decided)))
}

// Key takes a key.
func (s *screen) Key(key string) (end bool) {
	s.message = ""
	if s.search != nil && s.search.typing {
		s.typed(key)
		return false
	}
	return s.key(key)
}

// typed takes a key of a search's words.
func (s *screen) typed(key string) {
	q := s.search
	switch key {
	case "esc", "ctrl+c":
		s.search, s.chosen = nil, 0
		return
	case "enter":
		q.typing = false
		if len(q.found) == 0 {
			s.search, s.message = nil, "no new page has these words"
		}
		return
	case "up", "down", "left", "right":
		return
	case "backspace":
		if runes := []rune(q.text); len(runes) > 0 {
			q.text = string(runes[:len(runes)-1])
		}
	default:
		q.text += key
	}
	q.found, s.chosen = s.Search(q.text, s.room()), 0
}

// key does what a key says; it reports whether that is the end.
func (s *screen) key(key string) (end bool) {
	pages := s.pages()
	switch key {
	case "up", "k":
		s.chosen = max(0, s.chosen-1)
	case "down", "j":
		s.chosen = min(max(0, len(pages)-1), s.chosen+1)
	case "enter", "a":
		if len(pages) == 0 {
			s.message = "there is nothing to accept; / searches, g says gone"
			break
		}
		s.decide(pair.Decision{New: pages[s.chosen]})
	case "g":
		s.decide(pair.Decision{Gone: true})
	case "f":
		s.message = fmt.Sprintf("%d accepted at once, each with its own best candidate; u takes them back",
			s.DecideFamily(false))
		s.search, s.chosen = nil, 0
	case "G":
		s.message = fmt.Sprintf("%d said gone at once; u takes them back", s.DecideFamily(true))
		s.search, s.chosen = nil, 0
	case "/":
		s.search, s.chosen = &query{typing: true}, 0
	case "esc":
		s.search, s.chosen = nil, 0
	case "right", "n", "s":
		s.Move(1)
		s.search, s.chosen = nil, 0
	case "left", "p":
		s.Move(-1)
		s.search, s.chosen = nil, 0
	case "u":
		if !s.Undo() {
			s.message = "nothing to undo"
		}
		s.search, s.chosen = nil, 0
	case "w":
		s.keep()
	case "q", "ctrl+c":
		return true
	default:
		if n := int(key[0] - '1'); len(key) == 1 && n >= 0 && n < len(pages) {
			s.chosen = n
		}
	}
	return false
}

func (s *screen) decide(d pair.Decision) {
	s.Decide(d)
	s.search, s.chosen = nil, 0
	if s.Left() == 0 {
		s.message = "all are decided; q saves and ends"
	}
}

// keep saves without a word on the screen below.
func (s *screen) keep() {
	quiet := s.pairing.quiet
	s.pairing.quiet = true
	err := s.pairing.save(s.Review)
	s.pairing.quiet = quiet
	s.message = "saved"
	if err != nil {
		s.message = err.Error()
	}
}

// pages returns the new pages to choose from.
func (s *screen) pages() []int {
	if s.search != nil {
		return s.search.found
	}
	var pages []int
	for _, c := range s.Match().Candidates[:min(len(s.Match().Candidates), s.room())] {
		pages = append(pages, c.New)
	}
	return pages
}

// room is how many pages to choose from are shown: what the other lines leave.
func (s *screen) room() int { return max(1, min(8, s.height-18)) }

// View draws the screen: old page and chosen one side by side, what speaks for
// the choice, and what else there is.
func (s *screen) View(width, height int) string {
	style := s.pairing.style(s.pairing.stdout)
	s.height = height
	width = max(40, min(width, 160))
	half := (width - 3) / 2
	m := s.Match()
	pages := s.pages()
	var b strings.Builder
	line := func(text string) { b.WriteString(term.Cut(text, width) + "\n") }
	title := fmt.Sprintf("%d of %d doubtful, %d to decide", s.At+1, len(s.Doubtful), s.Left())
	if d, done := s.Decided[s.Doubtful[s.At]]; done {
		said := "gone"
		if !d.Gone {
			said = s.After[d.New].Name()
		}
		title += "; decided: " + said
	}
	b.WriteString(style.Bold(term.Cut(title, width)) + "\n")
	line(strings.Repeat("-", width))
	left := facts(&s.Before[m.Old], half)
	right := make([]string, len(left))
	if len(pages) > 0 {
		right = facts(&s.After[pages[s.chosen]], half)
	}
	b.WriteString(style.Bold(term.Pad("old page", half)) + "   " + style.Bold(term.Cut(s.heading(), half)) + "\n")
	for i := range left {
		old, new := term.Pad(left[i], half), term.Cut(right[i], half)
		if i < factLines && len(pages) > 0 { // titles and addresses
			b.WriteString(term.Differing(style.Old, old, new) + " | " + term.Differing(style.New, new, old) + "\n")
			continue
		}
		line(old + " | " + new)
	}
	line("")
	for _, text := range term.Wrap(s.evidence(), width, 2) {
		line(text)
	}
	if n := len(s.Family()); n > 0 {
		line(fmt.Sprintf("%d others differ by a number alone: f accepts all of them, each its own best", n))
	} else {
		line("")
	}
	s.list(&b, style, width)
	for strings.Count(b.String(), "\n") < s.height-3 {
		line("")
	}
	line(s.message)
	keys := "up/down choose  enter accept  g gone  f, G accept, gone: the whole family  / search"
	b.WriteString(style.Dim(term.Cut(keys, width)) + "\n")
	b.WriteString(style.Dim(term.Cut("n/p next, previous  u undo  w save  q save and end  esc back", width)))
	return b.String()
}

// heading says what the right side shows.
func (s *screen) heading() string {
	switch n := len(s.pages()); {
	case n == 0:
		return "no new page is like it"
	case s.search != nil:
		return fmt.Sprintf("found %d of %d", s.chosen+1, n)
	default:
		return fmt.Sprintf("candidate %d of %d", s.chosen+1, n)
	}
}

// evidence says what speaks for the chosen page.
func (s *screen) evidence() string {
	m := s.Match()
	pages := s.pages()
	if len(pages) == 0 {
		return ""
	}
	for k, c := range m.Candidates {
		if c.New == pages[s.chosen] {
			text := fmt.Sprintf("%.0f %%: %s", 100*c.Confidence, strings.Join(c.Reasons, "; "))
			if behind := m.Against(k); behind != "" {
				text += "; behind the first, since " + behind
			}
			return text
		}
	}
	return "found by searching"
}

// list draws what there is to choose from.
func (s *screen) list(b *strings.Builder, style term.Style, width int) {
	if s.search != nil {
		cursor := ""
		if s.search.typing {
			cursor = "_"
		}
		b.WriteString(term.Cut("search: "+s.search.text+cursor, width) + "\n")
	}
	m := s.Match()
	for k, n := range s.pages() {
		p := &s.After[n]
		share := "    "
		for _, c := range m.Candidates {
			if c.New == n {
				share = fmt.Sprintf("%3.0f%%", 100*c.Confidence)
			}
		}
		mark := "  "
		if k == s.chosen {
			mark = "> "
		}
		text := term.Cut(fmt.Sprintf("%s%d %s  %s  %s", mark, k+1, share, p.Title, p.Address.Readable()), width)
		if k == s.chosen {
			text = style.Bold(text)
		}
		b.WriteString(text + "\n")
	}
	if s.search == nil {
		why := ": no new page took its place (410)"
		if len(m.GoneWhy) > 0 {
			why = " (410): " + strings.Join(m.GoneWhy, "; ")
		}
		b.WriteString(term.Cut(fmt.Sprintf("  g %3.0f%%  gone%s", 100*m.Gone, why), width) + "\n")
	}
}

// factLines is how many lines of facts are titles and addresses.
const factLines = 4

// facts are what is known of a page, in six lines.
func facts(p *pair.Page, width int) []string {
	var known []string
	for _, f := range []string{p.Language, p.Kind, p.Date} {
		if f != "" {
			known = append(known, f)
		}
	}
	if p.Visits > 0 {
		known = append(known, fmt.Sprintf("%d visits", p.Visits))
	}
	if len(p.IDs) > 0 {
		known = append(known, "id "+strings.Join(p.IDs, ", "))
	}
	lines := append(pad(term.Wrap(p.Title, width, 2), 2), pad(term.Wrap(p.Address.Readable(), width, 2), 2)...)
	lines = append(lines, strings.Join(known, ", "))
	about := p.Text
	if about == "" && p.Heading != p.Title {
		about = p.Heading
	}
	return append(lines, pad(term.Wrap(about, width, 2), 2)...)
}

func pad(lines []string, n int) []string {
	for len(lines) < n {
		lines = append(lines, "")
	}
	return lines
}
