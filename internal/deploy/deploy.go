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
	"young-compass/internal/server/php"
)

// Targets returns all forms in which a plan can be written.
func Targets() []server.Target {
	return []server.Target{httpd.Folder{}, httpd.Host{}, nginx.Target{}, caddy.Target{}, haproxy.Target{},
		php.Target{}}
}

// TargetOf returns the target of that name.
func TargetOf(name string) (server.Target, bool) {
	all := Targets()
	i := slices.IndexFunc(all, func(t server.Target) bool { return t.Name() == name })
	if i < 0 {
		return nil, false
	}
	return all[i], true
}

// Can says what becomes of a feature in a form: "yes", or in what it differs. Where a form differs, the words are those
// of a difference to which the tests hold the real servers.
func Can(t server.Target, f server.Feature) string {
	if what, ok := t.Limits()[f]; ok {
		return what
	}
	return "yes"
}

// Touched counts the known addresses that each difference of a target concerns,
// as warnings; one that concerns none isn't told.
func Touched(g *compile.Program, target server.Target) ([]finding.Finding, error) {
	differences := target.Differences()
	counts := make([]int, len(differences))
	example := make([]string, len(differences))
	for known := range g.Plan.KnownAddresses() {
		if server.Simple(known.Address) {
			continue
		}
		url := known.Address.String()
		r, err := server.NewAsked("GET", url)
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", url, err)
		}
		for i, x := range differences {
			if x.Applies(g, r) {
				counts[i]++
				example[i] = url
			}
		}
	}
	var found []finding.Finding
	for i, x := range differences {
		if counts[i] > 0 {
			found = append(found, finding.Finding{Code: finding.ServerDiffers, Severity: finding.Warning,
				Where:  finding.Place{File: g.Plan.Book.File, URL: example[i]},
				What:   fmt.Sprintf("%s: %d known addresses, such as this: %s", target.Name(), counts[i], x.What),
				Advice: "see docs/servers.md, " + x.Code})
		}
	}
	return found, nil
}
