package folderfile

import (
	"fmt"
	"net/url"
	"path"
	"regexp"
	"strconv"
	"strings"
)

// Request is what httpd is asked: by GET, by a visitor without cookies who comes from nowhere.
type Request struct {
	Scheme, Host string
	Path         string // decoded
	Query        string // as sent
	// Lies tells what lies under a decoded path: a file, a folder, or nothing.
	Lies func(path string) Kind
}

// Kind is what lies under a path.
type Kind int

// The kinds.
const (
	Nothing Kind = iota
	Regular
	Folder
)

// Outcome is what the rules answer.
type Outcome struct {
	Status   int    // of a redirect or a refusal; 0: the server goes on
	Location string // of a redirect, absolute
	Inside   string // the path with which the server goes on, where a rule has changed it
	Rule     *Rule  // that decided; nil: none
	Unsure   []*Rule
}

// maxPasses is how often httpd begins anew with what a rule has changed (LimitInternalRecursion).
const maxPasses = 10

// Answer returns what the rules answer: first those of mod_rewrite, then those of mod_alias, and again where a path was
// rewritten, as httpd does for a folder.
func (f *File) Answer(r Request) Outcome { return f.answer(r, true) }

// Aliases returns what the rules of mod_alias alone answer. They are asked too where a rule of mod_rewrite before them
// has led to a script.
func (f *File) Aliases(r Request) Outcome { return f.answer(r, false) }

func (f *File) answer(r Request, rewrite bool) (out Outcome) {
	p := pass{File: f, Request: r, first: r.Path, env: map[string]string{}}
	for range maxPasses {
		again := false
		if rewrite && f.On && !p.ended {
			again = p.rewrites()
			if p.out.Status != 0 {
				return p.out
			}
		}
		next := p.Path
		p.Path = p.first
		if p.aliases(); p.out.Status != 0 || !again {
			return p.out
		}
		p.Path, p.first = next, next
		p.env = map[string]string{"REDIRECT_STATUS": "200"}
	}
	p.out.Status, p.out.Rule = 500, nil
	return p.out
}

// pass is one time that httpd goes through the rules.
type pass struct {
	*File
	Request
	first string // the path with which the pass began
	env   map[string]string
	ended bool // [END]: no rule of mod_rewrite is asked again
	out   Outcome
}

func (p *pass) unsure(r *Rule) {
	for _, have := range p.out.Unsure {
		if have == r {
			return
		}
	}
	p.out.Unsure = append(p.out.Unsure, r)
}

// rewrites goes through the rules of mod_rewrite, and reports whether httpd begins anew with another path.
func (p *pass) rewrites() (again bool) {
	subject, changed := strings.TrimPrefix(p.Path, "/"), false
	skip := 0
	chained, broken := false, false // inside a chain; one of it didn't match
	for _, r := range p.Rules {
		if !r.rewrite {
			continue
		}
		_, chains := r.flags["C"]
		if chained && broken {
			chained = chains
			broken = chains
			continue
		}
		chained = chains
		if skip > 0 {
			skip--
			continue
		}
		yes, known, groups, captured := p.meets(r, subject)
		if !known {
			p.unsure(r)
		}
		if !known || !yes {
			broken = true
			continue
		}
		broken = false
		p.set(r, groups, captured)
		if n, err := strconv.Atoi(r.flags["S"]); err == nil {
			skip = n
		}
		if r.Refuses() {
			p.out.Status, p.out.Rule, p.out.Location = r.status, r, ""
			return false
		}
		_, ends := r.flags["END"]
		_, last := r.flags["L"]
		if r.to != "-" {
			if _, ok := r.flags["B"]; ok {
				groups, captured = encodedAll(groups), encodedAll(captured)
			}
			to, ok := p.expand(r.to, groups, captured)
			if !ok {
				p.unsure(r)
				continue
			}
			query := p.query(r, &to)
			if _, behind := p.file(); behind != "" && !last && !ends {
				p.unsure(r) // the rules behind it see parts of the path twice
			}
			if r.status != 0 {
				p.out.Status, p.out.Rule, p.out.Location = r.status, r, p.location(r, to, query)
				if p.out.Location == "" {
					p.out.Status, p.out.Rule = 0, nil
					p.unsure(r)
					return false
				}
				if _, as := r.flags["NE"]; as && strings.IndexFunc(query, hidden) >= 0 { // httpd 2.4.56 and later
					p.out.Status, p.out.Location = 403, ""
				}
				if last || ends || p.out.Status == 403 {
					return false
				}
				subject, _, _ = strings.Cut(p.out.Location, "?") // the rules behind it see the whole address
				p.Path, p.Query = subject, query
				continue
			}
			if p.out.Status != 0 { // a rule before it redirects
				p.unsure(r)
				return false
			}
			changed, p.out.Rule = true, r
			if p.Query = query; strings.HasPrefix(to, "/") {
				subject = to
			} else {
				subject = to
				to = p.base + to
				if p.base == "" {
					to = "/" + to
				}
			}
			p.Path = path.Clean(to)
			if strings.HasSuffix(to, "/") && p.Path != "/" {
				p.Path += "/"
			}
			p.out.Inside = p.Path
			if p.ended = ends; ends {
				return p.takesQuery(r) && p.Path != p.first
			}
		}
		if ends || p.out.Status != 0 && last {
			return false
		}
		if last {
			break
		}
	}
	return p.out.Status == 0 && changed && p.takesQuery(p.out.Rule) && p.Path != p.first
}

