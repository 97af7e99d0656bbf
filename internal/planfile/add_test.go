package planfile_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/planfile"
)

func addition(key, value string, item bool) planfile.Addition {
	return planfile.Addition{Key: strings.Split(key, " "), Value: value, Item: item}
}

// What a plan doesn't say is put where it belongs, and every other letter stays.
func TestAdd(t *testing.T) {
	for about, c := range map[string]struct {
		before string
		add    planfile.Addition
		after  string // empty: as before
	}{
		"a key at the end of a block":           {"site:\n  origin: https://a.example # home\n# end\n", addition("site hosts", "b.example", true), "site:\n  origin: https://a.example # home\n  hosts:\n    - b.example\n# end\n"},
		"an item of a list":                     {"site:\n  origin: https://a.example\n  hosts:\n    - b.example # b\n\nkinds: {}\n", addition("site hosts", "c.example", true), "site:\n  origin: https://a.example\n  hosts:\n    - b.example # b\n    - c.example\n\nkinds: {}\n"},
		"an item of a list that isn't indented": {"site:\n  origin: https://a.example\n  hosts:\n  - b.example\n  known: [x.example]\n", addition("site hosts", "c.example", true), "site:\n  origin: https://a.example\n  hosts:\n  - b.example\n  - c.example\n  known: [x.example]\n"},
		"an item of a list in brackets":         {"site: {origin: https://a.example, hosts: [b.example]}\n", addition("site hosts", "c.example", true), "site: {origin: https://a.example, hosts: [b.example, c.example]}\n"},
		"of an empty list":                      {"site: {origin: https://a.example, hosts: [ ]}\n", addition("site hosts", "c.example", true), "site: {origin: https://a.example, hosts: [ c.example]}\n"},
		"a key in braces":                       {"site: {origin: \"https://a.example\"} # {]\n", addition("site hosts", "c.example", true), "site: {origin: \"https://a.example\", hosts: [c.example]} # {]\n"},
		"braces over several lines":             {"site: {origin: https://a.example, # x, y\n  hosts: [b.example]\n}\n", addition("site hosts", "c.example", true), "site: {origin: https://a.example, # x, y\n  hosts: [b.example, c.example]\n}\n"},
		"letters of two bytes before it":        {"site: {origin: https://a.example, files: [/ä/], hosts: [b.example]}\n", addition("site hosts", "c.example", true), "site: {origin: https://a.example, files: [/ä/], hosts: [b.example, c.example]}\n"},
		"a whole section":                       {"site:\n  origin: https://a.example", addition("parameters noise", "sid", true), "site:\n  origin: https://a.example\nparameters:\n  noise:\n    - sid\n"},
		"a value deep down":                     {"site:\n  origin: https://a.example\n", addition("site paths slash", "never", false), "site:\n  origin: https://a.example\n  paths:\n    slash: never\n"},
		"a language":                            {"site: {origin: https://a.example}\nlanguages:\n  default: en\n  others:\n    de: {prefix: de}\n", addition("languages others", "nb: {prefix: nb}", true), "site: {origin: https://a.example}\nlanguages:\n  default: en\n  others:\n    de: {prefix: de}\n    nb: {prefix: nb}\n"},
		"a rule":                                {"site: {origin: https://a.example}\nrules:\n  - {from: /a, to: /b}\n", addition("rules", `{from: "/c", to: "/d"}`, true), "site: {origin: https://a.example}\nrules:\n  - {from: /a, to: /b}\n  - {from: \"/c\", to: \"/d\"}\n"},
		"lines that end in CR LF":               {"site:\r\n  origin: https://a.example\r\n", addition("site hosts", "b.example", true), "site:\r\n  origin: https://a.example\r\n  hosts:\n    - b.example\n"},
		"it is there":                           {"site: {origin: https://a.example, hosts: [b.example]}\n", addition("site hosts", "b.example", true), ""},
		"a value is there":                      {"site:\n  origin: https://a.example\n  paths: {slash: always}\n", addition("site paths slash", "never", false), ""},
		"a language is there":                   {"site: {origin: https://a.example}\nlanguages: {others: {de: {host: b.example}}}\n", addition("languages others", "de: {prefix: de}", true), ""},
		"a name is covered":                     {"site: {origin: https://a.example}\nparameters: {tracking: [\"utm_*\"]}\n", addition("parameters tracking", "utm_source", true), ""},
		"a name for one place is there":         {"site: {origin: https://a.example}\nparameters: {display: [{name: view, for: /a}]}\n", addition("parameters display", "view", true), ""},
		"a rule from there is there":            {"site: {origin: https://a.example}\nrules: [{from: /a, to: /x}]\n", addition("rules", `{from: "/a", to: "/b"}`, true), ""},
		"nobody can tell where":                 {"site:\n  origin: https://a.example\n  hosts:\n", addition("site hosts", "b.example", true), ""},
	} {
		t.Run(about, func(t *testing.T) {
			next, added, err := planfile.Add("young-compass.yaml", []byte(c.before), c.add)
			require.NoError(t, err)
			assert.Equal(t, c.after != "", added)
			if c.after == "" {
				c.after = c.before
			}
			assert.Equal(t, c.after, string(next))
			if added && !strings.Contains(about, "empty") {
				_, err = planfile.Read("young-compass.yaml", next)
				require.NoError(t, err)
			}
			_, added, err = planfile.Add("young-compass.yaml", next, c.add)
			require.NoError(t, err)
			assert.False(t, added, "twice adds nothing")
		})
	}
	_, _, err := planfile.Add("young-compass.yaml", []byte("site: {"), addition("site hosts", "b", true))
	require.ErrorContains(t, err, "can't be read as YAML")
}

func TestPathNoiseAndLanguageParameter(t *testing.T) {
	c, err := planfile.Read("p.yaml", []byte("site: {origin: https://a.example}\nlanguages: {default: en, parameter: lang, others: {de: {prefix: de}, fr: {host: fr.example}}}\n"+
		"parameters: {noise: [\";JSessionID\", sid]}\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"jsessionid"}, c.Noise)
	assert.Len(t, c.Parameters.All, 1)
	for query, want := range map[string]string{"lang=de": "de", "x=1&lang=DE": "de", "lang=en": "en", "lang=it": "", "lang": "", "": ""} {
		assert.Equal(t, want, c.Languages.OfQuery(query), query)
	}
	for text, want := range map[string]string{
		"parameters: {tracking: [\";jsessionid\"]}":      "can only be noise",
		"parameters: {noise: [\";\"]}":                   "is not a name of a parameter in paths",
		"parameters: {noise: [\";a b\"]}":                "is not a name of a parameter in paths",
		"parameters: {noise: [{name: \";x\", for: /a}]}": "is not a name of a parameter in paths",
		"languages: {parameter: \"l*\"}":                 "is not a name of a parameter",
	} {
		_, err := planfile.Read("p.yaml", []byte("site: {origin: https://a.example}\n"+text+"\n"))
		assert.ErrorContains(t, err, want, text)
	}
}
