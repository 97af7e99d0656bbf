package canonical

import (
	"young-compass/internal/address"
	"young-compass/internal/crawl"
	"young-compass/internal/page"
)

// Alternate is a translation that a page names.
type Alternate struct {
	page.Alternate
	By  string // Header or Element
	To  address.Address
	Err error // the link can't be read
}

// Alternates returns the translations that a page names where it counts.
func Alternates(p *crawl.Page) []Alternate {
	if p == nil {
		return nil
	}
	var list []Alternate
	add := func(by string, base address.Address, named []page.Alternate) {
		for _, n := range named {
			if n.Outside {
				continue
			}
			a := Alternate{Alternate: n, By: by}
			a.To, a.Err = address.Reference(base, n.Link)
			a.To.Fragment = ""
			list = append(list, a)
		}
	}
	add(Header, p.Address, p.Header.Alternates)
	add(Element, p.Base(), p.Signals.Alternates)
	return list
}
