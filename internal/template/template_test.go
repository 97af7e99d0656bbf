package template

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"young-compass/internal/address"
)

// The examples of RFC 6570, sections 1.2, 2.4 and 3.2, of all four levels.
func TestExpandAsInTheRFC(t *testing.T) {
	values := Values{
		"count": {"one", "two", "three"}, "dom": {"example", "com"}, "dub": {"me/too"}, "hello": {"Hello World!"},
		"half": {"50%"},
		"var":  {"value"}, "who": {"fred"}, "base": {"http://example.com/home/"}, "path": {"/foo/bar"},
		"list": {"red", "green", "blue"},
		"semi": {";"}, "year": {"1965", "2000", "2012"}, "v": {"6"}, "x": {"1024"}, "y": {"768"}, "empty": {""},
		"empty_keys": {}, "german": {"Fähre"},
	}
	pairs := map[string][]Pair{"keys": {{"semi", ";"}, {"dot", "."}, {"comma", ","}}, "empty_keys": {},
		"address": {{"city", "Newport Beach"}, {"state", "CA"}}, "flags": {{"a", ""}, {"b", "ä"}}}
	for template, want := range map[string]string{
		// 2.4
		"{var:20}": "value", "{semi}": "%3B", "{semi:2}": "%3B",
		"/mapper{?address*}": "/mapper?city=Newport%20Beach&state=CA",
		"find{?year*}":       "find?year=1965&year=2000&year=2012",
		// 3.2.1 lists and associative arrays
		"{count}": "one,two,three", "{count*}": "one,two,three", "{/count}": "/one,two,three",
		"{/count*}": "/one/two/three", "{;count}": ";count=one,two,three",
		"{;count*}": ";count=one;count=two;count=three", "{?count}": "?count=one,two,three",
		"{?count*}": "?count=one&count=two&count=three", "{&count*}": "&count=one&count=two&count=three",
		"{keys}": "semi,%3B,dot,.,comma,%2C", "{keys*}": "semi=%3B,dot=.,comma=%2C", "{+keys}": "semi,;,dot,.,comma,,",
		"{+keys*}": "semi=;,dot=.,comma=,",
		"{#keys}":  "#semi,;,dot,.,comma,,", "{#keys*}": "#semi=;,dot=.,comma=,", "{#list}": "#red,green,blue",
		"X{.keys}": "X.semi,%3B,dot,.,comma,%2C", "X{.keys*}": "X.semi=%3B.dot=..comma=%2C",
		"X{.empty_keys*}": "X", "{/keys}": "/semi,%3B,dot,.,comma,%2C", "{/keys*}": "/semi=%3B/dot=./comma=%2C",
		"{/list*,path:4}": "/red/green/blue/%2Ffoo",
		"{;keys}":         ";keys=semi,%3B,dot,.,comma,%2C", "{;keys*}": ";semi=%3B;dot=.;comma=%2C",
		"{?keys}": "?keys=semi,%3B,dot,.,comma,%2C", "{?keys*}": "?semi=%3B&dot=.&comma=%2C",
		"{&keys}": "&keys=semi,%3B,dot,.,comma,%2C", "{&keys*}": "&semi=%3B&dot=.&comma=%2C",
		"{;flags*}": ";a;b=%C3%A4", "{?flags*}": "?a=&b=%C3%A4", "{&var:3}": "&var=val",
		"{&list}": "&list=red,green,blue",
		// 1.2
		"map?{x,y}": "map?1024,768", "X{.x,y}": "X.1024.768", "{;x,y,empty}": ";x=1024;y=768;empty",
		// 3.2.2 simple
		"{var}": "value", "{hello}": "Hello%20World%21", "{half}": "50%25", "O{empty}X": "OX", "O{undef}X": "OX",
		"{x,y}":       "1024,768",
		"{x,hello,y}": "1024,Hello%20World%21,768", "?{x,empty}": "?1024,", "?{x,undef}": "?1024", "?{undef,y}": "?768",
		"{var:3}": "val", "{var:30}": "value", "{list}": "red,green,blue", "{list*}": "red,green,blue",
		"{german}": "F%C3%A4hre", "{german:2}": "F%C3%A4",
		// 3.2.3 reserved
		"{+var}": "value", "{+hello}": "Hello%20World!", "{+half}": "50%25",
		"{base}index":  "http%3A%2F%2Fexample.com%2Fhome%2Findex",
		"{+base}index": "http://example.com/home/index", "O{+empty}X": "OX", "O{+undef}X": "OX",
		"{+path}/here": "/foo/bar/here", "here?ref={+path}": "here?ref=/foo/bar",
		"up{+path}{var}/here": "up/foo/barvalue/here", "{+x,hello,y}": "1024,Hello%20World!,768",
		"{+path,x}/here": "/foo/bar,1024/here", "{+path:6}/here": "/foo/b/here",
		"{+list}": "red,green,blue", "{+list*}": "red,green,blue",
		// 3.2.4 fragment
		"{#var}": "#value", "{#hello}": "#Hello%20World!", "{#half}": "#50%25", "foo{#empty}": "foo#",
		"foo{#undef}": "foo", "{#x,hello,y}": "#1024,Hello%20World!,768",
		"{#path,x}/here": "#/foo/bar,1024/here", "{#path:6}/here": "#/foo/b/here", "{#list*}": "#red,green,blue",
		// 3.2.5 label
		"{.who}": ".fred", "{.who,who}": ".fred.fred", "{.half,who}": ".50%25.fred", "www{.dom*}": "www.example.com",
		"X{.var}": "X.value", "X{.empty}": "X.", "X{.undef}": "X",
		"X{.var:3}": "X.val", "X{.list}": "X.red,green,blue", "X{.list*}": "X.red.green.blue", "X{.empty_keys}": "X",
		// 3.2.6 path
		"{/who}": "/fred", "{/who,who}": "/fred/fred", "{/half,who}": "/50%25/fred", "{/who,dub}": "/fred/me%2Ftoo",
		"{/var}": "/value", "{/var,empty}": "/value/",
		"{/var,undef}": "/value", "{/var,x}/here": "/value/1024/here", "{/var:1,var}": "/v/value",
		"{/list}": "/red,green,blue", "{/list*}": "/red/green/blue",
		// 3.2.7 parameters
		"{;who}": ";who=fred", "{;half}": ";half=50%25", "{;empty}": ";empty", "{;v,empty,who}": ";v=6;empty;who=fred",
		"{;x,y}": ";x=1024;y=768", "{;x,y,undef}": ";x=1024;y=768",
		"{;hello:5}": ";hello=Hello", "{;list}": ";list=red,green,blue", "{;list*}": ";list=red;list=green;list=blue",
		// 3.2.8 and 3.2.9 query
		"{?who}": "?who=fred", "{?half}": "?half=50%25", "{?x,y}": "?x=1024&y=768",
		"{?x,y,empty}": "?x=1024&y=768&empty=", "{?x,y,undef}": "?x=1024&y=768", "{?var:3}": "?var=val",
		"{?list}": "?list=red,green,blue", "{?list*}": "?list=red&list=green&list=blue", "{&who}": "&who=fred",
		"?fixed=yes{&x}": "?fixed=yes&x=1024", "{&x,y,empty}": "&x=1024&y=768&empty=",
		"{&list*}": "&list=red&list=green&list=blue",
		// literals
		"/Fähre/{var}": "/F%C3%A4hre/value", "/a%20b": "/a%20b", "/a b%": "/a%20b%25",
	} {
		parsed, err := Parse(template)
		if assert.NoError(t, err, template) {
			assert.Equal(t, want, parsed.ExpandPairs(values, pairs), template)
			assert.Equal(t, template, parsed.MapLiterals(func(s string) string { return s }).String())
		}
	}
}