// takesQuery reports whether httpd goes on with the parameters that a rule has written: not if they hold spaces.
func (p *pass) takesQuery(r *Rule) bool {
	if strings.IndexFunc(p.Query, hidden) < 0 {
		return true
	}
	p.out.Status, p.out.Rule, p.out.Location = 403, r, "" // httpd 2.4.56 and later
	return false
}

// meets reports whether a rule's expression and conditions are met; known is false where that can't be told. groups and
// captured are what the expression, and the last condition, have captured.
func (p *pass) meets(r *Rule, subject string) (yes, known bool, groups, captured []string) {
	if r.expression == nil {
		return false, false, nil, nil
	}
	if groups = r.expression.FindStringSubmatch(subject); (groups != nil) == r.not {
		return false, true, nil, nil
	}
	known = r.Uncertain == ""
	for i := 0; i < len(r.conditions); i++ {
		any, sure := false, true
		for ; ; i++ {
			met, ok := p.holds(r.conditions[i], groups, &captured)
			if any = any || ok && met; !ok {
				sure = false
			}
			if !r.conditions[i].or {
				break
			}
			if i+1 == len(r.conditions) { // [OR] with nothing behind it: httpd goes on
				any = true
				break
			}
			if any { // the others of the row aren't asked
				for r.conditions[i].or && i+1 < len(r.conditions) {
					i++
				}
				break
			}
		}
		if !any && sure {
			return false, true, nil, nil
		}
		known = known && any
	}
	return known, known, groups, captured
}

// holds reports whether a condition is met.
func (p *pass) holds(c *condition, groups []string, captured *[]string) (met, known bool) {
	if c.uncertain != "" {
		return false, false
	}
	test, known := p.expand(c.test, groups, *captured)
	if c.expression != nil {
		if !known {
			return false, false
		}
		found := c.expression.FindStringSubmatch(test)
		if found != nil && !c.not {
			*captured = found
		}
		return (found != nil) != c.not, true
	}
	met, ok := p.compares(c, test)
	return met != c.not, ok && known
}

// root stands for the folder in which the site lies, outside for one in which nothing of it lies.
const (
	root    = "\x00root"
	outside = "\x00outside"
)

// compares makes a test of files, or compares texts and numbers.
func (p *pass) compares(c *condition, test string) (met, known bool) {
	operator, operand := c.pattern, ""
	switch operator[0] {
	case '=', '<', '>':
		operand = strings.Trim(operator[1:], `"`)
		if operand != "" && operand[0] == '=' {
			return false, false
		}
		if c.fold {
			test, operand = strings.ToLower(test), strings.ToLower(operand)
		}
		switch operator[0] {
		case '=':
			return test == operand, true
		case '<':
			return test < operand, true
		}
		return test > operand, true
	}
	switch operator {
	case "-f", "-d", "-s", "-l", "-e", "-F", "-h", "-L", "-x", "-U":
	default:
		return false, false
	}
	below, ok := strings.CutPrefix(test, root)
	if strings.HasPrefix(test, outside) {
		return false, true
	}
	if !ok || p.Lies == nil || strings.Contains("-F -x -U", operator) {
		return false, false
	}
	kind := p.Lies(path.Clean("/" + below))
	switch operator {
	case "-d":
		return kind == Folder, true
	case "-e":
		return kind != Nothing, true
	case "-l", "-h", "-L":
		return false, true
	}
	return kind == Regular, true
}

// reference is a variable, or what an expression has captured.
var reference = regexp.MustCompile(`\\(.)|%\{([^}]*)\}|([$%])([0-9])`)

