// Package slug turns a title into one path segment that people can read, by
// the habits of the title's language.
package slug

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/mozillazg/go-unidecode"
	"golang.org/x/text/unicode/norm"
)

// Settings say how slugs are made. The zero value makes them as the language
// does, in ASCII, of any length.
type Settings struct {
	Keep     bool                         // letters of any script stay as they are
	Length   int                          // bytes at most, cut between words; 0: no limit
	Fillers  map[string][]string          // words to leave out, by language
	Spelling map[string]map[string]string // how characters are written, by language; "" is every language
}

// Maker makes slugs. It is for one goroutine.
type Maker struct {
	settings Settings
	habits   map[string]*habit
	buffer   []byte
}

// NewMaker returns a maker of slugs.
func NewMaker(s Settings) *Maker { return &Maker{settings: s, habits: map[string]*habit{}} }

// Make is Make of a Maker without settings.
func Make(title, language string) string { return NewMaker(Settings{}).Make(title, language) }

// habit is how a language writes.
type habit struct {
	spelling map[rune]string // characters beyond ASCII, and signs, as words
	fillers  map[string]bool
	elides   bool // an apostrophe stands between words: d'écolier
}

// Make returns the title in small letters, digits and single hyphens: a-z
// alone unless letters are kept. language is a BCP 47 tag; its first part
// chooses how letters beyond ASCII, "&" and signs of currencies are written. A
// title without letters or digits gives "".
func (m *Maker) Make(title, language string) string {
	h := m.habits[language]
	if h == nil {
		h = m.habitOf(language)
		m.habits[language] = h
	}
	w := writer{out: m.buffer[:0]}
	if composes(title) {
		title = norm.NFC.String(title)
	}
	for i := 0; i < len(title); {
		c := title[i]
		if c < utf8.RuneSelf {
			i++
			switch {
			case 'a' <= c && c <= 'z' || '0' <= c && c <= '9':
				w.byte(c)
			case 'A' <= c && c <= 'Z':
				w.byte(c + 'a' - 'A')
			case c == '\'' || c == '`':
				w.gap = w.gap || h.elides // "skipper's" is one word, "d'écolier" are two
			default:
				if word := h.spelling[rune(c)]; word != "" {
					i += w.sign(word, title[i:])
				} else {
					w.gap = true
				}
			}
			continue
		}
		r, size := utf8.DecodeRuneInString(title[i:])
		i += size
		lower := unicode.ToLower(r)
		word, known := h.spelling[lower]
		switch {
		case strings.ContainsRune("’‘ʼ´", r):
			w.gap = w.gap || h.elides
		case known && unicode.IsLetter(r):
			w.text(word)
		case known:
			i += w.sign(word, title[i:])
		case m.settings.Keep && (unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r)):
			w.text(string(lower))
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			w.text(unidecode.Unidecode(string(r)))
		case unicode.IsMark(r):
			// an accent that has no letter of its own
		default:
			w.gap = true
		}
	}
	m.buffer = w.out
	return m.shorten(string(w.out), h)
}

// writer joins words with hyphens.
type writer struct {
	out []byte
	gap bool
}

func (w *writer) byte(c byte) {
	if w.gap && len(w.out) > 0 {
		w.out = append(w.out, '-')
	}
	w.gap = false
	w.out = append(w.out, c)
}

// text writes a word, or several: what is no letter or digit is a gap.
func (w *writer) text(s string) {
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || c >= utf8.RuneSelf:
			w.byte(c)
		case 'A' <= c && c <= 'Z':
			w.byte(c + 'a' - 'A')
		default:
			w.gap = true
		}
	}
}

// sign writes the word for a sign: behind the number before which it stands,
// as it is spoken. It returns how many bytes of the number it wrote.
func (w *writer) sign(word, rest string) (taken int) {
	w.gap = true
	for taken < len(rest) && (rest[taken] >= '0' && rest[taken] <= '9' || rest[taken] == ' ' && taken == 0) {
		taken++
	}
	if word == "" || strings.TrimSpace(rest[:taken]) == "" || strings.HasPrefix(word, "&") {
		w.text(strings.TrimPrefix(word, "&"))
		w.gap = true
		return 0
	}
	w.text(rest[:taken])
	w.gap = true
	w.text(word)
	w.gap = true
	return taken
}

