// Package language judges the codes by which pages name their translations, as
// link elements, Link headers and sitemaps write them (hreflang): a language of
// ISO 639-1, perhaps a script of ISO 15924, perhaps a region of ISO 3166-1, in
// the order of BCP 47 (RFC 5646 section 2.1), or x-default.
package language

import (
	"fmt"
	"strings"

	"golang.org/x/text/language"

	"young-compass/internal/address"
)

// Default is the code of the page for everyone whose language has none.
const Default = "x-default"

// Code is a code taken apart, in the letters in which it is usually written.
type Code struct {
	Language string // de; empty for x-default
	Script   string // Hant
	Region   string // CH
}

// String writes the code: zh-Hant-TW, or x-default.
func (c Code) String() string {
	if c.Language == "" {
		return Default
	}
	s := c.Language
	for _, part := range []string{c.Script, c.Region} {
		if part != "" {
			s += "-" + part
		}
	}
	return s
}

// Mistake is what is wrong with a code.
type Mistake struct {
	What     string
	Likely   string // the code that was probably meant; may be empty
	Doubtful bool   // the code means something, but probably not what was meant
}

// Error says what is wrong, and what was probably meant.
func (m *Mistake) Error() string {
	if m.Likely == "" {
		return m.What
	}
	return m.What + "; " + m.Likely + " is probably meant"
}

// Parse reads a code. Letters don't count. A doubtful code comes with both its
// meaning and a mistake.
func Parse(tag string) (Code, *Mistake) {
	c, m := parse(tag)
	switch {
	case m == nil && swapped(tag):
		region, language, _ := strings.Cut(tag, "-")
		return c, &Mistake{What: address.Printable(tag) + " is written as a region before a language", Likely: language + "-" + region,
			Doubtful: true}
	case m != nil && !m.Doubtful && known(tag):
		m = &Mistake{What: address.Printable(tag) + " is in BCP 47, but search engines read a language of ISO 639-1, with a region " +
			"of ISO 3166-1 at most", Likely: m.Likely, Doubtful: true}
	}
	return c, m
}

// swapped reports whether a right code is written, by its letters, as a region before a language: CA-fr.
func swapped(tag string) bool {
	first, second, ok := strings.Cut(tag, "-")
	return ok && len(first) == 2 && strings.ToUpper(first) == first && strings.ToLower(second) == second &&
		listed(regions, strings.ToLower(first)) && listed(languages, second)
}

// known reports whether a code that isn't one of ISO 639-1 and 3166-1 is one all the same (BCP 47): fil, es-419,
// yue-Hant-HK, de-CH-1901.
func known(tag string) bool {
	if _, err := language.Raw.Parse(tag); err != nil {
		return false
	}
	parts := strings.Split(strings.ToLower(tag), "-")
	_, old := lookup(replaced, parts[0])
	_, long := lookup(threeLetters, parts[0])
	if old || long || !listed(languages, parts[0]) && len(parts[0]) != 3 {
		return false
	}
	rest := parts[1:]
	if len(rest) > 0 && listed(scripts, rest[0]) {
		rest = rest[1:]
	}
	if len(rest) > 0 {
		if r, err := language.ParseRegion(rest[0]); listed(regions, rest[0]) || err == nil && len(rest[0]) == 3 && r.IsGroup() {
			rest = rest[1:]
		}
	}
	for _, variant := range rest {
		if _, err := language.ParseVariant(variant); err != nil {
			return false
		}
	}
	return true
}

func parse(tag string) (Code, *Mistake) {
	shown := address.Printable(tag)
	if strings.EqualFold(tag, Default) {
		return Code{}, nil
	}
	if m := spelling(tag, shown); m != nil {
		return Code{}, m
	}
	parts := strings.Split(strings.ToLower(tag), "-")
	c := Code{Language: parts[0]}
	if m := languageMistake(parts, shown); m != nil {
		return c, m
	}
	rest := parts[1:]
	if len(rest) > 0 && len(rest[0]) == 4 {
		if !listed(scripts, rest[0]) {
			return c, &Mistake{What: fmt.Sprintf("%s: %s is not a script of ISO 15924", shown, rest[0]),
				Likely: c.Language}
		}
		c.Script, rest = strings.ToUpper(rest[0][:1])+rest[0][1:], rest[1:]
	}
	if len(rest) == 0 {
		return c, doubtful(c, shown)
	}
	region := rest[0]
	if m := regionMistake(c, region, shown); m != nil {
		return c, m
	}
	c.Region = strings.ToUpper(region)
	if len(rest) > 1 {
		return c, &Mistake{What: fmt.Sprintf("%s: nothing stands behind the region", shown), Likely: c.String()}
	}
	return c, doubtful(c, shown)
}

// spelling tells mistakes of form.
func spelling(tag, shown string) *Mistake {
	likely := func(s string) string {
		if c, m := Parse(s); m == nil {
			return c.String()
		} else if m.Likely != "" {
			return m.Likely
		}
		return ""
	}
	switch {
	case tag == "":
		return &Mistake{What: "no code"}
	case strings.TrimSpace(tag) != tag:
		return &Mistake{What: fmt.Sprintf("%q: a space around the code", shown), Likely: likely(strings.TrimSpace(tag))}
	case strings.Contains(tag, "_"):
		return &Mistake{What: shown + ": an underscore, where codes have a hyphen",
			Likely: likely(strings.ReplaceAll(tag, "_", "-"))}
	case strings.EqualFold(tag, "xdefault"), strings.EqualFold(tag, "x_default"), strings.EqualFold(tag, "default"):
		return &Mistake{What: shown + " is not a code", Likely: Default}
	}
	for _, part := range strings.Split(tag, "-") {
		if part == "" || len(part) > 8 || strings.Trim(strings.ToLower(part),
			"abcdefghijklmnopqrstuvwxyz0123456789") != "" {
			return &Mistake{What: fmt.Sprintf("%q is not a code: codes are letters and digits with hyphens between",
				shown)}
		}
	}
	return nil
}

