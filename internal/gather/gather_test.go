package gather

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/inventory"
)

func gatherer() *Gatherer {
	return &Gatherer{Site: address.Site{Origin: address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"}}, Language: "en", Today: "2026-11-23",
		Pages: &inventory.Inventory{}, Book: &book.Book{}}
}

func (g *Gatherer) take(t *testing.T, text string) Summary {
	t.Helper()
	s, found, err := g.Table("old.csv", strings.NewReader(text))
	require.NoError(t, err)
	require.Empty(t, found)
	return s
}

func TestFirstAddressIsCurrentFurtherOnesVariants(t *testing.T) {
	g := gatherer()
	s := g.take(t, "key,language,title,state,colour,address\na,en,A,live,red,/a.html\na,en,A,live,,/b.html\na,de,A,live,,http://www.skerrywick.example/a\nd,,D,draft,,/d\ne,,E,,,\n")
	assert.Equal(t, Summary{Source: "old.csv", Rows: 5, New: 4, Known: 1, Current: 2, Variants: 1, NoAddress: 1, Columns: []Mapping{}}, s)
	assert.Equal(t, `address,page,state,since
http://www.skerrywick.example/a,a@de,current,2026-11-23
https://skerrywick.example/a.html,a@en,current,2026-11-23
https://skerrywick.example/b.html,a@en,variant,2026-11-23
`, string(g.Book.Encode()))
	assert.Equal(t, `key,language,kind,title,state,colour,fixed,canonical,robots
a,de,page,A,live,,,,
a,en,page,A,live,red,,,
d,en,page,D,draft,,,,
e,en,page,E,live,,,,
`, string(g.Pages.Encode()))
}

func TestWhatIsThereStays(t *testing.T) {
	g := gatherer()
	g.take(t, "key,title,region,address\na,By hand,,/a\n")
	before := string(g.Book.Encode())
	s := g.take(t, "key,title,region,address\na,From elsewhere,north,/a\n")
	assert.Equal(t, 1, s.Kept)
	page := g.Pages.Find(inventory.Ref{Key: "a", Language: "en"})
	assert.Equal(t, "By hand", page.Title)
	assert.Equal(t, "north", page.Fields["region"], "an empty field is filled")
	assert.Equal(t, before, string(g.Book.Encode()))
}

func TestAnAddressIsNotGivenAway(t *testing.T) {
	g := gatherer()
	g.take(t, "key,title,address\na,A,/a\n")
	_, found, err := g.Table("more.csv", strings.NewReader("key,title,address\nb,B,/%61\n"))
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Equal(t, "more.csv:2: error bad-row: https://skerrywick.example/a belongs to a@en already, so it can't be given to b@en; correct the key, or change the page in ", found[0].String())
}

func TestColumnsByTheirUsualNames(t *testing.T) {
	g := gatherer()
	s := g.take(t, "ID;Page Title;URL;Status;Lang\n7;Storm;/page.php?id=7;Published;de\n8;Calm;/page.php?id=8;Pending;\n")
	assert.Equal(t, []Mapping{{"key", "id"}, {"title", "page title"}, {"address", "url"}, {"language", "lang"}, {"state", "status"}}, s.Columns)
	assert.Equal(t, "key,language,kind,title,state,fixed,canonical,robots\n7,de,page,Storm,live,,,\n8,en,page,Calm,draft,,,\n", string(g.Pages.Encode()))
	require.Len(t, g.Book.Entries, 1)

	g = gatherer()
	m, err := ParseColumn("address = Old Link")
	require.NoError(t, err)
	g.Columns = []Mapping{m}
	s = g.take(t, "key,title,old link,address\na,A,/a,Harbour Street 1\n")
	assert.Equal(t, []Mapping{{"address", "old link"}}, s.Columns)
	assert.Equal(t, "https://skerrywick.example/a", g.Book.Entries[0].Address.String())
	assert.Equal(t, "Harbour Street 1", g.Pages.Pages[0].Fields["other address"], "what had the name before is kept")

	_, _, err = g.Table("old.csv", strings.NewReader("key,title\n"))
	assert.ErrorContains(t, err, `there is no column "old link" to take for address`)
	for _, s := range []string{"", "address", "=x", "address="} {
		_, err := ParseColumn(s)
		assert.Error(t, err, s)
	}
}
