package server

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/parameter"
)

// What stands one by one in a per-folder file, since httpd reads and compiles it anew for each request.
const (
	maxInWay    = 20 // addresses of files that the plan decides about
	maxMatchers = 10 // expressions for what may not pass
)

// Passing returns an expression for the addresses that may pass, as a request line has them, and expressions for the
// paths among them that may not. It returns nothing where none may pass.
//
// httpd compiles the expression anew for each request, so it is short rather than wide: what it leaves out goes
// another way to the same answer.
//
// What may pass is spelled as the site spells it and ends like a file. Such an address is left alone unless the plan
// lists it, a pattern reads it, or a parameter of it is noise. Where what isn't listed is made by internal addresses,
// only the endings of listed files count.
func (f *Flow) Passing() (expression string, inWay []string) {
	if f.Plan.Upkeep != nil || len(f.Plan.Proxies) > 0 {
		return "", nil
	}
	inWay, ok := f.headed()
	if !ok {
		return "", nil
	}
	letters := "a-z0-9"
	if !f.Plan.Paths.Lower {
		letters = "A-Za-z0-9"
	}
	var never []string // endings about which the plan decides
	if f.Plan.Paths.NoExtension {
		never = trimmed(address.PageExtensions())
	}
	named, many := f.decided(never)
	if len(many) > 0 {
		never = append(never, many...)
	} else if len(named) > 0 {
		inWay = append(inWay, "^(?:"+strings.Join(named, "|")+")$")
	}
	for _, m := range f.Matchers {
		if !f.reads(m, never) {
			continue
		}
		inWay = append(inWay, pathsOf(m))
	}
	if len(inWay) > maxMatchers {
		return "", nil
	}
	ending := f.ending(letters, never)
	if ending == "" {
		return "", nil
	}
	end := "[? ]"
	if noise := f.noise(); len(noise) > 0 && !f.Inner {
		end += `(?!(?:\S*&)?` + Names(noise) + `[=& ])`
	}
	index := ""
	if names := stems(f.Plan.Paths.Index, never); len(names) > 0 {
		index = `(?!` + anyOf(names) + `\x2e)`
	}
	return `(?!/` + Quote(f.Plan.Languages.Default) + `/)(?:[./]` + index + `[` + letters + `_~-]+)+\.` + ending + end, inWay
}

// Either joins expressions for whole paths, "^...$", to fewer that are at most so many bytes long: each costs a line that
// httpd reads anew for each request.
func Either(expressions []string, longest int) (list []string) {
	var joined []string
	size := 0
	for i, expression := range expressions {
		inner := strings.TrimSuffix(strings.TrimPrefix(expression, "^"), "$")
		joined, size = append(joined, inner), size+len(inner)+1
		if i+1 < len(expressions) && size+len(expressions[i+1]) < longest {
			continue
		}
		if len(joined) == 1 {
			list = append(list, expression)
		} else {
			list = append(list, "^(?:"+strings.Join(joined, "|")+")$")
		}
		joined, size = nil, 0
	}
	return list
}

// stems returns expressions for the names of index pages up to their last dot. Those that end like one of some endings
// are left out.
func stems(index, never []string) (list []string) {
	for _, name := range index {
		dot := strings.LastIndexByte(name, '.')
		if dot < 0 || slices.Contains(never, strings.ToLower(name[dot+1:])) {
			continue
		}
		if stem := Quote(name[:dot]); !slices.Contains(list, stem) {
			list = append(list, stem)
		}
	}
	return list
}

// headed returns an expression for the paths for which headers are sent; ok is false where these may be any.
func (f *Flow) headed() (inWay []string, ok bool) {
	var places []string
	for _, h := range f.Plan.Headers {
		if h.Reader != nil || len(h.For.List()) == 0 || slices.Contains(h.For.List(), "/") {
			return nil, false
		}
		places = append(places, h.For.List()...)
	}
	if len(places) == 0 {
		return nil, true
	}
	return []string{"^" + Within(places) + "$"}, len(places) <= maxInWay
}

// noise returns the names of the parameters that are noise anywhere.
func (f *Flow) noise() (names []string) {
	for _, q := range f.Plan.Parameters.All {
		if q.Class == parameter.Noise {
			names = append(names, q.Name)
		}
	}
	return names
}

