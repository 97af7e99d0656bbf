package folderfile

import (
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
)

// Row is a rule as a row of a list of redirects.
type Row struct {
	Line     int
	From, To string
	Status   int
	Drop     bool   // the request's parameters don't travel
	Class    string // of the variables of a pattern: v1=[0-9]{4}
}

// Unread is a rule that is no row, and why.
type Unread struct {
	*Rule
	Why string
}

// Habits are what doesn't count in the addresses of a site: whether letters are small, and a slash at the end.
type Habits struct{ Letters, Slash bool }

// HabitsOf returns those of a site whose paths are spelled so.
func HabitsOf(paths address.Paths) Habits {
	return Habits{Letters: paths.Lower, Slash: paths.Slash != address.SlashKept}
}

// Rows returns the redirects of the file as rows of a list: those of one address, of a place and all below, and those
// whose expression is exactly a template. Others are returned with the reason. Rules that lead nobody elsewhere are
// left out.
//
//	Redirect 301 /old.html /routes                     /old.html  /routes  301
//	Redirect 301 /old /routes                          /old  /routes  301; /old/{rest*} as /old{/rest*}  /routes{/rest*}
//	RewriteRule ^news/([0-9]{4})$ /notices/$1 [R=301]  /news/{v1}  /notices/{v1}  301  v1=[0-9]{4}
func (f *File) Rows(site Habits) (rows []Row, unread []Unread) {
	chained := false
	for _, r := range f.Rules {
		skips := chained
		_, chained = r.flags["C"]
		if _, ok := r.flags["S"]; ok {
			chained = true
		}
		if !r.Redirects() && r.status != 410 {
			continue
		}
		var list []Row
		why := r.Uncertain
		switch {
		case why != "":
		case skips || chained:
			why = "it belongs together with another rule (a flag [C] or [S])"
		case r.rewrite && !f.On:
			why = "rewriting is off in this file"
		case !r.rewrite && r.expression == nil:
			list, why = r.place()
		default:
			list, why = r.read(site)
		}
		if why != "" {
			unread = append(unread, Unread{r, why})
		}
		rows = append(rows, list...)
	}
	return rows, unread
}

// encoded writes a decoded path as a list holds it.
func encoded(path string) string { return (&url.URL{Path: path}).EscapedPath() }

// place reads a Redirect: of a path, and of all that is below it. One that looks like a file has nothing below.
func (r *Rule) place() ([]Row, string) {
	if !strings.HasPrefix(r.prefix, "/") || strings.ContainsAny(r.prefix+r.to, "{}") {
		return nil, "it doesn't begin with a slash, or holds braces"
	}
	if r.status == 410 && (strings.HasSuffix(r.prefix, "/") || !fileLike(r.prefix)) {
		return []Row{{Line: r.Line, From: encoded(r.prefix), Status: 410}},
			"what is below this address is gone, too; only the address itself is taken over"
	}
	row := Row{Line: r.Line, From: encoded(r.prefix), To: r.to, Status: r.status}
	if r.status == 410 || fileLike(r.prefix) {
		return []Row{row}, ""
	}
	if strings.ContainsAny(r.to, "?#") {
		return []Row{row}, "what is below this address leads to odd places; only the address itself is taken over"
	}
	below := Row{Line: r.Line, From: strings.TrimRight(encoded(r.prefix), "/") + "{/rest*}", To: strings.TrimRight(r.to, "/") + "{/rest*}",
		Status: r.status}
	return []Row{row, below}, ""
}

// fileLike reports whether a path ends like a file: /old.html
func fileLike(path string) bool {
	return strings.Contains(path[strings.LastIndexByte(path, '/')+1:], ".")
}

// condition of parameters: ^id=7$ or (^|&)id=([0-9]+)(&|$)
var (
	wholeQuery = regexp.MustCompile(`^\^([A-Za-z0-9_.~-]+)=([^&|^$]*)\$$`)
	partQuery  = regexp.MustCompile(`^\((?:\?:)?\^\|&\)([A-Za-z0-9_.~-]+)=(.*?)\((?:\?:)?(?:&\|\$|\$\|&)\)$`)
)

