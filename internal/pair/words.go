package pair

import (
	"math"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"young-compass/internal/address"
	"young-compass/internal/language"
)

// split calls yield with the words of a text, folded: without capitals and accents, umlauts as they are written
// without (Fähre, faehre); numbers with points between their digits are one word, and so is a run of signs such as
// "++"; readFile is two words.
func split(text string, yield func(word string)) {
	if !plain(text) {
		text = norm.NFKD.String(text)
	}
	start, group, kind := 0, 0, none // of a word, and of its last digits
	var b strings.Builder
	flush := func(end int) {
		if kind != none {
			word := fold(text[start:end], &b)
			if kind == digits {
				word = strings.NewReplacer("-", ".", "_", ".").Replace(word)
			}
			yield(plainVowels(word))
		}
	}
	for i, r := range text {
		k := kindOf(r)
		joins := k == point || (r == '-' || r == '_') && i-group <= 3 && group-start <= 8
		if joins && kind == digits && i+1 < len(text) && digit(text[i+1]) {
			k, group = digits, i+1 // 1.2.3, and in addresses 1-2-3, but for dates
		}
		if k == point {
			k = none
		}
		if k == letters && kind == letters && 'A' <= r && r <= 'Z' && text[i-1] >= 'a' && text[i-1] <= 'z' {
			flush(i) // readFile is two words
			start = i
			continue
		}
		if k == mark && kind == letters || k == digits && kind == letters || k == letters && kind == digits {
			if k != mark {
				kind = letters
			}
			continue
		}
		if k == mark {
			k = none
		}
		if k != kind {
			flush(i)
			start, group, kind = i, i, k
		}
	}
	flush(len(text))
}

// wholes calls yield with the words of a text that split takes apart, put together: readFile and read_file are both
// readfile. In a text they name things, and are rarer than their parts.
func wholes(text string, yield func(word string)) {
	if !plain(text) {
		text = norm.NFKD.String(text)
	}
	var b, folded strings.Builder
	start, parts := -1, 0
	flush := func(end int) {
		if start >= 0 && parts > 1 && end-start <= longestWhole {
			b.Reset()
			for _, part := range strings.FieldsFunc(text[start:end], func(r rune) bool { return r == '_' || r == '-' }) {
				b.WriteString(part)
			}
			yield(plainVowels(fold(b.String(), &folded)))
		}
		start, parts = -1, 0
	}
	previous := ' '
	for i, r := range text {
		k := kindOf(r)
		switch {
		case k == letters || k == digits && start >= 0:
			if start < 0 {
				start, parts = i, 1
			} else if previous == '_' || previous == '-' ||
				k == letters && 'A' <= r && r <= 'Z' && previous >= 'a' && previous <= 'z' {
				parts++
			}
		case (r == '_' || r == '-') && start >= 0 && previous != r: // more than one is a dash
		case k == mark:
			continue
		default:
			flush(i)
		}
		previous = r
	}
	flush(len(text))
}

// longestWhole bounds what is put together, in bytes.
const longestWhole = 60

// The kinds of characters.
const (
	none = iota
	letters
	digits
	signs
	mark  // an accent
	point // may stand in a number
)

func kindOf(r rune) int {
	switch {
	case 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z':
		return letters
	case '0' <= r && r <= '9':
		return digits
	case r == '.' || r == ',':
		return point
	case r < 0x80:
		if strings.ContainsRune("+#*=<>!|^%$~@&", r) {
			return signs
		}
		return none
	case unicode.IsLetter(r):
		return letters
	case unicode.IsDigit(r):
		return digits
	case unicode.Is(unicode.Mn, r):
		return mark
	case unicode.IsSymbol(r):
		return signs
	}
	return none
}

func plain(s string) bool {
	for i := range len(s) {
		if s[i] >= 0x80 {
			return false
		}
	}
	return true
}

