package table

import (
	"bytes"
	"fmt"
	"io"
	"strings"

	"github.com/xuri/excelize/v2"

	"young-compass/internal/finding"
)

// The bounds of a workbook, in bytes: as a file, unpacked, and of the text in its cells.
const (
	maxWorkbook = 64 << 20
	maxUnpacked = 256 << 20
	maxText     = 256 << 20
)

// readWorkbook reads the first sheet of a workbook that has any rows.
func (t *Table) readWorkbook(r io.Reader) (bad []finding.Finding, err error) {
	unreadable := func(what string) error {
		return finding.Unreadable(finding.Place{File: t.File}, "this workbook can't be read: "+what,
			"save the sheet as CSV")
	}
	data, err := io.ReadAll(io.LimitReader(r, maxWorkbook+1))
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", t.File, err)
	}
	if len(data) > maxWorkbook {
		return nil, unreadable("it has more than 64 MiB")
	}
	defer func() {
		// The package that unpacks workbooks panics at some broken ones.
		if r := recover(); r != nil {
			bad, err = nil, unreadable("it is broken")
		}
	}()
	book, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{UnzipSizeLimit: maxUnpacked,
		UnzipXMLSizeLimit: maxUnpacked / 4, ShortDatePattern: "yyyy-mm-dd"})
	if err != nil {
		return nil, unreadable(err.Error())
	}
	defer func() { _ = book.Close() }()
	size := 0
	for _, sheet := range book.GetSheetList() {
		rows, err := book.Rows(sheet)
		if err != nil {
			return nil, unreadable(err.Error())
		}
		for line := 1; rows.Next(); line++ {
			record, err := rows.Columns()
			if err != nil {
				return nil, unreadable(err.Error())
			}
			own := 0
			for _, cell := range record {
				own += len(cell)
			}
			if size += own; size > maxText { // many cells may share one long text
				return nil, unreadable(fmt.Sprintf("its cells hold more than %d MiB", maxText>>20))
			}
			if own == 0 {
				continue
			}
			if t.Columns == nil {
				for len(record) > 0 && strings.TrimSpace(record[len(record)-1]) == "" {
					record = record[:len(record)-1]
				}
				if err := t.setColumns(record, func(i int) (int, int) { return line, i + 1 }); err != nil {
					return nil, err
				}
				continue
			}
			for len(record) < len(t.Columns) {
				record = append(record, "")
			}
			for len(record) > len(t.Columns) && strings.TrimSpace(record[len(record)-1]) == "" {
				record = record[:len(record)-1]
			}
			if len(t.Rows) == maxRows {
				return nil, t.tooMany(line)
			}
			if f := t.addRow(line, record); f != nil {
				bad = append(bad, *f)
			}
		}
		if err := rows.Error(); err != nil {
			return nil, unreadable(err.Error())
		}
		if t.Columns != nil {
			break
		}
	}
	return bad, nil
}
