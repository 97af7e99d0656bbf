package visits

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const sample = `address,status,visitors,robots,last,referrers,bytes
https://skerrywick.example/a,200,3,1,2026-11-23,,512
https://skerrywick.example/a,404,2,0,2026-11-22,"https://search.example/ 2",
https://skerrywick.example/b,200,0,4,2026-11-21,,-1
`

func TestReadAndEncode(t *testing.T) {
	list, found, err := Read("visits.csv", strings.NewReader(sample))
	require.NoError(t, err)
	assert.Empty(t, found)
	require.Len(t, list, 3)
	assert.Equal(t, 404, list[1].Status)
	assert.Equal(t, "https://search.example/ 2", list[1].Referrers)
	list[0], list[2] = list[2], list[0]
	assert.Equal(t, strings.ReplaceAll(sample, `"https://search.example/ 2"`, "https://search.example/ 2"),
		string(Encode(list)), "in order again")
}

func TestBadRows(t *testing.T) {
	_, found, err := Read("visits.csv", strings.NewReader("address,status,visitors\n/a,200,1\n"+
		"https://skerrywick.example/,x,1\nhttps://skerrywick.example/,200,-1\n"))
	require.NoError(t, err)
	assert.Len(t, found, 3)
	_, _, err = Read("visits.csv", strings.NewReader("address\n"))
	assert.ErrorContains(t, err, `there is no column "status"`)
}

func FuzzRead(f *testing.F) {
	f.Add(sample)
	f.Fuzz(func(t *testing.T, text string) {
		list, _, err := Read("v", strings.NewReader(text))
		if err == nil {
			again, found, err := Read("v", strings.NewReader(string(Encode(list))))
			require.NoError(t, err)
			assert.Empty(t, found)
			assert.Len(t, again, len(list))
		}
	})
}
