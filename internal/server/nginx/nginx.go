// Package nginx writes a plan for nginx: maps for the http block, in which all
// the deciding is done, and a few lines for each server block, which act on it.
//
// nginx matches the decoded path with single slashes ($uri); map keys don't
// distinguish letters. What goes into a Location header comes from the plan,
// from characters that mean the same encoded and decoded, or from the request
// line as it was sent, never from a decoded value.
package nginx

import (
	"bytes"
	"fmt"
	"math/bits"
	"slices"
	"strings"

	"young-compass/internal/address"
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
)

// maxToken is the longest text that nginx reads in one piece, with quotes.
const maxToken = 4095

// Emit writes the plan. Findings say what nginx can't be told.
func Emit(g *plan.Program) ([]server.File, []finding.Finding) {
	e := &emitter{Program: g, group: server.GroupOf(g), sets: server.NewSets(g.Plan), bucket: 64}
	e.tables()
	e.patterns()
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	files := []server.File{
		{Name: AddressesFile, Data: e.table(func(x plan.Entry) bool { return x.Host == "" && server.Spelled(g, x) })},
		{Name: SpelledFile, Data: e.table(func(x plan.Entry) bool { return x.Host == "" && !server.Spelled(g, x) })},
		{Name: ServerFile, Data: e.server()},
		{Name: ExampleFile, Data: e.example()},
	}
	files = append(files, server.File{Name: HTTPFile, Data: e.http()})
	if e.has(ofOneHost) {
		files = append(files, server.File{Name: HostsFile, Data: e.table(ofOneHost)})
	}
	for i, f := range files {
		head := fmt.Sprintf("# Written by young-compass from %s for nginx.\n", g.File)
		switch f.Name {
		case HTTPFile:
			head += fmt.Sprintf("# Include this in the http block:       include /etc/nginx/%s;\n# and the other piece in each server:  include /etc/nginx/%s;\n# The files that end in .map lie beside it.\n# An http block can set map_hash_bucket_size and map_hash_max_size once: keep the larger ones.\n",
				HTTPFile, ServerFile)
		case ServerFile:
			head += "# Include this in each server block of the site's hosts, before its locations.\n"
		case ExampleFile:
			head += "# A complete configuration that loads: nginx -c /etc/nginx/" + ExampleFile + "\n"
		default:
			head += "# Read by " + HTTPFile + ".\n"
		}
		files[i].Data = append([]byte(head), f.Data...)
	}
	slices.SortFunc(files, func(a, b server.File) int { return strings.Compare(a.Name, b.Name) })
	return files, e.found
}

type emitter struct {
	*plan.Program
	group    func(string) int
	sets     *server.Sets
	rows     []row
	matchers []matcher
	codes    server.Codes
	bucket   int
	found    []finding.Finding
}

// row is a line of a lookup table.
type row struct {
	entry      plan.Entry
	key, value string // key: plain text, or an expression when it begins with "~"
	length     int
}

// matcher is an expression over "group:path signature" with what it leads to.
type matcher struct {
	expression, value string
	where             plan.Cause
}

