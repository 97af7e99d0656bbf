package sitefile

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"young-compass/internal/block"
)

func ofSite(s string) bool { return strings.Contains(s, "skerrywick.example/") }

// What is put into a robots.txt, and taken out again.
func TestRobotsLines(t *testing.T) {
	lines := RobotsLines{Sitemaps: []string{"https://skerrywick.example/sitemap.xml"}, Blocked: []string{"/search", "/*.pdf$"},
		Ours: ofSite}
	const own = "User-agent: *\nDisallow: /search\nDisallow: /*.pdf$\n"
	sum := func(text string) string { return block.Sum(text) }
	for _, c := range []struct{ about, before, after string }{
		{"an empty file", "", "# young-compass begins: robots SUM\nSitemap: https://skerrywick.example/sitemap.xml\n" + own +
			"# young-compass ends\n"},
		{"an old sitemap, and one of another site", "User-agent: crawler\nDisallow: /x\nSitemap: http://www.skerrywick.example/old.xml\n" +
			"sitemap: https://partner.example/s.xml\n",
			"User-agent: crawler\nDisallow: /x\n# young-compass replaced: Sitemap: http://www.skerrywick.example/old.xml\n" +
				"sitemap: https://partner.example/s.xml\n# young-compass begins: robots SUM\n" +
				"Sitemap: https://skerrywick.example/sitemap.xml\nUser-agent: *\nUser-agent: crawler\nDisallow: /search\n" +
				"Disallow: /*.pdf$\n# young-compass ends\n"},
		{"the right sitemap", "\ufeffSitemap: https://skerrywick.example/sitemap.xml\r\n",
			"\ufeffSitemap: https://skerrywick.example/sitemap.xml\r\n# young-compass begins: robots SUM\r\n" +
				strings.ReplaceAll(own, "\n", "\r\n") + "# young-compass ends\r\n"},
		{"no end of the last line, CR", "Sitemap: http://skerrywick.example/a\rHost: x",
			"# young-compass replaced: Sitemap: http://skerrywick.example/a\rHost: x\r# young-compass begins: robots SUM joined\r" +
				"Sitemap: https://skerrywick.example/sitemap.xml\r" + strings.ReplaceAll(own, "\n", "\r") + "# young-compass ends\r"},
		{"bytes that are no UTF-8", "Crawl-delay: \xe4\n", "Crawl-delay: \xe4\n# young-compass begins: robots SUM\n" +
			"Sitemap: https://skerrywick.example/sitemap.xml\n" + own + "# young-compass ends\n"},
	} {
		got, err := lines.Put([]byte(c.before))
		require.NoError(t, err, c.about)
		text := string(got)
		if i := strings.Index(text, "robots "); i >= 0 {
			inner := strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
			_, inner, _ = strings.Cut(inner[strings.Index(inner, "begins"):], "\n")
			inner, _, _ = strings.Cut(inner, "# young-compass ends")
			text = strings.Replace(text, sum(inner), "SUM", 1)
		}
		assert.Equal(t, c.after, text, c.about)
		again, err := lines.Put(got)
		require.NoError(t, err, c.about)
		assert.Equal(t, string(got), string(again), c.about)
		assert.True(t, HasLines(got), c.about)
		back, err := TakeOut(got)
		require.NoError(t, err, c.about)
		assert.Equal(t, c.before, string(back), c.about)
		assert.False(t, HasLines(back), c.about)
	}
}

// What a person does to the lines is seen.
func TestRobotsLinesEdited(t *testing.T) {
	lines := RobotsLines{Blocked: []string{"/search"}}
	text, err := lines.Put(nil)
	require.NoError(t, err)
	var edited *block.EditedError
	_, err = lines.Put(bytes.Replace(text, []byte("/search"), []byte("/s"), 1))
	require.ErrorAs(t, err, &edited)
	_, err = TakeOut(append(bytes.Clone(text), "Disallow: /x\n"...))
	require.EqualError(t, err, "line 5: this rule belongs to what was installed above; write a line User-agent before it")
	back, err := TakeOut(append(bytes.Clone(text), "# x\nUser-agent: a\nDisallow: /x\n"...))
	require.NoError(t, err)
	assert.Equal(t, "# x\nUser-agent: a\nDisallow: /x\n", string(back))
	_, err = TakeOut([]byte("# young-compass begins: robots 0\n"))
	require.ErrorContains(t, err, "line 1: ")
	_, err = lines.Put([]byte("#" + strings.Repeat("x", 600<<10)))
	require.ErrorIs(t, err, ErrRobotsTooLong)
}

// A robots.txt answers as before for every path that the plan doesn't speak of, to every crawler; taken out, the lines
// leave every byte.
func TestRobotsLinesLeaveTheRest(t *testing.T) {
	piece := rapid.SampledFrom([]string{"User-agent: *", "user-agent: a", "User-agent: b/2.0 # x", "User-agent:", "Disallow: /",
		"Disallow: /a", "Allow: /a/b", "Disallow:", "disallow: *b$", "Allow: /s", "Sitemap: http://skerrywick.example/o.xml",
		"Sitemap: https://partner.example/o.xml", "Crawl-delay: 3", "\xff\xfe: \x00", "# comment", "", "nonsense",
		"Disallow: /\xe4", "Disallow: /search"})
	rapid.Check(t, func(t *rapid.T) {
		var b strings.Builder
		if rapid.Bool().Draw(t, "mark") {
			b.WriteString("\ufeff")
		}
		ending := rapid.SampledFrom([]string{"\n", "\r\n", "\r"}).Draw(t, "ending")
		list := rapid.SliceOfN(piece, 0, 12).Draw(t, "lines")
		b.WriteString(strings.Join(list, ending))
		if rapid.Bool().Draw(t, "ended") {
			b.WriteString(ending)
		}
		lines := RobotsLines{Ours: ofSite}
		if rapid.Bool().Draw(t, "named") {
			lines.Sitemaps = []string{"https://skerrywick.example/sitemap.xml"}
		}
		if rapid.Bool().Draw(t, "blocked") {
			lines.Blocked = []string{"/search", "/basket"}
		}
		text, err := lines.Put([]byte(b.String()))
		require.NoError(t, err)
		before, err := ReadRobots(strings.NewReader(b.String()))
		require.NoError(t, err)
		after, err := ReadRobots(bytes.NewReader(text))
		require.NoError(t, err)
		path := "/" + rapid.StringMatching(`[abs/]{0,4}(earch|asket)?`).Draw(t, "path")
		for _, agent := range []string{"a", "b", "c", "*"} {
			want := before.Allows(agent, path)
			if len(lines.Blocked) > 0 && (strings.HasPrefix(path, "/search") || strings.HasPrefix(path, "/basket")) {
				want = false
			}
			assert.Equal(t, want, after.Allows(agent, path), "%s %s in %q", agent, path, text)
		}
		back, err := TakeOut(text)
		require.NoError(t, err)
		assert.Equal(t, b.String(), string(back))
	})
}
