package deploy_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/compile"
	"young-compass/internal/deploy"
	"young-compass/internal/finding"
	"young-compass/internal/project"
	"young-compass/internal/safefile"
	"young-compass/internal/server"
	"young-compass/internal/server/caddy"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/nginx"
	"young-compass/internal/server/php"
)

// compiled compiles a project of these redirects and addresses.
func compiled(t *testing.T, redirects, book string) *compile.Program {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile: "site: {origin: https://skerrywick.example, hosts: " +
			"[www.skerrywick.example]}\nlanguages: {others: {de: {host: skerrywick-de.example}}}\n",
		project.PagesFile:     "key,language,title,state\np,en,P,live\n",
		project.AddressesFile: "address,page,state\n" + book,
		project.RedirectsFile: "from,to,status\n" + redirects,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	g, _, err := compile.Plan(p)
	require.NoError(t, err)
	return g
}

func TestDifferenceShowsOnlyWhatChanges(t *testing.T) {
	for name, c := range map[string]struct{ old, new, want string }{
		"nothing":          {"a\nb\n", "a\nb\n", ""},
		"two far apart":    {"a\nb\nc\nd\ne\n", "A\nb\nc\nd\nE\n", "- a|+ A|- e|+ E"},
		"put in":           {"a\nc\n", "a\nb\nc\n", "+ b"},
		"taken out":        {"a\nb\nc\n", "a\nc\n", "- b"},
		"all new":          {"", "a\nb\n", "+ a|+ b"},
		"other line ends":  {"a\r\nb\r\n", "a\r\nc\r\n", "- b|+ c"},
		"moved to the end": {"x\na\nb\n", "a\nb\nx\n", "- x|+ x"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, strings.Join(deploy.Difference(c.old, c.new), "|"))
		})
	}
	long := strings.Repeat("line\nother\n", 5000)
	assert.NotEmpty(t, deploy.Difference("a\n"+long+"b\n", "c\n"+long+"d\n"),
		"what is too long to compare is shown as a whole")
}

func TestChangedAnswers(t *testing.T) {
	for name, c := range map[string]struct {
		before, now    string
		changed, known int
	}{
		"the first time, redirects and gone count": {"", "a\t301\tb\nc\t404\t\nd\t200\t\ne\t410\t\n", 2, 4},
		"nothing changed":                          {"a\t301\tb\n", "a\t301\tb\n", 0, 1},
		"another target":                           {"a\t301\tb\n", "a\t301\tc\n", 1, 1},
		"no longer known":                          {"a\t301\tb\nc\t410\t\n", "a\t301\tb\n", 0, 1},
	} {
		t.Run(name, func(t *testing.T) {
			changed, known := deploy.Changed([]byte(c.before), []byte(c.now))
			assert.Equal(t, []int{c.changed, c.known}, []int{changed, known})
		})
	}
}

func TestEveryTargetIsWhole(t *testing.T) {
	g := compiled(t, "/old,/p,301\n", "https://skerrywick.example/p,p@en,current\n")
	for _, target := range deploy.Targets() {
		t.Run(target.Name(), func(t *testing.T) {
			same, ok := deploy.TargetOf(target.Name())
			require.True(t, ok)
			assert.Equal(t, target, same)
			files, found := target.Emit(g, server.Options{Anyway: true})
			require.False(t, finding.Worst(found, finding.Error), "%v", found)
			assert.NotEmpty(t, files)
			assert.NotEmpty(t, target.Title())
			assert.NotEmpty(t, target.Differences())
			for feature := range target.Limits() {
				assert.Contains(t, server.Features(), feature)
			}
			for _, f := range files {
				if strings.Contains(f.Name, "example") {
					for _, host := range g.Plan.Site.All() {
						if target.Checker() != "haproxy" { // whose example answers for every host
							assert.Contains(t, string(f.Data), host, "the example names all hosts of the site")
						}
					}
				}
			}
		})
	}
	_, ok := deploy.TargetOf("iis")
	assert.False(t, ok)
}