// fold returns a word in small letters without accents.
func fold(word string, b *strings.Builder) string {
	small := true
	for i := range len(word) {
		if c := word[i]; c >= 0x80 || 'A' <= c && c <= 'Z' {
			small = false
			break
		}
	}
	if small {
		return word
	}
	b.Reset()
	for _, r := range word {
		if r = unicode.ToLower(r); unicode.Is(unicode.Mn, r) {
			continue
		}
		b.WriteString(simple(r))
	}
	return b.String()
}

// plainVowels returns a word without the e that stands for an umlaut's points, and with one a for å written out: as
// fold leaves Fähre and Ålesund.
func plainVowels(word string) string {
	at := -1
	for i := 1; i < len(word); i++ {
		if doubled(word[i-1], word[i]) {
			at = i
			break
		}
	}
	if at < 0 || len(word) < 4 {
		return word
	}
	b := make([]byte, at, len(word))
	copy(b, word)
	for i := at; i < len(word); i++ {
		if !doubled(b[len(b)-1], word[i]) {
			b = append(b, word[i])
		}
	}
	return string(b)
}

func doubled(before, c byte) bool {
	return c == 'e' && (before == 'a' || before == 'o' || before == 'u') || c == 'a' && before == 'a'
}

// simple returns a letter as it is written without the ones that have no accent
// to take off.
func simple(r rune) string {
	switch r {
	case 'ø':
		return "o"
	case 'ł':
		return "l"
	case 'đ', 'ð':
		return "d"
	case 'ı':
		return "i"
	case 'æ':
		return "ae"
	case 'œ':
		return "oe"
	case 'ß':
		return "ss"
	case 'þ':
		return "th"
	}
	return string(r)
}

// raw returns a title as two titles are compared sign by sign; accents don't
// count.
func raw(title string) string {
	var b strings.Builder
	return strings.Join(strings.Fields(fold(norm.NFKD.String(title), &b)), " ")
}

// segments returns the folders of an address, and its last segment without an
// extension; what a query says belongs to the last.
func segments(a address.Address) (folders, last string) {
	path := strings.TrimRight(a.Path, "/")
	cut := strings.LastIndexByte(path, '/')
	if cut < 0 {
		return "", ""
	}
	folders, last = path[:cut], path[cut+1:]
	if name, _, _ := strings.Cut(strings.ToLower(last), "."); a.Query == "" && indexName(name) && folders != "" {
		cut = strings.LastIndexByte(folders, '/') // walks/index.html names what walks.html does
		return address.Decode(folders[:cut]), address.Decode(folders[cut+1:])
	}
	if dot := strings.LastIndexByte(last, '.'); dot > 0 && len(last)-dot <= 6 && letter(last[dot+1:]) {
		last = last[:dot]
	}
	return address.Decode(folders), address.Decode(last)
}

// indexName reports whether a file of this name stands for its folder.
func indexName(name string) bool {
	switch name {
	case "index", "default", "main", "home", "welcome", "readme":
		return true
	}
	return false
}

// letter reports whether a text begins with a letter, as extensions do and the
// digits of a version don't.
func letter(s string) bool { return s != "" && (s[0]|0x20)-'a' < 26 }

// year reports whether a word is a year in which a page may have been written.
func year(word string) bool {
	return len(word) == 4 && (strings.HasPrefix(word, "19") && word >= "1980" || strings.HasPrefix(word, "20") &&
		word < "2040") && numeric(word)
}

func digit(c byte) bool { return '0' <= c && c <= '9' }

func hasDigit(word string) bool {
	for i := range len(word) {
		if word[i] >= '0' && word[i] <= '9' {
			return true
		}
	}
	return false
}

func numeric(word string) bool {
	for i := range len(word) {
		if word[i] < '0' || word[i] > '9' {
			return false
		}
	}
	return word != ""
}

