// Package lint judges addresses for people: can they be read, typed, guessed
// and trusted? Each finding says which part is meant, why it matters, and a
// better address.
package lint

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/slug"
)

// Subject is an address to judge. Kind, Title and Language are those of its
// page, empty where nothing is known of it.
type Subject struct {
	Text     string // as written
	Address  address.Address
	Where    finding.Place
	Kind     string
	Title    string
	Language string
	Dated    bool   // a date belongs into addresses of its kind
	Better   string // the address that its page is to have, where that is decided
}

// Limits say what is too long. Zero values mean Depth 4, Length 75.
type Limits struct{ Depth, Length int }

func (l Limits) orDefault() Limits {
	if l.Depth == 0 {
		l.Depth = 4
	}
	if l.Length == 0 {
		l.Length = 75
	}
	return l
}

// Judge is what a judgement needs to know of the site.
type Judge struct {
	Limits          Limits
	DefaultLanguage string // whose code is no prefix; may be empty
}

// fault is something wrong with one address.
type fault struct {
	code     finding.Code
	severity finding.Severity
	part     string // of the address
	why      string
	weight   int // points taken from the readability of 100
}

// Findings judges all subjects, each alone and then together.
func (j Judge) Findings(subjects []Subject) []finding.Finding {
	var found []finding.Finding
	for _, s := range subjects {
		better := j.better(s)
		for _, f := range j.faults(s) {
			found = append(found, f.finding(s, better))
		}
	}
	found = append(found, j.together(subjects)...)
	finding.Sort(found)
	return found
}

func (f fault) finding(s Subject, better string) finding.Finding {
	where := s.Where
	where.URL = s.Address.String()
	advice := ""
	if better != "" && better != s.Address.Local() {
		advice = "better: " + better
	}
	return finding.Finding{Code: f.code, Severity: f.severity, Where: where,
		What: fmt.Sprintf("%s in %s", f.part, s.Text), Why: f.why, Advice: advice}
}

// faults returns what is wrong with one address.
func (j Judge) faults(s Subject) []fault {
	var list []fault
	add := func(code finding.Code, severity finding.Severity, weight int, why, format string, args ...any) {
		list = append(list, fault{code, severity, fmt.Sprintf(format, args...), why, weight})
	}
	path := s.Address.Path
	segments := segmentsOf(path)
	for _, q := range address.SplitQuery(s.Address.Query) {
		switch {
		case q.Raw == "":
		case sessionName(q.Name):
			add(finding.SessionID, finding.Error, 30,
				"each visitor gets addresses of his own; copied links carry a stranger's visit", "the parameter %s",
				q.Name)
		default:
			add(finding.QueryAddress, finding.Warning, 15,
				"nobody can guess or remember it, and its order and company vary", "the parameter %s", q.Raw)
			if Opaque(strings.TrimPrefix(q.Value, "=")) && !datePart(strings.TrimPrefix(q.Value, "=")) {
				add(finding.OpaqueID, finding.Warning, 20, "a number tells nobody which page it is", "%s", q.Raw)
			}
		}
	}
	if i := strings.Index(strings.ToLower(path), ";jsessionid="); i >= 0 {
		add(finding.SessionID, finding.Error, 30,
			"each visitor gets addresses of his own; copied links carry a stranger's visit", "%s", path[i:])
	}
	for i, segment := range segments {
		last := i == len(segments)-1
		name, extension := splitExtension(segment)
		switch {
		case last && strings.EqualFold(name, "index") && extension != "":
			add(finding.IndexFile, finding.Warning, 10, "the folder alone means the same, so there are two addresses",
				"the index file %s", segment)
		case last && technical(extension):
			add(finding.TechnicalExtension, finding.Warning, 10,
				"it tells how the site is made, and changes when that does", "the extension %s", extension)
		}
		if Opaque(name) && !(s.Dated && datePart(name)) {
			add(finding.OpaqueID, finding.Warning, 20, "a number tells nobody which page it is", "%s", segment)
		}
		j.letters(segment, name, add)
	}
	if strings.Contains(path, "//") {
		add(finding.DoubleSeparator, finding.Warning, 5, "easily lost in copying, and then another address",
			"the doubled slash")
	}
	if date := dateIn(segments); date != "" && !s.Dated && s.Kind != "" {
		add(finding.NeedlessDate, finding.Note, 5, "the page looks old as soon as the year is over", "the date %s",
			date)
	}
	if words := repeated(segments); len(words) > 0 {
		add(finding.RepeatedWord, finding.Note, 5, "it makes the address longer and tells nothing new", "%s twice",
			strings.Join(words, ", "))
	}
	if words := fillers(segments, s.Language); len(words) > 0 {
		add(finding.FillerWords, finding.Note, 3, "the address says the same without", "%s", strings.Join(words, ", "))
	}
	limits := j.Limits.orDefault()
	if n := len(segments); n > limits.Depth {
		add(finding.DeepAddress, finding.Warning, 10, "the more levels, the harder to see where one is",
			"%d segments, more than %d,", n, limits.Depth)
	}
	if n := utf8.RuneCountInString(address.Decode(path)); n > limits.Length {
		add(finding.LongAddress, finding.Warning, 10, "it breaks in mails and can't be told on the telephone",
			"%d characters, more than %d,", n, limits.Length)
	}
	if j.DefaultLanguage != "" && len(segments) > 0 && strings.EqualFold(segments[0], j.DefaultLanguage) {
		add(finding.DefaultLanguagePrefix, finding.Warning, 10,
			"the same page is there without it, so there are two addresses", "the prefix /%s", segments[0])
	}
	return list
}

