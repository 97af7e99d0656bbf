// Package php writes a plan for hosting where only a folder is one's own: a
// short per-folder file that lets pass what surely is served as it is, and a
// script that answers all other requests.
//
// The script takes the steps of the same flow that the other forms write in
// their server's language; here they are data, which it reads. The addresses
// lie in a table that is read with two reads, however many there are.
package php

import (
	_ "embed"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
)

// The files that Emit writes, beside the table of addresses, whose name says what is in it.
const (
	FolderFile  = ".htaccess"
	ScriptFile  = "young-compass.php"
	ProgramFile = "young-compass-program.php"
)

// format is the version of the program and of the table that the script reads.
const format = 1

//go:embed young-compass.php
var script string

// Target is a script in PHP, with a per-folder file of Apache httpd.
type Target struct{}

// Emit writes the plan. Findings say what the script can't be told.
func (t Target) Emit(g *compile.Program, o server.Options) ([]server.File, []finding.Finding) {
	flow, found := server.Decide(g, server.Server{Name: t.Name(), Folds: true, Normal: true}, o)
	e := &emitter{Flow: flow, folder: strings.Trim(o.Folder, "/"), found: found}
	data := e.table()
	if finding.Worst(e.found, finding.Error) {
		return nil, e.found
	}
	name := data.name()
	head := o.Head(g, "PHP") + "# Put the lines of " + FolderFile + " into that of the site's document root, before all others; " +
		"they need mod_rewrite,\n# and AllowOverride FileInfo.\n" + leftOut(o.Guard)
	files := []server.File{
		{Name: FolderFile, Data: []byte(o.Brief(ProgramFile) + e.guard(o))},
		{Name: ScriptFile, Data: []byte(script)},
		{Name: ProgramFile, Data: e.program(head, name, data)},
		{Name: name, Data: data.bytes, Raw: true},
	}
	slices.SortFunc(files, func(a, b server.File) int { return strings.Compare(a.Name, b.Name) })
	return files, e.found
}

// leftOut says what a guard leaves out.
func leftOut(which server.Guard) string {
	switch which {
	case server.GuardHost:
		return "# --guard host: where a real file lies, the plan isn't asked, but for other schemes and hosts.\n"
	case server.GuardNone:
		return "# --guard none: where a real file lies, the plan isn't asked: not for its host and scheme either.\n"
	}
	return ""
}

type emitter struct {
	*server.Flow
	folder string // of the script, below the document root; empty: the root itself
	found  []finding.Finding
}

// quote writes a string of PHP.
func quote(s string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, `'`, `\'`).Replace(s) + "'"
}

// list writes an array of PHP.
func list(items ...string) string { return "[" + strings.Join(items, ", ") + "]" }

// quoted writes an array of strings.
func quoted(items []string) string {
	all := make([]string, len(items))
	for i, item := range items {
		all[i] = quote(item)
	}
	return list(all...)
}

// text writes a text: a string; or literals, [names of variables] and numbers of what an expression captured.
func text(t server.Text) string {
	if s, ok := t.Literal(); ok {
		return quote(s)
	}
	var parts []string
	for _, p := range t {
		switch {
		case p.Variable != "":
			parts = append(parts, list(quote(p.Variable)))
		case p.Capture > 0:
			parts = append(parts, strconv.Itoa(p.Capture))
		default:
			parts = append(parts, quote(p.Literal))
		}
	}
	return list(parts...)
}

// expression writes an expression between tildes, as PHP wants it.
func expression(s string, fold bool) string {
	var b strings.Builder
	b.WriteByte('~')
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] == '\\' && i+1 < len(s):
			b.WriteByte(s[i])
			i++
		case s[i] == '~':
			b.WriteByte('\\')
		}
		b.WriteByte(s[i])
	}
	b.WriteString("~sD")
	if fold {
		b.WriteByte('i')
	}
	return quote(b.String())
}

