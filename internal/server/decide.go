package server

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
)

// decider writes the steps.
type decider struct {
	*Flow
	who   Server
	trial bool
	sets  *Sets
	codes Codes
	found []finding.Finding
}

// Server is what steps depend on of a server.
type Server struct {
	Name           string // of the target, for findings
	Folds          bool   // it can make letters small
	LosesAmpersand bool   // it takes an & at the end of a target away
	Skips          bool   // on its short way it takes no other step, those for headers neither
	Patterns       bool   // on its short way patterns lead on, too
	Normal         bool   // raw is in normal form; single is raw with single slashes, and sent is the path as it was sent
}

// Decide returns the steps that answer as the plan does, for a server. Findings say what it can't be told.
func Decide(g *compile.Program, who Server, o Options) (*Flow, []finding.Finding) {
	d := &decider{Flow: &Flow{Program: g, Plan: g.Plan, Folds: who.Folds && g.Plan.Paths.Lower}, who: who,
		trial: o.Trial, sets: NewSets(g.Plan)}
	d.Inner = len(g.Plan.Serves) > 0 || g.Plan.Front != nil
	d.excepts()
	d.patterns()
	for _, x := range g.Listed {
		if x.Kind == compile.Move {
			d.codes.Add(x.Status)
			d.sets.Number(x.Strip, x.Drop)
		}
	}
	d.quick(o)
	d.request()
	d.forms()
	d.meanings()
	d.way()
	d.site()
	d.status()
	d.location()
	d.itself()
	d.inner()
	d.headers()
	d.Codes, d.Sets = d.codes.All(), d.sets.All()
	if d.trial {
		d.Codes = []int{302, 303, 307}
	}
	return d.Flow, d.found
}

func (d *decider) add(steps ...Step) { d.Steps = append(d.Steps, steps...) }

// table adds a table.
func (d *decider) table(name, source string, otherwise Text, rows ...Case) {
	d.add(&Table{Name: name, Source: T(source), Else: otherwise, Rows: rows})
}

// fold adds a table on paths, in which letters don't count if the plan says so.
func (d *decider) fold(name, source string, otherwise Text, rows ...Case) {
	d.add(&Table{Name: name, Source: T(source), Else: otherwise, Rows: rows, Fold: d.Plan.Paths.Lower})
}

// anyLetters adds a table on hosts, in which letters never count.
func (d *decider) anyLetters(name, source string, otherwise Text, rows ...Case) {
	d.add(&Table{Name: name, Source: T(source), Else: otherwise, Rows: rows, Fold: true})
}

func is(text string, value Text) Case     { return Case{Exact: text, Value: value} }
func on(expression string, v string) Case { return Case{Expression: expression, Value: T(v)} }

// request finds out who asks for what.
func (d *decider) request() {
	origin := d.Plan.Site.Origin
	d.add(Note("the hosts of the site, and where everything ends"))
	scheme := "{scheme_asked}"
	if len(d.Plan.Proxies) > 0 {
		d.add(&Client{"proxied", d.Plan.Proxies})
		d.add(&Table{Name: "scheme", Source: T("{proxied} {forwarded}"), Fold: true, Else: T(scheme),
			Rows: []Case{on(`^1 http\z`, "http"), on(`^1 https\z`, "https")}})
		scheme = "{scheme}"
	}
	var hosts, bases []Case
	origins := []Case{is(origin.Base(), T("1"))}
	for _, host := range append([]string{origin.Host}, d.Plan.Site.Hosts...) {
		hosts = append(hosts, is(host, T("o")))
	}
	for _, host := range d.Plan.Site.LanguageHosts {
		own := origin
		own.Host = host
		hosts = append(hosts, is(host, T("l")))
		bases = append(bases, is(host, T("%", own.Base())))
		origins = append(origins, is(own.Base(), T("1")))
	}
	d.anyLetters("site", "{host}", T("-"), hosts...)
	d.anyLetters("base", "{host}", T("%", origin.Base()), bases...)
	d.anyLetters("on_origin", scheme+"://{host}", T("0"), origins...)
	if d.HasHosts() {
		d.table("host0", "{site}", T("{host}"), is("-", nil))
	}
	d.add(Note("what no rule may touch; doubled slashes; characters that mean the same encoded and decoded"))
	sent := "{raw}"
	if d.who.Normal {
		sent = "{sent}"
	}
	d.add(&Table{Name: "refused", Source: T(sent), Fold: true, Else: T("0"),
		Rows: []Case{on(`%(?:2f|5c|7f|[01][0-9a-f])|\\`, "1")}})
	d.table("doubled", "{undotted}", T("0"), on(`//`, "1"))
	d.table("safe", "{uri}", T("0"), on(`^[A-Za-z0-9._~/-]*\z`, "1"))
	if d.exempts() {
		d.exempt("exempt", "{uri}", "")
	}
	if m := d.Plan.Upkeep; m != nil {
		d.add(&Client{"admitted", m.Admit})
		rows := append([]Case{on("^1", "0")}, within("^. ", m.Except.List(), "0")...)
		d.add(&Table{Name: "closed", Source: T("{admitted} {uri}"), Fold: true, Else: T("1"), Rows: rows})
	}
}

