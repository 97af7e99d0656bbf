// Package design proposes an address for every live page from the plan's
// templates, says what would move and what collides, and accepts proposals
// into the address book.
package design

import (
	"cmp"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/slug"
	"young-compass/internal/template"
)

// Options say what is designed and how.
type Options struct {
	Only     string           // a kind; the pages of others stay where they are
	Language string           // a language, likewise
	Collide  planfile.Collide // instead of the plan's rule
	Ask      func(Collision) (string, error)
}

// Collision is a page whose address is another page's, for a person to solve.
type Collision struct {
	Page    *inventory.Page
	Address address.Address
	Owner   inventory.Ref
	Title   string // of the owner, as far as it is known
}

// Proposal is the address that a page would have.
type Proposal struct {
	Page   *inventory.Page
	Old    *address.Address // the current one as noted in the book; nil for a new page
	New    address.Address
	More   []address.Address // where the page stands in further sections
	Shown  bool              // it is shown there too; else they lead to New
	Solved planfile.Collide  // how New was told apart from another page's address
	Held   bool              // it isn't designed this time: New is Old
}

// IsNew reports whether the page enters the book for the first time.
func (p Proposal) IsNew() bool { return p.Old == nil }

// Moves reports whether the page changes its address.
func (p Proposal) Moves() bool { return p.Old == nil || *p.Old != p.New }

// Propose returns a proposal for every live page, by key and language, and
// what stands in the way.
func Propose(p *plan.Plan, o Options) ([]Proposal, []finding.Finding) {
	if o.Collide == planfile.CollideNever {
		o.Collide = p.Collide
	}
	d := newDesigner(p, o, p.Book.Current())
	d.checkFields()
	pages := make([]*inventory.Page, 0, len(p.Pages.Pages))
	for i := range p.Pages.Pages {
		if p.Pages.Pages[i].State == inventory.Live {
			pages = append(pages, &p.Pages.Pages[i])
		}
	}
	byRef := func(a, b *inventory.Page) int { return a.Ref.Compare(b.Ref) }
	if !slices.IsSortedFunc(pages, byRef) { // pages.csv is in order
		slices.SortStableFunc(pages, byRef)
	}
	proposals := d.addresses(pages)
	d.collide(proposals)
	for _, proposal := range proposals {
		if !proposal.Held {
			d.judge(proposal.Page, proposal.New)
		}
	}
	d.checkCanonical()
	d.checkTranslations(pages)
	finding.Sort(d.found)
	return proposals, d.found
}

type designer struct {
	plan    *plan.Plan
	options Options
	slugs   *slug.Maker
	normal  *slug.Maker // without settings, for what must be readable in any case
	current map[inventory.Ref]int
	found   []finding.Finding
	missing map[string]bool // kind and field that no page has
	kinds   map[kindKey]*kind
	parts   map[part]string // slugs of fields that many pages share
}

type kindKey struct{ name, language string }

type part struct{ text, language string }

// kind is a kind of the plan, made ready for one language.
type kind struct {
	planfile.Kind
	template *template.Template // with the language's words, and its prefix in front
	names    []string
	optional map[string]bool // variables that may be absent
	home     address.Address // on which its addresses stand
	values   template.Values // of the page at hand
}

func newDesigner(p *plan.Plan, o Options, current map[inventory.Ref]int) *designer {
	return &designer{plan: p, options: o, slugs: slug.NewMaker(p.Slugs), current: current, kinds: map[kindKey]*kind{},
		parts: map[part]string{}, normal: slug.NewMaker(slug.Settings{})}
}

// addresses proposes an address for each page, on all processors. What each of
// them finds is put together in the order of the pages.
func (d *designer) addresses(pages []*inventory.Page) []Proposal {
	proposals := make([]Proposal, len(pages))
	workers := make([]*designer, min(runtime.GOMAXPROCS(0), 1+len(pages)/1000))
	var wait sync.WaitGroup
	for n := range workers {
		w := newDesigner(d.plan, d.options, d.current)
		w.missing = d.missing
		workers[n] = w
		wait.Go(func() {
			for i := n * len(pages) / len(workers); i < (n+1)*len(pages)/len(workers); i++ {
				w.propose(pages[i], &proposals[i])
			}
		})
	}
	wait.Wait()
	for _, w := range workers {
		d.found = append(d.found, w.found...)
	}
	return slices.DeleteFunc(proposals, func(p Proposal) bool { return p.Page == nil })
}

