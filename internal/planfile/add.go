package planfile

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"young-compass/internal/finding"
	"young-compass/internal/parameter"
)

// Addition is one thing to be said in a plan.
type Addition struct {
	Key   []string // site, hosts; or kinds, route
	Value string   // as it is written in YAML; of languages.others and languages.words, an item is "key: value"
	Item  bool     // of a list or a mapping that may have others
}

// Add says something in the text of a plan that doesn't say it yet; its other lines, with their comments and order,
// stay
// as they are. It returns the text unchanged where the plan says it already. Errors are a *finding.Input.
func Add(file string, data []byte, a Addition) (next []byte, added bool, err error) {
	defer func() {
		if r := recover(); r != nil {
			input, ok := r.(*finding.Input)
			if !ok {
				panic(r)
			}
			next, added, err = data, false, input
		}
	}()
	root, err := parseYAML(file, data)
	if err != nil {
		return data, false, err
	}
	at, rest := root, a.Key
	for len(rest) > 0 && at.isMapping() {
		list := at.entries()
		i := slices.IndexFunc(list, func(e entry) bool { return e.key == rest[0] })
		if i < 0 {
			break
		}
		at, rest = list[i].value, rest[1:]
	}
	if _, empty := at.node.(*ast.NullNode); empty {
		return data, false, nil // a key without a value: nobody can tell where its value should stand
	}
	t := lines{bytes.SplitAfter(data, []byte("\n"))}
	switch {
	case len(rest) > 0 && at.isMapping():
		return t.intoMapping(at, rest, a), true, nil
	case len(rest) > 0 || !a.Item:
		return data, false, nil
	case at.isList():
		if saysItem(at, a) {
			return data, false, nil
		}
		return t.intoList(at, a.Value), true, nil
	case at.isMapping():
		key, _, _ := strings.Cut(a.Value, ":")
		if slices.ContainsFunc(at.entries(), func(e entry) bool { return e.key == strings.Trim(key, `"`) }) {
			return data, false, nil
		}
		return t.intoMapping(at, nil, a), true, nil
	}
	return data, false, nil
}

// saysItem reports whether a list says an item already.
func saysItem(list value, a Addition) bool {
	wanted, err := parseYAML(list.file, []byte(a.Value))
	if err != nil {
		return false
	}
	for _, item := range list.list() {
		switch {
		case item.isMapping() && wanted.isMapping():
			has, wants := item.fieldText("from"), wanted.fieldText("from")
			if has == wants && has != "" || item.fieldText("name") == wants && wants != "" {
				return true
			}
		case item.isMapping():
			if name := item.fieldText("name"); name != "" && name == wanted.text() {
				return true
			}
		case wanted.isMapping():
		case item.text() == wanted.text():
			return true
		case a.Key[0] == "parameters":
			p := parameter.Parameter{Name: item.text()}
			if p.Names(wanted.text()) {
				return true
			}
		}
	}
	return false
}

// fieldText returns a mapping's value that is a text; empty where there is none.
func (v value) fieldText(key string) string {
	for _, e := range v.entries() {
		if s, ok := e.value.node.(*ast.StringNode); ok && e.key == key {
			return s.Value
		}
	}
	return ""
}

// lines is a text by its lines, each with its end.
type lines struct{ list [][]byte }

// nested writes an addition below the keys that are still missing.
//
//	site, hosts: [a]    hosts:\n  - a
func (a Addition) nested(keys []string, indent string) string {
	var b strings.Builder
	for i, key := range keys {
		last := i == len(keys)-1
		if last && !a.Item {
			fmt.Fprintf(&b, "%s%s: %s\n", indent, key, a.Value)
			return b.String()
		}
		fmt.Fprintf(&b, "%s%s:\n", indent, key)
		indent += "  "
	}
	if a.mappingItem() {
		return b.String() + indent + a.Value + "\n"
	}
	return b.String() + indent + "- " + a.Value + "\n"
}

