package term

import (
	"fmt"
	"io"
	"net/url"
	"strings"
	"unicode"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"young-compass/internal/address"
)

// stateColumn is the column of a table whose words are painted.
const stateColumn = "state"

// state paints how far something is.
func (p Style) state(word string) string {
	switch word {
	case "done":
		return p.New(word, false)
	case "failing":
		return p.Old(word, false)
	case "unknown":
		return p.Dim(word)
	}
	return word
}

// gap is how many columns are between two columns of a table; narrow is how narrow a column is made at most that holds
// longer words.
const gap, narrow = 2, 12

// Table prints rows under their column names, aligned, numbers to the right, without borders. Cells are shown
// printable. An origin that all addresses of the table share is said once, above it, unless they are a list to copy.
// Where a line would be longer than the style's width, cells leave out what all of a column begin with, and go on
// below; where even that doesn't fit, each row takes a line for each of its cells.
func Table(w io.Writer, style Style, columns []string, rows [][]string) error {
	return sheet{columns: columns}.print(w, style, rows)
}

// Changes prints a table like Table. In each row the cells of two columns are what was and what is to be; where they
// fit on a line, the words that the other lacks are marked.
func Changes(w io.Writer, style Style, columns []string, rows [][]string, was, is int) error {
	return sheet{columns: columns, was: was, is: is}.print(w, style, rows)
}

// sheet is a table without its rows.
type sheet struct {
	columns []string
	was, is int // columns whose cells are marked where they differ; the same: none are
}

func (t sheet) print(w io.Writer, style Style, rows [][]string) error {
	columns := t.columns
	cells := make([][]string, len(rows))
	for i, row := range rows {
		for _, cell := range row {
			cells[i] = append(cells[i], address.Printable(cell))
		}
	}
	head := ""
	if len(columns) > 1 {
		if origin := commonOrigin(cells); origin != "" {
			head = style.Dim("on "+origin) + "\n"
		}
	}
	widths, fits := columnWidths(style.Width, columns, cells)
	var body string
	if fits {
		body = t.aligned(style, cells, widths)
	} else {
		body = listed(style, columns, cells)
	}
	_, err := io.WriteString(w, head+body)
	return err
}

// commonOrigin takes the origin off the addresses in cells, where all have the same and there are several. It returns
// that origin.
func commonOrigin(cells [][]string) string {
	origin, n := "", 0
	for _, row := range cells {
		for _, cell := range row {
			this, _, ok := splitOrigin(cell)
			switch {
			case !ok && strings.Contains(cell, "://"): // an origin alone, or within a text
				return ""
			case !ok:
				continue
			case n > 0 && this != origin:
				return ""
			}
			origin = this
			n++
		}
	}
	if n < 2 {
		return ""
	}
	for _, row := range cells {
		for i, cell := range row {
			if _, path, ok := splitOrigin(cell); ok {
				row[i] = path
			}
		}
	}
	return origin
}

// splitOrigin parts an address that fills a cell behind its host.
func splitOrigin(cell string) (origin, path string, ok bool) {
	scheme, rest, ok := strings.Cut(cell, "://")
	if !ok || scheme != "https" && scheme != "http" || strings.Contains(cell, " ") {
		return "", "", false
	}
	slash := strings.IndexByte(rest, '/')
	if slash < 0 {
		return "", "", false
	}
	if u, err := url.Parse(scheme + "://" + rest[:slash]); err != nil || u.Host == "" {
		return "", "", false
	}
	return scheme + "://" + rest[:slash], rest[slash:], true
}

