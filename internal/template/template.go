// Package template holds URI Templates: RFC 6570 for writing an address, and a
// stated subset of it for reading an address back (see Reader).
package template

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"young-compass/internal/address"
)

// Values gives variables their values. A variable that isn't there, or has an
// empty list, is undefined.
type Values map[string][]string

// Template is a parsed URI Template.
type Template struct {
	source string
	parts  []part
}

// part is a literal, or an expression when op or vars are set.
type part struct {
	literal string
	op      byte // 0 or one of "+#./;?&"
	vars    []variable
}

type variable struct {
	name    string
	explode bool
	prefix  int // 0: none
}

// Parse reads a URI Template of any level. Errors name the byte, counted from 1.
func Parse(source string) (*Template, error) {
	t := &Template{source: source}
	for i := 0; i < len(source); {
		open := strings.IndexAny(source[i:], "{}")
		if open < 0 {
			t.parts = append(t.parts, part{literal: source[i:]})
			break
		}
		if source[i+open] == '}' {
			return nil, fmt.Errorf("a } without its { at byte %d", i+open+1)
		}
		if open > 0 {
			t.parts = append(t.parts, part{literal: source[i : i+open]})
		}
		i += open
		length := strings.IndexByte(source[i:], '}')
		if length < 0 {
			return nil, fmt.Errorf("a { without its } at byte %d", i+1)
		}
		p, err := parseExpression(source[i+1 : i+length])
		if err != nil {
			return nil, fmt.Errorf("%s at byte %d: %w", source[i:i+length+1], i+1, err)
		}
		t.parts = append(t.parts, p)
		i += length + 1
	}
	return t, nil
}

func parseExpression(s string) (part, error) {
	var p part
	if s != "" && strings.IndexByte("+#./;?&", s[0]) >= 0 {
		p.op, s = s[0], s[1:]
	}
	for _, spec := range strings.Split(s, ",") {
		v := variable{name: spec}
		if name, ok := strings.CutSuffix(spec, "*"); ok {
			v.name, v.explode = name, true
		} else if name, length, ok := strings.Cut(spec, ":"); ok {
			v.name = name
			if _, err := fmt.Sscanf(length, "%d", &v.prefix); err != nil || v.prefix < 1 || v.prefix > 9999 ||
				fmt.Sprint(v.prefix) != length {
				return p, fmt.Errorf("%q is not a prefix length from 1 to 9999", length)
			}
		}
		if !variableName(v.name) {
			return p, fmt.Errorf("%q is not a variable name", v.name)
		}
		p.vars = append(p.vars, v)
	}
	return p, nil
}

// variableName follows RFC 6570 section 2.3.
func variableName(s string) bool {
	if s == "" || s[0] == '.' || s[len(s)-1] == '.' || strings.Contains(s, "..") {
		return false
	}
	for i := 0; i < len(s); i++ {
		c := s[i]
		switch {
		case c == '%':
			if i+2 >= len(s) || strings.Trim(s[i+1:i+3], "0123456789abcdefABCDEF") != "" {
				return false
			}
			i += 2
		case c != '_' && c != '.' && !(c|0x20 >= 'a' && c|0x20 <= 'z') && !('0' <= c && c <= '9'):
			return false
		}
	}
	return true
}

// String returns the template as written.
func (t *Template) String() string { return t.source }

// Names returns the variables, each once, in order of first use.
func (t *Template) Names() []string {
	var names []string
	for _, p := range t.parts {
		for _, v := range p.vars {
			if !slices.Contains(names, v.name) {
				names = append(names, v.name)
			}
		}
	}
	return names
}

// MapLiterals returns a template whose path segments that are literal words are
// replaced by what word returns for them.
func (t *Template) MapLiterals(word func(string) string) *Template {
	out := &Template{}
	for _, p := range t.parts {
		if p.vars == nil {
			segments := strings.Split(p.literal, "/")
			for i, segment := range segments {
				segments[i] = word(segment)
			}
			p.literal = strings.Join(segments, "/")
			out.source += p.literal
		} else {
			out.source += p.String()
		}
		out.parts = append(out.parts, p)
	}
	return out
}

// Under returns the template with a path in front of it.
func (t *Template) Under(path string) *Template {
	return &Template{source: path + t.source, parts: slices.Concat([]part{{literal: path}}, t.parts)}
}

func (p part) String() string {
	if p.vars == nil {
		return p.literal
	}
	var b strings.Builder
	b.WriteByte('{')
	if p.op != 0 {
		b.WriteByte(p.op)
	}
	for i, v := range p.vars {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString(v.name)
		switch {
		case v.explode:
			b.WriteByte('*')
		case v.prefix > 0:
			fmt.Fprintf(&b, ":%d", v.prefix)
		}
	}
	b.WriteByte('}')
	return b.String()
}

// operator is a row of the table in RFC 6570 appendix A.
type operator struct {
	first, separator string
	named            bool
	ifEmpty          string
	reserved         bool
}

