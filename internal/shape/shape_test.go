package shape_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/address"
	"young-compass/internal/shape"
)

// items reads addresses such as /a/b?c=d.
func items(list ...string) []shape.Item {
	var all []shape.Item
	for _, s := range list {
		path, query, _ := strings.Cut(s, "?")
		all = append(all, shape.Item{Path: path, Params: address.SplitQuery(query)})
	}
	return all
}

// many writes addresses from a format with a number.
func many(n int, format string) (list []string) {
	for i := range n {
		list = append(list, strings.ReplaceAll(format, "#", fmt.Sprint(100+i)))
	}
	return list
}

func join(lists ...[]string) (all []string) {
	for _, l := range lists {
		all = append(all, l...)
	}
	return all
}

// The groups of lists of addresses, each with its kind and how many it has.
func TestGroups(t *testing.T) {
	for name, c := range map[string]struct {
		list []string
		want []string
	}{
		"nothing": {nil, nil},
		"one script, two sections, and some pages": {
			join(many(6, "/index.php?item=#&sec=route"), many(5, "/index.php?item=#&sec=port"), []string{"/index.php?sec=contact", "/index.php?sec=about", "/"}),
			[]string{"/index.php?sec=port&item={item} port 5", "/index.php?sec=route&item={item} route 6", "/index.php?sec={sec} sec 2", "/{slug}  1"}},
		"a parameter with two values of one page each selects nothing": {
			[]string{"/s.php?a=x&b=1", "/s.php?a=y&b=2"}, []string{"/s.php?a={a}&b={b} b 2"}},
		"a journal by year":             {many(4, "/news/2025/a#.htm"), []string{"/news/{year}/{slug}.htm news 4"}},
		"a journal by day, at the root": {many(4, "/2025/03/07/a#"), []string{"/{year}/{month}/{day}/{slug} post 4"}},
		"thirteen is no month":          {many(4, "/2025/13/a#"), []string{"/{year}{/section*}/{slug} post 4"}},
		"three levels": {
			join([]string{"/catalogue/boots", "/catalogue/hats", "/catalogue/boots/high", "/catalogue/hats/felt"}, many(3, "/catalogue/boots/high/a#"), many(3, "/catalogue/hats/felt/b#")),
			[]string{"/catalogue{/section*}/{slug} category 4", "/catalogue{/section*}/{slug} product 6"}},
		"sections of any depth": {
			join(many(3, "/docs/a#"), []string{"/docs/x/y/z", "/docs/x/q"}), []string{"/docs{/section*}/{slug} doc 5"}},
		"two pages in a folder are pages":           {[]string{"/about/team", "/about/history", "/contact"}, []string{"{/section*}/{slug}  3"}},
		"two pages in a folder called as kinds are": {[]string{"/news/a", "/news/b", "/contact"}, []string{"/news/{slug} news 2", "/{slug}  1"}},
		"kinds below one folder": {join(many(4, "/site/products/a#"), many(4, "/site/brands/b#")),
			[]string{"/site/brands/{slug} brand 4", "/site/products/{slug} product 4"}},
		"letters with numbers":         {join(many(5, "/p#.htm"), many(5, "/c#.htm"), []string{"/about.htm"}), []string{"/c{slug}.htm category 5", "/p{slug}.htm  5", "/{slug}.htm  1"}},
		"capitals are no other folder": {join(many(2, "/Vessels/a#"), many(2, "/vessels/b#")), []string{"/Vessels/{slug} vessel 4"}},
		"parameters on many paths":     {many(12, "/x/item-#-y?colour=red"), []string{"/x/{slug} x 12"}},
	} {
		t.Run(name, func(t *testing.T) {
			all := items(c.list...)
			var got []string
			seen := map[int]bool{}
			for _, g := range shape.Groups(all) {
				kind, _ := g.Words()
				got = append(got, fmt.Sprintf("%s %s %d", g.Template(), kind, len(g.Items)))
				for _, i := range g.Items {
					assert.False(t, seen[i], "in one group only")
					seen[i] = true
				}
			}
			assert.Equal(t, c.want, got)
			assert.Len(t, seen, len(all))
		})
	}
}

// Sizes at the limit: two pages are no section of their own, three are.
func TestLeast(t *testing.T) {
	for n, want := range map[int]string{1: "{/section*}/{slug}", 2: "{/section*}/{slug}", 3: "/thing/{slug}", 4: "/thing/{slug}"} {
		groups := shape.Groups(items(many(n, "/thing/a#")...))
		assert.Equal(t, want, groups[0].Template(), n)
	}
}

func TestParts(t *testing.T) {
	list := items(join(many(3, "/news/2025/07/inner/a#.html"), many(3, "/news/2025/07/b#.html"))...)
	g := shape.Groups(list)[0]
	assert.Equal(t, shape.Parts{Date: []string{"2025", "07"}, Sections: []string{"inner"}, Name: "a100", Ending: ".html"}, g.Parts(list[0]))
	assert.Equal(t, shape.Parts{Date: []string{"2025", "07"}, Sections: []string{}, Name: "b100", Ending: ".html"}, g.Parts(list[3]))
	list = items(many(3, "/x.php?id=#")...)
	assert.Equal(t, shape.Parts{Values: []string{"101"}}, func() shape.Parts { g := shape.Groups(list)[0]; return g.Parts(list[1]) }())
}

func TestSingularAndPlural(t *testing.T) {
	for many, one := range map[string]string{"ports": "port", "stories": "story", "news": "news", "boxes": "box", "classes": "class", "buses": "buse", "series": "series", "glass": "glass", "as": "as"} {
		assert.Equal(t, one, shape.Singular(many))
	}
	for one, many := range map[string]string{"port": "ports", "story": "stories", "news": "news", "box": "boxes", "day": "days", "glass": "glasses", "": ""} {
		assert.Equal(t, many, shape.Plural(one))
	}
	assert.Equal(t, "product", shape.KindOf("Produkte"))
}

// Every group's template reads the addresses it was made of, whatever they are.
func FuzzGroups(f *testing.F) {
	f.Add("/a/b\n/a/c\n/a/d?x=1")
	f.Add("/2025/01/x\n/2025/02/y\n//\n/;a=b/c")
	f.Fuzz(func(t *testing.T, text string) {
		var all []shape.Item
		for line := range strings.Lines(text) {
			if a, err := address.Parse("https://skerrywick.example/" + strings.TrimSpace(line)); err == nil {
				all = append(all, shape.Item{Path: a.Path, Params: address.SplitQuery(a.Query)})
			}
		}
		n := 0
		for _, g := range shape.Groups(all) {
			n += len(g.Items)
			for _, i := range g.Items {
				g.Parts(all[i])
			}
			_, _ = g.Words()
			_ = g.Template()
		}
		assert.Equal(t, len(all), n)
	})
}

// BenchmarkGroups groups a million addresses.
func BenchmarkGroups(b *testing.B) {
	var all []shape.Item
	for i := range 1_000_000 {
		all = append(all, shape.Item{Path: fmt.Sprintf("/s%d/sub%d/page-%d", i%20, i%500, i)})
	}
	b.ReportAllocs()
	for b.Loop() {
		shape.Groups(all)
	}
}