// quote writes a text in nginx's double quotes.
func quote(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

// value writes a text in which no variable is meant.
func value(s string) string { return strings.ReplaceAll(s, "$", "${yc_dollar}") }

func (e *emitter) tables() {
	folded := map[string]int{}
	for _, x := range e.Entries {
		folded[strings.ToLower(e.key(x))]++
	}
	for _, x := range e.Entries {
		r := row{entry: x, key: e.key(x), value: e.check(x) + " " + e.action(x)}
		r.length = len(r.key)
		if folded[strings.ToLower(r.key)] > 1 {
			host := ""
			if x.Host != "" {
				host = server.Quote(x.Host) + " "
			}
			r.key = "~^" + host + fmt.Sprint(e.group(x.Key)) + ":" + server.Letters(e.Plan, server.Quote(x.Key)) + server.Quote(x.Signature) + `\z`
		}
		if len(quote(r.key)) > maxToken || len(quote(value(r.value))) > maxToken {
			e.found = append(e.found, server.NotExpressible("nginx", x.Where, "an address longer than nginx reads in one piece", "shorten the address"))
			continue
		}
		e.rows = append(e.rows, r)
	}
	for _, r := range e.rows {
		if need := 1 << bits.Len(uint(r.length+18-1)); need > e.bucket {
			e.bucket = need
		}
	}
}

// key is what an entry is looked up by.
func (e *emitter) key(x plan.Entry) string {
	key := fmt.Sprintf("%d:%s%s", e.group(x.Key), x.Key, x.Signature)
	if x.Host != "" {
		return x.Host + " " + key
	}
	return key
}

// check is what must be in the request letter by letter, since nginx doesn't
// look: the parameters, and the path too unless the plan folds it.
func (e *emitter) check(x plan.Entry) string {
	if e.Paths.Lower {
		return x.Signature
	}
	return fmt.Sprintf("%d:%s%s", e.group(x.Key), x.Key, x.Signature)
}

// action writes what an entry does, in the form that the maps take apart.
func (e *emitter) action(x plan.Entry) string {
	switch x.Kind {
	case plan.EntryGone:
		return "410"
	case plan.EntryHold, plan.EntryLive:
		t := x.Target
		t.Query = ""
		return string(x.Kind) + " 0 " + t.String() + " " + address.Decode(t.Path)
	}
	return e.move(x.Status, x.Strip, x.Drop, x.Target.String())
}

// move writes a redirect and remembers its statuses.
func (e *emitter) move(s plan.Statuses, strip []string, drop bool, to string) string {
	e.codes.Add(s)
	return fmt.Sprintf("m%d/%d %s %s", s.Get, s.Other, e.sets.Number(strip, drop), to)
}

func (e *emitter) table(which func(plan.Entry) bool) []byte {
	var b bytes.Buffer
	where := plan.Cause{}
	for _, r := range e.rows {
		if !which(r.entry) {
			continue
		}
		if w := r.entry.Where; w.File != where.File || w.Line != where.Line {
			fmt.Fprintf(&b, "# %s %d\n", w.File, w.Line)
			where = w
		}
		fmt.Fprintf(&b, "%s %s;\n", quote(r.key), quote(value(r.value)))
	}
	return b.Bytes()
}

// ofOneHost tells the entries that only one host has.
func ofOneHost(x plan.Entry) bool { return x.Host != "" }

func (e *emitter) has(which func(plan.Entry) bool) bool {
	return slices.ContainsFunc(e.rows, func(r row) bool { return which(r.entry) })
}

func (e *emitter) patterns() {
	for _, q := range e.Patterns {
		variants, err := server.Variants(q)
		if err != nil {
			e.found = append(e.found, server.NotExpressible("nginx", q.Where, err.Error(), "narrow the pattern"))
			continue
		}
		for _, v := range variants {
			match, numbers := v.Expressions(e.Plan, func(n int, expression string) string {
				return fmt.Sprintf("(?<yc_v%d>%s)", n, expression)
			})
			to := v.Text(e.Site.Origin.Base(), numbers, value, func(n int) string { return fmt.Sprintf("${yc_v%d}", n) })
			e.matchers = append(e.matchers, matcher{expression: `~^[0-9]+:` + match + `\z`, value: e.move(q.Status, q.Strip, q.Drop, to), where: q.Where})
		}
	}
}

// conf writes map blocks.
type conf struct{ bytes.Buffer }

// line is a row of a map: key as written by quote or an expression, and value.
func line(key, value string) string { return "\t" + key + " " + value + ";\n" }

func (c *conf) note(text string) { fmt.Fprintf(c, "\n# %s\n", text) }

func (c *conf) mapping(source, variable string, lines ...string) {
	fmt.Fprintf(c, "map %s $%s {\n%s}\n", source, variable, strings.Join(lines, ""))
}

// otherwise is the default of a map.
func otherwise(v string) string { return line("default", v) }

func expression(s string) string { return quote("~" + s) }
func folded(s string) string     { return quote("~*" + s) }

// pathExpression is an expression on a path, with or without regard to letters.
func (e *emitter) pathExpression(s string) string {
	if e.Paths.Lower {
		return folded(s)
	}
	return expression(s)
}

func named(name string) func(string) string {
	return func(s string) string { return "(?<" + name + ">" + s + ")" }
}

// http writes the maps that decide.
func (e *emitter) http() []byte {
	c := &conf{}
	fmt.Fprintf(c, "map_hash_bucket_size %d;\nmap_hash_max_size %d;\n", e.bucket, max(2048, 2*len(e.rows)))
	c.WriteString("geo $yc_dollar { default \"$\"; }\n")
	e.request(c)
	for stage := 0; stage <= 2; stage++ {
		e.lookup(c, stage)
	}
	e.decide(c)
	e.answer(c)
	return c.Bytes()
}

// request reads what was asked: host, raw path, and the path as the site's own
// rules make it, step by step (0 as asked, 1 spelled, 2 shaped).
func (e *emitter) request(c *conf) {
	c.note("the hosts of the site, and the one that everything ends on")
	lines := []string{otherwise(`""`)}
	for _, host := range append([]string{e.Site.Origin.Host}, e.Site.Hosts...) {
		lines = append(lines, line(quote(host), "1"))
	}
	c.mapping("$host", "yc_host", lines...)
	c.mapping(`"$scheme://$host"`, "yc_home", otherwise("0"), line(quote(e.Site.Origin.Base()), "1"))
	c.mapping("$host", "yc_host0", otherwise("$host"))
	c.mapping("$yc_p1_changed", "yc_host1", otherwise("$host"), line("1", e.Site.Origin.Host))
	c.note("the path as it was sent; what no rule may touch; doubled slashes")
	c.mapping("$request_uri", "yc_raw", otherwise(`""`), line(expression(`^(?<yc_r>/[^?]*)`), "$yc_r"))
	c.mapping("$yc_raw", "yc_refused", otherwise("0"), line(folded(`%(?:2f|5c|7f|[01][0-9a-f])|\\`), "1"))
	c.mapping("$yc_raw", "yc_doubled", otherwise("0"), line(expression(`//`), "1"))
	c.mapping("$uri", "yc_safe", otherwise("0"), line(expression(`^[A-Za-z0-9._~/-]*\z`), "1"))

	c.note("the site's own rules on the decoded path, and on the path as sent")
	for _, form := range []struct{ source, slashes, out string }{{"$uri", "/", "yc_p"}, {"$yc_raw", "/+", "yc_r"}} {
		whole, rest, changes := server.SpellingExpressions(e.Plan, form.slashes, named("yc_a"))
		c.mapping(form.source, form.out+"1", otherwise(form.source), line(e.pathExpression(whole), `"/"`), line(e.pathExpression(rest), "$yc_a"))
		c.mapping(form.source, form.out+"1_changed", otherwise("0"), line(quote("/"), "0"), line(e.pathExpression(changes), "1"))
		spelled := "$" + form.out + "1"
		whole, rest, changes = server.ShapeExpressions(e.Plan, named("yc_a"))
		if whole == "" {
			c.mapping(form.source, form.out+"2", otherwise(spelled))
			c.mapping(form.source, form.out+"2_changed", otherwise("0"))
			continue
		}
		c.mapping(spelled, form.out+"2", otherwise(spelled), line(e.pathExpression(whole), `"/"`), line(e.pathExpression(rest), "$yc_a"))
		c.mapping(spelled, form.out+"2_changed", otherwise("0"), line(e.pathExpression(changes), "1"))
	}
	c.mapping("$uri", "yc_p0", otherwise("$uri"))

	c.note("files that are served as they are")
	for _, stage := range []string{"0", "1"} {
		c.mapping("$yc_p"+stage, "yc_file"+stage, otherwise("0"), line(folded(server.FileExpression(e.Plan)), "1"))
	}

	c.note("parameters that give a path a meaning: the first of each name, as sent")
	for _, name := range e.parameterNames() {
		c.mapping("$args", e.parameter(name), otherwise(`""`),
			line(expression(`(?:^|&)(?<yc_a>`+server.Quote(name)+`(?:=[^&]*)?)(?:&|\z)`), `"&$yc_a"`))
	}
}

func (e *emitter) parameterNames() []string {
	var names []string
	for _, g := range e.Groups {
		names = append(names, g.Names...)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

func (e *emitter) parameter(name string) string {
	return fmt.Sprintf("yc_q%d", slices.Index(e.parameterNames(), name)+1)
}

// lookup writes the maps that find what a path and its parameters mean.
func (e *emitter) lookup(c *conf, stage int) {
	n := fmt.Sprint(stage)
	c.note([]string{"looking up the path as asked", "looking up the path as the site spells it", "looking up the path without extension and index file"}[stage])
	groups, signatures := []string{otherwise("0")}, []string{otherwise(`""`)}
	for i, g := range e.Groups {
		for _, path := range g.Paths {
			if e.Paths.Lower {
				groups = append(groups, line(quote(path), fmt.Sprint(i+1)))
			} else {
				groups = append(groups, line(expression("^"+server.Quote(path)+`\z`), fmt.Sprint(i+1)))
			}
		}
		var all strings.Builder
		for _, name := range g.Names {
			all.WriteString("$" + e.parameter(name))
		}
		signatures = append(signatures, line(fmt.Sprint(i+1), `"`+all.String()+`"`))
	}
	c.mapping("$yc_p"+n, "yc_g"+n, groups...)
	c.mapping("$yc_g"+n, "yc_s"+n, signatures...)
	key := "$yc_g" + n + ":$yc_p" + n + "$yc_s" + n
	check := "$yc_s" + n
	if !e.Paths.Lower {
		check = key
	}
	file := AddressesFile
	if stage == 0 {
		file = SpelledFile
	}
	c.mapping(`"`+key+`"`, "yc_t"+n, otherwise(`""`), "\tinclude "+file+";\n")
	checked := expression(`(?s)^(.*?) \1 (?<yc_a>(?:m[0-9]|live |hold |410).*)\z`)
	c.mapping(`"`+check+" $yc_t"+n+`"`, "yc_e"+n, otherwise(`""`), line(checked, "$yc_a"))
	entry := "$yc_e" + n
	if stage < 2 && e.has(ofOneHost) {
		c.mapping(`"$yc_host`+n+` `+key+`"`, "yc_th"+n, otherwise(`""`), "\tinclude "+HostsFile+";\n")
		c.mapping(`"`+check+" $yc_th"+n+`"`, "yc_h"+n, otherwise(entry), line(checked, "$yc_a"))
		entry = "$yc_h" + n
	}
	matchers := []string{otherwise(`""`)}
	for _, m := range e.matchers {
		matchers = append(matchers, fmt.Sprintf("\t# %s %d\n", m.where.File, m.where.Line), line(quote(m.expression), `"`+m.value+`"`))
	}
	c.mapping(`"`+key+`"`, "yc_m"+n, matchers...)
	c.mapping(entry, "yc_d"+n, otherwise(entry), line(`""`, "$yc_m"+n))
}

// decide writes the maps that choose between the stages. Their result begins
// with 0 or 1: whether one of the site's own rules came before.
func (e *emitter) decide(c *conf) {
	c.note("which of them decides: first as asked, then files, then as spelled, then as shaped")
	c.mapping(`"$yc_s1:$yc_d1"`, "yc_held", otherwise("0"), line(expression(`^.+:\z`), "1"))
	c.mapping("$yc_d2", "yc_w5", otherwise(`"1 $yc_d2"`), line(`""`, `"1 site2"`))
	c.mapping(`"$yc_held$yc_file1$yc_p2_changed"`, "yc_w4", otherwise(`"0 site1"`), line(`"001"`, "$yc_w5"), line(expression("^1"), `"0 held"`))
	c.mapping("$yc_d1", "yc_w3", otherwise(`"1 $yc_d1"`), line(`""`, "$yc_w4"))
	c.mapping("$yc_p1_changed", "yc_w2", otherwise("$yc_w4"), line("1", "$yc_w3"))
	c.mapping("$yc_file0", "yc_w1", otherwise("$yc_w2"), line("1", `"0 file"`))
	c.mapping("$yc_p1_changed", "yc_first", otherwise("$yc_d1"), line("1", "$yc_d0"))
	c.mapping("$yc_first", "yc_way", otherwise(`"0 $yc_first"`), line(`""`, "$yc_w1"))
}

// answer writes the maps that turn the decision into status and Location.
func (e *emitter) answer(c *conf) {
	noise := server.Noise(e.Plan)
	c.note("is there anything about the request that the site's own rules change?")
	if len(noise) > 0 {
		c.mapping("$args", "yc_noisy", otherwise("0"), line(expression(`(?:^|&)`+server.Names(noise)+`(?:[=&]|\z)`), "1"))
	} else {
		c.mapping("$args", "yc_noisy", otherwise("0"))
	}
	c.mapping("$yc_way", "yc_live", otherwise(`""`), line(expression(`(?s)^[01] (?:live|hold) \S+ \S+ (?<yc_a>.*)\z`), "$yc_a"))
	c.mapping(`"$uri $yc_live"`, "yc_exact", otherwise("0"), line(expression(`(?s)^(.*) \1\z`), "1"))
	c.mapping(`"$yc_way:$yc_exact$yc_doubled"`, "yc_other_path", otherwise("0"),
		line(expression(`(?s)^1 (?:live|hold) `), "1"), line(expression(`(?s)^0 (?:live|hold) .*:0.\z`), "1"), line(expression(`(?s)^0 (?:live|hold) .*:.1\z`), "1"),
		line(expression(`^. (?:site1|held):`), "$yc_spell_changed"), line(expression(`^. site2:`), "$yc_shape_changed"))
	c.mapping(`"$yc_safe$yc_p1_changed$yc_doubled$yc_r1_changed"`, "yc_spell_changed", otherwise("0"),
		line(expression("^11"), "1"), line(expression("^1.1"), "1"), line(expression("^0..1"), "1"))
	c.mapping(`"$yc_safe$yc_r1_changed$yc_r2_changed"`, "yc_shape_changed", otherwise("0"),
		line(expression("^1"), "1"), line(expression("^0.*1"), "1"))
	c.mapping(`"$yc_home$yc_noisy$yc_other_path"`, "yc_page_needs", otherwise("1"), line(`"100"`, "0"))

	c.note("status")
	c.mapping("$request_method", "yc_permanent", otherwise("308"), line("GET", "301"), line("HEAD", "301"))
	c.mapping(`"$request_method $yc_way"`, "yc_decided", otherwise("$yc_generic"),
		line(expression(`^(?:GET|HEAD) . m(?<yc_a>[0-9]+)/`), "$yc_a"),
		line(expression(`^\S+ 1 m[0-9]+/301 `), "308"),
		line(expression(`^\S+ . m[0-9]+/(?<yc_a>[0-9]+) `), "$yc_a"),
		line(expression(` 410\z`), "410"))
	c.mapping(`"$yc_way:$yc_page_needs$yc_home"`, "yc_generic", otherwise(`""`),
		line(expression(`^. file:.0`), "$yc_permanent"), line(expression(`^. file:`), `""`),
		line(expression(`(?s):1.\z`), "$yc_permanent"), line(expression(`^. (?:held:|hold )`), "404"))
	c.mapping(`"$yc_host:$yc_refused"`, "yc_code", otherwise("$yc_decided"), line(expression("^:"), `""`), line(expression(":1"), "404"))

	c.note("Location")
	c.mapping(`"$yc_way:$yc_safe$yc_doubled"`, "yc_path", otherwise("$yc_p1"),
		line(expression(`^. file:10`), "$uri"), line(expression(`^. file:`), "$yc_raw"),
		line(expression(`^. site2:1`), "$yc_p2"), line(expression(`^. site2:0`), "$yc_r2"), line(expression(`^. (?:site1|held):0`), "$yc_r1"))
	c.mapping("$yc_way", "yc_to", otherwise(`"`+e.Site.Origin.Base()+`$yc_path"`),
		line(expression(`^. m\S+ \S+ (?<yc_a>[^#]*)`), "$yc_a"), line(expression(`^. (?:live|hold) \S+ (?<yc_a>\S+) `), "$yc_a"))
	c.mapping("$yc_way", "yc_fragment", otherwise(`""`), line(expression(`^. m\S+ \S+ [^#]*(?<yc_a>#.*)\z`), "$yc_a"))

	c.note("the parameters that travel")
	sets := []string{otherwise("$yc_k0"), line(expression(`^. m\S+ drop `), `""`), line(expression(`^. file`), "$yc_k_all")}
	for i := range e.sets.All()[1:] {
		sets = append(sets, line(expression(fmt.Sprintf(`^. m\S+ %d `, i+1)), fmt.Sprintf("$yc_k%d", i+1)))
	}
	c.mapping("$yc_way", "yc_kept", sets...)
	e.kept(c, "yc_k_all", nil)
	for i, names := range e.sets.All() {
		e.kept(c, fmt.Sprintf("yc_k%d", i), names)
	}
	c.mapping(`"$yc_kept $yc_to"`, "yc_joint", otherwise(`""`), line(expression(`^\S+ \S*\?`), `"&"`), line(expression(`^\S`), `"?"`))
}

// kept writes the maps that leave parameters out.
func (e *emitter) kept(c *conf, variable string, names []string) {
	var all strings.Builder
	kept := server.KeptRuns(names, func(n int, s string) string {
		fmt.Fprintf(&all, "$yc_a%d", n)
		return fmt.Sprintf("(?<yc_a%d>%s)", n, s)
	})
	c.mapping("$args", variable+"_runs", otherwise("$args"), line(expression(kept), `"`+all.String()+`"`))
	c.mapping("$"+variable+"_runs", variable, otherwise("$"+variable+"_runs"), line(expression(`^(?<yc_a>.*[^&])&+\z`), "$yc_a"), line(expression(`^&+\z`), `""`))
}

// server writes the lines that act.
func (e *emitter) server() []byte {
	var b bytes.Buffer
	b.WriteString("if ($yc_code = 404) { return 404; }\nif ($yc_code = 410) { return 410; }\n")
	for _, code := range e.codes.All() {
		fmt.Fprintf(&b, "if ($yc_code = %d) { return %d $yc_to$yc_joint$yc_kept$yc_fragment; }\n", code, code)
	}
	return b.Bytes()
}

// example writes a configuration with both pieces in their place.
func (e *emitter) example() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "events {}\nhttp {\n\tinclude %s;\n\tserver {\n\t\tlisten 80;\n\t\t# listen 443 ssl; with ssl_certificate and ssl_certificate_key\n\t\tserver_name %s;\n\t\troot /var/www/html;\n\t\tinclude %s;\n\t\tlocation / { try_files $uri $uri.html $uri/index.html =404; }\n\t}\n}\n",
		HTTPFile, strings.Join(append([]string{e.Site.Origin.Host}, e.Site.Hosts...), " "), ServerFile)
	return b.Bytes()
}
