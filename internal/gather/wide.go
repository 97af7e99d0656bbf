package gather

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"young-compass/internal/language"
	"young-compass/internal/source"
	"young-compass/internal/table"
)

// wide is a table in which a row holds a page in all its languages: title_en, title_fr, url_en, url_fr.
type wide map[string]map[string]string // language -> our name of a column -> its name in the table

// wideColumns finds the columns of a table that say a value in one language, by the code at the end of their names. It
// returns nothing for tables that have a row for each language.
//
//	title_en, Title (FR), url-de, titel_de
func wideColumns(sheet *table.Table) wide {
	w := wide{}
	for _, name := range sheet.Columns {
		base, code := parted(name)
		tag, mistake := language.Parse(code)
		if base == "" || code == "" || mistake != nil {
			continue
		}
		column := base
		for _, usual := range source.UsualNames() {
			if slices.Contains(usual.Names, base) {
				column = usual.Column
			}
		}
		if column == "key" || column == "language" {
			continue
		}
		if w[tag.String()] == nil {
			w[tag.String()] = map[string]string{}
		}
		if w[tag.String()][column] == "" {
			w[tag.String()][column] = name
		}
	}
	told := 0
	for _, columns := range w {
		if columns["title"] != "" || columns["address"] != "" {
			told++
		}
	}
	if told < 2 {
		return nil
	}
	return w
}

// parted parts the name of a column before the code of a language.
func parted(name string) (base, code string) {
	name = strings.TrimSpace(strings.TrimSuffix(name, ")"))
	at := strings.LastIndexAny(name, "_- .(")
	if at <= 0 {
		return "", ""
	}
	if region := name[at+1:]; len(region) == 2 && name[at] != '(' { // title_de-ch
		if before := strings.LastIndexAny(name[:at], "_ .("); before > 0 && at-before == 3 && name[at] == '-' {
			at = before
		}
	}
	return strings.TrimSpace(strings.TrimRight(name[:at], "_- .(")), name[at+1:]
}

// columns returns the names of the table's columns that are of one language.
func (w wide) columns() (list []string) {
	for _, columns := range w {
		list = slices.AppendSeq(list, maps.Values(columns))
	}
	slices.Sort(list)
	return list
}

// takeWide takes up the rows of a table that holds all languages of a page in each.
func (g *Gatherer) takeWide(s *Summary, sheet *table.Table, w wide) {
	tags := slices.Sorted(maps.Keys(w))
	own := w.columns()
	for _, tag := range tags {
		for _, column := range slices.Sorted(maps.Keys(w[tag])) {
			s.Columns = append(s.Columns, Mapping{column + " in " + tag, w[tag][column]})
		}
	}
	shared := slices.DeleteFunc(slices.Clone(sheet.Columns), func(name string) bool {
		return slices.Contains(own, name) || slices.Contains([]string{"key", "language", "address", "state"}, name)
	})
	g.fields[len(g.fields)-1].add(slices.Concat([]string{"title"}, shared)...)
	for _, row := range sheet.Rows {
		var list []record
		for _, tag := range tags {
			get := func(column string) string { return cmp.Or(row.Get(w[tag][column]), row.Get(column)) }
			if row.Get(w[tag]["title"]) == "" && row.Get(w[tag]["address"]) == "" {
				continue // the page isn't there in this language
			}
			r, ok := g.rowRecord(s, row, get, row.Get("key"), tag, get("address"))
			if !ok {
				continue
			}
			for column := range w[tag] {
				r.give(column, row.Get(w[tag][column]))
			}
			for _, column := range shared {
				r.give(column, row.Get(column))
			}
			r.fields = slices.DeleteFunc(r.fields, func(f field) bool { return f.name == "address" })
			list = append(list, r)
		}
		for i := range list { // rows without keys: what stands in one row is one page
			for _, other := range list {
				if other.language != list[i].language && other.address != "" && list[i].address != "" {
					list[i].alternates = append(list[i].alternates, alternate{other.language, other.address})
				}
			}
			g.add(list[i])
		}
	}
}
