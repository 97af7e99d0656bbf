package httpd

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/server"
)

// converted reports whether the table of addresses is read as a database: httpd
// reads a text from its beginning for each address it hasn't met.
func (e *emitter) converted() bool { return len(e.Program.Listed) > textEntries }

type emitter struct {
	*server.Flow
	target   string
	folder   string
	inFolder bool // for the per-folder file
	inner    bool // for the one apart, which some requests meet
	group    func(string) int
	lines    []line
	pairs    bytes.Buffer // the table of addresses
	found    []finding.Finding
}

// mapped reports whether the addresses stand in a table of their own.
func (e *emitter) mapped() bool { return !e.inFolder && len(e.Program.Listed) > inlineEntries }

// lookup finds what the path means in each of its forms. In the file itself
// the forms to look up stand in one text, "//o0group:path signature;//o1...;//",
// so that each known address is one condition; a doubled slash is in no merged
// path, and a parameter that holds one is given a value that nothing matches.
func (e *emitter) lookup() {
	signature := "s"
	if len(e.Program.Groups) > 0 {
		signature = "single"
		for n := range 3 {
			e.set(fmt.Sprint(signature, n), env(fmt.Sprint("s", n)))
			e.cond(env(fmt.Sprint("s", n)), `//`)
			e.set(fmt.Sprint(signature, n), "&?")
		}
	}
	key := func(n string) string { return env("x"+n) + env("g"+n) + ":" + env("p"+n) + env(signature+n) + ";//" }
	mark := env("site")
	e.set("keys", "//"+mark+"1"+key("1"))
	e.cond(env("p1c"), "1")
	e.set("keys", "//"+mark+"0"+key("0")+mark+"1"+key("1"))
	e.cond(env("p2c"), "1")
	e.set("keys", env("keys")+mark+"2"+key("2"))
	e.patterns()
	if e.mapped() {
		for n := range 3 {
			e.find(fmt.Sprint(n))
		}
	}
	e.entries()
	if len(e.Matchers) > 0 {
		for _, n := range []string{"0", "1", "2"} {
			e.cond(env("d"+n), `^$`)
			e.set("d"+n, env("m"+n))
		}
	}
}

// between parts what an action says in the table, instead of a space. No address holds it, but perhaps a fragment.
const between = "<"

// pair writes an entry into the table of addresses, unless it is too long.
func (e *emitter) pair(x compile.Listed) bool {
	key, value, ok := e.pairOf(x)
	if ok {
		fmt.Fprintf(&e.pairs, "%s %s\n", key, value)
	}
	return ok
}

// pairOf returns an entry as it stands in the table of addresses, and whether it can.
func (e *emitter) pairOf(x compile.Listed) (key, value string, ok bool) {
	key = e.key(x)
	action := e.Action(x, escape).String()
	value = strings.ReplaceAll(action, " ", between)
	return key, value, len(key)+len(value) <= maxPair && !strings.Contains(action, between)
}

// key is what an entry is looked up by: its host, the forms it is looked up in,
// group, path and signature.
func (e *emitter) key(x compile.Listed) string {
	form := "s"
	if !server.Spelled(e.Program, x) {
		form = "a"
	}
	return fmt.Sprintf("%s/%s%d:%s%s", x.Host, form, e.group(x.Key), escape(x.Key), x.Signature)
}

// escape encodes a decoded text as httpd's int:escape does.
func escape(s string) string {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if c := s[i]; address.Unreserved(c) || strings.IndexByte("/!$&'()*+,;=:@", c) >= 0 {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02x", c)
		}
	}
	return b.String()
}

// find looks a form of the path up in the table of addresses.
func (e *emitter) find(n string) {
	form := map[string]string{"0": "a", "1": "s", "2": "s"}[n]
	path := env("p" + n)
	if e.Plan.Paths.Lower {
		path = "${yc_small:" + path + "}"
	}
	key := "/" + form + env("g"+n) + ":${yc_escape:" + path + "}" + env("s"+n)
	ask := func(host string) {
		e.cond("${yc_addresses:"+host+key+"}", `^(.+)$`)
		e.set("found", "%1")
	}
	e.set("found", "")
	e.cond(env("site"), "o")
	ask("")
	if e.HasHosts() {
		ask("${yc_small:" + env("host"+n) + "}")
	}
	gone := string(server.Gone)
	e.cond(env("found"), `^`+gone+`$`)
	e.set("d"+n, gone)
	move := server.Reading{Get: "([0-9]+)", Other: "([0-9]+)", Set: "([^<]*)", To: "(.*)$", Between: between}
	e.cond(env("found"), `^`+move.Move(server.Move))
	e.set("d"+n, server.Action{Kind: server.Move, Set: "%3", To: "%4"}.With("%1", "%2"))
	stay := server.Reading{Set: "([^<]*)", To: "([^<]*)", Identity: "(.*)$", Between: between}
	e.cond(env("found"), `^(`+server.StayKinds+`)`+strings.TrimPrefix(stay.Stay(""), server.StayKinds))
	e.set("d"+n, server.Action{Kind: "%1", Set: "%2", To: "%3", Identity: "%4"}.Staying())
}

