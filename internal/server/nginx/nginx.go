// Package nginx writes a plan for nginx: maps for the http block, in which all
// the deciding is done when it is needed, and a few lines for each server
// block, which act on it.
//
// nginx matches the decoded path with single slashes ($uri); map keys don't
// distinguish letters. What goes into a Location header comes from the plan,
// from characters that mean the same encoded and decoded, or from the request
// line as it was sent, never from a decoded value.
package nginx

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
	HTTPFile      = "young-compass-http.conf"
	ServerFile    = "young-compass-server.conf"
	AddressesFile = "young-compass-addresses.map"
	SpelledFile   = "young-compass-spelled.map"
	HostsFile     = "young-compass-hosts.map"
	ExampleFile   = "nginx-example.conf"
	HashFile      = "young-compass-hash.conf"
)

// maxToken is the longest text that nginx reads in one piece, with quotes.
const maxToken = 4095

// Emit writes the plan. Findings say what nginx can't be told.
func (n Target) Emit(g *compile.Program, o server.Options) ([]server.File, []finding.Finding) {
	flow, found := server.Decide(g, server.Server{Name: n.Name(), Patterns: true}, o)
	e := &emitter{Flow: flow, folder: o.In("/etc/nginx"), shared: o.Shared, group: server.GroupOf(g), bucket: 64,
		found: found}
	e.tables(o.Head(g, "nginx") + "# Read by " + HTTPFile + ".\n")
	http := e.http()
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	files := []server.File{
		{Name: HTTPFile, Data: server.WithNames(http, e.Plan)},
		{Name: AddressesFile, Data: e.addresses.Bytes()},
		{Name: SpelledFile, Data: e.spelled.Bytes()},
		{Name: ServerFile, Data: server.WithNames(e.server(), e.Plan)},
		{Name: ExampleFile, Data: e.example()},
	}
	if hash := e.hash(); hash != nil && e.shared {
		files = append(files, server.File{Name: HashFile, Data: hash, Once: true})
	}
	if e.hosts.rows > 0 {
		files = append(files, server.File{Name: HostsFile, Data: e.hosts.Bytes()})
	}
	for i, f := range files {
		head := o.Head(g, "nginx")
		switch f.Name {
		case HTTPFile:
			head += fmt.Sprintf("# Include this in the http block:       include %s/%s;\n# and the other piece in "+
				"each server:  include %[1]s/%[3]s;\n# The files that end in .map lie beside it.\n",
				e.folder, HTTPFile, ServerFile)
		case ServerFile:
			head += "# Include this in each server block of the site's hosts, before its locations.\n"
			if len(e.Headers) > 0 {
				head += "# A location with an add_header of its own loses those of this file: repeat them there.\n"
			}
		case ExampleFile:
			head += "# A complete configuration that loads: nginx -c " + e.folder + "/" + ExampleFile + "\n"
		case HashFile:
			head += "# Read by " + HTTPFile + ".\n"
		default:
			continue // a table begins with its head
		}
		files[i].Data = append([]byte(head), f.Data...)
	}
	slices.SortFunc(files, func(a, b server.File) int { return strings.Compare(a.Name, b.Name) })
	return files, e.found
}

type emitter struct {
	*server.Flow
	folder string
	shared bool
	group  func(string) int
	bucket int
	found  []finding.Finding

	addresses, spelled, hosts table // addresses as the site spells them, others, and those of one host
}

// table is a file of rows for maps.
type table struct {
	bytes.Buffer
	rows  int
	where plan.Cause
}

// add writes a row: a key, which is plain text or an expression that begins with
// "~", and its value.
func (t *table) add(key, value string, where plan.Cause) {
	if where.File != t.where.File || where.Line != t.where.Line {
		t.WriteString("# " + where.File + " " + strconv.Itoa(where.Line) + "\n")
		t.where = where
	}
	t.rows++
	t.quoted(key)
	t.WriteByte(' ')
	t.quoted(value)
	t.WriteString(";\n")
}

