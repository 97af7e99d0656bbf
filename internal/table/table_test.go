package table

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
)

func TestRead(t *testing.T) {
	table, found, err := Read("t.csv", strings.NewReader("\ufeffKey , Title\r\na,\" b \nc\"\r\n\r\nshort\nd,e\n"),
		"key")
	require.NoError(t, err)
	assert.Equal(t, []string{"key", "title"}, table.Columns)
	require.Len(t, table.Rows, 2)
	assert.Equal(t, []string{"2", "a", "b \nc", ""}, []string{fmt.Sprint(table.Rows[0].Line), table.Rows[0].Get("key"),
		table.Rows[0].Get("title"), table.Rows[0].Get("nothing")})
	assert.Equal(t, 6, table.Rows[1].Line)
	require.Len(t, found, 1)
	assert.Equal(t, "t.csv:5: error bad-row: 1 fields where the header has 2; write the missing commas, or quote "+
		"a field that holds one", found[0].String())
}

func TestUnreadable(t *testing.T) {
	for text, want := range map[string]string{
		"":          "t.csv: error unreadable: the file is empty",
		"a,b\n":     `t.csv:1: error unreadable: there is no column "key"; the columns are: a, b`,
		"key,key\n": `t.csv:1:5: error unreadable: column 2 is named "key" like another`,
		"key,,a\n":  `column 2 is named ""`,
		"key\n\"a":  "error unreadable: this is not a table",
	} {
		t.Run(text, func(t *testing.T) {
			_, _, err := Read("t.csv", strings.NewReader(text), "key")
			var input *finding.Input
			if assert.ErrorAs(t, err, &input, text) {
				assert.Contains(t, err.Error(), want, text)
			}
		})
	}
}

// A row that can't be read costs no other.
func TestQuotes(t *testing.T) {
	table, found, err := Read("t.csv", strings.NewReader("a,b\n1,\"x\"y\n2,c\"d\n3,\"e\nf\"\n\"4\",g\r\n"))
	require.NoError(t, err)
	require.Len(t, found, 2)
	assert.Equal(t, "t.csv:2:5", found[0].Where.String())
	assert.Equal(t, "t.csv:3:4", found[1].Where.String())
	require.Len(t, table.Rows, 2)
	assert.Equal(t, "e\nf", table.Rows[0].Get("b"))
	assert.Equal(t, "g", table.Rows[1].Get("b"))
	assert.Equal(t, 6, table.Rows[1].Line)
}

func TestEncodeIsReadBack(t *testing.T) {
	records := [][]string{{"x,y", "q\"r"}, {"", "l\nm"}}
	table, found, err := Read("t.csv", bytes.NewReader(EncodeRecords([]string{"a", "b"}, slices.Values(records))))
	require.NoError(t, err)
	assert.Empty(t, found)
	for i, row := range table.Rows {
		for c, want := range records[i] {
			assert.Equal(t, want, row.At(c))
		}
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

func TestWhatSpreadsheetsWrite(t *testing.T) {
	utf16 := func(order byte) string {
		var b strings.Builder
		for _, r := range "\ufeffkey;title\r\na;Fähre\r\n" {
			if low, high := byte(r), byte(r>>8); order == 'l' {
				b.Write([]byte{low, high})
			} else {
				b.Write([]byte{high, low})
			}
		}
		return b.String()
	}
	for name, text := range map[string]string{
		"semicolons":          "key;title\r\na;Fähre\r\n",
		"tabs":                "key\ttitle\na\tFähre\n",
		"UTF-8 with a mark":   "\ufeffkey,title\na,Fähre\n",
		"Latin-1":             "key,title\na,F\xe4hre\n",
		"UTF-16, low first":   utf16('l'),
		"UTF-16, high first":  utf16('h'),
		"quoted, with commas": "key;title;note\na;Fähre;\"x, y; z\"\n",
	} {
		t.Run(name, func(t *testing.T) {
			table, found, err := Read("t.csv", strings.NewReader(text), "key", "title")
			require.NoError(t, err, name)
			require.Empty(t, found, name)
			require.Len(t, table.Rows, 1, name)
			assert.Equal(t, "a", table.Rows[0].Get("key"), name)
			assert.Equal(t, "Fähre", table.Rows[0].Get("title"), name)
		})
	}
	table, _, err := Read("t.csv", strings.NewReader("key,price\na,\x80 5\n"))
	require.NoError(t, err)
	assert.Equal(t, "€ 5", table.Rows[0].Get("price"), "Windows-1252")
}

func TestHostileTables(t *testing.T) {
	long := "key\n" + strings.Repeat("x", 3<<20) + "\n"
	for text, want := range map[string]string{
		"\x00\x01\x02binary":                  "t.csv: error unreadable: this is not a text: it holds NUL bytes",
		long:                                  "t.csv:2: error unreadable: a line of more than 1 MiB",
		"key,\"" + strings.Repeat("y", 3<<20): "t.csv:1: error unreadable: a line of more than 1 MiB",
		"key" + strings.Repeat(",c", 20000) + "\n": "t.csv:1: error unreadable: 20001 columns; at most 10000 are read",
	} {
		t.Run(text, func(t *testing.T) {
			_, _, err := Read("t.csv", strings.NewReader(text), "key")
			assert.ErrorContains(t, err, want)
		})
	}
	// a byte that isn't UTF-8 behind what was looked at is one bad row
	text := "key\n" + strings.Repeat("good\n", 20000) + "b\xe4d\ngood\n"
	table, found, err := Read("t.csv", strings.NewReader(text), "key")
	require.NoError(t, err)
	assert.Len(t, table.Rows, 20001)
	require.Len(t, found, 1)
	assert.Equal(t, 20002, found[0].Where.Line)
}

func TestALetterAcrossTheEndOfTheSample(t *testing.T) {
	for pad := range 6 {
		text := "key\n" + strings.Repeat("x", pad) + strings.Repeat("äää\n", 20000)
		table, found, err := Read("t.csv", strings.NewReader(text), "key")
		require.NoError(t, err)
		require.Empty(t, found)
		assert.Equal(t, "äää", table.Rows[19000].Get("key"))
	}
}

// Lines that end in CR alone are lines.
func TestCarriageReturns(t *testing.T) {
	for _, text := range []string{"key,title\ra,A\rb,\"B\rC\"\r", "key,title\ra,A\rb,\"B\rC\""} {
		sheet, found, err := Read("t.csv", strings.NewReader(text))
		require.NoError(t, err)
		require.Empty(t, found)
		require.Len(t, sheet.Rows, 2)
		assert.Equal(t, "A", sheet.Rows[0].Get("title"))
		assert.Equal(t, "B\nC", sheet.Rows[1].Get("title"))
	}
}

// What is written for people is text alone to a spreadsheet, and hides nothing.
func TestWriteShown(t *testing.T) {
	var b strings.Builder
	require.NoError(t, WriteShown(&b, slices.Values([][]string{{"a", "b"}, {"=1+1", "x\u202ey"}})))
	assert.NotContains(t, b.String(), "\n=")
	assert.NotContains(t, b.String(), "\u202e")
	assert.Contains(t, b.String(), "1+1")
}
