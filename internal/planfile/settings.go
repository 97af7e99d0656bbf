// Package planfile reads young-compass.yaml: the rules of a plan, as a person wrote them. It is strict: a key that
// isn't known is an error that names line, column and the nearest known key.
package planfile

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"golang.org/x/text/language"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/slug"
)

// Settings is the content of young-compass.yaml.
type Settings struct {
	File string
	address.Speller
	Scope      address.Scope
	Known      []string // foreign hosts that redirects may lead to
	Staging    []string // hosts of the site in the making, that nobody else may see
	Blocked    []string // what crawlers are told not to ask for: patterns of robots.txt (RFC 9309 section 2.2.2)
	Files      []string // beyond those every site has
	Languages  Languages
	Parameters parameter.List
	Slugs      slug.Settings
	Reserved   []string // slugs that no page gets
	Collide    Collide
	Kinds      []Kind
	Rules      []Rule
	Headers    []Headers
	Serves     []Serve
	Front      *Front       // nil: what no page has is 404
	Upkeep     *Maintenance // nil: the site is open
	Proxies    []netip.Prefix

	lines map[string]int // where the site's own rules are written, by key
}

// Languages says which languages the site has and where.
type Languages struct {
	Default   string
	XDefault  string
	Parameter string // whose value says the language of an old address, as a code; empty: none
	Others    []Language
	Words     map[string]map[string]string // literal word of a template -> language -> word
}

// Language is one of the languages besides the default one. Its addresses have
// a prefix, or a host of their own.
type Language struct{ Tag, Prefix, Host string }

// Says names one of the site's own rules, by the key under which the plan has it, as the cause of an answer.
func (c *Settings) Says(key, rule string) resolve.Cause {
	return resolve.Cause{File: c.File, Line: cmp.Or(c.lines[key], c.lines["site"]), Rule: rule}
}

// Rule is a pattern redirect.
type Rule struct {
	*route.Pattern
	Status int // 0 when not written: permanent
	Drop   bool
	Except address.Places
	Where  finding.Place
}

// maxPlan bounds the size of young-compass.yaml in bytes.
const maxPlan = 4 << 20

// Read reads young-compass.yaml. Anything wrong with it is an error of
// type *finding.Input that names line and column.
func Read(file string, data []byte) (c *Settings, err error) {
	if len(data) > maxPlan {
		return nil, finding.Unreadable(finding.Place{File: file}, "the plan is larger than 4 MiB",
			"long lists of redirects belong into redirects.csv")
	}
	defer func() {
		if r := recover(); r != nil {
			input, ok := r.(*finding.Input)
			if !ok {
				panic(r)
			}
			c, err = nil, input
		}
	}()
	root, err := parseYAML(file, data)
	if err != nil {
		return nil, err
	}
	c = &Settings{File: file, lines: map[string]int{}}
	top := root.fields("site", "languages", "parameters", "slugs", "kinds", "rules", "front-controller", "maintenance")
	site, ok := top["site"]
	if !ok {
		root.fail("begin with: site: {origin: https://...}", "the plan does not name its site")
	}
	c.readSite(site)
	c.readLanguages(top["languages"])
	if v, ok := top["parameters"]; ok {
		c.readParameters(v)
	}
	if v, ok := top["slugs"]; ok {
		c.readSlugs(v)
	}
	if v, ok := top["kinds"]; ok {
		c.readKinds(v)
	}
	if v, ok := top["rules"]; ok {
		for _, item := range v.list() {
			c.readRule(item)
		}
	}
	if v, ok := top["front-controller"]; ok {
		c.readFront(v)
	}
	if v, ok := top["maintenance"]; ok {
		c.readMaintenance(v)
	}
	c.Listed = address.NewPlaces(c.FileList())
	c.Parameters.Fold = c.Paths.Lower
	return c, nil
}

