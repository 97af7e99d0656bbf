package address

import (
	"path"
	"slices"
	"strings"
)

// Speller knows how a site spells the paths of its addresses. Its methods are pure functions of a path in normal
// form; they are the only place that knows the site's rules on slashes, letters, extensions, index files and the
// default language's prefix.
//
//	asked     /EN//Routes/Index.html
//	spelled   /routes/index.html       single slashes, no prefix, no slash at the end, small letters
//	shaped    /routes                  and without extension and index file
type Speller struct {
	Site   Site
	Paths  Paths
	Prefix string   // the default language's code, with which no path begins; empty: none is taken away
	Listed Places   // files that are served as they are
	Noise  []string // names of parameters in paths that are noise, in small letters: jsessionid
}

// Paths says how the site spells its paths.
type Paths struct {
	Slash       Slash    // at the end
	Lower       bool     // small letters only
	NoExtension bool     // no .html, .htm, .php at the end
	Extension   string   // the one with which every designed address ends, such as ".html"; empty: none
	Index       []string // names of index files, which never show
	Doubled     bool     // doubled slashes stay
	Depth       int      // segments; 0: no limit
	Length      int      // bytes of the path; 0: no limit
}

// Ending is what every designed address ends with.
func (p Paths) Ending() string {
	if p.Extension == "" && p.Slash == SlashAlways {
		return "/"
	}
	return p.Extension
}

// Slash says whether addresses end with a slash. The zero value keeps it as it was asked.
type Slash string

// The ways to end an address.
const (
	SlashNever  Slash = "never"
	SlashAlways Slash = "always" // unless the last segment holds a dot
	SlashKept   Slash = "keep"   // as it was asked
)

// PageExtensions are what the rule "extension: none" removes.
func PageExtensions() []string { return []string{".html", ".htm", ".php"} }

// Script reports whether a path ends in the name of a program that makes pages.
func Script(at string) bool {
	return slices.Contains([]string{".php", ".php5", ".asp", ".aspx", ".jsp", ".jsf", ".do", ".cgi", ".pl", ".py",
		".cfm", ".dll"}, Fold(path.Ext(at)))
}

// IsFile reports whether a path is served as it is.
func (s *Speller) IsFile(path string) bool {
	if s.Listed.Has(path) {
		return true
	}
	bare := s.WithoutNoise(path)
	return len(bare) < len(path) && s.Listed.Has(bare) // a script keeps the session that it wrote itself
}

// Key returns what a path is looked up by. Repeated slashes don't count in looking up, nor how a byte is written,
// nor, where the site has small letters only, letters.
//
//	/Caf%C3%A9//x  ->  /café/x
func (s *Speller) Key(path string) string { return Key(path, s.Paths.Lower) }

// Key returns what a path in normal form is looked up by; with fold letters (A-Z) don't count.
func Key(path string, fold bool) string {
	if Settled(path) {
		return path
	}
	path = MergeSlashes(path)
	if fold {
		path = Fold(path)
	}
	return Decode(path)
}

// Single returns a path with single slashes.
func (s *Speller) Single(path string) string {
	if s.Paths.Doubled {
		return path
	}
	return MergeSlashes(path)
}

// EndSlash returns a path with the slash at its end as the site wants it. Where the site ends paths with a slash,
// one whose last segment holds a dot stays: it looks like a file.
func (s *Speller) EndSlash(path string) string {
	if s.Paths.Slash == SlashKept || s.Paths.Slash == "" {
		return path
	}
	bare := strings.TrimRight(path, "/")
	switch {
	case bare == "":
		return "/"
	case s.Paths.Slash == SlashNever:
		return bare
	case strings.Contains(bare[strings.LastIndexByte(bare, '/'):], "."):
		return path
	}
	return bare + "/"
}

// WithoutPrefix removes the default language's code from the front, however often it stands there.
//
//	/en/en/routes  ->  /routes
func (s *Speller) WithoutPrefix(path string) string {
	if s.Prefix == "" {
		return path
	}
	prefix := "/" + s.Prefix
	for len(path) >= len(prefix) && s.sameLetters(path[:len(prefix)], prefix) {
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

// Small returns a path in small letters, if the site has no others.
func (s *Speller) Small(path string) string {
	if s.Paths.Lower {
		return Fold(path)
	}
	return path
}

// Spelling returns what the rules for slashes, letters and the default language's prefix make of a path.
func (s *Speller) Spelling(path string) string {
	return s.Small(s.EndSlash(s.WithoutPrefix(s.Single(s.WithoutNoise(path)))))
}

// SiteForm returns what all of the site's own rules make of a path.
func (s *Speller) SiteForm(path string) string { return s.WithoutPrefix(s.Shape(s.Spelling(path))) }

// Forms returns a path as it is looked up on a host: as asked, as the site spells it, and without extension and
// index file. The prefix of the default language means nothing on a language's own host.
func (s *Speller) Forms(host, path string) []string {
	if !s.Site.IsLanguageHost(host) {
		return []string{path, s.Spelling(path), s.SiteForm(path)}
	}
	spelled := s.Small(s.EndSlash(s.Single(s.WithoutNoise(path))))
	return []string{path, spelled, s.Shape(spelled)}
}

// MaxEnds is how many extensions and index files are removed from the end of a path, at most: servers must not be kept
// busy by a path of nothing else.
const MaxEnds = 8

// Shape removes extensions and index files from the end of a path, MaxEnds at most.
//
//	/routes/index.php.html  ->  /routes
func (s *Speller) Shape(path string) string {
	changed := false
	for ends := 0; ; ends++ {
		slash := strings.LastIndexByte(path, '/')
		name := path[slash+1:]
		more := ends < MaxEnds
		switch {
		case more && s.IsIndex(name):
			if path = path[:slash+1]; s.Paths.Slash == SlashNever {
				path = s.EndSlash(path)
			}
		case more && s.Paths.NoExtension && s.extension(name) > 0:
			path = path[:len(path)-s.extension(name)]
		case changed && s.Paths.Slash == SlashAlways:
			return s.EndSlash(path)
		default:
			return path
		}
		changed = true
	}
}

// IsIndex reports whether a name is that of an index file.
func (s *Speller) IsIndex(name string) bool {
	return slices.ContainsFunc(s.Paths.Index, func(index string) bool { return s.sameLetters(name, index) })
}

// sameLetters compares names; letters don't count where the site has small ones only.
func (s *Speller) sameLetters(a, b string) bool {
	return a == b || s.Paths.Lower && strings.EqualFold(a, b)
}

// extension returns the length of a page extension at the end of a name that has more than the extension.
func (s *Speller) extension(name string) int {
	for _, e := range PageExtensions() {
		if n := len(name) - len(e); n > 0 && s.sameLetters(name[n:], e) {
			return len(e)
		}
	}
	return 0
}

// Dotted reports whether only a path with a dot in it can be a file or have an index file or an extension at its end.
func (s *Speller) Dotted() bool {
	return s.Listed.NeedDot() &&
		!slices.ContainsFunc(s.Paths.Index, func(name string) bool { return !strings.Contains(name, ".") })
}

// Reflectable reports whether a path means the same encoded and decoded, so that a server can put what it decoded
// into a Location header.
func Reflectable(path string) bool {
	for i := 0; i < len(path); i++ {
		if path[i] != '/' && !Unreserved(path[i]) {
			return false
		}
	}
	return true
}
