package address

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParseNormalForm(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		// RFC 3986 section 6.2.2.1: case
		{"HTTP://www.Skerrywick.Example/", "http://www.skerrywick.example/"},
		{"http://skerrywick.example/%c3%a9", "http://skerrywick.example/%C3%A9"},
		{"http://skerrywick.example/A/b", "http://skerrywick.example/A/b"},
		// section 6.2.2.2: percent-encoding
		{"http://skerrywick.example/%7Emary%2D%5f%2e1", "http://skerrywick.example/~mary-_.1"},
		{"http://skerrywick.example/%28%2B%2F", "http://skerrywick.example/%28%2B%2F"},
		{"http://skerrywick.example/a b\"<>", "http://skerrywick.example/a%20b%22%3C%3E"},
		{"http://skerrywick.example/øya", "http://skerrywick.example/%C3%B8ya"},
		{"http://skerrywick.example/a{b}|^`", "http://skerrywick.example/a%7Bb%7D%7C%5E%60"},
		{`http://skerrywick.example/a\b`, "http://skerrywick.example/a%5Cb"},
		// section 6.2.2.3: dot segments, encoded too
		{"http://skerrywick.example/a/b/c/./../../g", "http://skerrywick.example/a/g"},
		{"http://skerrywick.example/a/%2e%2E/b", "http://skerrywick.example/b"},
		{"http://skerrywick.example/../../b", "http://skerrywick.example/b"},
		{"http://skerrywick.example/a/..", "http://skerrywick.example/"},
		{"http://skerrywick.example/a/.", "http://skerrywick.example/a/"},
		{"http://skerrywick.example/a//../b", "http://skerrywick.example/a/b"},
		{"http://skerrywick.example/.../..a/.b", "http://skerrywick.example/.../..a/.b"},
		// section 6.2.3: scheme-based
		{"http://skerrywick.example", "http://skerrywick.example/"},
		{"http://skerrywick.example:80/", "http://skerrywick.example/"},
		{"https://skerrywick.example:443", "https://skerrywick.example/"},
		{"https://skerrywick.example:80/", "https://skerrywick.example:80/"},
		{"http://skerrywick.example:/", "http://skerrywick.example/"},
		{"http://skerrywick.example?a=b", "http://skerrywick.example/?a=b"},
		{"http://skerrywick.example/?", "http://skerrywick.example/"},
		{"http://skerrywick.example/x?#", "http://skerrywick.example/x"},
		// hosts (UTS 46)
		{"http://skerrywick.example./", "http://skerrywick.example/"},
		{"http://Fähre.example/", "http://xn--fhre-loa.example/"},
		{"http://fa\u0308hre.example/", "http://xn--fhre-loa.example/"},
		{"http://straße.example/", "http://xn--strae-oqa.example/"},
		{"http://ｓｋｅｒｒｙ.example/", "http://skerry.example/"},
		{"http://skerrywick。example/", "http://skerrywick.example/"},
		{"http://skerrywick.example。/", "http://skerrywick.example/"},
		{"http://Old_Site.skerrywick.example/", "http://old_site.skerrywick.example/"},
		{"http://fähre_1.example/", "http://xn--fhre_1-bua.example/"},
		{"http://a.3com/", "http://a.3com/"},
		{"http://1.example/", "http://1.example/"},
		// IPv4 addresses (WHATWG, URL, section 3.5)
		{"http://127.0.0.1/", "http://127.0.0.1/"},
		{"http://127.0.0.1.:8080/", "http://127.0.0.1:8080/"},
		{"http://0x7f.1/", "http://127.0.0.1/"},
		{"http://0X7F000001/", "http://127.0.0.1/"},
		{"http://017700000001/", "http://127.0.0.1/"},
		{"http://10.0x/", "http://10.0.0.0/"},
		{"http://256/", "http://0.0.1.0/"},
		{"http://４.８.１５.１６/", "http://4.8.15.16/"},
		// ports
		{"http://skerrywick.example:0080/", "http://skerrywick.example/"},
		{"https://skerrywick.example:0443/x", "https://skerrywick.example/x"},
		{"http://skerrywick.example:65535/", "http://skerrywick.example:65535/"},
		{"http://skerrywick.example:00065535/", "http://skerrywick.example:65535/"},
		{"http://[2001:DB8::1]/", "http://[2001:db8::1]/"},
		{"http://[2001:db8::1]:8080/", "http://[2001:db8::1]:8080/"},
		// queries stay byte for byte, but for what a request can't carry
		{"http://skerrywick.example/?a=%7e&&B=c;d=[1]", "http://skerrywick.example/?a=%7e&&B=c;d=[1]"},
		{"http://skerrywick.example/?a=ø b", "http://skerrywick.example/?a=%C3%B8%20b"},
		{"http://skerrywick.example/x#teil ä", "http://skerrywick.example/x#teil%20%C3%A4"},
	} {
		a, err := Parse(c.in)
		if assert.NoError(t, err, c.in) {
			assert.Equal(t, c.want, a.String(), c.in)
			again, err := Parse(a.String())
			require.NoError(t, err)
			assert.Equal(t, a, again, "normal form of %s is not stable", c.in)
		}
	}
}

