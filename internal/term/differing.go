package term

import (
	"strings"
	"unicode"

	"young-compass/internal/language"
)

// Differing marks the words of a text that another lacks, but for "the" and the like. A text must be printable.
func Differing(paint func(word string, marked bool) string, text, other string) string {
	apart := func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }
	known := map[string]bool{}
	for word := range strings.FieldsFuncSeq(strings.ToLower(other), apart) {
		known[word] = true
	}
	var b, word strings.Builder
	flush := func() {
		w := word.String()
		if small := strings.ToLower(w); w != "" && !known[small] && !language.IsFunctionWord(small) &&
			small != "http" && small != "https" {
			b.WriteString(paint(w, true))
		} else {
			b.WriteString(w)
		}
		word.Reset()
	}
	for _, r := range text {
		if apart(r) {
			flush()
			b.WriteRune(r)
			continue
		}
		word.WriteRune(r)
	}
	flush()
	return b.String()
}
