package propose

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	xlanguage "golang.org/x/text/language"

	"young-compass/internal/address"
	"young-compass/internal/language"
)

// languages are what was found of a site's languages.
type languages struct {
	standard  string            // the one without a mark
	prefixes  map[string]string // in small letters -> language
	hosts     map[string]string // -> language
	parameter string            // whose values are codes; empty: none
	values    map[string]string // of that parameter -> language
}

// tagger remembers codes that were read.
type tagger map[string]string

// maxTags bounds what a tagger remembers.
const maxTags = 10000

// of returns what tagOf does.
func (t tagger) of(code string) string {
	if len(code) < 2 || len(code) > 10 || code[0] <= '9' {
		return ""
	}
	tag, ok := t[code]
	if !ok {
		if tag = tagOf(code); len(t) < maxTags {
			t[code] = tag
		}
	}
	return tag
}

// tagOf returns a code in the usual letters; empty for what is none.
//
//	DE_ch    de-CH
func tagOf(code string) string {
	code = strings.ReplaceAll(strings.TrimSpace(code), "_", "-")
	if len(code) < 2 || len(code) > 10 || strings.EqualFold(code, language.Default) {
		return ""
	}
	c, mistake := language.Parse(code)
	if mistake != nil && !mistake.Doubtful || c.Language == "" {
		return ""
	}
	tag, err := xlanguage.Parse(c.String())
	if err != nil {
		return ""
	}
	return tag.String()
}

// baseOf returns a language without its region.
func baseOf(tag string) string {
	base, _, _ := strings.Cut(tag, "-")
	return base
}

// commonWords are words that titles of a language have, and those of others hardly.
func commonWords() map[string]string {
	return map[string]string{
		"en": "the of and for with your from our how what where at",
		"de": "der die das und für mit von im zum zur ein eine unser unsere wie wo auf fuer",
		"fr": "le les et des du pour avec une dans nos notre votre aux sur",
		"es": "el los las del para con una nuestro nuestra en y cómo",
		"it": "il gli della delle per con una nostro nella dei e di",
		"nl": "het een van voor met onze naar hoe waar bij",
		"nb": "og på til med ikke fra vår våre av ved slik",
		"sv": "och på för med från vår hur till av som",
		"da": "og på til med fra vores hvordan af ved som",
		"pt": "os das dos para com uma nosso nossa em não",
	}
}

// guesser tells the language of titles by their common words.
type guesser map[string][]string // word -> languages

func newGuesser() guesser {
	g := guesser{}
	for tag, words := range commonWords() {
		for word := range strings.FieldsSeq(words) {
			g[word] = append(g[word], tag)
		}
	}
	return g
}

// note counts the words of a title.
func (g guesser) note(title string, into tally) {
	for word := range strings.FieldsFuncSeq(strings.ToLower(title), func(r rune) bool {
		return r <= '/' || ':' <= r &&
			r <= '@'
	}) {
		if tags := g[word]; len(tags) > 0 {
			for _, tag := range tags {
				into[tag] += 6 / len(tags)
			}
		}
	}
}

// survey is what is found of a site by its addresses alone.
type survey struct {
	e         *Evidence
	languages languages
	hosts     hosts
	guesses   guesser
	tags      tagger
}

// saidBy returns the language that is said of an address; empty where nobody says it.
func (s *survey) saidBy(seen *Seen) string {
	if seen.Language == "" {
		return ""
	}
	return s.tags.of(seen.Language)
}

// marks counts what marks of languages addresses have.
type mark struct {
	n, agree, differ int
	examples         []string
	titles           tally
	below            map[string]int // what stands behind the mark, and how often
}

// languageParameters are the usual names of a parameter that says the language.
func languageParameters() []string {
	return []string{"lang", "language", "hl", "locale", "lg", "lng", "l", "sprache", "langue", "idioma", "lingua",
		"taal", "sprak"}
}

