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

// rest returns the parameters where a way stands, without empty items and
// noise.
func (p *Plan) rest(w *way) string {
	noise := p.noiseAt(w.at.Path)
	goes := func(q address.Param) bool { return q.Raw == "" || noise(q) }
	if !slices.ContainsFunc(w.params(), goes) {
		return w.at.Query
	}
	return joinParams(w.params(), noise)
}

// home takes the step to the site's scheme and host.
func (p *Plan) home(w *way, path, query string) bool {
	to := p.Site.Rebase(w.at)
	if to == w.at {
		return false
	}
	to.Path, to.Query = path, query
	return w.step(to, 0, p.cause("origin", "everything is on "+to.Base()))
}

// quiet takes the step to an address without noise parameters.
func (p *Plan) quiet(w *way) bool {
	if !slices.ContainsFunc(w.params(), p.noiseAt(w.at.Path)) {
		return false
	}
	to := w.at
	to.Query = p.rest(w)
	return w.step(to, 0, p.cause("noise", "noise parameters are left out"))
}

// spell takes the step to the spelling of the site: its scheme and host, no
// slash at the end, single slashes, no noise, and no prefix of the default
// language.
func (p *Plan) spell(w *way) bool {
	path := w.at.Path
	cause := Cause{}
	note := func(key, rule, changed string) {
		if changed != path {
			path, cause = changed, p.cause(key, rule)
		}
	}
	note("site", "slashes are single", address.MergeSlashes(path))
	if !p.Site.IsHome(w.at.Host) {
		note("default", "the default language has no prefix", p.withoutPrefix(path))
	}
	note("slash", p.slashRule(), p.slashed(path))
	if p.home(w, path, p.rest(w)) {
		if cause.Rule != "" {
			w.causes = append(w.causes, cause)
		}
		return true
	}
	if path == w.at.Path {
		return p.quiet(w)
	}
	to := w.at
	to.Path, to.Query = path, p.rest(w)
	return w.step(to, 0, cause)
}

// small takes the step to small letters. It comes last: letters don't count in
// looking up, and a pattern takes values over as they are written.
func (p *Plan) small(w *way) bool {
	if !p.Paths.Lower {
		return false
	}
	to := w.at
	if to.Path = address.Fold(to.Path); to.Path == w.at.Path {
		return false
	}
	to.Query = p.rest(w)
	return w.step(to, 0, p.cause("letters", "addresses are in small letters"))
}

func (p *Config) slashRule() string {
	if p.Paths.Slash == SlashAlways {
		return "a slash at the end"
	}
	return "no slash at the end"
}

// slashed returns a path as the site ends paths. Where it ends them with a
// slash, one whose last segment holds a dot stays: it looks like a file.
func (p *Config) slashed(path string) string {
	if p.Paths.Slash == SlashKept {
		return path
	}
	bare := strings.TrimRight(path, "/")
	switch {
	case bare == "":
		return "/"
	case p.Paths.Slash == SlashNever:
		return bare
	case strings.Contains(bare[strings.LastIndexByte(bare, '/'):], "."):
		return path
	}
	return bare + "/"
}

// withoutPrefix removes the default language's code from the front, however
// often it stands there.
func (p *Config) withoutPrefix(path string) string {
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
	to.Path, to.Query = path, p.rest(w)
	key, rule := "extension", "addresses have no extension"
	if strings.HasSuffix(path, "/") || p.indexName(w.at.Path[strings.LastIndexByte(w.at.Path, '/')+1:]) {
		key, rule = "index", "index files don't show"
	}
	return w.step(to, 0, p.cause(key, rule))
}

// Shape removes extensions and index files from the end of a path, as long as
// there are any.
func (p *Config) Shape(path string) string {
	changed := false
	for {
		slash := strings.LastIndexByte(path, '/')
		name := path[slash+1:]
		switch {
		case p.indexName(name):
			if path = path[:slash+1]; p.Paths.Slash == SlashNever {
				path = p.slashed(path)
			}
		case p.Paths.NoExtension && p.extension(name) > 0:
			path = path[:len(path)-p.extension(name)]
		case changed && p.Paths.Slash == SlashAlways:
			return p.slashed(path)
		default:
			return path
		}
		changed = true
	}
}

func (p *Config) indexName(name string) bool {
	return slices.ContainsFunc(p.Paths.Index, func(index string) bool { return p.sameLetters(name, index) })
}

// sameLetters compares names; letters don't count where the plan folds them.
func (p *Config) sameLetters(a, b string) bool {
	return a == b || p.Paths.Lower && strings.EqualFold(a, b)
}

// Extensions are what the rule "extension: none" removes.
func Extensions() []string { return []string{".html", ".htm", ".php"} }

// extension returns the length of a page extension at the end of a name that
// has more than the extension.
func (p *Config) extension(name string) int {
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
func (p *Config) SiteForm(path string) string {
	return p.withoutPrefix(p.Shape(p.Spelling(path)))
}

// Spelling returns what the rules for slashes, letters and the default
// language's prefix make of a path.
func (p *Config) Spelling(path string) string {
	path = p.slashed(p.withoutPrefix(address.MergeSlashes(path)))
	if p.Paths.Lower {
		path = address.Fold(path)
	}
	return path
}

// Forms returns a path as it is looked up on a host: as asked, as the site
// spells it, and without extension and index file. The prefix of the default
// language is no matter of a language's own host.
func (c *Config) Forms(host, path string) []string {
	if !c.Site.IsHome(host) {
		return []string{path, c.Spelling(path), c.SiteForm(path)}
	}
	spelled := c.slashed(address.MergeSlashes(path))
	if c.Paths.Lower {
		spelled = address.Fold(spelled)
	}
	return []string{path, spelled, c.Shape(spelled)}
}
