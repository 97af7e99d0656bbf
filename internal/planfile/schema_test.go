package planfile_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/planfile"
)

// fullPlan has every key of a plan.
const fullPlan = `
site:
  origin: "https://skerrywick.example"
  hosts: [www.skerrywick.example]
  known: [media.skerrywick.example]
  staging: [staging.skerrywick.example]
  blocked: [/search]
  paths: {slash: never, letters: lower, extension: none, index: [index.html], depth: 4, length: 75}
  files: [/assets/, .pdf]
  trusted-proxies: [192.0.2.7]
  only: [/routes/]
  except: [/routes/old]
languages:
  default: en
  x-default: en
  parameter: lang
  others: {de: {prefix: de}, de-CH: {host: skerrywick-ch.example}}
  words: {routes: {de: strecken}}
parameters:
  identity: [season, {name: a, for: /timetables}]
  pagination: [page, {name: b, for: /timetables}]
  display: [{name: view, for: /timetables}]
  tracking: ["utm_*", {name: c, for: /timetables}]
  noise: [sid, ";jsessionid", {name: d, for: /timetables}]
slugs: {letters: ascii, length: 60, fillers: {en: [the]}, spelling: {nb: {ø: oe}}, reserved: [admin], collide: number}
kinds:
  page: {address: "/{slug}"}
  route: {address: {en: "/routes/{slug}", de: "/strecken/{slug}"}, slug: title, sections: shown}
rules:
  - {from: "/timetable.php?port={port}", to: "/timetables/{port}", class: {port: slug}, status: 301, query: drop, except: [/x]}
  - {from: "/routes/{slug}", serve: "/route.php?slug={slug}", class: {slug: slug}, except: [/y]}
  - {for: "/print/{x}", class: {x: slug}, having: [sort], headers: {X-Robots-Tag: noindex}, except: [/z]}
  - {for: [/search, .pdf], headers: {X-Robots-Tag: noindex}}
front-controller: {to: /index.php, except: [/media/]}
maintenance: {retry-after: 3600, admit: [192.0.2.0/24], except: [/status]}
`

func compiled(t *testing.T) *jsonschema.Schema {
	t.Helper()
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(planfile.Schema()))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("plan.json", document))
	s, err := c.Compile("plan.json")
	require.NoError(t, err)
	return s
}

// verdicts says what the parser and the schema say of a plan.
func verdicts(t *testing.T, s *jsonschema.Schema, plan any) (parser, byschema error) {
	t.Helper()
	text, err := yaml.Marshal(plan)
	require.NoError(t, err)
	_, parser = planfile.Read("young-compass.yaml", text)
	data, err := json.Marshal(plan)
	require.NoError(t, err)
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	require.NoError(t, err)
	return parser, s.Validate(document)
}

func decoded(t *testing.T, text string) (plan map[string]any) {
	t.Helper()
	require.NoError(t, yaml.Unmarshal([]byte(text), &plan))
	return plan
}

