package propose

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/shape"
	"young-compass/internal/template"
)

// document reports whether an extension is that of a file that people take home.
func document(extension string) bool {
	return slices.Contains([]string{".pdf", ".doc", ".docx", ".xls", ".xlsx", ".csv", ".ppt", ".pptx", ".odt", ".ods",
		".rtf", ".epub", ".ics", ".vcf", ".gpx", ".kml", ".tar", ".tgz", ".rar", ".7z", ".exe", ".dmg", ".apk", ".iso",
		".mov", ".avi", ".wav", ".tif", ".tiff", ".eps", ".ai", ".psd"}, strings.ToLower(extension))
}

// use is how an address is asked for that no page has.
type use struct {
	visits   int
	why      string
	examples []string
}

// findFiles finds what must be served as it is: scripts that people use and that are no pages, and documents.
func (d *draft) findFiles(e *Evidence, s *survey) {
	pages := map[string]bool{}
	for _, entry := range e.Book.Entries {
		pages[address.Fold(entry.Address.Path)] = true
	}
	scripts, documents := map[string]*use{}, map[string]*use{}
	at := func(m map[string]*use, key string) *use {
		if m[key] == nil {
			m[key] = &use{}
		}
		return m[key]
	}
	for i := range e.Seen {
		seen := &e.Seen[i]
		if seen.Says&Log == 0 || seen.Visits == 0 || seen.Status != 200 && seen.Status != 304 ||
			pages[address.Fold(seen.Address.Path)] {
			continue
		}
		switch extension := path.Ext(seen.Address.Path); {
		case document(extension):
			u := at(documents, strings.ToLower(extension))
			u.visits, u.examples = u.visits+seen.Visits, show(u.examples, seen.Address)
		case address.Script(seen.Address.Path):
			u := at(scripts, seen.Address.Path)
			u.visits, u.examples = u.visits+seen.Visits, show(u.examples, seen.Address)
			u.why = "people ask for it and get it"
		}
	}
	for _, asked := range e.Asked {
		if p, _, _ := strings.Cut(asked, "?"); address.Script(p) && !pages[address.Fold(p)] {
			u := at(scripts, p)
			u.examples = example(u.examples, asked)
			if u.why == "" {
				u.why = "forms send to it, or robots.txt names it"
			}
		}
	}
	for _, p := range e.Linked {
		if address.Script(p) && !pages[address.Fold(p)] && scripts[p] == nil && placeable(p) {
			d.item("site.files", quoted(p), "is "+p+" a script that must stay where it is? Nothing lists it as a page", nil,
				"pages link to it")
		}
	}
	for _, p := range slices.Sorted(maps.Keys(scripts)) {
		u := scripts[p]
		if !placeable(p) || u.visits == 1 {
			continue
		}
		d.item("site.files", quoted(p), "", u.examples, "%s (%d visits), and it is no page: a script that must stay where it is", u.why, u.visits)
	}
	for _, extension := range slices.Sorted(maps.Keys(documents)) {
		d.item("site.files", quoted(extension), "", documents[extension].examples, "documents (%d visits)",
			documents[extension].visits)
	}
}

// placeable reports whether a path can be written as a place of a plan.
func placeable(p string) bool {
	return strings.HasPrefix(p, "/") && !strings.ContainsAny(p, "%;\"'<>{}*$?# ") && address.Printable(p) == p &&
		len(p) <= 200
}

