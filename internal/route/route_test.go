package route_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

func island(t *testing.T) address.Site {
	t.Helper()
	site, err := address.SiteOf("https://skerrywick.example/", []string{"www.skerrywick.example", "ferry.example"})
	require.NoError(t, err)
	return site
}

func TestReadSource(t *testing.T) {
	site := island(t)
	for _, c := range []struct{ text, want, mistake string }{
		{"/en/fares", "/en/fares", ""},
		{"/en/../fares?b=2&a=1", "/fares?b=2&a=1", ""},
		{"https://skerrywick.example/fares", "//skerrywick.example/fares", ""},
		{"http://FERRY.example", "//ferry.example/", ""},
		{"https://elsewhere.example/", "", "is not on one of the site's hosts"},
		{"/fares#adults", "", "has a fragment"},
		{"/a%2Fb", "", "has an encoded slash"},
		{"/a%00b", "", "control character"},
	} {
		t.Run(c.text, func(t *testing.T) {
			s, err := route.ReadSource(c.text, site)
			if c.mistake != "" {
				require.ErrorContains(t, err, c.mistake)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.want, s.String())
		})
	}
}

// meets says by itself whether a request meets a source, as Match documents it.
func meets(s route.Source, site address.Site, host, path string, fold bool, query string, named []string) bool {
	if address.Key(s.Path, fold) != address.Key(path, fold) || !site.Hears(s.Host, host) {
		return false
	}
	first := func(query string) map[string]string {
		found := map[string]string{}
		for _, pair := range strings.FieldsFunc(query, func(c rune) bool { return c == '&' }) {
			name, value, _ := strings.Cut(pair, "=")
			if _, ok := found[name]; !ok && slices.Contains(named, name) {
				found[name] = value
			}
		}
		return found
	}
	return maps.Equal(first(s.Query), first(query))
}

func TestIndexFindsWhatASearchFinds(t *testing.T) {
	site := island(t)
	random := rand.New(rand.NewPCG(13, 31))
	pick := func(list ...string) string { return list[random.IntN(len(list))] }
	queries := []string{"", "", "", "a=1", "a=2", "b=1", "a=1&b=1", "b=1&a=1", "a="}
	for _, n := range []int{0, 1, 2, 3, 30, 31, 64, 511, 512, 513, 2000} {
		for _, fold := range []bool{false, true} {
			t.Run(fmt.Sprintf("%d sources, fold %v", n, fold), func(t *testing.T) {
				list := make([]route.Source, n)
				path := func() string {
					return fmt.Sprintf(pick("/p%d", "/P%d", "/p%d/", "/%%28p%d", "/(p%d"), random.IntN(n/4+1))
				}
				for i := range list {
					list[i] = route.Source{Host: pick("", "", "", "ferry.example", "www.skerrywick.example"),
						Path: path(), Query: pick(queries...)}
				}
				skipped := func(i int) bool { return i%7 == 3 }
				at := func(i int) route.Source { return list[i] }
				added, filled := route.NewIndex(site, fold, at), route.NewIndex(site, fold, at)
				for i, s := range list {
					if skipped(i) {
						added.Skip()
					} else {
						added.Add(s)
					}
				}
				filled.Fill(n, skipped)
				require.Equal(t, n, added.Len())
				require.Equal(t, n, filled.Len())
				asked := 500
				if testing.Short() {
					asked = 100
				}
				for range asked {
					host := pick("skerrywick.example", "www.skerrywick.example", "ferry.example")
					at, query := path(), pick(queries...)
					var named []string
					for i, s := range list {
						if !skipped(i) && address.Key(s.Path, fold) == address.Key(at, fold) {
							named = append(named, s.Names()...)
						}
					}
					slices.Sort(named)
					named = slices.Compact(named)
					var want []int
					for i, s := range list {
						if !skipped(i) && meets(s, site, host, at, fold, query, named) {
							want = append(want, i)
						}
					}
					slices.SortStableFunc(want, func(a, b int) int {
						return site.Rank(list[a].Host, host) - site.Rank(list[b].Host, host)
					})
					first := -1
					if len(want) > 0 {
						first = want[0]
					}
					for _, x := range []*route.Index{added, filled} {
						params := address.SplitQuery(query)
						require.Equal(t, want, x.Match(host, at, params, named), "%s%s?%s", host, at, query)
						require.Equal(t, first, x.First(host, at, params, named))
						if query == "" {
							require.Equal(t, first, x.FirstBare(host, x.Key(at)))
						}
					}
				}
				for i, s := range list {
					if !skipped(i) {
						same := func(j int) bool {
							return !skipped(j) && list[j].Host == s.Host && list[j].Signature() == s.Signature() &&
								address.Key(list[j].Path, fold) == address.Key(s.Path, fold)
						}
						want := 0
						for !same(want) {
							want++
						}
						require.Equal(t, want, added.Find(s))
						require.Equal(t, want, filled.Find(s))
					}
				}
			})
		}
	}
}

