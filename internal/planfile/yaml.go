package planfile

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/spelling"
)

// value is a piece of the YAML file that knows where it stands. Its methods
// report what is wrong as *finding.Input through panic, which Read turns
// into an error: a plan with one unreadable value is no plan.
type value struct {
	file string
	node ast.Node
}

// parseYAML returns the file's one document.
func parseYAML(file string, data []byte) (v value, err error) {
	if data, err = bounded(file, data); err != nil {
		return v, err
	}
	tree, err := parser.ParseBytes(data, 0)
	if err != nil {
		where, what := finding.Place{File: file}, err.Error()
		var syntax yaml.Error
		if errors.As(err, &syntax) {
			what = syntax.GetMessage()
			if t := syntax.GetToken(); t != nil {
				where.Line, where.Column = t.Position.Line, t.Position.Column
			}
		}
		return v, finding.Unreadable(where, "this can't be read as YAML: "+what, "mend the line; indentation is made "+
			"of spaces")
	}
	if len(tree.Docs) > 1 && tree.Docs[1].Body != nil {
		where := finding.Place{File: file}
		if t := tree.Docs[1].Body.GetToken(); t != nil {
			where.Line = t.Position.Line
		}
		return v, finding.Unreadable(where, "a second document begins here, behind ---",
			"a plan is one; delete the line of ---")
	}
	if len(tree.Docs) == 0 || tree.Docs[0].Body == nil {
		return v, finding.Unreadable(finding.Place{File: file, Line: 1}, "the plan is empty",
			"young-compass init writes one to start from")
	}
	return value{file, tree.Docs[0].Body}, nil
}

func (v value) place() finding.Place {
	p := finding.Place{File: v.file}
	node := v.node
	if m, ok := node.(*ast.MappingNode); ok && len(m.Values) > 0 {
		node = m.Values[0].Key
	}
	if m, ok := node.(*ast.MappingValueNode); ok {
		node = m.Key
	}
	if t := node.GetToken(); t != nil {
		p.Line, p.Column = t.Position.Line, t.Position.Column
	}
	return p
}

func (v value) fail(advice, format string, args ...any) {
	panic(finding.Unreadable(v.place(), fmt.Sprintf(format, args...), advice))
}

// entry is one key of a mapping with its value.
type entry struct {
	key   string
	at    value // the key itself
	value value
}

// entries returns the mapping's entries as written.
func (v value) entries() []entry {
	var pairs []*ast.MappingValueNode
	switch n := v.node.(type) {
	case *ast.MappingNode:
		pairs = n.Values
	case *ast.MappingValueNode:
		pairs = []*ast.MappingValueNode{n}
	case *ast.NullNode:
	default:
		v.fail("write it as key: value", "a mapping belongs here")
	}
	var list []entry
	seen := map[string]bool{}
	for _, p := range pairs {
		e := entry{key: p.Key.GetToken().Value, at: value{v.file, p.Key}, value: value{v.file, p.Value}}
		if seen[e.key] {
			e.at.fail("delete one of them", "the key %q stands here twice", address.Printable(e.key))
		}
		seen[e.key] = true
		list = append(list, e)
	}
	return list
}

// fields returns the mapping's values by key; a key that isn't known is an
// error that names the nearest one.
func (v value) fields(known ...string) map[string]value {
	m := map[string]value{}
	for _, e := range v.entries() {
		if !slices.Contains(known, e.key) {
			advice := "known here: " + strings.Join(known, ", ")
			if near := spelling.Nearest(e.key, known); near != "" {
				advice = fmt.Sprintf("did you mean %q?", near)
			}
			e.at.fail(advice, "unknown key %q", address.Printable(e.key))
		}
		m[e.key] = e.value
	}
	return m
}

// list returns the items of a sequence.
func (v value) list() []value {
	switch n := v.node.(type) {
	case *ast.SequenceNode:
		items := make([]value, len(n.Values))
		for i, item := range n.Values {
			items[i] = value{v.file, item}
		}
		return items
	case *ast.NullNode:
		return nil
	}
	v.fail("write it as [one, two]", "a list belongs here")
	return nil
}

func (v value) isList() bool {
	_, ok := v.node.(*ast.SequenceNode)
	return ok
}

func (v value) isMapping() bool {
	switch v.node.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		return true
	}
	return false
}

// text returns a scalar as written.
func (v value) text() string {
	switch n := v.node.(type) {
	case *ast.StringNode:
		return n.Value
	case *ast.IntegerNode, *ast.BoolNode, *ast.FloatNode:
		return n.GetToken().Value
	case *ast.LiteralNode:
		return n.Value.Value
	}
	v.fail("write one word or quoted text", "a text belongs here")
	return ""
}

func (v value) number(low, high int) int {
	n, err := strconv.Atoi(v.text())
	if err != nil || n < low || n > high {
		v.fail(fmt.Sprintf("write a number from %d to %d", low, high), "%q isn't such a number",
			address.Printable(v.text()))
	}
	return n
}

func (v value) oneOf(choices ...string) string {
	s := v.text()
	if !slices.Contains(choices, s) {
		v.fail("write "+strings.Join(choices, " or "), "%q is not understood here", address.Printable(s))
	}
	return s
}
