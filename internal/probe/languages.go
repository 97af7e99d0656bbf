package probe

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/crawl"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/language"
)

// bySitemap is where a translation is named besides the signals of a page.
const bySitemap = "sitemap"

// tongues judges the annotations of languages.
type tongues struct {
	*Survey
	*Section
	named map[address.Address][]canonical.Alternate    // by page
	once  map[string]bool                              // findings about one target of many pages
	wrong map[[2]address.Address]string                // what is wrong with a translation of a page, in a word
	byKey map[string][]*inventory.Page                 // the pages of the inventory, when they were needed
	back  map[address.Address]map[address.Address]bool // what namedBy returned
}

// judgeLanguages looks at all annotations of languages.
func (v *Survey) judgeLanguages(s *Section) {
	t := tongues{v, s, map[address.Address][]canonical.Alternate{}, map[string]bool{}, map[[2]address.Address]string{},
		nil, map[address.Address]map[address.Address]bool{}}
	pages := slices.DeleteFunc(v.Web.Sorted(), func(a address.Address) bool { return !v.Web[a].HTML })
	for _, a := range pages {
		t.named[a] = canonical.Alternates(v.Web[a])
		for _, n := range v.Listed[a].Alternates {
			alternate := canonical.Alternate{By: bySitemap}
			alternate.Language, alternate.Link = n.Language, n.Location
			alternate.To, alternate.Err = address.Parse(n.Location)
			t.named[a] = append(t.named[a], alternate)
		}
	}
	withDefault, annotated := false, 0
	for _, a := range pages {
		t.page(a)
		if len(t.named[a]) > 0 {
			annotated++
		}
		for _, n := range t.named[a] {
			withDefault = withDefault || strings.EqualFold(n.Language, language.Default)
		}
	}
	if annotated > 0 && !withDefault {
		s.add(finding.NoXDefault, finding.Note, v.Plan.Site.Origin,
			"no page names one for visitors of all other languages (x-default)", "",
			`add <link rel="alternate" hreflang="x-default" href="...">`)
	}
	v.defaultTwice(s)
	var mentioned []address.Address
	for _, a := range pages {
		if v.Web[a].Signals.Mentioned > 0 && len(t.named[a]) == 0 {
			mentioned = append(mentioned, a)
		}
	}
	s.many(finding.AlternateInText, finding.Note, mentioned,
		fmt.Sprintf("%d pages link to their translations in the text alone", len(mentioned)),
		"links in the text lead people, but search engines read link elements of the head",
		"add link elements with hreflang to the head")
	clusters, further := t.clusters(pages)
	s.Counts = []Count{{"pages", "pages", len(pages)}, {"annotated", "name translations", annotated},
		{"clusters", "clusters", clusters}}
	if further > 0 {
		s.Counts = append(s.Counts, Count{"further", "further languages without a column", further})
	}
}

