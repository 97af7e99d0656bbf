// Package haproxy writes a plan for HAProxy: lines for a frontend, and a map
// file with the known addresses.
//
// HAProxy matches the path as it was sent. The lines work out the decoded path
// without dot segments and doubled slashes; what goes into a Location header
// comes from the plan, from characters that mean the same encoded and decoded,
// or from the request line as it was sent.
package haproxy

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
)

// The files that Emit writes.
const (
	FrontendFile = "young-compass-frontend.cfg"
	MapFile      = "young-compass-addresses.map"
	ExampleFile  = "haproxy-example.cfg"
)

// maxWords is how many words of a line HAProxy reads. Around a list of networks stand fewer than wordsAround others.
const (
	maxWords    = 64
	wordsAround = 16
)

// maxPair bounds a line of the map file; a Location must fit HAProxy's buffer.
const maxPair = 8000

// Emit writes the plan. Findings say what HAProxy can't be told.
func (h Target) Emit(g *compile.Program, o server.Options) ([]server.File, []finding.Finding) {
	flow, found := server.Decide(g, server.Server{Name: h.Name(), Folds: true, Skips: true}, o)
	e := &emitter{Flow: flow, folder: o.In("/etc/haproxy"), group: server.GroupOf(g), found: found}
	e.pairs()
	e.frontend()
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	head := o.Head(g, "HAProxy")
	use := "# Put these lines into each frontend that answers for the site: behind its own tcp-request rules, none of " +
		"which\n# may be \"tcp-request content accept\", and before its own http-request rules.\n" +
		"# The map file lies in " + e.folder + ".\n"
	return []server.File{
		{Name: ExampleFile, Data: []byte(head + "# A complete configuration that loads: haproxy -f " + e.folder + "/" +
			ExampleFile + "\n" + e.example())},
		{Name: MapFile, Data: append([]byte(head+"# Read by "+FrontendFile+", from "+e.folder+".\n"),
			e.table.Bytes()...)},
		{Name: FrontendFile, Data: append([]byte(head+use), server.WithNames(e.lines.Bytes(), e.Plan)...)},
	}, e.found
}

type emitter struct {
	*server.Flow
	folder string
	group  func(string) int
	lines  bytes.Buffer
	table  bytes.Buffer
	found  []finding.Finding
}

// word quotes a word of the configuration.
func word(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, `$`, `\$`).Replace(s) + `"`
}

// argument quotes an expression as the argument of a converter.
func argument(expression string) string {
	return `'` + strings.NewReplacer(`\'`, `\x27`, `'`, `\x27`).Replace(expression) + `'`
}

func variable(name string) string { return "var(txn.§" + name + ")" }

// format writes a text as a format.
func format(t server.Text) string {
	literal := func(s string) string { return strings.ReplaceAll(s, "%", "%%") }
	return word(t.Write(literal, func(name string) string { return "%[" + variable(name) + "]" }, nil))
}

// replacement writes a text with captures for regsub.
func replacement(t server.Text) string {
	literal := func(s string) string {
		var b strings.Builder
		for i := 0; i < len(s); i++ {
			if c := s[i]; address.Unreserved(c) || strings.IndexByte("/:?=& ", c) >= 0 {
				b.WriteByte(c)
			} else {
				fmt.Fprintf(&b, `\x%02x`, c)
			}
		}
		return b.String()
	}
	return "'" + t.Write(literal, nil, func(n int) string { return fmt.Sprintf(`\%d`, n) }) + "'"
}

func (e *emitter) line(form string, args ...any) { fmt.Fprintf(&e.lines, form+"\n", args...) }

// set gives a variable the value of an expression of samples.
func (e *emitter) set(name, sample string, conditions ...string) {
	e.line("tcp-request content set-var(txn.§%s) %s%s", name, word(sample), when(conditions))
}

// put gives a variable a text.
func (e *emitter) put(name string, t server.Text, conditions ...string) {
	if len(t) == 0 { // an empty format makes HAProxy crash
		e.line(`tcp-request content set-var(txn.§%s) str("")%s`, name, when(conditions))
		return
	}
	e.line("tcp-request content set-var-fmt(txn.§%s) %s%s", name, format(t), when(conditions))
}

// when writes the conditions of a line; "!" before one turns it round.
func when(conditions []string) string {
	text := ""
	for _, c := range conditions {
		if turned, ok := strings.CutPrefix(c, "!"); ok {
			text += " !{ " + turned + " }"
		} else {
			text += " { " + c + " }"
		}
	}
	if text == "" {
		return ""
	}
	return " if" + text
}

func equals(name, value string) string { return variable(name) + " -m str " + value }

