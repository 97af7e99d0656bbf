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
	logged := logged(asked)
	for _, b := range entries.Entries {
		s := Seen{Address: b.Address, Says: Known}
		if v := logged[b.Address]; v != nil {
			v.into(&s)
			delete(logged, b.Address)
		}
		if b.State != book.Current {
			s.Says |= Elsewhere
		}
		if page := pages.Find(b.Page); page != nil {
			s.Language, s.Title, s.Page = page.Language, page.Title, b.Page.Key
		}
		e.Seen = append(e.Seen, s)
	}
	for _, v := range asked { // in their order
		if l := logged[v.Address]; l != nil {
			s := Seen{Address: v.Address}
			l.into(&s)
			e.Seen = append(e.Seen, s)
			delete(logged, v.Address)
		}
	}
	return e
}

// lookedUp is what logs say of an address.
type lookedUp struct{ visits, status, most, bytes int }

func (l *lookedUp) into(s *Seen) {
	s.Says |= Log
	s.Visits, s.Status, s.Bytes = l.visits, l.status, l.bytes
}

// logged sums up what logs say of each address.
func logged(asked []visits.Visit) map[address.Address]*lookedUp {
	all := make([]lookedUp, 0, len(asked))
	at := make(map[address.Address]*lookedUp, len(asked))
	for _, v := range asked {
		l := at[v.Address]
		if l == nil {
			all = append(all, lookedUp{})
			l = &all[len(all)-1]
			at[v.Address] = l
		}
		l.visits += v.Visitors
		if v.Visitors > l.most {
			l.status, l.most = v.Status, v.Visitors
		}
		if v.Bytes != 0 {
			l.bytes = v.Bytes
		}
	}
	return at
}

// Moves returns the redirects of a list that are for one address; those that lead to a page, or nowhere, lead to the
// zero
// address.
func Moves(rows *redirect.List, site address.Site) (moves []Move) {
	for _, row := range rows.All() {
		if row.Pattern != nil {
			continue
		}
		if row.Page != (inventory.Ref{}) {
			row.Target = address.Address{}
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
