//go:build linux

package server_test

import (
	"bytes"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo/demotest"
	"young-compass/internal/inventory"
	"young-compass/internal/project"
	"young-compass/internal/server/nginx"
)

// An accepted site gets a section in front of all its addresses: every address
// of before, and every older one, leads to its page in one hop on real nginx.
func TestASectionInFrontLosesNobody(t *testing.T) {
	dir := t.TempDir()
	demotest.Accepted(t, dir)
	config := demotest.File(t, "young-compass.yaml")
	for _, kind := range []string{"route", "port", "vessel", "timetable", "notice", "guide"} {
		literal := []byte("  " + kind + ":")
		line := bytes.Index(config, literal)
		require.Positive(t, line)
		at := line + bytes.Index(config[line:], []byte(`"/`)) + 1
		config = append(config[:at:at], append([]byte("/travel"), config[at:]...)...)
	}
	demotest.Write(t, filepath.Join(dir, project.PlanFile), config)
	demotest.Accept(t, dir, demotest.Load(t, dir))
	p := demotest.Load(t, dir)

	s := target{nginx.Target{}, startNginx}.serve(t, compiled(t, p), demoSite(t, p))
	asked, moved := 0, map[inventory.Ref]int{}
	for _, e := range p.Book.Entries {
		page := p.Pages.Find(e.Page)
		current, ok := p.CurrentAddress(e.Page)
		if page.State != inventory.Live || !ok {
			continue
		}
		got, err := s.Ask(ask{method: "GET", url: e.Address.String()})
		require.NoError(t, err)
		asked++
		if p.Site.Rebase(e.Address) == current && e.Address.Scheme == "https" && e.Address.Host == p.Site.Origin.Host {
			assert.Equal(t, 200, got.Status, e.Address)
			continue
		}
		moved[e.Page]++
		assert.Equal(t, 301, got.Status, e.Address)
		if assert.Equal(t, current.String(), got.Location, e.Address) {
			end, err := s.Ask(ask{method: "GET", url: got.Location})
			require.NoError(t, err)
			assert.Equal(t, 200, end.Status, got.Location)
		}
	}
	twice := 0
	for _, n := range moved {
		if n >= 2 {
			twice++
		}
	}
	assert.Greater(t, asked, 500)
	assert.Greater(t, twice, 100, "pages with an address of before, and an older one")
}
