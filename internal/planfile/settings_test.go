package planfile_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/planfile"
)

const minimal = "site: {origin: https://skerrywick.example, hosts: [www.skerrywick.example]}\n"

func TestConfigMistakesNameTheirPlace(t *testing.T) {
	for text, want := range map[string]string{
		"":                                       "the plan is empty",
		"languages: {}":                          "does not name its site",
		"site: {}":                               "1:7: error unreadable: the site has no origin",
		"site:\n  origin: ftp://x.example":       "2:11: error unreadable: ftp://x.example is not an http",
		"site: {origin: https://x.example/a}":    "has a port, path or query",
		"site: {origin: https://x.example:8443}": "has a port, path or query",
		"site: [a]":                              "a mapping belongs here",
		"site: {origin: [a]}":                    "a text belongs here",
		"site: {origin: https://x.example, hosts: [x.example]}":                                       "stands in the plan already",
		"site: {origin: https://x.example, hosts: [y.example, Y.example]}":                            "stands in the plan already",
		"site: {origin: https://x.example, hosts: ['y.example/x']}":                                   "is not a host name",
		"site: {origin: https://x.example, hosts: y}":                                                 "a list belongs here",
		"site: {origin: https://x.example, paths: {slash: sometimes}}":                                `"sometimes" is not understood here; write never or always or keep`,
		"site: {origin: https://x.example, paths: {depth: 0}}":                                        "write a number from 1 to 100",
		"site: {origin: https://x.example, paths: {index: [a/b]}}":                                    "not a name of an index file",
		"site: {origin: https://x.example, files: [assets]}":                                          "names no files",
		"site: {origin: https://x.example}\nsite: {origin: https://x.example}":                        "site",
		minimal + "languages: {default: en-UK-x}":                                                     "is not a language",
		minimal + "languages: {default: eng}":                                                         "is not a language",
		minimal + "languages: {others: {de: {}}}":                                                     "has neither a host nor a prefix",
		minimal + "languages: {others: {de: {prefix: a/b}}}":                                          "has neither a host nor a prefix",
		minimal + "languages: {others: {de: {host: \"a b\"}}}":                                        `"a b" is not a host name`,
		minimal + "languages: {others: {de: {host: www.skerrywick.example}}}":                         `the host www.skerrywick.example leads to the origin`,
		minimal + "kinds: {a: {address: {de: /x}}}":                                                   `de is none of them`,
		minimal + "languages: {others: {de: {prefix: de}}}\nkinds: {a: {address: {de: /x}}}":          `the default language has no address`,
		minimal + "slugs: {collide: ask}":                                                             `"ask" is not a rule for collisions`,
		minimal + "slugs: {spelling: {en: {ab: x}}}":                                                  `"ab" is not one character whose spelling can be said`,
		minimal + "slugs: {letters: all}":                                                             `write ascii or keep`,
		minimal + "languages: {x-default: fr}":                                                        "none of the site's languages",
		minimal + "languages: {words: {news: {fr: nouvelles}}}":                                       "fr is none of them",
		minimal + "parameters: {noise: [{name: sid, for: /x.html}]}":                                  "is not a path as the site spells paths",
		"site: {origin: https://a.example, paths: {index: [" + strings.Repeat("i.html, ", 65) + "]}}": "more than 64 names of index files",
		minimal + "rules: [{from: /a, serve: 'https://b.example/'}]":                                  "is not an internal address",
		minimal + "rules: [{from: /a, serve: '/b#c'}]":                                                "an internal address has no fragment",
		minimal + "rules: [{from: '/a?k={x}', serve: /b}]":                                            "an internal address is chosen by the path",
		minimal + "rules: [{headers: {Link: a}}]":                                                     "headers need for:",
		minimal + "rules: [{for: '/a?k=1', headers: {Link: a}}]":                                      "told by their path",
		minimal + "rules: [{for: /a, headers: {Location: /b}}]":                                       `"Location" is not a header that a rule may add`,
		minimal + "rules: [{for: /a, headers: {'X:': b}}]":                                            `"X:" is not a header that a rule may add`,
		minimal + "rules: [{for: /a, headers: {X-A: \"b\\r\\nSet-Cookie: c\"}}]":                      "can't be sent",
		minimal + "rules: [{for: /a, headers: {X-A: '{}'}}]":                                          "is not a variable that a header can take over",
		minimal + "rules: [{for: '/{x}', headers: {X-A: '{y}'}}]":                                     "is not a variable that a header can take over",
		minimal + "rules: [{for: '/{x}', class: {x: '[a-z()]+'}, headers: {X-A: '{x}'}}]":             "is not a variable that a header can take over",
		minimal + "rules: [{for: /a, having: ['*'], headers: {X-A: b}}]":                              "is not a name of a parameter",
		minimal + "front-controller: {to: 'index.php'}":                                               "is not a path of a script",
		minimal + "front-controller: {except: [/a/]}":                                                 "it needs to:",
		minimal + "maintenance: {admit: [here]}":                                                      `"here" is not a network`,
		minimal + "maintenance: {retry-after: 0}":                                                     "write a number from 1",
		minimal + "maintenance: {except: [a]}":                                                        `"a" names no files`,
		minimal + "parameters: {display: [{name: sort}]}":                                             "name and for belong together",
		minimal + "parameters: {tracking: ['*']}":                                                     "is not a name of a parameter",
		minimal + "parameters: {junk: [a]}":                                                           `unknown key "junk"`,
		minimal + "kinds: {page: {slug: title}}":                                                      "the kind page has no address",
		minimal + "kinds: {page: {address: '/{a'}}":                                                   "2:25: error unreadable: a { without its }",
		minimal + "kinds: {page: {address: '/{a}{b}'}}":                                               "put something between",
		minimal + "rules: [{from: /a}]":                                                               "a rule needs from and to",
		minimal + "rules: [{from: '/a/{x}', to: '/b/{y}'}]":                                           "the variable y is not in from; use the variables of from: x",
		minimal + "rules: [{from: '/a/{x}', to: '/b/{x}', class: {x: '.*'}}]":                         "is not a class",
		minimal + "rules: [{from: '/a/{x}', to: '/b/{x}', class: {z: slug}}]":                         "from has no variable z",
		minimal + "rules: [{from: '/a/{x}', to: 'https://{x}/b'}]":                                    "lets a visitor choose the host",
		minimal + "rules: [{from: '/a/{x}', to: 'https://b.example{x}'}]":                             "lets a visitor choose the host",
		minimal + "rules: [{from: '/a/{x}', to: '{x}'}]":                                              "lets a visitor choose the host",
		minimal + "rules: [{from: '/a/{x}', to: 'https://B.example/{x}'}]":                            "not in normal form",
		minimal + "rules: [{from: '/a', to: '//b.example/'}]":                                         "not an http or https",
		minimal + "rules: [{from: '/a', to: /b, status: 410}]":                                        "410 is not a status of a redirect",
		minimal + "rules: [{from: '/a', to: /b, status: 200}]":                                        "isn't such a number",
		minimal + "rules: [{from: '/a', to: /b, query: some}]":                                        "write keep or drop",
		minimal + "rules: [{from: 'http://x.example/a', to: /b}]":                                     "begins with /",
		minimal + "# " + strings.Repeat("x", 5<<20):                                                   "larger than 4 MiB",
	} {
		t.Run(want, func(t *testing.T) {
			_, err := planfile.Read("young-compass.yaml", []byte(text))
			var input *finding.Input
			if assert.ErrorAs(t, err, &input, "%.200s", text) {
				assert.Contains(t, err.Error(), want, "%.200s", text)
				if want != "the plan is empty" && !strings.Contains(want, "4 MiB") {
					assert.NotZero(t, input.Finding.Where.Line, "%.200s", text)
				}
			}
		})
	}
}

func TestClasses(t *testing.T) {
	p, err := planfile.Read("young-compass.yaml", []byte(minimal+"parameters: {identity: [id], "+
		"display: [{name: view, for: /list}, 'v*'], tracking: [view], noise: ['s_*']}"))
	require.NoError(t, err)
	for _, c := range []struct {
		name, path string
		want       parameter.Class
	}{{"id", "/", parameter.Identity}, {"view", "/list", parameter.Display}, {"view", "/LIST/a", parameter.Display},
		{"view", "/lists", parameter.Display}, {"vx", "/", parameter.Display}, {"s_1", "/", parameter.Noise},
		{"s", "/", ""}, {"ID", "/", ""}} {
		assert.Equal(t, c.want, p.Parameters.ClassOf(c.name, c.path), "%s on %s", c.name, c.path)
	}
}
