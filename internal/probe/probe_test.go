package probe_test

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/demo/demotest"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/visits"
)

// obedient answers as the plan says, but for the addresses it is told.
type obedient struct {
	plan   *plan.Plan
	except map[string]fetch.Reply
	fail   map[string]error
}

func (o obedient) Get(_ context.Context, a address.Address) (fetch.Reply, error) {
	a.Fragment = ""
	if err := o.fail[a.String()]; err != nil {
		return fetch.Reply{}, err
	}
	if reply, ok := o.except[a.String()]; ok {
		return reply, nil
	}
	if !o.plan.Site.Has(a.Host) {
		return fetch.Reply{}, fetch.ErrForeign
	}
	answer, err := o.plan.Answer(plan.Request{Method: "GET", Address: a})
	return fetch.Reply{Status: answer.Status, Location: answer.To}, err
}

func run(t *testing.T, o obedient) probe.Comparison {
	t.Helper()
	var steps atomic.Int32
	targets := slices.Collect(o.plan.KnownAddresses())
	var comparison probe.Comparison
	err := probe.Run(context.Background(), o.plan, o, slices.Values(targets), func() { steps.Add(1) },
		func(observation probe.Observation) { comparison.Add(o.plan, observation) })
	require.NoError(t, err)
	assert.EqualValues(t, len(targets), steps.Load())
	return comparison
}

func TestASiteThatObeysItsPlan(t *testing.T) {
	comparison := run(t, obedient{plan: demotest.Accepted(t, t.TempDir())})
	assert.Empty(t, comparison.Findings())
	assert.Equal(t, probe.Summary{Asked: 397, Direct: 181, OneHop: 203, Temporary: 8, Elsewhere: 1, Gone: 4},
		comparison.Summary)
}

// A server behind a proxy that ends TLS is asked over http, and leads every https address to itself.
func TestAProxyThatEndsTLS(t *testing.T) {
	const current = "https://skerrywick.example/tickets-and-fares"
	p := demotest.Accepted(t, t.TempDir())
	comparison := run(t, obedient{p, map[string]fetch.Reply{current: {Status: 301, Location: current}}, nil})
	found := comparison.Findings()
	require.Len(t, found, 1)
	assert.Equal(t, finding.ProxyEndsTLS, found[0].Code)
	assert.Contains(t, found[0].What, " addresses end at an https address that is redirected to itself, such as "+current)
}

func TestEachDifferenceNamesItsHop(t *testing.T) {
	const old, current = "http://www.skerrywick.example/tickets.cfm", "https://skerrywick.example/tickets-and-fares"
	p := demotest.Accepted(t, t.TempDir())
	for name, c := range map[string]struct {
		except map[string]fetch.Reply
		fail   map[string]error
		code   string
		what   string
	}{
		"answers itself": {map[string]fetch.Reply{old: {Status: 200}}, nil, "not-redirected",
			"hop 1 answers 200 itself; the plan says 301 to " + current},
		"other target": {map[string]fetch.Reply{old: {Status: 301, Location: "/"}}, nil, "wrong-target",
			"hop 1 leads to /; the plan says " + current},
		"other status": {map[string]fetch.Reply{old: {Status: 302, Location: current}}, nil, "wrong-status",
			"hop 1 has the status 302; the plan says 301"},
		"one hop more": {map[string]fetch.Reply{current: {Status: 301, Location: current + "/"}, current +
			"/": {Status: 200}}, nil, "more-hops", "hop 2 leads on to " + current + "/ (301)"},
		"missing page": {map[string]fetch.Reply{current: {Status: 404}}, nil, "wrong-answer",
			"it ends with 404; the plan says 200"},
		"another canonical": {map[string]fetch.Reply{current: {Status: 200,
			Header: http.Header{"Content-Type": {"text/html"}},
			Body:   []byte(`<link rel=canonical href="https://skerrywick.example/">`)}}, nil,
			"final-not-canonical", "names https://skerrywick.example/ as its canonical address; the plan says " +
				current},
		"no answer": {nil, map[string]error{old: errors.New("connection refused")}, "no-answer",
			"connection refused"},
		"itself": {map[string]fetch.Reply{old: {Status: 301, Location: old}}, nil, "no-answer", old + " is redirected to itself"},
		"a circle": {map[string]fetch.Reply{old: {Status: 301, Location: old + "?x"}, old + "?x": {Status: 301, Location: old}}, nil,
			"no-answer", "still being redirected after 10 hops"},
		"a bad target": {map[string]fetch.Reply{old: {Status: 301, Location: "javascript:alert(1)"}}, nil,
			"no-answer", "javascript:alert(1) is not an http or https address"},
		"a hostile bytes": {map[string]fetch.Reply{old: {Status: 301, Location: "https://skerrywick.example/\x1b[2J"}},
			nil, "no-answer", `\x1b[2J`},
	} {
		t.Run(name, func(t *testing.T) {
			var about []finding.Finding
			comparison := run(t, obedient{p, c.except, c.fail})
			for _, f := range comparison.Findings() {
				if f.Where.URL == old {
					about = append(about, f)
				}
			}
			if assert.Len(t, about, 1, name) {
				assert.Equal(t, c.code, string(about[0].Code), name)
				assert.Contains(t, about[0].String(), c.what, name)
				assert.Equal(t, "addresses.csv", about[0].Where.File, name)
			}
		})
	}
}

func TestPagesAtManyAddresses(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	const variant = "http://www.skerrywick.example/PORTS/HILDAFJORD"
	comparison := run(t, obedient{plan: p, except: map[string]fetch.Reply{variant: {Status: 200}}})
	found := comparison.Findings()
	assert.Equal(t, map[string]int{"many-addresses": 1, "not-redirected": 1}, finding.Count(found))
	for _, f := range found {
		if f.Code == "many-addresses" {
			assert.Contains(t, f.What, "port-hildafjord@en answers at 2 addresses")
			assert.Contains(t, f.Evidence, variant)
		}
	}
}

func TestInterrupted(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	err := probe.Run(ctx, p, obedient{plan: p}, p.KnownAddresses(), func() {}, func(probe.Observation) {})
	assert.ErrorIs(t, err, context.Canceled)
}

// A sample is as large as is wanted, in order, and holds what is visited most.
func TestSample(t *testing.T) {
	p := demotest.Accepted(t, t.TempDir())
	all := slices.Collect(p.KnownAddresses())
	visited := all[123].Address
	weight := probe.Weights([]visits.Visit{{Address: visited, Visitors: 100_000}})
	for _, n := range []int{1, 2, 50, len(all) - 1, len(all), len(all) + 7} {
		some := slices.Collect(probe.Sample(slices.Values(all), n, weight))
		assert.Len(t, some, min(n, len(all)))
		assert.True(t, slices.ContainsFunc(some, func(t plan.Known) bool { return t.Address == visited }), n)
		assert.True(t, slices.IsSortedFunc(some,
			func(a, b plan.Known) int { return slices.Index(all, a) - slices.Index(all, b) }))
	}
	assert.Len(t, slices.Collect(probe.Sample(slices.Values(all), 0, weight)), len(all))
}
