// Package server holds what the targets of emit share: what an emitted file
// is, and how the parts of a compiled plan are written as expressions. Each
// target has a folder below, in which all its escaping lives.
package server

import (
	"bytes"
	"fmt"
	"hash/crc32"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/template"
)

// File is a file to write. Names never come from data.
type File struct {
	Name string
	Data []byte
	Once bool // it says what a server can be told once for all sites
	Raw  bool // its bytes are no text, in which names could be written
}

// With returns the file's bytes with a name in the place of a mark.
func (f File) With(mark, name string) []byte {
	if f.Raw {
		return f.Data
	}
	return bytes.ReplaceAll(f.Data, []byte(mark), []byte(name))
}

// Runs is how many runs of parameters that stay are kept apart by those that
// are left out; what comes after the last run stays whole.
const Runs = 8

// Quote writes the bytes of a text as an expression for them alone (PCRE):
// letters, digits and - / _ stay, all others become \xhh, so that no character
// of a configuration language can appear.
func Quote(s string) string {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c == '/' || c == '-' || c == '_' || 'a' <= c|0x20 && c|0x20 <= 'z' || '0' <= c && c <= '9' {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, `\x%02x`, c)
		}
	}
	return b.String()
}

// Letters makes an expression match without regard to letters, if the plan
// does.
func Letters(p *plan.Plan, expression string) string {
	if p.Paths.Lower {
		return "(?i:" + expression + ")"
	}
	return expression
}

// Names writes an expression for the names of parameters; one that ends in "*"
// means all names that begin so.
func Names(names []string) string {
	list := make([]string, len(names))
	for i, name := range names {
		if start, ok := strings.CutSuffix(name, "*"); ok {
			list[i] = Quote(start) + "[^=&]*"
		} else {
			list[i] = Quote(name)
		}
	}
	return "(?:" + strings.Join(list, "|") + ")"
}

// maxExpression bounds the expression for a list of names or places, in bytes: nginx reads 4,095 in one piece, and
// writing it there can make it longer by a quarter. A longer list becomes several expressions.
const maxExpression = 2500

// Chunks parts a list so that the expression for each part stays short. There is always one, perhaps empty.
func Chunks(list []string) [][]string {
	chunks, size := [][]string{nil}, 0
	for _, s := range list {
		n := len(Quote(s)) + 8
		if last := len(chunks) - 1; size+n > maxExpression && len(chunks[last]) > 0 {
			chunks, size = append(chunks, nil), 0
		}
		size += n
		chunks[len(chunks)-1] = append(chunks[len(chunks)-1], s)
	}
	return chunks
}

// KeptRuns writes an expression that captures the parameters that stay when
// those of the given names, and empty items, are left out: Runs runs named
// prefix1, prefix2, ..., and then the rest. Possessive, so that it never
// backtracks. The names stand in it once, as the last group, which matches
// nothing where it stands.
func KeptRuns(names []string, capture func(n int, expression string) string) string {
	leave, stay, group := `&`, `[^&]+(?:&|\z)`, ""
	if len(names) > 0 {
		named := fmt.Sprintf("(?%d)", Runs+2)
		leave = named + `(?:=[^&]*)?(?:&|\z)|&`
		stay = `(?!` + named + `)` + stay
		group = `(?(DEFINE)(` + Names(names) + `(?=[=&]|\z)))`
	}
	var b strings.Builder
	b.WriteString("^")
	for n := 1; n <= Runs; n++ {
		b.WriteString(`(?:` + leave + `)*+` + capture(n, `(?:`+stay+`)*+`))
	}
	b.WriteString(`(?:` + leave + `)*+` + capture(Runs+1, `.*`) + `\z` + group)
	return b.String()
}

// RunsOf counts the runs of parameters that stay, when those for which leave
// is true and empty items are left out.
func RunsOf(query string, leave func(address.Param) bool) int {
	runs, inRun := 0, false
	for _, q := range address.SplitQuery(query) {
		stays := q.Raw != "" && !leave(q)
		if stays && !inRun {
			runs++
		}
		inRun = stays
	}
	return runs
}

