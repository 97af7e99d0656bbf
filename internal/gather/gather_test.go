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
	assert.Equal(t, Summary{Source: "old.csv", Rows: 5, New: 4, Known: 1, Current: 2, Variants: 1, NoAddress: 1}, s)
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
