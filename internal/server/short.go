package server

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/planfile"
	"young-compass/internal/template"
)

// maxGroups bounds the paths that are told apart one by one in a short way.
const maxGroups = 50

// quick finds the requests that can be spared most steps.
func (d *decider) quick(o Options) {
	dotless := func(list []string) bool {
		return slices.ContainsFunc(list, func(s string) bool { return !strings.Contains(s, ".") })
	}
	if o.Trial || d.Plan.Upkeep != nil || d.Inner || d.exempts() || d.who.Skips && d.headsPlain() ||
		d.who.Patterns && d.mayReturn() ||
		len(d.Plan.Site.LanguageHosts)+len(d.Plan.Proxies) > 0 ||
		d.Plan.Paths.Slash == address.SlashAlways || dotless(d.Plan.Paths.Index) || dotless(d.Plan.FileList()) {
		return
	}
	q := &Quick{Path: `^/(?!` + Quote(d.Plan.Languages.Default) + `(?:/|\z))(?:[a-z0-9_~-]+(?:/[a-z0-9_~-]+)*)?\z`}
	for _, g := range d.Program.Groups {
		for _, path := range g.Paths {
			if !strings.Contains(path, ".") {
				q.Groups = append(q.Groups, path)
			}
		}
	}
	if len(q.Groups) <= maxGroups {
		d.Quick = q
	}
}

// headsPlain reports whether a rule for headers may hold for an address of the short way: it has no dot and no parameters.
func (d *decider) headsPlain() bool {
	return slices.ContainsFunc(d.Plan.Headers, func(h planfile.Headers) bool {
		return len(h.Having) == 0 && (h.Reader != nil ||
			slices.ContainsFunc(h.For.List(), func(place string) bool { return !strings.HasPrefix(place, ".") }))
	})
}

// mayReturn reports whether a pattern may lead to the address that it reads.
//
//	/blog{/parts*}/{x} to /blog/{x}    /blog/a
func (d *decider) mayReturn() bool {
	return slices.ContainsFunc(d.Program.Patterns, func(q compile.Pattern) bool {
		text := q.Target.String()
		if local, ok := strings.CutPrefix(text, d.Plan.Site.Origin.Base()); ok {
			text = cmp.Or(local, "/")
		} else if !strings.HasPrefix(text, "/") {
			return len(d.Plan.Site.LanguageHosts) > 0 && d.Program.OnSite(q)
		}
		path, _, _ := strings.Cut(strings.SplitN(text, "?", 2)[0], "#")
		t, err := template.Parse(path)
		if err != nil {
			return true
		}
		to, err := template.NewReader(t, q.Reader.Classes())
		return err != nil || !template.Disjoint(q.Reader, to, d.Plan.Paths.Lower)
	})
}

// itself leaves out a redirect to the very address that was asked: it is no step.
func (d *decider) itself() {
	if !d.mayReturn() {
		return
	}
	d.add(Note("a redirect to where the visitor is already is none"))
	scheme := "{scheme_asked}"
	if len(d.Plan.Proxies) > 0 {
		scheme = "{scheme}"
	}
	d.table("whole_joint", "{args}", T("?"), is("", nil))
	d.add(&Table{Name: "whole", Else: T(scheme + "://{host}{raw}{whole_joint}{args}")}, &Equal{"itself", "location", "whole"})
	d.table("code", "{itself}{chosen}", T("{chosen}"), on(`^130[12378]\z`, ""))
}