func TestParseRefuses(t *testing.T) {
	for in, why := range map[string]string{
		"skerrywick.example":                                          "not an http or https",
		"ftp://skerrywick.example/":                                   "not an http or https",
		"javascript:alert(1)":                                         "not an http or https",
		"//skerrywick.example/":                                       "not an http or https",
		"http://user:pw@skerrywick.example":                           "user information",
		`http://evil.example\@skerrywick.example/`:                    "user information",
		"http:///x":                                                   "without a host",
		"http://skerrywick.example:x/":                                "not a port",
		"http://skerrywick.example:65536":                             "not a port",
		"http://1.2.3.256/":                                           "no IPv4 address",
		"http://256.2.3.4/":                                           "no IPv4 address",
		"http://1.2.3.4.5/":                                           "more parts than an IPv4 address",
		"http://skerrywick.09/":                                       "no IPv4 address",
		"http://skerrywick.1/":                                        "no IPv4 address",
		"http://4294967296/":                                          "no IPv4 address",
		"http://a!b.example/":                                         "characters that none has",
		"http://sker rywick.example/":                                 "not a host name",
		"http://a..example/":                                          "not a host name",
		"http://-a.example/":                                          "not a host name",
		"http://skerrywick.example/%zz":                               "hexadecimal",
		"http://skerrywick.example/%2":                                "hexadecimal",
		"http://skerrywick.example/a\nb":                              "control character (0x0a) at byte 28",
		"http://skerrywick.example/a\x00":                             "control character",
		"http://skerrywick.example/\xff":                              "not UTF-8",
		"http://skerrywick.example/" + strings.Repeat("a", MaxLength): "at most 8000",
	} {
		t.Run(in, func(t *testing.T) {
			_, err := Parse(in)
			if assert.Error(t, err, in) {
				assert.Contains(t, err.Error(), why, in)
			}
		})
	}
}

func TestResolve(t *testing.T) {
	base := Address{Scheme: "https", Host: "skerrywick.example", Path: "/deep/er"}
	a, err := Resolve(base, "/x?y#z")
	require.NoError(t, err)
	assert.Equal(t, Address{"https", "skerrywick.example", "/x", "y", "z"}, a)
	_, err = Resolve(base, "//evil.example/")
	assert.Error(t, err, "a target must not choose the host in disguise")
	_, err = Resolve(base, "x")
	assert.Error(t, err)
}