// Mark stands for what the names of a site's variables begin with, until a file is whole: on some servers all sites
// share their variables. No data has it, since addresses are ASCII by then.
const Mark = "§"

// WithNames writes the beginning of a site's variables where Mark stands.
func WithNames(text []byte, p *plan.Plan) []byte {
	return bytes.ReplaceAll(text, []byte(Mark), []byte(VariablePrefix(p)))
}

// VariablePrefix is what the names of a site's variables begin with on servers whose sites share them: short, since
// nginx has little room for names.
//
//	yc3f9_
func VariablePrefix(p *plan.Plan) string {
	const digits = "0123456789abcdefghijklmnopqrstuvwxyz"
	sum := crc32.ChecksumIEEE([]byte(strings.ToLower(p.Site.Origin.Host)))
	return "yc" + string([]byte{digits[sum%36], digits[sum/36%36], digits[sum/36/36%36]}) + "_"
}

// Noise returns the names of the parameters that are noise everywhere.
func Noise(p *plan.Plan) []string {
	var names []string
	for _, q := range p.Parameters.All {
		if q.Class == parameter.Noise && q.For == "" {
			names = append(names, q.Name)
		}
	}
	return names
}

// Sets numbers the sets of parameters that don't travel. Set 0 is the noise
// alone; it is part of every other one.
type Sets struct {
	noise []string
	sets  [][]string
}

// NewSets returns the sets of a plan, with set 0 in it.
func NewSets(p *plan.Plan) *Sets {
	noise := Noise(p)
	return &Sets{noise: noise, sets: [][]string{noise}}
}

