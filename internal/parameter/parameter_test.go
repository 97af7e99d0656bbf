package parameter_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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

// docs/propose.md lists every usual name, and no other.
func TestUsualNamesAreDocumented(t *testing.T) {
	text, err := os.ReadFile("../../docs/propose.md")
	require.NoError(t, err)
	_, list, ok := strings.Cut(string(text), "## The usual names of parameters")
	require.True(t, ok)
	var documented, known []string
	for line := range strings.Lines(list) {
		if strings.HasPrefix(line, "| `") {
			documented = append(documented, strings.TrimSpace(line))
		}
	}
	names := map[string]bool{}
	for _, u := range parameter.Usuals() {
		vague := ""
		if u.Vague {
			vague = "only where evidence agrees"
		}
		known = append(known, fmt.Sprintf("| `%s` | %s | %s | %s |", u.Name, u.Class, u.What, vague))
		assert.False(t, names[u.Name], "%s twice", u.Name)
		assert.Equal(t, strings.ToLower(u.Name), u.Name)
		names[u.Name] = true
	}
	assert.Equal(t, known, documented)
	assert.GreaterOrEqual(t, len(known), 60)
}

func TestUsualOf(t *testing.T) {
	for name, want := range map[string]parameter.Class{"utm_source": parameter.Tracking, "UTM_Campaign": parameter.Tracking, "PHPSESSID": parameter.Noise,
		";jsessionid": parameter.Noise, "utm": "", "sort": parameter.Display, "": "", "paged": parameter.Pagination, "_": parameter.Noise, "__": ""} {
		u, ok := parameter.UsualOf(name)
		assert.Equal(t, want, u.Class, name)
		assert.Equal(t, want != "", ok, name)
	}
}