// shorten leaves fillers out and cuts between words. Something always stays.
func (m *Maker) shorten(s string, h *habit) string {
	if len(h.fillers) > 0 {
		words := strings.Split(s, "-")
		kept := slices.DeleteFunc(slices.Clone(words), func(word string) bool { return h.fillers[word] })
		if len(kept) > 0 {
			s = strings.Join(kept, "-")
		}
	}
	limit := m.settings.Length
	if limit <= 0 || len(s) <= limit {
		return s
	}
	if cut := strings.LastIndexByte(s[:limit+1], '-'); cut > 0 {
		return s[:cut]
	}
	for limit > 1 && !utf8.RuneStart(s[limit]) {
		limit--
	}
	return s[:limit] // one word longer than the limit
}

// composes reports whether a text may hold characters that NFC changes. All
// such are from U+0300 on, whose first byte is 0xCC or more.
func composes(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] >= 0xcc {
			return true
		}
	}
	return false
}

// habitOf puts together how a language writes: its letters, its signs, and
// what the settings say of it.
func (m *Maker) habitOf(language string) *habit {
	base, _, _ := strings.Cut(strings.ToLower(language), "-")
	h := &habit{spelling: map[rune]string{}, fillers: map[string]bool{},
		elides: slices.Contains([]string{"fr", "it", "ca", "oc", "pt", "gl"}, base)}
	if !m.settings.Keep {
		for r, s := range letters(base) {
			h.spelling[r] = s
		}
	}
	for r, s := range signs(base) {
		h.spelling[r] = s
	}
	for _, tag := range []string{"", base, language} {
		for from, to := range m.settings.Spelling[tag] {
			r, _ := utf8.DecodeRuneInString(from)
			h.spelling[unicode.ToLower(r)] = to
		}
	}
	for _, tag := range []string{base, language} {
		for _, word := range m.settings.Fillers[tag] {
			h.fillers[strings.ToLower(word)] = true
		}
	}
	return h
}

// letters returns how a language writes its letters in ASCII; of others a
// table for all scripts says it.
func letters(base string) map[rune]string {
	switch base {
	case "de":
		return map[rune]string{'ä': "ae", 'ö': "oe", 'ü': "ue", 'ß': "ss"}
	case "nb", "nn", "no", "da":
		return map[rune]string{'æ': "ae", 'ø': "o", 'å': "a"}
	case "sv", "fi":
		return map[rune]string{'ä': "a", 'ö': "o", 'å': "a"}
	case "fr":
		return map[rune]string{'œ': "oe", 'æ': "ae"}
	}
	return map[rune]string{'ø': "o", 'å': "a", 'æ': "ae", 'ß': "ss"}
}

// signs returns how a language speaks signs. A word that begins with "&" joins
// what stands around it; others belong to the number behind them.
func signs(base string) map[rune]string {
	and, euro, pound, dollar := "and", "euro", "pounds", "dollars"
	switch base {
	case "de":
		and, pound, dollar = "und", "pfund", "dollar"
	case "nb", "nn", "no", "da":
		and, pound, dollar = "og", "pund", "dollar"
	case "sv":
		and, pound, dollar = "och", "pund", "dollar"
	case "fr":
		and, euro, pound, dollar = "et", "euros", "livres", "dollars"
	case "es":
		and, euro, pound, dollar = "y", "euros", "libras", "dolares"
	case "it":
		and, pound, dollar = "e", "sterline", "dollari"
	case "nl":
		and, pound, dollar = "en", "pond", "dollar"
	case "en":
		euro = "euros"
	}
	return map[rune]string{'&': "&" + and, '€': euro, '£': pound, '$': dollar}
}
