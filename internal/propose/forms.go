package propose

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
	"young-compass/internal/lint"
	"young-compass/internal/shape"
	"young-compass/internal/slug"
)

// readable reports whether a name in an address tells people something.
func readable(name string) bool {
	return name != "" && !lint.Opaque(name) && strings.ContainsFunc(address.Decode(name), unicode.IsLetter)
}

// clean reports whether a name stands in addresses as it is.
func clean(name string) bool {
	return name != "" && strings.Trim(name, "abcdefghijklmnopqrstuvwxyz0123456789-") == "" && !strings.Contains(name,
		"--") &&
		!strings.HasPrefix(name, "-") && !strings.HasSuffix(name, "-")
}

// nameOf returns the name that a page has in its address today; empty where it has none that people can read.
func (k *kinds) nameOf(i int) string {
	g := &k.groups[k.of[i]]
	p := g.Parts(k.items[i])
	name := p.Name
	if g.Script != "" && len(g.Varying) == 1 {
		name = strings.ReplaceAll(p.Values[0], "+", " ")
	}
	if g.Prefix != "" || strings.ContainsAny(name, "/") {
		return ""
	}
	return name
}

// write writes the lines of the kinds.
func (k *kinds) write() {
	k.words, k.forms = map[string]map[string]string{}, map[string]*form{}
	k.columns = columnNames{"slug", "section"}
	for i := range k.pages {
		if k.pages[i].page.Field("section") != "" {
			k.columns.section = "folder"
		}
	}
	k.fill = slices.Grow(k.fill, 2*len(k.pages))
	for _, one := range k.list {
		k.writeKind(one)
	}
	for _, word := range slices.Sorted(maps.Keys(k.words)) {
		var items []string
		for _, tag := range slices.Sorted(maps.Keys(k.words[word])) {
			items = append(items, quoted(tag)+": "+quoted(k.words[word][tag]))
		}
		k.item("languages.words", fmt.Sprintf("%s: {%s}", quoted(word), strings.Join(items, ", ")), "", nil,
			"the word stands there in addresses or titles of the other languages")
	}
}

// form is how the addresses of a kind are to be.
type form struct {
	literals []string
	date     int
	sections string // the column; empty: none
	slug     string // the column; empty: title
	today    *shape.Group
	kept     bool // addresses stay as they are
	named    bool // names stay
}

// template returns the form as a template.
func (f form) template() string {
	text := ""
	for _, l := range f.literals {
		text += "/" + l
	}
	for _, name := range []string{"year", "month", "day"}[:f.date] {
		text += "/{" + name + "}"
	}
	if f.sections != "" {
		return text + "{/" + f.sections + "*,slug}"
	}
	return text + "/{slug}"
}

// writeKind writes the line of a kind, and fills in what its template needs.
func (k *kinds) writeKind(one *kind) {
	language := k.s.languages.standard
	if len(one.groups[language]) == 0 {
		for _, tag := range slices.Sorted(maps.Keys(one.groups)) {
			if len(one.groups[tag]) > 0 {
				language = tag
				break
			}
		}
	}
	f := k.formOf(one, one.groups[language][0])
	if !f.named && !k.titled(one) {
		k.unnamed(one, one.groups[language][0])
		return
	}
	one.section = strings.Join(f.literals, "/")
	k.forms[one.name] = &f
	value := fmt.Sprintf("address: %q", f.template())
	if other := k.translate(one, f); len(other) > 0 {
		items := []string{fmt.Sprintf("%s: %q", quoted(k.s.languages.standard), f.template())}
		for _, tag := range slices.Sorted(maps.Keys(other)) {
			items = append(items, fmt.Sprintf("%s: %q", quoted(tag), other[tag].template()))
		}
		value = "address: {" + strings.Join(items, ", ") + "}"
	}
	if f.slug != "" {
		value += ", slug: " + f.slug
	}
	var examples []string
	for _, i := range one.groups[language][0].members {
		examples = show(examples, *k.pages[i].at)
	}
	why := many(one.pages, "page")
	if one.said {
		why += ", said by a column"
	}
	today := f.today.Template()
	switch {
	case f.kept:
		why += "; their addresses stay: " + today
	case f.named:
		why += "; today " + today + ": their names stay"
	default:
		why += "; today " + today + ": their titles say more"
	}
	k.add("kinds."+quoted(one.name), "{"+value+"}", "", examples, "%s", why)
	if k.taken[one.name] {
		return
	}
	for _, i := range one.members {
		k.fillPage(one, f, i)
	}
}

// titled reports whether a page of a kind has a title.
func (k *kinds) titled(one *kind) bool {
	return slices.ContainsFunc(one.members, func(i int) bool { return k.pages[i].page.Title != "" })
}

