//go:build linux

package server_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/project"
)

// interpreted are texts that mean something in the language of one server or another.
func interpreted() []string {
	return []string{`\%{HTTP:Cookie}`, `%{HTTP:Cookie}`,
		`\\%{HTTP:Cookie}`, `%{ENV:PATH}`, `$0`, `\$0`, `\\$0`, `$1`, `%1`, `\1`, `${map:x}`, `$http_cookie`,
		`${http_cookie}`, `\$http_cookie`, `{http.request.header.Cookie}`, `\{http.request.header.Cookie}`,
		`{env.PATH}`, `{$PATH}`, `%[req.hdr(cookie)]`, `\%[req.hdr(cookie)]`,
		`%%[src]`, `%ci`, `#{x}`, `a#b`, `,R=302`, `[R]`, `;x`, `'x'`, `&&`, `?a?b`, `-`, `~x`, `^x$`, "a%5Cb",
		`$`, `$$`, `%`, `\`, `\\`, `\\\`, `{`, `}`, `{}`, "`x`"}
}

// Whatever bytes a target holds, every server sends it as it is: each byte alone, doubled, behind and before a
// backslash, and what servers would take for variables.
func TestEveryServerAnswersAsThePlanWithAnyByte(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	texts := interpreted()
	for b := byte('!'); b < 0x7f; b++ {
		if c := string(b); c != "#" && c != "&" {
			texts = append(texts, c, c+c, `\`+c, c+`\`, c+"{x}")
		}
	}
	for _, target := range targets() {
		list := texts
		if target.Name() == "caddy" { // which says that it can't be told of these
			list = slices.DeleteFunc(slices.Clone(texts), func(s string) bool { return strings.ContainsAny(s, "{}`") })
		}
		sendsAnyByte(t, target, list)
		if target.Name() == "apache" { // a few entries are written otherwise than many
			for part := range slices.Chunk(list[:min(len(list), 60)], 10) {
				sendsAnyByte(t, target, part)
			}
		}
	}
}

// sendsAnyByte asks a server for redirects to targets with these texts.
func sendsAnyByte(t *testing.T, target target, texts []string) {
	dir := t.TempDir()
	var pages, book, rows strings.Builder
	for i, w := range []*strings.Builder{&pages, &book, &rows} {
		w.WriteString([]string{"key,title\n", "address,page,state\n", "from,to,status\n"}[i])
	}
	cells := func(w *strings.Builder, cells ...string) {
		c := csv.NewWriter(w)
		require.NoError(t, c.Write(cells))
		c.Flush()
	}
	var asks []ask
	for i, text := range texts {
		at := fmt.Sprintf("https://o.example/t%d?w=%s", i, text)
		if _, err := address.Parse(at); err != nil || strings.Contains(text, "#") || strings.Contains(text, "//") || strings.HasSuffix(text, "&") {
			continue
		}
		cells(&pages, fmt.Sprintf("p%d", i), "P")
		cells(&book, at, fmt.Sprintf("p%d@en", i), "current")
		cells(&book, fmt.Sprintf("https://o.example/f%d", i), fmt.Sprintf("p%d@en", i), "former")
		if !strings.ContainsAny(text, "{}") { // which are variables of a template there
			cells(&rows, fmt.Sprintf("/r%d", i), fmt.Sprintf("p%d@en#%s", i, text), "301")
		}
		for _, from := range []string{"f", "r"} {
			asks = append(asks, ask{method: "GET", url: fmt.Sprintf("https://o.example/%s%d", from, i)},
				ask{method: "GET", url: fmt.Sprintf("https://o.example/%s%d?x=1", from, i)})
		}
	}
	for name, text := range map[string]string{project.PlanFile: "site: {origin: https://o.example}\n", project.PagesFile: pages.String(),
		project.AddressesFile: book.String(), project.RedirectsFile: rows.String()} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	p, found, err := judged(dir)
	require.NoError(t, err)
	require.False(t, finding.Worst(found, finding.Error), "%v", found)
	g, _, err := compile.Plan(p)
	require.NoError(t, err)
	s := target.serve(t, g, site{})
	defer s.stop()
	s.lenient = true
	compare(t, fmt.Sprintf("%s, with any byte, %d targets", target.Name(), len(texts)), g, s, asks, target.Differences())
}

// Whatever bytes the value of a header or an internal address holds, every server sends or asks it as it is.
func TestEveryServerAnswersAsThePlanWithAnyByteInHeadersAndInside(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	texts := interpreted()
	for b := byte('!'); b < 0x7f; b++ {
		c := string(b)
		texts = append(texts, c, c+c, `\`+c, c+`\`, "a"+c+"b")
	}
	for _, form := range []string{`{for: "/t%d", headers: {X-T: %s}}`, `{from: "/t%d", serve: %s}`} {
		for _, target := range targets() {
			var rules []string
			var asks []ask
			for i, text := range texts {
				if strings.Contains(form, "serve") {
					text = "/inside/page.shtml?a=" + text
				}
				value, err := json.Marshal(text)
				require.NoError(t, err)
				rule := fmt.Sprintf(form, i, value)
				if g := withRules(t, rule); g == nil {
					continue // the plan refuses it
				} else if _, found := target.try(g); finding.Worst(found, finding.Error) {
					continue // it is told that the server can't be told
				}
				rules = append(rules, rule)
				asks = append(asks, ask{method: "GET", url: fmt.Sprintf("https://o.example/t%d", i)},
					ask{method: "GET", url: fmt.Sprintf("https://o.example/t%d?x=1", i)})
			}
			require.Greater(t, len(rules), len(texts)/2)
			g := withRules(t, rules...)
			require.NotNil(t, g)
			s := target.serve(t, g, site{})
			s.lenient = true
			compare(t, fmt.Sprintf("%s, %d texts as in %s", target.Name(), len(rules), form), g, s, asks, target.Differences())
			s.stop()
		}
	}
}

// withRules compiles a plan with rules; nil where it is refused.
func withRules(t *testing.T, rules ...string) *compile.Program {
	t.Helper()
	dir := t.TempDir()
	write(t, filepath.Join(dir, project.PlanFile), "site: {origin: https://o.example}\nrules:\n  - "+
		strings.Join(rules, "\n  - ")+"\n")
	p, _, err := project.Load(dir)
	if err != nil {
		return nil
	}
	g, _, err := compile.Plan(p)
	require.NoError(t, err)
	return g
}
