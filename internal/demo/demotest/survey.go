package demotest

import (
	"context"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/demo"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
)

// Ask starts a stand-in and returns a client that asks it in the names' place.
func Ask(t testing.TB, handler http.Handler) *fetch.Client {
	t.Helper()
	s, err := demo.Start(handler, "0", "0")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	at, err := fetch.ParseAt(s.At())
	require.NoError(t, err)
	names := map[string]fetch.At{demo.StagingHost: at, demo.CopyHost: at}
	c, err := fetch.New(fetch.Options{Site: demo.Site(), Also: []string{demo.StagingHost, demo.CopyHost}, At: &at,
		Names: names, CA: s.Certificate})
	require.NoError(t, err)
	return c
}

// Survey asks a stand-in and returns what is found.
func Survey(t testing.TB, p *plan.Plan, handler http.Handler) (*probe.Survey, []finding.Finding) {
	t.Helper()
	s := probe.Surveyor{Plan: p, Client: Ask(t, handler), Agent: "young-compass", Max: 5000, Now: time.Now(),
		Copies: []address.Address{{Scheme: "https", Host: demo.CopyHost, Path: "/"}}}
	v, err := s.Run(context.Background())
	require.NoError(t, err)
	var found []finding.Finding
	for _, section := range v.Judge() {
		found = append(found, section.Findings...)
	}
	finding.Sort(found)
	return v, found
}
