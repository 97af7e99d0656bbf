package plan

import (
	"slices"
	"strings"

	"young-compass/internal/address"
)

// joinParams joins parameters without empty items and those to leave out.
func joinParams(params []address.Param, leaveOut func(address.Param) bool) string {
	if leaveOut != nil {
		params = slices.DeleteFunc(slices.Clone(params), leaveOut)
	}
	return address.JoinQuery(params)
}

// home takes the step to the site's scheme and host.
func (p *Plan) home(w *way, path, query string) bool {
	to := p.Site.Rebase(w.at)
	if to == w.at {
		return false
	}
	to.Path, to.Query = path, query
	return w.step(to, w.derived(), p.cause("origin", "everything is on "+to.Base()))
}

// quiet takes the step to an address without noise parameters.
func (p *Plan) quiet(w *way, params []address.Param) bool {
	if !slices.ContainsFunc(params, p.isNoise) {
		return false
	}
	to := w.at
	to.Query = joinParams(params, p.isNoise)
	return w.step(to, w.derived(), p.cause("noise", "noise parameters are left out"))
}

// spell takes the step to the spelling of the site: its scheme and host, no
// slash at the end, single slashes, no noise, and no prefix of the default
// language.
func (p *Plan) spell(w *way, params []address.Param) bool {
	path := w.at.Path
	cause := Cause{}
	note := func(key, rule, changed string) {
		if changed != path {
			path, cause = changed, p.cause(key, rule)
		}
	}
	note("site", "slashes are single", address.MergeSlashes(path))
	note("slash", "no slash at the end", p.withoutSlash(path))
	if !p.Site.IsHome(w.at.Host) {
		note("default", "the default language has no prefix", p.withoutPrefix(path))
	}
	if p.home(w, path, joinParams(params, p.isNoise)) {
		if cause.Rule != "" {
			w.causes = append(w.causes, cause)
		}
		return true
	}
	if path == w.at.Path {
		return p.quiet(w, params)
	}
	to := w.at
	to.Path, to.Query = path, joinParams(params, p.isNoise)
	return w.step(to, w.derived(), cause)
}

// small takes the step to small letters. It comes last: letters don't count in
// looking up, and a pattern takes values over as they are written.
func (p *Plan) small(w *way, params []address.Param) bool {
	if !p.Paths.Lower {
		return false
	}
	to := w.at
	to.Path, to.Query = address.Fold(to.Path), joinParams(params, p.isNoise)
	return to.Path != w.at.Path && w.step(to, w.derived(), p.cause("letters", "addresses are in small letters"))
}

func (p *Plan) withoutSlash(path string) string {
	if !p.Paths.NoSlash {
		return path
	}
	if path = strings.TrimRight(path, "/"); path == "" {
		return "/"
	}
	return path
}

// withoutPrefix removes the default language's code from the front, however
// often it stands there.
func (p *Plan) withoutPrefix(path string) string {
	prefix := "/" + p.Languages.Default
	for len(path) >= len(prefix) && p.sameLetters(path[:len(prefix)], prefix) {
		rest := path[len(prefix):]
		if rest == "" {
			return "/"
		}
		if rest[0] != '/' {
			break
		}
		path = rest
	}
	return path
}

// shape takes the step to an address without extension and index file.
func (p *Plan) shape(w *way) bool {
	path := p.Shape(w.at.Path)
	if !p.Site.IsHome(w.at.Host) {
		path = p.withoutPrefix(path)
	}
	if path == w.at.Path {
		return false
	}
	to := w.at
	to.Path, to.Query = path, joinParams(address.SplitQuery(to.Query), p.isNoise)
	key, rule := "extension", "addresses have no extension"
	if strings.HasSuffix(path, "/") || p.indexName(w.at.Path[strings.LastIndexByte(w.at.Path, '/')+1:]) {
		key, rule = "index", "index files don't show"
	}
	return w.step(to, w.derived(), p.cause(key, rule))
}

// Shape removes extensions and index files from the end of a path, as long as
// there are any.
func (p *Plan) Shape(path string) string {
	for {
		slash := strings.LastIndexByte(path, '/')
		name := path[slash+1:]
		switch {
		case p.indexName(name):
			path = p.withoutSlash(path[:slash+1])
		case p.Paths.NoExtension && p.extension(name) > 0:
			path = path[:len(path)-p.extension(name)]
		default:
			return path
		}
	}
}

func (p *Plan) indexName(name string) bool {
	return slices.ContainsFunc(p.Paths.Index, func(index string) bool { return p.sameLetters(name, index) })
}

// sameLetters compares names; letters don't count where the plan folds them.
func (p *Plan) sameLetters(a, b string) bool {
	return a == b || p.Paths.Lower && strings.EqualFold(a, b)
}

// Extensions are what the rule "extension: none" removes.
func Extensions() []string { return []string{".html", ".htm", ".php"} }

// extension returns the length of a page extension at the end of a name that
// has more than the extension.
func (p *Plan) extension(name string) int {
	for _, e := range Extensions() {
		if n := len(name) - len(e); n > 0 && p.sameLetters(name[n:], e) {
			return len(e)
		}
	}
	return 0
}

// Reflectable reports whether a path means the same encoded and decoded, so
// that a server can put what it decoded into a Location header.
func Reflectable(path string) bool {
	for i := 0; i < len(path); i++ {
		if path[i] != '/' && !address.Unreserved(path[i]) {
			return false
		}
	}
	return true
}

// SiteForm returns what the site's own rules make of a path.
func (p *Plan) SiteForm(path string) string {
	return p.withoutPrefix(p.Shape(p.Spelling(path)))
}

// Spelling returns what the rules for slashes, letters and the default
// language's prefix make of a path.
func (p *Plan) Spelling(path string) string {
	path = p.withoutSlash(address.MergeSlashes(path))
	if p.Paths.Lower {
		path = address.Fold(path)
	}
	return p.withoutPrefix(path)
}
