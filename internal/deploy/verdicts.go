package deploy

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
	"young-compass/internal/plan"
)

// say adds a finding about a line, and says it in the table.
func (x *existing) say(code finding.Code, severity finding.Severity, line int, url, what, advice string) {
	x.found = append(x.found, finding.Finding{Code: code, Severity: severity,
		Where: finding.Place{File: x.Name, Line: line, URL: url}, What: address.Printable(what), Advice: advice})
}

// beside says in the table what a rule does to the plan's answers; the first that is said counts.
func (x *existing) beside(line int, what string) {
	if r := x.rules[line]; r != nil && r.Beside == "" {
		r.Beside = what
	}
}

// tell makes findings of what was noted.
func (x *existing) tell() {
	merge := "take the line out; young-compass redirects merge " + address.Printable(x.Name) + " takes its rows into the plan"
	for _, code := range []finding.Code{finding.ExistingLoop, finding.ExistingRedirect, finding.ExistingHop, finding.ExistingUncertain} {
		for _, r := range x.Rules {
			m := x.met[meeting{code, r.Line}]
			if m == nil {
				continue
			}
			advice := merge
			if r.Everywhere() {
				advice = "take the rule and its conditions out; the plan leads to " + x.plan.Site.Origin.Base() + " by itself"
			}
			switch code {
			case finding.ExistingLoop:
				x.say(code, finding.Error, r.Line, m.url, fmt.Sprintf("%d addresses are led round in a circle, such as %s", m.addresses, m.way),
					advice)
				x.beside(r.Line, "a circle")
			case finding.ExistingRedirect:
				x.say(code, finding.Warning, r.Line, m.url, fmt.Sprintf("%d addresses are answered by this line, and otherwise than by the plan: %s",
					m.addresses, m.way), advice)
				x.beside(r.Line, "goes before the plan")
			case finding.ExistingHop:
				x.say(code, finding.Warning, r.Line, m.url, fmt.Sprintf("%d addresses arrive in more than one hop: %s", m.addresses, m.way), advice)
				x.beside(r.Line, "a further hop")
			default:
				why := r.Uncertain
				if why == "" {
					why = "it depends on what isn't known beforehand"
				}
				x.say(code, finding.Note, r.Line, "", "what this line does isn't judged: "+why, "look at it yourself")
				x.beside(r.Line, "not judged")
			}
		}
	}
}

// settings judges what the file says beside rules.
func (x *existing) settings() {
	if x.Engine > 0 && !x.On {
		x.say(finding.RewritingOff, finding.Error, x.Engine, "", "RewriteEngine is off, and the last word on it counts for the plan's rules, too",
			"take the line out")
	}
	if x.Engine == 0 && slices.ContainsFunc(x.Rules, func(r *folderfile.Rule) bool { return !r.Alias() }) {
		x.say(finding.ExistingRedirect, finding.Warning, x.Rules[0].Line, "", "the file's rewrite rules were off, and the plan switches them on",
			"take them out, unless they are wanted")
		x.On = true
	}
	for _, r := range x.Rules {
		if r.Reads("X-Forwarded-Proto") || r.Reads("X-Forwarded-SSL") {
			x.rules[r.Line].Does = "asks a proxy's header for the scheme"
			if len(x.plan.Proxies) == 0 && x.plan.Site.Origin.Scheme == "https" {
				x.say(finding.ProxyEndsTLS, finding.Error, r.Line, x.plan.Site.Origin.Base()+"/",
					"this line asks a proxy's header for the scheme: behind a proxy that ends TLS the plan would lead every page round in a circle",
					"name the proxy's addresses in site.trusted-proxies (the host tells them), or --force if there is no proxy any more")
				x.beside(r.Line, "a circle, if there is a proxy")
			}
		}
	}
	for _, l := range x.Says {
		x.setting(l)
	}
}

// setting judges one such line.
func (x *existing) setting(l folderfile.Line) {
	all := strings.ToLower(strings.Join(l.Words, " "))
	off := func(what string) {
		x.say(finding.RewritingOff, finding.Error, l.Number, "", what, "take the line out, or use emit htaccess")
	}
	switch l.Words[0] {
	case "errordocument":
		row := &Existing{Line: l.Number, Text: l.Text, Does: "page for an error"}
		x.rules[l.Number] = row
		if status := l.Words[min(1, len(l.Words)-1)]; x.script && slices.Contains([]string{"404", "410", "503"}, status) {
			row.Beside = "isn't asked any more"
			x.say(finding.ExistingUnasked, finding.Warning, l.Number, "", "the script answers "+status+" by itself, and doesn't show this page",
				"name the page "+status+".html and put it into the document root: the script shows that")
		}
	case "directoryslash", "fallbackresource":
		row := &Existing{Line: l.Number, Text: l.Text, Does: "adds slashes to folders, or not"}
		x.rules[l.Number] = row
		if l.Words[0] == "fallbackresource" {
			row.Does = "sends what isn't there to a script"
			to := l.Words[min(1, len(l.Words)-1)]
			if x.script && (x.plan.Front == nil || x.plan.Front.To != to) && !strings.EqualFold(to, "disabled") {
				row.Beside = "isn't asked any more"
				x.unnamed(l.Number, to)
			}
		}
	case "php_flag", "php_value":
		if x.script && strings.HasPrefix(strings.TrimSpace(strings.TrimPrefix(all, l.Words[0])), "engine ") &&
			slices.Contains([]string{"off", "0", "false"}, l.Words[len(l.Words)-1]) {
			off("PHP is off here, and visitors would be shown the script's text")
		}
	case "removehandler", "removetype":
		if x.script && strings.Contains(all, "php") {
			off("PHP doesn't run .php here any more, and visitors would be shown the script's text")
		}
	case "sethandler", "addtype", "addhandler":
		if x.script && l.Inside == "" && (strings.Contains(all, "text/plain") || strings.Contains(all, "default-handler") ||
			strings.HasSuffix(all, " none")) && (l.Words[0] == "sethandler" || strings.Contains(all, "php")) {
			off("PHP doesn't run .php here, and visitors would be shown the script's text")
		}
	}
}

