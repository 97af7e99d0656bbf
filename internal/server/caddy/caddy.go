// Package caddy writes a plan for Caddy: lines for a route, and a table with
// the known addresses.
//
// Caddy matches the cleaned, decoded path; its expressions are RE2, which has
// no look-around. What goes into a Location header comes from the plan, from
// characters that mean the same encoded and decoded, or from the request line
// as it was sent.
package caddy

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
)

// The files that Emit writes.
const (
	RouteFile     = "young-compass-route.caddy"
	AddressesFile = "young-compass-addresses.caddy"
	SpelledFile   = "young-compass-spelled.caddy"
	HostsFile     = "young-compass-hosts.caddy"
	ExampleFile   = "Caddyfile-example"
)

// manyEntries is the number of addresses from which on the table slows every
// request down noticeably: Caddy tries its rows one by one.
const manyEntries = 200

// Emit writes the plan. Findings say what Caddy can't be told.
func (c Target) Emit(g *compile.Program, o server.Options) ([]server.File, []finding.Finding) {
	flow, found := server.Decide(g, server.Server{Name: c.Name()}, o)
	e := &emitter{Flow: flow, folder: o.In("/etc/caddy"), group: server.GroupOf(g), found: found}
	addresses := e.table(func(x compile.Listed) bool { return x.Host == "" && server.Spelled(g, x) })
	spelled := e.table(func(x compile.Listed) bool { return x.Host == "" && !server.Spelled(g, x) })
	hosts := e.table(func(x compile.Listed) bool { return x.Host != "" })
	e.route()
	if n := len(e.Program.Listed); n > manyEntries {
		e.found = append(e.found, finding.Finding{Code: finding.SlowTable, Severity: finding.Warning,
			Where:  finding.Place{File: AddressesFile},
			What:   fmt.Sprintf("%d known addresses, which Caddy tries one by one for each request", n),
			Why:    "measured: see docs/servers.md",
			Advice: "put nginx, HAProxy or httpd in front when the site is busy"})
	}
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	head := o.Head(g, "Caddy")
	files := []server.File{
		{Name: ExampleFile, Data: []byte(head + "# A complete configuration that loads: caddy run --config " +
			e.folder + "/" + ExampleFile + " --adapter caddyfile\n" + e.example())},
		{Name: AddressesFile, Data: append([]byte(head+"# Read by "+RouteFile+".\n"), addresses...)},
		{Name: RouteFile, Data: append([]byte(head+"# Import this first in the route of each site block of the "+
			"site, and put the site's own directives behind it:\n#   route {\n"+
			"#     import "+e.folder+"/"+RouteFile+"\n#     file_server\n#   }\n# The other files lie in "+e.folder+".\n"),
			e.lines.Bytes()...)},
		{Name: SpelledFile, Data: append([]byte(head+"# Read by "+RouteFile+".\n"), spelled...)},
	}
	if e.HasHosts() {
		files = append(files, server.File{Name: HostsFile, Data: append([]byte(head+"# Read by "+RouteFile+".\n"),
			hosts...)})
	}
	slices.SortFunc(files, func(a, b server.File) int { return strings.Compare(a.Name, b.Name) })
	return files, e.found
}

type emitter struct {
	*server.Flow
	folder   string
	group    func(string) int
	lines    bytes.Buffer
	matchers int
	found    []finding.Finding
}

// token quotes a text.
func token(s string) string {
	if strings.Contains(s, "`") {
		return `"` + s + `"` // only in values of classes, which hold no quotation marks then
	}
	return "`" + s + "`"
}

func variable(name string) string {
	switch name {
	case "scheme_asked":
		return "{http.request.scheme}"
	case "forwarded":
		return "{http.request.header.X-Forwarded-Proto}"
	case "args":
		return "{http.request.uri.query}"
	case "method":
		return "{http.request.method}"
	case "p0":
		name = "uri"
	case "undotted":
		name = "raw"
	}
	return "{http.vars.yc_" + name + "}"
}