// read reads a rule with an expression.
func (r *Rule) read(site Habits) ([]Row, string) {
	if r.not {
		return nil, "it is for all addresses but those of its expression"
	}
	if r.fold && !site.Letters && strings.IndexFunc(r.source, letter) >= 0 {
		return nil, "letters don't count in it ([NC]), and they do on this site"
	}
	source := r.source
	if r.rewrite { // paths stand there without their first slash
		rest, ok := strings.CutPrefix(source, "^")
		switch {
		case r.Everywhere():
			return nil, "it is for every address: hosts and schemes are the plan's site.origin and site.hosts"
		case !ok:
			return nil, "it is found anywhere in an address; begin it with ^"
		}
		source = "^/" + strings.TrimPrefix(rest, "/?")
	}
	shape, why := templateOf(source)
	if why != "" {
		return nil, why
	}
	to, drop, why := r.target(shape)
	if why != "" {
		return nil, why
	}
	if query, why := r.parameters(&shape, to); why != "" {
		return nil, why
	} else if query != "" {
		shape.text += "?" + query
		if !drop && !strings.Contains(to, "?") { // the server passes them on
			to += "?" + query
		}
	}
	if shape.variables == 0 && strings.ContainsAny(to, "{}") {
		return nil, "its target holds braces"
	}
	if r.status == 410 {
		to = ""
		if shape.variables > 0 {
			return nil, "a pattern can't say that pages are gone; list their addresses"
		}
	}
	row := Row{Line: r.Line, From: shape.text, To: to, Status: r.status, Drop: drop, Class: strings.Join(shape.classes, " ")}
	if !shape.slash || site.Slash {
		return []Row{row}, ""
	}
	with := row
	with.From = shape.text + "/"
	return []Row{row, with}, ""
}

// Everywhere reports whether the rule is one for every address, as those are that lead to a host or a scheme.
func (r *Rule) Everywhere() bool {
	return r.rewrite && !r.not && slices.Contains([]string{"", "^", "$", ".", ".*", "(.*)", "^.*", "^(.*)$", "^.*$", "^(.+)$",
		"^/?(.*)$", "^/?(.*)"}, r.source)
}

func letter(r rune) bool { return 'a' <= r|0x20 && r|0x20 <= 'z' }

// target writes a rule's target as a template.
func (r *Rule) target(shape form) (to string, drop bool, why string) {
	to = r.to
	if r.status == 410 {
		return "", false, ""
	}
	if strings.ContainsAny(to, "{}") {
		return "", false, "its target holds a variable of the server"
	}
	if rest, ok := strings.CutSuffix(to, "?"); ok && r.rewrite {
		to, drop = rest, true
	} else if i := strings.IndexByte(to, '?'); i >= 0 && r.rewrite {
		if _, ok := r.flags["QSA"]; !ok {
			drop = true // its own parameters take the place of the request's
		}
	}
	if _, ok := r.flags["QSD"]; ok {
		drop = true
	}
	if r.rewrite && !strings.HasPrefix(to, "/") && !strings.Contains(to, "://") {
		return "", false, "its target is relative; begin it with a slash"
	}
	unknown := false
	to = reference.ReplaceAllStringFunc(to, func(s string) string {
		m := reference.FindStringSubmatch(s)
		if m[1] != "" {
			return m[1]
		}
		n, _ := strconv.Atoi(m[4])
		if m[3] == "%" {
			return "{q" + m[4] + "}"
		}
		if n < 1 || n > shape.variables {
			unknown = true
		}
		return "{v" + m[4] + "}"
	})
	if unknown {
		return "", false, "its target holds a group that its expression doesn't have"
	}
	return to, drop, ""
}