// propose fills in the proposal for a page; it stays empty where there is none.
func (d *designer) propose(page *inventory.Page, proposal *Proposal) {
	if i, ok := d.current[page.Ref]; ok {
		proposal.Old = &d.plan.Book.Entries[i].Address
	}
	proposal.Page = page
	if d.options.Only != "" && page.Kind != d.options.Only || d.options.Language != "" &&
		page.Language != d.options.Language {
		if proposal.IsNew() {
			proposal.Page = nil
			return
		}
		proposal.New, proposal.Held = *proposal.Old, true
		return
	}
	if !d.address(proposal) {
		proposal.Page = nil
	}
}

func (d *designer) add(code finding.Code, severity finding.Severity, where finding.Place, what,
	advice string) *finding.Finding {
	d.found = append(d.found, finding.Finding{Code: code, Severity: severity, Where: where, What: what, Advice: advice})
	return &d.found[len(d.found)-1]
}

func (d *designer) row(page *inventory.Page) finding.Place {
	return finding.Place{File: d.plan.Pages.File, Line: page.Line}
}

// kindOf returns the kind of a page for its language.
func (d *designer) kindOf(name, language string) (*kind, bool) {
	key := kindKey{name, language}
	if k, ok := d.kinds[key]; ok {
		return k, k != nil
	}
	written, ok := d.plan.KindOf(name)
	if !ok {
		d.kinds[key] = nil
		return nil, false
	}
	t, own := written.In(language)
	k := &kind{Kind: written, names: t.Names(), optional: optionalVariables(t), home: d.plan.OriginOf(language),
		values: template.Values{}}
	if k.template = t; !own {
		k.template = t.MapLiterals(func(word string) string {
			return cmp.Or(d.plan.Languages.Words[word][language],
				word)
		})
	}
	if prefix := d.plan.Languages.Prefix(language); prefix != "" {
		k.template = k.template.Under("/" + prefix)
	}
	d.kinds[key] = k
	return k, true
}

// checkFields finds templates that name a field no page of their kind has, and
// those whose addresses can be read in two ways.
func (d *designer) checkFields() {
	d.missing = map[string]bool{}
	byKind := map[string][]*inventory.Page{}
	for i := range d.plan.Pages.Pages {
		page := &d.plan.Pages.Pages[i]
		byKind[page.Kind] = append(byKind[page.Kind], page)
	}
	for _, k := range d.plan.Kinds {
		pages, optional := byKind[k.Name], map[string]bool{}
		var names []string
		templates := []*template.Template{k.Address}
		for _, language := range slices.Sorted(maps.Keys(k.ByLanguage)) {
			if t := k.ByLanguage[language]; t != k.Address {
				templates = append(templates, t)
			}
		}
		for _, t := range templates {
			d.checkReadings(k, t)
			for _, name := range t.Names() {
				if !slices.Contains(names, name) {
					names = append(names, name)
					optional[name] = optionalVariables(t)[name]
				}
			}
		}
		for _, name := range names {
			has := len(pages) == 0 || optional[name] && d.plan.Pages.HasColumn(name) ||
				slices.ContainsFunc(pages, func(page *inventory.Page) bool { return d.field(k, page, name) != "" })
			if has {
				continue
			}
			d.missing[k.Name+" "+name] = true
			field := name
			if name == "slug" {
				field = k.Slug
			}
			d.add(finding.UnknownField, finding.Error, k.Where,
				fmt.Sprintf("the address of the kind %s names %s, but no page of the kind has the field %q", k.Name,
					name, field),
				"add the column to "+d.plan.Pages.File+", or correct the name")
		}
	}
}

// checkReadings finds a template whose addresses can be read in two ways.
func (d *designer) checkReadings(k planfile.Kind, t *template.Template) {
	reader, err := template.NewReader(t, classes(t))
	if err != nil {
		return
	}
	if path, one, other, ok := reader.Ambiguous(); ok {
		f := d.add(finding.TwoReadings, finding.Warning, k.Where,
			fmt.Sprintf("the address %s of the kind %s can be read in two ways", path, k.Name),
			"put a slash between the two variables, or a word that no value holds")
		f.Evidence = []string{one.String(), other.String()}
	}
}

