package route

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/template"
)

// Pattern is a redirect of all the addresses that a template reads.
type Pattern struct {
	From, To string // as written
	Reader   *template.Reader
	Target   *template.Template

	base   address.Address // of a target that is put together from direct
	origin string          // its scheme and host
	direct []directPiece
}

// directPiece is a stretch of a target's path: a literal, or what an element of
// the source read.
type directPiece struct {
	literal string
	element int
}

// PatternError says what is wrong with a pattern, in which part of it (from, to
// or class), and what to write.
type PatternError struct {
	Part, What, Advice string
	Unsafe             bool // the target would let a visitor choose the host
}

// Error returns both in one line, parted by a semicolon.
func (e *PatternError) Error() string { return e.Part + ": " + e.What + "; " + e.Advice }

// NewPattern reads the two templates (RFC 6570) of a pattern: from is a path
// that can be read back, to is a path or an http(s) address whose variables are
// all in from. Variables without a class are of class segment. Errors are of
// type *PatternError.
func NewPattern(from, to string, classes map[string]template.Class, site address.Site) (*Pattern, error) {
	bad := func(part, advice, format string, args ...any) (*Pattern, error) {
		return nil, &PatternError{Part: part, What: fmt.Sprintf(format, args...), Advice: advice}
	}
	p := &Pattern{From: from, To: to}
	source, err := template.Parse(from)
	if err == nil {
		p.Reader, err = template.NewReader(source, classes)
	}
	if err != nil {
		return bad("from", "use /words, {x}, {/x*}, {?a,b} and name={x}", "%v", err)
	}
	if p.Target, err = template.Parse(to); err != nil {
		return bad("to", "see RFC 6570", "%v", err)
	}
	names := source.Names()
	for _, name := range p.Target.Names() {
		if !slices.Contains(names, name) {
			return bad("to", "use the variables of from: "+strings.Join(names, ", "), "the variable %s is not in from",
				name)
		}
	}
	for name := range classes {
		if !slices.Contains(names, name) {
			return bad("class", "name one of: "+strings.Join(names, ", "), "from has no variable %s", name)
		}
	}
	if host := literalHost(to); !strings.HasPrefix(to, "/") && (host == "" || strings.ContainsAny(host, "{}")) {
		return nil, &PatternError{"to", fmt.Sprintf("%q lets a visitor choose the host, or is not an address",
			address.Printable(to)), "write the host, and a / before the first variable or {/x*}", true}
	}
	if at, err := address.Resolve(site.Origin, p.Example()); err != nil || address.Unsafe(at.Path) {
		return bad("from", "write it without",
			"%s has an encoded slash, backslash or control character, which no rule matches", address.Printable(from))
	}
	example := p.Sample("x")
	normal, err := address.Resolve(site.Origin, example)
	if err != nil {
		return bad("to", "write a path or an http(s) address", "%v", err)
	}
	if text := normal.String(); !slices.Contains([]string{text, normal.Local(),
		strings.Replace(text, normal.Host+"/", normal.Host, 1)}, example) {
		return bad("to", "write it as in "+text, "the target is not in normal form")
	}
	p.prepare(normal)
	return p, nil
}

// prepare makes direct, where the variables of the target are all in its path
// and hold nothing that is written otherwise there.
func (p *Pattern) prepare(example address.Address) {
	pieces, ok := p.Target.Pieces()
	if !ok || len(p.Reader.Query()) > 0 {
		return
	}
	p.base, p.origin = example, example.Base()
	elements := p.Reader.Elements()
	var list []directPiece
	for i, piece := range pieces {
		literal := piece.Literal
		if i == 0 {
			literal = strings.TrimPrefix(literal, p.origin)
		}
		if cut := strings.IndexAny(literal, "?#"); cut >= 0 {
			if i < len(pieces)-1 {
				return // variables behind the path
			}
			literal = literal[:cut]
		}
		at := slices.IndexFunc(elements, func(e template.Element) bool {
			return piece.Name != "" &&
				e.Name == piece.Name
		})
		switch {
		case piece.Name == "":
			list = append(list, directPiece{literal, -1})
		case at < 0 || elements[at].List || !elements[at].Class.Reflectable():
			return
		default:
			list = append(list, directPiece{"", at})
		}
	}
	if list[0].element < 0 && strings.HasPrefix(list[0].literal, "/") {
		p.direct = list
	}
}

