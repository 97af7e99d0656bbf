package gather

import (
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
// Without it, all that pages.csv says counts as written by a person. The zero value remembers nothing.
type Memory struct {
	pages   []remembered
	numbers map[inventory.Ref]int32 // of the first pages, as many as were looked up
	last    inventory.Ref           // the one behind all others in their order
	topics  []topic                 // what notes are about
	topic   map[topic]int32         // the number of each
}

// remembered is what is remembered of a page.
type remembered struct {
	ref   inventory.Ref
	notes []noted // by field
}

// note is a value of a field, and the form of the source that said it.
type note struct {
	topic
	value string
}

// topic is what a note is about: there are few, and millions of notes.
type topic struct {
	field string
	form  source.Form
}

// noted is a note as it is held.
type noted struct {
	value string
	topic int32
}

func memoryColumns() []string { return []string{"page", "field", "value", "form"} }

// ReadMemory reads gathered.csv.
func ReadMemory(file string, r io.Reader) (*Memory, []finding.Finding, error) {
	sheet, err := table.Open(file, r, nil, memoryColumns()...)
	if err != nil {
		return nil, nil, err
	}
	m := &Memory{}
	found, err := sheet.Each(func(row table.Row) *finding.Finding {
		ref, ok := inventory.ParseRef(row.Get("page"))
		if !ok || row.Get("field") == "" {
			bad := table.BadRow(file, row.Line, "this names no field of a page", "delete the row, or the file: gather makes it")
			return &bad
		}
		m.note(ref, note{topic{row.Get("field"), source.Form(row.Get("form"))}, row.Get("value")})
		return nil
	})
	return m, found, err
}

// note remembers what was said of a page, each note in the place of one on the same field.
func (m *Memory) note(r inventory.Ref, notes ...note) {
	if m.topic == nil {
		m.topic = map[topic]int32{}
	}
	page, ok := m.page(r)
	if !ok {
		page = int32(len(m.pages))
		m.pages = append(m.pages, remembered{ref: r})
		if r.Compare(m.last) > 0 {
			m.last = r
		}
	}
	list := slices.Grow(m.pages[page].notes, len(notes))
	for _, n := range notes {
		number, ok := m.topic[n.topic]
		if !ok {
			number = int32(len(m.topics))
			m.topic[n.topic] = number
			m.topics = append(m.topics, n.topic)
		}
		i, ok := m.find(list, n.field)
		if !ok {
			list = slices.Insert(list, i, noted{})
		}
		list[i] = noted{n.value, number}
	}
	m.pages[page].notes = list
}

// page returns the number of a page of which something is remembered. Pages mostly come in their order: one behind all
// others, or the last again, needn't be looked up.
func (m *Memory) page(r inventory.Ref) (int32, bool) {
	last := int32(len(m.pages)) - 1
	switch {
	case last < 0 || r.Compare(m.last) > 0:
		return 0, false
	case m.pages[last].ref == r:
		return last, true
	case m.numbers == nil:
		m.numbers = make(map[inventory.Ref]int32, len(m.pages))
	}
	for n := len(m.numbers); n < len(m.pages); n++ {
		m.numbers[m.pages[n].ref] = int32(n)
	}
	n, ok := m.numbers[r]
	return n, ok
}

// grow makes room for so many further pages.
func (m *Memory) grow(n int) { m.pages = slices.Grow(m.pages, n) }

// find returns where among a page's notes the one on a field is, or belongs.
func (m *Memory) find(list []noted, field string) (int, bool) {
	return slices.BinarySearchFunc(list, field, func(n noted, field string) int {
		return strings.Compare(m.topics[n.topic].field, field)
	})
}

// knows reports whether anything is remembered of a page.
func (m *Memory) knows(r inventory.Ref) bool {
	_, ok := m.page(r)
	return ok
}

// value returns what is remembered of a field.
func (m *Memory) value(r inventory.Ref, field string) (note, bool) {
	page, ok := m.page(r)
	if !ok {
		return note{}, false
	}
	list := m.pages[page].notes
	if i, ok := m.find(list, field); ok {
		return note{m.topics[list[i].topic], list[i].value}, true
	}
	return note{}, false
}

// Encode returns gathered.csv, by page and field.
func (m *Memory) Encode() []byte {
	slices.SortFunc(m.pages, func(a, b remembered) int { return a.ref.Compare(b.ref) })
	m.numbers = nil // they have others now
	return table.EncodeRecords(memoryColumns(), func(yield func([]string) bool) {
		record := make([]string, len(memoryColumns()))
		for _, page := range m.pages {
			name := page.ref.String()
			for _, n := range page.notes {
				topic := m.topics[n.topic]
				record = append(record[:0], name, topic.field, n.value, string(topic.form))
				if !yield(record) {
					return
				}
			}
		}
	})
}