// expand puts values in the place of variables; known is false where there is one whose value can't be known.
func (p *pass) expand(text string, groups, captured []string) (_ string, known bool) {
	known = true
	expanded := reference.ReplaceAllStringFunc(text, func(s string) string {
		m := reference.FindStringSubmatch(s)
		switch {
		case m[1] != "":
			return m[1]
		case m[3] != "":
			n, _ := strconv.Atoi(m[4])
			from := groups
			if m[3] == "%" {
				from = captured
			}
			if n < len(from) {
				return from[n]
			}
			return ""
		}
		value, ok := p.variable(m[2])
		known = known && ok
		return value
	})
	return expanded, known
}

// variable returns a variable's value.
func (p *pass) variable(name string) (value string, known bool) {
	kind, rest, _ := strings.Cut(name, ":")
	switch strings.ToUpper(kind) {
	case "ENV":
		value, ok := p.env[rest]
		return value, ok || !p.variables["*"] || strings.HasPrefix(rest, "REDIRECT_")
	case "HTTP":
		if strings.EqualFold(rest, "Host") {
			return p.Host, true
		}
		return "", true
	case "SSL", "LA-U", "LA-F":
		return "", false
	}
	secure := p.Scheme == "https"
	switch name {
	case "HTTP_HOST", "SERVER_NAME":
		return p.Host, true
	case "HTTPS":
		return map[bool]string{true: "on", false: "off"}[secure], true
	case "SERVER_PORT":
		return map[bool]string{true: "443", false: "80"}[secure], true
	case "REQUEST_SCHEME":
		return p.Scheme, true
	case "REQUEST_URI":
		return p.first, true
	case "REQUEST_FILENAME", "SCRIPT_FILENAME":
		if p.Path != p.first { // a rule has changed it, and it isn't looked for in the document root yet
			return outside + p.Path, true
		}
		file, _ := p.file()
		return root + file, true
	case "PATH_INFO":
		_, behind := p.file()
		return behind, true
	case "DOCUMENT_ROOT", "CONTEXT_DOCUMENT_ROOT":
		return root, true
	case "QUERY_STRING":
		return p.Query, true
	case "REQUEST_METHOD":
		return "GET", true
	case "THE_REQUEST":
		return "GET " + p.sent() + " HTTP/1.1", p.env["REDIRECT_STATUS"] == ""
	case "SERVER_PROTOCOL":
		return "HTTP/1.1", true
	case "HTTP_REFERER", "HTTP_COOKIE", "HTTP_USER_AGENT", "HTTP_ACCEPT", "HTTP_FORWARDED", "HTTP_PROXY_CONNECTION",
		"REMOTE_USER", "AUTH_TYPE":
		return "", true
	}
	return "", false
}

// file parts the path behind the first name under which no folder lies, as httpd does: what follows is for a script.
func (p *pass) file() (name, behind string) {
	if p.Lies == nil || p.Path != p.first {
		return p.Path, ""
	}
	for i := 1; i < len(p.Path); i++ {
		if p.Path[i] == '/' && p.Lies(p.Path[:i]) != Folder {
			return p.Path[:i], p.Path[i:]
		}
	}
	return p.Path, ""
}

// sent is the target of the request.
func (p *pass) sent() string {
	target := escaped(p.Path)
	if p.Query != "" {
		target += "?" + p.Query
	}
	return target
}

// encodedAll escapes what was captured ([B]).
func encodedAll(groups []string) []string {
	list := make([]string, len(groups))
	for i, g := range groups {
		list[i] = url.QueryEscape(g)
	}
	return list
}

// set gives variables the values that a rule says.
func (p *pass) set(r *Rule, groups, captured []string) {
	for line := range strings.SplitSeq(r.flags["E"], "\n") {
		name, value, _ := strings.Cut(line, ":")
		if name == "" {
			continue
		}
		if name, ok := strings.CutPrefix(name, "!"); ok {
			delete(p.env, name)
			continue
		}
		p.env[name], _ = p.expand(value, groups, captured)
	}
}

// query parts a target from the parameters that it has itself, and returns those with which the server goes on.
func (p *pass) query(r *Rule, to *string) string {
	before, own, has := strings.Cut(*to, "?")
	*to = before
	_, appends := r.flags["QSA"]
	_, drops := r.flags["QSD"]
	switch {
	case !has && drops:
		return ""
	case !has:
		return p.Query
	case appends && p.Query != "" && own != "":
		return own + "&" + p.Query
	case appends && own == "":
		return p.Query
	}
	return own
}

// location writes where a rule leads; empty for a place on the disk.
func (p *pass) location(r *Rule, to, query string) string {
	if _, as := r.flags["NE"]; !as {
		to = escapedPath(to)
	}
	switch {
	case absolute(to):
	case strings.HasPrefix(to, "/"):
		to = p.Scheme + "://" + p.Host + to
	case p.base != "":
		to = p.Scheme + "://" + p.Host + p.base + to
	default:
		return "" // without RewriteBase it becomes a path of the server's disk
	}
	if query != "" {
		to += "?" + strings.ReplaceAll(query, " ", "%20")
	}
	return to
}

