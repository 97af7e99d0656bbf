package server

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
)

// forms works the path out as the site's own rules make it, step by step: 0 as
// asked, 1 spelled, 2 shaped; decoded (p) and as it was sent (r).
func (d *decider) forms() {
	d.add(Note("the site's own rules on the decoded path, and on the path as sent"))
	d.add(&Table{Name: "p0", Role: AskedPath, Source: T("{uri}"), Else: T("{uri}")})
	merged := "raw" // its slashes are merged by the rules below, where the server can't
	if d.who.Normal {
		merged = "single"
	}
	uri, raw := d.withoutNoise("uri"), d.withoutNoise(merged)
	lead := ""
	if len(d.Plan.Site.LanguageHosts) > 0 {
		lead = "{site}"
	}
	for _, form := range []struct{ name, source, slashes string }{{"p", uri, "/"}, {"r", raw, "/+"}} {
		n := form.name
		rows, changes := d.spelling(form.slashes)
		d.fold(n+"1", lead+form.source, T(form.source), rows...)
		if n == "p" {
			d.Steps[len(d.Steps)-1].(*Table).Role = SpelledPath
		}
		if len(d.Plan.Noise) == 0 {
			d.fold(n+"1c", lead+form.source, T("0"), changes...)
		} else {
			d.fold(n+"1s", lead+form.source, T("0"), changes...)
			d.table(n+"1c", map[string]string{"p": "{uri_noisy}", "r": "{" + merged + "_noisy}"}[n]+"{"+n+"1s}", T("1"), is("00", T("0")))
		}
		rows, changes = d.shape()
		d.fold(n+"2", lead+"{"+n+"1}", T("{"+n+"1}"), rows...)
		d.fold(n+"2c", "{"+n+"1}", T("0"), changes...)
	}
	if d.HasHosts() {
		d.table("host1", "{site}{p1c}", T("{host0}"), is("o1", T("%", d.Plan.Site.Origin.Host)))
		d.table("host2", "{site}", nil, is("l", T("{host0}")))
	}
	d.add(Note("files that are served as they are"))
	asked := "{p0}"
	if len(d.Plan.Noise) > 0 {
		asked = uri // a listed script keeps its session
	}
	d.untouched("file0", "", asked, "")
	if d.exempts() {
		d.exempt("exempt1", "{p1}", "")
	}
	d.untouched("file1", "exempt1", "{p1}", "")
}

// withoutNoise takes the parameters in a path that are noise out of it, up to two, and returns the source of the rest.
func (d *decider) withoutNoise(path string) (source string) {
	source = "{" + path + "}"
	if len(d.Plan.Noise) == 0 {
		return source
	}
	noise := `(?:;|%3b)` + anyOf(d.Plan.Noise) + `(?:=|%3d)(?:[^/;%]|%3[^b/;]|%[^3/;]|%\z)*`
	d.add(&Table{Name: path + "_noisy", Source: T(source), Fold: true, Else: T("0"), Rows: []Case{on(noise, "1")}})
	for _, n := range []string{"1", "2"} {
		name := path + "_bare" + n
		d.add(&Table{Name: name, Source: T(source), Fold: true, Else: T(source),
			Rows: []Case{on(`^(.*?/)`+noise+`/(.*)\z`, "{1}{2}"), on(`^(.*?)`+noise+`(.*)\z`, "{1}{2}")}})
		source = "{" + name + "}"
	}
	return source
}

// leads returns what stands in front of paths in sources: nothing, or whether
// the host leads to the origin (o) or is a language's own (l).
func (d *decider) leads() (onOrigin, onHome string) {
	if len(d.Plan.Site.LanguageHosts) > 0 {
		return "o", "l"
	}
	return "", ""
}

