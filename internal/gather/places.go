package gather

import (
	"cmp"
	"fmt"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
)

// pageID is the number of a page, from 1; 0 is none.
type pageID int32

// spot is the number of a meaning that addresses have, from 1.
type spot int32

// meaning is what an address has in common with its spellings: those on
// the site's other hosts, in other letters, with parameters that don't select
// content.
//
//	http://www.skerrywick.example/Routes?utm_source=a    skerrywick.example /routes
type meaning struct{ host, path, query string }

func (a meaning) compare(b meaning) int {
	return cmp.Or(strings.Compare(a.host, b.host), strings.Compare(a.path, b.path), strings.Compare(a.query, b.query))
}

// places say which addresses belong to which pages, and which addresses mean the same. There may be a million of each:
// everything is numbered, and each address is held once.
type places struct {
	pages   []subject // by their numbers
	numbers map[inventory.Ref]pageID
	next    map[inventory.Ref]int // the number behind a key that was free last: routes-2

	known    []bound                   // addresses, by their numbers, from 1
	inBook   []bool                    // whether the book has them
	variants map[address.Address]int32 // the numbers of those that aren't the first with their meaning

	spots  map[meaning]spot
	owners []owned // by spots
}

// bound is an address that belongs to a page.
type bound struct {
	address.Address
	page pageID
	spot spot // what it means
}

// sight is what is known of an address.
type sight struct {
	meaning meaning
	spot    spot  // 0: no address is known that means this
	number  int32 // 0: it isn't known itself
}

// subject is a page that is there, or of which records speak.
type subject struct {
	ref         inventory.Ref
	first, last *record
	before      bool // it was there
	current     bool // it has a current address
}

// owned is what is known of the addresses that mean the same.
type owned struct {
	page  pageID // which they belong to
	first int32  // the number of the first of them
	group spot   // one of its translations; itself, or 0, for the last of them
	key   string // of the group, at the last of them
}

func newPlaces(addresses, pages int) places {
	return places{pages: make([]subject, 1, pages+1), numbers: make(map[inventory.Ref]pageID, pages),
		next: map[inventory.Ref]int{}, known: make([]bound, 1, addresses+1), inBook: make([]bool, 1, addresses+1),
		variants: map[address.Address]int32{}, spots: make(map[meaning]spot, addresses), owners: make([]owned, 1, addresses+1)}
}

// forget lets go of what only finding pages needs.
func (p *places) forget() {
	p.numbers, p.next, p.known, p.variants, p.spots, p.owners = nil, nil, nil, nil, nil, nil
}

// page returns the number of a page, which is given one if it has none.
func (p *places) page(ref inventory.Ref) pageID {
	n, ok := p.numbers[ref]
	if !ok {
		n = p.number(ref)
	}
	return n
}

// number gives a page that has none its number.
func (p *places) number(ref inventory.Ref) pageID {
	n := pageID(len(p.pages))
	p.pages = append(p.pages, subject{ref: ref})
	p.numbers[ref] = n
	return n
}

// taken reports whether a page is there, or records speak of it.
func (p *places) taken(ref inventory.Ref) bool {
	n := p.numbers[ref]
	return p.pages[n].before || p.pages[n].first != nil
}

// newPage returns a page of that language which isn't there yet, called key or key-2, key-3, ...
func (p *places) newPage(key, language string) pageID {
	wanted := inventory.Ref{Key: key, Language: language}
	if _, met := p.numbers[wanted]; !met {
		return p.number(wanted)
	}
	for n := max(1, p.next[wanted]); ; n++ {
		ref := wanted
		if n > 1 {
			ref.Key = fmt.Sprintf("%s-%d", key, n)
		}
		if !p.taken(ref) {
			if n > 1 {
				p.next[wanted] = n
			}
			return p.page(ref)
		}
	}
}

// speaks notes that a record speaks of a page.
func (p *places) speaks(r *record, n pageID) {
	s := &p.pages[n]
	if s.first == nil {
		s.first = r
	} else {
		s.last.next = r
	}
	s.last = r
}

// see returns what is known of an address that means this.
func (p *places) see(a address.Address, m meaning) sight {
	s := p.spots[m]
	number := p.owners[s].first
	if number != 0 && p.known[number].Address != a {
		number = p.variants[a]
	}
	return sight{m, s, number}
}

// owner returns the page to which an address belongs: it itself, or else those that mean the same. 0: none.
func (p *places) owner(s sight) pageID {
	if s.number != 0 {
		return p.known[s.number].page
	}
	return p.owners[s.spot].page
}

// bind notes to which page an address belongs, and with it those that mean the same, if they belong to none. It returns
// the number of the address.
func (p *places) bind(a address.Address, s sight, n pageID) int32 {
	if s.spot == 0 {
		s.spot = p.spot(s.meaning)
	}
	if s.number == 0 {
		s.number = int32(len(p.known))
		p.known, p.inBook = append(p.known, bound{Address: a, spot: s.spot}), append(p.inBook, false)
		if first := &p.owners[s.spot].first; *first == 0 {
			*first = s.number
		} else {
			p.variants[a] = s.number
		}
	}
	p.known[s.number].page = n
	if p.owners[s.spot].page == 0 {
		p.owners[s.spot].page = n
	}
	return s.number
}

// spot returns the number of a meaning, which is given one if it has none.
func (p *places) spot(m meaning) spot {
	s, ok := p.spots[m]
	if !ok {
		s = spot(len(p.owners))
		p.spots[m] = s
		p.owners = append(p.owners, owned{})
	}
	return s
}
