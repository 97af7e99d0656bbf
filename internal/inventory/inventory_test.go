package inventory

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadKeepsUnknownColumns(t *testing.T) {
	const text = "title,key,colour,state\nB,b,red,\nA,a,,gone\n"
	inv, found, err := Read("pages.csv", strings.NewReader(text), "nb")
	require.NoError(t, err)
	require.Empty(t, found)
	assert.Equal(t, "key,language,kind,title,state,colour,fixed,canonical,robots\na,nb,page,A,gone,,,,\n"+
		"b,nb,page,B,live,red,,,\n",
		string(inv.Encode()))
	page := inv.Find(Ref{"b", "nb"})
	require.NotNil(t, page)
	for name, want := range map[string]string{"key": "b", "language": "nb", "kind": "page", "title": "B",
		"colour": "red", "nothing": ""} {
		assert.Equal(t, want, page.Field(name), name)
	}
	assert.Nil(t, inv.Find(Ref{"b", "en"}))
}

func TestBadRows(t *testing.T) {
	_, found, err := Read("pages.csv", strings.NewReader("key,title,state\na,A,\na,A,\nb c,B,\n,C,\nd,D,asleep\n"),
		"en")
	require.NoError(t, err)
	var lines []string
	for _, f := range found {
		lines = append(lines, f.String())
	}
	assert.Equal(t, []string{
		"pages.csv:3: error bad-row: the page a@en stands in line 2 already; give one of them another key or language",
		`pages.csv:4: error bad-row: key "b c" with language "en" name no page; give both, without @ / : ? # or spaces`,
		`pages.csv:5: error bad-row: key "" with language "en" name no page; give both, without @ / : ? # or spaces`,
		`pages.csv:6: error bad-row: "asleep" is not a state; say live, draft, away or gone`,
	}, lines)
}

func TestParseRef(t *testing.T) {
	for s, ok := range map[string]bool{"a@en": true, "a-b@de-CH": true, "a": false, "@en": false, "a@": false,
		"/a@en": false, "http://a@en": false, "a@en?x": false, "a b@en": false} {
		_, got := ParseRef(s)
		assert.Equal(t, ok, got, s)
	}
}

// A page keeps its fields whatever is set on a copy of it.
func TestCopiesOfPagesStand(t *testing.T) {
	var page Page
	for _, name := range []string{"m", "d", "t", "a", "z"} {
		page.Set(name, name)
	}
	other := page
	for _, name := range []string{"b", "0", "n", "zz"} {
		other.Set(name, "other")
	}
	for _, name := range []string{"m", "d", "t", "a", "z"} {
		assert.Equal(t, name, page.Field(name))
		assert.Equal(t, name, other.Field(name))
	}
	assert.Empty(t, page.Field("b"))
	assert.Equal(t, "other", other.Field("b"))
}