// Direct returns where the pattern leads a settled path, as Reads and Leads do for one
// without parameters of a meaning, when that needs no more than putting texts
// together; also as text, up to the end of the path. It reports false when it
// can't tell.
func (p *Pattern) Direct(path string, fold bool) (to address.Address, text string, ok bool) {
	if p.direct == nil {
		return to, "", false
	}
	var room [16]int
	ends, ok := p.Reader.Ends(path, fold, room[:0])
	if !ok {
		return to, "", false
	}
	var whole [256]byte
	b := append(whole[:0], p.origin...)
	for _, piece := range p.direct {
		if piece.element < 0 {
			b = append(b, piece.literal...)
			continue
		}
		from := 0
		if piece.element > 0 {
			from = ends[piece.element-1]
		}
		value := path[from:ends[piece.element]]
		if strings.IndexByte(value, '.') >= 0 {
			return to, "", false // perhaps a dot segment
		}
		b = append(b, value...)
	}
	text = string(b)
	to = p.base
	to.Path = text[len(p.origin):]
	return to, text, true
}

// literalHost returns the host of a target up to its first slash, "{/" or "?".
func literalHost(to string) string {
	_, rest, ok := strings.Cut(to, "://")
	if !ok {
		return ""
	}
	end := len(rest)
	for _, stop := range []string{"/", "{/", "?", "{?", "#"} {
		if i := strings.Index(rest, stop); i >= 0 {
			end = min(end, i)
		}
	}
	return rest[:end]
}

// Sample returns the target with one value for all variables.
func (p *Pattern) Sample(value string) string {
	values := template.Values{}
	for _, name := range p.Target.Names() {
		values[name] = []string{value}
	}
	return p.Target.Expand(values)
}

// ParseClasses reads the classes of a pattern's variables, such as
// "id=digits year=[0-9]{4}".
func ParseClasses(text string) (map[string]template.Class, error) {
	classes := map[string]template.Class{}
	for _, item := range strings.Fields(text) {
		name, class, ok := strings.Cut(item, "=")
		if !ok {
			return nil, errors.New(address.Printable(item) + " names no class")
		}
		var err error
		if classes[name], err = template.ParseClass(class); err != nil {
			return nil, err
		}
	}
	return classes, nil
}

// Reads reports whether the pattern's from reads a request, and how: the path
// fits, and of the parameters in named the request carries exactly those that
// the pattern names, with values that fit.
func (p *Pattern) Reads(path string, params []address.Param, named []string, fold bool) (template.Values, bool) {
	values, ok := p.Reader.ReadPath(PatternPath(path), fold)
	if !ok || len(Carried(params, named)) != len(p.Reader.Query()) || !p.Reader.ReadQuery(params, values) {
		return nil, false
	}
	return values, true
}

// PatternPath is a path as patterns read it: like in looking up, repeated slashes
// don't count, nor whether a mark such as ( is encoded.
func PatternPath(path string) string {
	if address.Settled(path) {
		return path
	}
	return address.DecodeMarks(address.MergeSlashes(path))
}

// Names returns the parameters, sorted, that the pattern's from names.
func (p *Pattern) Names() []string {
	var names []string
	for _, q := range p.Reader.Query() {
		names = append(names, q.Name)
	}
	return names
}

// Example returns an address, as a path, that the pattern reads.
func (p *Pattern) Example() string { return p.Examples(1)[0] }

// Examples returns n addresses, as paths, that the pattern reads; some may be the
// same.
func (p *Pattern) Examples(n int) []string {
	var list []string
	for k := range n {
		values := template.Values{}
		for name, class := range p.Reader.Classes() {
			some := class.Examples(n)
			values[name] = []string{some[min(k, len(some)-1)]}
		}
		list = append(list, p.Written(values))
	}
	return list
}

// Written returns the address, as a path, that the pattern's from is with
// values.
func (p *Pattern) Written(values template.Values) string {
	t, err := template.Parse(p.From)
	if err != nil {
		return "" // it was parsed before
	}
	return t.Expand(values)
}

// Leads returns where the pattern leads with values.
func (p *Pattern) Leads(values template.Values, site address.Site) (address.Address, error) {
	return address.Resolve(site.Origin, p.Target.Expand(values))
}

// Local returns the target without scheme, host and fragment. It reports false where the target is on another site, or
// on a host of one language, whose addresses no pattern meets.
//
//	https://www.skerrywick.example/news/{y}#top    /news/{y}
func (p *Pattern) Local(site address.Site) (string, bool) {
	local := p.To
	if !strings.HasPrefix(local, "/") {
		a, err := address.Resolve(site.Origin, p.Sample("x"))
		if err != nil || !site.Has(a.Host) || site.IsLanguageHost(a.Host) {
			return "", false
		}
		_, rest, _ := strings.Cut(local, "://")
		if local = rest[len(literalHost(p.To)):]; local == "" {
			local = "/"
		}
	}
	local, _, _ = strings.Cut(local, "#")
	return local, true
}

// Writes returns a reader of the addresses that the pattern leads to; nil where Local says none, or where they can't
// be read back.
func (p *Pattern) Writes(site address.Site) *template.Reader {
	local, ok := p.Local(site)
	if !ok {
		return nil
	}
	t, err := template.Parse(local)
	if err != nil {
		return nil
	}
	r, err := template.NewReader(t, p.Reader.Classes())
	if err != nil {
		return nil
	}
	return r
}
