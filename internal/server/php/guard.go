package php

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/parameter"
	"young-compass/internal/server"
)

// What stands one by one in the per-folder file, since httpd reads and compiles it anew for each request.
const (
	maxInWay    = 20   // addresses of files that the plan decides about
	maxMatchers = 10   // expressions for what may not pass
	maxLine     = 8000 // bytes: httpd reads no longer ones from such a file, safely
)

// guard writes the lines of the per-folder file. They let a request pass for a
// file that lies there: the full guard if the plan says of all such addresses that they are
// served as they are, the others without asking. All other requests go to the script.
func (e *emitter) guard(o server.Options) string {
	which, begin := o.Guard, "<IfModule mod_rewrite.c>\nRewriteEngine On\n"
	if len(o.First) > 0 {
		begin += "# The site's own refusals and variables, which stand further down, too.\n" + strings.Join(o.First, "\n") + "\n"
	}
	script := strings.TrimPrefix(e.folder+"/"+ScriptFile, "/")
	end := "RewriteRule \"^\" \"/" + script + "\" [END]\n</IfModule>\n"
	var hosts []string
	for _, host := range append([]string{e.Plan.Site.Origin.Host}, e.Plan.Site.LanguageHosts...) {
		hosts = append(hosts, server.Quote(host))
	}
	origin := e.Plan.Site.Origin.Scheme + "(?:" + strings.Join(hosts, "|") + ")"
	// FallbackResource would not do: where a handler is set for .php, httpd doesn't get as far as that.
	const missing = "RewriteCond %{REQUEST_FILENAME} !-f"
	switch {
	case which == server.GuardNone, which == server.GuardHost && len(e.Plan.Proxies) > 0:
		return begin + missing + "\n" + end
	case which == server.GuardHost:
		return begin + missing + " [OR]\nRewriteCond %{REQUEST_SCHEME}%{HTTP_HOST} \"!^" + origin + "$\"\n" + end
	}
	passes, inWay := e.passes()
	if passes == "" {
		return begin + end
	}
	conditions := []string{missing + " [OR]\n"}
	for _, expression := range inWay {
		conditions = append(conditions, "RewriteCond %{REQUEST_URI} \""+expression+"\" [NC,OR]\n")
	}
	conditions = append(conditions, "RewriteCond %{REQUEST_SCHEME}%{HTTP_HOST}%{THE_REQUEST} \"!^"+origin+"[A-Z]+ /"+passes+" \"\n")
	var b strings.Builder
	b.WriteString(begin)
	for _, condition := range conditions {
		if len(condition) > maxLine {
			return begin + end
		}
		b.WriteString(condition)
	}
	return b.String() + end
}

// passes returns an expression for what stands behind the first slash of the addresses that may pass, and expressions
// for the paths among them that may not. It returns nothing where none may pass.
//
// What may pass is spelled as the site spells it and ends like a file. Such an address is left alone unless the plan
// lists it, a pattern reads it, or a parameter of it is noise. Where what isn't listed is made by internal addresses,
// only the endings of listed files count.
func (e *emitter) passes() (expression string, inWay []string) {
	if e.Plan.Upkeep != nil || len(e.Plan.Proxies) > 0 {
		return "", nil
	}
	inWay, ok := e.headed()
	if !ok {
		return "", nil
	}
	letters := "a-z0-9"
	if !e.Plan.Paths.Lower {
		letters = "A-Za-z0-9"
	}
	var never []string // endings about which the plan decides
	if e.Plan.Paths.NoExtension {
		never = trimmed(address.PageExtensions())
	}
	named, many := e.decided(never)
	if len(many) > 0 {
		never = append(never, many...)
	} else if len(named) > 0 {
		inWay = append(inWay, "^(?:"+strings.Join(named, "|")+")$")
	}
	for _, m := range e.Matchers {
		if !e.reads(m, never) {
			continue
		}
		path := m.Expression[strings.Index(m.Expression, ":")+1:]
		if i := strings.Index(path, "&"); i >= 0 { // its parameters come behind
			path = path[:i]
		}
		inWay = append(inWay, "^"+path+"$")
	}
	if len(inWay) > maxMatchers {
		return "", nil
	}
	ending, query := e.ending(letters, never), `(?:\?\S*)?`
	if noise := e.noise(); len(noise) > 0 && !e.Inner {
		query = `(?:\?(?!(?:\S*&)?` + server.Names(noise) + `[=& ])\S*)?`
	}
	if ending == "" {
		return "", nil
	}
	except := []string{server.Quote(e.Plan.Languages.Default) + "/"}
	for _, name := range e.Plan.Paths.Index {
		except = append(except, `(?:\S*/)?`+server.Quote(name)+"[? ]")
	}
	return `(?!` + strings.Join(except, "|") + `)(?:[` + letters + `_~-]+[./])*[` + letters + `_~-]+\.` + ending + query, inWay
}