func TestPathTwiceChangesNothing(t *testing.T) {
	piece := rapid.SampledFrom([]string{"/", "//", "a", "Z", ".", "..", "%2e", "%2F", "%41", "%c3%a9", "ø", " ", "'",
		"(", "%28", "\"", "~", "%7e", "/./", "/../"})
	rapid.Check(t, func(t *rapid.T) {
		raw := "/" + strings.Join(rapid.SliceOfN(piece, 0, 12).Draw(t, "pieces"), "")
		once, err := Path(raw)
		require.NoError(t, err)
		twice, err := Path(once)
		require.NoError(t, err)
		assert.Equal(t, once, twice, raw)
		assert.False(t, strings.Contains(once+"/", "/../") || strings.Contains(once+"/", "/./"), once)
		assert.Equal(t, Fold(once), Fold(Fold(once)))
		merged := MergeSlashes(once)
		assert.NotContains(t, merged, "//")
		assert.Equal(t, merged, MergeSlashes(merged))
		assert.Equal(t, Decode(DecodeMarks(once)), Decode(once))
	})
}

func TestPathAlreadyNormalIsNotCopied(t *testing.T) {
	path := "/routes/north-isles/skerrywick%20to%20hildafjord"
	assert.Zero(t, testing.AllocsPerRun(100, func() { _, _ = Path(path) }))
}

func TestNormal(t *testing.T) {
	for in, want := range map[string]string{
		"https://skerrywick.example/a?b#c": "https://skerrywick.example/a?b#c",
		"https://skerrywick.example":       "https://skerrywick.example/", "http://a.example/x?#": "http://a.example/x",
		"https://a.example:8443/":       "https://a.example:8443/",
		"https://xn--fhre-loa.example/": "https://xn--fhre-loa.example/",
		"http://a.example/.x":           "http://a.example/.x",
	} {
		t.Run(in, func(t *testing.T) {
			a, err := Parse(in)
			got := a.String()
			require.NoError(t, err, in)
			assert.Equal(t, want, got)
		})
	}
	_, err := Parse("nonsense")
	assert.Error(t, err)
}

// The quick way and the long way read the same.
func TestBothWaysAgree(t *testing.T) {
	piece := rapid.SampledFrom([]string{"http://", "https://", "a.example", "A.example", "xn--fhre-loa.example",
		"-a.example", ".example", ":80", "/", "/x", "/.", "/..", "/%7e", "/%C3", "/%zz", "?", "?a=%7e", "&b", "#", "#f",
		" ", "ø", "\\", "[", "|"})
	rapid.Check(t, func(t *rapid.T) {
		s := strings.Join(rapid.SliceOfN(piece, 1, 8).Draw(t, "pieces"), "")
		quick, ok := parseNormal(s)
		if !ok {
			return
		}
		assert.Equal(t, s, quick.String())
		// capitals in the scheme make Parse take the long way
		long, err := Parse(strings.Replace(s, "http", "HTTP", 1))
		require.NoError(t, err, s)
		assert.Equal(t, long, quick, s)
	})
}

func TestUnsafe(t *testing.T) {
	for path, want := range map[string]bool{
		"/a": false, "/a%20b": false, "/a%2Fb": true, "/a%5Cb": true, "/%00": true, "/%0D%0A": true, "/%1F": true,
		"/%7F":   true,
		"/%252F": false, "/%C3%A9%2F": true, "/%": false, "/x%2": false, "/%g0": false, "/%zz%2f": true, "/%%2f": true,
	} {
		t.Run(path, func(t *testing.T) {
			assert.Equal(t, want, Unsafe(path), path)
		})
	}
}

func TestFold(t *testing.T) {
	assert.Equal(t, "/a%C3%89b", Fold("/A%C3%89B"))
	assert.True(t, HasCapitals("/%C3x/Y"))
	assert.False(t, HasCapitals("/%C3%AF"))
}

func TestReadable(t *testing.T) {
	a, err := Parse("https://fähre.example/Reiseführer/Fähre%20x/%E2%80%AEtxt?x=%C3%A9")
	require.NoError(t, err)
	assert.Equal(t, "https://fähre.example/Reiseführer/Fähre%20x/%E2%80%AEtxt?x=%C3%A9", a.Readable())
	a.Path = "/%C3"
	assert.Contains(t, a.Readable(), "/%C3?")
}

