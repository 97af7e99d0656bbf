package deploy_test

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/compile"
	"young-compass/internal/deploy"
	"young-compass/internal/finding"
	"young-compass/internal/project"
	"young-compass/internal/server"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/php"
)

// beside prepares an installation into a per-folder file that has rules already.
func beside(t *testing.T, target server.Target, plan, rules string) *deploy.Installation {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{
		project.PlanFile:      "site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example]}\n" + plan,
		project.PagesFile:     "key,language,title,state\np,en,Routes,live\nq,en,Fares,live\n",
		project.AddressesFile: "address,page,state\nhttps://skerrywick.example/routes,p@en,current\nhttps://skerrywick.example/fares,q@en,current\n",
		project.RedirectsFile: "from,to,status\n/old.html,/routes,301\n/other,/fares,301\n/gone,,410\n",
		"site/.htaccess":      rules,
		"site/picture.png":    "png",
	} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	g, _, err := compile.Plan(p)
	require.NoError(t, err)
	file := filepath.Join(dir, "site", ".htaccess")
	place := deploy.Place{Target: target, File: file, Project: dir, Hosts: p.Site.All(),
		Folder: deploy.FolderFor(target, file, "skerrywick.example")}
	files, found := target.Emit(g, server.Options{Folder: deploy.Unplaced, Anyway: true})
	require.NotEmpty(t, files, "%v", found)
	x, err := place.Prepare(g, files, false)
	require.NoError(t, err)
	return x
}

const rewriting = "RewriteEngine On\n"

func TestExistingRules(t *testing.T) {
	forceWWW := rewriting + "RewriteCond %{HTTP_HOST} !^www\\.\nRewriteRule ^(.*)$ https://www.skerrywick.example/$1 [R=301,L]\n"
	front := rewriting + "RewriteCond %{REQUEST_FILENAME} !-f\nRewriteRule . /index.php [L]\n"
	for name, c := range map[string]struct {
		rules, plan      string
		script, folder   string // code, line and words of the findings
		scriptA, folderA string // what the table says beside the last line
	}{
		"force www": {rules: forceWWW,
			script: "existing-loop 3 a-picture.png -> ", scriptA: "a circle",
			folder: "existing-loop 3 /routes -> https://www.skerrywick.example/routes (line 3) -> https://skerrywick.example/routes (the plan)", folderA: "a circle"},
		"force https, as the plan does": {rules: rewriting + "RewriteCond %{HTTPS} off\nRewriteRule ^ https://%{HTTP_HOST}%{REQUEST_URI} [R=301,L]\n"},
		"force https by a proxy's header": {rules: rewriting + "RewriteCond %{HTTP:X-Forwarded-Proto} !https\nRewriteRule ^ https://%{HTTP_HOST}%{REQUEST_URI} [R=301,L]\n",
			script: "proxy-ends-tls 3 ", folder: "proxy-ends-tls 3 ", scriptA: "a circle, if there is a proxy", folderA: "a circle, if there is a proxy"},
		"a Redirect that leads back": {rules: "Redirect 301 /routes /old.html\n",
			script: "existing-loop 1 https://skerrywick.example/routes -> https://skerrywick.example/old.html (line 1) -> https://skerrywick.example/routes (the plan)",
			folder: "existing-loop 1 https://skerrywick.example/routes -> https://skerrywick.example/old.html (line 1)", scriptA: "a circle", folderA: "a circle"},
		"a Redirect that the plan has too": {rules: "Redirect 301 /old.html /routes\n"},
		"a Redirect in two hops": {rules: "Redirect 301 /old.html /older.html\nRedirect 301 /older.html /routes\n",
			script: "existing-hop 1 https://skerrywick.example/old.html -> https://skerrywick.example/older.html (line 1) -> https://skerrywick.example/routes",
			folder: "existing-hop 1 https://skerrywick.example/old.html -> https://skerrywick.example/older.html (line 1)"},
		"a Redirect to elsewhere": {rules: "Redirect 301 /old.html /fares\n", script: "existing-redirect 1 ", folder: "existing-redirect 1 ",
			scriptA: "goes before the plan", folderA: "goes before the plan"},
		"a Redirect from a page": {rules: "Redirect 301 /fares /prices\n", script: "existing-redirect 1 ", folder: "existing-redirect 1 ",
			scriptA: "goes before the plan", folderA: "goes before the plan"},
		"a Redirect nobody knows":        {rules: "Redirect 301 /shop.html /fares\n"},
		"a page that is forbidden":       {rules: "Redirect 403 /fares\n", script: "existing-redirect 1 ", folder: "existing-redirect 1 ", scriptA: "goes before the plan", folderA: "goes before the plan"},
		"something gone, said otherwise": {rules: "Redirect 301 /gone /fares\n", script: "existing-redirect 1 ", folder: "existing-redirect 1 ", scriptA: "goes before the plan"},
		"a match that reads the script":  {rules: "RedirectMatch 301 ^(.*)\\.php$ $1\n", script: "existing-loop 1 ", scriptA: "a circle"},
		"a front controller":             {rules: front, script: "front-controller-unnamed 3 /index.php makes pages", scriptA: "isn't asked any more"},
		"one that the plan names":        {rules: front, plan: "front-controller: {to: /index.php}\n", scriptA: "the plan does that"},
		"one behind force www":           {rules: forceWWW + front, script: "front-controller-unnamed 6 ", folder: "existing-loop 3 ", scriptA: "isn't asked any more"},
		"FallbackResource":               {rules: "FallbackResource /index.php\n", script: "front-controller-unnamed 1 ", scriptA: "isn't asked any more"},
		"a rewrite": {rules: rewriting + "RewriteRule ^api/(.*)$ /api.php?call=$1 [L]\n",
			script: "existing-unasked 2 it isn't asked any more", scriptA: "isn't asked any more"},
		"a redirect by rewriting": {rules: rewriting + "RewriteRule ^shop\\.html$ /fares [R=301,L]\n",
			script: "existing-unasked 2 1 redirects of the file aren't asked any more, such as /shop.html to /fares", scriptA: "isn't asked any more"},
		"one that the plan has":    {rules: rewriting + "RewriteRule ^old\\.html$ /routes [R=301,L]\n"},
		"one that is no row":       {rules: rewriting + "RewriteRule ^shop/(.*)$ /fares [R=301,L]\n", script: "existing-unasked 2 it redirects", scriptA: "isn't asked any more"},
		"rewriting off":            {rules: "RewriteEngine Off\n", script: "rewriting-off 1 ", folder: "rewriting-off 1 "},
		"rules that were off":      {rules: "RewriteRule ^fares$ /x [R]\n", script: "existing-redirect 1 the file's rewrite rules were off", folder: "existing-redirect 1 "},
		"PHP off":                  {rules: "php_flag engine off\n", script: "rewriting-off 1 PHP is off"},
		"no handler for PHP":       {rules: "RemoveHandler .php .phtml\n", script: "rewriting-off 1 PHP doesn't run"},
		"scripts as text":          {rules: "AddType text/plain .php\n", script: "rewriting-off 1 PHP doesn't run"},
		"another handler for PHP":  {rules: "AddHandler application/x-httpd-php83 .php\n"},
		"a page for what is gone":  {rules: "ErrorDocument 410 /gone.html\n", script: "existing-unasked 1 the script answers 410 by itself", scriptA: "isn't asked any more"},
		"a page for another error": {rules: "ErrorDocument 500 /oops.html\n"},
		"what can't be known": {rules: rewriting + "RewriteCond %{TIME_HOUR} >22\nRewriteRule ^fares$ /closed [R,L]\n",
			script: "existing-unasked 3 ", folder: "existing-uncertain 3 what this line does isn't judged", folderA: "not judged"},
	} {
		t.Run(name, func(t *testing.T) {
			for _, of := range []struct {
				target      server.Target
				want, table string
			}{{php.Target{}, c.script, c.scriptA}, {httpd.Folder{}, c.folder, c.folderA}} {
				x := beside(t, of.target, c.plan, c.rules)
				var said []string
				for _, f := range x.Findings {
					said = append(said, strings.Join([]string{string(f.Code), string(rune('0' + f.Where.Line)), f.What}, " "))
				}
				all := strings.Join(said, "\n")
				if of.want == "" {
					assert.Empty(t, said, of.target.Name())
				} else {
					code, rest, _ := strings.Cut(of.want, " ")
					line, words, _ := strings.Cut(rest, " ")
					assert.Contains(t, all, code+" "+line+" ", of.target.Name())
					assert.Contains(t, all, words, of.target.Name())
				}
				if n := len(x.Existing); n > 0 && of.table != "" {
					assert.Equal(t, of.table, x.Existing[n-1].Beside, of.target.Name())
				}
			}
		})
	}
	x := beside(t, php.Target{}, "", forceWWW)
	assert.True(t, finding.Worst(x.Findings, finding.Error))
	assert.Equal(t, "leads to a host or scheme", x.Existing[0].Does)
	again := beside(t, httpd.Folder{}, "", string(x.New))
	assert.Equal(t, len(strings.Split(strings.TrimSuffix(string(x.New), "\n"), "\n")), again.Existing[0].Line, "lines keep their numbers, whatever was installed")
}

