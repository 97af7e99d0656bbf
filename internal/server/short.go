package server

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/parameter"
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
	q := &Quick{Path: `^/(?!` + Quote(d.Plan.Languages.Default) + `(?:/|\z))(?:[a-z0-9_~-]++(?:/[a-z0-9_~-]++)*+)?\z`}
	for _, g := range d.Program.Groups {
		q.Groups = append(q.Groups, g.Paths...)
	}
	q.Hidden = []string{`^&|&&|&\z|\?`}
	for _, names := range Chunks(d.meaning()) {
		if len(names) > 0 {
			q.Hidden = append(q.Hidden, `(?:^|&)`+Names(names)+`(?:[=&]|\z)`)
		}
	}
	if suffixes := d.suffixes(); len(suffixes) > 0 && (!d.who.Skips || len(d.Plan.Headers) == 0) {
		q.Suffixes = suffixes
		q.Asset = `^/(?!` + Quote(d.Plan.Languages.Default) +
			`/)(?:[a-z0-9_~-][a-z0-9._~-]*+/)*+[a-z0-9_~-]++(?:\.[a-z0-9_~-]*+)*?\.` + anyOf(suffixes) + `\z`
		q.Unlisted = len(d.Program.Patterns) == 0 && !slices.ContainsFunc(d.Program.Listed, func(x compile.Listed) bool {
			return slices.Contains(suffixes, strings.ToLower(x.Key[strings.LastIndexByte(x.Key, '.')+1:]))
		})
	}
	if len(q.Groups) <= maxGroups {
		d.Quick = q
	}
}

// meaning returns the names of the parameters that give any path a meaning, that don't travel, or for which a header is
// sent.
func (d *decider) meaning() []string {
	names := d.ParameterNames()
	for _, q := range d.Plan.Parameters.All {
		if q.Class == parameter.Noise {
			names = append(names, q.Name)
		}
	}
	for _, h := range d.Plan.Headers {
		names = append(names, h.Having...)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// suffixes returns the endings, behind the dot, of files that are served as they are.
func (d *decider) suffixes() (list []string) {
	for _, place := range d.Plan.FileList() {
		if place[0] == '.' && strings.Trim(place[1:], "abcdefghijklmnopqrstuvwxyz0123456789") == "" {
			list = append(list, place[1:])
		}
	}
	return list
}

// headsPlain reports whether a rule for headers may hold for an address of the short way: it has no dot and no
// parameters.
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
		if !strings.HasPrefix(text, "/") && !strings.HasPrefix(text, d.Plan.Site.Origin.Base()) {
			return len(d.Plan.Site.LanguageHosts) > 0 && d.Program.OnSite(q)
		}
		to, ok := d.written(q)
		return !ok || !template.Disjoint(q.Reader, to, d.Plan.Paths.Lower)
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
