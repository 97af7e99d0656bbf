package project

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/redirect"
)

// Joined is what joining pages changes.
type Joined struct {
	Pages     *inventory.Inventory
	Book      *book.Book
	Redirects *redirect.List // nil: none led to a page that is gone
	Addresses int            // that belong to the page now
	Rows      int            // redirects that lead to it now
}

// Join makes one page of several: the addresses of the others become its variants, and redirects to them lead to it.
// Errors name a page that isn't there, or that is named twice.
func Join(p *plan.Plan, keep inventory.Ref, others ...inventory.Ref) (j Joined, err error) {
	for i, ref := range append([]inventory.Ref{keep}, others...) {
		if p.Pages.Find(ref) == nil {
			return j, fmt.Errorf("there is no page %s", ref)
		}
		if i > 0 && (ref == keep || slices.Contains(others[:i-1], ref)) {
			return j, fmt.Errorf("the page %s is named twice", ref)
		}
	}
	j.Pages = p.Pages.Without(others...)
	current := map[inventory.Ref]bool{}
	for _, e := range p.Book.Entries {
		current[e.Page] = current[e.Page] || e.State == book.Current
	}
	entries := slices.Clone(p.Book.Entries)
	for i, e := range entries {
		if !slices.Contains(others, e.Page) {
			continue
		}
		if entries[i].Page = keep; e.State == book.Current {
			entries[i].State = book.Variant
			if !current[keep] {
				entries[i].State, current[keep] = book.Current, true
			}
		}
		j.Addresses++
	}
	j.Book = p.Book.With(entries)
	rows := redirect.NewList(p.Site)
	for _, row := range p.Redirects.All() {
		if slices.Contains(others, row.Page) && row.Pattern == nil {
			_, fragment, has := strings.Cut(row.To, "#")
			if row.Page, row.To = keep, keep.String(); has {
				row.To += "#" + fragment
			}
			j.Rows++
		}
		rows.Append(row)
	}
	if j.Rows > 0 {
		j.Redirects = rows
	}
	return j, nil
}

// Write writes the files.
func (j Joined) Write(write Write) error {
	var redirects []byte
	if j.Redirects != nil {
		redirects = j.Redirects.Encode()
	}
	return write(changes(Change{AddressesFile, j.Book.Encode()}, Change{RedirectsFile, redirects},
		Change{PagesFile, j.Pages.Encode()})...)
}