func TestWhatIsSaidOfServers(t *testing.T) {
	var rows strings.Builder
	for i := range 201 {
		fmt.Fprintf(&rows, "/old/%d,/new/%d,301\n", i, i)
	}
	_, found := caddy.Target{}.Emit(compiled(t, rows.String(), ""), server.Options{})
	assert.Equal(t, map[string]int{string(finding.SlowTable): 1}, finding.Count(found))

	// A file's letters count, so that a server that can't fold letters differs for nothing that is listed.
	g := compiled(t, "", "https://skerrywick.example/Logo.PNG,q@en,former\nhttps://skerrywick.example/p,p@en,current\n")
	differs, err := deploy.Touched(g, nginx.Target{})
	require.NoError(t, err)
	require.Equal(t, map[string]int{string(finding.ServerDiffers): 1}, finding.Count(differs))
	assert.Equal(t, "https://skerrywick.example/Logo.PNG", differs[0].Where.URL)
	same, err := deploy.Touched(g, httpd.Host{})
	require.NoError(t, err)
	assert.Empty(t, same)

	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "shop"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "shop", ".htaccess"), []byte("RewriteEngine On\n"), 0o600))
	place := deploy.Place{Target: httpd.Folder{}, File: filepath.Join(dir, ".htaccess"), Folder: dir,
		Project: t.TempDir(), Hosts: g.Plan.Site.All()}
	files, _ := httpd.Folder{}.Emit(g, server.Options{Anyway: true})
	x, err := place.Prepare(g, files, false)
	require.NoError(t, err)
	assert.True(t, x.First)
	require.Len(t, x.Findings, 2)
	assert.Equal(t, finding.FolderSlash, x.Findings[0].Code)
	assert.Equal(t, finding.RulesBelow, x.Findings[1].Code)
	assert.Equal(t, filepath.Join(dir, "shop", ".htaccess"), x.Findings[1].Where.File)
}

// What is installed comes out again byte for byte, and the project knows what changed since.
func TestInstallAndRemove(t *testing.T) {
	g := compiled(t, "/old,/p,301\n", "https://skerrywick.example/p,p@en,current\n")
	dir, folder := t.TempDir(), t.TempDir()
	file := filepath.Join(dir, "site.conf")
	const site = "server {\n\tserver_name skerrywick.example;\n}\n"
	require.NoError(t, os.WriteFile(file, []byte(site), 0o600))
	place := deploy.Place{Target: nginx.Target{}, File: file, Folder: filepath.Join(dir, "young-compass",
		"skerrywick.example"),
		Project: folder, Hosts: g.Plan.Site.All()}
	files, _ := nginx.Target{}.Emit(g, server.Options{Folder: deploy.Unplaced})
	assert.False(t, place.HasPieces())
	told := 0
	tell := func(string, []byte, string) { told++ }
	x, err := place.Prepare(g, files, false)
	require.NoError(t, err)
	assert.NotEmpty(t, x.Difference())
	require.NoError(t, x.Make(time.Now(), tell))
	assert.NotZero(t, told)
	assert.True(t, place.HasPieces())
	again, err := place.Prepare(g, files, false)
	require.NoError(t, err)
	assert.False(t, again.First)
	assert.Zero(t, again.Changed)
	assert.Empty(t, again.Difference())
	trial, err := place.Prepare(g, files, true)
	require.NoError(t, err)
	assert.Equal(t, 1, trial.Changed, "a redirect for good and one on trial are not the same")
	r, err := place.Remove()
	require.NoError(t, err)
	kept, err := r.Make(time.Now())
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(place.Folder, "replaced"), filepath.Dir(kept))
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, site, string(text))
	_, err = place.Remove()
	assert.ErrorContains(t, err, "nothing of the form nginx was installed here")
	x, err = place.Prepare(g, files, false)
	require.NoError(t, err)
	assert.True(t, x.First)
	require.NoError(t, os.WriteFile(file, []byte(site+"# edited\n"), 0o600))
	assert.ErrorIs(t, x.Make(time.Now(), tell), safefile.ErrChanged)
	text, err = os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, site+"# edited\n", string(text), "what somebody edited meanwhile stays")
}

// Two sites on one server have their pieces in different folders, wherever their files lie.
func TestFoldersOfTwoSites(t *testing.T) {
	for path, want := range map[string]string{
		"/etc/nginx/sites-enabled/one":        "/etc/nginx/young-compass/one.example",
		"/etc/apache2/sites-available/a.conf": "/etc/apache2/young-compass/one.example",
		"/etc/httpd/conf.d/b.conf":            "/etc/httpd/young-compass/one.example",
		"/etc/caddy/Caddyfile":                "/etc/caddy/young-compass/one.example",
	} {
		assert.Equal(t, want, deploy.FolderFor(nginx.Target{}, path, "one.example"))
		assert.Equal(t, filepath.Join(filepath.Dir(path), "young-compass/one.example"),
			deploy.FolderFor(php.Target{}, path, "one.example"), "visitors reach it")
	}
}