// letters looks at the letters of one segment.
func (j Judge) letters(segment, name string, add func(code finding.Code, severity finding.Severity, weight int, why,
	format string, args ...any)) {
	decoded := address.Decode(segment)
	switch {
	case strings.Contains(name, "--") || strings.Contains(name, "__"):
		add(finding.DoubleSeparator, finding.Note, 5, "a letter was left out there, or a word", "%s", segment)
	case strings.ContainsRune(name, '_'):
		add(finding.Underscore, finding.Note, 5, "it vanishes in an underlined link; a hyphen doesn't", "%s", segment)
	}
	if strings.Contains(decoded, " ") || strings.Contains(decoded, "+") {
		add(finding.Space, finding.Warning, 10, "it is written %20, and cut there in mails", "%s", segment)
	}
	if address.HasCapitals(segment) {
		add(finding.Capitals, finding.Note, 5, "people type small letters, and many servers tell them apart", "%s",
			segment)
	}
	if !utf8.ValidString(decoded) {
		add(finding.EncodedLetters, finding.Warning, 15,
			"these bytes are no letters in UTF-8; browsers show them as percent signs", "%s", segment)
	} else if strings.IndexFunc(decoded, func(r rune) bool { return r > unicode.MaxASCII }) >= 0 {
		add(finding.EncodedLetters, finding.Note, 5, "copied, they become long rows of percent signs", "%s",
			address.Printable(decoded))
	}
	if run := longestWord(decoded); len(run) > 24 {
		add(finding.MissingSeparator, finding.Note, 5, "words that stand together are hard to read", "%s", run)
	}
	if placeholder(decoded) {
		add(finding.Placeholder, finding.Error, 30, "it was meant to be replaced by a field of the page", "%s",
			address.Printable(decoded))
	}
}

// better returns the address as it could be: readable segments, no extension,
// no parameters. Where only a number stands it takes the page's title.
func (j Judge) better(s Subject) string {
	if s.Better != "" {
		return s.Better
	}
	var out []string
	path, _, _ := strings.Cut(s.Address.Path, ";")
	segments := segmentsOf(path)
	for i, segment := range segments {
		last := i == len(segments)-1
		name, extension := splitExtension(segment)
		if extension == "" || !technical(extension) {
			name = segment
		}
		if last && strings.EqualFold(name, "index") || i == 0 && j.DefaultLanguage != "" &&
			strings.EqualFold(segment, j.DefaultLanguage) {
			continue
		}
		text := spaced(address.Decode(name))
		if last && s.Title != "" && (Opaque(name) || placeholder(text)) {
			text = s.Title
		}
		if text = withoutFillers(slug.Make(text, s.Language), s.Language); text != "" &&
			(len(out) == 0 || out[len(out)-1] != text) {
			out = append(out, text)
		}
	}
	if len(segments) > 0 && len(out) == 0 || s.Address.Query != "" && s.Title != "" {
		if s.Title == "" {
			return ""
		}
		out = []string{slug.Make(s.Title, s.Language)}
	}
	return "/" + strings.Join(out, "/")
}

func segmentsOf(path string) []string {
	return strings.FieldsFunc(path, func(r rune) bool { return r == '/' })
}

// spaced puts a space between words that only a capital letter separates.
//
//	WinterTimetable    Winter Timetable
func spaced(s string) string {
	var b strings.Builder
	previous := ' '
	for _, r := range s {
		if unicode.IsUpper(r) && unicode.IsLower(previous) {
			b.WriteByte(' ')
		}
		b.WriteRune(r)
		previous = r
	}
	return b.String()
}