func TestParseRefuses(t *testing.T) {
	for _, s := range []string{"{", "}", "a}b", "{}", "{a", "{a b}", "{a:0}", "{a:x}", "{a:10000}", "{=a}", "{a..b}",
		"{.}", "{a,}", "{%zz}", "{{a}}"} {
		_, err := Parse(s)
		assert.Error(t, err, s)
	}
	_, err := Parse("/routes{/region*,slug")
	assert.EqualError(t, err, "a { without its } at byte 8")
}

func TestClasses(t *testing.T) {
	for class, values := range map[string][2][]string{
		"slug": {{"a", "a-b-1"}, {"A", "a_b", "a.b", "ä"}}, "word": {{"a", "Ab"}, {"a1", "a-b"}},
		"digits":  {{"0", "123"}, {"12a", "-1"}},
		"segment": {{"a.b~c_D-1"}, {"a/b", "a%20", "a b"}}, "segments": {{"a", "a/b/c"}, {"/a", "a//b", "a/"}},
		"[0-9]{4}": {{"2026"}, {"202", "20266", "20x6"}}, "[a-f0-9]{2,4}": {{"ab", "abcd"}, {"a", "abcde", "gg"}},
		"[a-z.]+": {{"a.b"}, {"A"}},
	} {
		t.Run(class, func(t *testing.T) {
			c, err := ParseClass(class)
			require.NoError(t, err, class)
			expression := regexp.MustCompile("^(?:" + c.Regexp() + ")$")
			for _, v := range values[0] {
				assert.True(t, c.Holds(v), "%s %s", class, v)
				assert.True(t, expression.MatchString(v), "%s %s", c.Regexp(), v)
			}
			for _, v := range values[1] {
				assert.False(t, c.Holds(v), "%s %s", class, v)
				assert.False(t, expression.MatchString(v), "%s %s", c.Regexp(), v)
			}
			assert.True(t, c.Holds(c.Example()), class)
			assert.True(t, c.Reflectable(), class)
		})
	}
	for _, s := range []string{"", "free", ".*", "[a-z]", "[]+", "[^a]+", "[z-a]+", "[a-z]{0}", "[a-z]{3,2}",
		"[a-z]{x}", "[a/]+", "[%]+", `[\d]+`, "[ä]+", "[a-z]*", "[a-z]{300}"} {
		_, err := ParseClass(s)
		assert.Error(t, err, s)
	}
	wide, err := ParseClass("[a-z()]+")
	require.NoError(t, err)
	assert.False(t, wide.Reflectable())
}