// Number returns the number of a set as text, "drop" where nothing travels.
func (s *Sets) Number(strip []string, drop bool) string {
	if drop {
		return "drop"
	}
	if len(strip) == 0 {
		return "0"
	}
	names := slices.Clone(s.noise)
	for _, name := range strip {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	i := slices.IndexFunc(s.sets, func(have []string) bool { return slices.Equal(have, names) })
	if i < 0 {
		i = len(s.sets)
		s.sets = append(s.sets, names)
	}
	return strconv.Itoa(i)
}

// All returns the sets by number.
func (s *Sets) All() [][]string { return s.sets }

// Within is an expression for the paths, decoded and whole, in a list of places:
// folders, endings and single paths.
func Within(places []string) string {
	list := make([]string, len(places))
	for i, place := range places {
		switch list[i] = Quote(address.Decode(place)); {
		case strings.HasSuffix(place, "/"):
			list[i] += ".*"
		case place[0] == '.':
			list[i] = ".*" + list[i]
		}
	}
	return "(?:" + strings.Join(list, "|") + ")"
}

// Variant is a pattern made ready for a server: an expression for the path,
// the parameters, and the pieces of its target.
type Variant struct {
	Path   []PathPiece
	Query  []template.QueryItem
	Target []template.Piece
}

// PathPiece is a stretch of a path: a literal (decoded bytes) or an expression
// whose value is the variable's.
type PathPiece struct {
	Literal    string
	Name       string
	Expression string
}

// Expressions writes the variant as an expression for a path and the signature
// of its parameters. What it captures are the variables, by their numbers.
func (v Variant) Expressions(p *plan.Plan) (text string, numbers map[string]int) {
	numbers = map[string]int{}
	variable := func(name, expression string) string {
		numbers[name] = len(numbers) + 1
		return "(" + expression + ")"
	}
	var b strings.Builder
	for _, piece := range v.Path {
		if piece.Name == "" {
			b.WriteString(Letters(p, Quote(piece.Literal)))
		} else {
			b.WriteString(Letters(p, variable(piece.Name, piece.Expression)))
		}
	}
	for _, item := range v.Query {
		b.WriteString("&" + Quote(item.Name))
		if item.Variable == "" {
			b.WriteString(Quote(item.Value))
		} else {
			b.WriteString("=" + variable(item.Variable, item.Class.Regexp()))
		}
	}
	return b.String(), numbers
}

// Text writes the variant's target. A target that is a path is put on the
// origin.
func (v Variant) Text(origin string, numbers map[string]int) Text {
	var t Text
	for i, piece := range v.Target {
		switch {
		case piece.Name != "":
			t = append(t, Part{Capture: numbers[piece.Name]})
		case i == 0 && strings.HasPrefix(piece.Literal, "/"):
			t = append(t, Part{Literal: origin + piece.Literal})
		default:
			t = append(t, Part{Literal: piece.Literal})
		}
	}
	return t
}

// Codes are the statuses of all redirects that a target writes.
type Codes struct{ codes []int }

// Add notes the statuses of a redirect, alone and after one of the site's own
// rules.
func (c *Codes) Add(s compile.Statuses) {
	after := s.AfterSiteRule()
	for _, code := range [...]int{s.Get, s.Other, after.Get, after.Other} {
		if !slices.Contains(c.codes, code) { // there are half a dozen of them
			c.codes = append(c.codes, code)
		}
	}
}

// All returns the statuses, with those of the site's own rules, sorted.
func (c *Codes) All() []int {
	all := append([]int{301, 308}, c.codes...)
	slices.Sort(all)
	return slices.Compact(all)
}

// readable says whether servers can read what a pattern reads.
func readable(r *template.Reader, where plan.Cause) error {
	if _, literal := r.LiteralPath(); len(r.Query()) > 0 && !literal {
		return fmt.Errorf("%s: variables in the path and in the query of one pattern; name the paths one by one",
			where.Rule)
	}
	for name, class := range r.Classes() {
		if !class.Reflectable() || class.Several() {
			return fmt.Errorf("%s: values of %s may hold what a server can't put into a target unchanged; use a "+
				"narrower class", where.Rule, name)
		}
	}
	return nil
}

// sources returns a pattern that leads nowhere.
func sources(r *template.Reader, where plan.Cause) (Variant, error) {
	v := Variant{Query: r.Query()}
	for _, e := range r.Elements() {
		v.Path = append(v.Path, pathPiece(e, false))
	}
	return v, readable(r, where)
}

// pathPiece returns an element of a path; a list that must not be absent is
// filled.
func pathPiece(e template.Element, filled bool) PathPiece {
	switch {
	case e.Name == "":
		return PathPiece{Literal: address.Decode(e.Literal)}
	case !e.List:
		return PathPiece{Name: e.Name, Expression: e.Class.Regexp()}
	case filled:
		return PathPiece{Name: e.Name, Expression: `(?:/` + e.Class.Regexp() + `)+`}
	}
	return PathPiece{Name: e.Name, Expression: `(?:/` + e.Class.Regexp() + `)*`}
}

// Variants returns the forms of a pattern. A list that comes right after the
// target's host is treated apart when it is absent, since a host alone is not
// an address in normal form.
func Variants(q compile.Pattern) ([]Variant, error) {
	pieces, ok := q.Target.Pieces()
	if !ok {
		return nil, fmt.Errorf("%s: the target has parts that no server can be told to write; use {x}, {/x*} "+
			"and {?a,b}", q.Where.Rule)
	}
	if err := readable(q.Reader, q.Where); err != nil {
		return nil, err
	}
	for _, e := range q.Reader.Elements() {
		for _, piece := range pieces {
			if piece.Name != "" && piece.Name == e.Name && piece.List != e.List {
				return nil, fmt.Errorf("%s: %s is several segments on one side and a single value on the other; write {/%[2]s*} on "+
					"both", q.Where.Rule, e.Name)
			}
		}
	}
	afterHost := ""
	if host := pieces[0].Literal; strings.Contains(host, "://") && strings.Count(host, "/") == 2 &&
		!strings.Contains(host, "?") {
		switch {
		case len(pieces) > 1 && pieces[1].List:
			afterHost = pieces[1].Name
		case len(pieces) == 1 || !strings.HasPrefix(pieces[1].Literal, "/"):
			pieces[0].Literal += "/"
		}
	}
	v := Variant{Query: q.Reader.Query(), Target: pieces}
	absent := Variant{Query: v.Query}
	for _, e := range q.Reader.Elements() {
		filled := e.List && e.Name == afterHost
		v.Path = append(v.Path, pathPiece(e, filled))
		if !filled {
			absent.Path = append(absent.Path, v.Path[len(v.Path)-1])
		}
	}
	if afterHost == "" {
		return []Variant{v}, nil
	}
	absent.Target = append([]template.Piece{{Literal: pieces[0].Literal + "/"}}, pieces[2:]...)
	return []Variant{v, absent}, nil
}

// NotExpressible is the finding for what a target can't do.
func NotExpressible(target string, where plan.Cause, what, advice string) finding.Finding {
	return finding.Finding{Code: finding.NotExpressible, Severity: finding.Error,
		Where: finding.Place{File: where.File, Line: where.Line}, What: target + ": " + what, Advice: advice}
}

// GroupOf returns the number of the group of parameters that gives a path its
// meaning, from 1; 0 when there is none.
func GroupOf(g *compile.Program) func(key string) int {
	groups := map[string]int{}
	for i, group := range g.Groups {
		for _, path := range group.Paths {
			groups[path] = i + 1
		}
	}
	return func(key string) int { return groups[key] }
}

// Spelled reports whether an entry's path is spelled as the site spells paths,
// so that it is looked up after the site's spelling rules.
func Spelled(g *compile.Program, e compile.Listed) bool {
	if g.Plan.Site.IsLanguageHost(e.Host) {
		return g.Plan.Forms(e.Host, e.Key)[1] == e.Key
	}
	return g.Plan.Spelling(e.Key) == e.Key
}

// Options are what a person says about the files.
type Options struct {
	Folder string   // where the server reads them; empty: the server's usual folder
	Shared bool     // what a server can be told once for all its sites is to stand in a file of its own
	Trial  bool     // redirects are temporary and hardly kept
	Anyway bool     // a file that slows the server down unbearably is wanted all the same
	Guard  Guard    // which requests a per-folder file sends to a script; the zero value is GuardFull
	First  []string // lines of a per-folder file that stay in front of the plan's, which has them a second time
}

// Guard says which requests a per-folder file sends to a script, and which the server answers with the file that lies
// there.
type Guard string

// The guards, from the one that leaves nothing out to the one that costs least.
const (
	GuardFull Guard = "full" // all but those about which the plan surely decides nothing
	GuardHost Guard = "host" // those for which there is no file, and those for other schemes and hosts
	GuardNone Guard = "none" // those for which there is no file
)

// Guards returns all guards.
func Guards() []Guard { return []Guard{GuardFull, GuardHost, GuardNone} }

// In returns the folder, or the server's usual one.
func (o Options) In(usual string) string {
	if o.Folder == "" {
		return usual
	}
	return o.Folder
}

// proven are the versions of servers on which the tests hold the files to the plan.
func proven() map[string]string {
	return map[string]string{"Apache httpd": "2.4", "nginx": "1.22 with PCRE2", "Caddy": "2.6",
		"HAProxy": "2.6 with PCRE2", "PHP": "8.2 with Apache httpd 2.4"}
}

// Head begins a file, with # as comment.
func (o Options) Head(g *compile.Program, server string) string {
	head := "# Written by young-compass from " + g.Plan.File + " for " + server + "; proven on " + server + " " +
		proven()[server] + ".\n"
	return head + o.trial()
}

// Brief begins a file that a server reads anew for each request, so that each byte of it costs time; what Head says stands
// in another file.
func (o Options) Brief(where string) string {
	return "# young-compass: see " + where + "\n" + o.trial()
}

// trial says that a file is for a trial.
func (o Options) trial() string {
	if !o.Trial {
		return ""
	}
	return "# A TRIAL: redirects are temporary, and kept for a minute at most. Emit again without --trial to " +
		"make them last.\n"
}