// page judges the annotations of one page.
func (t *tongues) page(a address.Address) {
	p := t.Web[a]
	for _, n := range p.Signals.Alternates {
		if n.Outside && !t.once["outside "+a.String()] {
			t.once["outside "+a.String()] = true
			t.add(finding.AlternateOutsideHead, finding.Error, a,
				"its links to translations are not in the head of the page", "only in the head they count",
				"move them into the head")
		}
	}
	if p.Signals.Further > 0 {
		t.add(finding.AlternatesTooMany, finding.Warning, a, fmt.Sprintf("it names %d translations; the first %d are "+
			"looked at", len(p.Signals.Alternates)+p.Signals.Further, len(p.Signals.Alternates)), "",
			"name each language once")
	}
	t.declared(a, p)
	t.againstPlan(a, p)
	list := t.named[a]
	if len(list) == 0 || p.Status != 200 {
		return
	}
	self := t.Web.Resolve(a).End
	byCode := map[string]address.Address{}
	names := false
	targets := map[address.Address]bool{}
	relative := ""
	for _, n := range list {
		if n.Err != nil {
			t.add(finding.AlternateUnreadable, finding.Error, a,
				fmt.Sprintf("its link to a translation names %q: %v", address.Printable(n.Link), n.Err), "",
				"write an address with scheme and host")
			continue
		}
		if _, err := address.Parse(n.Link); err != nil && relative == "" {
			relative = n.Link
		}
		code := strings.ToLower(n.Language)
		if other, twice := byCode[code]; twice && other != n.To {
			t.add(finding.LanguageTwice, finding.Error, a, fmt.Sprintf("it names two addresses for %s: %s and %s",
				address.Printable(n.Language), other, n.To), "search engines believe neither", "leave one of them",
				other, n.To)
		}
		byCode[code] = n.To
		names = names || n.To == a || t.Web.Resolve(n.To).End == self
		t.code(n)
		if !targets[n.To] && n.To != a {
			targets[n.To] = true
			t.target(a, self, n)
		}
	}
	if relative != "" {
		t.add(finding.AlternateRelative, finding.Warning, a,
			fmt.Sprintf("its link to a translation, %q, is not written out with scheme and host",
				address.Printable(relative)), "", "write whole addresses")
	}
	switch {
	case !names && !t.explained[a]:
		t.add(finding.AlternateWithoutSelf, finding.Warning, a, "it names its translations, but not itself",
			"each page of a cluster names all, itself too",
			fmt.Sprintf(`add <link rel="alternate" hreflang="%s" href="%s">`, address.Printable(p.Signals.Language), a))
	case names && len(targets) == 0:
		t.alone(a)
		return
	}
	t.missing(a, names)
}

// missing finds translations of the plan that a page doesn't name in its head or a header, though it names some there.
// Those of which another finding speaks are left out. names says that the page names itself.
func (t *tongues) missing(a address.Address, names bool) {
	page := t.said[a]
	if page == nil || t.explained[a] {
		return
	}
	own := slices.DeleteFunc(slices.Clone(t.named[a]), func(n canonical.Alternate) bool { return n.By == bySitemap })
	if len(own) == 0 {
		return
	}
	var list []string
	for _, want := range page.Alternates {
		to, err := address.Parse(want.Location)
		if err != nil || slices.ContainsFunc(own, func(n canonical.Alternate) bool {
			return strings.EqualFold(n.Language, want.Language) || n.Err == nil && n.To == to &&
				want.Language != language.Default && !strings.EqualFold(n.Language, language.Default) // de for de-CH
		}) {
			continue
		}
		leads := func(from, to address.Address) bool {
			return slices.ContainsFunc(t.named[from], func(n canonical.Alternate) bool { return n.Err == nil && n.To == to })
		}
		if to == a && !names || to != a && leads(to, a) && !leads(a, to) {
			continue
		}
		list = append(list, want.Language)
	}
	if len(list) > 0 {
		t.add(finding.AlternateMissing, finding.Warning, a,
			fmt.Sprintf("it doesn't name what the plan has for %s", strings.Join(list, ", ")),
			"visitors aren't led to their own language", "take the lines of its head from emit head")
	}
}

// declared compares what page and header say of the language of a text.
func (t *tongues) declared(a address.Address, p *crawl.Page) {
	for _, other := range [][2]string{{"Content-Language", p.Header.Language},
		{"the meta element content-language", p.Signals.Content}} {
		what, said := other[0], other[1]
		if said != "" && p.Signals.Language != "" && !strings.Contains(said, ",") &&
			!language.Same(said, p.Signals.Language) && !t.once["declared "+a.String()] {
			t.once["declared "+a.String()] = true
			t.add(finding.LanguageDisagrees, finding.Warning, a,
				fmt.Sprintf("<html lang> says %s, %s says %s", address.Printable(p.Signals.Language), what,
					address.Printable(said)), "", "let both say the language of the text")
		}
	}
}

// againstPlan compares the language that a page says it is in with the plan's.
func (t *tongues) againstPlan(a address.Address, p *crawl.Page) {
	ref, ok := t.pageOf(a)
	if ok && a.Query == "" && ref.Language != "" && p.Signals.Language != "" && p.Status == 200 &&
		!language.Same(p.Signals.Language, ref.Language) {
		t.add(finding.LanguageAgainstPlan, finding.Error, a,
			fmt.Sprintf("<html lang> says %s; the plan says that %s is there", address.Printable(p.Signals.Language),
				ref), "search engines show it to the wrong people",
			"let the page say its language, or show the right page")
	}
}

