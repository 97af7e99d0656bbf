// Package folderfile reads the per-folder file of Apache httpd (.htaccess), as it lies in a site's document root: what
// its own redirects and rewrites answer to a request, and which of them are rows of a list of redirects.
//
//	Redirect 301 /old.html /routes
//	RewriteCond %{HTTP_HOST} ^www\.
//	RewriteRule ^(.*)$ https://skerrywick.example/$1 [R=301,L]
//
// What the rules mean is told in httpd's documentation of mod_alias and mod_rewrite, and was asked of httpd 2.4 itself.
// What can't be known of a request beforehand (a date, a module's variable) makes a rule uncertain, never true or false.
package folderfile

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// File is a per-folder file.
type File struct {
	Name  string
	Rules []*Rule // those that redirect, rewrite or refuse, in the order in which they stand
	Says  []Line  // what else concerns addresses: ErrorDocument, DirectorySlash, FallbackResource, handlers, ...

	On     bool // rewriting is switched on
	Engine int  // the line that switches rewriting on or off last; 0: none

	base      string          // RewriteBase, with a slash at its end; empty: none
	variables map[string]bool // environment variables that other modules set; "*" for any
}

// Line is a directive.
type Line struct {
	Number int
	Text   string   // as written
	Words  []string // the first in small letters
	Inside string   // a section whose condition isn't judged, such as <Files>; empty: none
}

// Rule is a Redirect, a RedirectMatch or a RewriteRule with its conditions.
type Rule struct {
	Line      int
	Text      string // as written
	Uncertain string // why it isn't judged; empty: it is

	rewrite    bool
	status     int    // of a redirect; 0 for an internal rewrite
	prefix     string // of a Redirect
	expression *regexp.Regexp
	source     string // the expression as written
	not        bool
	fold       bool // [NC]
	to         string
	flags      map[string]string
	conditions []*condition
	inside     bool // a section whose condition isn't judged
}

// condition is a RewriteCond.
type condition struct {
	line          string // as written
	test, pattern string
	not, or, fold bool
	expression    *regexp.Regexp // nil: a test of files or a comparison
	uncertain     string
}

// MaxSize bounds a file, in bytes.
const MaxSize = 4 << 20

// maxRules bounds the rules of a file.
const maxRules = 50_000