func TestPrintable(t *testing.T) {
	assert.Equal(t, `a\x1b[31mb\u202e\x0a\xffø`, Printable("a\x1b[31mb\u202e\n\xffø"))
}

func TestQuery(t *testing.T) {
	params := SplitQuery("a=1&&b&b=2&=x&c=d=e&a;b=3")
	require.Len(t, params, 7)
	assert.Equal(t, Param{Raw: "a=1", Name: "a", Value: "=1"}, params[0])
	assert.Equal(t, Param{Raw: "c=d=e", Name: "c", Value: "=d=e"}, params[5])
	assert.Equal(t, "a;b", params[6].Name, "only & separates")
	assert.Equal(t, "a=1&b&b=2&=x&c=d=e&a;b=3", JoinQuery(params), "empty items are left out")
	first, ok := First(params, "b")
	assert.True(t, ok)
	assert.Equal(t, "b", first.Raw, "the first occurrence counts, and b differs from b=")
	_, ok = First(params, "B")
	assert.False(t, ok)
	assert.Nil(t, SplitQuery(""))
}

func TestSite(t *testing.T) {
	origin, err := Parse("https://skerrywick.example/")
	require.NoError(t, err)
	site := Site{Origin: origin, Hosts: []string{"www.skerrywick.example", "ferries.skerrywick.example"}}
	a, err := Parse("http://www.skerrywick.example/x?y")
	require.NoError(t, err)
	assert.Equal(t, "https://skerrywick.example/x?y", site.Rebase(a).String())
	a.Host = "other.example"
	assert.Equal(t, a, site.Rebase(a))
	// the request's own host, then the origin, then list order
	host := "ferries.skerrywick.example"
	assert.Equal(t, 0, site.Rank("", host))
	assert.Equal(t, 0, site.Rank(host, host))
	assert.Equal(t, 1, site.Rank("skerrywick.example", host))
	assert.Equal(t, 2, site.Rank("www.skerrywick.example", host))
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"http://skerrywick.example/%7e?a#b", "https://[::1]:8/..//%2F",
		"http://ä.example/\u202e", "HTTP://A.example:80"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		a, err := Parse(s)
		if err != nil {
			return
		}
		again, err := Parse(a.String())
		if err != nil || again != a {
			t.Fatalf("%q became %q, then %q (%v)", s, a, again, err)
		}
		for _, c := range []byte(a.String()) {
			if c <= 0x20 || c >= 0x7f {
				t.Fatalf("%q became %q, with byte 0x%02x", s, a, c)
			}
		}
	})
}

// The fast ways of reading give what the slow one gives, or nothing.
func TestFastWaysAgree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.StringMatching(`(http|HTTPS|https|ftp)://[a-zA-Z.-]{0,8}(:80|:443|:8|:)?(/|[a-zA-Z.%~ ()?#&=/é]|%[2-7][0-9a-fA-F]|\.\./|\./){0,12}`).Draw(t, "address")
		want, err := parse(s)
		if a, ok := parseNormal(s); ok {
			assert.NoError(t, err, s)
			assert.Equal(t, want, a, s)
		}
		if a, text, ok := normalise(s); ok {
			assert.NoError(t, err, s)
			assert.Equal(t, want, a, s)
			assert.Equal(t, want.String(), text, s)
		}
	})
}

func TestSiteOf(t *testing.T) {
	for home, hosts := range map[string][]string{"https://skerrywick.example/x?y": {"www.skerrywick.example",
		"b.example"}, "http://www.skerrywick.example": {"skerrywick.example", "b.example"}} {
		site, err := SiteOf(home, []string{"B.example", "www.skerrywick.example"})
		require.NoError(t, err)
		assert.Equal(t, hosts, site.Hosts)
		assert.Equal(t, "/", site.Origin.Path)
	}
	_, err := SiteOf("nowhere", nil)
	assert.Error(t, err)
	_, err = SiteOf("https://skerrywick.example", []string{"a b"})
	assert.ErrorContains(t, err, "is not a host name")
}
