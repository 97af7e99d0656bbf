package resolve

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/route"
)

// rest returns the parameters where the way stands, without empty items and noise.
func (w *Walker) rest() string {
	noise := w.Rules.Parameters.Noisy(w.At.Path)
	goes := func(q address.Param) bool { return q.Raw == "" || noise(q) }
	if !slices.ContainsFunc(w.Params(), goes) {
		return w.At.Query
	}
	return address.JoinWithout(w.Params(), noise)
}

// ruled takes the step of one of the site's own rules.
func (w *Walker) ruled(to address.Address, cause Cause) bool { return w.take(to, ByRule, 0, 0, cause) }

// toOrigin takes the step to the site's scheme and host.
func (w *Walker) toOrigin(path, query string) bool {
	to := w.Rules.Site.Rebase(w.At)
	if to == w.At {
		return false
	}
	to.Path, to.Query = path, query
	return w.ruled(to, w.Rules.says("origin", "everything is on "+to.Base()))
}

// quiet takes the step to an address without noise parameters.
func (w *Walker) quiet() bool {
	if !slices.ContainsFunc(w.Params(), w.Rules.Parameters.Noisy(w.At.Path)) {
		return false
	}
	to := w.At
	to.Query = w.rest()
	return w.ruled(to, w.Rules.says("noise", "noise parameters are left out"))
}

// spell takes the step to what can be undone without loss: the site's scheme and host, no noise, single slashes, no
// prefix of the default language, the slash at the end.
func (w *Walker) spell() bool {
	r := w.Rules
	path := w.At.Path
	cause := Cause{}
	note := func(key, rule, changed string) {
		if changed != path {
			path, cause = changed, r.says(key, rule)
		}
	}
	note("noise", "noise parameters are left out", r.WithoutNoise(path))
	note("site", "slashes are single", r.Single(path))
	if !r.Site.IsLanguageHost(w.At.Host) {
		note("default", "the default language has no prefix", r.WithoutPrefix(path))
	}
	slash := "no slash at the end"
	if r.Paths.Slash == address.SlashAlways {
		slash = "a slash at the end"
	}
	note("slash", slash, r.EndSlash(path))
	if w.toOrigin(path, w.rest()) {
		if cause.Rule != "" {
			w.Causes = append(w.Causes, cause)
		}
		return true
	}
	if path == w.At.Path {
		return w.quiet()
	}
	to := w.At
	to.Path, to.Query = path, w.rest()
	return w.ruled(to, cause)
}

// shape takes the step to an address without extension and index file.
func (w *Walker) shape() bool {
	r := w.Rules
	path := r.Shape(w.At.Path)
	if !r.Site.IsLanguageHost(w.At.Host) {
		path = r.WithoutPrefix(path)
	}
	if path == w.At.Path {
		return false
	}
	to := w.At
	to.Path, to.Query = path, w.rest()
	key, rule := "extension", "addresses have no extension"
	if strings.HasSuffix(path, "/") || r.IsIndex(w.At.Path[strings.LastIndexByte(w.At.Path, '/')+1:]) {
		key, rule = "index", "index files don't show"
	}
	return w.ruled(to, r.says(key, rule))
}

// small takes the step to small letters. It comes last: letters don't count in looking up, and a pattern takes values
// over as they are written.
func (w *Walker) small() bool {
	to := w.At
	if to.Path = w.Rules.Small(to.Path); to.Path == w.At.Path {
		return false
	}
	to.Query = w.rest()
	return w.ruled(to, w.Rules.says("letters", "addresses are in small letters"))
}

// Spelled returns what the site's own rules alone make of an address, whatever stands there.
func (w *Walker) Spelled(a address.Address) address.Address {
	r := w.Rules
	a = r.Site.Rebase(a)
	if !r.Site.Has(a.Host) || r.IsFile(a.Path) || a.Query == "" && isPlain(a.Path) &&
		r.WithoutPrefix(a.Path) == a.Path && r.Plain() {
		return a
	}
	params := address.SplitQuery(a.Query)
	forms := r.Forms(a.Host, a.Path)
	a.Query = address.JoinWithout(params, r.Parameters.Noisy(a.Path))
	if a.Path = forms[2]; len(route.Carried(params, w.Named(forms[0]))) > 0 {
		a.Path = forms[1] // an unknown item doesn't slide to another page
	}
	return a
}
