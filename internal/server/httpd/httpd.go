// Package httpd writes a plan for Apache httpd: as its per-folder file, for
// hosting where only that file can be edited, and for its own configuration.
//
// The rules keep what they find out in environment variables and redirect at
// the very end, once. httpd matches the decoded path with single slashes; what
// goes into a Location header comes from the plan, from characters that mean
// the same encoded and decoded, or from the request line as it was sent.
package httpd

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
)

// The files that the two forms write.
const (
	FolderFile  = ".htaccess"
	HostFile    = "young-compass-host.conf"
	MapFile     = "young-compass-addresses.txt"
	DBMFile     = "young-compass-addresses.dbm"
	ExampleFile = "apache-example.conf"
)

// hostsInLine is how many names of hosts stand in a line: each has 255 characters at most (RFC 1035 section 2.3.4).
const hostsInLine = 20

// maxLine is the longest line that httpd reads from a per-folder file, safely.
const maxLine = 8000

// The numbers of rules from which on a per-folder file slows every request down
// noticeably, since httpd reads it anew each time, and unbearably.
const (
	manyRules    = 50
	tooManyRules = 300
	tooManyApart = 3000 // of those that only some requests meet
)

// What a request for a file takes of a processor without any per-folder file, and what each rule with its conditions adds,
// in milliseconds: as TestGuardCost measures it, with Debian's httpd 2.4.
const (
	noFile  = 0.1
	perRule = 0.011
)

// What a server's configuration holds itself, what goes into a text map, and
// what a map may hold in a line.
const (
	inlineEntries = 30
	textEntries   = 500
	maxPair       = 900
)

// Emit writes the plan as a per-folder file; where it is long, as two: one that lets pass what surely is left to the site,
// and one in a folder of its own that answers all other requests, since httpd reads and compiles such a file anew for each
// request that reaches it. Findings say what httpd can't be told in such a file, and what it costs; what costs too much is an
// error, unless it is wanted all the same.
func (f Folder) Emit(g *compile.Program, o server.Options) ([]server.File, []finding.Finding) {
	e := &emitter{target: f.Name(), inFolder: true}
	text := e.emit(g, o)
	rules := ""
	if e.count() > manyRules && !finding.Worst(e.found, finding.Error) {
		inner := &emitter{target: f.Name(), inFolder: true, inner: true}
		if short, passes := inner.split(g, o); passes {
			rules, text, e = inner.text(), short, inner
		}
	}
	e.found = append(e.found, cost(text, rules, o)...)
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	head := o.Head(g, "Apache httpd") +
		"# Put " + FolderFile + " into the site's document root, its lines before rules that send requests to a script.\n" +
		"# Needs mod_rewrite" + e.needs() + ", and AllowOverride FileInfo for the folder.\n" +
		"# Where a real sub-folder without an index file has a page's name, httpd adds a slash to it that these rules\n" +
		"# remove again: write DirectorySlash Off and Options -Indexes there, or in the server's configuration.\n"
	if rules == "" {
		return []server.File{{Name: FolderFile, Data: []byte(head + withModules(text))}}, e.found
	}
	return []server.File{{Name: FolderFile, Data: []byte(o.Brief(rulesName(o)) + withModules(text))},
		{Name: rulesName(o), Data: []byte(head + outside(rules))}}, e.found
}

// Emit writes the plan for the server's own configuration: a piece for each
// virtual host of the site, and the table of addresses.
func (h Host) Emit(g *compile.Program, o server.Options) ([]server.File, []finding.Finding) {
	e := &emitter{target: h.Name(), folder: o.In("/etc/apache2")}
	text := e.emit(g, o)
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	head := o.Head(g, "Apache httpd")
	use := "# Include this in each virtual host of the site: Include " + e.folder + "/" + HostFile +
		"\n# Needs mod_rewrite" + e.needs() + ".\n"
	files := []server.File{}
	if e.pairs.Len() > 0 {
		files = append(files, server.File{Name: MapFile,
			Data: append([]byte(head+"# Read by "+HostFile+", from "+e.folder+".\n"), e.pairs.Bytes()...)})
		use += "# Put " + MapFile + " beside it.\n"
		if e.converted() {
			use += "# Convert it there after each change:\n#   httxt2dbm -f SDBM -i " + e.folder + "/" + MapFile +
				" -o " + e.folder + "/" + DBMFile + "\n"
		}
	}
	example := "# A complete configuration that loads, on Debian: apache2 -f " + e.folder + "/" + ExampleFile + "\n"
	files = append(files, server.File{Name: HostFile, Data: []byte(head + use + text)},
		server.File{Name: ExampleFile, Data: []byte(head + example + e.example())})
	slices.SortFunc(files, func(a, b server.File) int { return strings.Compare(a.Name, b.Name) })
	return files, e.found
}

