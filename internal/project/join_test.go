package project_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/inventory"
	"young-compass/internal/project"
)

// Joined pages lose no address and no redirect.
func TestJoin(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("young-compass.yaml", "site: {origin: https://skerrywick.example}\n")
	write("pages.csv", "key,language,title,colour\na,en,A,red\nb,en,B,\nc,en,C,\nd,en,D,\n")
	write("addresses.csv", "address,page,state,since,who\nhttps://skerrywick.example/b,b@en,current,2020-01-01,me\nhttps://skerrywick.example/b2,b@en,former,,\n"+
		"https://skerrywick.example/a,a@en,current,,\nhttps://skerrywick.example/d,d@en,current,,\n")
	write("redirects.csv", "from,to,status,note\n/x,b@en#top,301,keep\n/y,d@en,302,\n/z,/b,301,\n")
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	require.Empty(t, found)
	ref := func(key string) inventory.Ref { return inventory.Ref{Key: key, Language: "en"} }
	joined, err := project.Join(p, ref("a"), ref("b"), ref("c"))
	require.NoError(t, err)
	assert.Equal(t, "key,language,kind,title,state,colour,fixed,canonical,robots\na,en,page,A,live,red,,,\nd,en,page,D,live,,,,\n", string(joined.Pages.Encode()))
	assert.Equal(t, "address,page,state,since,who\nhttps://skerrywick.example/a,a@en,current,,\nhttps://skerrywick.example/b,a@en,variant,2020-01-01,me\n"+
		"https://skerrywick.example/b2,a@en,former,,\nhttps://skerrywick.example/d,d@en,current,,\n", string(joined.Book.Encode()))
	assert.Equal(t, "from,to,status,note\n/x,a@en#top,301,keep\n/y,d@en,302,\n/z,/b,301,\n", string(joined.Redirects.Encode()))
	require.NoError(t, joined.Write(func(changes ...project.Change) error {
		var names []string
		for _, c := range changes {
			names = append(names, c.Name)
		}
		assert.Equal(t, []string{"addresses.csv", "redirects.csv", "pages.csv"}, names)
		return nil
	}))

	joined, err = project.Join(p, ref("c"), ref("d")) // which has no address yet
	require.NoError(t, err)
	assert.Contains(t, string(joined.Book.Encode()), "https://skerrywick.example/d,c@en,current")
	for want, refs := range map[string][]inventory.Ref{"there is no page x@en": {ref("a"), ref("x")}, "the page a@en is named twice": {ref("a"), ref("a")},
		"the page b@en is named twice": {ref("a"), ref("b"), ref("b")}} {
		_, err := project.Join(p, refs[0], refs[1:]...)
		assert.EqualError(t, err, want)
	}
}
