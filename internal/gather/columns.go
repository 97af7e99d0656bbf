package gather

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/csvfile"
)

// usualNames are the columns that a source needs or may have, each with the
// names it usually goes by.
func usualNames() []struct {
	column string
	names  []string
} {
	return []struct {
		column string
		names  []string
	}{
		{"key", []string{"key", "id", "page id", "page_id", "identifier"}},
		{"title", []string{"title", "name", "headline", "page title", "page_title"}},
		{"address", []string{"address", "url", "link", "loc", "location", "permalink", "uri", "page url"}},
		{"language", []string{"language", "lang", "locale"}},
		{"kind", []string{"kind", "type", "content type", "content_type"}},
		{"state", []string{"state", "status"}},
		{"date", []string{"date", "published", "publication date", "created"}},
	}
}

// Mapping says which column of a source is taken for which.
type Mapping struct {
	Column string `json:"column"`
	From   string `json:"from"`
}

// ParseColumn reads COLUMN=NAME, as in address=URL.
func ParseColumn(s string) (Mapping, error) {
	column, from, ok := strings.Cut(s, "=")
	if !ok || column == "" || from == "" {
		return Mapping{}, fmt.Errorf("%q does not say which column is which; write address=URL", s)
	}
	return Mapping{strings.ToLower(strings.TrimSpace(column)), strings.ToLower(strings.TrimSpace(from))}, nil
}

// rename gives a source's columns the names that gather knows: as told, else by
// the usual ones. It returns what was taken for something of another name.
func rename(table *csvfile.Table, told []Mapping) ([]Mapping, error) {
	used := []Mapping{}
	take := func(column, from string) {
		table.Rename(from, column)
		used = append(used, Mapping{column, from})
	}
	for _, m := range told {
		if !slices.Contains(table.Columns, m.From) {
			return nil, fmt.Errorf("there is no column %q to take for %s; the columns are: %s", m.From, m.Column, strings.Join(table.Columns, ", "))
		}
		if m.From != m.Column {
			take(m.Column, m.From)
		}
	}
	for _, usual := range usualNames() {
		if slices.Contains(table.Columns, usual.column) {
			continue
		}
		for _, name := range usual.names {
			if slices.Contains(table.Columns, name) {
				take(usual.column, name)
				break
			}
		}
	}
	return used, nil
}

// states are the words for states that other systems have.
func states() map[string]string {
	return map[string]string{"published": "live", "publish": "live", "active": "live", "online": "live", "public": "live",
		"pending": "draft", "private": "draft", "scheduled": "draft", "unpublished": "draft", "trash": "gone", "deleted": "gone", "archived": "gone"}
}
