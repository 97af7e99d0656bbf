package compile_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/compile"
	"young-compass/internal/finding"
	"young-compass/internal/project"
)

// program compiles a project of these redirects, with what is found.
func program(t *testing.T, redirects string) (*compile.Program, []finding.Finding) {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile: "site: {origin: https://skerrywick.example}\nrules: [{from: '/p/{x}', to: " +
			"'/q/{x}'}, {from: '/q/{x}', to: '/r/{x}', status: 302}]\n",
		project.RedirectsFile: "from,to,status\n" + redirects,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	return compiled(t, dir)
}

// compiled compiles the project in a folder.
func compiled(t *testing.T, dir string) (*compile.Program, []finding.Finding) {
	t.Helper()
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	g, found, err := compile.Plan(p)
	require.NoError(t, err)
	return g, found
}

func TestProgram(t *testing.T) {
	g, found := program(t, "/Old,/new,301\n/new,/newest,302\n/list?k=1,/one,\n/list?m=2,,410\n")
	assert.Empty(t, found)
	kinds := map[string]compile.Kind{}
	for _, e := range g.Listed {
		kinds[e.Key+e.Signature] = e.Kind
	}
	assert.Equal(t, map[string]compile.Kind{"/old": compile.Move, "/new": compile.Move,
		"/list&k=1": compile.Move, "/list&m=2": compile.Gone}, kinds)
	assert.Equal(t, compile.Statuses{Get: 302, Other: 302}, g.At("/old")[0].Status,
		"the visitor makes one hop, with the status of the whole way")
	assert.Equal(t, compile.Statuses{Get: 301, Other: 308}, g.At("/list")[0].Status,
		"a status that nobody wrote lets forms survive")
	assert.Equal(t, []compile.Group{{Names: []string{"k", "m"}, Paths: []string{"/list"}}}, g.Groups)
	require.Len(t, g.Patterns, 2)
	assert.Equal(t, "/r/{x}", g.Patterns[0].Target.String(), "patterns that lead on are composed")
	assert.Equal(t, compile.Statuses{Get: 302, Other: 302}, g.Patterns[0].Status)
}

func TestARedirectToAnotherSpellingOfItself(t *testing.T) {
	for row, want := range map[string]finding.Code{
		"/a,/a?x=1,301,":                           finding.SelfQuery,
		"/a,/a,301,drop":                           finding.SelfQuery,
		"/a.html,/a.html,301,drop":                 finding.SelfQuery,
		"http://www.skerrywick.example/a,/a?k=1,,": finding.SelfQuery,
		"/c%20d,/c%20d,302,":                       finding.Self,
		"/%28a,/(a,301,":                           finding.SelfRedirect,
	} {
		dir := t.TempDir()
		for name, text := range map[string]string{
			project.PlanFile: "site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example], " +
				"paths: {extension: none}}\nparameters: {noise: [s]}\n",
			project.RedirectsFile: "from,to,status,query\n" + row + "\n",
		} {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
		}
		g, found := compiled(t, dir)
		assert.Equal(t, 1, finding.Count(found)[string(want)], "%s: %v %v", row, found, g.Listed)
	}
}

func TestPatternsAreComposedOnlyWhereEveryRequestMeetsTheNext(t *testing.T) {
	for name, test := range map[string]struct{ rules, want string }{
		"every value":     {"[{from: '/p/{x}', to: '/q/{x}'}, {from: '/q/{x}', to: '/r/{x}'}]", "/r/{x}"},
		"some values":     {"[{from: '/p/{x}', to: '/q/{x}'}, {from: '/q/{x}', to: '/r/{x}', class: {x: digits}}]", "/q/{x}"},
		"a fragment":      {"[{from: '/p/{x}', to: '/q/{x}#f'}, {from: '/q/{x}', to: '/r/{x}'}]", "/r/{x}#f"},
		"an exempt place": {"[{from: '/p/{x}', to: '/q/{x}'}, {from: '/q/{x}', to: '/r/{x}', except: [/q/1]}]", "/q/{x}"},
		"with a parameter": {"[{from: '/p/{x}', to: '/q/{x}'}, {from: '/q/{x}?id={i}', to: '/i/{i}'}, " +
			"{from: '/q/{x}', to: '/r/{x}'}]", "/q/{x}"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(dir, project.PlanFile),
				[]byte("site: {origin: https://skerrywick.example}\nrules: "+test.rules+"\n"), 0o600))
			g, _ := compiled(t, dir)
			assert.Equal(t, test.want, g.Patterns[0].Target.String())
		})
	}
}

// What a pattern writes is what the site's own rules make of it, so that visitors make one hop.
func TestPatternsWriteWhatTheSiteMakesOfIt(t *testing.T) {
	for _, c := range []struct {
		paths, to, class string
		want             []string
	}{
		{"slash: never", "/n/{x}", "segment", []string{"/n/{x}"}},
		{"slash: never", "/n/{x}/", "segment", []string{"/n/{x}"}},
		{"slash: never", "/n/{x}.html", "segment", []string{"/n/{x}"}},
		{"slash: never, extension: keep", "/n/{x}.html", "segment", []string{"/n/{x}.html"}},
		{"slash: never", "/n/{x}/index.php", "slug", []string{"/n/{x}"}},
		{"slash: never", "/en/n/{x}", "slug", []string{"/n/{x}"}},
		{"slash: never", "https://skerrywick.example/n.html?x={x}#there", "slug",
			[]string{"https://skerrywick.example/n?x={x}#there"}},
		{"slash: never", "https://far.example/n/{x}.html", "slug", []string{"https://far.example/n/{x}.html"}},
		{"slash: never", "/n/{x}.css", "slug", []string{"/n/{x}.css"}},
		{"slash: always", "/n/{x}", "slug", []string{"/n/{x}/"}},
		{"slash: always", "/n/{x}", "segment", []string{"/n/{x}/", "/n/{x}"}},
		{"slash: always", "/n/{x}/caf%C3%A9", "segment", []string{"/n/{x}/caf%C3%A9/"}},
		{"slash: always", "/w/{x}/n", "segment", []string{"/w/{x}/n/"}},
		{"slash: keep", "/n/{x}.html", "slug", []string{"/n/{x}"}},
	} {
		t.Run(c.paths+" "+c.to, func(t *testing.T) {
			dir := t.TempDir()
			text := fmt.Sprintf("site: {origin: https://skerrywick.example, paths: {%s}}\nlanguages: {default: en}\n"+
				"rules: [{from: '/p/{x}', to: '%s', class: {x: %s}}]\n", c.paths, c.to, c.class)
			require.NoError(t, os.WriteFile(filepath.Join(dir, project.PlanFile), []byte(text), 0o600))
			g, _ := compiled(t, dir)
			var got []string
			for _, q := range g.Patterns {
				got = append(got, q.Target.String())
				assert.Equal(t, 308, q.Status.Other,
					"no form is lost where a rule of the site's own comes behind, or nobody wrote a status")
			}
			assert.Equal(t, c.want, got)
		})
	}
}