// replaced are texts that Caddy replaces wherever they stand in a configuration.
var replaced = regexp.MustCompile(`\{(?:\$|[a-z][a-z0-9_.]*\})`)

// plainText writes a text without what an expression captured. A hyphen alone would mean that there is none.
func plainText(t server.Text) string {
	if s, ok := t.Literal(); ok && s == "-" {
		return variable("hyphen")
	}
	return t.Write(func(s string) string { return s }, variable, nil)
}

// captured writes a text that takes over what an expression captured.
func captured(t server.Text) string {
	literal := func(s string) string { return strings.ReplaceAll(s, "$", "$$") }
	return t.Write(literal, nil, func(n int) string { return fmt.Sprintf("${%d}", n) })
}

// bytesBeyondASCII are runs of bytes in expressions for PCRE.
var bytesBeyondASCII = regexp.MustCompile(`(?:\\x[89a-f][0-9a-f])+`)

// expression writes an expression, which PCRE takes as bytes, for RE2, which
// takes characters. It reports false for bytes that are no UTF-8.
func expression(s string, fold bool) (string, bool) {
	ok := true
	s = bytesBeyondASCII.ReplaceAllStringFunc(s, func(run string) string {
		var raw []byte
		for i := 0; i < len(run); i += 4 {
			var c byte
			_, _ = fmt.Sscanf(run[i+2:i+4], "%02x", &c)
			raw = append(raw, c)
		}
		if ok = ok && utf8.Valid(raw); !ok {
			return ""
		}
		var b strings.Builder
		for _, r := range string(raw) {
			fmt.Fprintf(&b, `\x{%x}`, r)
		}
		return b.String()
	})
	flags := "(?s)"
	if fold {
		flags = "(?si)"
	}
	return "~" + flags + s, ok
}

func (e *emitter) line(form string, args ...any) { fmt.Fprintf(&e.lines, form+"\n", args...) }

func (e *emitter) set(name, value string) { e.line("vars yc_%s %s", name, token(value)) }

// setIf sets a variable when a variable, or another one, is filled or has a
// value.
func (e *emitter) setIf(name, value, tested, wanted string) {
	e.line("vars %s yc_%s %s", e.matcher(tested, wanted), name, token(value))
}

// matcher writes a matcher for a variable that has a value, or any for "*".
func (e *emitter) matcher(name, wanted string) string {
	e.matchers++
	m := fmt.Sprintf("@yc_%d", e.matchers)
	if wanted == "*" { // which no matcher can tell from an empty value
		filled := fmt.Sprintf("filled_%d", e.matchers)
		e.mapping(variable(name), filled, []string{"`~(?s).` 1", "default 0"})
		e.line("%s vars {yc_%s} 1", m, filled)
	} else {
		e.line("%s vars %s %s", m, variable(name), wanted)
	}
	return m
}

// mapping writes a map. Of rows for the same expression the first counts; Caddy
// takes no second one.
func (e *emitter) mapping(source, name string, rows []string) {
	e.line("map %s {yc_%s} {", token(source), name)
	seen := map[string]bool{}
	for _, r := range rows {
		if key, _, ok := strings.Cut(r, "` "); ok && r[0] == '`' {
			if seen[key] {
				continue
			}
			seen[key] = true
		}
		e.line("\t%s", r)
	}
	e.line("}")
}

