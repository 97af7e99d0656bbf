package parameter_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/address"
	"young-compass/internal/parameter"
)

func TestClassOf(t *testing.T) {
	list := parameter.List{All: []parameter.Parameter{
		{Name: "utm_*", Class: parameter.Tracking},
		{Name: "view", Class: parameter.Display},
		{Name: "view", For: "/timetables", Class: parameter.Noise},
		{Name: "view", For: "/timetables/print", Class: parameter.Identity},
		{Name: "id", Class: parameter.Identity},
		{Name: "id", Class: parameter.Noise},
	}}
	for _, c := range []struct {
		name, path string
		want       parameter.Class
	}{
		{"utm_source", "/", parameter.Tracking},
		{"utm_", "/", parameter.Tracking},
		{"utm", "/", ""},
		{"UTM_source", "/", ""},
		{"view", "/", parameter.Display},
		{"view", "/timetables", parameter.Noise},
		{"view", "/timetables/summer", parameter.Noise},
		{"view", "//timetables//summer", parameter.Noise},
		{"view", "/timetables-2025", parameter.Display},
		{"view", "/Timetables", parameter.Display},
		{"view", "/timetables/print", parameter.Noise}, // of two for parts of the site, the one that is written first
		{"id", "/", parameter.Identity},
		{"lang", "/", ""},
		{"", "/", ""},
	} {
		t.Run(c.name+" at "+c.path, func(t *testing.T) {
			assert.Equal(t, c.want, list.ClassOf(c.name, c.path))
		})
	}
	list.Fold = true
	assert.Equal(t, parameter.Noise, list.ClassOf("view", "/Timetables"), "letters of the path don't count")
	assert.Equal(t, parameter.Class(""), list.ClassOf("View", "/timetables"), "letters of a name always count")
	assert.Empty(t, (&parameter.List{}).ClassOf("id", "/"))
}

func TestNoise(t *testing.T) {
	list := parameter.List{All: []parameter.Parameter{
		{Name: "sid", Class: parameter.Noise},
		{Name: "view", For: "/en", Class: parameter.Noise},
		{Name: "tab", For: "/en/fares", Class: parameter.Noise},
		{Name: "cols", For: "/en", Class: parameter.Noise},
		{Name: "page", For: "/en", Class: parameter.Pagination},
	}}
	assert.Equal(t, []string{"sid"}, list.NoiseEverywhere())
	assert.Equal(t, []string{"/en/fares", "/en"}, list.NoiseScopes(), "the deepest first, each once")
	assert.Equal(t, []string{"view", "tab", "cols"}, list.LocalNoise("/en/fares/2026"))
	assert.Equal(t, []string{"view", "cols"}, list.LocalNoise("/en"))
	assert.Empty(t, list.LocalNoise("/english"))
	noisy := list.Noisy("/en")
	for name, want := range map[string]bool{"sid": true, "view": true, "tab": false, "page": false} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, want, noisy(address.Param{Name: name})) })
	}
}