// parameters reads the conditions of a rule as the parameters of its source. There may be one condition, of the query.
func (r *Rule) parameters(shape *form, to string) (query, why string) {
	if strings.Contains(to, "{q") && len(r.conditions) == 0 {
		return "", "its target holds what a condition captured"
	}
	if len(r.conditions) == 0 {
		return "", ""
	}
	c := r.conditions[0]
	if len(r.conditions) > 1 || !strings.EqualFold(c.test, "%{QUERY_STRING}") || c.not || c.fold || c.expression == nil {
		return "", "it has conditions that are no list's: " + c.test + " " + c.pattern
	}
	name, value, group := "", "", "{q1}"
	if m := wholeQuery.FindStringSubmatch(c.pattern); m != nil {
		name, value = m[1], m[2]
	} else if m := partQuery.FindStringSubmatch(c.pattern); m != nil {
		name, value, group = m[1], m[2], "{q2}"
		if strings.HasPrefix(c.pattern, "(?:") {
			group = "{q1}"
		}
	} else {
		return "", "its condition is more than one parameter: " + c.pattern
	}
	inner, captures := strings.CutPrefix(value, "(")
	if !captures {
		if text, ok := literalOf(value); ok && !strings.Contains(to, "{q") {
			return name + "=" + encoded(text), ""
		}
		return "", "its condition is more than one value: " + c.pattern
	}
	class, ok := classOf(strings.TrimSuffix(inner, ")"))
	if !ok || !strings.HasSuffix(value, ")") || strings.Count(to, "{q") != strings.Count(to, group) || !strings.Contains(to, group) {
		return "", "its condition is no template: " + c.pattern
	}
	shape.classes = append(shape.classes, group[1:len(group)-1]+"="+class)
	shape.variables++
	return name + "=" + group, ""
}

// form is an expression as a template.
type form struct {
	text      string
	variables int
	classes   []string // "v1=slug"
	slash     bool     // with or without one at its end
}

// templateOf reads an expression for whole paths, if it is exactly a template: letters, and groups of characters that
// hold no slash.
//
//	^/old\.html$            /old.html
//	^/news/(\d{4})/?$       /news/{v1}, with a slash or without
func templateOf(source string) (shape form, why string) {
	body, ok := strings.CutPrefix(source, "^")
	if !ok {
		return shape, "it is found anywhere in an address; begin it with ^"
	}
	if body, ok = strings.CutSuffix(body, "$"); !ok || strings.HasSuffix(body, `\`) {
		return shape, "it takes all that begins so; end it with $"
	}
	if rest, ok := strings.CutSuffix(body, "/?"); ok {
		body, shape.slash = rest, true
	}
	if !strings.HasPrefix(body, "/") {
		return shape, "no address begins so: it lacks the first slash"
	}
	var text strings.Builder
	for body != "" {
		if body[0] == '(' {
			inner, rest, ok := strings.Cut(body[1:], ")")
			class, known := classOf(inner)
			switch {
			case inner == ".*" || inner == ".+" || inner == "[^/]+" || inner == "[^/]*":
				return shape, "(" + inner + ") reads more than a template does; {x} reads letters, digits and . _ ~ -, {/x*} several segments of them"
			case !ok || !known:
				return shape, "(" + inner + ") is no class of a template, such as ([0-9]{4}) or ([a-z0-9-]+)"
			}
			shape.variables++
			name := "v" + strconv.Itoa(shape.variables)
			shape.classes = append(shape.classes, name+"="+class)
			text.WriteString("{" + name + "}")
			body = rest
			continue
		}
		n := 1
		if body[0] == '\\' && len(body) > 1 {
			n = 2
		}
		literal, ok := literalOf(body[:n])
		if !ok || len(body) > n && strings.IndexByte("?*+{", body[n]) >= 0 {
			return shape, "it is more than letters and groups, near " + body[:n]
		}
		text.WriteString(encoded(literal))
		body = body[n:]
	}
	shape.text = text.String()
	return shape, ""
}

// literalOf returns the text that an expression alone means.
func literalOf(expression string) (string, bool) {
	var b strings.Builder
	for i := 0; i < len(expression); i++ {
		c := expression[i]
		switch {
		case c == '\\' && i+1 < len(expression):
			i++
			if letter(rune(expression[i])) || '0' <= expression[i] && expression[i] <= '9' {
				return "", false // a class, or a group
			}
			b.WriteByte(expression[i])
		case strings.IndexByte(`\^$.[]|()?*+{}`, c) >= 0:
			return "", false
		default:
			b.WriteByte(c)
		}
	}
	return b.String(), true
}

// class is a bracket of characters with a length.
var class = regexp.MustCompile(`^(\[[A-Za-z0-9._~-]+\]|\\d|\\w)(\+|\{[0-9]+(?:,[0-9]+)?\})$`)

// classOf returns the class of a template's variable that has exactly the values of an expression.
func classOf(expression string) (string, bool) {
	m := class.FindStringSubmatch(expression)
	if m == nil {
		return "", false
	}
	set := map[string]string{`\d`: "[0-9]", `\w`: "[A-Za-z0-9_]"}[m[1]]
	if set == "" {
		set = m[1]
	}
	return set + m[2], true
}