func (c *Settings) readSite(v value) {
	f := v.fields("origin", "hosts", "known", "staging", "blocked", "paths", "files", "trusted-proxies", "only", "except")
	c.lines["site"] = v.place().Line
	c.note(f, "origin", "hosts", "blocked", "files", "only", "except")
	origin, ok := f["origin"]
	if !ok {
		v.fail("write origin: https://your.host", "the site has no origin")
	}
	a, err := address.Parse(origin.text())
	if err != nil {
		origin.fail("write the scheme and host that every address ends on, such as https://skerrywick.example", "%v",
			err)
	}
	if a != a.Origin() || strings.Contains(a.Host, ":") {
		origin.fail("write scheme and host only", "%q has a port, path or query", origin.text())
	}
	c.Site.Origin = a
	hosts := func(v value) []string {
		var list []string
		for _, item := range v.list() {
			host, err := address.Host(item.text())
			if err != nil || strings.ContainsAny(host, ":/") {
				item.fail("write a host name alone, such as www.skerrywick.example", "%q is not a host name",
					address.Printable(item.text()))
			}
			if host == a.Host || slices.Contains(list, host) || slices.Contains(c.Site.Hosts, host) {
				item.fail("delete it here", "the host %s stands in the plan already", host)
			}
			list = append(list, host)
		}
		return list
	}
	if v, ok := f["hosts"]; ok {
		c.Site.Hosts = hosts(v)
	}
	if v, ok := f["known"]; ok {
		c.Known = hosts(v)
	}
	if v, ok := f["staging"]; ok {
		c.Staging = hosts(v)
	}
	if v, ok := f["blocked"]; ok {
		c.Blocked = readBlocked(v)
	}
	if v, ok := f["files"]; ok {
		c.Files = readPlaces(v).List()
	}
	if v, ok := f["trusted-proxies"]; ok {
		c.Proxies = readNetworks(v)
	}
	if v, ok := f["only"]; ok {
		c.Scope.Only = readPlaces(v)
	}
	if v, ok := f["except"]; ok {
		c.Scope.Except = readPlaces(v)
	}
	c.Paths = address.Paths{Slash: address.SlashNever, Lower: true, NoExtension: true,
		Index: []string{"index.html", "index.php"}}
	if v, ok := f["paths"]; ok {
		c.readPaths(v)
	}
}

// readBlocked reads patterns of robots.txt.
func readBlocked(v value) (list []string) {
	for _, item := range v.list() {
		text := item.text()
		if !strings.HasPrefix(text, "/") || strings.ContainsFunc(text, func(r rune) bool {
			return r <= ' ' || r == 0x7f ||
				r == '#'
		}) {
			item.fail("write a path, such as /search or /*.pdf$", "%q is no pattern of robots.txt", address.Printable(text))
		}
		if slices.Contains(list, text) {
			item.fail("delete it here", "%s stands in the list already", address.Printable(text))
		}
		list = append(list, text)
	}
	return list
}

// note remembers where these keys are written.
func (c *Settings) note(f map[string]value, keys ...string) {
	for _, key := range keys {
		if v, ok := f[key]; ok {
			c.lines[key] = v.place().Line
		}
	}
}

func (c *Settings) readPaths(v value) {
	p := &c.Paths
	f := v.fields("slash", "letters", "extension", "index", "depth", "length")
	c.note(f, "slash", "letters", "extension", "index")
	if v, ok := f["slash"]; ok {
		p.Slash = address.Slash(v.oneOf("never", "always", "keep"))
	}
	if v, ok := f["letters"]; ok {
		p.Lower = v.oneOf("lower", "keep") == "lower"
	}
	if v, ok := f["extension"]; ok {
		switch text := v.text(); {
		case text == "none":
		case text == "keep":
			p.NoExtension = false
		case slices.Contains(address.PageExtensions(), text):
			p.NoExtension, p.Extension = false, text
		default:
			v.fail("write none, keep, or one of "+strings.Join(address.PageExtensions(), " "),
				"%q says nothing about extensions", address.Printable(text))
		}
	}
	if v, ok := f["index"]; ok {
		p.Index = nil
		for _, item := range v.list() {
			name := item.text()
			if normal, err := address.Path("/" + name); err != nil || normal != "/"+name ||
				strings.ContainsAny(name, "/%") || name == "" {
				item.fail("write a name such as index.html", "%q is not a name of an index file",
					address.Printable(name))
			}
			if p.Index = append(p.Index, name); len(p.Index) > maxIndex {
				item.fail("leave out those that the site never had", "there are more than %d names of index files",
					maxIndex)
			}
		}
	}
	if v, ok := f["depth"]; ok {
		p.Depth = v.number(1, 100)
	}
	if v, ok := f["length"]; ok {
		p.Length = v.number(1, address.MaxLength)
	}
}

// languageTag reads a well-formed language tag (BCP 47) in its usual case.
func languageTag(v value, s string) string {
	tag, err := language.Parse(s)
	if err != nil || !strings.EqualFold(tag.String(), s) {
		v.fail("write a language tag of BCP 47, such as en, de-CH or nb", "%q is not a language", address.Printable(s))
	}
	return tag.String()
}

