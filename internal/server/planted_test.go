//go:build linux

package server_test

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
	"young-compass/internal/server/php"
)

// Where the plan redirects an address, or says that it is gone, a real file under it is never sent.
func TestTheScriptGoesBeforePlantedFiles(t *testing.T) {
	if testing.Short() {
		t.Skip("left out by -short: the real servers are asked without the race detector")
	}
	t.Parallel()
	w := world{rand.New(rand.NewPCG(*randomSeed, 222))}
	planted, plans := 0, 0
	for planted < 250 && plans < 200 {
		p, g, found := opened(t, w.files())
		if p == nil || finding.Count(found)["noise-source"] > 0 {
			continue
		}
		target := target{php.Target{}, startPHP}
		if _, found := target.try(g); finding.Worst(found, finding.Error) {
			continue
		}
		here := pagesOf(p)
		var asks []ask
		dir := siteFolder(t, here)
		for known := range p.KnownAddresses() {
			a, err := p.Answer(plan.Request{Method: "GET", Address: known.Address})
			name := filepath.Join(dir, "www", filepath.FromSlash(address.Decode(known.Address.Path)))
			if err != nil || a.Outcome != plan.Moved && a.Outcome != plan.Gone || strings.ContainsAny(address.Decode(known.Address.Path), "\x00") ||
				strings.HasSuffix(known.Address.Path, "/") || !strings.HasPrefix(name, filepath.Join(dir, "www")+"/") || strings.Contains(known.Address.Path, "/.") {
				continue
			}
			if _, err := os.Stat(name); err == nil || os.MkdirAll(filepath.Dir(name), 0o755) != nil || os.WriteFile(name, []byte("planted"), 0o644) != nil {
				continue // another address is a folder there, or the name is too long
			}
			planted++
			more := known.Address
			more.Query = strings.TrimPrefix(more.Query+"&x=1", "&")
			for _, q := range []ask{{method: "GET", url: known.Address.String()}, {method: "POST", url: known.Address.String()}, {method: "GET", url: more.String()}} {
				r, err := plan.NewRequest(q.method, q.url)
				require.NoError(t, err)
				if a, err := p.Answer(r); err == nil && (a.Outcome == plan.Moved || a.Outcome == plan.Gone) {
					asks = append(asks, q)
				}
			}
		}
		if len(asks) == 0 {
			continue
		}
		plans++
		s := target.with(t, g, server.Options{}, dir)
		for _, q := range asks {
			got, err := s.Ask(q)
			require.NoError(t, err)
			assert.NotEqual(t, "planted", strings.TrimSpace(got.Body), q.url)
		}
		compare(t, "php, planted files", g, s, asks, target.Differences())
		s.stop()
	}
	t.Logf("%d files planted in %d plans", planted, plans)
	assert.GreaterOrEqual(t, planted, 222)
}