// What is packed is what an installation puts down, under the same names, and the same bytes each time.
func TestArchive(t *testing.T) {
	x := beside(t, php.Target{}, "", "Options -Indexes\n")
	files := slices.Clone(x.Pieces)
	files = append(files, server.File{Name: php.FolderFile, Data: []byte("RewriteRule \"^\" \"/" + deploy.Unplaced + "/young-compass.php\" [END]\n")})
	one, err := deploy.Archive(x.Target, files, "skerrywick.example", nil, "# How\n\n| a | `b` |\n|---|---|\n| c | [d](e.md) |\n\n```\nls **x**\n```\n")
	require.NoError(t, err)
	two, err := deploy.Archive(x.Target, files, "skerrywick.example", nil, "# How\n\n| a | `b` |\n|---|---|\n| c | [d](e.md) |\n\n```\nls **x**\n```\n")
	require.NoError(t, err)
	assert.Equal(t, one, two)
	packed, err := zip.NewReader(bytes.NewReader(one), int64(len(one)))
	require.NoError(t, err)
	texts := map[string]string{}
	for _, f := range packed.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		texts[f.Name] = string(text)
	}
	assert.Equal(t, "HOW\n\n  a: b\n  c: d\n\nls x\n", texts[deploy.ReadFirst])
	at := strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(texts[deploy.LinesFile]), "RewriteRule \"^\" \"/"), "/young-compass.php\" [END]")
	assert.True(t, strings.HasPrefix(at, "young-compass/skerrywick.example/"), at)
	assert.Len(t, texts, 5)
	for _, f := range x.Pieces {
		assert.NotEmpty(t, texts[at+"/"+f.Name], f.Name)
	}
	whole, err := deploy.Archive(x.Target, files, "skerrywick.example", []byte("all of it"), "")
	require.NoError(t, err)
	assert.NotEqual(t, one, whole)
}