// ending returns an expression for the endings of files that may pass; empty for none.
func (f *Flow) ending(letters string, never []string) string {
	if f.Inner {
		var listed []string
		for _, place := range f.Plan.FileList() {
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
	except := strings.Join(beginnings(never), "|")
	if !f.Plan.Paths.Lower {
		except = "(?i:" + except + ")"
	}
	return "(?!" + except + ")[" + letters + "]+"
}

// beginnings returns expressions for words, and for what begins like one of them, but for very short ones.
func beginnings(words []string) (list []string) {
	words = slices.Sorted(slices.Values(words))
	for _, word := range words {
		switch {
		case len(word) < 3:
			list = append(list, word+"[? ]")
		case len(list) == 0 || !strings.HasPrefix(word, list[len(list)-1]):
			list = append(list, word)
		}
	}
	return list
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
func (f *Flow) reads(m Matcher, never []string) bool {
	return slices.ContainsFunc(f.Program.Patterns, func(q compile.Pattern) bool {
		elements := q.Reader.Elements()
		last := elements[len(elements)-1]
		dot := strings.LastIndexByte(last.Literal, '.')
		return q.Where == m.Where && (last.Name != "" || dot < 0 ||
			!slices.Contains(never, strings.ToLower(last.Literal[dot+1:])))
	})
}

// decided returns expressions for the addresses among those that may pass about which the plan decides. Where they are
// many it returns their endings instead.
func (f *Flow) decided(never []string) (named, endings []string) {
	met := map[string]bool{}
	for i := range f.Program.Listed {
		x := &f.Program.Listed[i]
		if x.Kind == compile.Live && x.Signature == "" && !f.Inner && address.Decode(x.Target.Path) == x.Key {
			continue // served as it is, and not by a script
		}
		ending := strings.ToLower(x.Key[strings.LastIndexByte(x.Key, '.')+1:])
		if !plain.MatchString(ending) || slices.Contains(never, ending) {
			continue
		}
		met[ending] = true
		if expression := Quote(x.Key); len(named) <= maxInWay && !slices.Contains(named, expression) {
			named = append(named, expression)
		}
	}
	if len(named) > maxInWay {
		return nil, slices.Sorted(maps.Keys(met))
	}
	slices.Sort(named)
	return named, nil
}

// Pages tells pages that pass without an extension: plain addresses of the origin about which neither an entry nor a
// pattern says anything.
type Pages struct {
	Path   string   // an expression for the path as it is asked for
	Hidden []string // expressions for queries that don't pass
	InWay  []string // expressions for paths that don't pass
}

// maxKeys bounds the plain paths that are told apart one by one, in a file that httpd reads anew for each request.
const maxKeys = 2000

// PassingPages returns which pages pass; false where none do.
func (f *Flow) PassingPages() (p Pages, ok bool) {
	if f.Quick == nil || f.HasHosts() || len(f.Matchers) > maxMatchers {
		return p, false
	}
	p.Path = `/(?!` + Quote(f.Plan.Languages.Default) + `[/? ])(?:[a-z0-9_~-]++(?:/[a-z0-9_~-]++)*+)?`
	p.Hidden = f.Quick.Hidden
	decided, live := slices.Clone(f.Quick.Groups), map[string]int{}
	plain := func(path string) bool { return strings.Trim(path, "abcdefghijklmnopqrstuvwxyz0123456789_~/-") == "" }
	for i := range f.Program.Listed {
		x := &f.Program.Listed[i]
		switch {
		case !plain(x.Key):
		case x.Kind != compile.Live || x.Signature != "" || address.Decode(x.Target.Path) != x.Key:
			decided = append(decided, x.Key)
		default:
			for _, folder := range above(x.Key) {
				live[folder]++
			}
		}
	}
	keys := inFolders(decided, live)
	if len(keys) > maxKeys {
		return p, false
	}
	for _, m := range f.Matchers {
		p.InWay = append(p.InWay, pathsOf(m))
	}
	for _, key := range keys {
		p.InWay = append(p.InWay, "^"+key+"$")
	}
	return p, true
}

// The numbers of paths below a folder from which on none of them passes: where no page is known to be, and where some are.
const (
	someKeys = 5
	manyKeys = 100
)

// inFolders writes expressions for plain paths. Where many lie below a folder, all that lies there is meant: it is for paths
// that don't pass, and each one named costs time. live counts the pages below folders.
func inFolders(paths []string, live map[string]int) (list []string) {
	slices.Sort(paths)
	paths = slices.Compact(paths)
	count := map[string]int{}
	for _, path := range paths {
		for _, folder := range above(path) {
			count[folder]++
		}
	}
	for _, path := range paths {
		i := slices.IndexFunc(above(path), func(folder string) bool {
			return count[folder] > manyKeys || count[folder] > someKeys && live[folder] == 0
		})
		if i >= 0 {
			list = append(list, Quote(above(path)[i])+".+")
			continue
		}
		list = append(list, Quote(path))
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// above returns the folders that a path lies below, the highest first, without the root.
func above(path string) (folders []string) {
	for i := 1; i < len(path); i++ {
		if path[i] == '/' {
			folders = append(folders, path[:i+1])
		}
	}
	return folders
}

// pathsOf is an expression for the paths that a matcher reads.
func pathsOf(m Matcher) string {
	path := m.Expression[strings.Index(m.Expression, ":")+1:]
	if i := strings.Index(path, "&"); i >= 0 { // its parameters come behind
		path = path[:i]
	}
	return "^" + path + "$"
}