// spelling returns the rows that remove the default language's prefix and put
// the slash at the end right, and those that tell whether they change anything.
// slashes is "/" for paths whose slashes are merged, "/+" for others.
func (d *decider) spelling(slashes string) (rows, changes []Case) {
	prefix := `(?:` + slashes + Quote(d.Plan.Languages.Default) + `)*`
	ending := func(lead string) {
		switch d.Plan.Paths.Slash {
		case address.SlashNever:
			rows = append(rows, on(`^`+lead+`/*\z`, "/"), on(`^`+lead+`(/.*[^/])/*\z`, "{1}"))
		case address.SlashAlways:
			rows = append(rows, on(`^`+lead+`/*\z`, "/"), on(`^`+lead+`(/(?:.*/)?[^/.]+)/*\z`, "{1}/"),
				on(`^`+lead+`(/.+)\z`, "{1}"))
		default:
			rows = append(rows, on(`^`+lead+`/*\z`, "/"), on(`^`+lead+`(/.+?)\z`, "{1}"))
		}
	}
	changed := map[address.Slash]string{address.SlashNever: `.+/\z`,
		address.SlashAlways: `/(?:.*/)?[^/.]+\z`}[d.Plan.Paths.Slash]
	o, l := d.leads()
	ending(o + prefix)
	one := `^` + o + slashes + Quote(d.Plan.Languages.Default) + `(?:/|\z)`
	if changed != "" {
		one += `|^` + o + changed
	}
	changes = append(changes, on(one, "1"))
	if l != "" {
		ending(l)
		if changed != "" {
			changes = append(changes, on(`^`+l+changed, "1"))
		}
	}
	return rows, changes
}

// shape does the same for extensions and index files at the end.
func (d *decider) shape() (rows, changes []Case) {
	var ends []string
	extension, index := "", ""
	if d.Plan.Paths.NoExtension {
		extension = anyOf(address.PageExtensions())
		ends = append(ends, `[^/]`+extension)
		extension = `(?:` + extension + `)`
	}
	if len(d.Plan.Paths.Index) > 0 {
		index = anyOf(d.Plan.Paths.Index)
		ends = append(ends, `/`+index)
	}
	if len(ends) == 0 {
		return nil, nil
	}
	// What is removed is bounded: else a path that is nothing but ends keeps a server busy for long.
	slashes := fmt.Sprintf(`/{1,%d}`, address.MaxEnds)
	end, most := strings.Trim(extension+"|"+slashes+index, "|"), fmt.Sprintf(`{1,%d}`, address.MaxEnds)
	if index == "" {
		end = extension
	}
	o, l := d.leads()
	for _, lead := range slices.Compact([]string{o, l}) {
		prefix := ""
		if lead == o {
			prefix = `(?:/` + Quote(d.Plan.Languages.Default) + `)?`
		}
		if d.Plan.Paths.Slash == address.SlashNever {
			rows = append(rows, on(`^`+lead+prefix+`(?:`+end+`)`+most+`\z`, "/"),
				on(`^`+lead+`(/.*?[^/])(?:`+end+`)`+most+`\z`, "{1}"))
			continue
		}
		more := ""
		if extension != "" {
			more = extension + fmt.Sprintf(`{0,%d}`, address.MaxEnds-1)
		}
		if index != "" {
			rows = append(rows, on(`^`+lead+`(/(?:.*/)?)`+index+more+`\z`, "{1}"))
		}
		if extension == "" {
			continue
		}
		if prefix != "" {
			rows = append(rows, on(`^`+lead+`/`+Quote(d.Plan.Languages.Default)+extension+most+`\z`, "/"))
		}
		if d.Plan.Paths.Slash == address.SlashAlways {
			rows = append(rows, on(`^`+lead+`(/(?:.*/)?[^/.]+)`+extension+most+`\z`, "{1}/"))
		}
		rows = append(rows, on(`^`+lead+`(/.*?[^/])`+extension+most+`\z`, "{1}"))
	}
	return rows, []Case{on(`(?:`+strings.Join(ends, "|")+`)\z`, "1")}
}

func anyOf(list []string) string {
	quoted := make([]string, len(list))
	for i, s := range list {
		quoted[i] = Quote(s)
	}
	return `(?:` + strings.Join(quoted, "|") + `)`
}

// untouched says whether a path is a listed file, or exempt, which is a variable
// when the plan leaves any place alone; before stands in front of the path.
func (d *decider) untouched(name, exempt, path, before string) {
	t := &Table{Name: name, Source: T(path), Fold: true, Else: T("0")}
	if exempt != "" && d.exempts() {
		t.Source, before = T("{"+exempt+"}"+path), "."+before
		t.Rows = []Case{on("^1", "1")}
	}
	t.Rows = append(t.Rows, within("^"+before, d.Plan.FileList(), "1")...)
	d.add(t)
}