// classes returns what the variables of a kind's template hold: slugs, and the
// parts of a date.
func classes(t *template.Template) map[string]template.Class {
	of := map[string]template.Class{}
	for _, name := range t.Names() {
		text := map[string]string{"year": "[0-9]{4}", "month": "[0-9]{2}", "day": "[0-9]{2}"}[name]
		if class, err := template.ParseClass(cmp.Or(text, "slug")); err == nil {
			of[name] = class
		}
	}
	return of
}

// field returns the text that a variable of the kind's template is made from.
func (d *designer) field(k planfile.Kind, page *inventory.Page, name string) string {
	if name == "slug" {
		if text := page.Field(k.Slug); text != "" || page.Title != "" {
			return text
		}
		return d.lastWords(page)
	}
	if value := page.Field(name); value != "" {
		return value
	}
	if date := page.Field("date"); len(date) >= len("2006-01-02") && date[4] == '-' && date[7] == '-' {
		switch name {
		case "year":
			return date[:4]
		case "month":
			return date[5:7]
		case "day":
			return date[8:10]
		}
	}
	return ""
}

// lastWords returns the words at the end of the current address of a page
// without a title, as sitemaps and logs bring it; empty where there are none.
func (d *designer) lastWords(page *inventory.Page) string {
	i, ok := d.current[page.Ref]
	if !ok {
		return ""
	}
	a := d.plan.Book.Entries[i].Address
	words := address.Decode(d.plan.Shape(strings.TrimRight(a.Path, "/")))
	words = words[strings.LastIndexByte(words, '/')+1:]
	if a.Query != "" || strings.Trim(words, "0123456789") == "" {
		return "" // a number or a parameter says nothing
	}
	return words
}

// address fills in the addresses that the plan gives a page.
func (d *designer) address(proposal *Proposal) bool {
	page, origin := proposal.Page, d.plan.Site.Origin
	if page.Fixed != "" {
		home := d.plan.OriginOf(page.Language)
		a, err := address.Resolve(home, page.Fixed)
		if err != nil || a.Fragment != "" || a.Origin() != home && a.Origin() != origin {
			d.add(finding.BadFixed, finding.Error, d.row(page),
				fmt.Sprintf("the fixed address %q of %s is not an address on %s", page.Fixed, page.Ref, home),
				"write a path such as /tickets")
			return false
		}
		proposal.New = a
		return true
	}
	if proposal.Old != nil && proposal.Old.Path == "/" && proposal.Old.Query == "" &&
		d.plan.Site.Rebase(*proposal.Old) == origin {
		proposal.New = origin // the home page stays at home
		return true
	}
	k, ok := d.kindOf(page.Kind, page.Language)
	if !ok {
		d.add(finding.UnknownKind, finding.Error, d.row(page),
			fmt.Sprintf("%s is of the kind %q, for which %s has no address", page.Ref, page.Kind, d.plan.File),
			"add the kind under kinds:, or give the page a fixed address")
		return false
	}
	if !d.plan.Languages.Has(page.Language) {
		d.add(finding.UnknownLanguage, finding.Error, d.row(page),
			fmt.Sprintf("%s is in a language that the plan doesn't know", page.Ref),
			"add it under languages: others:, with its prefix or host")
		return false
	}
	ways := 1
	for _, name := range k.names {
		if k.optional[name] {
			ways = max(ways, 1+strings.Count(page.Field(name), ";"))
		}
	}
	for way := range ways {
		a, ok := d.expand(k, page, way)
		if !ok {
			return false
		}
		if way == 0 {
			proposal.New = a
		} else if a != proposal.New && !slices.Contains(proposal.More, a) {
			proposal.More, proposal.Shown = append(proposal.More, a), k.Shown
		}
	}
	return true
}

