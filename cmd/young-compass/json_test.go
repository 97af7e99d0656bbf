//go:build linux

package main

import (
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/project"
)

// paths collects where values stand in a JSON document.
func paths(v any, at string, into map[string]bool) {
	switch v := v.(type) {
	case map[string]any:
		if len(v) == 0 && strings.HasSuffix(at, "headers") {
			into[at] = true
		}
		for name, value := range v {
			if at == "summary.findings" || at == "next" || strings.HasSuffix(at, ".ignored") {
				name = "*"
			}
			paths(value, strings.TrimPrefix(at+"."+name, "."), into)
		}
	case []any:
		at = strings.TrimPrefix(strings.ReplaceAll(at, ".children[]", ""), ".") // a tree goes on as it begins
		for _, value := range v {
			paths(value, at+"[]", into)
		}
	default:
		into[at] = true
	}
}

// What the commands print is what docs/json.md says, and the other way round.
func TestJSONIsAsDocumented(t *testing.T) {
	text, err := os.ReadFile("../../docs/json.md")
	require.NoError(t, err)
	documented := map[string]map[string]bool{}
	section := ""
	field := regexp.MustCompile(`^([a-z][a-z0-9_.*\[\]-]*)(?:\s{2,}.*)?\n$`)
	for line := range strings.Lines(string(text)) {
		if name, ok := strings.CutPrefix(line, "## "); ok {
			section = strings.TrimSpace(name)
			documented[section] = map[string]bool{}
		} else if m := field.FindStringSubmatch(line); m != nil && section != "" {
			documented[section][m[1]] = true
		}
	}

	dir := t.TempDir()
	demotest.Accepted(t, dir)
	for _, name := range []string{demo.OldSite, demo.OldRedirects} {
		demotest.Write(t, filepath.Join(dir, name), demotest.File(t, name))
	}
	demotest.Write(t, filepath.Join(dir, "visits.csv"),
		[]byte("address,status,visitors,robots,last,referrers\n"+
			"https://skerrywick.example/old/seabirds.htm,404,3,0,2026-11-23,https://a.example/ 3\n"+
			"https://skerrywick.example/summer,404,5,0,,\nhttps://skerrywick.example/index.php?item=201&sec=other,404,1,0,,\nhttps://skerrywick.example/lost/a,404,2,0,,\n"))
	demotest.Write(t, filepath.Join(dir, "patterns.csv"), []byte("from,to,status\n/lost/{x},/nowhere/{x},301\n"))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "content"), 0o755))
	demotest.Write(t, filepath.Join(dir, "content", "a.html"),
		[]byte(`<a href="http://www.skerrywick.example/contact"><a href="http://www.skerrywick.example/index.php?item=214&amp;lang=de&amp;sec=route">`))
	demotest.Write(t, filepath.Join(dir, "rules"), []byte("Redirect 301 /contact /contact.php\n"))
	demotest.Write(t, filepath.Join(dir, "steps.csv"), []byte("step,on\nhand-in,2026-11-20\n"))
	demotest.Write(t, filepath.Join(dir, "more.csv"), []byte("from,to,status\n/more.htm,contact@en,301\n"))
	demotest.Write(t, filepath.Join(dir, demo.IslandGuide), demotest.File(t, demo.IslandGuide))
	folding := t.TempDir()
	demotest.Write(t, filepath.Join(folding, "young-compass.yaml"), []byte("site: {origin: https://skerrywick.example}\n"))
	demotest.Write(t, filepath.Join(folding, "redirects.csv"), []byte("from,to,status\n/trip/1,/routes/1,301\n/trip/2,/routes/2,301\n/trip/3,/routes/3,301\n"))
	demotest.Write(t, filepath.Join(folding, "visits.csv"), []byte("address,status,visitors\nhttps://skerrywick.example/trip/7,404,3\n"))
	gathered := t.TempDir()
	demotest.Gathered(t, gathered)
	demotest.Write(t, filepath.Join(gathered, "collide.csv"),
		[]byte("id,title,url\nx1,Same,/x1\nx2,Same,/x2\nnew,New,\n"))
	demotest.Write(t, filepath.Join(gathered, "named.csv"), []byte("id,title,url\na1,A | Skerry,/a1\na2,B | Skerry,/a2\na3,C | Skerry,/a3\n"+
		"a4,D | Skerry,/a4\na5,E | Skerry,https://elsewhere.example/\na6,F | Skerry,/a6\n"))
	require.NoError(t, demo.CopySources(gathered))
	pages, err := os.ReadFile(filepath.Join(gathered, "pages.csv"))
	require.NoError(t, err)
	demotest.Write(t, filepath.Join(gathered, "pages.csv"), bytes.Replace(pages, []byte("Out Stack,live,Outer"),
		[]byte("Out Stack,live,North; Outer"), 1))
	demotest.Write(t, filepath.Join(gathered, "visits.csv"),
		[]byte("address,status,visitors\nhttp://www.skerrywick.example/,200,3\n"))
	require.NoError(t, demo.MakeDatabase(gathered))
	live, empty := neglected(t, dir), t.TempDir()
	seen := map[string]map[string]bool{"All commands": {}}
	for _, c := range []struct{ section, args string }{
		{"gather", "gather --project " + gathered + " " + gathered + "/collide.csv " + gathered +
			"/sources/access.log"}, {"gather", "gather --project " + gathered + " --compare " + gathered +
			"/collide.csv"}, {"gather", "gather --project " + gathered + " " + gathered + "/named.csv"},
		{"propose", "propose --project " + gathered}, {"propose", "propose --project " + empty + " " + gathered + "/named.csv"}, {"lint", "lint --project " + gathered},
		{"design", "design --project " + gathered}, {"design", "design --collide number --project " + gathered},
		{"design", "design --only page --project " + dir},
		{"redirects check", "redirects check --project " + dir + " " + dir + "/" + demo.OldRedirects},
		{"redirects coverage", "redirects coverage --project " + dir},
		{"redirects fold", "redirects fold --project " + folding},
		{"redirects preview", "redirects preview --project " + dir + " --list " + dir + "/patterns.csv"},
		{"redirects add and merge", "redirects merge --project " + dir + " " + dir + "/more.csv"},
		{"pair", "pair " + dir + "/" + demo.IslandGuide + " " + dir},
		{"pair", "pair " + gathered + "/sources/access.log " + dir},
		{"trace", "trace --explain --project " + dir +
			" /routes?sid=1 /contact nonsense http://other.example/ /index.php?item=999"},
		{"relink", "relink --project " + dir + " " + dir + "/content"},
		{"relink", "relink --db sqlite:" + gathered + "/content.db --project " + dir},
		{"relink", "relink --db sqlite:" + gathered + "/content.db --table post --columns body,settings --project " + dir},
		{"emit", "emit nginx --project " + dir + " --directory " + dir + "/out"},
		{"emit", "emit php --dry-run --install " + dir + "/rules --project " + dir},
		{"emit", "emit sitemap --project " + dir + " --directory " + dir + "/out"},
		{"emit", "emit head --as csv --project " + dir + " --directory " + dir + "/out"},
		{"emit", "emit robots --project " + dir + " --directory " + dir + "/out"},
		{"probe", "probe --project " + dir + live + " --save monday --copy https://" + demo.CopyHost + "/"},
		{"probe", "probe redirects --project " + dir + " --at 127.0.0.1:1,1"},
		{"probe --against", "probe canonicals --project " + dir + live + " --against monday"},
		{"probe parameters --list", "probe parameters --list sid --project " + dir + live},
		{"probe parameters --steps", "probe parameters --steps sid --project " + dir + live},
		{"steps", "steps --project " + dir}, {"steps", "steps structure --project " + dir},
		{"report", "report --project " + dir}, {"report", "report --project " + folding},
		{"findings", "findings"}, {"findings", "findings chain"},
		{"probe explain", "probe explain /notices?page=2 --project " + dir + live},
	} {
		var out bytes.Buffer
		cli.Main(context.Background(), append(strings.Fields(c.args), "--format", "json"), strings.NewReader(""), &out,
			&bytes.Buffer{})
		var v map[string]any
		require.NoError(t, json.Unmarshal(out.Bytes(), &v), "%s: %s", c.args, out.String())
		found := map[string]bool{}
		paths(v, "", found)
		for path := range found {
			if documented["All commands"][path] {
				seen["All commands"][path] = true
				continue
			}
			if seen[c.section] == nil {
				seen[c.section] = map[string]bool{}
			}
			seen[c.section][path] = true
			assert.True(t, documented[c.section][path], "%s prints %s, which docs/json.md doesn't say", c.section, path)
		}
	}
	mayBeMissing := map[string]bool{ // what only a server that answers, or a mistake in the plan, brings
		"findings[].where.column": true,
	}
	for section, list := range documented {
		for path := range list {
			assert.True(t, seen[section][path] || mayBeMissing[path],
				"docs/json.md says %s of %s, which it never prints", path, section)
		}
	}
}

// neglected starts the demo's site with all its troubles, and returns how to ask
// it.
func neglected(t *testing.T, dir string) string {
	t.Helper()
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	site, _ := demo.Neglected(p, demo.NeglectSeed, nil)
	at, ca := standIn(t, site)
	return " --at " + at + " --at " + demo.StagingHost + "=" + at + " --at " + demo.CopyHost + "=" + at + " --ca " + ca
}

// standIn starts a site, and returns where it is and the file of its
// certificate.
func standIn(t *testing.T, site http.Handler) (at, ca string) {
	t.Helper()
	s, err := demo.Start(site, "0", "0")
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	ca = filepath.Join(t.TempDir(), "ca.pem")
	demotest.Write(t, ca, s.Certificate)
	return s.At(), ca
}