// Read reads a file. The error says that it is no text that httpd reads.
func Read(name string, text []byte) (*File, error) {
	switch {
	case len(text) > MaxSize:
		return nil, fmt.Errorf("it is longer than %d MiB; is it a per-folder file?", MaxSize>>20)
	case bytes.HasPrefix(text, []byte("\xff\xfe")), bytes.HasPrefix(text, []byte("\xfe\xff")), bytes.IndexByte(text, 0) >= 0:
		return nil, errors.New("it is no plain text (UTF-16?), and httpd answers 500 to everything; save it as UTF-8")
	case bytes.HasPrefix(text, []byte("\xef\xbb\xbf")):
		return nil, errors.New("it begins with a byte order mark, which httpd doesn't read; save it without")
	}
	r := reader{File: &File{Name: name, variables: map[string]bool{}}}
	joined, start, number := "", 0, 0
	for line := range strings.Lines(string(text)) {
		number++
		if joined == "" {
			start = number
		}
		bare := strings.TrimRight(line, "\r\n")
		if begun, ok := strings.CutSuffix(bare, `\`); ok {
			joined += begun
			continue
		}
		r.line(start, strings.TrimSpace(joined+bare))
		joined = ""
	}
	r.line(start, strings.TrimSpace(joined))
	if len(r.Rules) > maxRules {
		return nil, fmt.Errorf("it has more than %d rules", maxRules)
	}
	return r.File, nil
}

// directives are those with which a per-folder file may begin, among others.
var directives = regexp.MustCompile(`(?i)^(?:<(?:IfModule|Files|FilesMatch|If|IfVersion|IfDefine)\s[^>]*>|` +
	`(?:Redirect(?:Match|Permanent|Temp)?|Rewrite(?:Engine|Rule|Cond|Base|Options)|ErrorDocument|Options|DirectoryIndex|` +
	`DirectorySlash|FallbackResource|AddType|AddHandler|AddDefaultCharset|SetEnv|SetEnvIf|Header|php_value|php_flag|Require|` +
	`Order|Deny|Allow|ExpiresActive|AuthType|AcceptPathInfo)\s)`)

// Matches reports whether a text, or its beginning, is a per-folder file: the first line that is no comment is one of
// its directives.
func Matches(text []byte) bool {
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	for len(text) > 0 {
		var line []byte
		line, text, _ = bytes.Cut(text, []byte("\n"))
		if line = bytes.TrimSpace(line); len(line) > 0 && line[0] != '#' {
			return directives.Match(append(slices.Clone(line), ' '))
		}
	}
	return false
}

// reader reads a file line by line.
type reader struct {
	*File
	sections []section
	pending  []*condition
}

// section is one that is open.
type section struct {
	name      string
	uncertain string // its condition, where that isn't judged
	absent    bool   // what is inside doesn't count
}

func (r *reader) line(number int, text string) {
	if text == "" || text[0] == '#' {
		return
	}
	words := Words(text)
	if len(words) == 0 {
		return
	}
	name := strings.ToLower(words[0])
	if text[0] == '<' {
		r.section(text)
		return
	}
	inside := ""
	for _, s := range r.sections {
		if s.absent {
			return
		}
		if s.uncertain != "" {
			inside = s.uncertain
		}
	}
	words[0] = name
	switch name {
	case "rewriteengine":
		r.On, r.Engine = len(words) > 1 && strings.EqualFold(words[1], "on"), number
	case "rewritebase":
		if len(words) > 1 {
			r.base = strings.TrimSuffix(words[1], "/") + "/"
		}
	case "rewritecond":
		r.pending = append(r.pending, readCondition(text, words))
	case "rewriterule":
		r.rewriteRule(number, text, words, inside)
	case "redirect", "redirectmatch", "redirectpermanent", "redirecttemp":
		r.redirect(number, text, words, inside)
	case "setenv", "setenvifnocase", "setenvif", "browsermatch", "passenv":
		r.variables["*"] = true
	case "errordocument", "directoryslash", "fallbackresource", "directoryindex", "php_flag", "php_value", "removehandler",
		"sethandler", "addhandler", "addtype", "rewriteoptions", "options", "acceptpathinfo":
		r.Says = append(r.Says, Line{number, text, words, inside})
	}
}

// section opens or closes a section. Modules are taken to be there.
func (r *reader) section(text string) {
	name, argument, _ := strings.Cut(strings.TrimSuffix(text, ">"), " ")
	name, argument = strings.ToLower(name), strings.TrimSpace(argument)
	if closed, ok := strings.CutPrefix(name, "</"); ok {
		for len(r.sections) > 0 {
			last := r.sections[len(r.sections)-1]
			r.sections = r.sections[:len(r.sections)-1]
			if last.name == closed {
				break
			}
		}
		return
	}
	s := section{name: name[1:], uncertain: text}
	if s.name == "ifmodule" {
		s.absent, s.uncertain = strings.HasPrefix(argument, "!"), ""
	}
	r.sections = append(r.sections, s)
}

// Words are the words of a line, as httpd parts them: one in quotation marks may hold spaces, and a backslash there
// stands before a quotation mark or another backslash.
func Words(line string) (words []string) {
	for {
		line = strings.TrimLeft(line, " \t")
		if line == "" {
			return words
		}
		var word strings.Builder
		quote := byte(0)
		if line[0] == '"' || line[0] == '\'' {
			quote, line = line[0], line[1:]
		}
		i := 0
		for ; i < len(line); i++ {
			c := line[i]
			switch {
			case c == '\\' && i+1 < len(line) && (quote != 0 && line[i+1] == quote || quote == 0 && (line[i+1] == ' ' || line[i+1] == '\t')):
				i++
				word.WriteByte(line[i])
				continue
			case c == '\\' && i+1 < len(line):
				word.WriteString(line[i : i+2]) // of an expression
				i++
				continue
			case quote != 0 && c == quote, quote == 0 && (c == ' ' || c == '\t'):
			default:
				word.WriteByte(c)
				continue
			}
			break
		}
		words = append(words, word.String())
		line = line[min(i+1, len(line)):]
	}
}

// flagsOf reads the flags of a rule or a condition: [R=301,L,NE].
func flagsOf(words []string, at int) map[string]string {
	flags := map[string]string{}
	if len(words) <= at {
		return flags
	}
	for _, flag := range strings.Split(strings.Trim(strings.Join(words[at:], ""), "[]"), ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(flag), "=")
		name = strings.ToUpper(name)
		for short, long := range map[string]string{"R": "REDIRECT", "L": "LAST", "F": "FORBIDDEN", "G": "GONE", "NC": "NOCASE",
			"NE": "NOESCAPE", "C": "CHAIN", "S": "SKIP", "N": "NEXT", "OR": "ORNEXT", "P": "PROXY", "PT": "PASSTHROUGH",
			"QSA": "QSAPPEND", "QSD": "QSDISCARD", "E": "ENV", "NS": "NOSUBREQ"} {
			if name == long {
				name = short
			}
		}
		if name == "E" {
			value = strings.TrimSpace(flags[name] + "\n" + value)
		}
		flags[name] = value
	}
	return flags
}

func readCondition(text string, words []string) *condition {
	c := &condition{line: text}
	if len(words) < 3 {
		c.uncertain = "a condition without an expression"
		return c
	}
	c.test, c.pattern = words[1], words[2]
	flags := flagsOf(words, 3)
	_, c.or = flags["OR"]
	_, c.fold = flags["NC"]
	expression := c.pattern
	if strings.EqualFold(c.test, "expr") {
		c.uncertain = "an expression of httpd's own language"
		return c
	}
	expression, c.not = strings.CutPrefix(expression, "!")
	if expression != "" && (strings.IndexByte("<>=", expression[0]) >= 0 || expression[0] == '-' && len(expression) > 1) {
		c.pattern = expression
		return c
	}
	c.expression, c.uncertain = compiled(expression, c.fold)
	return c
}

// compiled returns an expression, or why it can't be judged.
func compiled(expression string, fold bool) (*regexp.Regexp, string) {
	if fold {
		expression = "(?i)" + expression
	}
	e, err := regexp.Compile(expression)
	if err != nil {
		return nil, "an expression that needs looking ahead or back: " + expression
	}
	return e, ""
}

func (r *reader) rewriteRule(number int, text string, words []string, inside string) {
	rule := &Rule{Line: number, Text: text, rewrite: true, conditions: r.pending, Uncertain: inside,
		inside: inside != ""}
	r.pending = nil
	if len(words) < 3 {
		return // httpd refuses it
	}
	rule.flags = flagsOf(words, 3)
	_, rule.fold = rule.flags["NC"]
	rule.source, rule.not = strings.CutPrefix(words[1], "!")
	rule.to = words[2]
	if value, ok := rule.flags["R"]; ok {
		rule.status = statusOf(value, 302)
	} else if absolute(rule.to) {
		rule.status = 302
	}
	if _, ok := rule.flags["G"]; ok {
		rule.status = 410
	}
	if _, ok := rule.flags["F"]; ok {
		rule.status = 403
	}
	var why string
	if rule.expression, why = compiled(rule.source, rule.fold); why != "" {
		rule.uncertain(why)
	}
	for _, flag := range []string{"N", "P"} {
		if _, ok := rule.flags[flag]; ok {
			rule.uncertain("the flag [" + flag + "]")
		}
	}
	r.Rules = append(r.Rules, rule)
}

func (r *Rule) uncertain(why string) {
	if r.Uncertain == "" {
		r.Uncertain = why
	}
}

// statusOf reads a status: a number, or a word for one.
func statusOf(word string, otherwise int) int {
	switch strings.ToLower(word) {
	case "permanent":
		return 301
	case "temp":
		return 302
	case "seeother":
		return 303
	case "gone":
		return 410
	}
	if n, err := strconv.Atoi(word); err == nil {
		return n
	}
	return otherwise
}

// redirect reads Redirect [status] from [to], and what is like it.
func (r *reader) redirect(number int, text string, words []string, inside string) {
	rule := &Rule{Line: number, Text: text, status: 302, Uncertain: inside}
	arguments := words[1:]
	switch words[0] {
	case "redirectpermanent":
		rule.status = 301
	case "redirecttemp":
	default:
		if len(arguments) > 0 && statusOf(arguments[0], 0) != 0 {
			rule.status = statusOf(arguments[0], 0)
			arguments = arguments[1:]
		}
	}
	moves := rule.status >= 300 && rule.status < 400
	if len(arguments) == 0 || moves && len(arguments) < 2 {
		if len(arguments) == 0 || words[0] == "redirectmatch" {
			return // it is for a <Location>, or httpd refuses it
		}
		rule.uncertain("no target")
	}
	rule.source = arguments[0]
	if moves && len(arguments) > 1 {
		rule.to = arguments[1]
	}
	if words[0] == "redirectmatch" {
		var why string
		if rule.expression, why = compiled(rule.source, false); why != "" {
			rule.uncertain(why)
		}
	} else {
		rule.prefix = rule.source
	}
	r.Rules = append(r.Rules, rule)
}

// SwitchesOn reports whether a file switches rewriting on, and with it the rules of the folders above off.
func SwitchesOn(text []byte) bool {
	f, err := Read("", text)
	return err == nil && f.On
}
