package table

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"young-compass/internal/finding"
)

// cells returns a table as lines of "column=cell".
func cells(t *Table) string {
	var lines []string
	for _, row := range t.Rows {
		var line []string
		for _, name := range t.Columns {
			if cell := row.Get(name); cell != "" {
				line = append(line, name+"="+cell)
			}
		}
		lines = append(lines, strings.Join(line, " "))
	}
	return strings.Join(lines, " | ")
}

func TestTablesInJSON(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"a list":                {`[{"key": "a", "title": "A"}, {"key": "b"}]`, "key=a title=A | key=b"},
		"lines":                 {"{\"key\": \"a\"}\n{\"key\": \"b\", \"n\": 7}\n", "key=a | key=b n=7"},
		"the list in an object": {`{"count": 1, "pages": [{"key": "a"}]}`, "key=a"},
		"objects in objects": {`[{"key": "a", "title": {"en": "Ports", "de": "Häfen"}}]`,
			"key=a title.de=Häfen title.en=Ports"},
		"lists are joined": {`[{"key": "a", "section": ["x", "y"]}]`, "key=a section=x/y"},
		"numbers as written": {`[{"key": 12345678901234567890, "x": 1.50, "y": true, "z": null}]`,
			"key=12345678901234567890 x=1.50 y=true"},
		"a byte order mark":        {"\ufeff[{\"key\": \"a\"}]", "key=a"},
		"a column that comes late": {`[{"key": "a"}, {"key": "b", "late": "x"}]`, "key=a | key=b late=x"},
	} {
		t.Run(name, func(t *testing.T) {
			table, found, err := Read("t.json", strings.NewReader(c.text), "key")
			require.NoError(t, err)
			assert.Empty(t, found)
			want := c.want
			if name == "objects in objects" { // columns come as they stand there
				want = "key=a title.en=Ports title.de=Häfen"
			}
			assert.Equal(t, want, cells(table))
		})
	}
}

func TestJSONThatIsNoTable(t *testing.T) {
	for name, text := range map[string]string{
		"cut off":          `[{"key": "a"}, {"key": `,
		"a list of words":  `["a", "b"]`,
		"too deep":         `[{"key": ` + strings.Repeat(`{"a": `, 40) + `1` + strings.Repeat(`}`, 40) + `}]`,
		"no column key":    `[{"name": "a"}]`,
		"too many members": `[{` + members(2001) + `}]`,
	} {
		t.Run(name, func(t *testing.T) {
			_, found, err := Read("t.json", strings.NewReader(text), "key")
			var input *finding.Input
			if err == nil {
				require.NotEmpty(t, found)
				return
			}
			require.ErrorAs(t, err, &input)
			assert.Equal(t, "t.json", input.Finding.Where.File)
			assert.NotEmpty(t, input.Finding.Advice)
		})
	}
}

// members writes an object's members with n different names.
func members(n int) string {
	list := make([]string, n)
	for i := range list {
		list[i] = fmt.Sprintf(`"k%d": 1`, i)
	}
	return strings.Join(list, ",")
}

// workbook makes a workbook of sheets of rows.
func workbook(t *testing.T, sheets ...[][]any) []byte {
	t.Helper()
	f := excelize.NewFile()
	for n, rows := range sheets {
		name := []string{"Sheet1", "Sheet2"}[n]
		if n > 0 {
			_, err := f.NewSheet(name)
			require.NoError(t, err)
		}
		for i, row := range rows {
			at, err := excelize.CoordinatesToCellName(1, i+1)
			require.NoError(t, err)
			require.NoError(t, f.SetSheetRow(name, at, &row))
		}
	}
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	return b.Bytes()
}

func TestWorkbooks(t *testing.T) {
	table, found, err := Read("t.xlsx", bytes.NewReader(workbook(t,
		[][]any{{"Key", "Title", ""}, {"a", "Ports"}, {}, {"b", 7}})), "key")
	require.NoError(t, err)
	assert.Empty(t, found)
	assert.Equal(t, "key=a title=Ports | key=b title=7", cells(table))
	assert.Equal(t, 4, table.Rows[1].Line, "lines are those of the sheet")

	table, _, err = Read("t.xlsx", bytes.NewReader(workbook(t, nil, [][]any{{"key"}, {"a"}})), "key")
	require.NoError(t, err)
	assert.Equal(t, "key=a", cells(table), "the first sheet that holds anything")

	whole := workbook(t, [][]any{{"key"}, {"a"}})
	for name, broken := range map[string][]byte{"cut off": whole[:len(whole)/2],
		"only its beginning": []byte("PK\x03\x04 no workbook")} {
		t.Run(name, func(t *testing.T) {
			_, _, err := Read("t.xlsx", bytes.NewReader(broken), "key")
			var input *finding.Input
			require.ErrorAs(t, err, &input)
			assert.Contains(t, input.Finding.Advice, "save the sheet as CSV")
		})
	}
}
