// Package slug turns a title into one path segment that people can read, by
// the habits of the title's language.
package slug

import (
	"strings"
	"unicode"

	"github.com/mozillazg/go-unidecode"
	"golang.org/x/text/unicode/norm"
)

// Make returns the title in small letters a-z, digits and single hyphens.
// language is a BCP 47 tag; its first part chooses how letters beyond ASCII
// and "&" are written. A title without letters or digits gives "".
func Make(title, language string) string {
	base, _, _ := strings.Cut(strings.ToLower(language), "-")
	letters, and := habits(base)
	var b strings.Builder
	gap := false
	write := func(s string) {
		for _, r := range strings.ToLower(s) {
			if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
				if gap && b.Len() > 0 {
					b.WriteByte('-')
				}
				gap = false
				b.WriteRune(r)
			} else {
				gap = true
			}
		}
	}
	for _, r := range norm.NFC.String(title) {
		switch {
		case strings.ContainsRune("'’‘ʼ`´", r):
			// "skipper's" is one word
		case r == '&':
			gap = true
			write(and)
			gap = true
		case r < unicode.MaxASCII:
			write(string(r))
		case letters[unicode.ToLower(r)] != "":
			write(letters[unicode.ToLower(r)])
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			write(unidecode.Unidecode(string(r)))
		case unicode.IsMark(r):
			// an accent that has no letter of its own
		default:
			gap = true
		}
	}
	return b.String()
}

// habits returns how a language writes its letters in ASCII, and its "and".
func habits(base string) (letters map[rune]string, and string) {
	switch base {
	case "de":
		return map[rune]string{'ä': "ae", 'ö': "oe", 'ü': "ue", 'ß': "ss"}, "und"
	case "nb", "nn", "no", "da":
		return map[rune]string{'æ': "ae", 'ø': "o", 'å': "a"}, "og"
	case "sv":
		return map[rune]string{'ä': "a", 'ö': "o", 'å': "a"}, "och"
	case "fr":
		return map[rune]string{'œ': "oe", 'æ': "ae"}, "et"
	}
	return map[rune]string{'ø': "o", 'å': "a", 'æ': "ae", 'ß': "ss"}, "and"
}