func (c *Settings) readLanguages(v value) {
	c.Languages.Default, c.Prefix = "en", "en"
	if v.node == nil {
		return
	}
	f := v.fields("default", "x-default", "parameter", "others", "words")
	c.note(f, "default")
	if v, ok := f["default"]; ok {
		c.Languages.Default = languageTag(v, v.text())
		c.Prefix = c.Languages.Default
	}
	if v, ok := f["others"]; ok {
		c.lines["languages"] = v.place().Line
		for _, e := range v.entries() {
			l := Language{Tag: languageTag(e.at, e.key)}
			f := e.value.fields("prefix", "host")
			if host, ok := f["host"]; ok {
				c.readLanguageHost(&l, host)
			}
			if prefix, ok := f["prefix"]; ok {
				l.Prefix = prefix.text()
			}
			if l.Host != "" && l.Prefix == "" {
				c.Languages.Others = append(c.Languages.Others, l)
				continue
			}
			if normal, err := address.Path("/" + l.Prefix); err != nil || l.Prefix == "" ||
				strings.Contains(l.Prefix, "/") || normal != "/"+l.Prefix {
				e.at.fail("write one path segment, such as prefix: de",
					"the language %s has neither a host nor a prefix that an address can begin with", l.Tag)
			}
			c.Languages.Others = append(c.Languages.Others, l)
		}
	}
	if v, ok := f["parameter"]; ok {
		if c.Languages.Parameter = v.text(); !parameterName(c.Languages.Parameter) ||
			strings.Contains(c.Languages.Parameter, "*") {
			v.fail("write it as in an address, such as lang", "%q is not a name of a parameter",
				address.Printable(c.Languages.Parameter))
		}
	}
	if v, ok := f["x-default"]; ok {
		c.Languages.XDefault = languageTag(v, v.text())
		if !c.Languages.Has(c.Languages.XDefault) {
			v.fail("name one of the languages above", "%s is none of the site's languages", c.Languages.XDefault)
		}
	}
	if v, ok := f["words"]; ok {
		c.Languages.Words = map[string]map[string]string{}
		for _, e := range v.entries() {
			c.Languages.Words[e.key] = map[string]string{}
			for _, t := range e.value.entries() {
				tag := languageTag(t.at, t.key)
				if !c.Languages.Has(tag) {
					t.at.fail("name one of the site's languages", "%s is none of them", tag)
				}
				c.Languages.Words[e.key][tag] = t.value.text()
			}
		}
	}
}

// readLanguageHost reads the host of a language.
func (c *Settings) readLanguageHost(l *Language, v value) {
	host, err := address.Host(v.text())
	if err != nil || strings.ContainsAny(host, ":/") {
		v.fail("write a host name alone, such as skerrywick-ch.example", "%q is not a host name",
			address.Printable(v.text()))
	}
	if !c.Site.IsLanguageHost(host) {
		if c.Site.Has(host) {
			v.fail("take it out of hosts: first", "the host %s leads to the origin", host)
		}
		c.Site.LanguageHosts = append(c.Site.LanguageHosts, host)
	}
	l.Host = host
}

// OriginOf returns where the addresses of a language stand: its own host, or the
// origin.
func (c *Settings) OriginOf(tag string) address.Address {
	home := c.Site.Origin
	for _, o := range c.Languages.Others {
		if o.Tag == tag && o.Host != "" {
			home.Host = o.Host
		}
	}
	return home
}

// Tags returns the site's languages, the default one first.
func (l Languages) Tags() []string {
	tags := []string{l.Default}
	for _, o := range l.Others {
		tags = append(tags, o.Tag)
	}
	return tags
}

// Has reports whether the site speaks the language.
func (l Languages) Has(tag string) bool {
	return tag == l.Default || slices.ContainsFunc(l.Others, func(o Language) bool { return o.Tag == tag })
}

// OfPath returns the language with whose prefix a path begins, and the path
// behind it; the default language and the whole path when it begins with none.
func (l Languages) OfPath(path string) (tag, rest string) {
	first, behind, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	for _, o := range l.Others {
		if o.Prefix != "" && strings.EqualFold(first, o.Prefix) {
			return o.Tag, "/" + behind
		}
	}
	return l.Default, path
}

// OfAddress returns the language of an address: that of its host, of the parameter that says it, or of its prefix; the
// default language where none of them says another.
func (l Languages) OfAddress(a address.Address) string {
	for _, o := range l.Others {
		if o.Host != "" && o.Host == a.Host {
			return o.Tag
		}
	}
	if tag := l.OfQuery(a.Query); tag != "" {
		return tag
	}
	tag, _ := l.OfPath(a.Path)
	return tag
}

