//go:build linux

package main

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/project"
)

// call runs the program; it must end well.
func call(t *testing.T, args ...string) {
	t.Helper()
	var stdout, stderr bytes.Buffer
	status := cli.Main(context.Background(), args, strings.NewReader(""), &stdout, &stderr)
	require.Equal(t, 0, status, "%s\n%s%s", args, stdout.String(), stderr.String())
}

// projectFiles returns what a project says, without its plan.
func projectFiles(t *testing.T, dir string) string {
	t.Helper()
	var b strings.Builder
	for _, name := range []string{project.PagesFile, project.AddressesFile, project.VisitsFile, project.GatheredFile} {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		fmt.Fprintf(&b, "== %s\n%s", name, data)
	}
	return b.String()
}

// The demo's files of every kind give the same project, whatever the order in
// which they are named.
func TestGatherInAnyOrder(t *testing.T) {
	t.Setenv("SOURCE_DATE_EPOCH", "1795428000")
	sources := t.TempDir()
	require.NoError(t, demo.CopySources(sources))
	demotest.Write(t, filepath.Join(sources, demo.OldSite), demotest.File(t, demo.OldSite))
	names, err := filepath.Glob(filepath.Join(sources, demo.Sources, "*"))
	require.NoError(t, err)
	require.Len(t, names, 13)
	names = append(names, filepath.Join(sources, demo.OldSite))
	want := ""
	for seed := range uint64(10) {
		dir := t.TempDir()
		demotest.Write(t, filepath.Join(dir, project.PlanFile), demotest.File(t, demo.Config))
		call(t, append([]string{"gather", "--project", dir}, names...)...)
		got := projectFiles(t, dir)
		if want == "" {
			want = got
		}
		require.Equal(t, want, got, names)
		call(t, append([]string{"gather", "--project", dir}, names...)...)
		require.Equal(t, want, projectFiles(t, dir), "gathering again changes nothing")
		random := rand.New(rand.NewPCG(seed, 1))
		random.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	}
	assert.Contains(t, want, "port-hildafjord@en,berths,")
}

// Over saved runs of the content system's export, with pages added between,
// renamed, and renamed back, every address accepted stays or redirects in one
// hop to its page, whatever the order of the rows.
func TestNothingIsLostOverGatheredRuns(t *testing.T) {
	t.Setenv("SOURCE_DATE_EPOCH", "1795428000")
	rows, err := csv.NewReader(bytes.NewReader(demotest.File(t, demo.OldSite))).ReadAll()
	require.NoError(t, err)
	header, rows := rows[0], rows[1:]
	title := slices.Index(header, "title")
	rename := func(rows [][]string) [][]string {
		renamed := make([][]string, 0, len(rows)+20)
		for i, row := range rows {
			row = slices.Clone(row)
			if len(row[0])%3 == 0 { // every row of a page alike
				row[title] += " anew"
			}
			renamed = append(renamed, row)
			if i%10 == 0 {
				added := slices.Clone(row)
				added[0], added[len(added)-1] = fmt.Sprintf("%s-more-%d", row[0], i), fmt.Sprintf("/added/%d", i)
				added[slices.Index(header, "fixed")] = ""
				renamed = append(renamed, added)
			}
		}
		return renamed
	}
	for seed := range uint64(10) {
		random := rand.New(rand.NewPCG(seed, 2))
		dir := t.TempDir()
		demotest.Write(t, filepath.Join(dir, project.PlanFile), demotest.File(t, demo.Config))
		ever := map[string]inventory.Ref{}
		for run, export := range [][][]string{rows, rename(rows), rows} {
			export = slices.Clone(export)
			random.Shuffle(len(export), func(i, j int) { export[i], export[j] = export[j], export[i] })
			var text bytes.Buffer
			w := csv.NewWriter(&text)
			require.NoError(t, w.Write(header))
			require.NoError(t, w.WriteAll(export))
			demotest.Write(t, filepath.Join(dir, "export.csv"), text.Bytes())
			call(t, "gather", "--project", dir, filepath.Join(dir, "export.csv"))
			if run == 0 {
				demotest.Write(t, filepath.Join(dir, demo.Redirects), demotest.File(t, demo.Redirects))
			}
			call(t, "design", "--project", dir, "--write", "--collide", "number")
			p := demotest.Load(t, dir)
			for _, e := range p.Book.Entries {
				owner, known := ever[e.Address.String()]
				require.True(t, !known || owner == e.Page, "%s changed its page", e.Address)
				ever[e.Address.String()] = e.Page
			}
			for text, owner := range ever {
				if p.Pages.Find(owner).State != inventory.Live {
					continue
				}
				r, err := plan.NewRequest("GET", text)
				require.NoError(t, err)
				trace, err := p.Trace(r)
				require.NoError(t, err)
				assert.LessOrEqual(t, len(trace.Hops), 1, text)
				assert.Equal(t, owner, trace.Answer.Page, "%s in run %d", text, run)
			}
		}
		require.Greater(t, len(ever), 450)
	}
}
