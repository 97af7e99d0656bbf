//go:build linux

package main

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/cli"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/project"
	"young-compass/internal/propose/proposetest"
)

// leastShare is how much of what is proposed must be right, and how much of what is right must be proposed.
const leastShare = 0.95

// Three invented sites are moved by four commands, without a file edited by hand: what is proposed is right, and every
// old address is answered in one hop, by its page.
func TestInventedSites(t *testing.T) {
	sites := proposetest.Sites(1)
	if !testing.Short() {
		sites = append(sites, proposetest.Sites(2)...)
	}
	for _, site := range sites {
		t.Run(site.Name, func(t *testing.T) {
			dir := t.TempDir()
			for name, text := range site.Files {
				file := filepath.Join(dir, "have", name)
				require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
				require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
			}
			var sources []string
			for _, name := range site.Sources {
				sources = append(sources, filepath.Join(dir, "have", name))
			}
			run := func(args ...string) string {
				var out, messages bytes.Buffer
				status := cli.Main(context.Background(), append(args, "--project", dir), strings.NewReader(""), &out, &messages)
				require.Zero(t, status, "%v\n%s%s", args, out.String(), messages.String())
				return out.String()
			}
			run(append([]string{"gather"}, sources...)...)
			run("propose", "--write")
			run("design", "--write")
			run("redirects", "coverage")
			p, found, err := project.Load(dir)
			require.NoError(t, err)
			require.Empty(t, found)
			if t.Failed() || testing.Verbose() {
				text, _ := os.ReadFile(filepath.Join(dir, project.PlanFile))
				t.Log(string(text))
			}
			compareSettings(t, site, p)
			compareKinds(t, site, p)
			answersInOneHop(t, site, p)
		})
	}
}

// share prints and checks how much of a set is right.
func share(t *testing.T, what string, wanted, got []string) {
	t.Helper()
	right := 0
	for _, s := range got {
		if slices.Contains(wanted, s) {
			right++
		}
	}
	shares(t, what, right, len(wanted), len(got))
	if right < len(wanted) || right < len(got) {
		t.Logf("%s: wanted %v, got %v", what, wanted, got)
	}
}

func shares(t *testing.T, what string, right, wanted, got int) {
	t.Helper()
	of := func(n int) float64 {
		if n == 0 {
			return 1
		}
		return float64(right) / float64(n)
	}
	t.Logf("%-12s precision %.3f, recall %.3f", what, of(got), of(wanted))
	assert.GreaterOrEqual(t, of(got), leastShare, what)
	assert.GreaterOrEqual(t, of(wanted), leastShare, what)
}

func compareSettings(t *testing.T, site proposetest.Site, p *plan.Plan) {
	assert.Equal(t, site.Origin, p.Site.Origin.Base())
	share(t, "hosts", site.Hosts, p.Site.All())
	var wanted, got []string
	for tag, mark := range site.Languages {
		wanted = append(wanted, tag+" "+mark)
	}
	got = append(got, p.Languages.Default+" ")
	for _, l := range p.Languages.Others {
		got = append(got, l.Tag+" "+l.Prefix+l.Host)
	}
	share(t, "languages", wanted, got)
	wanted, got = nil, nil
	for name, class := range site.Parameters {
		wanted = append(wanted, name+" "+class)
	}
	for _, name := range p.Noise {
		got = append(got, ";"+name+" noise")
	}
	for _, q := range p.Parameters.All {
		got = append(got, q.Name+" "+string(q.Class))
	}
	share(t, "parameters", wanted, got)
	for _, at := range site.Stay {
		assert.True(t, p.IsFile(at), at)
	}
}