func reader(t *testing.T, s string, classes map[string]string) *Reader {
	parsed, err := Parse(s)
	require.NoError(t, err)
	named := map[string]Class{}
	for name, class := range classes {
		named[name], err = ParseClass(class)
		require.NoError(t, err)
	}
	r, err := NewReader(parsed, named)
	require.NoError(t, err, s)
	return r
}

func TestRead(t *testing.T) {
	route := reader(t, "/routes{/region*,slug}", nil)
	for path, want := range map[string]Values{
		"/routes/skerry":     {"slug": {"skerry"}},
		"/routes/n/skerry":   {"region": {"n"}, "slug": {"skerry"}},
		"/routes/n/m/skerry": {"region": {"n", "m"}, "slug": {"skerry"}},
		"/routes":            nil,
		"/routes/":           nil,
		"/routes//skerry":    nil,
		"/routes/n/":         nil,
		"/routesx/a":         nil,
		"/Routes/a":          nil,
	} {
		t.Run(path, func(t *testing.T) {
			got, ok := route.ReadPath(path, false)
			assert.Equal(t, want != nil, ok, path)
			assert.Equal(t, want, got, path)
		})
	}
	folded, ok := route.ReadPath("/Routes/North/Skerry", true)
	assert.True(t, ok)
	assert.Equal(t, Values{"region": {"North"}, "slug": {"Skerry"}}, folded,
		"letters don't count, but values keep theirs")

	notice := reader(t, "/news/{year}/{slug}.htm", map[string]string{"year": "[0-9]{4}", "slug": "slug"})
	got, ok := notice.ReadPath("/news/2025/winter.htm", false)
	assert.True(t, ok)
	assert.Equal(t, Values{"year": {"2025"}, "slug": {"winter"}}, got)
	for _, path := range []string{"/news/25/winter.htm", "/news/2025/.htm", "/news/2025/win_ter.htm",
		"/news/2025/winter.html"} {
		_, ok := notice.ReadPath(path, false)
		assert.False(t, ok, path)
	}

	item := reader(t, "/index.php?sec=route&item={id}{&lang}", map[string]string{"id": "digits", "lang": "[a-z]{2}"})
	values := Values{}
	assert.True(t, item.ReadQuery(address.SplitQuery("lang=de&x=1&item=214&sec=route"), values))
	assert.Equal(t, Values{"id": {"214"}, "lang": {"de"}}, values)
	for _, query := range []string{"sec=route&item=214", "sec=port&item=214&lang=de", "sec=route&item=x&lang=de",
		"sec=route&item=&lang=de", "sec=route&item&lang=de", "item=x&item=214&sec=route&lang=de"} {
		assert.False(t, item.ReadQuery(address.SplitQuery(query), Values{}), query)
	}
	path, ok := item.LiteralPath()
	assert.True(t, ok)
	assert.Equal(t, "/index.php", path)
}

func TestNotReadable(t *testing.T) {
	for template, why := range map[string]string{
		"/{a}{b}": "put something between", "/{a}/{a}": "stands there twice", "{a}": "begins with /",
		"/{+a}": "not read back", "/{a:3}": "not read back", "/{a,b}": "not read back",
		"/x{#f}": "not read back", "/x#y": "fragment", "/x?a={v}{w}": "can't be read back",
		"/x{?a}{?b}": "can't be read back", "/x{&a}": "can't be read back", "/x?a=1&a=2": "twice",
		"/../{a}": "dot segment", "/x{?a*}": "can't be read back", "/x?a={v}b": "whole value",
	} {
		parsed, err := Parse(template)
		require.NoError(t, err, template)
		_, err = NewReader(parsed, nil)
		if assert.Error(t, err, template) {
			assert.Contains(t, err.Error(), why, template)
		}
	}
}

