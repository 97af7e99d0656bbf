// Package deploy brings a plan to a server: the forms in which it can be
// written, what each can't do, and the pieces put into the server's own files
// and taken out again.
package deploy

import (
	"fmt"
	"slices"

	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/server"
	"young-compass/internal/server/caddy"
	"young-compass/internal/server/haproxy"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/nginx"
)

// Form is a way to write a plan for a server.
type Form struct {
	Name   string
	Server string
	Emit   func(*compile.Program, server.Options) ([]server.File, []finding.Finding)
}

// Forms returns all forms.
func Forms() []Form {
	return []Form{
		{"htaccess", "Apache httpd, its per-folder file", httpd.Folder},
		{"apache", "Apache httpd, its own configuration", httpd.Host},
		{"nginx", "nginx", nginx.Emit},
		{"caddy", "Caddy", caddy.Emit},
		{"haproxy", "HAProxy", haproxy.Emit},
	}
}

// FormOf returns the form of that name.
func FormOf(name string) (Form, bool) {
	i := slices.IndexFunc(Forms(), func(f Form) bool { return f.Name == name })
	if i < 0 {
		return Form{}, false
	}
	return Forms()[i], true
}

// Feature is something that a plan can ask for, with what becomes of it in each
// form: "yes", or in what it differs.
type Feature struct {
	Name string
	In   map[string]string // by form
}

// Features returns the table of features. Where a form differs, the words are
// those of an exception (server.Exceptions), to which the tests hold the real
// servers.
func Features() []Feature {
	var list []Feature
	add := func(name string, differs map[string]string) {
		f := Feature{name, map[string]string{}}
		for _, form := range Forms() {
			f.In[form.Name] = "yes"
			if what, ok := differs[form.Name]; ok {
				f.In[form.Name] = what
			}
		}
		list = append(list, f)
	}
	add("redirects from listed addresses, with parameters", map[string]string{"htaccess": "slow from 50", "caddy": "slow from 200"})
	add("addresses with bytes that are no UTF-8", map[string]string{"caddy": "refused"})
	add("targets with {words} or backquotes in their query", map[string]string{"caddy": "refused"})
	add("addresses of more than 4 kB", map[string]string{"nginx": "refused", "htaccess": "refused above 8 kB", "apache": "refused above 8 kB", "haproxy": "refused above 8 kB"})
	add("parameters whose value holds //", map[string]string{"htaccess": "refused", "apache": "refused up to 30 addresses"})
	add("redirects by pattern, up to 8 variables", nil)
	add("gone (410), unknown (404)", nil)
	add("scheme, host, hosts of languages", nil)
	add("slash, extension, index file, language prefix", nil)
	add("small letters in listed addresses", nil)
	add("small letters in all other addresses", map[string]string{"nginx": "letters stay", "caddy": "letters stay"})
	add("doubled slashes and dot segments", map[string]string{"htaccess": "slashes first", "apache": "slashes first", "nginx": "slashes first", "caddy": "slashes first"})
	add("paths above the root, %00", map[string]string{"htaccess": "400 or 404", "apache": "400 or 404", "nginx": "400"})
	add("noise between more than 8 parameters", map[string]string{"htaccess": "two hops", "apache": "two hops", "nginx": "two hops", "caddy": "two hops"})
	add("other bytes in addresses nobody listed", map[string]string{"htaccess": "as sent", "apache": "as sent", "nginx": "as sent", "caddy": "as sent", "haproxy": "as sent"})
	add("response headers", nil)
	add("internal addresses, front controller", map[string]string{"htaccess": "a last & is lost", "apache": "a last & is lost"})
	add("maintenance (503)", nil)
	add("trusted proxies", nil)
	add("except: and only:", nil)
	add("installed into the server's own file", map[string]string{"caddy": "into a route block"})
	return list
}

// Touched counts the known addresses that each exception of a form concerns,
// as warnings; one that concerns none isn't told.
func Touched(g *compile.Program, form string) ([]finding.Finding, error) {
	exceptions := server.Exceptions(form)
	counts := make([]int, len(exceptions))
	example := make([]string, len(exceptions))
	for _, e := range g.Plan.Book.Entries {
		if server.Simple(e.Address) {
			continue
		}
		url := e.Address.String()
		r, err := server.NewAsked("GET", url)
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", url, err)
		}
		for i, x := range exceptions {
			if x.Applies(g, r) {
				counts[i]++
				example[i] = url
			}
		}
	}
	var found []finding.Finding
	for i, x := range exceptions {
		if counts[i] > 0 {
			found = append(found, finding.Finding{Code: "server-differs", Severity: finding.Warning, Where: finding.Place{File: g.Plan.Book.File, URL: example[i]},
				What: fmt.Sprintf("%s: %d known addresses, such as this: %s", form, counts[i], x.What), Advice: "see docs/servers.md, " + x.Code})
		}
	}
	return found, nil
}