// findLanguages finds how addresses show the language of their pages.
func (d *draft) findLanguages(s *survey) {
	prefixes, parameters := map[string]*mark{}, map[string]map[string]*mark{}
	at := func(m map[string]*mark, key string) *mark {
		if m[key] == nil {
			m[key] = &mark{titles: tally{}, below: map[string]int{}}
		}
		return m[key]
	}
	notCodes, folders := map[string]int{}, map[string]int{}
	count := func(m *mark, tag string, seen *Seen) {
		m.n++
		m.examples = show(m.examples, seen.Address)
		if said := s.saidBy(seen); said != "" && seen.Says&^Log != 0 {
			if baseOf(said) == baseOf(tag) {
				m.agree++
			} else {
				m.differ++
			}
		}
		s.guesses.note(seen.Title, m.titles)
	}
	all := make([]Seen, 0, len(s.e.Translated))
	for _, t := range s.e.Translated {
		all = append(all, Seen{Address: t.Address, Language: t.Language, Says: Alternate})
	}
	for _, list := range [][]Seen{s.e.Seen, all} {
		for i := range list {
			seen := &list[i]
			if seen.Says&listed == 0 && (seen.Status != 200 || seen.Visits == 0) {
				continue
			}
			first, rest, deeper := strings.Cut(seen.Address.Path[1:], "/")
			switch tag := s.tags.of(first); {
			case seen.Says&listed == 0:
			case len(first) <= 5 && tag != "":
				m := at(prefixes, strings.ToLower(first))
				count(m, tag, seen)
				if second, _, folder := strings.Cut(rest, "/"); folder && len(m.below) < maxFolders {
					m.below[second]++
				}
			case deeper && len(folders) < maxFolders:
				folders[first]++
			}
			for _, q := range address.SplitQuery(seen.Address.Query) {
				if len(q.Value) > 12 {
					notCodes[q.Name]++
					continue
				}
				if tag := s.tags.of(strings.TrimPrefix(q.Value, "=")); tag != "" {
					if parameters[q.Name] == nil {
						parameters[q.Name] = map[string]*mark{}
					}
					count(at(parameters[q.Name], strings.TrimPrefix(q.Value, "=")), tag, seen)
				} else {
					notCodes[q.Name]++
				}
			}
		}
	}
	l := &s.languages
	l.prefixes, l.values = map[string]string{}, map[string]string{}
	d.findParameter(l, parameters, notCodes)
	for _, m := range prefixes {
		m.mirror(folders)
	}
	d.findStandard(s, prefixes)
	d.findPrefixes(s, prefixes)
	d.tellLanguages(s)
}

// findParameter finds the parameter that says the language.
func (d *draft) findParameter(l *languages, parameters map[string]map[string]*mark, notCodes map[string]int) {
	best, most := "", 0
	for _, name := range slices.Sorted(maps.Keys(parameters)) {
		n, agree, differ := 0, 0, 0
		for _, m := range parameters[name] {
			n, agree, differ = n+m.n, agree+m.agree, differ+m.differ
		}
		usual := slices.Contains(languageParameters(), strings.ToLower(name))
		if notCodes[name]*20 > n || !usual && (agree < least || len(parameters[name]) < 2) || differ*4 > agree+1 &&
			differ*4 > n {
			continue
		}
		if n > most {
			best, most = name, n
		}
	}
	if best == "" {
		return
	}
	l.parameter = best
	var examples []string
	for _, value := range slices.Sorted(maps.Keys(parameters[best])) {
		l.values[value] = tagOf(value)
		examples = example(examples, parameters[best][value].examples[0])
	}
	d.add("languages.parameter", quoted(best), "", examples, "its values are codes of languages: %s (%d addresses)",
		strings.Join(slices.Sorted(maps.Keys(parameters[best])), ", "), most)
}