func operatorOf(op byte) operator {
	switch op {
	case '+':
		return operator{"", ",", false, "", true}
	case '#':
		return operator{"#", ",", false, "", true}
	case '.':
		return operator{".", ".", false, "", false}
	case '/':
		return operator{"/", "/", false, "", false}
	case ';':
		return operator{";", ";", true, "", false}
	case '?':
		return operator{"?", "&", true, "=", false}
	case '&':
		return operator{"&", "&", true, "=", false}
	}
	return operator{"", ",", false, "", false}
}

// Pair is an item of an associative array.
type Pair struct{ Name, Value string }

// Expand writes the template with these values (RFC 6570 section 3).
func (t *Template) Expand(values Values) string { return t.ExpandPairs(values, nil) }

// Sample expands the template with a harmless value for each variable.
//
//	/routes/{slug}{?page}  ->  /routes/x?page=x
func (t *Template) Sample() string {
	values := Values{}
	for _, name := range t.Names() {
		values[name] = []string{"x"}
	}
	return t.Expand(values)
}

// ExpandPairs is Expand with further variables that are associative arrays.
func (t *Template) ExpandPairs(values Values, pairs map[string][]Pair) string {
	var b strings.Builder
	b.Grow(len(t.source) + 64)
	for _, p := range t.parts {
		if p.vars == nil {
			b.WriteString(encode(p.literal, true))
			continue
		}
		o := operatorOf(p.op)
		lead := o.first
		for _, v := range p.vars {
			list := values[v.name]
			if array := pairs[v.name]; len(array) > 0 {
				b.WriteString(lead)
				lead = o.separator
				writePairs(&b, o, v, array)
				continue
			}
			if len(list) == 0 {
				continue
			}
			b.WriteString(lead)
			lead = o.separator
			if !v.explode {
				if o.named {
					b.WriteString(v.name)
					if len(list) == 1 && list[0] == "" {
						b.WriteString(o.ifEmpty)
						continue
					}
					b.WriteByte('=')
				}
				for i, item := range list {
					if i > 0 {
						b.WriteByte(',')
					}
					b.WriteString(encode(cut(item, v.prefix), o.reserved))
				}
				continue
			}
			for i, item := range list {
				if i > 0 {
					b.WriteString(o.separator)
				}
				if o.named {
					b.WriteString(v.name)
					if item == "" {
						b.WriteString(o.ifEmpty)
						continue
					}
					b.WriteByte('=')
				}
				b.WriteString(encode(item, o.reserved))
			}
		}
	}
	return b.String()
}

// writePairs writes an associative array: as name=value with "*", else as a
// list of names and values in turn.
func writePairs(b *strings.Builder, o operator, v variable, array []Pair) {
	inside, between := ",", ","
	if v.explode {
		inside, between = "=", o.separator
	} else if o.named {
		b.WriteString(v.name + "=")
	}
	for i, p := range array {
		if i > 0 {
			b.WriteString(between)
		}
		b.WriteString(encode(p.Name, o.reserved))
		if v.explode && o.named && p.Value == "" {
			b.WriteString(o.ifEmpty)
			continue
		}
		b.WriteString(inside + encode(p.Value, o.reserved))
	}
}

// cut returns the first n characters, all of them for n = 0.
func cut(s string, n int) string {
	if n == 0 || utf8.RuneCountInString(s) <= n {
		return s
	}
	return string([]rune(s)[:n])
}

// encode percent-encodes what isn't unreserved; with reserved, also lets
// reserved characters and encoded bytes stand.
func encode(s string, reserved bool) string {
	clean := 0
	for clean < len(s) && (address.Unreserved(s[clean]) || reserved && s[clean] == '/') {
		clean++
	}
	if clean == len(s) {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		c := s[i]
		encoded := reserved && c == '%' && i+2 < len(s) && strings.Trim(s[i+1:i+3], "0123456789abcdefABCDEF") == ""
		if address.Unreserved(c) || encoded || reserved && strings.IndexByte(":/?#[]@!$&'()*+,;=", c) >= 0 {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02X", c)
		}
	}
	return b.String()
}

// Piece is a stretch of what a template writes: a literal, or the value of a
// variable. A list's value has a slash in front of each of its items.
type Piece struct {
	Literal string
	Name    string
	List    bool
}

// Pieces returns what the template writes, as far as it is of the kind that
// Reader reads; of other templates the second result is false.
func (t *Template) Pieces() ([]Piece, bool) {
	var pieces []Piece
	literal := func(s string) { pieces = append(pieces, Piece{Literal: s}) }
	for _, p := range t.parts {
		if p.vars == nil {
			literal(encode(p.literal, true))
			continue
		}
		o := operatorOf(p.op)
		lead := o.first
		for _, v := range p.vars {
			switch {
			case v.prefix > 0 || v.explode && p.op != '/':
				return nil, false
			case v.explode:
				pieces = append(pieces, Piece{Name: v.name, List: true})
			case p.op == 0 && len(p.vars) == 1:
				pieces = append(pieces, Piece{Name: v.name})
			case p.op == '/' || p.op == '?' || p.op == '&':
				if o.named {
					lead += v.name + "="
				}
				literal(lead)
				pieces = append(pieces, Piece{Name: v.name})
			default:
				return nil, false
			}
			lead = o.separator
		}
	}
	return pieces, true
}
