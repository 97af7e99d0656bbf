package server

import (
	"net/netip"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/plan"
)

// Flow is a compiled plan as steps that a web server can take: each gives a
// variable its value, from what was asked and from earlier variables. It is the
// same for all servers; what differs is how a step is written.
//
// What was asked is in the variables scheme_asked, forwarded (the scheme that a
// proxy says), host (small letters, no port, no dot at the end), uri (the path
// decoded, without dot segments, with single slashes), raw (the path as it was
// sent), undotted (raw, without dot segments where the server can do that, and else raw), args (the query as it was
// sent) and method. The answer is in code (a
// status, or empty when the server goes on by itself), location, inside (the
// internal address to go on with, the request's parameters behind its own) and
// the variables of Headers.
type Flow struct {
	Program  *compile.Program
	Plan     *plan.Plan
	Steps    []Step
	Codes    []int // of all redirects, sorted
	Sets     [][]string
	Matchers []Matcher
	Headers  []Field
	Excepts  []address.Places // whose flags, 0 or 1, are in x0, x1 and x2, one after the other
	Folds    bool             // the server can make letters small
	Inner    bool             // some addresses are made by internal ones
	Quick    *Quick           // nil: every request takes all steps
}

// Quick tells requests about which nothing but an entry or a pattern can decide,
// so that a server can spare them the other steps: those for the origin, with a
// path that is none of Groups. There are two kinds. Plain ones have a path like
// Path, and a query in which nothing like Hidden is found: what an entry says
// counts, and the query travels whole. Assets are files that are served as they
// are unless an entry says otherwise; their query doesn't count.
//
//	/routes?page=2    /img/a.png?v=3
type Quick struct {
	Path     string   // an expression (PCRE)
	Asset    string   // an expression; empty: no asset is spared anything
	Suffixes []string // of assets, behind the dot
	Unlisted bool     // no entry and no pattern says anything of an asset
	Hidden   []string // expressions for queries with parameters that mean something or don't travel, and with empty ones
	Groups   []string // look-up keys of paths that parameters give a meaning
}

// Step is one of Note, *Table, *Lookup, *Same, *Equal, *Lower, *Keep and *Client.
type Step interface{ step() }

// Note says what the steps behind it do.
type Note string

// Table gives a variable the value of the first row that its source meets.
type Table struct {
	Name   string
	Role   Role
	Source Text
	Fold   bool // letters don't count
	Rows   []Case
	Else   Text
}

// Role tells tables that servers treat in a way of their own.
type Role int

// The roles of tables.
const (
	Ordinary     Role = iota
	AskedPath         // the path as asked: some servers have a variable for it
	SpelledPath       // the path as the site spells it
	SpelledItems      // the parameters that give that path a meaning
	InnerPath         // the internal address, without the request's parameters
)

// Case is a row of a table: a text that the source is, or an expression (of the
// syntax that PCRE and RE2 share) that is found in it. Its value holds either
// variables, or what the expression captured, never both.
type Case struct {
	Exact      string
	Expression string
	Value      Text
	Where      plan.Cause // for rows that stand in the plan
}

// Lookup sets d0, d1 and d2 to what the path means as asked (p0), as the site
// spells it (p1), and without extension and index file (p2), each with its
// group and signature of parameters (g0, s0, ...). Entries for one host are
// looked up in host0, host1 and host2.
type Lookup struct{}

// Same sets exact to 1 when the decoded path of the entry in way is the
// request's, letter by letter, and else to 0.
type Same struct{}

// Equal sets a variable to 1 when two others, without spaces, are the same, and else to 0.
type Equal struct{ Name, One, Other string }

// Lower sets a variable to another in small letters (A-Z alone).
type Lower struct{ Name, Source string }

// Keep sets kept to the request's parameters without those of the set whose
// number is in set; "all" keeps all and "drop" none. Empty items are left out.
type Keep struct{}

// Client sets a variable to 1 when the visitor's address is in a network, and
// else to 0.
type Client struct {
	Name     string
	Networks []netip.Prefix
}

func (Note) step()    {}
func (*Table) step()  {}
func (*Lookup) step() {}
func (*Same) step()   {}
func (*Equal) step()  {}
func (*Lower) step()  {}
func (*Keep) step()   {}
func (*Client) step() {}

// Matcher is a pattern redirect as an expression for flags, path and signature
// (see Lookup), with what it does.
type Matcher struct {
	Expression string
	Value      Text
	Where      plan.Cause
}

// Field is a response header: the variable of its value, which is empty when
// it is not sent.
type Field struct{ Name, Variable string }

// Text is a text with variables, and with what an expression captured.
type Text []Part

// Part is a literal, a variable, or a capture by its number from 1.
type Part struct {
	Literal  string
	Variable string
	Capture  int
}

// T reads a text in which {name} is a variable and {1} a capture. Each % stands
// for the next of the literals.
func T(form string, literals ...string) Text {
	var t Text
	for form != "" {
		i := strings.IndexAny(form, "{%")
		if i < 0 {
			i = len(form)
		}
		if i > 0 {
			t = append(t, Part{Literal: form[:i]})
			form = form[i:]
			continue
		}
		if form[0] == '%' {
			t, literals, form = append(t, Part{Literal: literals[0]}), literals[1:], form[1:]
			continue
		}
		name, rest, _ := strings.Cut(form[1:], "}")
		if n, err := strconv.Atoi(name); err == nil {
			t = append(t, Part{Capture: n})
		} else {
			t = append(t, Part{Variable: name})
		}
		form = rest
	}
	return t
}

// Captures reports whether the text takes over what an expression captured.
func (t Text) Captures() bool {
	for _, p := range t {
		if p.Capture > 0 {
			return true
		}
	}
	return false
}

// Variable returns the name of the variable that alone is the text.
func (t Text) Variable() (string, bool) {
	if len(t) == 1 && t[0].Variable != "" {
		return t[0].Variable, true
	}
	return "", false
}

// Literal returns the text when it holds no variable and no capture.
func (t Text) Literal() (string, bool) {
	var b strings.Builder
	for _, p := range t {
		if p.Variable != "" || p.Capture > 0 {
			return "", false
		}
		b.WriteString(p.Literal)
	}
	return b.String(), true
}

// Write writes the text with the parts as a server writes them.
func (t Text) Write(literal func(string) string, variable func(string) string, capture func(int) string) string {
	var b strings.Builder
	for _, p := range t {
		switch {
		case p.Variable != "":
			b.WriteString(variable(p.Variable))
		case p.Capture > 0:
			b.WriteString(capture(p.Capture))
		default:
			b.WriteString(literal(p.Literal))
		}
	}
	return b.String()
}