// code judges a code, once for each target.
func (t *tongues) code(n canonical.Alternate) {
	_, mistake := language.Parse(n.Language)
	key := "code " + n.Language + " " + n.To.String()
	if mistake == nil || t.once[key] {
		return
	}
	t.once[key] = true
	code, severity, advice := finding.WrongLanguageCode, finding.Error,
		"write a language of ISO 639-1, perhaps with a region of ISO 3166-1"
	if mistake.Doubtful {
		code, severity = finding.DoubtfulLanguageCode, finding.Warning
	}
	if mistake.Likely != "" {
		advice = "write " + mistake.Likely
	}
	t.add(code, severity, n.To, mistake.What, "a translation with a wrong code is not shown to anybody", advice)
}

// target judges where a page's link to a translation leads.
func (t *tongues) target(a, self address.Address, n canonical.Alternate) {
	p := t.Web[n.To]
	report := func(word string, code finding.Code, severity finding.Severity, what, advice string) {
		t.wrong[[2]address.Address{a, n.To}] = word
		key := string(code) + " " + n.To.String()
		if t.once[key] && code != finding.AlternateWithoutReturn {
			return
		}
		t.once[key] = true
		t.add(code, severity, a, fmt.Sprintf("it names %s as its translation (%s), %s", n.To,
			address.Printable(n.Language), what), "search engines leave such translations out", advice, n.To)
	}
	end := t.Web.Resolve(n.To).End
	switch {
	case p == nil:
		return
	case p.To != (address.Address{}):
		report("redirects", finding.AlternateRedirects, finding.Error, "which redirects",
			"name where that leads: "+end.String())
	case p.Failure != "":
		return // told elsewhere
	case p.Status != 200:
		report("missing", finding.AlternateNotFound, finding.Error, fmt.Sprintf("which answers %d", p.Status),
			"name the translation's address, or leave the link out")
		return
	case t.explained[n.To] || t.explained[end] || t.explained[a]:
		return
	case p.NoIndex():
		report("noindex", finding.AlternateNoindex, finding.Error, "which says noindex",
			"leave the link out, or let it be indexed")
		return
	case end != n.To:
		report("not canonical", finding.AlternateNotCanonical, finding.Error,
			"whose canonical address is "+end.String(), "name that one")
		return
	}
	target := t.Web[end]
	if target == nil || !target.HTML || t.explained[a] {
		return
	}
	if code, mistake := language.Parse(n.Language); mistake == nil && code.Language != "" &&
		target.Signals.Language != "" && !language.Same(target.Signals.Language, code.Language) {
		report("language", finding.AlternateLanguage, finding.Error,
			fmt.Sprintf("which says it is in %s", address.Printable(target.Signals.Language)),
			"name the address in that language, or mend <html lang> there")
		return
	}
	if back := t.namedBy(end); back[a] || back[self] {
		return
	}
	report("no return", finding.AlternateWithoutReturn, finding.Error, "which doesn't name it in return",
		"add there: "+fmt.Sprintf(`<link rel="alternate" hreflang="%s" href="%s">`,
			address.Printable(t.Web[a].Signals.Language), a))
}

// namedBy returns the addresses that a page names as its translations, and where they end.
func (t *tongues) namedBy(a address.Address) map[address.Address]bool {
	set, ok := t.back[a]
	if !ok {
		set = make(map[address.Address]bool, len(t.named[a]))
		for _, n := range t.named[a] {
			if n.Err == nil {
				set[n.To], set[t.Web.Resolve(n.To).End] = true, true
			}
		}
		t.back[a] = set
	}
	return set
}