// Reading back an expansion returns the values, or another reading of the same
// address, which expands to it again.
func TestReadingBackAnExpansion(t *testing.T) {
	parts := rapid.SampledFrom([]string{"/x", "{/a*}", "/{b}", "-{c}", ".htm", "{/d}", "/{e}.y", "{/f*,g}"})
	value := rapid.StringMatching(`[a-z0-9._~-]{1,5}`)
	rapid.Check(t, func(t *rapid.T) {
		source := "/s" + strings.Join(rapid.SliceOfNDistinct(parts, 1, 5, func(s string) string { return s }).Draw(t,
			"parts"), "")
		parsed, err := Parse(source)
		require.NoError(t, err)
		r, err := NewReader(parsed, nil)
		if err != nil {
			return // variables without anything between them
		}
		values := Values{}
		for _, e := range r.Elements() {
			switch {
			case e.List:
				if list := rapid.SliceOfN(value, 0, 3).Draw(t, e.Name); len(list) > 0 {
					values[e.Name] = list
				}
			case e.Name != "":
				values[e.Name] = []string{value.Draw(t, e.Name)}
			}
		}
		text := parsed.Expand(values)
		if normal, err := address.Path(text); err != nil || normal != text {
			return // a value that is a dot segment
		}
		got, ok := r.ReadPath(text, false)
		if !ok {
			t.Fatalf("%s wrote %s, which it can't read", source, text)
		}
		assert.Equal(t, text, parsed.Expand(got), source)
	})
}

func TestAlign(t *testing.T) {
	names, ok := Align(reader(t, "/news/{y}/{s}.htm", map[string]string{"y": "[0-9]{4}", "s": "slug"}),
		reader(t, "/News/{year}/{slug}.htm", map[string]string{"year": "digits"}), true)
	assert.True(t, ok)
	assert.Equal(t, map[string]string{"year": "y", "slug": "s"}, names)
	_, ok = Align(reader(t, "/news/{y}", nil), reader(t, "/news/{y}", map[string]string{"y": "digits"}), true)
	assert.False(t, ok, "segment is wider than digits")
	_, ok = Align(reader(t, "/news{/y*}", nil), reader(t, "/news/{y}", nil), true)
	assert.False(t, ok)
	to, err := Parse("/notices/{year}/{slug}")
	require.NoError(t, err)
	assert.Equal(t, "/notices/{y}/{s}", to.Rename(names).String())
}

func TestDisjoint(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"/news/{x}", "/notices/{x}", true}, {"/news/{x}", "/NEWS/{x}", false}, {"/n{/x*}", "/news/{x}", false},
		{"/news/{x}.htm", "/news/{x}.php", true}, {"/news/{x}.htm", "/news/{x}", false}, {"/a", "/a/b", true},
		{"/{x}/b", "/a/{y}", false},
	} {
		a, b := reader(t, c.a, nil), reader(t, c.b, nil)
		assert.Equal(t, c.want, Disjoint(a, b, true), "%s %s", c.a, c.b)
		assert.Equal(t, c.want, Disjoint(b, a, true), "%s %s", c.b, c.a)
	}
}

func TestPieces(t *testing.T) {
	parsed, err := Parse("https://media.skerrywick.example{/rest*}/{a}{?b,c}")
	require.NoError(t, err)
	pieces, ok := parsed.Pieces()
	assert.True(t, ok)
	assert.Equal(t, []Piece{{Literal: "https://media.skerrywick.example"}, {Name: "rest", List: true}, {Literal: "/"},
		{Name: "a"},
		{Literal: "?b="}, {Name: "b"}, {Literal: "&c="}, {Name: "c"}}, pieces)
	parsed, err = Parse("/x{?a*}")
	require.NoError(t, err)
	_, ok = parsed.Pieces()
	assert.False(t, ok)
}

func FuzzParse(f *testing.F) {
	f.Add("/routes{/region*,slug}{?a,b}{&c}#{d:3}")
	f.Fuzz(func(t *testing.T, s string) {
		parsed, err := Parse(s)
		if err != nil {
			return
		}
		if parsed.String() != s {
			t.Fatalf("%q became %q", s, parsed)
		}
		parsed.Expand(Values{"a": {"x"}})
		if r, err := NewReader(parsed, nil); err == nil {
			r.ReadPath("/routes/a/b", true)
		}
	})
}