// matches is a condition on a variable; letters don't count if fold is true.
func matches(name, expression string, fold bool) string {
	flag := ""
	if fold {
		flag = "-i "
	}
	return variable(name) + " -m reg " + flag + word(expression)
}

// substitute is the text of a variable after an expression on the whole of it
// has been replaced.
func substitute(name, expression string, fold bool, t server.Text) string {
	flags := ""
	if fold {
		flags = ",i"
	}
	return variable(name) + ",regsub(" + argument(expression) + "," + replacement(t) + flags + ")"
}

func (e *emitter) frontend() {
	if e.Quick != nil {
		e.quick()
	}
	e.line("# what was asked: the path as sent, and decoded, without dot segments, with single slashes")
	e.put("scheme_asked", server.T("http"))
	e.put("scheme_asked", server.T("https"), "ssl_fc")
	e.set("forwarded", "req.fhdr(X-Forwarded-Proto)")
	e.set("host", `req.hdr(host),field(1,:),lower,regsub('[.]\z','')`)
	e.set("raw", "path")
	e.set("undotted", "path")
	e.dots()
	e.set("uri", variable("undotted")+`,url_dec,regsub('//+','/',g)`)
	e.put("args", nil)
	e.set("args", "query")
	e.set("method", "method")
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
			e.set("identity", variable("uri")+",url_enc")
			e.put("live", server.T("-"))
			e.set("live", substitute("way", `^[01] `+server.Reading{Identity: `(.*)\z`}.Stay(""), false,
				server.T("{1}")), matches("way", `^[01] `+server.StayKinds+` `, false))
			e.put("exact", server.T("0"))
			e.put("exact", server.T("1"), variable("identity")+",strcmp(txn.§live) eq 0")
		case *server.Equal:
			e.put(s.Name, server.T("0"))
			e.put(s.Name, server.T("1"), variable(s.One)+",strcmp(txn.§"+s.Other+") eq 0")
		case *server.Lower:
			e.set(s.Name, variable(s.Source)+",lower")
		case *server.Keep:
			e.keep()
		case *server.Client:
			e.put(s.Name, server.T("0"))
			for networks := range slices.Chunk(s.Networks, maxWords-wordsAround) {
				var list []string
				for _, n := range networks {
					list = append(list, n.String())
				}
				e.put(s.Name, server.T("1"), "src "+strings.Join(list, " "))
			}
		}
	}
	e.answer()
}

// maxUp is how many segments in a row can be taken away by as many "..": each expression takes one, so that no path
// keeps HAProxy busy for long. What climbs further matches nothing.
const maxUp = 32

// dots removes dot segments from paths that have any (RFC 3986 section 5.2.4).
func (e *emitter) dots() {
	dotted := `path -m reg -i "/([.]|%2e)"`
	e.set("undotted", `path,regsub('%2e','.',gi),regsub('(/[.][.]?)\z','\1/'),regsub('/[.](?=/)','',g)`, dotted)
	up := `,regsub('^(?:/[.][.])+(?=/)',''),regsub('/(?![.][.]/)[^/]*/[.][.](?=/)','',g)`
	for range maxUp / 8 {
		e.set("undotted", variable("undotted")+strings.Repeat(up, 8), variable("undotted")+` -m sub /../`)
	}
	e.set("undotted", variable("undotted")+`,regsub('^(?:/[.][.])+(?=/)','')`, variable("undotted")+` -m sub /../`)
	e.put("raw", server.T("%", "/%2f"), variable("undotted")+` -m sub /../`) // which no rule touches
}

// The classes of requests that may be spared the steps. They are numbers, since HAProxy copies a text at each reading.
const (
	plainRequest = "1"
	assetRequest = "2"
)

