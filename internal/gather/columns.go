package gather

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/inventory"
	"young-compass/internal/source"
	"young-compass/internal/spelling"
	"young-compass/internal/table"
)

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
// Columns that are told but that this source doesn't have are no error as long
// as it has the one meant under its own name.
func rename(sheet *table.Table, told []Mapping) ([]Mapping, error) {
	used := []Mapping{}
	take := func(column, from string) {
		sheet.Rename(from, column)
		used = append(used, Mapping{column, from})
	}
	for _, m := range told {
		if !slices.Contains(sheet.Columns, m.From) {
			if slices.Contains(sheet.Columns, m.Column) {
				continue
			}
			return nil, fmt.Errorf("there is no column %q to take for %s; the columns are: %s", m.From, m.Column,
				strings.Join(sheet.Columns[:min(20, len(sheet.Columns))], ", "))
		}
		if m.From != m.Column {
			take(m.Column, m.From)
		}
	}
	for _, usual := range source.UsualNames() {
		if name := sheet.Take(usual.Column, usual.Names); name != "" {
			used = append(used, Mapping{usual.Column, name})
		}
	}
	for _, name := range sheet.Columns {
		meant := spelling.Mistyped(name, columns())
		if meant != "" && !slices.Contains(sheet.Columns, meant) {
			return nil, fmt.Errorf("nobody reads a column %q: did you mean %s? Rename it, or say --column %s=%s", name, meant, meant, name)
		}
	}
	return used, nil
}

// columns are those that mean something to any command.
func columns() []string {
	return []string{"key", "title", "address", "language", "kind", "state", "date", "modified", "images", "fixed", "canonical",
		"robots", "heading", "section", "region", "parent"}
}

// stateOf returns the state that a word of another system means, or why rows
// with it say nothing of a page. "?" is no state at all.
func stateOf(word string) (state, ignore string) {
	switch w := strings.ToLower(word); w {
	case "":
		return "", ""
	case "live", "published", "publish", "active", "online", "public", "200", "indexed":
		return string(inventory.Live), ""
	case "draft", "pending", "private", "scheduled", "unpublished", "future", "hidden":
		return string(inventory.Draft), ""
	case "gone", "trash", "trashed", "deleted", "archived", "410":
		return string(inventory.Gone), ""
	case "away":
		return string(inventory.Away), ""
	case "301", "302", "303", "307", "308", "redirect", "redirected":
		return "", "redirects"
	default:
		if w == "404" || strings.HasPrefix(w, "not found") {
			return "", "not found"
		}
	}
	return "?", ""
}
