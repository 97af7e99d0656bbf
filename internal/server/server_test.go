//go:build linux

package server_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/server"
	"young-compass/internal/server/caddy"
	"young-compass/internal/server/haproxy"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/nginx"
)

// program compiles a plan given as text.
func program(t *testing.T, config, redirects string) *compile.Program {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.PlanFile),
		[]byte("site: {origin: https://skerrywick.example, known: [far.example]}\n"+config), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.RedirectsFile), []byte("from,to,status\n"+redirects),
		0o644))
	p, found, err := judged(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	return compiled(t, p)
}

func TestWhatAServerCannotBeTold(t *testing.T) {
	long := "/" + strings.Repeat("a", 4200)
	for name, c := range map[string]struct {
		config, redirects string
		nginx, htaccess   bool // refused
	}{
		"nothing":                {"", "/a,/b,301\n", false, false},
		"a long address":         {"", long + ",/b,301\n", true, false},
		"a very long one":        {"", "/a,https://far.example/" + strings.Repeat("a", 7950) + ",301\n", true, true},
		"two sorts of variables": {"rules: [{from: '/a/{x}{?k}', to: '/b/{x}/{k}'}]", "", true, true},
		"a wide class":           {"rules: [{from: '/a/{x}', to: '/b/{x}', class: {x: '[a-z()]+'}}]", "", true, true},
		"several segments":       {"rules: [{from: '/a/{x}', to: '/b/{x}', class: {x: segments}}]", "", true, true},
		"a label":                {"rules: [{from: '/a/{x}', to: '/b{.x}'}]", "", true, true},
		"nine variables": {"rules: [{from: '/{a}/{b}/{c}/{d}/{e}/{f}/{g}/{h}/{i}', to: '/x/{a}'}]", "", true,
			true},
		"slashes in a parameter": {"", "/go?to=http://a.example/,/b,301\n", false, true},
	} {
		t.Run(name, func(t *testing.T) {
			g := program(t, c.config, c.redirects)
			for _, target := range []server.Target{nginx.Target{}, httpd.Folder{}} {
				files, found := target.Emit(g, server.Options{})
				refused := map[string]bool{"nginx": c.nginx, "htaccess": c.htaccess}[target.Name()]
				assert.Equal(t, refused, finding.Worst(found, finding.Error), "%s: %s: %v", target.Name(), name, found)
				if refused {
					assert.Empty(t, files, "nothing is written while something can't be said")
					assert.Equal(t, "not-expressible", string(found[0].Code))
					assert.NotEmpty(t, found[0].Where.File)
				}
			}
		})
	}
}

func TestManyLongPathsWithParameters(t *testing.T) {
	var rows strings.Builder
	for i := range 300 {
		fmt.Fprintf(&rows, "/%s/%d.php?id=1,/new/%d,301\n", strings.Repeat("ø", 30), i, i)
	}
	files, found := httpd.Folder{}.Emit(program(t, "", rows.String()), server.Options{Anyway: true})
	require.False(t, finding.Worst(found, finding.Error), "%v", found)
	for line := range strings.Lines(string(files[0].Data)) {
		assert.LessOrEqual(t, len(line), 8001)
	}
}

func TestHeadsSayWhatToDo(t *testing.T) {
	g := compiled(t, demotest.Accepted(t, t.TempDir()))
	files, _ := nginx.Target{}.Emit(g, server.Options{})
	var names []string
	for _, f := range files {
		names = append(names, f.Name)
		assert.True(t, strings.HasPrefix(string(f.Data),
			"# Written by young-compass from young-compass.yaml for nginx; proven on nginx 1."), f.Name)
	}
	assert.Equal(t, []string{nginx.ExampleFile, nginx.AddressesFile, nginx.HostsFile, nginx.HTTPFile, nginx.ServerFile,
		nginx.SpelledFile}, names)
	files, _ = nginx.Target{}.Emit(program(t, "", "/a,/b,301\n"), server.Options{})
	assert.Len(t, files, 5, "no table for hosts where all answer alike")
	files, found := httpd.Folder{}.Emit(g, server.Options{Anyway: true})
	assert.Contains(t, string(files[1].Data), "Put .htaccess into the site's document root")
	assert.True(t, strings.HasPrefix(string(files[0].Data), "# young-compass: see young-compass/rules/.htaccess\n<IfModule"),
		"what each request reads is short")
	assert.Equal(t, map[string]int{"slow-folder-file": 1}, finding.Count(found))
	// every rule that passes over others stays inside the file
	rules := strings.Count(string(files[0].Data), "\nRewriteRule ")
	for _, m := range regexp.MustCompile(`\[S=(\d+)\]`).FindAllStringSubmatch(string(files[0].Data), -1) {
		var n int
		_, err := fmt.Sscan(m[1], &n)
		require.NoError(t, err)
		assert.Less(t, n, rules)
	}
}