// findStandard finds the language of the addresses without a mark.
func (d *draft) findStandard(s *survey, prefixes map[string]*mark) {
	said, guessed, unmarked := tally{}, tally{}, 0
	for i := range s.e.Seen {
		seen := &s.e.Seen[i]
		if seen.Says&listed == 0 || s.valueOf(seen.Address) != "" || s.hosts.languages[seen.Address.Host] != "" {
			continue
		}
		first, _, _ := strings.Cut(seen.Address.Path[1:], "/")
		if m := prefixes[address.Fold(first)]; m != nil && (m.convincing() || m.titled(tagOf(first))) {
			continue
		}
		unmarked++
		if tag := s.saidBy(seen); tag != "" {
			said[tag]++
		}
		s.guesses.note(seen.Title, guessed)
	}
	var examples []string
	tag, n := said.most()
	switch {
	case n > 0:
		d.add("languages.default", tag, "", nil, "%d of the %d addresses without a mark of a language are said to be in it",
			n, unmarked)
	case len(s.e.Translated) > 0 && s.xDefault() != "":
		tag = s.xDefault()
		d.add("languages.default", tag, "", nil, "links to translations name it for visitors of no language")
	default:
		tag, n = guessed.most()
		if n*2 > guessed.sum() && n >= 18 {
			d.add("languages.default", tag, "", examples, "the words of titles: no source says a language")
			break
		}
		counts := tally{}
		for prefix, m := range prefixes {
			if m.convincing() {
				counts[tagOf(prefix)] += m.n
			}
		}
		tag, n = counts.most()
		if n > 0 && unmarked < n/10 {
			d.add("languages.default", tag, "", nil, "most addresses have its mark, and hardly any has none")
			break
		}
		tag = "en"
		d.add("languages.default", tag, "in which language are the pages without a mark? No source says", nil,
			"no source says a language")
	}
	s.languages.standard = tag
}

// xDefault returns the language of the page for visitors of no language.
func (s *survey) xDefault() string {
	for _, t := range s.e.Translated {
		if s.e.XDefault != "" && t.Address.Host+t.Address.Path == s.e.XDefault {
			return tagOf(t.Language)
		}
	}
	return ""
}

// valueOf returns the language that the parameter of an address says.
func (s *survey) valueOf(a address.Address) string {
	if s.languages.parameter == "" {
		return ""
	}
	q, ok := address.First(address.SplitQuery(a.Query), s.languages.parameter)
	if !ok {
		return ""
	}
	return s.languages.values[strings.TrimPrefix(q.Value, "=")]
}

// maxFolders bounds the folders that are compared.
const maxFolders = 1000

// mirror makes what a mark stands before speak for it, where most of it stands in folders that are also there without
// the mark: /de/news beside /news.
func (m *mark) mirror(folders map[string]int) {
	same, n := 0, 0
	for folder, times := range m.below {
		n += times
		if folders[folder] > 0 {
			same += times
		}
	}
	if m.agree == 0 && m.differ == 0 && same >= least && same*10 >= n*7 {
		m.agree = same
	}
}

// convincing reports whether a first segment that is a code marks a language: its pages are said to be in it.
func (m *mark) convincing() bool {
	return m.agree >= 1 && m.agree > 5*m.differ
}

// titled reports whether nobody says the language of the pages behind a mark, but their titles are in it.
func (m *mark) titled(tag string) bool {
	guess, n := m.titles.most()
	return m.agree+m.differ == 0 && guess == baseOf(tag) && n >= 12 && n*2 > m.titles.sum()
}

// findPrefixes finds the first segments that mark a language.
func (d *draft) findPrefixes(s *survey, prefixes map[string]*mark) {
	for _, prefix := range slices.Sorted(maps.Keys(prefixes)) {
		m, tag := prefixes[prefix], tagOf(prefix)
		switch {
		case m.convincing(), m.titled(tag):
			s.languages.prefixes[prefix] = tag
		case m.differ > 0 || m.n < least || tag == s.languages.standard:
		case s.common(tag) && !s.otherMarks(prefix, prefixes) && (len(prefixes) >= 2 || m.n >= 10):
			d.item("languages.others", fmt.Sprintf("%s: {prefix: %s}", tag, prefix),
				"is /"+prefix+"/ the mark of a language? No source says so",
				m.examples, "%d addresses begin with it", m.n)
		}
	}
}

// common reports whether a language is one that many sites have.
func (s *survey) common(tag string) bool {
	return slices.Contains([]string{"en", "de", "fr", "es", "it", "nl", "nb", "no", "sv", "da", "pt", "pl", "cs", "fi",
		"ru", "uk", "ja", "zh", "ko", "ar", "tr", "el", "hu", "ro"}, baseOf(tag))
}