// mappingItem reports whether the item is one of a mapping.
func (a Addition) mappingItem() bool {
	return a.Item && a.Key[0] == "languages" && (a.Key[len(a.Key)-1] == "others" || a.Key[len(a.Key)-1] == "words")
}

// flow writes an addition in one line, below the keys that are still missing.
func (a Addition) flow(keys []string) string {
	if len(keys) == 0 {
		return a.Value
	}
	text := a.Value
	switch {
	case a.mappingItem():
		text = "{" + text + "}"
	case a.Item:
		text = "[" + text + "]"
	}
	for i := len(keys) - 1; i >= 0; i-- {
		text = keys[i] + ": " + text
		if i > 0 {
			text = "{" + text + "}"
		}
	}
	return text
}

// intoMapping adds keys to a mapping.
func (t lines) intoMapping(v value, keys []string, a Addition) []byte {
	if m, ok := v.node.(*ast.MappingNode); ok && m.IsFlowStyle {
		return t.intoFlow(m.Start.Position.Line, m.Start.Position.Column, a.flow(keys))
	}
	first := v.entries()[0].at.place()
	indent := strings.Repeat(" ", first.Column-1)
	text := a.nested(keys, indent)
	if len(keys) == 0 {
		text = indent + a.Value + "\n"
	}
	return t.insert(t.end(first.Line, first.Column-1, false), text)
}

// intoList adds an item to a list.
func (t lines) intoList(v value, item string) []byte {
	n, ok := v.node.(*ast.SequenceNode)
	if !ok {
		return bytes.Join(t.list, nil)
	}
	start := n.Start.Position
	if n.IsFlowStyle || len(n.Values) == 0 {
		return t.intoFlow(start.Line, start.Column, item)
	}
	return t.insert(t.end(start.Line, start.Column-1, true), strings.Repeat(" ", start.Column-1)+"- "+item+"\n")
}

// end returns the number of the last line of a block that begins in a line, and whose lines are indented so far. A list
// may stand no deeper than its key, and ends there with the next key.
func (t lines) end(from, indent int, list bool) int {
	last := from
	for i := from; i < len(t.list); i++ {
		line := strings.TrimRight(string(t.list[i]), "\r\n")
		content := strings.TrimLeft(line, " ")
		if content == "" || strings.HasPrefix(content, "#") {
			continue
		}
		if depth := len(line) - len(content); depth < indent || list && depth == indent && content[0] != '-' ||
			content == "..." || content == "---" {
			break
		}
		last = i + 1
	}
	return last
}

// insert puts text behind a line.
func (t lines) insert(line int, text string) []byte {
	before := bytes.Join(t.list[:line], nil)
	if len(before) > 0 && before[len(before)-1] != '\n' {
		before = append(before, '\n')
	}
	return slices.Concat(before, []byte(text), bytes.Join(t.list[line:], nil))
}

// intoFlow puts an item before the bracket that closes what a bracket opens.
func (t lines) intoFlow(line, column int, item string) []byte {
	data := bytes.Join(t.list, nil)
	at := len(bytes.Join(t.list[:line-1], nil))
	for range column - 1 { // columns count letters
		at += len(string([]rune(string(data[at:min(len(data), at+4)]))[0]))
	}
	depth, empty := 0, true
	for i := at; i < len(data); i++ {
		switch c := data[i]; {
		case c == '[' || c == '{':
			depth++
			empty = depth == 1
		case c == ']' || c == '}':
			if depth--; depth == 0 {
				if !empty {
					for data[i-1] == ' ' && data[i-2] != ',' {
						i--
					}
					item = ", " + item
				}
				return slices.Concat(data[:i], []byte(item), data[i:])
			}
		case c == '\'' || c == '"':
			empty = false
			for i++; i < len(data) && data[i] != c; i++ {
				if data[i] == '\\' && c == '"' {
					i++
				}
			}
		case c == '#' && i > 0 && (data[i-1] == ' ' || data[i-1] == '\n'):
			for i < len(data)-1 && data[i] != '\n' {
				i++
			}
		case c != ' ' && c != '\n' && c != '\r':
			empty = false
		}
	}
	return data
}