// expand writes the address of a page in one of its sections: their list is
// parted by ";", and the first is the page's own.
func (d *designer) expand(k *kind, page *inventory.Page, way int) (address.Address, bool) {
	values, ok := d.values(k, page, way)
	if !ok {
		return address.Address{}, false
	}
	ending := d.plan.Paths.Ending()
	text := strings.TrimSuffix(k.template.Expand(values), ending) + ending
	a, err := address.Resolve(k.home, text)
	if err != nil {
		d.add(finding.BadAddress, finding.Error, d.row(page), fmt.Sprintf("%s would get %q: %v", page.Ref, text, err),
			"correct the kind's template")
		return a, false
	}
	if d.plan.Paths.Lower {
		a.Path = address.Fold(a.Path)
	}
	return a, true
}

// optionalVariables returns which variables of a template may be absent.
func optionalVariables(t *template.Template) map[string]bool {
	optional := map[string]bool{}
	if r, err := template.NewReader(t, nil); err == nil {
		for _, e := range r.Elements() {
			optional[e.Name] = e.List
		}
	}
	return optional
}

// values returns the variables of the kind's template for a page. Only a list
// of segments may be left out.
func (d *designer) values(k *kind, page *inventory.Page, way int) (template.Values, bool) {
	values, complete := k.values, true
	for _, name := range k.names {
		values[name] = values[name][:0]
		text := d.field(k.Kind, page, name)
		switch {
		case k.optional[name]:
			for range way {
				if _, next, more := strings.Cut(text, ";"); more {
					text = next
				}
			}
			text, _, _ = strings.Cut(text, ";")
			for item := range strings.SplitSeq(text, "/") {
				if s := d.shared(item, page.Language); s != "" {
					values[name] = append(values[name], s)
				}
			}
		case text != "":
			if s := d.slug(k, page, name, text); s != "" {
				values[name] = append(values[name], s)
			}
		}
		if len(values[name]) > 0 || k.optional[name] && strings.TrimSpace(text) == "" {
			continue
		}
		complete = complete && k.optional[name]
		if d.missing[k.Name+" "+name] {
			continue
		}
		what := fmt.Sprintf("%s has nothing for %s in its address", page.Ref, name)
		if text != "" {
			what = fmt.Sprintf("%s: %q holds no letter or digit for %s", page.Ref, text, name)
		}
		d.add(finding.MissingField, finding.Error, d.row(page), what,
			"fill the field in, or give the page a fixed address")
		return nil, false
	}
	return values, complete
}

// maxShared bounds the slugs that are kept.
const maxShared = 10000

// shared makes a path segment of a field that many pages may have in common.
func (d *designer) shared(text, language string) string {
	if s, ok := d.parts[part{text, language}]; ok {
		return s
	}
	if len(d.parts) >= maxShared {
		clear(d.parts)
	}
	s := d.slugs.Make(text, language)
	d.parts[part{text, language}] = s
	return s
}

// slug makes a path segment of a field. What the segment of a page's own name
// may not be gets the kind's name: a bare number, which tells nobody what it
// counts, and a reserved word. A title without any letter is spelled by the
// page's key.
func (d *designer) slug(k *kind, page *inventory.Page, name, text string) string {
	if name != "slug" {
		return d.shared(text, page.Language)
	}
	s := d.slugs.Make(text, page.Language)
	switch {
	case s == "":
		if s = d.normal.Make(page.Key, ""); s != "" {
			d.add(finding.SlugFromKey, finding.Note, d.row(page),
				fmt.Sprintf("%s: %q holds no letter or digit, so its key stands in its address", page.Ref, text),
				"give it another title, or a fixed address")
		}
	case strings.Trim(s, "0123456789") == "":
		s = d.normal.Make(k.Name, "") + "-" + s
	case slices.Contains(d.plan.Reserved, s):
		s += "-" + d.normal.Make(k.Name, "")
	}
	return s
}

// judge warns of addresses longer or deeper than the plan allows.
func (d *designer) judge(page *inventory.Page, a address.Address) {
	paths := d.plan.Paths
	if n := len(a.Path); paths.Length > 0 && n > paths.Length {
		d.add(finding.LongAddress, finding.Warning, d.row(page),
			fmt.Sprintf("%s has %d characters; the plan allows %d", a.Path, n, paths.Length),
			"shorten the title, or give the page a fixed address")
	}
	if n := strings.Count(a.Path, "/"); paths.Depth > 0 && n > paths.Depth {
		d.add(finding.DeepAddress, finding.Warning, d.row(page),
			fmt.Sprintf("%s has %d segments; the plan allows %d", a.Path, n, paths.Depth), "leave a section out")
	}
}