// languageMistake judges the first part.
func languageMistake(parts []string, shown string) *Mistake {
	first := parts[0]
	if listed(languages, first) {
		return nil
	}
	rest := strings.Join(parts[1:], "-")
	with := func(s string) string {
		if rest != "" {
			s += "-" + rest
		}
		if c, m := Parse(s); m == nil {
			return c.String()
		}
		return strings.SplitN(s, "-", 2)[0]
	}
	if meant, ok := lookup(replaced, first); ok {
		return &Mistake{What: fmt.Sprintf("%s: %s was replaced in ISO 639-1", shown, first), Likely: with(meant)}
	}
	if meant, ok := lookup(threeLetters, first); ok {
		return &Mistake{What: fmt.Sprintf("%s: three letters, where ISO 639-1 has two", shown), Likely: with(meant)}
	}
	if len(parts) == 2 && listed(regions, first) && listed(languages, parts[1]) {
		return &Mistake{What: shown + ": the region stands before the language", Likely: parts[1] + "-" +
			strings.ToUpper(first)}
	}
	if meant, ok := lookup(countryLanguages, first); ok {
		meant, alone := strings.CutPrefix(meant, "!")
		if rest == "" && !alone && listed(regions, first) {
			meant += "-" + strings.ToUpper(first)
		}
		return &Mistake{What: fmt.Sprintf("%s: %s is a country, no language of ISO 639-1", shown, first),
			Likely: with(meant)}
	}
	if listed(regions, first) {
		return &Mistake{What: fmt.Sprintf("%s: %s is a country, no language of ISO 639-1", shown, first)}
	}
	return &Mistake{What: fmt.Sprintf("%s: %s is not a language of ISO 639-1", shown, first)}
}

// regionMistake judges what stands where a region is expected.
func regionMistake(c Code, region, shown string) *Mistake {
	likely := func(region string) string {
		c.Region = strings.ToUpper(region)
		return c.String()
	}
	if listed(regions, region) {
		return nil
	}
	if meant, ok := lookup(wrongRegions, region); ok {
		return &Mistake{What: fmt.Sprintf("%s: %s is not a region of ISO 3166-1", shown, strings.ToUpper(region)),
			Likely: likely(meant)}
	}
	if script, ok := lookup(oldScripts, region); ok {
		c.Script = script
		return &Mistake{What: fmt.Sprintf("%s: %s is neither a script nor a region", shown, region), Likely: c.String()}
	}
	what := fmt.Sprintf("%s: %s is not a region of ISO 3166-1", shown, strings.ToUpper(region))
	switch {
	case strings.Trim(region, "0123456789") == "":
		return &Mistake{What: shown + ": a region by number, which search engines don't read", Likely: c.String()}
	case region == c.Language && homeOf(region) != "":
		return &Mistake{What: what, Likely: likely(homeOf(region))}
	case listed(languages, region) && homeOf(region) != "" && region != c.Language:
		return &Mistake{What: what + " but a language", Likely: region}
	}
	return &Mistake{What: what, Likely: c.String()}
}

// doubtful tells codes that are right by themselves, but usually a mistake.
func doubtful(c Code, shown string) *Mistake {
	if c.Region == "" {
		if meant, ok := lookup(countriesTakenForLanguages, c.Language); ok {
			name, likely, _ := strings.Cut(meant, "/")
			return &Mistake{What: fmt.Sprintf("%s is %s", shown, name), Likely: likely, Doubtful: true}
		}
		return nil
	}
	if home := homeOf(c.Language); strings.EqualFold(c.Region, c.Language) && home != "" &&
		!strings.EqualFold(home, c.Region) {
		meant := c
		meant.Region = strings.ToUpper(home)
		return &Mistake{What: fmt.Sprintf("%s: the region %s is not where the language is at home", shown, c.Region),
			Likely: meant.String(), Doubtful: true}
	}
	return nil
}

func homeOf(language string) string { home, _ := lookup(homes, language); return home }

// Same reports whether a page that says it is in one language may be named by a
// code for another: what both say agrees.
func Same(said, code string) bool {
	a, _, _ := strings.Cut(strings.ReplaceAll(strings.ToLower(said), "_", "-"), "-")
	b, _, _ := strings.Cut(strings.ToLower(code), "-")
	norwegian := func(s string) bool { return s == "no" || s == "nb" }
	return a == b || norwegian(a) && norwegian(b)
}

// listed reports whether a list of words parted by spaces holds one.
func listed(list, word string) bool {
	return word != "" && strings.Contains(" "+list+" ", " "+word+" ")
}

// lookup finds what stands behind "word=" in such a list.
func lookup(list, word string) (string, bool) {
	_, rest, ok := strings.Cut(" "+list+" ", " "+word+"=")
	if !ok {
		return "", false
	}
	value, _, _ := strings.Cut(rest, " ")
	return strings.ReplaceAll(value, "+", " "), true
}