func TestNewPatternSaysWhatIsWrong(t *testing.T) {
	for _, c := range []struct{ from, to, class, part, what string }{
		{"/news/{x", "/n/{x}", "", "from", ""},
		{"/news/{x}", "/n/{y}", "", "to", "the variable y is not in from"},
		{"/news/{x}", "/n/{x}", "y=digits", "class", "from has no variable y"},
		{"/news/{x}", "https://{x}.example/", "", "to", "lets a visitor choose the host"},
		{"/news/{x}", "{x}", "", "to", "lets a visitor choose the host"},
		{"/news/{x}", "/a/../{x}", "", "to", "the target is not in normal form"},
		{"/a%2Fb/{x}", "/n/{x}", "", "from", "has an encoded slash"},
	} {
		t.Run(c.from+" to "+c.to, func(t *testing.T) {
			classes := map[string]template.Class{}
			if c.class != "" {
				var err error
				classes, err = route.ParseClasses(c.class)
				require.NoError(t, err)
			}
			_, err := route.NewPattern(c.from, c.to, classes, island(t))
			var mistake *route.PatternError
			require.ErrorAs(t, err, &mistake)
			assert.Equal(t, c.part, mistake.Part)
			assert.Contains(t, mistake.What, c.what)
			assert.Equal(t, strings.Contains(c.what, "host"), mistake.Unsafe)
		})
	}
}

// The short way of putting a target together leads where the long one does.
func TestDirectLeadsWhereTheTemplateLeads(t *testing.T) {
	site := island(t)
	paths := []string{"/", "/news", "/news/", "/news/7", "/NEWS/7", "/news/7/summer", "/news/%C3%A9t%C3%A9", "/news/a+b",
		"/news/a%20b", "/news/(a)", "/news//7", "/news/x.html", "/news/2026/08/ferry", "/news/a:b", "/news/a;b", "/news/~"}
	direct := 0
	for _, c := range []struct{ from, to string }{
		{"/news/{x}", "/articles/{x}"},
		{"/news/{x}", "/articles/{x}/"},
		{"/news/{x}", "https://ferry.example/{x}"},
		{"/news/{x}.html", "/articles/{x}"},
		{"/news{/x*}", "/articles{/x*}"},
		{"/news/{year}/{month}/{name}", "/{name}/{year}"},
		{"/news/{x}", "/articles?id={x}"},
		{"/news/{x}", "/articles/all"},
	} {
		p, err := route.NewPattern(c.from, c.to, nil, site)
		require.NoError(t, err)
		for _, path := range paths {
			for _, fold := range []bool{false, true} {
				to, text, ok := p.Direct(path, fold)
				if !ok {
					continue
				}
				direct++
				values, reads := p.Reads(path, nil, nil, fold)
				require.True(t, reads, "%s at %s", c.from, path)
				want, err := p.Leads(values, site)
				require.NoError(t, err)
				assert.Equal(t, want, to, "%s at %s", c.from, path)
				assert.Equal(t, want.Base()+want.Path, text)
			}
		}
	}
	assert.Greater(t, direct, 20)
}
