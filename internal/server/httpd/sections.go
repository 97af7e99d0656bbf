package httpd

import (
	"slices"
	"strings"

	"young-compass/internal/server"
)

// section is a virtual host of a configuration.
type section struct {
	at    int      // behind its first line
	names []string // of hosts
}

// hostSections finds the virtual hosts of the site.
func hostSections(into server.Into, text string) ([]server.Insertion, error) {
	c := &configuration{root: into.Root, uses: map[string][][]string{}}
	c.read(into.Text)
	var list []server.Insertion
	for _, s := range c.sections {
		if server.NamesHost(s.names, into.Hosts) {
			list = append(list, server.Insertion{At: s.at, Text: text})
		}
	}
	if len(list) == 0 {
		return nil, server.ErrNoHost
	}
	return list, nil
}

// configuration is what is read of a file of httpd.
type configuration struct {
	root     string
	sections []section
	uses     map[string][][]string // of macros, with their values
}

// read finds the virtual hosts of a file. Those in macros have the names that the file uses the macro with.
func (c *configuration) read(text string) {
	lines := logical(text)
	for _, l := range lines {
		if w := l.words; len(w) > 1 && strings.EqualFold(w[0], "Use") {
			name := strings.ToLower(w[1])
			c.uses[name] = append(c.uses[name], w[2:])
		}
	}
	macro, parameters := "", []string(nil)
	open := -1
	for _, l := range lines {
		w := l.words
		if len(w) == 0 {
			continue
		}
		switch word := strings.ToLower(w[0]); {
		case word == "<macro" && len(w) > 1:
			macro, parameters = strings.ToLower(w[1]), w[2:]
		case word == "</macro":
			macro, parameters = "", nil
		case word == "<virtualhost":
			c.sections = append(c.sections, section{at: l.end})
			open = len(c.sections) - 1
		case word == "</virtualhost":
			open = -1
		case open >= 0 && (word == "servername" || word == "serveralias"):
			c.name(open, w[1:], macro, parameters)
		case open >= 0 && (word == "include" || word == "includeoptional") && len(w) > 1:
			c.name(open, includedNames(server.Included(c.root, w[1])), macro, parameters)
		}
	}
}

// name notes names of a virtual host, with the values of a macro's parameters in them.
func (c *configuration) name(section int, names []string, macro string, parameters []string) {
	add := func(name string) { c.sections[section].names = append(c.sections[section].names, name) }
	for _, name := range names {
		add(name)
		for _, values := range c.uses[macro] {
			var pairs []string
			for i, p := range parameters[:min(len(parameters), len(values))] {
				pairs = append(pairs, p, values[i])
			}
			add(strings.NewReplacer(pairs...).Replace(name))
		}
	}
}

// includedNames returns the names of hosts in files that a virtual host includes.
func includedNames(texts []string) (names []string) {
	for _, text := range texts {
		for _, l := range logical(text) {
			if w := l.words; len(w) > 1 && (strings.EqualFold(w[0], "ServerName") || strings.EqualFold(w[0],
				"ServerAlias")) {
				names = append(names, w[1:]...)
			}
		}
	}
	return names
}

// logicalLine is a line of a configuration, of several in the file where they end in a backslash.
type logicalLine struct {
	words []string
	end   int // in bytes
}

// logical returns the lines of a text.
func logical(text string) (list []logicalLine) {
	joined, at := "", 0
	for line := range strings.Lines(text) {
		at += len(line)
		bare := strings.TrimRight(line, "\r\n")
		if begun, ok := strings.CutSuffix(bare, `\`); ok {
			joined += begun + " "
			continue
		}
		words := server.Words(joined + bare)
		joined = ""
		if n := len(words); n > 0 && words[0][0] == '<' { // a section: the bracket at the end belongs to no word
			words[n-1] = strings.TrimSuffix(words[n-1], ">")
			words = slices.DeleteFunc(words, func(w string) bool { return w == "" })
		}
		list = append(list, logicalLine{words, at})
	}
	return list
}