func TestTheExamplesLoad(t *testing.T) {
	g := compiled(t, demotest.Accepted(t, t.TempDir()))
	for name, check := range map[string]struct {
		file, from, to string
		command        func(dir string) []string
	}{
		"nginx": {nginx.ExampleFile, "events {}", "pid DIR/pid;\nevents {}", func(dir string) []string {
			return []string{"nginx", "-t", "-p", dir, "-e", dir + "/error.log", "-c", dir + "/" + nginx.ExampleFile}
		}},
		"apache": {httpd.ExampleFile, "TypesConfig /etc/mime.types", "TypesConfig DIR/mime.types",
			func(dir string) []string { return []string{"apache2", "-t", "-f", dir + "/" + httpd.ExampleFile} }},
		"caddy": {caddy.ExampleFile, "", "", func(dir string) []string {
			return []string{"caddy", "validate", "--config", dir + "/" + caddy.ExampleFile, "--adapter", "caddyfile"}
		}},
		"haproxy": {haproxy.ExampleFile, "", "",
			func(dir string) []string { return []string{"haproxy", "-c", "-f", dir + "/" + haproxy.ExampleFile} }},
	} {
		dir := t.TempDir()
		write(t, filepath.Join(dir, "mime.types"), "")
		i := slices.IndexFunc(targets(), func(target target) bool { return target.Name() == name })
		files, _ := targets()[i].Emit(g, server.Options{Folder: dir})
		for _, f := range files {
			// What the administrator has elsewhere, on the test machine perhaps not.
			text := strings.ReplaceAll(string(f.Data), check.from, strings.ReplaceAll(check.to, "DIR", dir))
			write(t, filepath.Join(dir, f.Name), text)
		}
		write(t, filepath.Join(dir, httpd.DBMFile+".pag"), "")
		command := check.command(dir)
		run := exec.Command(command[0], command[1:]...)
		run.Env = append(os.Environ(), "HOME="+dir, "XDG_CONFIG_HOME="+dir, "XDG_DATA_HOME="+dir,
			"PATH=/usr/sbin:"+os.Getenv("PATH"))
		run.Path, _ = exec.LookPath(command[0])
		if run.Path == "" {
			run.Path = "/usr/sbin/" + command[0]
		}
		output, err := run.CombinedOutput()
		assert.NoError(t, err, "%s: %s", name, output)
	}
}

func TestQuoteAndNames(t *testing.T) {
	assert.Equal(t, `/a-b_1\x2e\x24\x22\x5c\x0a\xc3\xa9`, server.Quote("/a-b_1.$\"\\\né"))
	assert.Equal(t, `(?:sid|utm_[^=&]*)`, server.Names([]string{"sid", "utm_*"}))
	for _, s := range []string{"a.b", "x+y", "(z)", "$1", `\`} {
		assert.Regexp(t, "^"+server.Quote(s)+"$", s)
	}
}

func TestRuns(t *testing.T) {
	noise := func(q address.Param) bool { return q.Name == "sid" }
	for query, want := range map[string]int{"": 0, "a": 1, "a&b": 1, "sid": 0, "a&sid&b": 2, "sid=1&a&b&sid&&c": 2,
		"a&&b": 2} {
		assert.Equal(t, want, server.RunsOf(query, noise), query)
	}
}

func TestSets(t *testing.T) {
	s := server.NewSets(program(t, "parameters: {noise: [sid, 's_*']}", "").Plan)
	assert.Equal(t, "0", s.Number(nil, false))
	assert.Equal(t, "1", s.Number([]string{"item"}, false))
	assert.Equal(t, "1", s.Number([]string{"item", "sid"}, false), "noise is part of every set")
	assert.Equal(t, "drop", s.Number([]string{"item"}, true))
	assert.Equal(t, [][]string{{"sid", "s_*"}, {"sid", "s_*", "item"}}, s.All())
}

func TestNewAskedKeepsThePathAsSent(t *testing.T) {
	for url, want := range map[string]string{"http://a.example": "/", "http://a.example?x": "/",
		"http://a.example//b/%7e/..?x#y": "//b/%7e/.."} {
		r, err := server.NewAsked("GET", url)
		require.NoError(t, err)
		assert.Equal(t, want, r.RawPath)
	}
}

func BenchmarkEmitNginx(b *testing.B) {
	p := demotest.Accepted(b, b.TempDir())
	for b.Loop() {
		g, _, err := compile.Plan(p)
		if err != nil {
			b.Fatal(err)
		}
		nginx.Target{}.Emit(g, server.Options{})
	}
}

// judged reads a project, and says what is wrong with it.
func judged(dir string) (*plan.Plan, []finding.Finding, error) {
	p, found, err := project.Load(dir)
	if err == nil {
		found = append(found, judge.Plan(p)...)
	}
	return p, found, err
}