func (x *existing) unnamed(line int, to string) {
	if script, _, ok := strings.Cut(to, ".php/"); ok {
		x.say(finding.FrontUnnamed, finding.Error, line, "",
			script+".php makes pages, and gets the path behind its own name: the plan's script doesn't do that",
			"use emit htaccess, or let the site's script read the address that was asked (REQUEST_URI), and name it in front-controller:")
		return
	}
	x.say(finding.FrontUnnamed, finding.Error, line, "", to+" makes pages, and the plan doesn't name it: all of them would say 404",
		"write front-controller: {to: "+address.Printable(to)+"} into the plan")
}

// front finds the script to which the file sends what isn't there. The plan's script goes on with it only if the plan
// names it.
func (x *existing) front() error {
	if !x.script {
		return nil
	}
	for at := range x.everywhere("/no-such-page", "/no-such-folder/no-such-page") {
		out := x.Answer(folderfile.Request{Scheme: at.Scheme, Host: at.Host, Path: at.Path, Lies: x.lies})
		if out.Inside == "" || out.Rule == nil {
			continue // a rule may lead from this host to another one
		}
		x.rules[out.Rule.Line].Does = "sends pages to " + out.Inside
		x.beside(out.Rule.Line, "the plan does that")
		if x.plan.Front == nil || x.plan.Front.To != out.Inside && !strings.HasPrefix(x.plan.Front.To, out.Inside+"?") {
			x.rules[out.Rule.Line].Beside = "isn't asked any more"
			x.unnamed(out.Rule.Line, out.Inside)
		}
		return nil
	}
	return nil
}

// leads returns where the plan leads a path or an address; empty for where nothing is any more.
func (x *existing) leads(to string) (string, error) {
	at, err := address.Resolve(x.plan.Site.Origin, to)
	if to == "" || err != nil {
		return "", nil
	}
	a, err := x.answers.Answer(plan.Request{Method: "GET", Address: at})
	switch {
	case err != nil:
		return "", fmt.Errorf("answering %s: %w", at, err)
	case a.Outcome == plan.Moved:
		return a.To, nil
	case a.Outcome == plan.Gone:
		return "", nil
	}
	return at.String(), nil
}

// unasked finds rules that aren't asked any more since the script answers, and that the plan has nothing for.
func (x *existing) unasked() error {
	if !x.script {
		return nil
	}
	missing, first := 0, folderfile.Row{}
	aliases := map[int]bool{}
	for _, r := range x.Rules {
		aliases[r.Line] = r.Alias()
	}
	for _, row := range x.rows {
		if aliases[row.Line] || row.Class != "" {
			continue
		}
		planned, err := x.leads(row.From)
		if err != nil {
			return err
		}
		wanted, err := x.leads(row.To)
		if err != nil {
			return err
		}
		if planned != wanted {
			if missing++; missing == 1 {
				first = row
			}
			x.beside(row.Line, "isn't asked any more")
		}
	}
	if missing > 0 {
		x.say(finding.ExistingUnasked, finding.Warning, first.Line, "", fmt.Sprintf("%d redirects of the file aren't asked any more, such as "+
			"%s to %s", missing, first.From, first.To), "young-compass redirects merge "+address.Printable(x.Name)+" takes them into the plan")
	}
	left := map[int]string{}
	lasting, bound := x.Lasting()
	for _, r := range bound {
		left[r.Line] = "it depends on the rules about it, and isn't asked any more"
	}
	for _, r := range x.Rules {
		if slices.Contains(lasting, r.Text) {
			x.beside(r.Line, "stays in front of the plan")
		}
	}
	for _, u := range x.unread {
		if !u.Alias() && !u.Everywhere() {
			left[u.Line] = "it redirects, and isn't asked any more where no file lies"
		}
	}
	for _, r := range x.Rules {
		if r.Rewrites() && x.rules[r.Line].Beside == "" {
			left[r.Line] = "it isn't asked any more where no file lies"
		}
	}
	for _, r := range x.Rules {
		if what, ok := left[r.Line]; ok {
			severity := finding.Error
			if r.Redirects() {
				severity = finding.Warning
			}
			x.say(finding.ExistingUnasked, severity, r.Line, "", what+": "+r.Text,
				"write it as a rule of the plan, with serve: if it rewrites; see docs/plan.md")
			x.beside(r.Line, "isn't asked any more")
		}
	}
	return nil
}
