package coverage_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/project"
)

func TestFiles(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{project.PlanFile: "site: {origin: https://skerrywick.example, files: [/listed.php], except: [/left/]}\n" +
		"front-controller: {to: /app.php}\n",
		project.PagesFile:     "key,language,title,state\np,en,Routes,live\n",
		project.AddressesFile: "address,page,state\nhttps://skerrywick.example/routes,p@en,current\nhttps://skerrywick.example/old.php,p@en,variant\n",
		project.RedirectsFile: "from,to,status\n/picture.png,/routes,301\n/gone.html,,410\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	files := []string{"/basket.php", "/old.php", "/index.php", "/app.php", "/listed.php", "/left/x.php", "/admin/a.php", "/admin/b.php", "/admin/c.php",
		"/deep/a.php", "/.git/hook.php", "/picture.png", "/gone.html", "/routes", "/other.png", "/page.html", "/young-compass.php"}
	found, err := coverage.Files(p, files, false)
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Equal(t, finding.ScriptMoved, found[0].Code)
	assert.Equal(t, []string{"/admin/a.php", "/admin/b.php", "/admin/c.php", "/basket.php", "/deep/a.php"}, found[0].Evidence)
	assert.Contains(t, found[0].Advice, "files: [/admin/, /basket.php, /deep/a.php]")
	found, err = coverage.Files(p, files, true)
	require.NoError(t, err)
	require.Len(t, found, 2)
	assert.Equal(t, finding.FileInWay, found[1].Code)
	assert.Equal(t, []string{"/gone.html", "/index.php", "/old.php", "/page.html", "/picture.png"}, found[1].Evidence)
	many := make([]string, 31)
	for i := range many {
		many[i] = "/" + strings.Repeat("x", i+1) + ".php"
	}
	found, err = coverage.Files(p, many, false)
	require.NoError(t, err)
	assert.Contains(t, found[0].Advice, ", and 21 more")
	assert.Len(t, found[0].Evidence, 10)
}

func TestReadFiles(t *testing.T) {
	files, err := coverage.ReadFiles(strings.NewReader("\ufeff./basket.php\r\n\nimg/a.png\n/admin/\n/../x y.html\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"/basket.php", "/img/a.png", "/x y.html"}, files)
	for text, want := range map[string]string{"a\x1b[2J": "line 1 holds", strings.Repeat("x", 70_000): "64 kB", strings.Repeat("a\n", coverage.MaxFiles+1): "more than 1000000 files"} {
		_, err := coverage.ReadFiles(strings.NewReader(text))
		assert.ErrorContains(t, err, want)
	}
}
