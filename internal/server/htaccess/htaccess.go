// Package htaccess writes a plan as Apache httpd's per-folder file, for hosting
// where only that file can be edited.
//
// The rules keep what they find out in environment variables and redirect at
// the very end, once. httpd matches the decoded path with single slashes; what
// goes into a Location header comes from the plan, from characters that mean
// the same encoded and decoded, or from the request line as it was sent.
package htaccess

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
)

// FileName is the file that Emit writes.
const FileName = ".htaccess"

// maxLine is the longest line that httpd reads from a per-folder file, safely.
const maxLine = 8000

// manyRules is the number of rules from which on the file slows every request
// down noticeably, since httpd reads it anew each time.
const manyRules = 50

// Emit writes the plan. Findings say what httpd can't be told in such a file,
// and what it costs.
func Emit(g *plan.Program) ([]server.File, []finding.Finding) {
	e := &emitter{Program: g, group: server.GroupOf(g), sets: server.NewSets(g.Plan)}
	e.request()
	e.lookup()
	e.decide()
	e.act()
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	if n := e.count(); n > manyRules {
		e.found = append(e.found, finding.Finding{Code: "slow-folder-file", Severity: finding.Warning, Where: finding.Place{File: FileName},
			What:   fmt.Sprintf("%d rules, which httpd reads and compiles anew for each request to the folder", n),
			Why:    "measured: about 300 rules leave 3 % of the requests a second, images included",
			Advice: "use the server's own configuration where you can"})
	}
	head := "# Written by young-compass from " + g.File + " for Apache httpd.\n" +
		"# Put it into the site's document root as " + FileName + ", before rules that send requests to a script.\n" +
		"# Needs mod_rewrite, and AllowOverride FileInfo for the folder.\n" +
		"# Where a real sub-folder has a page's name, httpd adds a slash to it that these rules remove again:\n" +
		"# write DirectorySlash Off there (AllowOverride Indexes), or in the server's configuration.\n"
	return []server.File{{Name: FileName, Data: []byte(head + e.text())}}, e.found
}

type emitter struct {
	*plan.Program
	group func(string) int
	sets  *server.Sets
	lines []line
	codes server.Codes
	found []finding.Finding
}

// line is a line of the file; skip makes it a rule that passes over all that
// follow.
type line struct {
	text string
	rule bool
	skip bool
}

func (e *emitter) count() (n int) {
	for _, l := range e.lines {
		if l.rule {
			n++
		}
	}
	return n
}

// text writes the lines, with the numbers of rules to pass over filled in.
func (e *emitter) text() string {
	var b strings.Builder
	left := e.count()
	for _, l := range e.lines {
		if l.rule {
			left--
		}
		if l.skip {
			fmt.Fprintf(&b, "RewriteRule \"^\" \"-\" [S=%d]\n", left)
			continue
		}
		b.WriteString(l.text + "\n")
	}
	return b.String()
}

func (e *emitter) add(text string, rule bool) {
	if len(text) > maxLine {
		e.found = append(e.found, server.NotExpressible("htaccess", plan.Cause{File: e.File}, "a line longer than httpd reads", "shorten the addresses, or use fewer of them"))
	}
	e.lines = append(e.lines, line{text: text, rule: rule})
}

func (e *emitter) note(text string) { e.add("# "+text, false) }

// cond writes a condition: a test string and an expression.
func (e *emitter) cond(test, expression string, flags ...string) {
	text := `RewriteCond "` + test + `" "` + expression + `"`
	if len(flags) > 0 {
		text += " [" + strings.Join(flags, ",") + "]"
	}
	e.add(text, false)
}

// set writes a rule that gives variables values; %1 and so on are what the
// conditions before it captured.
func (e *emitter) set(pairs ...string) {
	flags := make([]string, 0, len(pairs)/2)
	for i := 0; i < len(pairs); i += 2 {
		flags = append(flags, "E=yc_"+pairs[i]+":"+pairs[i+1])
	}
	e.add(`RewriteRule "^" "-" "[`+strings.Join(flags, ",")+`]"`, true)
}

func (e *emitter) clear(name string) { e.add(`RewriteRule "^" "-" [E=!yc_`+name+`]`, true) }

func (e *emitter) skip() { e.lines = append(e.lines, line{rule: true, skip: true}) }

// env is a variable's value in a test string.
func env(name string) string { return "%{ENV:yc_" + name + "}" }

const (
	empty    = `^$`
	filled   = `.`
	original = `^\S+ (?:https?://[^/? ]+)?`
)

