package cli

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/probe"
)

func TestLeavingInWords(t *testing.T) {
	states := func(l probe.Leaving) (list []string) {
		for _, s := range leaving(l, "sid", "2026-11-20") {
			list = append(list, s.State)
		}
		return list
	}
	for name, test := range map[string]struct {
		leaving probe.Leaving
		want    []string
	}{
		"nothing was asked": {probe.Leaving{}, []string{"next", "later", "later", "later"}},
		"some are marked":   {probe.Leaving{Addresses: 3, Asked: 3, Marked: 2}, []string{"next", "later", "later", "later"}},
		"blocked too early": {probe.Leaving{Addresses: 3, Asked: 3, Marked: 3, Blocked: 3, Unseen: 3},
			[]string{"done", "next", "later", "later"}},
		"crawlers are still to come": {probe.Leaving{Addresses: 3, Asked: 3, Marked: 3, Crawled: 2},
			[]string{"done", "done", "next", "later"}},
		"crawlers were there": {probe.Leaving{Addresses: 3, Asked: 3, Marked: 3, Crawled: 3},
			[]string{"done", "done", "done", "next"}},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, test.want, states(test.leaving)) })
	}
	steps := leaving(probe.Leaving{Addresses: 4, Asked: 3, Marked: 2, Blocked: 1, Unseen: 1}, "sid", "")
	assert.Equal(t, "2 of 3 do", steps[0].Seen)
	assert.Equal(t, "1 of 3 are blocked, 1 with unseen signals", steps[1].Seen)
	assert.Equal(t, "0 of 4 in the logs since --since", steps[2].Seen)
}

func TestAWayInWords(t *testing.T) {
	hops := []probe.Hop{{Status: 301, To: "/b"}, {Status: 302, To: "/c"}}
	for want, o := range map[string]probe.Observation{
		"200":                       {Status: 200},
		"301 /b 302 /c 404":         {Hops: hops, Status: 404},
		"301 /b 302 /c (not asked)": {Hops: hops, Foreign: true},
		"the line is cut":           {Err: errors.New("the line is cut")},
	} {
		t.Run(want, func(t *testing.T) { assert.Equal(t, want, way(o)) })
	}
}