func (e *emitter) route() {
	e.line("# what was asked: the path decoded and clean, and as it was sent")
	e.line("@yc_clean path_regexp yc_clean (?s)^(.*)$")
	e.line("vars @yc_clean yc_clean {re.yc_clean.1}")
	// what Caddy cleans loses the slash that a dot segment at the end leaves, and is a dot where there was no path
	e.mapping("{http.request.uri.path}", "dotted", []string{"`~/\\.\\.?$` 1", "default 0"})
	e.mapping("{yc_dotted}{http.vars.yc_clean}", "uri_asked", []string{"`~^[01][.]?$` /", "`~(?s)^(?:0(.*)|1(/))$` `${1}${2}`",
		"`~(?s)^1(.*)$` `${1}/`"})
	e.set("uri", "{yc_uri_asked}")
	e.set("hyphen", "-")
	e.mapping("{http.request.host}", "host_asked", []string{"`~(?s)^(.*?)\\.?$` `${1}`"})
	e.set("host", "{yc_host_asked}")
	e.mapping("{http.request.orig_uri}", "raw_asked", []string{"`~(?s)^(?:https?://[^/?]*)?(/[^?]*)` `${1}`",
		"default /"})
	e.set("raw", "{yc_raw_asked}")
	for _, step := range e.Steps {
		switch s := step.(type) {
		case server.Note:
			e.line("# %s", s)
		case *server.Table:
			e.rows(s)
		case *server.Lookup:
			for stage := range 3 {
				e.lookup(fmt.Sprint(stage))
			}
		case *server.Same:
			e.mapping(variable("way"), "live_asked",
				[]string{token(`~(?s)^[01] `+server.Reading{Identity: `(.*)$`}.Stay("")) + " `${1}`", "default -"})
			e.set("live", "{yc_live_asked}")
			e.set("exact", "0")
			e.setIf("exact", "1", "uri", "{http.vars.yc_live}")
		case *server.Equal:
			e.set(s.Name, "0")
			e.setIf(s.Name, "1", s.One, "{http.vars.yc_"+s.Other+"}")
		case *server.Keep:
			e.keep()
		case *server.Client:
			e.set(s.Name, "0")
			if len(s.Networks) > 0 {
				var list []string
				for _, n := range s.Networks {
					list = append(list, n.String())
				}
				e.line("@yc_in_%s remote_ip %s", s.Name, strings.Join(list, " "))
				e.line("vars @yc_in_%s yc_%s 1", s.Name, s.Name)
			}
		}
	}
	e.answer()
}

// rows writes a table. Rows that are expressions take no variables, so that
// where they should they give a number first.
func (e *emitter) rows(t *server.Table) {
	if t.Role == server.AskedPath {
		return
	}
	if len(t.Rows) == 0 {
		e.set(t.Name, plainText(t.Else))
		return
	}
	numbered := slices.ContainsFunc(t.Rows, func(r server.Case) bool {
		value, literal := r.Value.Literal()
		return !literal && !r.Value.Captures() || value == "-"
	})
	var rows, values []string
	for i, r := range t.Rows {
		wanted, fold := r.Expression, t.Fold
		if wanted == "" {
			wanted = "^" + server.Quote(r.Exact) + `\z`
		}
		key, ok := expression(wanted, fold)
		if !ok {
			e.refuse(r.Where, "an address that isn't UTF-8")
			continue
		}
		if r.Where.Line > 0 {
			rows = append(rows, fmt.Sprintf("# %s %d", r.Where.File, r.Where.Line))
		}
		switch {
		case !numbered:
			rows = append(rows, token(key)+" "+token(e.value(r.Value, r.Where)))
		default:
			rows = append(rows, token(key)+fmt.Sprintf(" %d", i))
			values = append(values, fmt.Sprintf("%d ", i)+token(plainText(r.Value)))
		}
	}
	if !numbered {
		e.mapping(plainText(t.Source), t.Name, append(rows, "default "+token(plainText(t.Else))))
	} else {
		e.mapping(plainText(t.Source), t.Name+"_row", append(rows, "default -"))
		e.mapping("{yc_"+t.Name+"_row}", t.Name, append(values, "default "+token(plainText(t.Else))))
	}
	e.set(t.Name, "{yc_"+t.Name+"}")
}

// value writes what an expression leads to, as far as Caddy leaves it alone.
func (e *emitter) value(t server.Text, where plan.Cause) string {
	s := captured(t)
	plain := t.Write(func(s string) string { return s }, nil, func(int) string { return "" })
	switch {
	case replaced.MatchString(plain) || strings.ContainsAny(plain, "`"):
		e.refuse(where, "an address with braces or backquotes that Caddy replaces")
	case plain == "}" || plain == "{": // in quotes too, they begin and end a block
		e.refuse(where, "a value that is a brace alone")
	}
	return s
}