func group(s string) string { return "(" + s + ")" }

// hosts is an expression for host headers that name one of these hosts.
func hosts(names []string) string {
	list := make([]string, len(names))
	for i, name := range names {
		list[i] = server.Quote(name)
	}
	return `^(?:` + strings.Join(list, "|") + `)\.?(?::[0-9]*)?$`
}

// request finds out what was asked, and the path as the site's own rules make
// it, step by step (0 as asked, 1 spelled, 2 shaped).
func (e *emitter) request() {
	origin := e.Site.Origin
	e.add("RewriteEngine On", false)
	e.note("requests that the server makes itself, and hosts that are not the site's, are left alone")
	e.cond("%{ENV:REDIRECT_STATUS}", filled)
	e.skip()
	e.cond("%{HTTP_HOST}", "!"+hosts(append([]string{origin.Host}, e.Site.Hosts...)), "NC")
	e.skip()
	if e.hasComma() {
		e.note("the comma by a name, since flags are separated by it")
		e.cond(",", `^(,)$`)
		e.set("comma", "%1")
	}
	e.note("what no rule may touch")
	e.cond("%{THE_REQUEST}", original+`[^? ]*(?:%(?:2f|5c|7f|[01][0-9a-f])|\x5c)`, "NC")
	e.add(`RewriteRule "^" "-" [R=404,L]`, true)
	e.note("scheme, host and path as they were sent")
	if origin.Scheme == "https" {
		e.cond("%{HTTPS}", "=on")
	} else {
		e.cond("%{HTTPS}", "!=on")
	}
	e.cond("%{HTTP_HOST}", hosts([]string{origin.Host}), "NC")
	e.set("home", "1")
	e.cond("%{THE_REQUEST}", original+`(/[^? ]*)`)
	e.set("raw", "%1")
	e.cond(env("raw"), `//`)
	e.set("doubled", "1")
	e.cond("%{REQUEST_URI}", `^[A-Za-z0-9._~/-]*$`)
	e.set("safe", "1")

	e.note("the site's own rules on the decoded path, and on the path as sent")
	e.set("p0", "%{REQUEST_URI}", "p1", "%{REQUEST_URI}", "r1", env("raw"))
	for _, form := range []struct{ source, slashes, out string }{{"%{REQUEST_URI}", "/", "p"}, {env("raw"), "/+", "r"}} {
		whole, rest, changes := server.SpellingExpressions(e.Plan, form.slashes, group)
		e.cond(form.source, rest, e.fold()...)
		e.set(form.out+"1", "%1")
		e.cond(form.source, whole, e.fold()...)
		e.set(form.out+"1", "/")
		e.cond(form.source, `!^/$`)
		e.cond(form.source, changes, e.fold()...)
		e.set(form.out+"1c", "1")
		e.set(form.out+"2", env(form.out+"1"))
		whole, rest, changes = server.ShapeExpressions(e.Plan, group)
		if whole == "" {
			continue
		}
		e.cond(env(form.out+"1"), rest, e.fold()...)
		e.set(form.out+"2", "%1")
		e.cond(env(form.out+"1"), whole, e.fold()...)
		e.set(form.out+"2", "/")
		e.cond(env(form.out+"1"), changes, e.fold()...)
		e.set(form.out+"2c", "1")
	}
	e.note("files that are served as they are")
	for _, stage := range []string{"0", "1"} {
		e.cond(env("p"+stage), server.FileExpression(e.Plan), "NC")
		e.set("file"+stage, "1")
	}
}

// hasComma reports whether a target holds a comma.
func (e *emitter) hasComma() bool {
	return slices.ContainsFunc(e.Entries, func(x plan.Entry) bool { return strings.Contains(x.Target.String(), ",") }) ||
		slices.ContainsFunc(e.Patterns, func(q plan.Pattern) bool { return strings.Contains(q.Target.String(), ",") })
}

// fold is the flag for conditions on paths in which letters don't count.
func (e *emitter) fold() []string {
	if e.Paths.Lower {
		return []string{"NC"}
	}
	return nil
}

