package gather

import (
	"cmp"
	"io"
	"slices"
	"strings"

	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/source"
	"young-compass/internal/table"
)

// Memory is the content of gathered.csv: what sources said of each page when they were gathered last. With it gather
// tells what a person wrote into pages.csv, which stays, from what a source said, which a newer word of it replaces.
// Without it, all that pages.csv says counts as written by a person.
type Memory struct {
	pages map[inventory.Ref]map[string]remembered
}

// remembered is a value and the form of the source that said it.
type remembered struct {
	value string
	form  source.Form
}

func memoryColumns() []string { return []string{"page", "field", "value", "form"} }

// ReadMemory reads gathered.csv.
func ReadMemory(file string, r io.Reader) (*Memory, []finding.Finding, error) {
	sheet, found, err := table.Read(file, r, memoryColumns()...)
	if err != nil {
		return nil, nil, err
	}
	m := &Memory{}
	for _, row := range sheet.Rows {
		ref, ok := inventory.ParseRef(row.Get("page"))
		if !ok || row.Get("field") == "" {
			found = append(found, table.BadRow(file, row.Line, "this names no field of a page",
				"delete the row, or the file: gather makes it"))
			continue
		}
		m.note(ref, row.Get("field"), row.Get("value"), source.Form(row.Get("form")))
	}
	return m, found, nil
}

func (m *Memory) note(r inventory.Ref, field, value string, form source.Form) {
	if m.pages == nil {
		m.pages = map[inventory.Ref]map[string]remembered{}
	}
	if m.pages[r] == nil {
		m.pages[r] = map[string]remembered{}
	}
	m.pages[r][field] = remembered{value, form}
}

func (m *Memory) value(r inventory.Ref, field string) (remembered, bool) {
	v, ok := m.pages[r][field]
	return v, ok
}

// Encode returns gathered.csv, by page and field.
func (m *Memory) Encode() []byte {
	type row struct {
		ref   inventory.Ref
		field string
		remembered
	}
	var list []row
	for ref, fields := range m.pages {
		for name, v := range fields {
			list = append(list, row{ref, name, v})
		}
	}
	slices.SortFunc(list, func(a, b row) int {
		return cmp.Or(a.ref.Compare(b.ref), strings.Compare(a.field, b.field))
	})
	rows := make([]map[string]string, len(list))
	for i, r := range list {
		rows[i] = map[string]string{"page": r.ref.String(), "field": r.field, "value": r.value, "form": string(r.form)}
	}
	return table.Encode(memoryColumns(), rows)
}
