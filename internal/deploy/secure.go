package deploy

import (
	"regexp"

	"young-compass/internal/finding"
	"young-compass/internal/plan"
)

// secureLines are how a server's own file says that it answers on https, by the form. A form that isn't named does so
// by itself, or can't say it.
func secureLines() map[string]*regexp.Regexp {
	return map[string]*regexp.Regexp{
		"nginx":   regexp.MustCompile(`(?m)^[^#\n]*\blisten\s[^;#\n]*(443|\bssl\b|\bquic\b)`),
		"apache":  regexp.MustCompile(`(?mi)^[^#\n]*(:443\b|\bSSLEngine\s+on\b|\bListen\s+443\b)`),
		"haproxy": regexp.MustCompile(`(?m)^[^#\n]*\bbind\s[^#\n]*(443|\bssl\b)`),
	}
}

// insecure finds that a server's file says nothing of https, where the plan leads everybody there.
func (p Place) insecure(of *plan.Plan, text []byte) []finding.Finding {
	line, ok := secureLines()[p.Target.Name()]
	if !ok || of.Site.Origin.Scheme != "https" || line.Match(text) {
		return nil
	}
	return []finding.Finding{{Code: finding.NoSecureListener, Severity: finding.Warning, Where: finding.Place{File: p.File},
		What:   "nothing in the file answers on https, and the plan leads everybody to " + of.Site.Origin.Base(),
		Why:    "visitors are led to where nobody answers, unless another file of the server does",
		Advice: "let the server listen on https, with a certificate, before you install"}}
}