// What the parser takes, the schema takes: a plan with every key, and those that the program ships.
func TestTheSchemaTakesPlans(t *testing.T) {
	s := compiled(t)
	plans := []string{fullPlan, "site: {origin: https://skerrywick.example}", "site: {origin: http://a.example, hosts: }\nkinds:\nrules:\n"}
	shipped, err := filepath.Glob("../demo/data/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, shipped)
	for _, name := range shipped {
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		plans = append(plans, string(data))
	}
	for _, text := range plans {
		parser, byschema := verdicts(t, s, decoded(t, text))
		assert.NoError(t, parser)
		assert.NoError(t, byschema)
	}
}

// place is a mapping within a plan, and the keys that the schema has for it.
type place struct {
	path []string
	keys []string
}

// places walks through the mappings of the full plan with the schema beside it.
func places(t *testing.T) (list []place) {
	t.Helper()
	var schema map[string]any
	require.NoError(t, json.Unmarshal(planfile.Schema(), &schema))
	definitions := schema["$defs"].(map[string]any)
	var walk func(at map[string]any, path []string)
	walk = func(at map[string]any, path []string) {
		if ref, ok := at["$ref"].(string); ok {
			at = definitions[strings.TrimPrefix(ref, "#/$defs/")].(map[string]any)
		}
		if properties, ok := at["properties"].(map[string]any); ok {
			p := place{path: slices.Clone(path)}
			for key, below := range properties {
				p.keys = append(p.keys, key)
				walk(below.(map[string]any), append(slices.Clone(path), key))
			}
			slices.Sort(p.keys)
			list = append(list, p)
		}
		if more, ok := at["additionalProperties"].(map[string]any); ok {
			walk(more, append(slices.Clone(path), "*"))
		}
		if items, ok := at["items"].(map[string]any); ok {
			walk(items, append(slices.Clone(path), "[]"))
		}
		for _, way := range []string{"oneOf", "anyOf"} {
			if choices, ok := at[way].([]any); ok {
				for _, choice := range choices {
					walk(choice.(map[string]any), path)
				}
			}
		}
	}
	walk(schema, nil)
	return list
}

// set sets a key in each mapping of a plan that a path leads to, and returns how many there are.
func set(at any, path []string, key string, value any) int {
	if len(path) == 0 {
		m, ok := at.(map[string]any)
		if ok {
			m[key] = value
			return 1
		}
		return 0
	}
	n := 0
	switch at := at.(type) {
	case map[string]any:
		for name, below := range at {
			if path[0] == "*" || path[0] == name {
				n += set(below, path[1:], key, value)
			}
		}
	case []any:
		for _, below := range at {
			if path[0] == "[]" {
				n += set(below, path[1:], key, value)
			}
		}
	}
	return n
}

// The schema and the parser know the same keys at each place, and both refuse others.
func TestTheSchemaKnowsTheKeysOfTheParser(t *testing.T) {
	s := compiled(t)
	seen := map[string]map[string]bool{}
	for _, p := range places(t) {
		at := strings.Join(p.path, ".")
		if seen[at] == nil {
			seen[at] = map[string]bool{}
		}
		for _, key := range p.keys {
			seen[at][key] = true
		}
	}
	require.Greater(t, len(seen), 9)
	for at, keys := range seen {
		t.Run(at, func(t *testing.T) {
			plan := decoded(t, fullPlan)
			var path []string
			if at != "" {
				path = strings.Split(at, ".")
			}
			require.Positive(t, set(plan, path, "qqqqqqqqqqqqqqqqqqqq", 1), "the full plan has no such place")
			parser, byschema := verdicts(t, s, plan)
			var input *finding.Input
			require.ErrorAs(t, parser, &input)
			require.Error(t, byschema)
			_, known, ok := strings.Cut(input.Finding.Advice, "known here: ")
			require.True(t, ok, input.Finding.Advice)
			want := strings.Split(known, ", ")
			slices.Sort(want)
			var have []string
			for key := range keys {
				have = append(have, key)
			}
			slices.Sort(have)
			assert.Equal(t, want, have)
		})
	}
}

// The page of the plan names every key.
func TestThePlansPageNamesEachKey(t *testing.T) {
	page, err := os.ReadFile("../../docs/plan.md")
	require.NoError(t, err)
	for _, p := range places(t) {
		for _, key := range p.keys {
			named := false
			for _, form := range []string{"`" + key + "`", "." + key + "`", key + ":", "`" + key + ",", key + "."} {
				named = named || strings.Contains(string(page), form)
			}
			assert.True(t, named, "docs/plan.md doesn't name %s of %s", key, strings.Join(p.path, "."))
		}
	}
}

// Of a plan that is changed anywhere, the schema never refuses what the parser takes; and of wrong shapes it refuses
// what the parser refuses.
func TestTheSchemaRefusesWhatTheParserRefuses(t *testing.T) {
	if testing.Short() {
		t.Skip("more than a thousand plans")
	}
	s := compiled(t)
	wrong := []any{map[string]any{"x": 1}, []any{[]any{}}, []any{"a", "b"}, "sometimes", 7, -1, 100_000_000, true, nil, ""}
	agreed, refused, taken := 0, 0, 0
	var change func(t *testing.T, plan map[string]any, at any, path string)
	change = func(t *testing.T, plan map[string]any, at any, path string) {
		try := func(put func(any), was any, where string) {
			for _, value := range wrong {
				put(value)
				parser, byschema := verdicts(t, s, plan)
				if parser == nil {
					taken++
					assert.NoError(t, byschema, "%s: %v", where, value)
				} else {
					refused++
					if byschema != nil {
						agreed++
					}
				}
			}
			put(was)
		}
		switch at := at.(type) {
		case map[string]any:
			for key, below := range at {
				try(func(v any) { at[key] = v }, below, path+"."+key)
				change(t, plan, below, path+"."+key)
			}
		case []any:
			for i, below := range at {
				try(func(v any) { at[i] = v }, below, fmt.Sprintf("%s[%d]", path, i))
				change(t, plan, below, fmt.Sprintf("%s[%d]", path, i))
			}
		}
	}
	plan := decoded(t, fullPlan)
	change(t, plan, plan, "")
	t.Logf("%d taken; %d refused, %d of them by the schema too", taken, refused, agreed)
	assert.Greater(t, taken, 100)
	assert.Greater(t, 100*agreed, 60*refused, "the schema sees most of what is wrong")
	_, err := planfile.Read("x", nil)
	var input *finding.Input
	assert.True(t, errors.As(err, &input))
}
