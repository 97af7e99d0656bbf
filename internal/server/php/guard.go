package php

import (
	"strings"

	"young-compass/internal/server"
)

// maxLine is how long a line of a per-folder file is, at most: httpd reads no longer ones, safely.
const maxLine = 8000

// guard writes the lines of the per-folder file. They let a request pass for a
// file that lies there: the full guard if the plan says of all such addresses that they are
// served as they are, the others without asking. All other requests go to the script.
func (e *emitter) guard(o server.Options) string {
	which, begin := o.Guard, "<IfModule mod_rewrite.c>\nRewriteEngine On\n"
	if len(o.First) > 0 {
		begin += "# The site's own refusals and variables, which stand further down, too.\n" + strings.Join(o.First, "\n") + "\n"
	}
	script := strings.TrimPrefix(e.folder+"/"+ScriptFile, "/")
	end := "RewriteRule \"^\" \"/" + script + "\" [END]\n</IfModule>\n"
	elsewhere := "RewriteCond %{REQUEST_SCHEME}%{HTTP_HOST} " + e.elsewhere()
	// FallbackResource would not do: where a handler is set for .php, httpd doesn't get as far as that.
	const missing = "RewriteCond %{REQUEST_FILENAME} !-f"
	switch {
	case which == server.GuardNone, which == server.GuardHost && len(e.Plan.Proxies) > 0:
		return begin + missing + "\n" + end
	case which == server.GuardHost:
		return begin + missing + " [OR]\n" + elsewhere + "\n" + end
	}
	passes, inWay := e.Passing()
	if passes == "" {
		return begin + end
	}
	conditions := []string{missing + " [OR]\n", elsewhere + " [OR]\n"}
	for _, expression := range server.Either(inWay, maxLine-100) {
		conditions = append(conditions, "RewriteCond %{REQUEST_URI} \""+expression+"\" [NC,OR]\n")
	}
	conditions = append(conditions, "RewriteCond %{THE_REQUEST} \"!^[A-Z]+ "+passes+"\"\n")
	var b strings.Builder
	b.WriteString(begin)
	for _, condition := range conditions {
		if len(condition) > maxLine {
			return begin + end
		}
		b.WriteString(condition)
	}
	return b.String() + end
}

// elsewhere returns what a scheme and host meet that are not the site's: a comparison where one host is, since httpd
// compiles an expression anew for each request.
func (e *emitter) elsewhere() string {
	origin := e.Plan.Site.Origin
	if len(e.Plan.Site.LanguageHosts) == 0 {
		return "!=" + origin.Scheme + origin.Host
	}
	hosts := []string{server.Quote(origin.Host)}
	for _, host := range e.Plan.Site.LanguageHosts {
		hosts = append(hosts, server.Quote(host))
	}
	return "\"!^" + origin.Scheme + "(?:" + strings.Join(hosts, "|") + ")$\""
}
