package table_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"young-compass/internal/table"
)

// nastyText is random bytes, or what spreadsheets, terminals and CSV take for something.
func nastyText(random *rand.Rand) string {
	var b strings.Builder
	for range random.IntN(6) {
		switch random.IntN(3) {
		case 0:
			b.WriteByte(byte(random.IntN(256)))
		case 1:
			b.WriteRune(rune(random.IntN(0x3000)))
		default:
			list := []string{"\x00", "\x1b]0;x\x07", "\r\n", "\n", "\r", "\"", ",", ";", ";;;;;", "\t", "=1+1", "\ufeff", "\u202e", " ",
				"\u0085", "sep=;", "a", "\xff\xfe", "\u2028", "{", "["}
			b.WriteString(list[random.IntN(len(list))])
		}
	}
	return b.String()
}

// Whatever fields hold, what is written can be read, and holds the same, as Clean and the reader leave it.
func TestWhatIsWrittenCanBeRead(t *testing.T) {
	random := rand.New(rand.NewPCG(18, 1))
	for round := range 3000 {
		columns := []string{"key"}
		for i := range random.IntN(5) {
			columns = append(columns, strings.ToLower(strings.TrimSpace(fmt.Sprint("c", i, table.Clean(nastyText(random))))))
		}
		var rows [][]string
		for i := range 1 + random.IntN(4) {
			row := []string{fmt.Sprint("k", i)}
			for range columns[1:] {
				row = append(row, nastyText(random))
			}
			rows = append(rows, row)
		}
		data := table.EncodeRecords(columns, slices.Values(rows))
		sheet, found, err := table.Read("x.csv", bytes.NewReader(data), "key")
		require.NoError(t, err, "round %d: %q", round, data)
		require.Empty(t, found, "round %d: %q", round, data)
		require.Equal(t, columns, sheet.Columns, "%q", data)
		require.Len(t, sheet.Rows, len(rows))
		for i, row := range sheet.Rows {
			for n, c := range columns {
				require.Equal(t, strings.TrimSpace(table.Clean(rows[i][n])), row.Get(c), "round %d: %q", round, data)
			}
		}
	}
}

// A table that couldn't be read again isn't written.
func TestCheck(t *testing.T) {
	require.NoError(t, table.Check("a.csv", []byte("key,title\na,b\n")))
	assert.ErrorContains(t, table.Check("a.csv", []byte("key,title\na,b,c\n")), "could not be read again")
	assert.ErrorContains(t, table.Check("a.csv", []byte("key,key\na,b\n")), "could not be read again")
	assert.ErrorContains(t, table.Check("a.csv", append([]byte("key\n"), bytes.Repeat([]byte("x"), 2<<20)...)), "could not be read again")
}

func TestClean(t *testing.T) {
	for text, want := range map[string]string{"": "", "plain é": "plain é", "a\x00b": "a b", "a\x1b[1mb": "a [1mb", "a\tb\nc": "a\tb\nc",
		"a\r\nb\rc": "a\nb\nc", "a\x7fb": "a b", "a\u0085b\u009fc": "a b c", "a\xffb": "a\ufffdb", "\xc2": "\ufffd", "\u202e": "\u202e"} {
		assert.Equal(t, want, table.Clean(text), "%q", text)
	}
	for text, want := range map[string]string{"": "", "=1": "'=1", "@x": "'@x", "+47 55 00": "+47 55 00", "-5": "-5", "-a": "'-a",
		"+cmd|' /C calc'!A0": "'+cmd|' /C calc'!A0", "a=1": "a=1"} {
		assert.Equal(t, want, table.GuardText(text), text)
	}
}

// What some spreadsheets write before the names of the columns.
func TestASeparatorThatTheFileNames(t *testing.T) {
	for _, text := range []string{"sep=;\nkey;title\na;b,c\n", "SEP=;\r\nkey;title\r\na;b,c\r\n", "\ufeffsep=;\nkey;title\na;b,c\n",
		"sep=,\nkey,title\na,\"b,c\"\n", "key,\"ti;t;l;e\"\na,\"b,c\"\n"} {
		sheet, found, err := table.Read("x.csv", strings.NewReader(text), "key")
		require.NoError(t, err, text)
		require.Empty(t, found, text)
		require.Len(t, sheet.Rows, 1)
		assert.Equal(t, "b,c", sheet.Rows[0].Get(sheet.Columns[1]), text)
	}
}

// A member that an object has twice is nobody's word.
func TestAMemberThatStandsTwice(t *testing.T) {
	_, found, err := table.Read("x.json", strings.NewReader(`[{"key":"a","title":"b"},{"key":"a","key":"b"},{"key":"c","Key":"c"}]`), "key")
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Contains(t, found[0].String(), `the member "key" stands here twice`)
}

// A small workbook may hold one long text in thousands of cells.
func TestAWorkbookThatRepeatsALongText(t *testing.T) {
	book := excelize.NewFile()
	long := strings.Repeat("x", 32_000)
	sheet := book.GetSheetName(0)
	require.NoError(t, book.SetSheetRow(sheet, "A1", &[]string{"key", "title"}))
	for i := range 9_000 {
		require.NoError(t, book.SetSheetRow(sheet, fmt.Sprint("A", i+2), &[]string{"k", long}))
	}
	var data bytes.Buffer
	require.NoError(t, book.Write(&data))
	require.Less(t, data.Len(), 4<<20)
	_, _, err := table.Read("x.xlsx", &data, "key")
	require.ErrorContains(t, err, "its cells hold more than 256 MiB")
}