// vocabulary numbers the words of both sides and counts the pages with them.
type vocabulary struct {
	numbers map[string]int32
	words   []string
	pages   []int32 // with the word, on both sides
	seen    []int32 // the last page counted, +1
	weight  []float32
	spelled [][]variant // by word: those of new pages that may be the same
	model   []bool      // it has digits, and isn't a year
	common  float32     // weight below which words are common
	most    float32     // weight of a word that each side has once
	old     []bool      // the old site has the word in a title or an address
	new     []bool      // the new one has it there
	inTexts []bool      // the new one has it in a text
}

func (v *vocabulary) add(word string, page int) int32 {
	n, ok := v.numbers[word]
	if !ok {
		n = int32(len(v.words))
		word = strings.Clone(word)
		v.numbers[word] = n
		v.words, v.pages, v.seen = append(v.words, word), append(v.pages, 0), append(v.seen, 0)
		v.old, v.new, v.inTexts = append(v.old, false), append(v.new, false), append(v.inTexts, false)
		v.model = append(v.model, hasDigit(word) && !year(word))
	}
	if v.seen[n] != int32(page)+1 {
		v.seen[n] = int32(page) + 1
		v.pages[n]++
	}
	return n
}

// weigh gives each word its weight: the rarer, the more, up to that of a word which each side has once; as if a
// hundred more pages had been seen, one of them with the word, or twenty where the word is "and" and the like.
func (v *vocabulary) weigh(pages int) {
	v.weight = make([]float32, len(v.words))
	for n, count := range v.pages {
		v.weight[n] = float32(math.Log(1 + (float64(pages)+100)/(float64(max(count, 2))+1)))
	}
	for n, word := range v.words {
		if len(word) <= 2 && numeric(word) { // it may count anything
			v.weight[n] *= 0.4
		}
	}
	for _, word := range language.FunctionWords() {
		split(word, func(word string) {
			if n, ok := v.numbers[word]; ok {
				v.weight[n] = float32(math.Log(1 + (float64(pages)+100)/(float64(v.pages[n])+20)))
			}
		})
	}
	v.common, v.most = float32(math.Log(1+20)), float32(math.Log(1+(float64(pages)+100)/3))
}

// bag is words by their numbers, sorted, each once.
type bag []int32

func (b bag) has(n int32) bool { _, ok := slices.BinarySearch(b, n); return ok }

func union(bags ...bag) bag {
	all := slices.Concat(bags...)
	slices.Sort(all)
	return slices.Compact(all)
}

// likeness is how much two bags share.
type likeness struct {
	dice    float64 // of the weight of both, which part is shared
	matched float64 // the weight that is shared
	left    float64 // the weight of what the first alone has
	right   float64 // that of what the second alone has

	rarestLeft    float64 // the weight of the rarest word that the first alone has
	rarestRight   float64
	rarestShared  float64
	leftElsewhere bool // the new site has a word that the first alone has, on other pages
	rightBefore   bool // the old site has a word that the second alone has
	unlikeNumbers bool // each has a number, or a word with digits, that the other lacks: max6642, 2.4
}