// same compares the path with that of the entry found in the table.
func (e *emitter) same() {
	if e.mapped() {
		e.cond("${yc_escape:%{REQUEST_URI}} "+env("way"), `^(\S+) . `+server.Reading{Identity: `\1$`}.Stay(""))
		e.set("exact", "1")
	}
}

// longPaths is how many entries that are too long for the table may be told apart on the short way.
const longPaths = 20

// long returns the paths of the entries that aren't in the table: on the short way they would be overlooked.
func (e *emitter) long() (paths []string) {
	for _, x := range e.Program.Listed {
		size := len(x.Host) + len(x.Key) + len(x.Target.Path) + len(x.Target.Query) + len(x.Target.Fragment)
		if 3*size < maxPair-len(x.Target.Host)-100 && !strings.Contains(x.Target.Fragment, between) {
			continue
		}
		if _, _, ok := e.pairOf(x); !ok && len(paths) <= longPaths {
			paths = append(paths, x.Key)
		}
	}
	return paths
}

// quick spares requests for plain addresses all rules but the look-up: what an
// entry says is answered, and what has none is left to the site.
func (e *emitter) quick() {
	long := e.long()
	if len(long) > longPaths {
		return
	}
	e.note("plain addresses: what an entry says, and nothing else")
	here := func(path string) {
		e.cond("%{REQUEST_SCHEME}", "="+e.Plan.Site.Origin.Scheme)
		e.cond("%{HTTP_HOST}", `^`+server.Quote(e.Plan.Site.Origin.Host)+`(?::[0-9]*)?$`, "NC")
		e.cond("%{THE_REQUEST}", `^\S+ `+strings.ReplaceAll(strings.TrimPrefix(path, "^"), `\z`, `[? ]`))
		left := slices.Concat(e.Quick.Groups, long)
		for start := 0; start < len(left); start += 20 {
			var list []string
			for _, path := range left[start:min(start+20, len(left))] {
				list = append(list, server.Quote(path))
			}
			e.cond("%{REQUEST_URI}", `!^(?:`+strings.Join(list, "|")+`)$`)
		}
		for _, m := range e.Matchers {
			e.cond(strings.Repeat("0", len(e.Excepts))+"0:%{REQUEST_URI}", "!^"+m.Expression+"$")
		}
	}
	entry := "${yc_addresses:/s0:%{REQUEST_URI}|-}"
	if e.Quick.Asset != "" {
		here(e.Quick.Asset)
		if !e.Quick.Unlisted {
			e.cond(entry, "=-")
		}
		e.spare()
	}
	here(strings.ReplaceAll(e.Quick.Path, `(?:/|\z)`, `[/ ?]`))
	for _, hidden := range e.Quick.Hidden {
		e.cond("%{QUERY_STRING}", "!"+hidden)
	}
	e.set("plain", "1")
	e.cond(env("plain"), "1")
	e.cond(entry, `^(.*)$`)
	e.set("found", "%1")
	e.cond(env("found"), "=-")
	e.spare()
	for _, code := range e.Codes {
		for _, get := range []bool{true, false} {
			method, reading := `^(?:GET|HEAD)$`, server.Reading{Get: fmt.Sprint(code), Between: between}
			if !get {
				method, reading = "!"+method, server.Reading{Other: fmt.Sprint(code), Between: between}
			}
			for _, form := range []string{`([^?]*)\?(.+)$`, `([^?]+)$`} {
				to := "%1"
				if strings.Contains(form, `\?`) {
					to = "%1?%2"
				}
				answer := fmt.Sprintf(`RewriteRule "^" "%%s" [R=%d,L,NE,QSD]`, code)
				e.cond("%{REQUEST_METHOD}", method)
				e.cond("%{QUERY_STRING}", "^$")
				reading.To, reading.Set = form, ""
				e.cond(env("found"), `^`+reading.Move(server.Move))
				e.add(fmt.Sprintf(answer, to), true)
				e.cond("%{REQUEST_METHOD}", method)
				e.cond("%{QUERY_STRING}", ".")
				reading.To, reading.Set = strings.NewReplacer(`[^?]`, `[^?#]`, `.+`, `[^#]+`).Replace(form), "0"
				e.cond(env("found"), `^`+reading.Move(server.Move))
				joint := "?"
				if to != "%1" {
					joint = "&"
				}
				e.add(fmt.Sprintf(strings.Replace(answer, ",QSD", "", 1), to+joint+"%{QUERY_STRING}"), true)
			}
		}
	}
}
