package nginx

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/block"
	"young-compass/internal/server"
)

// token is a word of a configuration, or one of ; { }.
type token struct {
	text   string // without quotes and backslashes
	end    int    // in bytes
	quoted bool
}

// is reports whether the token is one of ; { } that no quotes hide.
func (t token) is(sign string) bool { return !t.quoted && t.text == sign }

// tokens cuts a configuration as nginx does: blanks part words; ; { and } end them, but for a brace of ${name};
// quotes and # mean something at the beginning of a word alone. The code of a block in Lua is passed over.
func tokens(text string) []token {
	var list []token
	for i := 0; i < len(text); {
		switch c := text[i]; {
		case strings.IndexByte(" \t\r\n", c) >= 0:
			i++
		case c == '#':
			end := strings.IndexByte(text[i:], '\n')
			if end < 0 {
				return list
			}
			i += end
		case c == ';' || c == '{' || c == '}':
			i++
			list = append(list, token{text: string(c), end: i})
			if n := len(list); c == '{' && n > 1 && strings.HasSuffix(list[n-2].text, "_by_lua_block") {
				i = behind(text, i)
			}
		default:
			t := word(text, i)
			list = append(list, t)
			i = t.end
		}
	}
	return list
}

// word reads the word that begins at i.
func word(text string, i int) token {
	t := token{}
	var b strings.Builder
	quote := byte(0)
	if text[i] == '"' || text[i] == '\'' {
		quote, t.quoted = text[i], true
		i++
	}
	for i < len(text) {
		c := text[i]
		switch {
		case c == '\\' && i+1 < len(text):
			b.WriteByte(text[i+1])
			i += 2
			continue
		case quote != 0 && c == quote:
			t.text, t.end = b.String(), i+1
			return t
		case quote == 0 && (strings.IndexByte(" \t\r\n;", c) >= 0 || c == '{' && text[i-1] != '$'):
			t.text, t.end = b.String(), i
			return t
		}
		b.WriteByte(c)
		i++
	}
	t.text, t.end = b.String(), i
	return t
}

// behind returns where a block ends whose brace stands before i.
func behind(text string, i int) int {
	for depth := 1; i < len(text); i++ {
		switch text[i] {
		case '{':
			depth++
		case '}':
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return i
}

// frame is a block that is open.
type frame struct {
	name  string
	inner int // where it begins
	names []string
}

// servers finds the http block, and the server blocks for the hosts.
func servers(into server.Into) ([]server.Insertion, error) {
	within := "include " + filepath.Join(into.Folder, ServerFile) + ";\n"
	before := server.Insertion{Text: "include " + filepath.Join(into.Folder, HTTPFile) + ";\n"}
	var list []server.Insertion
	var open []frame
	var directive []string
	for _, t := range tokens(into.Text) {
		switch {
		case t.is("{"):
			name := ""
			if len(directive) > 0 {
				name = directive[0]
			}
			if name == "http" {
				before.At = behindShared(into.Text, lineBehind(into.Text, t.end))
			}
			open, directive = append(open, frame{name: name, inner: t.end}), nil
		case t.is("}"):
			if len(open) == 0 {
				return nil, fmt.Errorf("line %d: a } too many", 1+strings.Count(into.Text[:t.end], "\n"))
			}
			last := open[len(open)-1]
			open, directive = open[:len(open)-1], nil
			other := slices.ContainsFunc(open, func(f frame) bool { return f.name == "stream" || f.name == "mail" })
			if last.name == "server" && !other && server.NamesHost(last.names, into.Hosts) {
				list = append(list, server.Insertion{At: lineBehind(into.Text, last.inner), Text: within})
			}
		case t.is(";"):
			if len(open) > 0 && len(directive) > 1 {
				last := &open[len(open)-1]
				switch directive[0] {
				case "server_name":
					last.names = append(last.names, directive[1:]...)
				case "include":
					last.names = append(last.names, includedNames(server.Included(into.Root, directive[1]))...)
				}
			}
			directive = nil
		default:
			directive = append(directive, t.text)
		}
	}
	if len(list) == 0 {
		return nil, server.ErrNoHost
	}
	return append([]server.Insertion{before}, list...), nil
}

// SlashesFolders reports whether the file looks for real folders by try_files, which adds slashes to their addresses.
func (Target) SlashesFolders(into server.Into, _ string) bool {
	var directive []string
	for _, t := range tokens(into.Text) {
		if t.is(";") || t.is("{") || t.is("}") {
			if len(directive) > 2 && directive[0] == "try_files" && slices.Contains(directive[1:len(directive)-1],
				"$uri/") {
				return true
			}
			directive = nil
			continue
		}
		directive = append(directive, t.text)
	}
	return false
}

// behindShared is the place behind lines that all sites share, if they stand at a place: those come first.
func behindShared(text string, at int) int {
	list, err := block.Find(server.Lines(text[at:]))
	if err != nil || len(list) == 0 || list[0].Begin > 0 {
		return at
	}
	return at + server.LineStarts(server.Lines(text[at:]))[list[0].End]
}

// lineBehind is where lines can be put behind a brace: on the next line, unless more than a comment follows on this
// one.
func lineBehind(text string, at int) int {
	line, _, ended := strings.Cut(text[at:], "\n")
	if rest := strings.TrimSpace(line); ended && (rest == "" || rest[0] == '#') {
		return at + len(line) + 1
	}
	return at
}

// includedNames returns the names of hosts in files that a server block includes.
func includedNames(texts []string) (names []string) {
	for _, text := range texts {
		var directive []string
		for _, t := range tokens(text) {
			if t.is(";") || t.is("{") || t.is("}") {
				if len(directive) > 1 && directive[0] == "server_name" {
					names = append(names, directive[1:]...)
				}
				directive = nil
				continue
			}
			directive = append(directive, t.text)
		}
	}
	return names
}