func (e *emitter) needs() string {
	if len(e.Headers) > 0 {
		return " and mod_headers"
	}
	return ""
}

// line is a line of the file; skip makes it a rule that passes over all that
// follow, and spare one that passes over those but for the last ones, which are
// for all requests that are left to the site.
type line struct {
	text  string
	rule  bool
	skip  bool
	last  bool
	spare bool
	free  bool // sets variables under no condition
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
	left, last := e.count(), 0
	for _, l := range e.lines {
		if l.last && l.rule {
			last++
		}
	}
	for _, l := range e.lines {
		if l.rule {
			left--
		}
		switch {
		case l.skip:
			fmt.Fprintf(&b, "RewriteRule \"^\" \"-\" [S=%d]\n", left)
			continue
		case l.spare:
			fmt.Fprintf(&b, "RewriteRule \"^\" \"-\" [S=%d]\n", left-last)
			continue
		}
		b.WriteString(l.text + "\n")
	}
	for _, h := range e.Headers {
		// What was found out has another name after each step inside the server.
		for _, before := range []string{"", "REDIRECT_", "REDIRECT_REDIRECT_"} {
			name := before + "yc_" + h.Variable
			fmt.Fprintf(&b, "Header always set %s \"%%{%s}e\" env=%s\n", h.Name, name, name)
		}
	}
	return b.String()
}

func (e *emitter) add(text string, rule bool) {
	if len(text) > maxLine {
		e.found = append(e.found, server.NotExpressible(e.target, plan.Cause{File: e.Plan.File},
			"a line longer than httpd reads", "shorten the addresses, or use fewer of them"))
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
		if pairs[i+1] == "" {
			flags = append(flags, "E=!yc_"+pairs[i])
		} else {
			flags = append(flags, "E=yc_"+pairs[i]+":"+pairs[i+1])
		}
	}
	conditional := len(e.lines) > 0 && strings.HasPrefix(e.lines[len(e.lines)-1].text, "RewriteCond ")
	if before, ok := e.unconditional(); ok && !conditional {
		if text := strings.TrimSuffix(before.text, `]"`) + "," + strings.Join(flags, ",") + `]"`; len(text) < maxLine/2 {
			before.text = text
			return
		}
	}
	e.add(`RewriteRule "^" "-" "[`+strings.Join(flags, ",")+`]"`, true)
	e.lines[len(e.lines)-1].free = !conditional
}

// unconditional returns the last rule, if it is one that sets variables under no condition: httpd sets them one after the
// other, so that those of the next such rule can stand in it too. Every rule costs each request.
func (e *emitter) unconditional() (*line, bool) {
	for i := len(e.lines) - 1; i >= 0; i-- {
		if l := &e.lines[i]; !strings.HasPrefix(l.text, "#") {
			return l, l.free
		}
	}
	return nil, false
}

func (e *emitter) skip() { e.lines = append(e.lines, line{rule: true, skip: true}) }

func (e *emitter) spare() { e.lines = append(e.lines, line{rule: true, spare: true}) }

// env is a variable's value in a test string.
func env(name string) string {
	switch name {
	case "scheme_asked":
		return "%{REQUEST_SCHEME}"
	case "forwarded":
		return "%{HTTP:X-Forwarded-Proto}"
	case "uri", "p0":
		return "%{REQUEST_URI}"
	case "args":
		return "%{QUERY_STRING}"
	case "method":
		return "%{REQUEST_METHOD}"
	case "undotted":
		name = "raw"
	}
	return "%{ENV:yc_" + name + "}"
}