// unnamed leaves the pages of a kind where they are: nothing says how to call them.
func (k *kinds) unnamed(one *kind, most grouped) {
	k.add("kinds."+quoted(one.name), fmt.Sprintf("{address: %q}", "/"+one.name+"/{slug}"),
		"what are these pages called? Gather a table with their titles, or the pages themselves, and propose again",
		k.examples(most),
		"%s without titles, at addresses that say nothing: they stay where they are", many(one.pages, "page"))
	k.lines[len(k.lines)-1].Item = true // so that it stands there as a question
	for _, i := range one.members {
		if k.pages[i].page.Fixed == "" {
			k.fill = append(k.fill, Filling{k.pages[i].page.Ref, "fixed", k.pages[i].at.Local()})
		}
	}
}

// formOf works out how the addresses of a kind are to be, from those that most of its pages have.
func (k *kinds) formOf(one *kind, most grouped) form {
	g := most.group
	f := form{today: g}
	names, good, endings := 0, 0, 0
	members := slices.DeleteFunc(slices.Clone(most.members), func(i int) bool { return k.home(i) })
	for _, i := range members {
		name := k.nameOf(i)
		if g.Parts(k.items[i]).Ending != "" {
			endings++
		}
		if readable(name) {
			names++
		}
		if clean(name) {
			good++
		}
	}
	f.named = names*10 >= len(members)*8
	anyName := names > 0 || slices.ContainsFunc(one.members, func(i int) bool { return readable(k.nameOf(i)) })
	if anyName && (f.named || g.Script == "") && !k.namedAsTitled(one) {
		f.slug = k.columns.slug
	}
	for _, l := range g.Literals {
		f.literals = append(f.literals, cmp.Or(slug.Make(address.Decode(l), ""), "x"))
	}
	f.date = g.Date
	for _, part := range one.groups[k.pages[most.members[0]].page.Language] {
		if part.group.Sections && slices.Equal(part.group.Literals, g.Literals) {
			f.sections = k.columns.section
		}
	}
	f.kept = f.named && g.Script == "" && endings == 0 && good == len(members) && slices.Equal(f.literals, g.Literals)
	if g.Script != "" || g.Prefix != "" {
		if one.name != "page" && one.name != "section" {
			word := one.section
			if word == "" || word == one.name || strings.Contains(word, "/") {
				word = one.name
				if baseOf(k.s.languages.standard) == "en" {
					word = shape.Plural(word)
				}
			}
			f.literals = []string{cmp.Or(slug.Make(word, ""), one.name)}
			if k.dated(one, most) {
				f.date = 1
			}
		}
		f.sections = k.sectionColumn(one, most)
	}
	return f
}

// home reports whether a page is the site's home page, which stays there whatever its kind.
func (k *kinds) home(i int) bool {
	at := k.pages[i].at
	return at.Path == "/" && at.Query == "" && k.s.hosts.languages[at.Host] == ""
}

// namedAsTitled reports whether every page of a kind has the name in its address that its title gives it.
func (k *kinds) namedAsTitled(one *kind) bool {
	for _, i := range one.members {
		page := k.pages[i].page
		if name := k.nameOf(i); k.s.valueOf(*k.pages[i].at) == "" && name != "" &&
			(page.Title == "" || k.slugs.Make(page.Title, page.Language) != name) {
			return false
		}
	}
	return true
}

// dated reports whether a kind is one whose pages are told apart by their year, and they have dates.
func (k *kinds) dated(one *kind, most grouped) bool {
	if !slices.Contains([]string{"news", "post", "notice", "article", "event", "press", "release", "journal"}, one.name) {
		return false
	}
	n := 0
	for _, i := range most.members {
		if dateOf(k.pages[i].page) != "" {
			n++
		}
	}
	return n == len(most.members)
}

// dateOf returns a page's date, if it has one.
func dateOf(page *inventory.Page) string {
	date := page.Field("date")
	if len(date) >= len("2006-01-02") && date[4] == '-' && date[7] == '-' {
		return date
	}
	return ""
}

// sectionColumn returns the column that parts the pages of a kind into sections; empty where none does.
func (k *kinds) sectionColumn(one *kind, most grouped) string {
	if one.name == "page" || one.name == "section" {
		return ""
	}
	for _, column := range []string{"section", "region", "category"} {
		values, n := tally{}, 0
		for _, i := range most.members {
			if v := k.pages[i].page.Field(column); v != "" {
				values[v]++
				n++
			}
		}
		if n*10 >= len(most.members)*7 && len(values) >= 2 && len(values)*2 <= n {
			return column
		}
	}
	return ""
}

