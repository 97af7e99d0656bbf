package csvfile

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
)

func TestRead(t *testing.T) {
	table, found, err := Read("t.csv", strings.NewReader("\ufeffKey , Title\r\na,\" b \nc\"\r\n\r\nshort\nd,e\n"), "key")
	require.NoError(t, err)
	assert.Equal(t, []string{"key", "title"}, table.Columns)
	require.Len(t, table.Rows, 2)
	assert.Equal(t, Row{Line: 2, Fields: map[string]string{"key": "a", "title": "b \nc"}}, table.Rows[0])
	assert.Equal(t, 6, table.Rows[1].Line)
	require.Len(t, found, 1)
	assert.Equal(t, "t.csv:5: error bad-row: 1 fields where the header has 2; write the missing commas, or quote a field that holds one", found[0].String())
}

func TestUnreadable(t *testing.T) {
	for text, want := range map[string]string{
		"":              "t.csv: error unreadable: the file is empty",
		"a,b\n":         `t.csv:1: error unreadable: there is no column "key"; the columns are: a, b`,
		"key,key\n":     `t.csv:1:5: error unreadable: column 2 is named "key" like another`,
		"key,\n":        `column 2 is named ""`,
		"key\n\"a\"b\n": "t.csv:2:3: error unreadable: this is no table",
		"key\n\"a":      "error unreadable: this is no table",
	} {
		_, _, err := Read("t.csv", strings.NewReader(text), "key")
		var input *finding.Input
		if assert.ErrorAs(t, err, &input, text) {
			assert.Contains(t, err.Error(), want, text)
		}
	}
}

func TestEncodeIsReadBack(t *testing.T) {
	rows := []map[string]string{{"a": "x,y", "b": "q\"r"}, {"a": "", "b": "l\nm"}}
	table, found, err := Read("t.csv", strings.NewReader(string(Encode([]string{"a", "b"}, rows))))
	require.NoError(t, err)
	assert.Empty(t, found)
	for i, row := range table.Rows {
		assert.Equal(t, rows[i], row.Fields)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("key,b\n1,2\n\"\n")
	f.Fuzz(func(t *testing.T, text string) {
		table, _, err := Read("t.csv", strings.NewReader(text), "key")
		if err == nil && len(table.Columns) == 0 {
			t.Fatal("a table without columns")
		}
	})
}
