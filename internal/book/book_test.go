package book

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadAndEncode(t *testing.T) {
	const text = "address,page,state,since\nhttps://a.example/z,p@en,current,2026-11-23\n" +
		"https://a.example/s,p@en,shown,\nhttps://a.example/a,p@en,former,2020-01-02\nhttps://a.example/b,p@en,former,\n"
	b, found, err := Read("addresses.csv", strings.NewReader(text))
	require.NoError(t, err)
	require.Empty(t, found)
	assert.Equal(t, text, string(b.Encode()), "current first, then by state and address")
	assert.Len(t, b.Current(), 1)
	assert.Equal(t, 2, b.Entries[0].Line)
}

func TestColumnsOfOthersAreKept(t *testing.T) {
	const text = "address,page,state,since,visits,who\nhttps://a.example/z,p@en,current,2026-11-23,12,me\n"
	b, _, err := Read("addresses.csv", strings.NewReader(text))
	require.NoError(t, err)
	next := b.With(append(b.Entries, Entry{Address: b.Entries[0].Address, Page: b.Entries[0].Page, State: Former}))
	assert.Equal(t, text+"https://a.example/z,p@en,former,,,\n", string(next.Encode()))
}

func TestBadRows(t *testing.T) {
	_, found, err := Read("addresses.csv", strings.NewReader(`address,page,state
/a,p@en,current
https://a.example/a,p,current
https://a.example/a,p@en,now
https://a.example/a,p@en,current
https://a.example/b,p@en,current
`))
	require.NoError(t, err)
	var lines []string
	for _, f := range found {
		lines = append(lines, f.String())
	}
	assert.Equal(t, []string{
		"addresses.csv:2: error bad-row: /a is not an http or https address; write an absolute http or https address",
		`addresses.csv:3: error bad-row: "p" names no page; write key@language`,
		`addresses.csv:4: error bad-row: "now" is not a state of an address; say current, shown, variant or former`,
		"addresses.csv:6: error bad-row: p@en has a current address in line 5 already; make one of them former",
	}, lines)
}

// A spreadsheet that has written the dates in its own way loses none.
func TestDatesOfASpreadsheet(t *testing.T) {
	b, found, err := Read("addresses.csv", strings.NewReader("address,page,state,since\nhttps://skerrywick.example/a,a@en,current,28.11.2026\n"))
	require.NoError(t, err)
	require.Empty(t, found)
	assert.Contains(t, string(b.Encode()), ",current,2026-11-28")
}
