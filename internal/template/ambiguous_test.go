package template

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestAmbiguous(t *testing.T) {
	for template, want := range map[string]string{
		"/x/{slug}": "", "/x{/region*,slug}": "", "/{year}-{slug}": "", "/{a}/{b}": "", "/x{/a*}/end": "", "{/a*}": "",
		"/{a}.html": "", "/x{?a}": "",
		"/{a}-{b}":             "/x--x: a=x b=-x, a=x- b=x",
		"{/a*}{/b*}":           "/x: a=x, b=x",
		"/x{/a*}{/slug}{/b*}":  "/x/x/x: a=x slug=x, b=x slug=x",
		"/{word}{digits}":      "",
		"/{two}{one}":          "",
		"/{short}x{slug}":      "/xxxx: short=x slug=xx, short=xx slug=x",
		"/{all}/{slug}":        "",
		"/{all}{/list*}":       "/x/x: all=x list=x, all=x/x",
		"/a{/digitlist*,slug}": "",
	} {
		parsed, err := Parse(template)
		require.NoError(t, err)
		classes := map[string]Class{}
		for name, class := range map[string]string{"slug": "slug", "a": "slug", "b": "slug", "region": "slug",
			"year": "[0-9]{4}", "word": "word", "digits": "digits",
			"two": "[a-z]{2}", "one": "[a-z]{1}", "short": "[a-z]{1,2}", "all": "segments", "list": "slug",
			"digitlist": "digits"} {
			classes[name], err = ParseClass(class)
			require.NoError(t, err)
		}
		r, err := NewReader(parsed, classes)
		if err != nil {
			assert.ErrorContains(t, err, "put something between", template)
			continue
		}
		path, one, other, ok := r.Ambiguous()
		got := ""
		if ok {
			first, second := one.String(), other.String()
			got = fmt.Sprintf("%s: %s, %s", path, min(first, second), max(first, second))
		}
		assert.Equal(t, want, got, template)
	}
}

// For random templates of the readable subset, either reading back what was
// written returns what it was written from, or there is an address with two
// readings, both of which write it.
func TestReadBackOrTwoReadings(t *testing.T) {
	classNames := []string{"slug", "word", "digits", "segment", "segments", "[0-9]{4}", "[a-c]{1,3}", "[x-]{2,3}"}
	rapid.Check(t, func(t *rapid.T) {
		var b strings.Builder
		classes := map[string]Class{}
		for i := range rapid.IntRange(1, 4).Draw(t, "parts") {
			name := string(rune('a' + i))
			class, err := ParseClass(rapid.SampledFrom(classNames).Draw(t, "class"))
			if err != nil {
				t.Fatal(err)
			}
			classes[name] = class
			form := rapid.SampledFrom([]string{"/{%s}", "{/%s}", "{/%s*}", "-{%s}", "x{%s}", "/l{%s}",
				"/w{/%s*}/y"}).Draw(t, "form")
			if i == 0 && form[0] != '/' && form[1] != '/' {
				form = "/" + form
			}
			fmt.Fprintf(&b, form, name)
		}
		parsed, err := Parse(b.String())
		if err != nil {
			t.Fatal(err)
		}
		r, err := NewReader(parsed, classes)
		if err != nil {
			t.Skip(err)
		}
		if path, one, other, ok := r.Ambiguous(); ok {
			assert.NotEqual(t, one, other, "%s %s", b.String(), path)
			for _, values := range []Values{one, other} {
				written := strings.ReplaceAll(parsed.Expand(values), "%2F", "/") // a value of several segments
				assert.Equal(t, path, written, b.String())
				for _, e := range r.Elements() {
					for _, v := range values[e.Name] {
						assert.True(t, e.Class.Holds(v), "%s %s", e.Name, v)
					}
				}
			}
			return
		}
		values := Values{}
		for _, e := range r.Elements() {
			if e.Name == "" {
				continue
			}
			draw := func() string {
				return rapid.StringMatching(strings.ReplaceAll(e.Class.Regexp(), "+", "{1,4}")).Draw(t, "value")
			}
			if !e.List {
				values[e.Name] = []string{draw()}
				continue
			}
			for range rapid.IntRange(0, 3).Draw(t, "items") {
				values[e.Name] = append(values[e.Name], draw())
			}
		}
		path := strings.ReplaceAll(parsed.Expand(values), "%2F", "/")
		read, ok := r.ReadPath(path, false)
		assert.True(t, ok, "%s doesn't read %s", b.String(), path)
		assert.Equal(t, values, read, "%s %s", b.String(), path)
	})
}