// quick spares requests for plain addresses all steps but the look-up. It ends at "accept", which passes over the lines
// of this kind that follow.
func (e *emitter) quick() {
	e.line("# plain addresses: what an entry says, and nothing else")
	scheme := "ssl_fc"
	if e.Plan.Site.Origin.Scheme != "https" {
		scheme = "!ssl_fc"
	}
	reg := func(sample, expression string) string { return sample + " -m reg " + word(expression) }
	is := func(name string) string { return variable(name) + " -m found" }
	leave := func(conditions ...string) { e.line("tcp-request content unset-var(txn.§quick)%s", when(conditions)) }
	accept := func(conditions ...string) { e.line("tcp-request content accept%s", when(conditions)) }
	asset := variable("quick") + " -m int " + assetRequest
	e.set("here", "int(1)", scheme, "req.hdr(host) -m reg -i "+
		word("^"+server.Quote(e.Plan.Site.Origin.Host)+`(?::[0-9]*)?\z`))
	e.set("quick", "int("+plainRequest+")", is("here"), reg("path", e.Quick.Path))
	for _, hidden := range e.Quick.Hidden {
		leave(is("quick"), reg("query", hidden))
	}
	if e.Quick.Asset != "" {
		e.set("quick", "int("+assetRequest+")", is("here"), reg("path", e.Quick.Asset))
	}
	if len(e.Quick.Groups) > 0 {
		var list []string
		for _, path := range e.Quick.Groups {
			list = append(list, server.Quote(path))
		}
		leave(is("quick"), reg("path", "^(?:"+strings.Join(list, "|")+`)\z`))
	}
	if len(e.Matchers) > 0 {
		e.line("tcp-request content set-var-fmt(txn.§key) %s%s", word(strings.Repeat("0", len(e.Excepts))+"0:%[path]"),
			when([]string{is("quick")}))
	}
	for _, m := range e.Matchers { // one by one: a line has at most maxWords words
		leave(is("quick"), reg(variable("key"), "^"+m.Expression+`\z`))
	}
	if e.Quick.Unlisted {
		accept(asset)
	}
	e.line("tcp-request content set-var-fmt(txn.§key) %s%s", word("/s0:%[path,url_enc]"), when([]string{is("quick")}))
	e.set("found", variable("key")+",map_str("+e.folder+"/"+MapFile+")", is("quick"))
	accept(is("quick"), "!"+is("found"))
	if e.Quick.Asset != "" && !e.Quick.Unlisted {
		e.line("tcp-request content unset-var(txn.§found) if { %s }", asset)
	}
	e.moved()
	accept(is("location"))
}

// moved writes where the entry of a plain address leads.
func (e *emitter) moved() {
	found := variable("found")
	to := found + `,regsub('^\S+ \S+ ','')`
	reads := func(r server.Reading) string { return found + " -m reg " + word("^"+r.Move(server.Move)) }
	e.set("location", to, reads(server.Reading{}), "!query -m len gt 0")
	for _, joint := range []string{"?", "&"} {
		end := map[string]string{"?": `[^?#]*\z`, "&": `[^?#]*\?[^#]*\z`}[joint]
		e.line("tcp-request content set-var-fmt(txn.§location) %s%s", word("%["+to+"]"+joint+"%[query]"),
			when([]string{reads(server.Reading{Set: "0", To: end}), "query -m len gt 0"}))
	}
	code := func(r server.Reading) string {
		return found + ",regsub(" + argument("^"+r.Move(server.Move)) + `,'\1')`
	}
	led := variable("location") + " -m found"
	e.set("code", code(server.Reading{Other: "([0-9]+)"}), led)
	e.set("code", code(server.Reading{Get: "([0-9]+)"}), led, "method GET HEAD")
}

// rows writes a table, last row first, so that the first that matches has the
// last word.
func (e *emitter) rows(t *server.Table) {
	e.put(t.Name, t.Else)
	if len(t.Rows) == 0 {
		return
	}
	source, alone := t.Source.Variable()
	if !alone {
		source = "source"
		e.put(source, t.Source)
	}
	where := plan.Cause{}
	for _, r := range slices.Backward(t.Rows) {
		if r.Where.Line > 0 && r.Where != where {
			where = r.Where
			e.line("# %s %d", where.File, where.Line)
		}
		condition := matches(source, r.Expression, t.Fold)
		if r.Expression == "" {
			condition = matches(source, "^"+server.Quote(r.Exact)+`\z`, t.Fold)
		}
		if r.Value.Captures() {
			e.set(t.Name, substitute(source, r.Expression, t.Fold, r.Value), condition)
		} else {
			e.put(t.Name, r.Value, condition)
		}
	}
}

// lookup finds what a form of the path means.
func (e *emitter) lookup(n string) {
	e.put("d"+n, nil)
	needed := map[string][]string{"0": {equals("p1c", "1")}, "1": nil, "2": {equals("p2c", "1")}}[n]
	path := variable("p" + n)
	if e.Plan.Paths.Lower {
		path += ",lower"
	}
	form := map[string]string{"0": "a", "1": "s", "2": "s"}[n]
	e.line("tcp-request content set-var-fmt(txn.§key) %s%s",
		word("/"+form+"%["+variable("g"+n)+"]:%["+path+",url_enc]%["+variable("s"+n)+"]"), when(needed))
	find := ",map_str(" + e.folder + "/" + MapFile + ")"
	onOrigin := append(slices.Clone(needed), equals("site", "o"))
	e.set("d"+n, variable("key")+find, onOrigin...)
	if len(e.Matchers) > 0 {
		e.line("tcp-request content set-var-fmt(txn.§source) %s%s",
			word("%["+variable("x"+n)+"]%["+variable("g"+n)+"]:%["+variable("p"+n)+"]%["+variable("s"+n)+"]"),
			when(onOrigin))
	}
	for _, m := range e.Matchers {
		e.line("# %s %d", m.Where.File, m.Where.Line)
		expression := "^" + m.Expression + `\z`
		open := append(slices.Clone(onOrigin), variable("d"+n)+" -m len 0", matches("source", expression, false))
		if m.Value.Captures() {
			e.set("d"+n, substitute("source", expression, false, m.Value), open...)
		} else {
			e.put("d"+n, m.Value, open...)
		}
	}
	if e.HasHosts() {
		e.line("tcp-request content set-var-fmt(txn.§key) %s%s", word("%["+variable("host"+n)+"]%["+variable("key")+"]"),
			when(needed))
		e.set("d"+n, variable("key")+find, needed...)
	}
}