// lookup finds what the path means in each of its forms. The forms to look up
// stand in one text, "//0group:path signature;//1...;//", so that each known
// address is one condition; a doubled slash is in no merged path, and a
// parameter that holds one is given a value that nothing matches.
func (e *emitter) lookup() {
	if len(e.Groups) > 0 {
		e.note("parameters that give a path a meaning: the first of each name, as sent")
	}
	var names []string
	for _, g := range e.Groups {
		names = append(names, g.Names...)
	}
	slices.Sort(names)
	names = slices.Compact(names)
	for i, name := range names {
		e.cond("%{QUERY_STRING}", `(?:^|&)(`+server.Quote(name)+`(?:=[^&]*)?)(?:&|\z)`)
		e.set(fmt.Sprintf("q%d", i+1), "&%1")
		e.cond(env(fmt.Sprintf("q%d", i+1)), `//`)
		e.set(fmt.Sprintf("q%d", i+1), "&?")
	}
	for stage := range 3 {
		n := fmt.Sprint(stage)
		e.set("g"+n, "0")
		for i, g := range e.Groups {
			var signature strings.Builder
			for _, name := range g.Names {
				signature.WriteString(env(fmt.Sprintf("q%d", slices.Index(names, name)+1)))
			}
			for _, paths := range alternatives(g.Paths) {
				e.cond(env("p"+n), server.Letters(e.Plan, `^(?:`+paths+`)$`))
				e.set("g"+n, fmt.Sprint(i+1), "s"+n, signature.String())
			}
		}
	}
	e.note("the forms to look up: as asked, as the site spells it, without extension and index file")
	key := func(n string) string { return n + env("g"+n) + ":" + env("p"+n) + env("s"+n) + ";//" }
	e.set("keys", "//"+key("1"))
	e.cond(env("p1c"), filled)
	e.set("keys", "//"+key("0")+key("1"))
	e.cond(env("p2c"), filled)
	e.set("keys", env("keys")+key("2"))
	e.entries()
	e.patterns()
}

// alternatives writes paths as alternatives of expressions, each short enough
// for a line.
func alternatives(paths []string) []string {
	var list []string
	for _, path := range paths {
		quoted := server.Quote(path)
		if n := len(list); n > 0 && len(list[n-1])+len(quoted) < maxLine-200 {
			list[n-1] += "|" + quoted
		} else {
			list = append(list, quoted)
		}
	}
	return list
}

func (e *emitter) entries() {
	e.note("known addresses")
	where := plan.Cause{}
	for _, x := range e.Entries {
		if x.Plain {
			continue
		}
		if strings.Contains(x.Signature, "//") {
			e.found = append(e.found, server.NotExpressible("htaccess", x.Where, "a parameter whose value holds //", "use the server's own configuration"))
			continue
		}
		if w := x.Where; w.File != where.File || w.Line != where.Line {
			e.note(fmt.Sprintf("%s %d", w.File, w.Line))
			where = w
		}
		stage := "[12]"
		if !server.Spelled(e.Program, x) {
			stage = "0"
		}
		if x.Host != "" {
			e.cond("%{HTTP_HOST}", hosts([]string{x.Host}), "NC")
			stage = e.hostStage(x)
		}
		e.cond(env("keys"), `//(`+stage+`)`+fmt.Sprint(e.group(x.Key))+`:`+server.Letters(e.Plan, server.Quote(x.Key))+server.Quote(x.Signature)+`;//`)
		e.set("d%1", e.action(x))
		if x.Kind == plan.EntryLive || x.Kind == plan.EntryHold {
			e.cond("%{REQUEST_URI}", `^`+server.Quote(address.Decode(x.Target.Path))+`$`)
			e.set("exact", "1")
		}
	}
}

// hostStage says in which forms an entry for one host is looked up: only as
// asked, since the site's own rules lead to the origin.
func (e *emitter) hostStage(x plan.Entry) string {
	if server.Spelled(e.Program, x) {
		e.cond(env("p1c"), empty)
		return "1"
	}
	return "0"
}

// literal writes a text of the plan where variables and lists are understood.
func (e *emitter) literal(s string) string {
	return strings.NewReplacer(`%`, `\%`, `$`, `\$`, `,`, env("comma")).Replace(s)
}

func (e *emitter) action(x plan.Entry) string {
	switch x.Kind {
	case plan.EntryGone:
		return "410"
	case plan.EntryHold, plan.EntryLive:
		t := x.Target
		t.Query = ""
		return string(x.Kind) + ";" + e.literal(t.String())
	}
	return e.move(x.Status, x.Strip, x.Drop) + e.literal(x.Target.String())
}

// move writes the beginning of a redirect and remembers its statuses.
func (e *emitter) move(s plan.Statuses, strip []string, drop bool) string {
	e.codes.Add(s)
	return fmt.Sprintf("m%d-%d;%s;", s.Get, s.Other, e.sets.Number(strip, drop))
}