// alone finds a page that names itself alone, although the plan has translations
// of it.
func (t *tongues) alone(a address.Address) {
	answer, ok := t.pageOf(a)
	if !ok {
		return
	}
	if t.byKey == nil {
		t.byKey = map[string][]*inventory.Page{}
		for i := range t.Plan.Pages.Pages {
			page := &t.Plan.Pages.Pages[i]
			t.byKey[page.Key] = append(t.byKey[page.Key], page)
		}
	}
	for _, page := range t.byKey[answer.Key] {
		if page.Language != answer.Language && page.State == inventory.Live {
			t.add(finding.AlternateAlone, finding.Warning, a,
				fmt.Sprintf("it names itself alone, but there is %s too", page.Ref),
				"visitors are not led to their own language or country", "name all translations on each of them")
			return
		}
	}
}

// defaultTwice finds the default language under a prefix too.
func (v *Survey) defaultTwice(s *Section) {
	a := v.Plan.Site.Origin
	a.Path = "/" + v.Plan.Languages.Default
	p := v.Web[a]
	if p != nil && p.HTML && p.Status == 200 && v.Web.Resolve(a).End == a {
		s.add(finding.DefaultLanguageTwice, finding.Error, a,
			fmt.Sprintf("the default language is at %s and at %s", v.Plan.Site.Origin, a),
			"all its pages are there twice then", "let the one with the prefix redirect")
	}
}

// clusters draws the pages that name each other: a row for each, a column for
// each language. Those with troubles come first. It returns how many clusters there are, and how many languages have no
// column.
func (t *tongues) clusters(pages []address.Address) (clusters, further int) {
	lead := map[address.Address]address.Address{}
	var find func(a address.Address) address.Address
	find = func(a address.Address) address.Address {
		if up, ok := lead[a]; ok && up != a {
			lead[a] = find(up)
			return lead[a]
		}
		return a
	}
	for _, a := range pages {
		for _, n := range t.named[a] {
			if n.Err == nil {
				x, y := find(a), find(t.Web.Resolve(n.To).End)
				if address.Compare(y, x) < 0 {
					x, y = y, x
				}
				if x != y {
					lead[y] = x
				}
			}
		}
	}
	members := map[address.Address][]address.Address{}
	codes := map[string]int{}
	for _, a := range pages {
		if len(t.named[a]) > 0 && t.Web.Resolve(a).End == a {
			members[find(a)] = append(members[find(a)], a)
			for _, n := range t.named[a] {
				codes[n.Language]++
			}
		}
	}
	columns := slices.SortedFunc(maps.Keys(codes), func(a, b string) int {
		return cmp.Or(cmp.Compare(codes[b], codes[a]), strings.Compare(a, b))
	})
	further = max(0, len(columns)-maxColumns)
	columns = columns[:min(len(columns), maxColumns)]
	slices.Sort(columns)
	t.Translations.Languages = columns
	var whole []TranslationsRow
	for _, root := range slices.SortedFunc(maps.Keys(members), address.Compare) {
		var rows []TranslationsRow
		bad := false
		for _, a := range members[root] {
			row := TranslationsRow{Page: a, Language: t.Web[a].Signals.Language, Marks: make([]string, len(columns))}
			for _, n := range t.named[a] {
				mark := t.mark(a, n)
				bad = bad || mark != markNamed && mark != markSelf
				if i, ok := slices.BinarySearch(columns, n.Language); ok {
					row.Marks[i] = mark
				}
			}
			rows = append(rows, row)
		}
		if bad {
			t.Translations.Rows = append(t.Translations.Rows, rows...)
		} else {
			whole = append(whole, rows...)
		}
	}
	t.Translations.Rows = append(t.Translations.Rows, whole...)
	return len(members), further
}

// maxColumns is how many languages get a column: more than there are codes of two letters.
const maxColumns = 200

// The marks of translations that nothing is wrong with.
const (
	markNamed = "yes"
	markSelf  = "self"
)

// mark says of a page's link to a translation what is wrong with it, in a word, or that nothing is.
func (t *tongues) mark(a address.Address, n canonical.Alternate) string {
	if word := t.wrong[[2]address.Address{a, n.To}]; word != "" {
		return word
	}
	if _, mistake := language.Parse(n.Language); mistake != nil {
		return "code"
	}
	if n.To == a {
		return markSelf
	}
	return markNamed
}