// program writes what the script reads: the steps, and where the addresses are.
func (e *emitter) program(head, name string, data *table) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "<?php\n%s", head)
	b.WriteString("if (!isset($young_compass)) { // asked for by its address\n\thttp_response_code(404);\n\texit;\n}\nreturn [\n")
	entry := func(name, value string) { fmt.Fprintf(&b, "%s => %s,\n", quote(name), value) }
	entry("format", strconv.Itoa(format))
	entry("folder", quote(e.folder))
	entry("data", quote(name))
	entry("size", strconv.Itoa(len(data.bytes)))
	entry("slots", strconv.Itoa(data.slots))
	entry("lower", strconv.FormatBool(e.Plan.Paths.Lower))
	entry("hosts", strconv.FormatBool(e.HasHosts()))
	front := ""
	if e.Plan.Front != nil {
		front = e.Plan.Front.To
	}
	entry("front", quote(front))
	entry("index", quoted(e.Plan.Paths.Index))
	var extensions []string
	if e.Plan.Paths.NoExtension {
		extensions = address.PageExtensions()
	}
	entry("extensions", quoted(extensions))
	var sets, patterns, headers []string
	for _, set := range e.Sets {
		sets = append(sets, quoted(set))
	}
	for _, m := range e.Matchers {
		patterns = append(patterns, list(expression("^"+m.Expression+`\z`, false), text(m.Value)))
	}
	for _, h := range e.Headers {
		headers = append(headers, list(quote(h.Name), quote(h.Variable)))
	}
	entry("quick", e.quick())
	entry("sets", list(sets...))
	entry("patterns", list(patterns...))
	entry("headers", list(headers...))
	b.WriteString("'steps' => [\n")
	for _, step := range e.Steps {
		e.step(&b, step)
	}
	b.WriteString("]];\n")
	return []byte(b.String())
}

// quick writes which requests are spared the steps: those for plain addresses of the origin. What an entry says of them
// is answered, and what has none is left to the site.
func (e *emitter) quick() string {
	if e.Quick == nil || len(e.Headers) > 0 || e.HasHosts() {
		return "null"
	}
	var hidden []string
	for _, h := range e.Quick.Hidden {
		hidden = append(hidden, expression(h, false))
	}
	return list("'origin' => "+quote(e.Plan.Site.Origin.Base()), "'path' => "+expression(e.Quick.Path, false),
		"'hidden' => "+list(hidden...), "'groups' => "+quoted(e.Quick.Groups),
		"'flags' => "+quote(strings.Repeat("0", len(e.Excepts))+"0:"))
}

// step writes a step.
func (e *emitter) step(b *strings.Builder, step server.Step) {
	write := func(parts ...string) { b.WriteString(list(parts...) + ",\n") }
	switch s := step.(type) {
	case server.Note:
		fmt.Fprintf(b, "// %s\n", s)
	case *server.Table:
		var rows []string
		for _, r := range s.Rows {
			exact, found := "null", "null"
			switch {
			case r.Expression != "":
				found = expression(r.Expression, s.Fold)
			case s.Fold:
				exact = quote(address.Fold(r.Exact))
			default:
				exact = quote(r.Exact)
			}
			rows = append(rows, list(exact, found, text(r.Value)))
		}
		write(quote("table"), quote(s.Name), text(s.Source), text(s.Else), list(rows...), strconv.FormatBool(s.Fold))
	case *server.Lookup:
		write(quote("look up"))
	case *server.Same:
		write(quote("same"), expression(`^[01] `+server.Reading{Identity: `(.*)\z`}.Stay(""), false))
	case *server.Equal:
		write(quote("equal"), quote(s.Name), quote(s.One), quote(s.Other))
	case *server.Lower:
		write(quote("small"), quote(s.Name), quote(s.Source))
	case *server.Keep:
		write(quote("keep"))
	case *server.Client:
		var networks []string
		for _, n := range s.Networks {
			networks = append(networks, n.String())
		}
		write(quote("client"), quote(s.Name), quoted(networks))
	}
}

// key is what an entry is looked up by: its host, the forms it is looked up in, group, path and signature.
func (e *emitter) key(x *compile.Listed, group func(string) int) string {
	form := "s"
	if !server.Spelled(e.Program, *x) {
		form = "a"
	}
	return x.Host + "/" + form + strconv.Itoa(group(x.Key)) + ":" + x.Key + x.Signature
}

// table writes the addresses.
func (e *emitter) table() *table {
	group := server.GroupOf(e.Program)
	identity := func(path string) string { return path }
	size := 0 // of nearly all records
	for i := range e.Program.Listed {
		x := &e.Program.Listed[i]
		size += len(x.Key) + len(x.Signature) + len(x.Target.Host) + len(x.Target.Path) + len(x.Target.Query) +
			len("0000/s0:m301/301 0 https://")
	}
	t := newTable(len(e.Program.Listed), size)
	for i := range e.Program.Listed {
		x := &e.Program.Listed[i]
		if key, action := e.key(x, group), e.Action(*x, identity).String(); !t.add(key, action) {
			e.found = append(e.found, server.NotExpressible(Target{}.Name(), x.Where,
				fmt.Sprintf("an address of more than %d bytes", longest), "shorten the address"))
		}
	}
	if !t.fits() {
		e.found = append(e.found, server.NotExpressible(Target{}.Name(), plan.Cause{File: e.Plan.File},
			"a table of more than 4 GB", "let fewer addresses be known"))
	}
	return t
}