// patterns are written last first, so that the first that matches has the
// last word.
func (e *emitter) patterns() {
	for _, q := range slices.Backward(e.Patterns) {
		variants, err := server.Variants(q)
		if err != nil {
			e.found = append(e.found, server.NotExpressible("htaccess", q.Where, err.Error(), "narrow the pattern"))
			continue
		}
		e.note(fmt.Sprintf("%s %d", q.Where.File, q.Where.Line))
		for _, v := range variants {
			e.variant(q, v)
		}
	}
}

func (e *emitter) variant(q plan.Pattern, v server.Variant) {
	match, numbers := v.Expressions(e.Plan, func(_ int, expression string) string { return "(" + expression + ")" })
	if len(numbers) > 8 {
		e.found = append(e.found, server.NotExpressible("htaccess", q.Where, "more than eight variables in one pattern", "join some of them"))
		return
	}
	to := v.Text(e.Site.Origin.Base(), numbers, e.literal, func(n int) string { return fmt.Sprintf("%%%d", n+1) }) // %1 is the form looked up
	e.cond(env("keys"), `//([012])[0-9]+:`+match+`;//`)
	move := e.move(q.Status, q.Strip, q.Drop)
	if path, _, _ := strings.Cut(q.Target.String(), "?"); e.Paths.Lower && e.OnSite(q) && !strings.Contains(path, "%") {
		move = "M" + move[1:] // the path takes small letters
	}
	e.set("m%1", move+to)
}

// condition is a test string with an expression.
type condition struct{ test, expression string }

// way is a condition on what was decided, see decide.
func way(expression string) condition { return condition{env("way"), expression} }

// known holds when any of the variables has a value.
func known(names ...string) condition {
	test := ""
	for _, name := range names {
		test += env(name)
	}
	return condition{test, filled}
}

// unknown holds when the variable has no value.
func unknown(name string) condition { return condition{env(name), empty} }

// when writes conditions for the rule that comes next. What the last of them
// captures is %1 and so on there.
func (e *emitter) when(conditions ...condition) *emitter {
	for _, c := range conditions {
		e.cond(c.test, c.expression)
	}
	return e
}

// decide chooses between the forms. The way begins with 0 or 1: whether one of
// the site's own rules came before.
func (e *emitter) decide() {
	e.note("which of them decides: first as asked, then files, then as spelled, then as shaped")
	for _, n := range []string{"0", "1", "2"} {
		e.when(unknown("d"+n)).set("d"+n, env("m"+n))
	}
	open := unknown("way")
	e.when(known("d0")).set("way", "0;"+env("d0"))
	e.when(open, unknown("p1c"), known("d1")).set("way", "0;"+env("d1"))
	e.when(open, known("file0")).set("way", "0;file")
	e.when(open, known("d1")).set("way", "1;"+env("d1"))
	e.when(open, known("s1")).set("way", "0;held")
	e.when(open, known("p2c"), unknown("file1"), known("d2")).set("way", "1;"+env("d2"))
	e.when(open, known("p2c"), unknown("file1")).set("way", "1;site2")
	e.when(open).set("way", "0;site1")
}

// Ways of which the site's own rules decide.
const (
	spelled  = `;(?:site1|held)$`
	shaped   = `;site2$`
	file     = `;file$`
	listed   = `;(?:live|hold);`
	bySite   = `;(?:site1|site2|held|file|live;|hold;)`
	notFound = `;(?:held$|hold;)`
)

// act works status and Location out and answers.
func (e *emitter) act() {
	e.note("gone")
	e.when(way(`;410$`)).add(`RewriteRule "^" "-" [R=410,L]`, true)
	e.redirects()
	e.path()
	e.changes()
	e.site()
	e.travel()
	e.answer()
}

// get holds for the methods that a permanent redirect may be 301 for.
func get() condition { return condition{"%{REQUEST_METHOD}", `^(?:GET|HEAD)$`} }

// redirects takes apart what a redirect of the plan says.
func (e *emitter) redirects() {
	e.note("redirects of the plan")
	parts := way(`^([01]);[mM]([0-9]+)-([0-9]+);([0-9a-z]+);([^#]*)(#.*)?$`)
	e.when(parts).set("code", "%3", "set", "%4", "to", "%5", "fragment", "%6")
	e.when(way(`^1;[mM][0-9]+-301;`)).set("code", "308")
	e.when(get(), parts).set("code", "%2")
	if !e.Paths.Lower {
		return
	}
	e.note("patterns that stay on the site take small letters")
	folded := way(`^[01];M`)
	e.when(folded, condition{env("to"), `^([^?]*)(.*)$`}).set("path", "%1", "own", "%2")
	e.when(folded).lower("path")
	e.set("to", "%1"+env("own"))
}

