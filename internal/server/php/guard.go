package php

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/server"
	"young-compass/internal/template"
)

// What stands one by one in the per-folder file, since httpd reads and compiles it anew for each request.
const (
	maxInWay    = 20   // addresses of files that the plan decides about
	maxMatchers = 10   // expressions for what may not pass
	maxLine     = 8000 // bytes: httpd reads no longer ones from such a file, safely
)

// guard writes the lines of the per-folder file. They let a request pass for a
// file that lies there, if the plan says of all such addresses that they are
// served as they are; all others go to the script.
func (e *emitter) guard() string {
	const begin = "<IfModule mod_rewrite.c>\nRewriteEngine On\n"
	script := strings.TrimPrefix(e.folder+"/"+ScriptFile, "/")
	end := "RewriteRule \"^\" \"/" + script + "\" [END]\n</IfModule>\n"
	passes, inWay := e.passes()
	if passes == "" {
		return begin + end
	}
	var hosts []string
	for _, host := range append([]string{e.Plan.Site.Origin.Host}, e.Plan.Site.LanguageHosts...) {
		hosts = append(hosts, server.Quote(host))
	}
	conditions := []string{"%{REQUEST_FILENAME} !-f [OR]\n"}
	for _, expression := range inWay {
		conditions = append(conditions, "%{REQUEST_URI} \""+expression+"\" [NC,OR]\n")
	}
	conditions = append(conditions, "%{REQUEST_SCHEME}%{HTTP_HOST}%{THE_REQUEST} \"!^"+e.Plan.Site.Origin.Scheme+
		"(?:"+strings.Join(hosts, "|")+")[A-Z]+ /"+passes+"(?:\\?\\S*)? \"\n")
	var b strings.Builder
	b.WriteString(begin)
	for _, condition := range conditions {
		if len(condition) > maxLine {
			return begin + end
		}
		b.WriteString("RewriteCond " + condition)
	}
	return b.String() + end
}

// passes returns an expression for what stands behind the first slash of the paths that may pass, and expressions for
// those of them that may not. It returns nothing where none may pass.
func (e *emitter) passes() (expression string, inWay []string) {
	if e.Plan.Upkeep != nil || len(e.Plan.Proxies) > 0 {
		return "", nil
	}
	var places []string
	for _, h := range e.Plan.Headers {
		if h.Reader != nil || len(h.For.List()) == 0 || slices.Contains(h.For.List(), "/") {
			return "", nil
		}
		places = append(places, h.For.List()...)
	}
	if len(places) > maxInWay {
		return "", nil
	}
	if len(places) > 0 {
		inWay = append(inWay, "^"+server.Within(places)+"$")
	}
	const name = `(?:[a-z0-9_~-]+[./])*[a-z0-9_~-]+`
	var suffixes, folders []string
	for _, place := range e.Plan.FileList() {
		switch plain := strings.Trim(place, "abcdefghijklmnopqrstuvwxyz0123456789_-/.") == ""; {
		case !plain || strings.Contains(place, "//"):
		case strings.HasSuffix(place, "/") && !strings.Contains(place, "."):
			folders = append(folders, place)
		case place[0] == '.':
			suffixes = append(suffixes, place[1:])
		}
	}
	named, others := e.decided(suffixes, folders)
	if len(named) > 0 {
		inWay = append(inWay, "^(?:"+strings.Join(named, "|")+")$")
	}
	var ways []string
	if suffixes = slices.DeleteFunc(suffixes, func(s string) bool { return others["."+s] }); len(suffixes) > 0 {
		ways = append(ways, name+`\.(?:`+strings.Join(suffixes, "|")+`)`)
	}
	for _, folder := range folders {
		if !others[folder] {
			ways = append(ways, server.Quote(folder[1:])+name)
		}
	}
	for _, m := range e.Matchers {
		if !e.reads(m, suffixes, folders) {
			continue
		}
		path := m.Expression[strings.Index(m.Expression, ":")+1:]
		if i := strings.Index(path, "&"); i >= 0 { // its parameters come behind
			path = path[:i]
		}
		inWay = append(inWay, "^"+path+"$")
	}
	if len(ways) == 0 || len(inWay) > maxMatchers {
		return "", nil
	}
	return `(?:` + strings.Join(ways, "|") + `)`, inWay
}

// reads reports whether a pattern reads any of the paths that may pass.
func (e *emitter) reads(m server.Matcher, suffixes, folders []string) bool {
	var forms []string
	for _, s := range suffixes {
		forms = append(forms, "{/folders*}/{name}."+s)
	}
	for _, f := range folders {
		forms = append(forms, strings.TrimSuffix(f, "/")+"{/rest*}")
	}
	return slices.ContainsFunc(e.Program.Patterns, func(q compile.Pattern) bool {
		return q.Where == m.Where && slices.ContainsFunc(forms, func(form string) bool {
			t, err := template.Parse(form)
			if err != nil {
				return true
			}
			paths, err := template.NewReader(t, nil)
			return err != nil || !template.Disjoint(q.Reader, paths, true)
		})
	})
}

// decided returns expressions for the addresses among those that may pass about which the plan decides. Where they are
// many it returns the suffixes and folders under which they are instead.
func (e *emitter) decided(suffixes, folders []string) (named []string, places map[string]bool) {
	places = map[string]bool{}
	for i := range e.Program.Listed {
		x := &e.Program.Listed[i]
		if x.Kind == compile.Live && x.Signature == "" && !e.Inner && address.Decode(x.Target.Path) == x.Key {
			continue // served as it is, and not by a script
		}
		key, among := strings.ToLower(x.Key), false
		for _, s := range suffixes {
			if strings.HasSuffix(key, "."+s) {
				places["."+s], among = true, true
			}
		}
		for _, f := range folders {
			if strings.HasPrefix(key, f) {
				places[f], among = true, true
			}
		}
		if among && len(named) <= maxInWay {
			if expression := server.Quote(x.Key); !slices.Contains(named, expression) {
				named = append(named, expression)
			}
		}
	}
	if len(named) > maxInWay {
		return nil, places
	}
	slices.Sort(named)
	return named, nil
}
