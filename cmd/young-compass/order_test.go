//go:build linux

package main

import (
	"bytes"
	"context"
	"encoding/csv"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/project"
)

// movedToHTTPS are addresses that a page had on http, beside those it has now: sorted by address, they come first.
const movedToHTTPS = `address,page,state
https://skerrywick.example/quays/hildafjord,zz1@en,current
http://skerrywick.example/quays/hildafjord,zz1@en,variant
http://www.skerrywick.example/QUAYS/HILDAFJORD,zz1@en,variant
http://www.skerrywick.example/en/quays/hildafjord,zz1@en,variant
http://www.skerrywick.example/quays/hildafjord,zz1@en,variant
http://www.skerrywick.example/quays/hildafjord/,zz1@en,variant
https://www.skerrywick.example/quays/hildafjord,zz1@en,variant
https://skerrywick.example/quays/kvitsund,zz2@en,current
http://skerrywick.example/quays/kvitsund,zz2@en,former
http://www.skerrywick.example/quays/kvitsund,zz2@en,former
`

// Whatever order a spreadsheet leaves the rows of the project's files in, every output is the same, but for the lines
// that it names.
func TestTheOrderOfRowsDecidesNothing(t *testing.T) {
	t.Setenv("SOURCE_DATE_EPOCH", "1795428000")
	start := t.TempDir()
	demotest.Gathered(t, start)
	add := func(name, rows string) {
		path := filepath.Join(start, name)
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path, append(data, rows...), 0o644))
	}
	call(t, "design", "--write", "--project", start, "--fail-on", "never", "--quiet")
	header, _, _ := strings.Cut(text(t, start, project.PagesFile), "\n")
	commas := strings.Repeat(",", strings.Count(header, ",")-4)
	add(project.PagesFile, "zz1,en,page,Hildafjord,live"+commas+"\nzz2,en,page,Kvitsund,live"+commas+"\n")
	for line := range strings.Lines(movedToHTTPS) {
		if !strings.HasPrefix(line, "address,") {
			add(project.AddressesFile, strings.TrimSuffix(line, "\n")+",\n")
		}
	}
	for _, row := range [][]string{{"/x/1", "/quays/hildafjord", "301"}, {"/x/2", "zz2@en", "302"}, {"/x/3", "https://far.example/", "308"},
		{"/x/4", "", "410"}, {"/x/5?a=1", "zz1@en", "301"}} {
		call(t, "redirects", "add", "--project", start, row[0], row[1], "--status", row[2], "--anyway", "--quiet")
	}
	lines := regexp.MustCompile(`(?m)^\s*# \S+\.csv \d+\n|\.csv[: ]\d+|"line": \d+|in line \d+`)
	outputs := func(dir string) map[string]string {
		all := map[string]string{}
		for _, command := range []string{"emit nginx", "emit apache", "emit caddy", "emit haproxy", "emit htaccess --force", "emit php", "emit sitemap",
			"emit head --as csv", "design --format json", "design --format csv", "lint --format json", "redirects check --format json",
			"trace /quays/hildafjord /x/2 http://skerrywick.example/quays/kvitsund --format json", "pair --format csv",
			"redirects flatten redirects.csv"} {
			args := strings.Fields(command)
			for i, a := range args {
				if a == project.RedirectsFile {
					args[i] = filepath.Join(dir, a)
				}
			}
			var out, said bytes.Buffer
			cli.Main(context.Background(), append(args, "--project", dir, "--fail-on", "never"), strings.NewReader(""), &out, &said)
			require.NotContains(t, said.String(), "nothing written", "%s: %s", command, out.String())
			list := strings.Split(lines.ReplaceAllString(out.String(), ""), "\n")
			slices.Sort(list) // findings stand in the order of the lines
			all[command] = strings.ReplaceAll(strings.Join(list, "\n"), dir, "DIR")
		}
		require.NoError(t, filepath.WalkDir(filepath.Join(dir, "out"), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			data, err := os.ReadFile(path)
			all[strings.TrimPrefix(path, dir)] = strings.ReplaceAll(lines.ReplaceAllString(string(data), ""), dir, "DIR")
			return err
		}))
		return all
	}
	want := outputs(start)
	require.Contains(t, want["/out/nginx/young-compass-addresses.map"], `"0:/quays/hildafjord" " live`)
	require.NoError(t, os.RemoveAll(filepath.Join(start, "out")))
	random := rand.New(rand.NewPCG(18, 4))
	for _, order := range []string{"sorted", "turned round", "random", "random"} {
		dir := t.TempDir()
		for _, name := range []string{project.PlanFile, project.PagesFile, project.AddressesFile, project.RedirectsFile} {
			data := []byte(text(t, start, name))
			if strings.HasSuffix(name, ".csv") {
				rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
				require.NoError(t, err)
				body := rows[1:]
				slices.SortFunc(body, slices.Compare)
				switch order {
				case "turned round":
					slices.Reverse(body)
				case "random":
					random.Shuffle(len(body), func(i, j int) { body[i], body[j] = body[j], body[i] })
				}
				var b bytes.Buffer
				require.NoError(t, csv.NewWriter(&b).WriteAll(rows))
				data = b.Bytes()
			}
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
		}
		got := outputs(dir)
		for name := range want {
			assert.Equal(t, want[name], got[name], "%s: %s", order, name)
		}
		assert.Len(t, got, len(want))
		one, err := project.Sum(start)
		require.NoError(t, err)
		other, err := project.Sum(dir)
		require.NoError(t, err)
		if !strings.Contains(text(t, start, project.PagesFile), `"`) { // else fields may be quoted otherwise
			assert.Equal(t, one, other)
		}
	}
}