// checkCanonical finds pages that defer to something that isn't there, or that
// defers in turn.
func (d *designer) checkCanonical() {
	for i := range d.plan.Pages.Pages {
		page := &d.plan.Pages.Pages[i]
		if page.Canonical == "" || page.State != inventory.Live {
			continue
		}
		bad := func(what, advice string) {
			d.add(finding.BadCanonical, finding.Error, d.row(page),
				fmt.Sprintf("%s defers to %q, %s", page.Ref, page.Canonical, what), advice)
		}
		ref, ok := inventory.ParseRef(page.Canonical)
		if !ok {
			if _, err := address.Resolve(d.plan.Site.Origin, page.Canonical); err != nil {
				bad("which is neither a page nor an address", "write key@language, a path or an address")
			}
			continue
		}
		switch other := d.plan.Pages.Find(ref); {
		case ref == page.Ref:
			bad("which is itself", "empty the column canonical")
		case other == nil || other.State != inventory.Live:
			bad("which is not a live page", "name one, or empty the column canonical")
		case other.Canonical != "":
			bad(fmt.Sprintf("which defers to %q itself", other.Canonical), "name that one")
		}
	}
}

// checkTranslations lists the pages that some languages of the site don't have;
// pages are those that are live, in order.
func (d *designer) checkTranslations(pages []*inventory.Page) {
	if len(d.plan.Languages.Others) == 0 {
		return
	}
	languages := d.plan.Languages.Tags()
	for first := 0; first < len(pages); {
		last := first + 1
		for last < len(pages) && pages[last].Key == pages[first].Key {
			last++
		}
		group := pages[first:last]
		first = last
		if d.options.Only != "" && group[0].Kind != d.options.Only {
			continue
		}
		var have, missing []string
		there := 0
		for _, p := range group {
			if d.plan.Languages.Has(p.Language) {
				there++
			}
		}
		if there == len(languages) || there == 0 {
			continue
		}
		for _, language := range languages {
			if other := d.plan.Pages.Find(inventory.Ref{Key: group[0].Key, Language: language}); other != nil &&
				other.State != inventory.Draft {
				have = append(have, language)
			} else {
				missing = append(missing, language)
			}
		}
		if len(missing) > 0 && (d.options.Language == "" || slices.Contains(missing, d.options.Language)) {
			d.add(finding.MissingTranslation, finding.Note, d.row(group[0]),
				fmt.Sprintf("%s is there in %s, not in %s", group[0].Key, strings.Join(have, ", "),
					strings.Join(missing, ", ")), "")
		}
	}
}

// Accept returns the book with the proposals accepted: where a page moves, its
// former address stays bound to it, so that visitors are redirected. What the
// book says already of an address in a further section stays.
func Accept(b *book.Book, proposals []Proposal, today string) *book.Book {
	next := b.With(slices.Clone(b.Entries))
	type bond struct {
		page inventory.Ref
		at   address.Address
	}
	positions := make(map[bond]int, len(next.Entries))
	for i, e := range next.Entries {
		positions[bond{e.Page, e.Address}] = i
	}
	current := next.Current()
	enter := func(ref inventory.Ref, a address.Address, state book.State) {
		positions[bond{ref, a}] = len(next.Entries)
		next.Entries = append(next.Entries, book.Entry{Address: a, Page: ref, State: state, Since: today})
	}
	for _, p := range proposals {
		if p.Moves() {
			if i, ok := current[p.Page.Ref]; ok {
				next.Entries[i].State = book.Former
			}
			if i, ok := positions[bond{p.Page.Ref, p.New}]; ok {
				next.Entries[i].State = book.Current
			} else {
				enter(p.Page.Ref, p.New, book.Current)
			}
		}
		for _, a := range p.More {
			if _, ok := positions[bond{p.Page.Ref, a}]; ok {
				continue
			}
			state := book.Variant
			if p.Shown {
				state = book.Shown
			}
			enter(p.Page.Ref, a, state)
		}
	}
	return next
}