// otherMarks reports whether another first segment is sure to mark a language, so that doubtful ones are not.
func (s *survey) otherMarks(prefix string, prefixes map[string]*mark) bool {
	for other, m := range prefixes {
		if other != prefix && m.convincing() {
			return true
		}
	}
	return false
}

// tellLanguages writes the lines of the languages besides the default one.
func (d *draft) tellLanguages(s *survey) {
	l := &s.languages
	l.hosts = s.hosts.languages
	type found struct {
		prefix, host string
		why          string
		examples     []string
	}
	others := map[string]*found{}
	at := func(tag string) *found {
		if others[tag] == nil {
			others[tag] = &found{}
		}
		return others[tag]
	}
	for _, prefix := range slices.Sorted(maps.Keys(l.prefixes)) {
		if tag := l.prefixes[prefix]; tag != l.standard && at(tag).prefix == "" {
			at(tag).prefix, at(tag).why = prefix, "addresses begin with /"+prefix+"/, and what speaks of the pages behind it agrees"
		}
	}
	for _, host := range slices.Sorted(maps.Keys(l.hosts)) {
		at(l.hosts[host]).host, at(l.hosts[host]).why = host, "the host has pages in it alone"
	}
	for _, value := range slices.Sorted(maps.Keys(l.values)) {
		if tag := l.values[value]; tag != l.standard && others[tag] == nil {
			f := at(tag)
			f.prefix, f.why = strings.ToLower(tag), "addresses with "+l.parameter+"="+value
		}
	}
	said := map[string]*mark{}
	for i := range s.e.Seen {
		seen := &s.e.Seen[i]
		if tag := s.saidBy(seen); tag != "" && seen.Says&listed != 0 {
			if said[tag] == nil {
				said[tag] = &mark{}
			}
			said[tag].n++
			said[tag].examples = show(said[tag].examples, seen.Address)
		}
	}
	for _, tag := range slices.Sorted(maps.Keys(said)) {
		if m := said[tag]; tag != l.standard && others[tag] == nil && !s.speaks(tag) && m.n >= least &&
			m.n*50 >= len(s.e.Seen) {
			f := at(tag)
			f.prefix, f.why, f.examples = strings.ToLower(tag), fmt.Sprintf("%d pages are said to be in it; their addresses don't show it", m.n), m.examples
		}
	}
	for _, tag := range slices.Sorted(maps.Keys(others)) {
		f := others[tag]
		value := fmt.Sprintf("%s: {prefix: %s}", quoted(tag), quoted(f.prefix))
		if f.host != "" {
			value = fmt.Sprintf("%s: {host: %s}", quoted(tag), quoted(f.host))
		}
		d.item("languages.others", value, "", f.examples, "%s", f.why)
	}
}

// speaks reports whether a language is found already, with or without a region.
func (s *survey) speaks(tag string) bool {
	for _, m := range []map[string]string{s.languages.prefixes, s.languages.values, s.languages.hosts} {
		for _, other := range m {
			if baseOf(other) == baseOf(tag) {
				return true
			}
		}
	}
	return baseOf(tag) == baseOf(s.languages.standard)
}

// hostLanguage returns the tag of the language of a host: with a region by the end or the beginning of its name, where
// the origin has the same language.
//
//	skerrywick-ch.example, in German    de-CH
func (s *survey) hostLanguage(host, tag string, origin *hostCount) string {
	if strings.Contains(tag, "-") || origin == nil || origin.languages[tag] == 0 {
		return tag
	}
	for _, part := range strings.FieldsFunc(bare(host), func(r rune) bool { return r == '.' || r == '-' }) {
		if len(part) == 2 && part != tag {
			if with := tagOf(tag + "-" + part); with != "" {
				return with
			}
		}
	}
	return tag
}

// without returns an address's path and parameters without the mark of its language.
func (l *languages) without(a address.Address) (path string, params []address.Param) {
	path = a.Path
	first, rest, _ := strings.Cut(a.Path[1:], "/")
	if len(first) <= 5 && l.prefixes[address.Fold(first)] != "" {
		path = "/" + rest
	}
	for _, q := range address.SplitQuery(a.Query) {
		if q.Raw != "" && (l.parameter == "" || q.Name != l.parameter) {
			params = append(params, q)
		}
	}
	return path, params
}