// alike compares a bag of an old page with one of a new page.
func (v *vocabulary) alike(a, b bag) likeness {
	if len(a) == 0 || len(b) == 0 {
		return likeness{}
	}
	var both, left, right, rarest float64
	var onlyA, onlyB [24]int32 // titles have few words; what is beyond counts as not shared
	nA, nB := 0, 0
	for i, j := 0, 0; i < len(a) || j < len(b); {
		switch {
		case j == len(b) || i < len(a) && a[i] < b[j]:
			if nA < len(onlyA) {
				onlyA[nA] = a[i]
				nA++
			}
			left += float64(v.weight[a[i]])
			i++
		case i == len(a) || b[j] < a[i]:
			if nB < len(onlyB) {
				onlyB[nB] = b[j]
				nB++
			}
			right += float64(v.weight[b[j]])
			j++
		default:
			w := float64(v.weight[a[i]])
			both, left, right = both+w, left+w, right+w
			rarest = max(rarest, w)
			i, j = i+1, j+1
		}
	}
	for i, x := range onlyA[:nA] {
		for _, y := range v.spelled[x] {
			k := slices.Index(onlyB[:nB], y.word)
			if k < 0 {
				continue
			}
			wx, wy := float64(v.weight[x]), float64(v.weight[y.word])
			w := min(wx, wy)
			both, left, right = both+float64(y.share)*w, left-wx+w, right-wy+w
			rarest = max(rarest, float64(y.share)*w)
			onlyA[i], onlyB[k] = -1, -1
			break
		}
	}
	lighter := min(left, right)
	if lighter <= 0 {
		return likeness{}
	}
	l := likeness{dice: 2 * both / (left + right), matched: both,
		left: max(0, left-both), right: max(0, right-both), rarestShared: rarest}
	digitsLeft, digitsRight := false, false
	for _, x := range onlyA[:nA] {
		if x >= 0 {
			l.rarestLeft = max(l.rarestLeft, float64(v.weight[x]))
			l.leftElsewhere = l.leftElsewhere || v.new[x] && !v.small(x)
			digitsLeft = digitsLeft || v.model[x] && !v.small(x)
		}
	}
	for _, y := range onlyB[:nB] {
		if y >= 0 {
			l.rarestRight = max(l.rarestRight, float64(v.weight[y]))
			l.rightBefore = l.rightBefore || v.old[y] && !v.small(y)
			digitsRight = digitsRight || v.model[y] && !v.small(y)
		}
	}
	l.unlikeNumbers = digitsLeft && digitsRight
	return l
}

// lost reports whether no new page has a word, nor one that may be it, in a title or an address.
func (v *vocabulary) lost(n int32) bool { return !v.new[n] && len(v.spelled[n]) == 0 }

// small reports whether a word is so common that it tells no page from another.
func (v *vocabulary) small(n int32) bool { return v.weight[n] < v.common }

// near reports whether one word may be the other misspelt: one letter of short
// words, two of long ones; never a number.
func near(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(a) < 4 || len(b)-len(a) > 2 || hasDigit(a) || hasDigit(b) {
		return false
	}
	limit := 1
	if len(a) >= 7 {
		limit = 2
	}
	if len(a) == len(b) && len(a) <= 5 && !swapped(a, b) { // times and tides are two words
		return false
	}
	if len(b)-len(a) > limit || len(b) > 40 {
		return false
	}
	return distance(a, b, limit) <= limit
}

// swapped reports whether two words of the same length differ by two neighbours that changed places.
func swapped(a, b string) bool {
	for i := 0; i+1 < len(a); i++ {
		if a[i] != b[i] {
			return a[i] == b[i+1] && a[i+1] == b[i] && a[i+2:] == b[i+2:]
		}
	}
	return false
}

// distance counts the letters to change, add, leave out or swap with their
// neighbours, to get b from a; more than limit is limit+1. len(a) <= len(b) <= 40.
func distance(a, b string, limit int) int {
	for len(a) > 0 && a[len(a)-1] == b[len(b)-1] {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	for len(a) > 0 && a[0] == b[0] {
		a, b = a[1:], b[1:]
	}
	if len(a) == 0 {
		return min(len(b), limit+1)
	}
	var rows [3][41]uint8
	before, last, row := &rows[0], &rows[1], &rows[2]
	for j := range len(b) + 1 {
		last[j] = uint8(j)
	}
	for i := 1; i <= len(a); i++ {
		row[0] = uint8(i)
		lowest := row[0]
		for j := 1; j <= len(b); j++ {
			cost := uint8(1)
			if a[i-1] == b[j-1] {
				cost = 0
			}
			d := min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d = min(d, before[j-2]+1)
			}
			row[j] = d
			lowest = min(lowest, d)
		}
		if int(lowest) > limit {
			return limit + 1
		}
		before, last, row = last, row, before
	}
	return int(last[len(b)])
}
