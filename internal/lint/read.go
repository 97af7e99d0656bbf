package lint

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/table"
)

// Read reads what is to be judged: addresses one a line, or a table with a
// column address and, if it likes, kind, title and language. A path stands for
// itself on base. Lines that are no address become findings.
func Read(file string, r io.Reader, base address.Address) ([]Subject, []finding.Finding, error) {
	buffered := bufio.NewReaderSize(r, 64<<10)
	start, _ := buffered.Peek(4096)
	first, _, _ := strings.Cut(strings.TrimPrefix(string(start), "\ufeff"), "\n")
	if _, err := address.Resolve(base, strings.TrimSpace(first)); err == nil {
		return readLines(file, buffered, base)
	}
	sheet, found, err := table.Read(file, buffered)
	if err != nil {
		return nil, nil, err
	}
	sheet.Take("address", inventory.AddressNames())
	if err := sheet.Require("address"); err != nil {
		return nil, nil, err
	}
	var subjects []Subject
	for _, row := range sheet.Rows {
		f := row.Get
		if f("address") == "" {
			continue
		}
		s := Subject{Text: f("address"), Kind: f("kind"), Title: f("title"), Language: f("language"),
			Where: finding.Place{File: file, Line: row.Line}}
		if s.Address, err = address.Resolve(base, s.Text); err != nil {
			found = append(found, noAddress(s.Where, err))
			continue
		}
		subjects = append(subjects, s)
	}
	return subjects, found, nil
}

func readLines(file string, r io.Reader, base address.Address) (subjects []Subject, found []finding.Finding,
	err error) {
	lines := bufio.NewScanner(r)
	lines.Buffer(make([]byte, 64<<10), 2*address.MaxLength)
	for line := 1; lines.Scan(); line++ {
		text := strings.TrimSpace(strings.TrimPrefix(lines.Text(), "\ufeff"))
		if text == "" {
			continue
		}
		s := Subject{Text: text, Where: finding.Place{File: file, Line: line}}
		if s.Address, err = address.Resolve(base, text); err != nil {
			found = append(found, noAddress(s.Where, err))
			continue
		}
		subjects = append(subjects, s)
	}
	if err := lines.Err(); err != nil {
		return nil, nil, finding.Unreadable(finding.Place{File: file}, fmt.Sprintf("a line can't be read: %v", err),
			"write one address a line")
	}
	return subjects, found, nil
}

func noAddress(where finding.Place, err error) finding.Finding {
	return table.BadRow(where.File, where.Line, err.Error(), "write an http(s) address or a path")
}
