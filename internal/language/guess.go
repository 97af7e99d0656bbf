package language

import (
	"slices"
	"strings"
	"unicode"
)

// functionWords lists, by language, words that are in nearly every sentence and seldom in those of other languages.
func functionWords() []struct{ code, words string } {
	return []struct{ code, words string }{
		{"da", "og i at det en til er som på de med der af for ikke den har et fra du vi kan om eller hvor hvordan efter ved jeg din dit dine alle også blive nye vores"},
		{"de", "und der die das den dem des ein eine einer eines einem einen im in am an auf aus bei mit nach von vom zu zum zur für über unter ist sind nicht auch wie wird werden sie wir ihre ihr oder als durch ohne um so kann noch nur alle mehr unsere wenn"},
		{"en", "the and of to in is for on with a an are by from at as it this that how your you we our or not be can all what when where which about into using use has have will new more"},
		{"es", "el la los las de del y en un una por para con que es al lo su se como más sus o este esta son nuestro nuestra desde sobre sin"},
		{"fi", "ja on ei että se ovat kun tai mutta joka niin kuin sekä myös voi ole jos miten meidän kaikki"},
		{"fr", "le la les de des du et en un une dans pour par sur avec au aux est que qui ce cette nos notre votre vos ou sans plus ses son sa d l à sont comment"},
		{"it", "il lo la gli le di del della dei delle e in un una per con su da al alla che è nel nella sono come più nostro nostra dal i"},
		{"nb", "og i på det er en et til av for med som fra den de ikke har om du vi kan eller hvor hvordan etter ved jeg din ditt dine alle også blir nye vår våre"},
		{"nl", "de het een en van in op te voor met is aan bij naar uit door over om niet als ook zijn wordt kan onze uw dit die dat of hoe meer"},
		{"pl", "i w na z do nie się jest o że jak dla po od przez oraz za to są ale lub pod nasze"},
		{"pt", "o a os as de do da dos das e em um uma no na nos nas para por com que é ao à se como mais seu sua não são nosso ou"},
		{"sv", "och i att det en ett på är som för med av till den de inte har om du vi kan eller var hur efter vid från jag din ditt dina alla också blir nya vår våra"},
	}
}

// marks lists letters that only these languages of functionWords have.
func marks() []struct{ letters, codes string } {
	return []struct{ letters, codes string }{
		{"ß", "de"}, {"ä", "de fi sv"}, {"ö", "de fi sv"}, {"ü", "de"}, {"å", "da nb sv"}, {"ø", "da nb"}, {"æ", "da nb"},
		{"ñ¿¡", "es"}, {"ãõ", "pt"}, {"ç", "fr pt"}, {"œ", "fr"}, {"èêëîïôûùâ", "fr it"}, {"ìò", "it"}, {"ąęłńśźż", "pl"},
	}
}

// writing lists the writing systems that a language is told by alone, as far as one language writes most of it.
func writing() []struct {
	table *unicode.RangeTable
	code  string
} {
	return []struct {
		table *unicode.RangeTable
		code  string
	}{
		{unicode.Hiragana, "ja"}, {unicode.Katakana, "ja"}, {unicode.Hangul, "ko"}, {unicode.Greek, "el"},
		{unicode.Hebrew, "he"}, {unicode.Thai, "th"}, {unicode.Arabic, "ar"}, {unicode.Cyrillic, "ru"}, {unicode.Han, "zh"},
	}
}

// IsFunctionWord reports whether a word, in small letters, is in nearly every text of some language, such as "and".
func IsFunctionWord(word string) bool {
	for _, l := range functionWords() {
		if listed(l.words, word) {
			return true
		}
	}
	return false
}

// FunctionWords returns the words of all languages for which IsFunctionWord holds.
func FunctionWords() []string {
	var all []string
	for _, l := range functionWords() {
		all = append(all, strings.Fields(l.words)...)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// Guesser counts what speaks for each language. The zero value isn't ready; see NewGuesser.
type Guesser struct {
	words map[string][]int8
	marks map[rune][]int8
	codes []string
}

// NewGuesser returns a guesser of languages.
func NewGuesser() *Guesser {
	g := &Guesser{words: map[string][]int8{}, marks: map[rune][]int8{}}
	for n, l := range functionWords() {
		g.codes = append(g.codes, l.code)
		for word := range strings.FieldsSeq(l.words) {
			g.words[word] = append(g.words[word], int8(n))
		}
	}
	for _, m := range marks() {
		var of []int8
		for n, code := range g.codes {
			if listed(m.codes, code) {
				of = append(of, int8(n))
			}
		}
		for _, r := range m.letters {
			g.marks[r] = of
		}
	}
	return g
}

// Guess returns the language that a text is in, a code of two letters, by its function words, its accented letters and
// its script; empty when nothing tells, or too little: two words at least, or a mark that one language alone has.
func (g *Guesser) Guess(text string) string {
	score := make([]float64, len(g.codes))
	text = strings.ToLower(text)
	for word := range strings.FieldsFuncSeq(text, func(r rune) bool { return !unicode.IsLetter(r) }) {
		of := g.words[word]
		for _, n := range of {
			weight := 2 / float64(1+len(of))
			if len(word) <= 2 { // also an abbreviation
				weight /= 2
			}
			score[n] += weight
		}
	}
	letters := 0
	byScript := map[string]int{}
	for _, r := range text {
		if r < 0x80 {
			letters++
			continue
		}
		of := g.marks[r]
		for _, n := range of {
			score[n] += 1 / float64(len(of))
		}
		if unicode.IsLetter(r) {
			letters++
			for _, s := range writing() {
				if unicode.Is(s.table, r) {
					byScript[s.code]++
					break
				}
			}
		}
	}
	for _, code := range []string{"ja", "ko", "el", "he", "th", "ar", "ru", "zh"} {
		if n := byScript[code]; n*3 > letters {
			if code == "zh" && byScript["ja"] > 0 {
				return "ja"
			}
			return code
		}
	}
	best, second := -1, 0.0
	for n, s := range score {
		if best < 0 || s > score[best] {
			if best >= 0 {
				second = max(second, score[best])
			}
			best = n
		} else {
			second = max(second, s)
		}
	}
	if score[best] < 1 || score[best] < 1.2*second+0.2 || score[best] < 1.3 && letters > 24 {
		return ""
	}
	return g.codes[best]
}
