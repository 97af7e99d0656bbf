package report

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"strings"

	"young-compass/internal/figure"
	"young-compass/internal/finding"
)

//go:embed page.html
var pageHTML string

//go:embed page.css
var pageCSS string

//go:embed page.js
var pageJS string

// page is what the template is given.
type page struct {
	*Report
	Policy   string // Content Security Policy level 3
	Style    template.CSS
	Script   template.JS
	Findings bool // there is a section of findings
}

// HTML writes the report as one page. It runs its own script and has its own style; the policy in it forbids all else.
func (r *Report) HTML(w io.Writer) error {
	style := pageCSS + figure.Style
	t, err := template.New("page").Funcs(functions()).Parse(pageHTML)
	if err != nil {
		return fmt.Errorf("reading the template: %w", err)
	}
	p := page{Report: r, Style: template.CSS(style), Script: template.JS(pageJS),
		Policy: fmt.Sprintf("default-src 'none'; style-src '%s'; script-src '%s'; base-uri 'none'; form-action 'none'",
			digest(style), digest(pageJS))}
	for _, s := range r.Sections {
		p.Findings = p.Findings || len(s.Groups) > 0
	}
	return t.Execute(w, p)
}

// digest is the sum by which a policy allows a style or a script.
func digest(text string) string {
	sum := sha256.Sum256([]byte(text))
	return "sha256-" + base64.StdEncoding.EncodeToString(sum[:])
}

func functions() template.FuncMap {
	return template.FuncMap{
		"class":   classOf,
		"capital": func(v Verdict) string { return capital(string(v)) },
		"mark":    markOf,
		"severity": func(s finding.Severity) string {
			return map[finding.Severity]string{finding.Error: "no", finding.Warning: "part"}[s]
		},
		"bar":    bar,
		"svg":    inline,
		"depth":  func(n int) int { return min(n, 4) },
		"pages":  func(n int) string { return plural(n, "page", "pages") },
		"visits": func(n int) string { return plural(n, "visit", "visits") },
		"moved":  movedOf,
		"times":  timesOf,
		"mend":   mendOf,
	}
}

func classOf(v Verdict) string {
	switch v {
	case Yes:
		return "yes"
	case No:
		return "no"
	case Partly:
		return "part"
	}
	return "none"
}

// markOf says without colour how good something is.
func markOf(v Verdict) string {
	switch v {
	case Yes:
		return "✓"
	case No:
		return "✗"
	case Partly:
		return "!"
	}
	return "?"
}

// bar draws a bar that is part of a full one, and filled in part. What it says stands beside it.
func bar(share, of float64) template.HTML {
	const length = 100
	return template.HTML(fmt.Sprintf(`<svg viewBox="0 0 %d 10" preserveAspectRatio="none" aria-hidden="true">`+
		`<rect class="track" width="%[1]d" height="10"/><rect class="lost" width="%.1f" height="10"/>`+
		`<rect class="filled" width="%.1f" height="10"/></svg>`, length, length*of, length*of*share))
}

// inline writes a figure into the page. The figure escapes what is in it.
func inline(f figure.Figure) (template.HTML, error) {
	var b bytes.Buffer
	err := f.SVG(&b)
	return template.HTML(b.String()), err
}

func movedOf(l Line) string {
	switch {
	case l.Rest || l.Moved == 0:
		return ""
	case l.Moved == l.Pages:
		return "all moved"
	}
	return fmt.Sprintf("%d moved", l.Moved)
}

func timesOf(g Group) string {
	words := plural(len(g.Group.Findings), "time", "times")
	if g.Visits > 0 {
		words += ", " + plural(g.Visits, "visit", "visits")
	}
	return words
}

// mend is what to do: in words, of which a part is to be copied into a file or a terminal.
type mend struct{ Before, Code, After string }

// mendOf finds in an advice what is to be copied: a tag, an address or a command.
//
//	name where that leads: https://skerrywick.example/de/kontakt
func mendOf(advice string) mend {
	for _, form := range []struct{ begin, end string }{{"<link ", ">"}, {"<meta ", ">"}, {"young-compass ", ";"}, {"https://", " "},
		{"http://", " "}} {
		at := strings.Index(advice, form.begin)
		if at < 0 {
			continue
		}
		code, after, ended := strings.Cut(advice[at:], form.end)
		switch {
		case ended && form.end == ">":
			code += form.end
		case ended:
			after = form.end + after
		}
		trimmed := strings.TrimRight(code, ",;:.")
		return mend{advice[:at], trimmed, code[len(trimmed):] + after}
	}
	return mend{Before: advice}
}