// compareKinds compares pairs of pages: those that are of one kind in truth with those that were found to be.
func compareKinds(t *testing.T, site proposetest.Site, p *plan.Plan) {
	truth := map[inventory.Ref]string{}
	for _, page := range site.Pages {
		a, err := address.Parse(page.Old)
		require.NoError(t, err)
		entry := p.EntryAt(a.Host, a.Path, a.Query)
		require.NotNil(t, entry, page.Old)
		truth[entry.Page] = page.Kind
		assert.Equal(t, page.Language, entry.Page.Language, page.Old)
	}
	assert.Len(t, truth, len(site.Pages), "each page is one")
	pairs := func(n int) int { return n * (n - 1) / 2 }
	together, wanted, got := map[[2]string]int{}, map[string]int{}, map[string]int{}
	for i := range p.Pages.Pages {
		page := &p.Pages.Pages[i]
		kind, ok := truth[page.Ref]
		if !ok {
			t.Errorf("%s is no page of the site", page.Ref)
			continue
		}
		together[[2]string{kind, page.Kind}]++
		wanted[kind]++
		got[page.Kind]++
	}
	right, all, proposed := 0, 0, 0
	for _, n := range together {
		right += pairs(n)
	}
	for _, n := range wanted {
		all += pairs(n)
	}
	for _, n := range got {
		proposed += pairs(n)
	}
	shares(t, "kinds", right, all, proposed)
	assert.Len(t, got, len(wanted), "%v, wanted %v", got, wanted)
}

func answersInOneHop(t *testing.T, site proposetest.Site, p *plan.Plan) {
	moved := 0
	for _, page := range site.Pages {
		var ref inventory.Ref
		for i, old := range append([]string{page.Old}, page.Spelled...) {
			a, err := address.Parse(old)
			require.NoError(t, err)
			trace, err := p.Trace(plan.Request{Method: "GET", Address: a})
			require.NoError(t, err)
			assert.LessOrEqual(t, len(trace.Hops), 1, old)
			if i == 0 {
				ref = trace.Answer.Page
				if len(trace.Hops) > 0 {
					moved++
				}
				current, ok := p.CurrentAddress(ref)
				assert.True(t, ok && current.Path == trace.Final.Path, "%s ends at %s", old, trace.Final)
			}
			assert.Equal(t, plan.Served, trace.Answer.Outcome, old)
			assert.Equal(t, ref, trace.Answer.Page, old)
		}
	}
	t.Logf("%d of %d pages move", moved, len(site.Pages))
}

// On the demo, whose plan a person wrote, the same languages, hosts and kinds are proposed, and a parameter of every
// class.
func TestProposalOfTheDemo(t *testing.T) {
	dir := t.TempDir()
	theirs := demotest.Accepted(t, dir)
	require.NoError(t, demo.CopySources(dir))
	demotest.Write(t, filepath.Join(dir, demo.IslandGuide), demotest.File(t, demo.IslandGuide))
	live := neglected(t, dir)
	run := func(args string) []byte {
		var out, messages bytes.Buffer
		status := cli.Main(context.Background(), append(strings.Fields(args), "--project", dir, "--fail-on", "never"), strings.NewReader(""), &out, &messages)
		require.Zero(t, status, "%s\n%s%s", args, out.String(), messages.String())
		return out.Bytes()
	}
	logs := dir + "/sources/access.log"
	run("gather " + logs + " " + logs + ".1.gz " + logs + ".2.zst")
	run("pair " + dir + "/" + demo.IslandGuide + " " + dir + " --output " + dir + "/pairs.csv")
	run("redirects merge " + dir + "/pairs.csv --sure 0.9")
	run("probe parameters" + live)
	require.NoError(t, os.Remove(filepath.Join(dir, project.PlanFile)))
	run("propose --write")
	p, _, err := project.Load(dir)
	require.NoError(t, err)
	assert.Equal(t, theirs.Site.Origin, p.Site.Origin)
	assert.ElementsMatch(t, theirs.Site.All(), p.Site.All())
	assert.Equal(t, theirs.Languages.Default, p.Languages.Default)
	assert.ElementsMatch(t, theirs.Languages.Others, p.Languages.Others)
	assert.Equal(t, theirs.Languages.Words, p.Languages.Words)
	classes := func(c *plan.Plan) map[parameter.Class]bool {
		all := map[parameter.Class]bool{}
		for _, q := range c.Parameters.All {
			all[q.Class] = true
		}
		return all
	}
	assert.Equal(t, classes(theirs), classes(p))
	same := 0
	for _, k := range theirs.Kinds {
		if slices.ContainsFunc(p.Kinds, func(o planfile.Kind) bool { return o.Name == k.Name }) {
			same++
		}
	}
	t.Logf("%d of %d kinds", same, len(theirs.Kinds))
	assert.GreaterOrEqual(t, same, 7)
	assert.Len(t, p.Kinds, len(theirs.Kinds))
}
