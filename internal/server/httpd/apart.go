package httpd

import (
	"fmt"
	"regexp"
	"strings"

	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/server"
)

// apart is the folder below the document root in which the rules lie that only some requests meet, unless it is said.
const apart = "young-compass"

// cost says what the rules cost that each request meets, and those that only some meet.
func cost(text, rules string, o server.Options) []finding.Finding {
	each, some := strings.Count("\n"+text, "\nRewriteRule "), strings.Count("\n"+rules, "\nRewriteRule ")
	slow := finding.Finding{Code: finding.SlowFolderFile, Severity: finding.Warning, Where: finding.Place{File: FolderFile},
		What: fmt.Sprintf("%d rules, which httpd reads and compiles anew for each request to the folder, images included", each),
		Why: fmt.Sprintf("measured: about %.1f ms of a processor for each request, which leaves %.0f %% of the requests a second",
			perRule*float64(each), 100*noFile/(noFile+perRule*float64(each))),
		Advice: "use emit php, which reads addresses only when it needs them, or the server's own configuration (emit apache) where you can"}
	switch {
	case some > tooManyRules:
		slow.What = fmt.Sprintf("%d rules, which httpd reads and compiles anew for each request that is redirected or unusual", some)
		slow.Why = fmt.Sprintf("measured: about %.0f ms of a processor for each of these; images and pages pass", perRule*float64(some))
		if some > tooManyApart {
			slow.Severity = finding.Error
		}
	case each > tooManyRules:
		slow.Severity = finding.Error
	case each <= manyRules:
		return nil
	}
	if slow.Severity == finding.Error {
		slow.Advice += ", or say --force"
		if o.Anyway {
			slow.Severity = finding.Warning
		}
	}
	return []finding.Finding{slow}
}

// rulesName is the name of the file with the rules that only some requests meet.
func rulesName(o server.Options) string {
	if o.Folder == "" {
		return apart + "/rules/" + FolderFile
	}
	return "rules/" + FolderFile
}

// asked is a variable in which the path that was asked reaches the rules apart.
const asked = "%{ENV:REDIRECT_yc_uri}"

// requestURI is the variable of the path that is asked for, where it isn't a text of the plan.
var requestURI = regexp.MustCompile(`(^|[^\\])%\{REQUEST_URI\}`)

// outside writes rules so that they speak of the path that was asked, not of that of their own folder.
func outside(rules string) string {
	return requestURI.ReplaceAllString(rules, "${1}"+asked)
}

// split works the rules apart out, and returns the text of the short file; false where no request could pass it.
func (e *emitter) split(g *compile.Program, o server.Options) (short string, ok bool) {
	e.emit(g, o)
	passes, inWay := e.Passing()
	pages, some := e.PassingPages()
	if passes == "" && !some {
		return "", false
	}
	at := apart
	if o.Folder != "" {
		at = strings.Trim(o.Folder, "/")
	}
	guard := &emitter{Flow: e.Flow, target: e.target}
	guard.add("RewriteEngine On", false)
	guard.first(o)
	guard.others()
	guard.note("what surely is left to the site passes; the rules for all else are in a folder of their own")
	origin := e.Plan.Site.Origin
	before := "^" + origin.Scheme + server.Quote(origin.Host) + "[A-Z]+ "
	var forms []string
	if passes != "" {
		forms = append(forms, passes)
	}
	if some {
		forms = append(forms, pages.Path+"[? ]")
		inWay = append(inWay, pages.InWay...)
		for _, hidden := range pages.Hidden {
			guard.cond("%{QUERY_STRING}", hidden, "OR")
		}
	}
	if e.showsFolders() {
		guard.cond("%{REQUEST_FILENAME}", "-d", "OR")
	}
	for _, expression := range server.Either(inWay, maxLine-100) {
		guard.cond("%{REQUEST_URI}", expression, "NC", "OR")
	}
	guard.cond("%{REQUEST_SCHEME}%{HTTP_HOST}%{THE_REQUEST}", "!"+before+"(?:"+strings.Join(forms, "|")+")")
	guard.add(`RewriteRule "^" "/`+at+`/rules/" "[E=yc_uri:%{REQUEST_URI},L]"`, true)
	e.found = append(e.found, guard.found...)
	return guard.text(), true
}

// first writes the lines of the site's own that stay in front, where rules go on inside that those further down don't see.
func (e *emitter) first(o server.Options) {
	if !e.Inner || len(o.First) == 0 {
		return
	}
	e.note("the site's own refusals and variables, which stand further down, too")
	for _, line := range o.First {
		e.add(line, strings.HasPrefix(strings.ToLower(line), "rewriterule"))
	}
}

// withModules writes the lines of a per-folder file so that httpd passes over them where a module is missing, instead of
// answering 500 to everything.
func withModules(text string) string {
	rules, headers, has := strings.Cut("\n"+text, "\nHeader ")
	rules = "<IfModule mod_rewrite.c>" + strings.TrimSuffix(rules, "\n") + "\n</IfModule>\n"
	if has {
		rules += "<IfModule mod_headers.c>\nHeader " + headers + "</IfModule>\n"
	}
	return rules
}