func (d *decider) exempts() bool {
	return len(d.Plan.Scope.Only.List())+len(d.Plan.Scope.Except.List()) > 0
}

// exempt adds a table that gives 1 for a path that the plan leaves alone (only, except), else 0. Its source begins with
// what the expression before matches.
func (d *decider) exempt(name, path, before string) {
	t := &Table{Name: name, Source: T(path), Fold: true, Else: T("0")}
	t.Rows = within("^"+before, d.Plan.Scope.Except.List(), "1")
	if list := d.Plan.Scope.Only.List(); len(list) > 0 {
		t.Rows = append(t.Rows, within("^"+before, list, "0")...)
		t.Else = T("1")
	}
	d.add(t)
}

// within returns rows for the paths in a list of places; before is an expression for what stands in front of the path.
func within(before string, places []string, value string) (rows []Case) {
	for _, list := range Chunks(places) {
		if len(list) > 0 {
			rows = append(rows, on(before+Within(list)+`\z`, value))
		}
	}
	return rows
}

// maxJoined bounds the variables in one text: their names must not be longer together than nginx reads in one piece.
const maxJoined = 64

// joined returns variables, one after the other, as a text. Where they are many it adds tables that join some of them.
func (d *decider) joined(name string, names []string) (t Text) {
	if len(names) > maxJoined {
		var parts []string
		for list := range slices.Chunk(names, maxJoined) {
			part := fmt.Sprintf("%s_part%d", name, len(parts)+1)
			d.add(&Table{Name: part, Else: d.joined(part, list)})
			parts = append(parts, part)
		}
		return d.joined(name, parts)
	}
	for _, name := range names {
		t = append(t, Part{Variable: name})
	}
	return t
}

// HasHosts reports whether an entry is for one host alone.
func (f *Flow) HasHosts() bool {
	return slices.ContainsFunc(f.Program.Listed, func(x compile.Listed) bool { return x.Host != "" })
}

