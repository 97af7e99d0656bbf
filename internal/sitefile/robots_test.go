package sitefile

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The matching rules of RFC 9309, each with its section.
func TestRobots(t *testing.T) {
	for _, c := range []struct {
		about, robots, agent, path string
		allowed                    bool
	}{
		{"2.2.1: letters of the token don't count", "User-Agent: YOUNG-compass\nDisallow: /x", "young-compass", "/x",
			false},
		{"2.2.1: the token ends before the version", "user-agent: young-compass/2.0 (x)\ndisallow: /x",
			"Young-Compass/1", "/x", false},
		{"2.2.1: a token isn't a part of another", "user-agent: young\ndisallow: /x", "young-compass", "/x", true},
		{"2.2.1: groups of one name are joined",
			"user-agent: a\ndisallow: /x\nuser-agent: b\ndisallow: /z\nuser-agent: a\ndisallow: /y", "a", "/y", false},
		{"2.2.1: several names for one group", "user-agent: a\nuser-agent: b\ndisallow: /x", "a", "/x", false},
		{"2.2.1: several names, other lines between", "user-agent: a\nsitemap: /s\nuser-agent: b\ndisallow: /x", "a",
			"/x", false},
		{"2.2.1: else the group for all", "user-agent: b\ndisallow: /y\nuser-agent: *\ndisallow: /x", "a", "/x", false},
		{"2.2.1: which doesn't count beside an own one", "user-agent: *\ndisallow: /\nuser-agent: a\ndisallow: /y", "a",
			"/x", true},
		{"2.2.1: no group at all", "user-agent: b\ndisallow: /", "a", "/x", true},
		{"2.2.1: rules before any group", "disallow: /\nuser-agent: b\ndisallow: /y", "a", "/x", true},
		{"2.2.2: the longest rule", "user-agent: *\nallow: /p\ndisallow: /", "a", "/page", true},
		{"2.2.2: the longest, whatever the order", "user-agent: *\ndisallow: /\nallow: /p", "a", "/page", true},
		{"2.2.2: longest in octets", "user-agent: *\nallow: /folder\ndisallow: /folder/x", "a", "/folder/x/y", false},
		{"2.2.2: allow before disallow", "user-agent: *\ndisallow: /page\nallow: /page", "a", "/page", true},
		{"2.2.2: no rule matches", "user-agent: *\ndisallow: /y", "a", "/x", true},
		{"2.2.2: an empty rule", "user-agent: *\ndisallow:", "a", "/x", true},
		{"2.2.2: paths are case-sensitive", "user-agent: *\ndisallow: /X", "a", "/x", true},
		{"2.2.2: from the beginning of the path", "user-agent: *\ndisallow: /x", "a", "/y/x", true},
		{"2.2.2: as a beginning", "user-agent: *\ndisallow: /x", "a", "/xyz", false},
		{"2.2.2: encoded and plain are one", "user-agent: *\ndisallow: /foo/bar/%62%61%7A", "a", "/foo/bar/baz", false},
		{"2.2.2: plain and encoded are one", "user-agent: *\ndisallow: /foo/bar/baz", "a", "/foo/bar/%62%61%7A", false},
		{"2.2.2: beyond ASCII", "user-agent: *\ndisallow: /foo/bar/ツ", "a", "/foo/bar/%E3%83%84", false},
		{"2.2.2: beyond ASCII, encoded in the rule", "user-agent: *\ndisallow: /foo/bar/%E3%83%84", "a", "/foo/bar/ツ",
			false},
		{"2.2.2: reserved ones stay apart", "user-agent: *\ndisallow: /a%2Fb", "a", "/a/b", true},
		{"2.2.2: hexadecimal digits in either case", "user-agent: *\ndisallow: /%c3%a9", "a", "/%C3%A9", false},
		{"2.2.2: the query counts", "user-agent: *\ndisallow: /x?page=", "a", "/x?page=2", false},
		{"2.2.3: a comment", "user-agent: * # all\ndisallow: /x # not this", "a", "/x", false},
		{"2.2.3: $ ends", "user-agent: *\ndisallow: /x$", "a", "/x", false},
		{"2.2.3: $ ends, and no more", "user-agent: *\ndisallow: /x$", "a", "/xy", true},
		{"2.2.3: $ elsewhere is itself", "user-agent: *\ndisallow: /x$y", "a", "/x$y", false},
		{"2.2.3: * is anything", "user-agent: *\ndisallow: /x/*/z", "a", "/x/y/y/z", false},
		{"2.2.3: * is nothing too", "user-agent: *\ndisallow: /x*z", "a", "/xz", false},
		{"2.2.3: *.gif$", "user-agent: *\ndisallow: *.gif$", "a", "/a/b.gif", false},
		{"2.2.3: *.gif$ with a query", "user-agent: *\ndisallow: *.gif$", "a", "/a/b.gif?x", true},
		{"2.2.3: the last piece again", "user-agent: *\ndisallow: /*ab$", "a", "/abxab", false},
		{"2.2.3: encoded * is itself", "user-agent: *\ndisallow: /path/file-with-a-%2A.html", "a",
			"/path/file-with-a-%2a.html", false},
		{"2.2.3: encoded * is not a wildcard", "user-agent: *\ndisallow: /a%2Ab", "a", "/axxb", true},
		{"2.2.3: encoded $ is not an end", "user-agent: *\ndisallow: /a%24", "a", "/a%24b", false},
		{"2.2.3: encoded * is a raw one", "user-agent: *\ndisallow: /a%2Ab", "a", "/a*b", false},
		{"2.2.3: a raw * of a path is an encoded one", "user-agent: *\ndisallow: /a%2Ab", "a", "/a%2ab", false},
		{"2.2.3: encoded $ is a raw one", "user-agent: *\ndisallow: /a%24", "a", "/a$b", false},
		{"2.2.3: $ in the midst is an encoded one", "user-agent: *\ndisallow: /x$y", "a", "/x%24y", false},
		{"2.2.3: $ ends, though the path goes on with one", "user-agent: *\ndisallow: /x$", "a", "/x$", true},
		{"2.2.4: other lines don't matter", "user-agent: *\ncrawl-delay: 5\nnonsense\n: x\ndisallow: /x", "a", "/x",
			false},
		{"2.3: robots.txt is always allowed", "user-agent: *\ndisallow: /", "a", "/robots.txt", true},
		{"2.2: lines end with CR, LF or both", "user-agent: *\r\ndisallow: /x\rdisallow: /y", "a", "/y", false},
		{"2.2: spaces anywhere", "  user-agent \t: *  \n disallow :  /x  ", "a", "/x", false},
		{"2.2: a byte order mark", "\ufeffuser-agent: *\ndisallow: /x", "a", "/x", false},
		{"2.5: what lies beyond the limit isn't read", "user-agent: *\nallow: /x\n#" + strings.Repeat("x", maxRobots) +
			"\ndisallow: /x/y", "a", "/x/y", true},
		{"an agent without a name", "user-agent:\ndisallow: /\nuser-agent: *\ndisallow: /x", "a", "/y", true},
	} {
		robots, err := ReadRobots(strings.NewReader(c.robots))
		require.NoError(t, err, c.about)
		assert.Equal(t, c.allowed, robots.Allows(c.agent, c.path), c.about)
	}
	robots, err := ReadRobots(strings.NewReader("sitemap: https://skerrywick.example/a.xml\nSITEMAP: /b.xml"))
	require.NoError(t, err)
	assert.Equal(t, []string{"https://skerrywick.example/a.xml", "/b.xml"}, robots.Sitemaps())
	assert.True(t, Robots{}.Allows("a", "/"), "without a file all is allowed")
}

// slowMatch tries every way in which a "*" could match.
func slowMatch(pattern, path string) bool {
	switch {
	case pattern == "":
		return true
	case pattern == "$":
		return path == ""
	case pattern[0] == '*':
		for i := range len(path) + 1 {
			if slowMatch(pattern[1:], path[i:]) {
				return true
			}
		}
		return false
	}
	return path != "" && path[0] == pattern[0] && slowMatch(pattern[1:], path[1:])
}

func TestRobotsMatchLikeASlowOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		pattern := rapid.StringMatching(`/?[ab*]{0,6}\$?`).Draw(t, "pattern")
		path := rapid.StringMatching(`/?[ab]{0,8}`).Draw(t, "path")
		assert.Equal(t, slowMatch(pattern, path), robotsMatch(pattern, path))
	})
}

func FuzzReadRobots(f *testing.F) {
	f.Add("user-agent: *\ndisallow: /%2a*$", "/x")
	f.Fuzz(func(t *testing.T, text, path string) {
		if robots, err := ReadRobots(strings.NewReader(text)); err == nil {
			robots.Allows("young-compass", path)
		}
	})
}
