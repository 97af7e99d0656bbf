package planfile

import (
	"fmt"
	"slices"
	"unicode/utf8"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/slug"
	"young-compass/internal/template"
)

// Kind says how the pages of a kind are addressed.
type Kind struct {
	Name       string
	Address    *template.Template
	Slug       string                        // the field that the variable slug is made from
	ByLanguage map[string]*template.Template // where a language has one of its own
	Shown      bool                          // in further sections a page is shown too, instead of leading to the first
	Where      finding.Place
}

// Collide says what becomes of a page whose address another has already.
type Collide string

// The ways to tell two addresses apart.
const (
	CollideNever  Collide = ""       // it is a finding
	CollideNumber Collide = "number" // "-2" and so on
	CollideParent Collide = "parent" // the page's parent, section or region, else its kind
	CollideDate   Collide = "date"   // the page's date
	CollideAsk    Collide = "ask"    // a person says it
)

// ParseCollide reads one of these.
func ParseCollide(s string) (Collide, error) {
	switch c := Collide(s); c {
	case CollideNever, CollideNumber, CollideParent, CollideDate, CollideAsk:
		return c, nil
	}
	return "", fmt.Errorf("%s doesn't say how to tell addresses apart; say number, parent, "+
		"date or ask", address.Printable(s))
}

// readSlugs reads how titles become path segments.
func (c *Settings) readSlugs(v value) {
	f := v.fields("letters", "length", "fillers", "spelling", "reserved", "collide")
	if v, ok := f["letters"]; ok {
		c.Slugs.Keep = v.oneOf("ascii", "keep") == "keep"
	}
	if v, ok := f["length"]; ok {
		c.Slugs.Length = v.number(1, 1000)
	}
	if v, ok := f["fillers"]; ok {
		c.Slugs.Fillers = map[string][]string{}
		for _, e := range v.entries() {
			tag := languageTag(e.at, e.key)
			for _, item := range e.value.list() {
				c.Slugs.Fillers[tag] = append(c.Slugs.Fillers[tag], item.text())
			}
		}
	}
	if v, ok := f["spelling"]; ok {
		c.Slugs.Spelling = map[string]map[string]string{}
		for _, e := range v.entries() {
			tag := ""
			if e.key != "all" {
				tag = languageTag(e.at, e.key)
			}
			c.Slugs.Spelling[tag] = map[string]string{}
			for _, s := range e.value.entries() {
				if utf8.RuneCountInString(s.key) != 1 || s.key[0] < utf8.RuneSelf &&
					(s.key == "-" || slug.Make(s.key, "") != "") {
					s.at.fail("write a letter beyond ASCII or a sign, such as ø: oe",
						"%q is not one character whose spelling can be said", address.Printable(s.key))
				}
				c.Slugs.Spelling[tag][s.key] = s.value.text()
			}
		}
	}
	if v, ok := f["reserved"]; ok {
		for _, item := range v.list() {
			c.Reserved = append(c.Reserved, item.text())
		}
	}
	if v, ok := f["collide"]; ok {
		way, err := ParseCollide(v.text())
		if err != nil || way == CollideAsk {
			v.fail("say number, parent or date", "%q is not a rule for collisions", address.Printable(v.text()))
		}
		c.Collide = way
	}
}

func (c *Settings) readKinds(v value) {
	for _, e := range v.entries() {
		f := e.value.fields("address", "slug", "sections")
		text, ok := f["address"]
		if !ok {
			e.at.fail(`write address: "/routes/{slug}"`, "the kind %s has no address", e.key)
		}
		k := Kind{Name: e.key, Slug: "title", Where: text.place()}
		if text.isMapping() {
			k.ByLanguage = map[string]*template.Template{}
			for _, l := range text.entries() {
				tag := languageTag(l.at, l.key)
				if !c.Languages.Has(tag) {
					l.at.fail("name one of the site's languages", "%s is none of them", tag)
				}
				k.ByLanguage[tag] = kindTemplate(l.value)
			}
			if k.Address = k.ByLanguage[c.Languages.Default]; k.Address == nil {
				text.fail("add one for "+c.Languages.Default+", which also serves the languages that have none",
					"the default language has no address")
			}
		} else {
			k.Address = kindTemplate(text)
		}
		if s, ok := f["slug"]; ok {
			k.Slug = s.text()
		}
		if s, ok := f["sections"]; ok {
			k.Shown = s.oneOf("redirect", "shown") == "shown"
		}
		c.Kinds = append(c.Kinds, k)
	}
}

// kindTemplate reads the template of a kind's address.
func kindTemplate(v value) *template.Template {
	t, err := template.Parse(v.text())
	if err != nil {
		v.fail("see RFC 6570", "%v", err)
	}
	if _, err := template.NewReader(t, nil); err != nil {
		v.fail("use /words, {x}, {/x*} and {?a,b}", "%v", err)
	}
	return t
}

// In returns the template of the kind's addresses in a language. Its words are
// still those of the default language, unless it was written for this one.
func (k Kind) In(language string) (t *template.Template, own bool) {
	if t, own = k.ByLanguage[language]; own {
		return t, true
	}
	return k.Address, false
}

// KindOf returns the kind of that name.
func (c *Settings) KindOf(name string) (Kind, bool) {
	i := slices.IndexFunc(c.Kinds, func(k Kind) bool { return k.Name == name })
	if i < 0 {
		return Kind{}, false
	}
	return c.Kinds[i], true
}