// headed returns an expression for the paths for which headers are sent; ok is false where these may be any.
func (e *emitter) headed() (inWay []string, ok bool) {
	var places []string
	for _, h := range e.Plan.Headers {
		if h.Reader != nil || len(h.For.List()) == 0 || slices.Contains(h.For.List(), "/") {
			return nil, false
		}
		places = append(places, h.For.List()...)
	}
	if len(places) == 0 {
		return nil, true
	}
	return []string{"^" + server.Within(places) + "$"}, len(places) <= maxInWay
}

// noise returns the names of the parameters that are noise anywhere.
func (e *emitter) noise() (names []string) {
	for _, q := range e.Plan.Parameters.All {
		if q.Class == parameter.Noise {
			names = append(names, q.Name)
		}
	}
	return names
}

// ending returns an expression for the endings of files that may pass; empty for none.
func (e *emitter) ending(letters string, never []string) string {
	if e.Inner {
		var listed []string
		for _, place := range e.Plan.FileList() {
			if place[0] == '.' && plain.MatchString(place[1:]) && !slices.Contains(never, place[1:]) {
				listed = append(listed, place[1:])
			}
		}
		if len(listed) == 0 {
			return ""
		}
		return "(?:" + strings.Join(listed, "|") + ")"
	}
	if len(never) == 0 {
		return "[" + letters + "]+"
	}
	return "(?!(?i:" + strings.Join(never, "|") + ")[? ])[" + letters + "]+"
}

// plain is an ending as a file may have one.
var plain = regexp.MustCompile(`^[a-z0-9]+$`)

// trimmed returns endings without their dot.
func trimmed(endings []string) []string {
	list := make([]string, len(endings))
	for i, s := range endings {
		list[i] = strings.TrimPrefix(s, ".")
	}
	return list
}

// reads reports whether a pattern reads any of the paths that may pass: they end in a dot and another ending than these.
func (e *emitter) reads(m server.Matcher, never []string) bool {
	return slices.ContainsFunc(e.Program.Patterns, func(q compile.Pattern) bool {
		elements := q.Reader.Elements()
		last := elements[len(elements)-1]
		dot := strings.LastIndexByte(last.Literal, '.')
		return q.Where == m.Where && (last.Name != "" || dot < 0 ||
			!slices.Contains(never, strings.ToLower(last.Literal[dot+1:])))
	})
}

// decided returns expressions for the addresses among those that may pass about which the plan decides. Where they are
// many it returns their endings instead.
func (e *emitter) decided(never []string) (named, endings []string) {
	met := map[string]bool{}
	for i := range e.Program.Listed {
		x := &e.Program.Listed[i]
		if x.Kind == compile.Live && x.Signature == "" && !e.Inner && address.Decode(x.Target.Path) == x.Key {
			continue // served as it is, and not by a script
		}
		ending := strings.ToLower(x.Key[strings.LastIndexByte(x.Key, '.')+1:])
		if !plain.MatchString(ending) || slices.Contains(never, ending) {
			continue
		}
		met[ending] = true
		if expression := server.Quote(x.Key); len(named) <= maxInWay && !slices.Contains(named, expression) {
			named = append(named, expression)
		}
	}
	if len(named) > maxInWay {
		return nil, slices.Sorted(maps.Keys(met))
	}
	slices.Sort(named)
	return named, nil
}