// quoted writes what quote returns.
func (t *table) quoted(s string) {
	if strings.ContainsAny(s, `\"`) {
		t.WriteString(quote(s))
		return
	}
	t.WriteByte('"')
	t.WriteString(s)
	t.WriteByte('"')
}

// quote writes a text in nginx's double quotes.
func quote(s string) string {
	if strings.ContainsAny(s, `\"`) {
		s = strings.ReplaceAll(strings.ReplaceAll(s, `\`, `\\`), `"`, `\"`)
	}
	return `"` + s + `"`
}

// value writes a text in which no variable is meant.
func value(s string) string { return strings.ReplaceAll(s, "$", "${"+server.Mark+"dollar}") }

// tables writes the tables, each behind its head.
func (e *emitter) tables(head string) {
	size := 0 // of nearly all rows
	for i := range e.Program.Listed {
		x := &e.Program.Listed[i]
		size += len(x.Key) + len(x.Target.Host) + len(x.Target.Path) + len(`# redirects.csv 100000"0:" "m301/308 https://";;`)
	}
	e.addresses.Grow(size)
	for _, t := range []*table{&e.addresses, &e.spelled, &e.hosts} {
		t.WriteString(head)
	}
	folded := map[string]int{} // where letters may make keys alike
	identity := func(path string) string { return path }
	dollar := "${" + server.VariablePrefix(e.Plan) + "dollar}"
	for _, x := range e.Program.Listed {
		if x.Signature != "" || !e.Plan.Paths.Lower {
			folded[strings.ToLower(e.key(&x))]++
		}
	}
	for i := range e.Program.Listed {
		x := &e.Program.Listed[i]
		key, action := e.key(x), e.check(x)+" "+e.Action(*x, identity).String()
		e.hashed(key)
		if len(folded) > 0 && folded[strings.ToLower(key)] > 1 || strings.ContainsFunc(key, address.Hidden) {
			host := ""
			if x.Host != "" {
				host = server.Quote(x.Host) + " "
			}
			key = "~^" + host + strconv.Itoa(e.group(x.Key)) + ":" + server.Letters(e.Plan, server.Quote(x.Key)) +
				server.Quote(x.Signature) + `\z`
		}
		if long(key) || long(action) {
			e.found = append(e.found, server.NotExpressible("nginx", x.Where,
				"an address longer than nginx reads in one piece", "shorten the address"))
			continue
		}
		switch action = strings.ReplaceAll(action, "$", dollar); {
		case x.Host != "":
			e.hosts.add(key, action, x.Where)
		case server.Spelled(e.Program, *x):
			e.addresses.add(key, action, x.Where)
		default:
			e.spelled.add(key, action, x.Where)
		}
	}
}

// long reports whether a text is more than nginx reads in one piece.
func long(s string) bool {
	return len(s) > maxToken/16 && len(quote(value(s))) > maxToken
}

// key is what an entry is looked up by.
func (e *emitter) key(x *compile.Listed) string {
	key := strconv.Itoa(e.group(x.Key)) + ":" + x.Key + x.Signature
	if x.Host != "" {
		return x.Host + " " + key
	}
	return key
}

// check is what must be in the request letter by letter, since nginx doesn't
// look: the parameters, and the path too unless the plan folds it.
func (e *emitter) check(x *compile.Listed) string {
	if e.Plan.Paths.Lower {
		return x.Signature
	}
	return strconv.Itoa(e.group(x.Key)) + ":" + x.Key + x.Signature
}

// conf writes map blocks.
type conf struct{ bytes.Buffer }

// line is a row of a map: key and value as they are to stand there.
func line(key, value string) string { return "\t" + key + " " + value + ";\n" }

func (c *conf) note(text string) { fmt.Fprintf(c, "\n# %s\n", text) }

func (c *conf) mapping(source, variable string, lines ...string) {
	fmt.Fprintf(c, "map %s $§%s {\n%s}\n", source, variable, strings.Join(lines, ""))
}

// otherwise is the default of a map.
func otherwise(v string) string { return line("default", v) }

func expression(s string) string { return quote("~" + s) }

// variable writes a variable of the flow. What nginx changes on its way through
// a request is kept as it was asked.
func variable(name string) string {
	switch name {
	case "scheme_asked":
		return "${scheme}"
	case "forwarded":
		return "${http_x_forwarded_proto}"
	case "host":
		return "${host}"
	case "method":
		return "${request_method}"
	case "undotted":
		name = "raw"
	}
	return "${§" + name + "}"
}

func text(t server.Text) string {
	plain := func(s string) string { return strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(value(s)) }
	return `"` + t.Write(plain, variable, func(n int) string { return fmt.Sprintf("${§c%d}", n) }) + `"`
}

// http writes the maps that decide.
func (e *emitter) http() []byte {
	c := &conf{}
	c.WriteString("geo $§dollar { default \"$\"; }\n")
	c.note("what was asked, kept as it was")
	c.mapping(`""`, "uri", otherwise("$uri"))
	c.mapping("$request_uri", "raw", otherwise(`"/"`), line(expression(`^(?<§c1>/[^?#]*)`), "$§c1"))
	c.mapping("$request_uri", "args", otherwise(`""`), line(expression(`^[^?#]*\?(?<§c1>[^#]*)`), "$§c1"))
	for _, step := range e.Steps {
		switch s := step.(type) {
		case server.Note:
			c.note(string(s))
		case *server.Table:
			e.mapping(c, s)
		case *server.Lookup:
			for stage := range 3 {
				e.lookup(c, stage)
			}
		case *server.Same:
			c.mapping("$§way", "live", otherwise(`""`),
				line(expression(`(?s)^[01] `+server.Reading{Identity: `(?<§c1>.*)\z`}.Stay("")), "$§c1"))
			c.mapping(`"$§uri $§live"`, "exact", otherwise("0"), line(expression(`(?s)^(.*) \1\z`), "1"))
		case *server.Equal:
			c.mapping(`"$§`+s.One+` $§`+s.Other+`"`, s.Name, otherwise("0"), line(expression(`^(\S+) \1\z`), "1"))
		case *server.Keep:
			e.keep(c)
		case *server.Client:
			fmt.Fprintf(c, "geo $§%s {\n\tdefault 0;\n", s.Name)
			for _, n := range s.Networks {
				fmt.Fprintf(c, "\t%s 1;\n", n)
			}
			c.WriteString("}\n")
		}
	}
	if e.Quick != nil {
		e.quick(c)
	}
	if e.Inner {
		c.mapping("$§inside", "inside_path", otherwise(`""`), line(expression(`^(?<§c1>[^?]+)`), "$§c1"))
		c.mapping("$§inside", "inside_args", otherwise(`""`), line(expression(`^[^?]*\?(?<§c1>.*)\z`), "$§c1"))
	}
	e.folders(c)
	if hash := e.hash(); hash != nil && !e.shared {
		return slices.Concat([]byte("# Tables this large must be announced before the first map of the http block; it can be said once.\n"), hash,
			c.Bytes())
	}
	return c.Bytes()
}

// mapping writes a table.
func (e *emitter) mapping(c *conf, t *server.Table) {
	name := t.Name
	if e.Quick != nil && (t.Role == server.SpelledPath || t.Role == server.SpelledItems) {
		name += "_worked"
		rows := []string{otherwise("$§" + name), line(plainRequest, "$§uri"), line(askedRequest, "$§uri"),
			line(assetRequest, "$§uri")}
		if t.Role == server.SpelledItems {
			rows = []string{otherwise("$§" + name), line(plainRequest, `""`), line(askedRequest, `""`)}
		}
		c.mapping("$§plain", t.Name, rows...)
	}
	lines := []string{otherwise(text(t.Else))}
	where := plan.Cause{}
	for _, r := range t.Rows {
		if r.Where.Line > 0 && (r.Where.File != where.File || r.Where.Line != where.Line) {
			where = r.Where
			lines = append(lines, fmt.Sprintf("\t# %s %d\n", where.File, where.Line))
		}
		e.fits(r)
		sign := "~"
		if t.Fold {
			sign = "~*"
		}
		switch {
		case r.Expression == "" && (t.Fold || !strings.HasPrefix(r.Exact, "/")) && !strings.Contains(r.Exact, server.Mark):
			e.hashed(r.Exact)
			lines = append(lines, line(quote(r.Exact), text(r.Value)))
		case r.Expression == "":
			lines = append(lines, line(quote(sign+"^"+server.Quote(r.Exact)+`\z`), text(r.Value)))
		default:
			lines = append(lines, line(quote(sign+named(r.Expression)), text(r.Value)))
		}
	}
	source := text(t.Source)
	if len(t.Rows) == 0 {
		source = `""` // nginx works the source out first
	}
	c.mapping(source, name, lines...)
}

// fits holds a row to what nginx reads in one piece.
func (e *emitter) fits(r server.Case) {
	key := r.Expression
	if key == "" {
		key = "^" + server.Quote(r.Exact) + `\z`
	}
	if len(quote("~*"+named(key))) > maxToken || len(text(r.Value)) > maxToken {
		where := r.Where
		if where.File == "" {
			where.File = e.Plan.File
		}
		e.found = append(e.found, server.NotExpressible("nginx", where, "a text longer than nginx reads in one piece",
			"write it shorter, or part it"))
	}
}

// named gives the groups of an expression the names §c1, §c2 and so on:
// nginx keeps numbered ones only until the next expression.
func named(expression string) string {
	var b strings.Builder
	class, n := false, 0
	for i := 0; i < len(expression); i++ {
		c := expression[i]
		b.WriteByte(c)
		switch {
		case c == '\\':
			i++
			b.WriteByte(expression[i])
		case class:
			class = c != ']'
		case c == '[':
			class = true
		case c == '(' && expression[i+1] != '?':
			n++
			fmt.Fprintf(&b, "?<§c%d>", n)
		}
	}
	return b.String()
}

// lookup writes the maps that find what a path and its parameters mean.
func (e *emitter) lookup(c *conf, stage int) {
	n := fmt.Sprint(stage)
	key := "$§g" + n + ":$§p" + n + "$§s" + n
	check := "$§s" + n
	if !e.Plan.Paths.Lower {
		check = key
	}
	file := AddressesFile
	if stage == 0 {
		file = SpelledFile
	}
	c.mapping(`"`+key+`"`, "t"+n, otherwise(`""`), "\tinclude "+quote(e.folder+"/"+file)+";\n")
	checked := expression(`(?s)^(.*?) \1 (?<§c1>` + server.AnyAction() + `)\z`)
	nothing := line(`" "`, `""`) // found without the expression
	c.mapping(`"`+check+" $§t"+n+`"`, "e"+n, otherwise(`""`), nothing, line(checked, "$§c1"))
	var matchers []string
	for _, m := range e.Matchers {
		e.fits(server.Case{Expression: "^" + m.Expression + `\z`, Value: m.Value, Where: m.Where})
		matchers = append(matchers, fmt.Sprintf("\t# %s %d\n", m.Where.File, m.Where.Line),
			line(expression("^"+named(m.Expression)+`\z`), text(m.Value)))
	}
	everywhere := "$§e" + n
	if len(matchers) > 0 {
		everywhere = "$§w" + n
		c.mapping(`"$§x`+n+key+`"`, "m"+n, append(matchers, otherwise(`""`))...)
		c.mapping("$§e"+n, "w"+n, otherwise("$§e"+n), line(`""`, "$§m"+n))
	}
	ofHost := `""`
	if e.hosts.rows > 0 {
		ofHost = "$§h" + n
		c.mapping(`"$§host`+n+` `+key+`"`, "th"+n, otherwise(`""`), "\tinclude "+quote(e.folder+"/"+HostsFile)+";\n")
		c.mapping(`"`+check+" $§th"+n+`"`, "h"+n, otherwise(`""`), line(checked, "$§c1"))
		c.mapping(ofHost, "o"+n, otherwise(ofHost), line(`""`, everywhere))
		everywhere = "$§o" + n
	}
	c.mapping("$§site", "d"+n, otherwise(everywhere), line("l", ofHost), line(`"-"`, `""`))
}

// keep writes the maps that leave parameters out.
func (e *emitter) keep(c *conf) {
	sets := []string{otherwise("$§kept0"), line("drop", `""`), line("all", "$§kept_all")}
	one := func(variable string, names []string) {
		var all strings.Builder
		kept := server.KeptRuns(names, func(n int, s string) string {
			fmt.Fprintf(&all, "$§a%d", n)
			return fmt.Sprintf("(?<§a%d>%s)", n, s)
		})
		if len(expression(kept)) > maxToken {
			e.found = append(e.found, server.NotExpressible("nginx", plan.Cause{File: e.Plan.File},
				fmt.Sprintf("%d names of parameters that don't travel together, more than nginx reads in one piece",
					len(names)),
				"write names that begin alike as one, with * at the end"))
		}
		c.mapping("$§args", variable+"_runs", otherwise("$§args"), line(expression(kept), `"`+all.String()+`"`))
		c.mapping("$§"+variable+"_runs", variable, otherwise("$§"+variable+"_runs"),
			line(expression(`^(?<§c1>.*[^&])&+\z`), "$§c1"), line(expression(`^&+\z`), `""`))
	}
	one("kept_all", nil)
	for i, names := range e.Sets {
		one(fmt.Sprint("kept", i), names)
		if i > 0 {
			sets = append(sets, line(fmt.Sprint(i), fmt.Sprint("$§kept", i)))
		}
	}
	c.mapping("$§set", "kept", sets...)
}

// server writes the lines that act.
func (e *emitter) server() []byte {
	var b bytes.Buffer
	code, inside := "$§code", ""
	if e.Quick != nil {
		code = "$§final"
	}
	if e.Inner {
		inside = " set $§go $§inside;"
	}
	b.WriteString("set $§asked $§uri; # before nginx changes it\nset $§do \"\";\n")
	if e.Inner {
		b.WriteString("set $§go \"\";\n")
	}
	b.WriteString("# on the way to a page of its own, inside the server, nothing is decided again\n" +
		"if ($uri = $§asked) { set $§do " + code + ";" + inside + " }\n")
	for _, h := range e.Headers {
		fmt.Fprintf(&b, "add_header %s $§%s always;\n", h.Name, h.Variable)
	}
	e.returns(&b, "")
	if e.Inner {
		b.WriteString("if ($§go) { rewrite ^ $§inside_path?$§inside_args? last; }\n")
	}
	e.shown(&b)
	return b.Bytes()
}

// returns writes lines that answer with the status that was found.
func (e *emitter) returns(b *bytes.Buffer, indent string) {
	for _, code := range []int{404, 410, 503} {
		if code != 503 || e.Plan.Upkeep != nil {
			fmt.Fprintf(b, "%sif ($§do = %d) { return %[2]d; }\n", indent, code)
		}
	}
	location := "$§location"
	if e.Quick != nil {
		location = "$§where"
	}
	for _, code := range e.Codes {
		fmt.Fprintf(b, "%sif ($§do = %d) { return %[2]d %s; }\n", indent, code, location)
	}
}

// example writes a configuration with both pieces in their place.
func (e *emitter) example() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "events {}\nhttp {\n\tinclude %s;\n\tserver {\n\t\tlisten 80;\n\t\t# listen 443 ssl; with "+
		"ssl_certificate and ssl_certificate_key\n\t\tserver_name %s;\n\t\troot /var/www/html;\n\t\tinclude "+
		"%s;\n\t\tlocation / { try_files $uri $uri.html $uri/index.html =404; }\n\t}\n}\n",
		HTTPFile, strings.Join(e.Plan.Site.All(), " "), ServerFile)
	return b.Bytes()
}