// findPaths finds how the site spells its paths.
func (d *draft) findPaths(k *kinds) {
	slash, without, index := 0, 0, tally{}
	endings, letters := tally{}, map[string]string{}
	twins, capitals := []string{}, 0
	for i := range k.pages {
		p := k.pages[i].at.Path
		name := p[strings.LastIndexByte(p, '/')+1:]
		if slices.Contains(indexNames(), strings.ToLower(name)) {
			index[name]++
		}
		switch {
		case p == "/" || k.pages[i].at.Query != "":
		case strings.HasSuffix(p, "/"):
			slash++
		case path.Ext(p) == "":
			without++
		}
		if ext := path.Ext(p); ext != "" {
			endings[ext]++
		}
		if k.pages[i].at.Query != "" {
			continue
		}
		if folded := address.Fold(p); letters[folded] == "" {
			letters[folded] = p
		} else if letters[folded] != p && k.pages[i].at.Host == k.s.hosts.origin.Host {
			twins = example(twins, letters[folded]+" and "+p)
			capitals++
		}
	}
	switch {
	case slash > without:
		d.add("site.paths.slash", "always", "", nil, "%d of %d addresses without extension end with a slash", slash,
			slash+without)
	case slash+without == 0:
		d.add("site.paths.slash", "never", "", nil, "every address has an extension today; without it, none needs a slash")
	default:
		d.add("site.paths.slash", "never", "", nil, "%d of %d addresses without extension end with no slash", without,
			slash+without)
	}
	if capitals*50 > len(k.pages) {
		d.add("site.paths.letters", "keep", "", twins, "%d pages differ from another by capitals alone", capitals)
	} else {
		d.add("site.paths.letters", "lower", "", nil, "no page needs capitals to be told from another")
	}
	removable := 0
	for ending, n := range endings {
		if slices.Contains(address.PageExtensions(), strings.ToLower(ending)) {
			removable += n
		}
	}
	d.add("site.paths.extension", "none", "", nil, "%d pages end with .html, .htm or .php: the same addresses without are shorter, and last", removable)
	names := []string{"index.html", "index.php"}
	for _, name := range index.sorted() {
		if name = strings.ToLower(name); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	for i := range names {
		names[i] = quoted(names[i])
	}
	d.add("site.paths.index", "["+strings.Join(names, ", ")+"]", "", nil,
		"the usual ones, and those that addresses of pages end with (%d)", index.sum())
}

// leastRows is how many redirects make a pattern worth its line.
const leastRows = 10

// findRules finds patterns by which old addresses lead to new ones: those of kinds whose names stay, and those of
// redirects that exist.
func (d *draft) findRules(k *kinds) {
	froms := map[string]bool{}
	for _, one := range k.list {
		for _, tag := range slices.Sorted(maps.Keys(one.groups)) {
			for _, part := range one.groups[tag] {
				d.ruleOf(k, one, tag, part, froms)
			}
		}
	}
	d.rulesOfMoves(k, froms)
}

// ruleOf writes the pattern from the addresses of a group to the new ones of its kind, where the names stay.
func (d *draft) ruleOf(k *kinds, one *kind, tag string, part grouped, froms map[string]bool) {
	f := k.forms[one.name]
	g := part.group
	if f == nil || !f.named || tag != k.s.languages.standard || len(part.members) < leastRows || len(k.pages) == 0 ||
		f.date != g.Date && g.Script == "" || f.date > 0 && g.Script != "" || (f.sections != "") != (g.Script == "" &&
		g.Sections) {
		return
	}
	kept := 0
	for _, i := range part.members {
		if clean(k.nameOf(i)) {
			kept++
		}
	}
	from, to := g.Template(), f.template()
	if g.Script != "" {
		if len(g.Varying) != 1 {
			return
		}
		to = strings.Replace(to, "{slug}", "{"+shape.Variable(g.Varying[0])+"}", 1)
	}
	to = strings.Replace(to, "{/"+f.sections+"*,slug}", "{/section*}/{slug}", 1)
	shorter := strings.TrimSuffix(from, g.Ending)
	if kept*10 < len(part.members)*9 || froms[from] || address.Fold(shorter) == to {
		return
	}
	d.writeRule(from, to, fmt.Sprintf("%d pages move so, and keep their names", len(part.members)), k.examples(part),
		froms)
}

func (k *kinds) examples(part grouped) (list []string) {
	for _, i := range part.members {
		list = show(list, *k.pages[i].at)
	}
	return list
}

// writeRule writes a redirect by pattern, if it can be read.
func (d *draft) writeRule(from, to, why string, examples []string, froms map[string]bool) {
	t, err := template.Parse(from)
	if err != nil {
		return
	}
	if _, err := template.NewReader(t, nil); err != nil {
		return
	}
	var classes []string
	for _, name := range t.Names() {
		switch {
		case name == "section":
		case name == "year":
			classes = append(classes, `year: "[0-9]{4}"`)
		case name == "month" || name == "day":
			classes = append(classes, name+": digits")
		default:
			classes = append(classes, name+": slug")
		}
	}
	froms[from] = true
	d.item("rules", fmt.Sprintf("{from: %q, to: %q, class: {%s}}", from, to, strings.Join(classes, ", ")), "", examples,
		"%s", why)
}

// rulesOfMoves finds what many redirects have in common: the folder that they leave, the one that they lead to, and a
// name that stays.
func (d *draft) rulesOfMoves(k *kinds, froms map[string]bool) {
	type family struct{ from, to string }
	counts, examples := map[family]int{}, map[family][]string{}
	leaving, differ := map[string]int{}, map[string]int{}
	for _, m := range k.e.Moves {
		if m.From.Query != "" || m.To.Query != "" || m.To.Path == "" || !k.s.hosts.site[m.To.Host] && m.To.Host != "" {
			continue
		}
		fromFolder, fromName := path.Split(m.From.Path)
		toFolder, toName := path.Split(m.To.Path)
		fromName, fromEnd := strings.TrimSuffix(fromName, path.Ext(fromName)), path.Ext(fromName)
		toEnd := path.Ext(toName)
		toName = strings.TrimSuffix(toName, toEnd)
		from := fromFolder + "{slug}" + fromEnd
		leaving[from]++
		if !clean(fromName) || fromName != toName {
			differ[from]++
			continue
		}
		f := family{from, toFolder + "{slug}" + toEnd}
		counts[f]++
		examples[f] = example(examples[f], m.From.Local())
	}
	var list []family
	for f, n := range counts {
		if n >= leastRows && n*10 >= leaving[f.from]*9 {
			list = append(list, f)
		}
	}
	slices.SortFunc(list, func(a, b family) int { return strings.Compare(a.from, b.from) })
	for _, f := range list {
		if !froms[f.from] && f.from != "/{slug}" && f.from != f.to {
			d.writeRule(f.from, f.to, fmt.Sprintf("%d redirects are so: each name stays", counts[f]), examples[f], froms)
		}
	}
}