// hidden reports whether a character can't stand in a query.
func hidden(r rune) bool { return r <= ' ' || r == 0x7f }

// escaped writes a decoded path as httpd does.
func escaped(path string) string {
	var b strings.Builder
	for i := 0; i < len(path); i++ {
		c := path[i]
		if 'a' <= c|0x20 && c|0x20 <= 'z' || '0' <= c && c <= '9' || strings.IndexByte("$-_.+!*'(),:@&=/~;", c) >= 0 {
			b.WriteByte(c)
			continue
		}
		fmt.Fprintf(&b, "%%%02x", c)
	}
	return b.String()
}

// aliases goes through the rules of mod_alias: the first that matches decides.
func (p *pass) aliases() {
	for _, r := range p.Rules {
		if r.rewrite {
			continue
		}
		to := ""
		if r.prefix != "" {
			rest, ok := p.below(r.prefix)
			if !ok {
				continue
			}
			to = r.to + escaped(rest)
		} else {
			if r.expression == nil {
				p.unsure(r)
				continue
			}
			groups := r.expression.FindStringSubmatch(p.Path)
			if groups == nil {
				continue
			}
			to, _ = p.expand(strings.ReplaceAll(r.to, "%", `\%`), groups, nil)
			to = escapedPath(to)
		}
		if r.Uncertain != "" {
			p.unsure(r)
			continue
		}
		p.out.Status, p.out.Rule = r.status, r
		if r.status < 300 || r.status > 399 {
			return
		}
		if strings.HasPrefix(to, "/") {
			to = p.Scheme + "://" + p.Host + to
		}
		if p.Query != "" && !strings.Contains(to, "?") {
			to += "?" + p.Query
		}
		p.out.Location = to
		return
	}
}

// absolute reports whether a target names a host.
func absolute(to string) bool {
	return strings.HasPrefix(to, "http://") || strings.HasPrefix(to, "https://")
}

// escapedPath escapes the path of a target, and leaves its host and its parameters.
func escapedPath(to string) string {
	start := 0
	if i := strings.Index(to, "://"); absolute(to) {
		start = i + len("://") + strings.IndexByte(to[i+len("://"):]+"/", '/')
	}
	end := strings.IndexByte(to+"?", '?')
	if start > end {
		return to
	}
	return to[:start] + escaped(to[start:end]) + to[end:]
}

// below reports whether a Redirect for a path is one for the request, and what stands behind it.
func (p *pass) below(prefix string) (rest string, ok bool) {
	rest, ok = strings.CutPrefix(p.Path, prefix)
	return rest, ok && (rest == "" || rest[0] == '/' || strings.HasSuffix(prefix, "/"))
}

// Redirects reports whether the rule leads visitors elsewhere.
func (r *Rule) Redirects() bool { return r.status >= 300 && r.status < 400 }

// Rewrites reports whether the rule changes the path inside the server.
func (r *Rule) Rewrites() bool { return r.rewrite && r.status == 0 && r.to != "-" }

// Refuses reports whether the rule says that something is forbidden, gone or not there.
func (r *Rule) Refuses() bool { return r.status != 0 && !r.Redirects() }

// Alias reports whether the rule is one of mod_alias.
func (r *Rule) Alias() bool { return !r.rewrite }

// Reads reports whether the rule or one of its conditions asks a variable or header, such as X-Forwarded-Proto.
func (r *Rule) Reads(name string) bool {
	for _, c := range r.conditions {
		if strings.Contains(strings.ToLower(c.test), strings.ToLower(name)) {
			return true
		}
	}
	return false
}

// Lasting returns the rules, with their conditions, that refuse requests or set variables, and leave paths as they are.
// They mean the same in front of all others. Those that can't stand alone are returned apart.
func (f *File) Lasting() (lines []string, bound []*Rule) {
	chained := false
	for _, r := range f.Rules {
		if !r.rewrite {
			continue
		}
		after := chained
		_, chained = r.flags["C"]
		_, skips := r.flags["S"]
		chained = chained || skips
		_, last := r.flags["L"]
		_, ends := r.flags["END"]
		if !r.Refuses() && (r.to != "-" || last || ends || r.flags["E"] == "") {
			continue
		}
		if after || chained || r.inside {
			bound = append(bound, r)
			continue
		}
		for _, c := range r.conditions {
			lines = append(lines, c.line)
		}
		lines = append(lines, r.Text)
	}
	return lines, bound
}