// columnWidths returns how wide each column is, so that a line takes no more than a width (0: any). It reports whether
// that can be done.
func columnWidths(width int, columns []string, cells [][]string) ([]int, bool) {
	widths, least := make([]int, len(columns)), make([]int, len(columns))
	sum := gap * (len(columns) - 1)
	for i, name := range columns {
		least[i] = longestWord(name)
		widths[i] = text.StringWidth(name)
		fixed := numbers(cells, i)
		for _, row := range cells {
			widths[i] = max(widths[i], text.StringWidth(row[i]))
			if fixed || columns[i] == stateColumn {
				least[i] = max(least[i], text.StringWidth(row[i]))
			} else if least[i] < narrow {
				least[i] = max(least[i], min(longestWord(row[i]), narrow))
			}
		}
		sum += widths[i]
	}
	if width == 0 {
		return widths, true
	}
	for ; sum > width; sum-- {
		widest := -1
		for i := range widths {
			if widths[i] > least[i] && (widest < 0 || widths[i] > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			return nil, false
		}
		widths[widest]--
	}
	return widths, true
}

func longestWord(s string) int {
	longest := 0
	for _, word := range strings.Fields(s) {
		longest = max(longest, text.StringWidth(word))
	}
	return longest
}

// aligned returns a table whose columns have these widths.
func (t sheet) aligned(style Style, cells [][]string, widths []int) string {
	columns := t.columns
	out := table.NewWriter()
	form := table.StyleDefault
	form.Options = table.Options{SeparateHeader: true}
	form.Box.MiddleHorizontal, form.Box.PaddingLeft, form.Box.PaddingRight = "-", "", strings.Repeat(" ", gap)
	form.Format.Header = text.FormatDefault
	out.SetStyle(form)
	fit := func(cell string, width int) string { return strings.Join(Lines(cell, width), "\n") }
	header := make(table.Row, len(columns))
	height := 1 // of the header
	var configs []table.ColumnConfig
	for i, c := range columns {
		lines := Lines(address.Printable(c), widths[i])
		height = max(height, len(lines))
		for j := range lines {
			lines[j] = style.Bold(lines[j])
		}
		header[i] = strings.Join(lines, "\n")
		if numbers(cells, i) {
			configs = append(configs, table.ColumnConfig{Number: i + 1, Align: text.AlignRight,
				AlignHeader: text.AlignRight})
		}
		shortenColumn(style, cells, i, widths[i])
	}
	out.AppendHeader(header)
	for _, row := range cells {
		shown := make(table.Row, len(row))
		for i, cell := range row {
			fitted := fit(cell, widths[i])
			if columns[i] == stateColumn {
				fitted = style.state(fitted)
			}
			shown[i] = style.leftToRight(fitted)
		}
		if t.was != t.is && style.Colour {
			was, is := fit(row[t.was], widths[t.was]), fit(row[t.is], widths[t.is])
			if was != is && was != "" && is != "" && !strings.Contains(was+is, "\n") {
				shown[t.was], shown[t.is] = Differing(style.Old, was, is), Differing(style.New, is, was)
			}
		}
		out.AppendRow(shown)
	}
	out.SetColumnConfigs(configs)
	lines := strings.Split(out.Render(), "\n")
	width := 0
	for i, line := range lines {
		if lines[i] = strings.TrimRight(line, " "); i != height {
			width = max(width, text.StringWidthWithoutEscSequences(lines[i]))
		}
	}
	lines[height] = style.rule(width) // as long as the longest line
	return strings.Join(lines, "\n") + "\n"
}

// rule returns a line across.
func (p Style) rule(width int) string {
	if p.Drawn {
		return p.Dim(strings.Repeat("─", width))
	}
	return strings.Repeat("-", width)
}

// dots stand where something is left out.
func (p Style) dots() string {
	if p.Drawn {
		return "…"
	}
	return "..."
}

// shortenColumn leaves out of the cells of a column what all long ones begin with, where one of them is too wide: they
// differ behind it.
//
//	/guides/islands/north/unst  ->  /.../unst
//	/guides/islands/north/yell      /.../yell
func shortenColumn(style Style, cells [][]string, column, width int) {
	var long []int // rows
	for i, row := range cells {
		if text.StringWidth(row[column]) > width {
			long = append(long, i)
		}
	}
	if len(long) < 2 {
		return
	}
	same := cells[long[0]][column]
	for _, i := range long[1:] {
		same = same[:commonPrefix(same, cells[i][column])]
	}
	from := strings.IndexByte(same, '/') + 1
	if scheme := strings.Index(same, "://"); scheme > 0 {
		host := strings.IndexByte(same[scheme+len("://"):], '/')
		if host < 0 {
			return
		}
		from = scheme + len("://") + host + 1
	}
	to := strings.LastIndexByte(same, '/')
	if from == 0 || to-from <= len(style.dots()) {
		return
	}
	for _, i := range long {
		s := cells[i][column]
		cells[i][column] = s[:from] + style.dots() + s[to:]
	}
}

func commonPrefix(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

// leftToRight keeps the columns in their order where a terminal turns lines round that hold letters of Arabic or
// Hebrew: a mark behind such a cell says that the line goes on from left to right (Unicode UAX 9).
func (p Style) leftToRight(cell string) string {
	const mark = "\u200e"
	if p.Drawn && strings.ContainsFunc(cell, func(r rune) bool {
		return unicode.In(r, unicode.Hebrew, unicode.Arabic, unicode.Syriac, unicode.Thaana)
	}) {
		return cell + mark
	}
	return cell
}

// listed returns rows with a line for each cell, for screens on which no table fits.
func listed(style Style, columns []string, cells [][]string) string {
	var b strings.Builder
	for i, row := range cells {
		if i > 0 {
			b.WriteByte('\n')
		}
		for j, cell := range row {
			if cell == "" {
				continue
			}
			if name := address.Printable(columns[j]); name != "" {
				fmt.Fprintf(&b, "%s: ", style.Bold(name))
			}
			b.WriteString(style.leftToRight(cell) + "\n")
		}
	}
	return b.String()
}

// numbers reports whether a column holds nothing but numbers.
func numbers(rows [][]string, column int) bool {
	some := false
	for _, row := range rows {
		if strings.Trim(row[column], "0123456789") != "" {
			return false
		}
		some = some || row[column] != ""
	}
	return some
}
