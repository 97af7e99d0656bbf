package resolve_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/redirect"
	"young-compass/internal/resolve"
)

// alone returns the rules of a list of redirects, with a column class, and nothing else.
func alone(t *testing.T, rows ...string) *resolve.Rules {
	t.Helper()
	site, err := address.SiteOf("https://skerrywick.example/", []string{"www.skerrywick.example"})
	require.NoError(t, err)
	site.LanguageHosts = []string{"nb.skerrywick.example"}
	text := "from,to,class\n" + strings.Join(rows, "\n") + "\n"
	list, found, err := redirect.Read("redirects.csv", strings.NewReader(text), site)
	require.NoError(t, err)
	require.Empty(t, found)
	return redirect.Alone(list, address.Speller{Site: site}).Rules
}

func TestThrough(t *testing.T) {
	const none, some = "", "some"
	for name, test := range map[string]struct {
		rows []string
		meets,
		want string // where the two lead as one
	}{
		"every address": {[]string{"/press/{y},/news/{y},", "/news/{z},/notices/{z},"}, "/news/{z}", "/notices/{y}"},
		"no address":    {[]string{"/press/{y},/news/{y},", "/notices/{z},/news/{z},"}, none, none},
		"by class": {[]string{"/press/{y},/news/{y},y=digits", "/news/{z},/notices/{z},"}, "/news/{z}",
			"/notices/{y}"},
		"some addresses": {[]string{"/press/{y},/news/{y},", "/news/{z},/notices/{z},z=digits"}, "/news/{z}", some},
		"some, and a later one all": {[]string{"/press/{y},/news/{y},", "/news/{z},/year/{z},z=digits",
			"/news/{z},/notices/{z},"}, "/news/{z}", some},
		"the first of two": {[]string{"/press/{y},/news/{y},", "/news/{z},/notices/{z},", "/{a}/{b},/b/{a},"},
			"/news/{z}", "/notices/{y}"},
		"its own target": {[]string{"/press/{y},/news/{y},", "/news{/z*},/news{/z*},", "/news/{b},/b/{b},"},
			"/news{/z*}", some},
		"its own address, value by value": {[]string{"/press/{y},/news/{y},", "/news/{z},/news/{z},",
			"/news/{b},/b/{b},"}, "/news/{b}", "/b/{y}"},
		"its own address, with a fragment": {[]string{"/press/{y},/news/{y},", "/news/{z},/news/{z}#top,",
			"/news/{b},/b/{b},"}, "/news/{b}", "/b/{y}"},
		"its own address, with a parameter": {[]string{"/press/{y},/news/{y},", "/news/{z},/news/{z}?a=1,",
			"/news/{b},/b/{b},"}, "/news/{z}", some},
		"a parameter there": {[]string{"/press/{y},/news/{y},", "/news/{z}?id={i},/notices/{i},",
			"/news/{z},/notices/{z},"}, "/news/{z}?id={i}", some},
		"a parameter here": {[]string{"/press/{y},/news/{y}?a=1,", "/news/{z},/notices/{z},"},
			"/news/{z}", some},
		"a fragment is kept": {[]string{"/press/{y},/news/{y}#top,", "/news/{z},/notices/{z},"},
			"/news/{z}", "/notices/{y}#top"},
		"the later fragment": {[]string{"/press/{y},/news/{y}#top,", "/news/{z},/notices/{z}#end,"},
			"/news/{z}", "/notices/{y}#end"},
		"another host of the site": {[]string{"/press/{y},https://www.skerrywick.example/news/{y},",
			"/news/{z},/notices/{z},"}, "/news/{z}", "/notices/{y}"},
		"a host of a language": {[]string{"/press/{y},https://nb.skerrywick.example/news/{y},", "/news/{z},/notices/{z},"},
			none, none},
		"another site": {[]string{"/press/{y},https://archive.example/news/{y},", "/news/{z},/notices/{z},"},
			none, none},
		"on to another site": {[]string{"/press/{y},/news/{y},", "/news/{z},https://archive.example/{z},"}, "/news/{z}",
			"https://archive.example/{y}"},
	} {
		t.Run(name, func(t *testing.T) {
			rules := alone(t, test.rows...)
			meets, one, err := rules.Through(rules.Patterns[0].Pattern)
			require.NoError(t, err)
			switch {
			case test.meets == none:
				require.Nil(t, meets)
				assert.Nil(t, one)
				return
			case test.want == some:
				assert.Nil(t, one)
			default:
				require.NotNil(t, one)
				assert.Equal(t, test.want, one.To)
			}
			require.NotNil(t, meets)
			assert.Equal(t, test.meets, meets.From)
		})
	}
}

func TestThroughWhereThePlanLeavesSomeAlone(t *testing.T) {
	rules := alone(t, "/press/{y},/news/{y},", "/news/{z},/notices/{z},")
	rules.Patterns[1].Except = address.NewPlaces([]string{"/news/old"})
	meets, one, err := rules.Through(rules.Patterns[0].Pattern)
	require.NoError(t, err)
	assert.NotNil(t, meets)
	assert.Nil(t, one, "/news/old stays")

	rules.Patterns[1].Except, rules.Scope.Except = address.Places{}, address.NewPlaces([]string{"/news/old"})
	_, one, err = rules.Through(rules.Patterns[0].Pattern)
	require.NoError(t, err)
	assert.Nil(t, one, "/news/old is left alone")
}