// literal writes a text of the plan where variables and lists are understood.
func literal(s string) string {
	return strings.NewReplacer(`\`, env("backslash"), `%`, `\%`, `$`, `\$`, `,`, env("comma"), `"`, env("quote")).Replace(s)
}

func text(t server.Text) string {
	return t.Write(literal, env, func(n int) string { return fmt.Sprintf("%%%d", n) })
}

// hosts is an expression for host headers that name one of these hosts.
func hosts(names []string) string {
	list := make([]string, len(names))
	for i, name := range names {
		list[i] = server.Quote(name)
	}
	return `^(?:` + strings.Join(list, "|") + `)\.?(?::[0-9]*)?$`
}

func (e *emitter) emit(g *compile.Program, o server.Options) string {
	e.Flow, e.found = server.Decide(g, server.Server{Name: e.target, Folds: true, LosesAmpersand: true, Skips: true}, o)
	e.group = server.GroupOf(g)
	e.add("RewriteEngine On", false)
	if !e.inner {
		e.first(o)
	}
	if e.mapped() {
		form := "txt:" + e.folder + "/" + MapFile
		if e.converted() {
			form = "dbm=sdbm:" + e.folder + "/" + DBMFile
		}
		e.add("RewriteMap yc_escape int:escape\nRewriteMap yc_small int:tolower\nRewriteMap yc_addresses \""+form+"\"",
			false)
	}
	if e.inner {
		e.note("who asks for this folder gets nothing")
		e.cond("%{ENV:REDIRECT_yc_uri}", "^$")
		e.add(`RewriteRule "^" "-" [R=404,L]`, true)
	} else {
		e.others()
	}
	if e.Quick != nil && e.mapped() {
		e.quick()
	}
	e.note("what was asked; a comma, a quotation mark and a backslash by names, since they mean something here")
	e.add(`RewriteCond '\\' '^(.)$'`, false)
	e.set("backslash", "%1")
	e.add("RewriteCond ',' '^(,)$'", false)
	e.set("comma", "%1")
	e.add("RewriteCond '\"' '^(\")$'", false)
	e.set("quote", "%1")
	e.cond("%{HTTP_HOST}", `^([^:]*?)\.?(?::[0-9]*)?$`)
	e.set("host", "%1")
	e.cond("%{THE_REQUEST}", `^\S+ (?:https?://[^/? ]+)?(/[^? ]*)`)
	e.set("raw", "%1")
	e.defaults()
	for _, step := range e.Steps {
		switch s := step.(type) {
		case server.Note:
			e.note(string(s))
		case *server.Table:
			e.table(s)
		case *server.Lookup:
			e.lookup()
		case *server.Equal:
			e.set(s.Name, "0")
			e.cond(env(s.One)+" "+env(s.Other), `^(\S+) \1$`)
			e.set(s.Name, "1")
		case *server.Same:
			e.same()
		case *server.Lower:
			e.add(`RewriteCond expr "tolower(`+env(s.Source)+`) =~ /^(.*)$/"`, false)
			e.set(s.Name, "%1")
		case *server.Keep:
			e.keep()
		case *server.Client:
			for i, n := range s.Networks {
				flag := " [OR]"
				if i == len(s.Networks)-1 {
					flag = ""
				}
				e.add(fmt.Sprintf(`RewriteCond expr "%%{REMOTE_ADDR} -ipmatch '%s'"%s`, n, flag), false)
			}
			if len(s.Networks) > 0 {
				e.set(s.Name, "1")
			}
		}
	}
	e.answer()
	e.folders()
	if e.inner {
		e.note("what is left to the site goes back to its own rules, as it was sent")
		e.cond(env("raw"), "^/")
		e.add(`RewriteRule "^" "`+env("raw")+`" [L]`, true)
	}
	return e.text()
}

// others passes over all rules for requests that are none of the plan's.
func (e *emitter) others() {
	e.note("requests that the server makes itself, and hosts that are not the site's, are left alone")
	e.cond("%{ENV:REDIRECT_STATUS}", ".")
	e.skip()
	for list := range slices.Chunk(e.Plan.Site.All(), hostsInLine) {
		e.cond("%{HTTP_HOST}", "!"+hosts(list), "NC")
	}
	e.skip()
}

// defaults writes in one rule what variables are unless a row says otherwise.
func (e *emitter) defaults() {
	pairs := []string{"exact", "0"}
	for _, step := range e.Steps {
		switch s := step.(type) {
		case *server.Table:
			if value, ok := s.Else.Literal(); ok && value != "" {
				pairs = append(pairs, s.Name, literal(value))
			}
		case *server.Client:
			pairs = append(pairs, s.Name, "0")
		}
	}
	for start := 0; start < len(pairs); { // several rules where one is too long
		end, size := start, 0
		for end < len(pairs) && (end == start || size < maxLine/2) {
			size += len(pairs[end]) + len(pairs[end+1]) + len("E=yc_:,")
			end += 2
		}
		e.set(pairs[start:end]...)
		start = end
	}
}

// table writes the rows last first, so that the first that matches has the
// last word.
func (e *emitter) table(t *server.Table) {
	if t.Role == server.AskedPath {
		return
	}
	if value, ok := t.Else.Literal(); !ok || len(t.Rows) == 0 && value != "" {
		e.set(t.Name, text(t.Else))
	}
	source := text(t.Source)
	var flags []string
	if t.Fold {
		flags = []string{"NC"}
	}
	where := plan.Cause{}
	rows := t.Rows
	for len(rows) > 0 {
		last := rows[len(rows)-1]
		rows = rows[:len(rows)-1]
		if w := last.Where; w.Line > 0 && w != where {
			e.note(fmt.Sprintf("%s %d", w.File, w.Line))
			where = w
		}
		expression := last.Expression
		if expression == "" {
			expression = server.Quote(last.Exact)
			for len(rows) > 0 && rows[len(rows)-1].Expression == "" && len(expression) < maxLine-1000 &&
				slices.Equal(rows[len(rows)-1].Value, last.Value) {
				expression += "|" + server.Quote(rows[len(rows)-1].Exact)
				rows = rows[:len(rows)-1]
			}
			expression = "^(?:" + expression + ")$"
		}
		e.cond(source, expression, flags...)
		e.set(t.Name, text(last.Value))
	}
}

// stages are the forms in which an entry is looked up.
func (e *emitter) stages(x compile.Listed) string {
	spelled := server.Spelled(e.Program, x)
	switch {
	case e.Plan.Site.IsLanguageHost(x.Host) && spelled:
		return "l([12])"
	case e.Plan.Site.IsLanguageHost(x.Host):
		return "l(0)"
	case spelled && x.Host != "":
		e.cond(env("p1c"), "0") // the site's own rules lead to the origin
		return "o(1)"
	case spelled:
		return "o([12])"
	}
	return "o(0)"
}

// plain reports whether a server that makes letters small needs no entry.
func (e *emitter) plain(x compile.Listed) bool { return x.Plain && x.Host == "" }

func (e *emitter) entries() {
	e.note("known addresses")
	where := plan.Cause{}
	for _, x := range e.Program.Listed {
		if e.plain(x) {
			continue
		}
		if strings.HasSuffix(x.Target.Fragment, "&") {
			e.found = append(e.found, server.NotExpressible(e.target, x.Where,
				"a fragment that ends in &, which httpd takes away", "encode it"))
			continue
		}
		if e.mapped() && e.pair(x) {
			continue
		}
		if strings.Contains(x.Signature, "//") {
			e.found = append(e.found, server.NotExpressible(e.target, x.Where, "a parameter whose value holds //",
				"use another server's form, or the full configuration with more addresses"))
			continue
		}
		if w := x.Where; w.File != where.File || w.Line != where.Line {
			e.note(fmt.Sprintf("%s %d", w.File, w.Line))
			where = w
		}
		if x.Host != "" {
			e.cond("%{HTTP_HOST}", hosts([]string{x.Host}), "NC")
		}
		stage := e.stages(x)
		flags := strings.Repeat("[01]", len(e.Excepts))
		key := `//` + stage + flags + fmt.Sprint(e.group(x.Key)) + `:` + server.Letters(e.Plan, server.Quote(x.Key)) +
			server.Quote(x.Signature) + `;//`
		e.cond(env("keys"), key)
		e.set("d%1", literal(e.Action(x, func(string) string { return "-" }).String()))
		if x.Kind == compile.Live || x.Kind == compile.Hold {
			if x.Host != "" {
				e.cond("%{HTTP_HOST}", hosts([]string{x.Host}), "NC")
			}
			if x.Signature != "" || len(e.Program.Groups) > 0 { // the same path may mean something else
				e.cond(env("keys"), key)
			}
			e.cond("%{REQUEST_URI}", `^`+server.Quote(address.Decode(x.Target.Path))+`$`)
			e.set("exact", "1")
		}
	}
}

// patterns are written last first, so that the first that matches has the
// last word. %1 is the form looked up.
func (e *emitter) patterns() {
	for _, m := range slices.Backward(e.Matchers) {
		e.note(fmt.Sprintf("%s %d", m.Where.File, m.Where.Line))
		e.cond(env("keys"), `//o([012])`+m.Expression+`;//`)
		e.set("m%1", m.Value.Write(literal, env, func(n int) string { return fmt.Sprintf("%%%d", n+1) }))
	}
}

// keep leaves out the parameters that don't travel.
func (e *emitter) keep() {
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
	for i, names := range e.Sets {
		kept(fmt.Sprint(i), names)
	}
	e.cond(env("kept"), `^&*$`)
	e.set("kept", "")
	e.cond(env("kept"), `^(.*[^&])&+$`)
	e.set("kept", "%1")
}

// answer writes the rules that act. What stands before and behind the question
// mark are two texts, since httpd refuses one that brings its own.
func (e *emitter) answer() {
	e.note("the answer")
	for _, code := range []int{404, 410, 503} {
		if code == 503 && e.Plan.Upkeep == nil {
			continue
		}
		e.cond(env("code"), fmt.Sprintf("=%d", code))
		e.add(fmt.Sprintf(`RewriteRule "^" "-" [R=%d,L]`, code), true)
	}
	for _, code := range e.Codes {
		flags := fmt.Sprintf("[R=%d,L,NE,QSD]", code)
		e.cond(env("code"), fmt.Sprintf("=%d", code))
		e.to("location", flags)
	}
	if e.Inner {
		flags := "[L,PT,NE,QSD]"
		if e.inFolder {
			flags = "[END,NE,QSD]"
		}
		e.to("inside", flags)
	}
}

func (e *emitter) to(name, flags string) {
	code := e.lines[len(e.lines)-1].text
	e.cond(env(name), `^([^?]*)\?(.+)$`)
	e.add(`RewriteRule "^" "%1?%2" `+flags, true)
	if name == "location" {
		e.add(code, false)
	}
	e.cond(env(name), `^([^?]+)$`)
	e.add(`RewriteRule "^" "%1" `+flags, true)
}

// showsFolders reports whether the slash that httpd adds to a real folder is one that the plan removes.
func (e *emitter) showsFolders() bool {
	return e.Plan.Paths.Slash == address.SlashNever && len(e.Plan.Paths.Index) > 0
}

// folders lets a real folder show its index file at its address without a slash: else httpd adds one, which the plan
// removes, and so on.
func (e *emitter) folders() {
	if !e.showsFolders() {
		return
	}
	before := len(e.lines)
	e.note("a real folder shows its index file without a slash behind its name")
	for _, name := range e.Plan.Paths.Index {
		if len(e.Plan.Scope.Only.List())+len(e.Plan.Scope.Except.List()) > 0 {
			e.cond(env("exempt"), "!^1")
		}
		e.cond("%{REQUEST_URI}", `^[^?%#]*[^/?%#]$`)
		e.cond("%{DOCUMENT_ROOT}%{REQUEST_URI}/"+literal(name), "-f")
		flags := "[L,PT]"
		if e.inFolder {
			flags = "[L]"
		}
		e.add(`RewriteRule "^" "%{REQUEST_URI}/`+literal(name)+`" `+flags, true)
	}
	for i := range e.lines[before:] {
		e.lines[before+i].last = true
	}
}

// example writes a configuration with the piece in its place.
func (e *emitter) example() string {
	origin := e.Plan.Site.Origin.Host
	var b strings.Builder
	b.WriteString("ServerRoot /etc/apache2\nPidFile /run/apache2/young-compass.pid\nListen 80\nServerName " + origin +
		"\n")
	for _, module := range []string{"mpm_event", "authz_core", "rewrite", "headers", "dir", "mime"} {
		fmt.Fprintf(&b, "LoadModule %s_module /usr/lib/apache2/modules/mod_%s.so\n", module, module)
	}
	b.WriteString("TypesConfig /etc/mime.types\nErrorLog /var/log/apache2/error.log\nDirectorySlash " +
		"Off\n<VirtualHost *:80>\n\tServerName " + origin + "\n")
	if others := e.Plan.Site.All()[1:]; len(others) > 0 {
		b.WriteString("\tServerAlias " + strings.Join(others, " ") + "\n")
	}
	b.WriteString("\tDocumentRoot /var/www/html\n\tInclude " + e.folder + "/" + HostFile +
		"\n</VirtualHost>\n# and the same in <VirtualHost *:443> with SSLEngine on\n")
	return b.String()
}
