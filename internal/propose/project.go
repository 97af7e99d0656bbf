package propose

import (
	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/redirect"
	"young-compass/internal/visits"
)

// Gathered returns what the files of a project say: its pages, its address book, and how often addresses are asked for.
func Gathered(pages *inventory.Inventory, entries *book.Book, asked []visits.Visit) Evidence {
	e := Evidence{Pages: pages, Book: entries, Seen: make([]Seen, 0, len(entries.Entries)+len(asked))}
	at := make(map[address.Address]int, len(entries.Entries)+len(asked))
	for _, b := range entries.Entries {
		s := Seen{Address: b.Address, Says: Known}
		if b.State != book.Current {
			s.Says |= Elsewhere
		}
		if page := pages.Find(b.Page); page != nil {
			s.Language, s.Title, s.Page = page.Language, page.Title, b.Page.String()
		}
		at[b.Address] = len(e.Seen)
		e.Seen = append(e.Seen, s)
	}
	most := map[int]int{} // visitors whom the noted status was answered
	for _, v := range asked {
		i, ok := at[v.Address]
		if !ok {
			i = len(e.Seen)
			at[v.Address] = i
			e.Seen = append(e.Seen, Seen{Address: v.Address})
		}
		s := &e.Seen[i]
		s.Says |= Log
		s.Visits += v.Visitors
		if v.Visitors > most[i] {
			s.Status, most[i] = v.Status, v.Visitors
		}
		if v.Bytes != 0 {
			s.Bytes = v.Bytes
		}
	}
	return e
}

// Moves returns the redirects of a list from one address to another.
func Moves(rows *redirect.List, site address.Site) (moves []Move) {
	for _, row := range rows.All() {
		if row.Pattern != nil || row.Target == (address.Address{}) || row.Page != (inventory.Ref{}) {
			continue
		}
		from, err := address.Resolve(site.Origin, row.From)
		if row.Target.Host == Nowhere {
			row.Target.Host = ""
		}
		if from.Host == Nowhere {
			from.Host = ""
		}
		if err == nil {
			moves = append(moves, Move{from, row.Target})
		}
	}
	return moves
}

// Apply fills in what pages lack.
func (d Draft) Apply(pages *inventory.Inventory) (filled int) {
	var columns []string
	for _, f := range d.Fill {
		page := pages.Find(f.Page)
		if page == nil {
			continue
		}
		columns = append(columns, f.Column)
		page.Set(f.Column, f.Value)
		filled++
	}
	pages.AddColumns(columns)
	return filled
}