// lower writes a condition that captures a variable in small letters.
func (e *emitter) lower(name string) {
	e.add(`RewriteCond expr "tolower(%{ENV:yc_`+name+`}) =~ /^(.*)$/"`, false)
}

// path works out the path that the site's own rules lead to.
func (e *emitter) path() {
	e.note("the site's own rules: the path")
	e.when(way(spelled)).set("path", env("p1"), "rpath", env("r1"))
	e.when(way(shaped)).set("path", env("p2"), "rpath", env("r2"))
	if e.Paths.Lower {
		e.when(condition{env("path"), `[A-Z]`}, known("safe"), way(bySite)).set("capitals", "1")
		e.when(known("capitals")).lower("path")
		e.set("path", "%1")
	}
	e.when(unknown("safe")).set("path", env("rpath"))
	e.when(way(file)).set("path", env("raw"))
	e.when(way(file), condition{env("safe") + ":" + env("doubled"), `^1:$`}).set("path", "%{REQUEST_URI}")
}

// changes finds out whether the site's own rules change anything.
func (e *emitter) changes() {
	e.note("is there anything about the request that the site's own rules change?")
	changed := func(conditions ...condition) { e.when(conditions...).set("changed", "1") }
	changed(way(spelled), known("safe"), known("p1c", "doubled", "capitals"))
	changed(way(spelled), unknown("safe"), known("r1c"))
	changed(way(shaped), known("safe", "r1c", "r2c"))
	changed(way(`^1` + listed))
	changed(way(`^0`+listed), condition{env("exact") + ":" + env("doubled"), `!^1:$`})
	if noise := server.Noise(e.Plan); len(noise) > 0 {
		changed(way("!"+file), condition{"%{QUERY_STRING}", `(?:^|&)` + server.Names(noise) + `(?:[=&]|\z)`})
	}
	changed(unknown("home"))
}

// site redirects by the site's own rules, or says that there is no such page.
func (e *emitter) site() {
	e.when(way(bySite), known("changed")).set("code", "308", "set", "0", "to", e.literal(e.Site.Origin.Base())+env("path"))
	e.when(known("changed"), way(listed+`(.*)$`)).set("to", "%1")
	e.when(way(bySite), known("changed"), get()).set("code", "301")
	e.when(way(file)).set("set", "all")
	e.when(way(notFound), unknown("code")).add(`RewriteRule "^" "-" [R=404,L]`, true)
}

// travel leaves out the parameters that don't travel.
func (e *emitter) travel() {
	e.note("the parameters that travel")
	kept := func(number string, names []string) {
		captured := ""
		expression := server.KeptRuns(names, func(n int, s string) string {
			captured += fmt.Sprintf("%%%d", n)
			return "(" + s + ")"
		})
		e.cond(env("set"), "="+number)
		e.cond("%{QUERY_STRING}", expression)
		e.set("kept", captured)
	}
	kept("all", nil)
	for i, names := range e.sets.All() {
		kept(fmt.Sprint(i), names)
	}
	e.cond(env("kept"), `^&*$`)
	e.clear("kept")
	e.cond(env("kept"), `^(.*[^&])&+$`)
	e.set("kept", "%1")
	e.cond(env("kept"), filled)
	e.set("joint", "?")
	e.cond(env("kept"), filled)
	e.cond(env("to"), `\?`)
	e.set("joint", "&")
	e.set("location", env("to")+env("joint")+env("kept")+env("fragment"))
}

// answer redirects. What stands before and behind the question mark are two
// texts, since httpd refuses one that brings its own.
func (e *emitter) answer() {
	e.note("the answer")
	for _, code := range e.codes.All() {
		e.cond(env("code"), fmt.Sprintf("=%d", code))
		e.cond(env("location"), `^([^?]*)\?(.+)$`)
		e.add(fmt.Sprintf(`RewriteRule "^" "%%1?%%2" [R=%d,L,NE,QSD]`, code), true)
		e.cond(env("code"), fmt.Sprintf("=%d", code))
		e.cond(env("location"), `^([^?]+)$`)
		e.add(fmt.Sprintf(`RewriteRule "^" "%%1" [R=%d,L,NE,QSD]`, code), true)
	}
}
