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
			return nil, fmt.Errorf("there is no column %q to take for %s; %s", m.From, m.Column,
				spelling.Choices(m.From, sheet.Columns[:min(20, len(sheet.Columns))]))
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
			return nil, fmt.Errorf("nobody reads a column %q: did you mean %s? Rename it, or say --column %s=%s", name, meant,
				meant, name)
		}
	}
	return used, nil
}

// columns are those that mean something to any command.
func columns() []string {
	return []string{"key", "title", "address", "language", "kind", "state", "date", "modified", "images", "fixed",
		"canonical",
		"robots", "heading", "section", "region", "parent"}
}

// ParseState reads WORD=STATE, as in offline=draft.
func ParseState(s string) (word, state string, err error) {
	word, state, ok := strings.Cut(s, "=")
	switch inventory.State(state) {
	case inventory.Live, inventory.Draft, inventory.Away, inventory.Gone:
	default:
		ok = false
	}
	if word = strings.ToLower(strings.TrimSpace(word)); !ok || word == "" {
		return "", "", fmt.Errorf("%q does not say which state a word means; write offline=draft, with live, draft, away or gone", s)
	}
	return word, state, nil
}

// state returns the state that a word means, as told, or as usual.
func (g *Gatherer) state(word string) (state, ignore string) {
	if told, ok := g.States[strings.ToLower(strings.TrimSpace(word))]; ok {
		return told, ""
	}
	return stateOf(word)
}

// stateOf returns the state that a word of another system means, or why rows
// with it say nothing of a page. "?" is no state at all.
func stateOf(word string) (state, ignore string) {
	switch w := strings.ToLower(word); w {
	case "":
		return "", ""
	case "live", "published", "publish", "active", "online", "public", "200", "indexed", "visible", "enabled", "inherit",
		"1", "true",
		"yes", "aktiv", "aktivt", "veröffentlicht", "sichtbar", "ja", "publié", "publiée", "actif", "oui", "publicado",
		"activo",
		"pubblicato", "attivo", "gepubliceerd", "publisert", "publicerad", "udgivet":
		return string(inventory.Live), ""
	case "draft", "pending", "private", "scheduled", "unpublished", "future", "hidden", "inactive", "disabled", "0",
		"false",
		"no", "inaktiv", "entwurf", "unsichtbar", "nein", "brouillon", "inactif", "non", "borrador", "inactivo", "bozza",
		"concept", "utkast", "kladde", "nei", "nej":
		return string(inventory.Draft), ""
	case "gone", "trash", "trashed", "deleted", "archived", "410", "papierkorb", "gelöscht", "corbeille", "supprimé",
		"papelera", "cestino", "prullenbak", "papirkurv", "papperskorg", "slettet":
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