func (e *emitter) refuse(where plan.Cause, what string) {
	e.found = append(e.found, server.NotExpressible("caddy", where, what, "encode them, or use another server's form"))
}

// table writes the rows of known addresses.
func (e *emitter) table(which func(compile.Listed) bool) []byte {
	var b bytes.Buffer
	where := plan.Cause{}
	for _, x := range e.Program.Listed {
		if !which(x) {
			continue
		}
		key := fmt.Sprint(e.group(x.Key)) + ":" + server.Letters(e.Plan, server.Quote(x.Key)) +
			server.Quote(x.Signature) + `\z`
		if x.Host != "" {
			key = "(?i:" + server.Quote(x.Host) + ") " + key
		}
		wanted, ok := expression("^"+key, false)
		if !ok {
			e.refuse(x.Where, "an address that isn't UTF-8")
			continue
		}
		if w := x.Where; w.File != where.File || w.Line != where.Line {
			fmt.Fprintf(&b, "# %s %d\n", w.File, w.Line)
			where = w
		}
		action := e.Action(x, func(path string) string { return path }).String()
		fmt.Fprintf(&b, "%s %s\n", token(wanted), token(e.value(server.Text{{Literal: action}}, x.Where)))
	}
	return b.Bytes()
}

// lookup finds what a form of the path means.
func (e *emitter) lookup(n string) {
	key := variable("g"+n) + ":" + variable("p"+n) + variable("s"+n)
	file := AddressesFile
	if n == "0" {
		file = SpelledFile
	}
	// A stage is looked up only where it can count.
	asked := map[string][2]string{"0": {"p1c", "1"}, "1": {"site", "o"}, "2": {"p2c", "1"}}[n]
	e.mapping(key, "e"+n, []string{"import " + e.folder + "/" + file, "default ``"})
	var matchers []string
	for _, m := range e.Matchers {
		wanted, ok := expression("^"+m.Expression+`\z`, false)
		if !ok {
			e.refuse(m.Where, "a pattern that isn't UTF-8")
			continue
		}
		matchers = append(matchers, fmt.Sprintf("# %s %d", m.Where.File, m.Where.Line),
			token(wanted)+" "+token(e.value(m.Value, m.Where)))
	}
	e.set("d"+n, "")
	if len(matchers) > 0 {
		e.mapping(variable("x"+n)+key, "m"+n, append(matchers, "default ``"))
		e.setIf("d"+n, "{yc_m"+n+"}", asked[0], asked[1])
	}
	e.set("e"+n, "")
	e.setIf("e"+n, "{yc_e"+n+"}", asked[0], asked[1])
	e.setIf("d"+n, variable("e"+n), "e"+n, "*")
	if len(e.Plan.Site.LanguageHosts) > 0 {
		e.setIf("d"+n, "", "site", "l")
	}
	if e.HasHosts() {
		e.mapping(variable("host"+n)+" "+key, "h"+n, []string{"import " + e.folder + "/" + HostsFile, "default ``"})
		e.set("h"+n, "{yc_h"+n+"}")
		e.setIf("d"+n, variable("h"+n), "h"+n, "*")
	}
	e.setIf("d"+n, "", "site", "-")
}

// keep leaves out the parameters that don't travel: in each step one run of
// them, and of empty items.
func (e *emitter) keep() {
	e.set("kept", "")
	one := func(number string, names []string) {
		leave := "&"
		if len(names) > 0 {
			leave = server.Names(names) + `(?:=[^&]*)?(?:&|$)|&`
		}
		m := e.matcher("set", number)
		e.line("vars %s yc_kept {http.request.uri.query}", m)
		e.mapping("{http.vars.yc_kept}", "less"+number, []string{token(`~(?s)^(|.*?&)(?:`+leave+`)+(.*)$`) +
			" `${1}${2}`", "default {http.vars.yc_kept}"})
		for range server.Runs + 1 {
			e.line("vars %s yc_kept {yc_less%s}", m, number)
		}
	}
	one("all", nil)
	for i, names := range e.Sets {
		one(fmt.Sprint(i), names)
	}
	e.mapping("{http.vars.yc_kept}", "trimmed", []string{"`~(?s)^(.*[^&])&*$` `${1}`", "default ``"})
	e.set("kept", "{yc_trimmed}")
}