// pairs writes the map file.
func (e *emitter) pairs() {
	where := plan.Cause{}
	for _, x := range e.Program.Listed {
		if x.Plain && x.Host == "" {
			continue
		}
		form := "s"
		if !server.Spelled(e.Program, x) {
			form = "a"
		}
		key := x.Host + "/" + form + strconv.Itoa(e.group(x.Key)) + ":" + escape(x.Key) + x.Signature
		value := e.Action(x, escape).String()
		if len(key)+len(value) > maxPair {
			e.found = append(e.found, server.NotExpressible("haproxy", x.Where, "an address longer than HAProxy sends",
				"shorten the address"))
			continue
		}
		if w := x.Where; w.File != where.File || w.Line != where.Line {
			fmt.Fprintf(&e.table, "# %s %d\n", w.File, w.Line)
			where = w
		}
		e.table.WriteString(key + " " + value + "\n")
	}
}

// escape encodes a decoded text as HAProxy's url_enc does.
func escape(s string) string {
	const hex = "0123456789ABCDEF"
	b := make([]byte, 0, len(s)+len(s)/2)
	for i := 0; i < len(s); i++ {
		if c := s[i]; address.Unreserved(c) {
			b = append(b, c)
		} else {
			b = append(b, '%', hex[c>>4], hex[c&15])
		}
	}
	return string(b)
}

// keep leaves out the parameters that don't travel, and empty items.
func (e *emitter) keep() {
	one := func(number string, names []string) {
		leave := "&"
		if len(names) > 0 {
			leave = server.Names(names) + `(?:=[^&]*)?(?:&|\z)|&`
		}
		e.set("kept", variable("args")+",regsub("+argument(`(?:^|(?<=&))(?:`+leave+`)++`)+`,'',g),regsub('&+\z','')`,
			equals("set", number))
	}
	e.put("kept", nil)
	one("all", nil)
	for i, names := range e.Sets {
		one(fmt.Sprint(i), names)
	}
}

// answerNote is the line before those that act, which come last: HAProxy reads all lines of the other kind first.
const answerNote = "# the answer"

// answer writes the lines that act.
func (e *emitter) answer() {
	e.line(answerNote)
	for _, h := range e.Headers {
		e.line("http-after-response set-header %s %s if { %s -m len gt 0 }", h.Name,
			word("%["+variable(h.Variable)+"]"), variable(h.Variable))
	}
	for _, code := range []int{404, 410, 503} {
		if code != 503 || e.Plan.Upkeep != nil {
			e.line("http-request return status %d%s", code, when([]string{equals("code", fmt.Sprint(code))}))
		}
	}
	for _, code := range e.Codes {
		e.line("http-request redirect location %s code %d%s", word("%["+variable("location")+"]"), code,
			when([]string{equals("code", fmt.Sprint(code))}))
	}
	if e.Inner {
		inside := variable("inside") + " -m len gt 0"
		e.line("http-request set-query %s if { %s }", word("%["+variable("inside")+`,regsub('^[^?]*[?]?','')]`), inside)
		e.line("http-request set-path %s if { %s }", word("%["+variable("inside")+`,regsub('[?].*\z','')]`), inside)
	}
}

// example writes a configuration with the lines in their place.
func (e *emitter) example() string {
	var b strings.Builder
	b.WriteString("global\n\tmaxconn 1000\ndefaults\n\tmode http\n\ttimeout client 30s\n\ttimeout server " +
		"30s\n\ttimeout connect 5s\nfrontend site\n\tbind :80\n\t# bind :443 ssl crt /etc/haproxy/site.pem\n")
	for line := range strings.Lines(string(server.WithNames(e.lines.Bytes(), e.Plan))) {
		b.WriteString("\t" + line)
	}
	b.WriteString("\tdefault_backend pages\nbackend pages\n\tserver pages 127.0.0.1:8080\n")
	return b.String()
}