// OfQuery returns the language that a query's parameter says; empty where it says none of the site's.
func (l Languages) OfQuery(query string) string {
	if l.Parameter == "" {
		return ""
	}
	q, ok := address.First(address.SplitQuery(query), l.Parameter)
	if !ok {
		return ""
	}
	said := strings.ReplaceAll(strings.TrimPrefix(q.Value, "="), "_", "-")
	for _, o := range l.Others {
		if strings.EqualFold(said, o.Tag) {
			return o.Tag
		}
	}
	if strings.EqualFold(said, l.Default) {
		return l.Default
	}
	return ""
}

// Prefix returns the path segment with which the addresses of a language
// begin; empty for the default.
func (l Languages) Prefix(tag string) string {
	for _, o := range l.Others {
		if o.Tag == tag {
			return o.Prefix
		}
	}
	return ""
}

func (c *Settings) readParameters(v value) {
	classes := parameter.Classes()
	names := make([]string, len(classes))
	for i, class := range classes {
		names[i] = string(class)
	}
	f := v.fields(names...)
	c.note(f, names...)
	for _, class := range classes {
		list, ok := f[string(class)]
		if !ok {
			continue
		}
		for _, item := range list.list() {
			p := parameter.Parameter{Class: class}
			if item.isMapping() {
				m := item.fields("name", "for")
				if m["name"].node == nil || m["for"].node == nil {
					item.fail("write {name: view, for: /timetables}", "name and for belong together")
				}
				p.Name, p.For = m["name"].text(), strings.TrimSuffix(m["for"].text(), "/")
				if normal, err := address.Path(p.For); err != nil || normal != p.For || p.For == "/" ||
					strings.TrimSuffix(c.SiteForm(p.For), "/") != p.For {
					item.fail("write a path such as /timetables", "%q is not a path as the site spells paths",
						address.Printable(p.For))
				}
			} else {
				p.Name = item.text()
			}
			if name, inPath := strings.CutPrefix(p.Name, ";"); inPath {
				c.readPathNoise(item, p, name)
				continue
			}
			if !parameterName(p.Name) {
				item.fail("write it as in an address; only its end may be *", "%q is not a name of a parameter",
					address.Printable(p.Name))
			}
			c.Parameters.All = append(c.Parameters.All, p)
		}
	}
}

// readPathNoise reads the name of a parameter in paths, such as ;jsessionid.
func (c *Settings) readPathNoise(item value, p parameter.Parameter, name string) {
	if strings.Trim(name, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-") != "" || name == "" ||
		p.For != "" {
		item.fail("write it with its semicolon, such as ;jsessionid", "%q is not a name of a parameter in paths",
			address.Printable(p.Name))
	}
	if p.Class != parameter.Noise {
		item.fail("list it under noise, or leave it out", "a parameter in paths, such as %s, can only be noise",
			address.Printable(p.Name))
	}
	c.Noise = append(c.Noise, address.Fold(name))
}

// parameterName reports whether a text can be a parameter's name; only its end
// may be "*".
func parameterName(s string) bool {
	return strings.Trim(s, "*") != "" && !strings.Contains(strings.TrimSuffix(s, "*"), "*") &&
		!strings.ContainsAny(s, "&=#?% \"")
}

// maxIndex is how many names of index files a site has at most: servers look for each at the end of every path.
const maxIndex = 64

// AssetSuffixes are the endings of files that every site serves as they are.
func AssetSuffixes() []string {
	return []string{".css", ".js", ".mjs", ".map", ".png", ".jpg", ".jpeg", ".gif", ".svg", ".webp", ".avif", ".ico",
		".bmp",
		".woff", ".woff2", ".ttf", ".otf", ".eot", ".mp3", ".mp4", ".webm", ".ogg", ".zip", ".gz", ".xml", ".txt",
		".json", ".webmanifest"}
}

// FileList returns what is served as it is, in small letters: entries that end
// in "/" mean all below, those that begin with "." an ending, others one path.
func (c *Settings) FileList() []string {
	list := append([]string{"/.well-known/", "/robots.txt", "/favicon.ico"}, AssetSuffixes()...)
	for _, f := range c.Files {
		if f = address.Fold(f); !slices.Contains(list, f) {
			list = append(list, f)
		}
	}
	return list
}