// answer writes the lines that act.
func (e *emitter) answer() {
	e.line("# the answer")
	for _, h := range e.Headers {
		e.line("header %s %s %s", e.matcher(h.Variable, "*"), h.Name, variable(h.Variable))
	}
	for _, code := range []int{404, 410, 503} {
		if code != 503 || e.Plan.Upkeep != nil {
			e.line("error %s %d", e.matcher("code", fmt.Sprint(code)), code)
		}
	}
	for _, code := range e.Codes {
		e.line("redir %s {http.vars.yc_location} %d", e.matcher("code", fmt.Sprint(code)), code)
	}
	if e.Inner {
		e.inside()
	}
}

// inside writes a rewrite for each internal address: in the query of one, Caddy
// encodes all that it takes from variables but the request's own query.
func (e *emitter) inside() {
	i := slices.IndexFunc(e.Steps, func(s server.Step) bool {
		t, ok := s.(*server.Table)
		return ok &&
			t.Role == server.InnerPath
	})
	t := e.Steps[i].(*server.Table)
	filled := e.matcher("inside", "*")
	var numbers []string
	for n, r := range t.Rows {
		key, _ := expression(r.Expression, t.Fold)
		numbers = append(numbers, fmt.Sprintf("%s %d", token(key), n))
	}
	e.mapping(plainText(t.Source), "internal_row", append(numbers, "default -"))
	e.set("go", "-")
	e.line("vars %s yc_go {yc_internal_row}", filled)
	for n, r := range t.Rows {
		key, _ := expression(r.Expression, t.Fold)
		name := func(capture int) string { return fmt.Sprintf("yc_inside_%d_%d", n, capture) }
		for _, part := range r.Value {
			if part.Capture > 0 {
				e.mapping(plainText(t.Source), strings.TrimPrefix(name(part.Capture), "yc_"),
					[]string{fmt.Sprintf("%s `${%d}`", token(key), part.Capture), "default ``"})
			}
		}
		to := r.Value.Write(func(s string) string { return s }, nil,
			func(capture int) string { return "{" + name(capture) + "}" })
		if _, query, ok := strings.Cut(to, "?"); ok && query != "" && emptyItem(query) {
			e.found = append(e.found, server.NotExpressible("caddy", r.Where,
				"an internal address with an empty item in its query, which Caddy leaves out",
				"write a single & between two items"))
		}
		if strings.Contains(to, "?") {
			to += "&"
		} else {
			to += "?"
		}
		e.line("@yc_inside_%d vars {http.vars.yc_go} %d", n, n)
		e.line("rewrite @yc_inside_%d %s", n, token(to+"{http.request.uri.query}"))
	}
}

// emptyItem reports whether an item of a query is empty, or has no name.
func emptyItem(query string) bool {
	return slices.ContainsFunc(strings.Split(query, "&"), func(item string) bool {
		return item == "" || item[0] == '=' && !strings.HasPrefix(query, item)
	})
}

// example writes a configuration with the lines in their place.
func (e *emitter) example() string {
	names := []string{}
	for _, host := range e.Plan.Site.All() {
		names = append(names, "http://"+host, "https://"+host)
	}
	return "{\n\tauto_https disable_redirects\n}\n" + strings.Join(names, ", ") +
		" {\n\troot * /var/www/html\n\troute {\n\t\timport " + e.folder + "/" + RouteFile +
		"\n\t\tfile_server\n\t}\n}\n"
}