// translate finds the words of a kind's addresses in other languages. It returns the templates of languages whose
// addresses are built otherwise.
func (k *kinds) translate(one *kind, f form) map[string]form {
	other := map[string]form{}
	for _, tag := range slices.Sorted(maps.Keys(one.groups)) {
		if tag == k.s.languages.standard || len(one.groups[tag]) == 0 {
			continue
		}
		g := one.groups[tag][0].group
		if g.Script != "" || f.today.Script != "" || len(g.Literals) != len(f.today.Literals) || g.Date != f.today.Date {
			if g.Script == "" && f.today.Script == "" && g.Prefix == "" {
				o := k.formOf(one, one.groups[tag][0])
				o.slug = f.slug
				other[tag] = o
			}
			continue
		}
		for n, l := range g.Literals {
			k.noteWord(f.literals[n], tag, slug.Make(address.Decode(l), tag))
		}
	}
	if f.today.Script != "" && len(f.literals) == 1 {
		k.wordsOfTitles(f.literals[0])
	}
	return other
}

func (k *kinds) noteWord(word, tag, other string) {
	if word == other || other == "" {
		return
	}
	if k.words[word] == nil {
		k.words[word] = map[string]string{}
	}
	if k.words[word][tag] == "" {
		k.words[word][tag] = other
	}
}

// wordsOfTitles takes the word of a section from the titles of the page that is called so, and its translations.
func (k *kinds) wordsOfTitles(word string) {
	byKey := map[string]bool{}
	for i := range k.pages {
		page := k.pages[i].page
		if page.Language == k.s.languages.standard && len(page.Title) < 3*len(word)+10 && k.slugs.Make(page.Title,
			page.Language) == word {
			byKey[page.Key] = true
		}
	}
	for i := range k.pages {
		page := k.pages[i].page
		if byKey[page.Key] && page.Language != k.s.languages.standard {
			if other := k.slugs.Make(page.Title, page.Language); strings.Count(other, "-") < 2 {
				k.noteWord(word, page.Language, other)
			}
		}
	}
}

// fillPage fills in the columns that a page's new address needs.
func (k *kinds) fillPage(one *kind, f form, i int) {
	page, g := k.pages[i].page, &k.groups[k.of[i]]
	if page.Fixed != "" || k.home(i) {
		return
	}
	add := func(column, value string) {
		if value != "" && page.Field(column) == "" {
			k.fill = append(k.fill, Filling{page.Ref, column, value})
		}
	}
	parts := g.Parts(k.items[i])
	if f.date > 0 {
		k.fillDate(page, f.date, parts.Date, add)
	}
	if f.sections == k.columns.section && g.Script == "" {
		add(f.sections, strings.Join(decoded(parts.Sections), "/"))
	}
	name := k.nameOf(i)
	if k.s.valueOf(*k.pages[i].at) != "" && page.Language != k.s.languages.standard && page.Title != "" {
		name = "" // it is that of the default language, since a parameter alone tells the languages apart
	}
	switch made := k.slugs.Make(address.Decode(name), page.Language); {
	case g.Script == "" && clean(name) && !lint.Opaque(name) && (strings.Trim(name, "0123456789") == "" ||
		f.slug != "" && made != name):
		add("fixed", k.pages[i].at.Local()) // as it is, though titles wouldn't be written so
	case f.slug != "" && readable(name):
		add(f.slug, address.Decode(name))
	case page.Title == "" && (made == "" || g.Script != "" || lint.Opaque(name)):
		add("fixed", k.pages[i].at.Local()) // nothing says how to call it
	case f.slug != "":
		add(f.slug, page.Title)
	}
}

func decoded(segments []string) []string {
	var list []string
	for _, s := range segments {
		list = append(list, address.Decode(s))
	}
	return list
}

// fillDate fills in what a page's own date doesn't say of the date in its address.
func (k *kinds) fillDate(page *inventory.Page, parts int, written []string, add func(column, value string)) {
	date := dateOf(page)
	for n, name := range []string{"year", "month", "day"}[:parts] {
		value := ""
		if n < len(written) {
			value = written[n]
		}
		said := ""
		if date != "" {
			said = strings.Split(date[:len("2006-01-02")], "-")[n]
		}
		if value != said {
			add(name, value)
		}
	}
}

// sortedFill returns what is filled in, in the order of pages.
func (k *kinds) sortedFill() []Filling {
	slices.SortStableFunc(k.fill, func(a, b Filling) int {
		return cmp.Or(a.Page.Compare(b.Page), strings.Compare(a.Column, b.Column))
	})
	return slices.Compact(k.fill)
}