// ParameterNames returns the parameters that give any path a meaning, sorted.
func (f *Flow) ParameterNames() []string {
	var names []string
	for _, g := range f.Program.Groups {
		names = append(names, g.Names...)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// meanings finds what the path means in each of its forms.
func (d *decider) meanings() {
	names := d.ParameterNames()
	if len(names) > 0 {
		d.add(Note("parameters that give a path a meaning: the first of each name, as sent"))
	}
	for i, name := range names {
		d.table(fmt.Sprint("q", i+1), "{args}", nil, on(`^(?:.*?&)??(`+Quote(name)+`(?:=[^&]*)?)(?:&.*)?\z`, "&{1}"))
	}
	d.add(Note("the paths that they give a meaning, and rules that leave some places out"))
	for stage := range 3 {
		n := fmt.Sprint(stage)
		groups := &Table{Name: "g" + n, Source: T("{p" + n + "}"), Fold: d.Plan.Paths.Lower, Else: T("0")}
		signatures := &Table{Name: "s" + n, Source: T("{g" + n + "}")}
		if stage == 1 {
			signatures.Role = SpelledItems
		}
		for i, g := range d.Program.Groups {
			for _, path := range g.Paths {
				groups.Rows = append(groups.Rows, is(path, T("%", fmt.Sprint(i+1))))
			}
			var items []string
			for _, name := range g.Names {
				items = append(items, fmt.Sprint("q", slices.Index(names, name)+1))
			}
			all := d.joined(fmt.Sprintf("s%s_%d", n, i+1), items)
			signatures.Rows = append(signatures.Rows, is(fmt.Sprint(i+1), all))
		}
		d.add(groups, signatures)
		var flags []string
		for i, places := range d.Excepts {
			name := fmt.Sprintf("x%s_%d", n, i+1)
			d.add(&Table{Name: name, Source: T("{p" + n + "}"), Fold: true, Else: T("0"), Rows: within("^",
				places.List(), "1")})
			flags = append(flags, name)
		}
		d.add(&Table{Name: "x" + n, Else: d.joined("x"+n, flags)})
	}
	d.add(Note("looking them up"), &Lookup{})
}

// way chooses between the forms. It begins with 0 or 1: whether one of the
// site's own rules came before.
func (d *decider) way() {
	d.add(Note("which of them decides: first as asked, then files, then as spelled, then as shaped"))
	d.table("held", "{s1}:{d1}", T("0"), on(`^.+:\z`, "1"))
	if d.exempts() {
		d.exempt("exempt2", "{p2}", "")
		d.table("way5", "{exempt2} {d2}", T("1 {d2}"), on(`^1|^0 \z`, "1 site2"))
	} else {
		d.table("way5", "{d2}", T("1 {d2}"), is("", T("1 site2")))
	}
	d.table("way4", "{held}{file1}{p2c}", T("0 site1"), is("001", T("{way5}")), on("^1", "0 held"))
	if d.exempts() { // what leads into places that the plan leaves alone ends there
		d.table("way3", "{exempt1} {d1}", T("1 {d1}"), on(`^1|^0 \z`, "{way4}"))
	} else {
		d.table("way3", "{d1}", T("1 {d1}"), is("", T("{way4}")))
	}
	d.table("way2", "{file0}", T("{way3}"), is("1", T("0 file")))
	d.table("first", "{p1c}", T("{d1}"), is("1", T("{d0}")))
	d.table("way", "{first}", T("0 {first}"), is("", T("{way2}")))
	d.add(&Same{})
}

// site works out where the site's own rules lead, and whether they change
// anything.
func (d *decider) site() {
	d.add(Note("where the site's own rules lead"))
	path := "path"
	if d.Folds {
		path = "path_asked"
	}
	d.table(path, "{safe}{doubled} {way}", T("{p1}"),
		on(`^10 . file\z`, "{uri}"), on(`^.. . file\z`, "{raw}"),
		on(`^1. . site2\z`, "{p2}"), on(`^0. . site2\z`, "{r2}"), on(`^0. . (?:site1|held)\z`, "{r1}"))
	capitals := ""
	if d.Folds {
		d.untouched("file2", "exempt2", "{p2}", "")
		safe, capital := "1", `.*[A-Z]`
		if d.who.Normal {
			safe, capital = ".", `(?:[^%A-Z]|%..)*[A-Z]`
		}
		d.table("capitals", "{safe}{file1}{file2} {way} {path_asked}", T("0"),
			on(`^`+safe+`0. . (?:site1|held) `+capital+`|^`+safe+`.0 . site2 `+capital, "1"))
		d.add(&Lower{"path_small", "path_asked"})
		d.table("path", "{capitals}", T("{path_asked}"), is("1", T("{path_small}")))
		capitals = "{capitals}"
	}
	d.add(Note("is there anything about the request that they change?"))
	if d.who.Normal {
		d.table("spelled", "{p1c}{doubled}"+capitals, T("0"), on(`1`, "1"))
		d.table("shaped", "", T("1"))
	} else {
		d.table("spelled", "{safe}{p1c}{doubled}{r1c}"+capitals, T("0"), on(`^11|^1.1|^1...1|^0..1`, "1"))
		d.table("shaped", "{safe}{r1c}{r2c}", T("0"), on(`^1|^0.*1`, "1"))
	}
	d.table("other", "{exact}{doubled} {way}", T("0"), on(`^.. 1 `+StayKinds+` |^(?:0.|.1) 0 `+StayKinds+` `, "1"),
		on(`^.. . (?:site1|held)\z`, "{spelled}"), on(`^.. . site2\z`, "{shaped}"))
	d.to()
	d.noise()
	d.table("needs", "{on_origin}{noisy}{other}", T("1"), is("100", T("0")))
}

// to works out where a redirect leads, but for the parameters that travel.
func (d *decider) to() {
	source, left, small := "{way}", "", ""
	if slices.ContainsFunc(d.Matchers, func(m Matcher) bool {
		return strings.HasPrefix(m.Value[0].Literal,
			string(MoveFold))
	}) {
		d.table("to_path", "{way}", nil, on(`^. `+Reading{To: `([^?#]*).*\z`}.Move(MoveFold), "{1}"))
		d.add(&Lower{"to_small", "to_path"})
		d.table("to_query", "{way}", nil, on(`^. `+Reading{To: `[^?#]*([?][^#]*)(?:#.*)?\z`}.Move(MoveFold), "{1}"))
		// Letters stay in files, and where the plan leaves addresses alone.
		if d.exempts() {
			d.exempt("to_exempt", "{to_path}", `https?://[^/]+`)
		}
		d.untouched("to_file", "to_exempt", "{to_path}", `https?://[^/]+`)
		source, left, small = "{to_file}{way}", ".", "^0. "+string(MoveFold)
	}
	rows := []Case{on(`^`+left+`. `+Reading{To: `(\S+)`, Identity: `.*\z`}.Stay(""), "{1}")}
	if small != "" {
		rows = append(rows, on(small, "{to_small}{to_query}"))
	}
	rows = append(rows, on(`^`+left+`. `+Reading{To: `([^#]*)(?:#.*)?\z`}.Move(""), "{1}"))
	d.table("to", source, T("{base}{path}"), rows...)
	d.table("fragment", "{way}", nil, on(`^. `+Reading{To: `[^#]*(#.*)\z`}.Move(""), "{1}"))
}

// noise finds the set of parameters that don't travel, and whether any of the
// noise is there.
func (d *decider) noise() {
	site := "0"
	scopes := d.scopes()
	if len(scopes) > 0 {
		site = "{scope}"
		number := func(scope string) Text { return T("%", d.sets.Number(d.Plan.Parameters.LocalNoise(scope), false)) }
		t := &Table{Name: "scope", Source: T("{to}"), Fold: d.Plan.Paths.Lower, Else: T("0")}
		before := "^"
		if d.exempts() { // where the plan leaves the target alone, only what was asked counts
			asked := &Table{Name: "scope_asked", Source: T("{p0}"), Fold: d.Plan.Paths.Lower, Else: T("0")}
			for _, scope := range scopes {
				asked.Rows = append(asked.Rows, Case{Expression: `^` + Quote(address.Decode(scope)) + `(?:/|\z)`,
					Value: number(scope)})
			}
			d.add(asked)
			d.table("stops", "{exempt1}{exempt2} {way}", T("0"), on(`^1. . (?:site1|held)\z|^.1 . site2\z`, "1"))
			t.Source, before = T("{stops}{to}"), "^0"
			t.Rows = append(t.Rows, on("^1", "{scope_asked}"))
		}
		for _, scope := range scopes {
			t.Rows = append(t.Rows, Case{Expression: before + `https?://[^/]+` + Quote(address.Decode(scope)) +
				`(?:[/?]|\z)`, Value: number(scope)})
		}
		d.add(t)
	}
	d.table("set", "{way}", T(site), on(`^. `+Reading{Set: `(\S+)`, To: `.*\z`}.Move(""), "{1}"),
		on(`^. file\z`, "all"))
	var rows []Case
	for i, all := range d.sets.All() {
		if number := strconv.Itoa(i); len(all) > 0 &&
			(i == 0 || slices.ContainsFunc(scopes,
				func(s string) bool { return d.sets.Number(d.Plan.Parameters.LocalNoise(s), false) == number })) {
			for _, names := range Chunks(all) {
				rows = append(rows, on(`^`+number+` (?:.*&)?`+Names(names)+`(?:[=&]|\z)`, "1"))
			}
		}
	}
	d.table("noisy", "{set} {args}", T("0"), rows...)
}

// scopes returns the sections that have noise of their own, the deepest first.
func (d *decider) scopes() []string {
	var list []string
	for _, q := range d.Plan.Parameters.All {
		if q.Class == parameter.Noise && q.For != "" && !slices.Contains(list, q.For) {
			list = append(list, q.For)
		}
	}
	slices.SortFunc(list, func(a, b string) int { return len(b) - len(a) })
	return list
}

// status works out the answer's status.
func (d *decider) status() {
	d.add(Note("status"))
	made := "0"
	if d.Inner {
		d.internal()
		d.table("made", "{internal}", T("1"), is("", T("0")))
		made = "{made}"
	}
	d.table("permanent", "{method}", T("308"), is("GET", T("301")), is("HEAD", T("301")))
	d.table("ruled", "{needs}{on_origin}"+made+" {way}", nil,
		on(`^.0. . file\z`, "{permanent}"), on(`^... . file\z`, ""),
		on(`^1.. . (?:site|held|live|hold)`, "{permanent}"), on(`^..0 . (?:held\z|hold )`, "404"))
	d.table("decided", "{method} {way}", T("{ruled}"),
		on(`^(?:GET|HEAD) . `+Reading{Get: `([0-9]+)`, To: `.*\z`}.Move(""), "{1}"),
		on(`^\S+ 1 `+Reading{Other: "301"}.Move(""), "308"),
		on(`^\S+ . `+Reading{Other: `([0-9]+)`, To: `.*\z`}.Move(""), "{1}"),
		on(`^\S+ . `+string(Gone)+`\z`, string(Gone)))
	exempt, closed := "0", "0"
	if d.exempts() {
		exempt = "{exempt}"
	}
	if d.Plan.Upkeep != nil {
		closed = "{closed}"
	}
	d.table("open", "{site}{refused}"+exempt+closed, T("1"), on("^-|^.01", ""), on("^.1", "404"), on("^...1", "503"))
	if !d.trial {
		d.table(d.chosen(), "{open}", T("{open}"), is("1", T("{decided}")))
		return
	}
	d.table("lasting", "{open}", T("{open}"), is("1", T("{decided}")))
	d.table(d.chosen(), "{lasting}", T("{lasting}"), is("301", T("302")), is("308", T("307")))
}

// chosen is the variable with the status, before it is seen whether a redirect leads to where the visitor is.
func (d *decider) chosen() string {
	if d.mayReturn() {
		return "chosen"
	}
	return "code"
}

// location puts the target together.
func (d *decider) location() {
	d.add(Note("Location, with the parameters that travel"), &Keep{})
	d.table("joint", "{kept} {to}", nil, on(`^\S+ \S*\?`, "&"), on(`^\S`, "?"))
	d.add(&Table{Name: "location", Else: T("{to}{joint}{kept}{fragment}")})
}

// internal finds the internal address that makes what was asked.
func (d *decider) internal() {
	t := &Table{Name: "internal", Role: InnerPath, Source: T("{x0} {p0}"), Fold: d.Plan.Paths.Lower}
	for _, s := range d.Plan.Serves {
		where := plan.Cause{File: d.Plan.File, Line: s.Where.Line}
		variants, err := Variants(compile.Pattern{Reader: s.Reader, Target: s.Target, Where: where})
		if err != nil {
			d.found = append(d.found, NotExpressible(d.who.Name, where, err.Error(), "narrow the pattern"))
			continue
		}
		for _, v := range variants {
			expression, numbers := v.Expressions(d.Plan)
			t.Rows = append(t.Rows, Case{Expression: "^" + d.flags(s.Except) + " " + expression + `\z`,
				Value: v.Text("", numbers), Where: where})
		}
	}
	if d.Plan.Front != nil {
		t.Rows = append(t.Rows, Case{Expression: "^" + d.flags(d.Plan.Front.Except) + " ",
			Value: T("%", d.Plan.Front.To)})
	}
	d.add(t)
}

// inner says with which internal address the server goes on.
func (d *decider) inner() {
	if !d.Inner {
		return
	}
	exempt := "0"
	if d.exempts() {
		exempt = "{exempt}"
	}
	d.table("inside_own", "{site}"+exempt+" {code}:{way}", nil, on(`^[ol]0 :. file\z`, ""),
		on(`^[ol]0 :`, "{internal}"))
	d.table("inside_joint", "{args} {inside_own}", nil, on(`^\S+ \S*\?`, "&"), on(`^\S+ \S`, "?"))
	d.table("inside", "{inside_own}", T("{inside_own}{inside_joint}{args}"), is("", nil))
}
