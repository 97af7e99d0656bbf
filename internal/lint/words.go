package lint

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// splitExtension splits a segment at its last dot, if letters and digits follow.
func splitExtension(segment string) (name, extension string) {
	i := strings.LastIndexByte(segment, '.')
	if i < 1 || i == len(segment)-1 || len(segment)-i > 6 {
		return segment, ""
	}
	for _, r := range segment[i+1:] {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return segment, ""
		}
	}
	return segment[:i], segment[i:]
}

// technical reports whether an extension names how a page is made.
func technical(extension string) bool {
	return slices.Contains([]string{".html", ".htm", ".shtml", ".xhtml", ".php", ".php5", ".asp", ".aspx", ".jsp",
		".jsf", ".do", ".cgi", ".pl", ".py", ".cfm", ".dll"}, strings.ToLower(extension))
}

// sessionName reports whether a parameter's name is one that sessions have.
func sessionName(name string) bool {
	name = strings.ToLower(name)
	return slices.Contains([]string{"sid", "sessionid", "session_id", "session", "jsessionid", "phpsessid",
		"aspsessionid", "cfid", "cftoken"}, name) || strings.HasPrefix(name, "aspsessionid")
}

// Opaque reports whether a name is a number, or a mixture that no word is.
//
//	214, B-00214, deadbeef01      true
//	2026, winter-2026, route-4    false
func Opaque(name string) bool {
	digits, letters := 0, 0
	for _, r := range name {
		switch {
		case unicode.IsDigit(r):
			digits++
		case unicode.IsLetter(r):
			letters++
		}
	}
	switch {
	case digits == 0:
		return false
	case letters == 0:
		return digits != 4 || !datePart(name) // a year is a word
	}
	hexadecimal := strings.Trim(strings.ToLower(name), "0123456789abcdef-") == ""
	return letters <= 2 && digits >= 2 || hexadecimal && digits+letters >= 8 && digits >= 2
}

// datePart reports whether a name is a year, a month or a day.
func datePart(name string) bool {
	n, err := strconv.Atoi(name)
	if err != nil || name[0] == '+' || name[0] == '-' {
		return false
	}
	return len(name) == 4 && isYear(n) || len(name) <= 2 && 1 <= n && n <= 31
}

func isYear(n int) bool { return 1900 <= n && n <= 2099 }

// dateIn returns the first date in a path: a year, with month and day if they
// follow.
func dateIn(segments []string) string {
	for _, s := range segments {
		numbers := strings.FieldsFunc(s, func(r rune) bool { return !unicode.IsDigit(r) })
		for i, number := range numbers {
			year, err := strconv.Atoi(number)
			if err != nil || len(number) != 4 || !isYear(year) {
				continue
			}
			date := number
			for _, next := range numbers[i+1 : min(i+3, len(numbers))] {
				if len(next) != 2 || !datePart(next) || !strings.Contains(s, date+"-"+next) {
					break
				}
				date += "-" + next
			}
			return date
		}
	}
	return ""
}

// wordsOf splits a segment into its words, in small letters.
func wordsOf(segment string) []string {
	name, _ := splitExtension(segment)
	return strings.FieldsFunc(strings.ToLower(name), func(r rune) bool {
		return !unicode.IsLetter(r) &&
			!unicode.IsDigit(r)
	})
}

// repeated returns the words of three letters or more that stand there twice.
func repeated(segments []string) []string {
	seen, twice := map[string]bool{}, []string{}
	for _, s := range segments {
		for _, w := range wordsOf(s) {
			if len(w) > 2 && seen[w] && !slices.Contains(twice, w) {
				twice = append(twice, w)
			}
			seen[w] = true
		}
	}
	return twice
}

// fillers returns the words that tell nothing, by language. A segment of one or
// two words is left alone: there they may be a name.
func fillers(segments []string, language string) []string {
	words := fillerWords(language)
	var found []string
	for _, s := range segments {
		if all := wordsOf(s); len(all) > 2 {
			for _, w := range all {
				if slices.Contains(words, w) && !slices.Contains(found, w) {
					found = append(found, w)
				}
			}
		}
	}
	return found
}

func withoutFillers(text, language string) string {
	all := strings.Split(text, "-")
	if len(all) < 3 {
		return text
	}
	words := fillerWords(language)
	kept := slices.DeleteFunc(slices.Clone(all), func(w string) bool { return slices.Contains(words, w) })
	return strings.Join(kept, "-")
}

func fillerWords(language string) []string {
	base, _, _ := strings.Cut(strings.ToLower(language), "-")
	switch base {
	case "en":
		return []string{"a", "an", "the", "of", "is", "are", "was", "be", "this", "that", "these"}
	case "de":
		return []string{"der", "die", "das", "den", "dem", "des", "ein", "eine", "einen", "einer", "ist", "sind"}
	case "nb":
		return []string{"en", "ei", "et", "den", "det", "de", "er", "som"}
	case "nn":
		return []string{"ein", "ei", "eit", "den", "det", "dei", "er", "som"}
	}
	return nil
}

// longestWord returns the longest run of letters, and of letters that only a
// capital letter separates.
func longestWord(s string) string {
	longest := ""
	for _, w := range strings.FieldsFunc(s, func(r rune) bool { return !unicode.IsLetter(r) }) {
		if len([]rune(w)) > len([]rune(longest)) {
			longest = w
		}
	}
	return longest
}

// placeholder reports whether a segment is a field's name in one of the marks
// that templates use, or what a program writes for a missing value.
func placeholder(s string) bool {
	if s == "undefined" || s == "null" {
		return true
	}
	for _, marks := range [][2]string{{"{{", "}}"}, {"${", "}"}, {"{", "}"}, {"%", "%"}, {"<", ">"}, {"[", "]"},
		{"$", ""}} {
		name, begins := strings.CutPrefix(s, marks[0])
		name, ends := strings.CutSuffix(name, marks[1])
		name = strings.Trim(name, " ")
		if begins && ends && name != "" && strings.IndexFunc(name, func(r rune) bool {
			return r > unicode.MaxASCII || !unicode.IsLetter(r) && !strings.ContainsRune("_-.:", r)
		}) < 0 {
			return true
		}
	}
	return false
}
