package gather

import (
	"fmt"
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
)

// pageID is the number of a page, from 1; 0 is none.
type pageID int32

// spot is the number of a meaning that addresses have, from 1.
type spot int32

// places say which addresses belong to which pages, and which addresses mean the same. There may be a million of each:
// everything is numbered, and each address is held once.
type places struct {
	pages   []subject // by their numbers
	numbers map[inventory.Ref]pageID
	next    map[inventory.Ref]int // the number behind a key that was free last: routes-2

	addresses map[address.Address]int32 // known ones, numbered
	boundPage []pageID                  // the page of each
	spotOf    []spot                    // what each means
	inBook    []bool                    // whether the book has it

	spots  map[meaning]spot
	owners []owned // by spots
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
	group spot   // one of its translations; itself, or 0, for the last of them
	key   string // of the group, at the last of them
}

func newPlaces(addresses, pages int) places {
	return places{pages: make([]subject, 1, pages+1), numbers: make(map[inventory.Ref]pageID, pages),
		next: map[inventory.Ref]int{}, addresses: make(map[address.Address]int32, addresses),
		spots: make(map[meaning]spot, addresses), owners: make([]owned, 1, addresses+1)}
}

// forget lets go of what only finding pages needs.
func (p *places) forget() {
	p.numbers, p.next, p.addresses, p.boundPage, p.spotOf, p.spots, p.owners = nil, nil, nil, nil, nil, nil, nil
}

// page returns the number of a page, which is given one if it has none.
func (p *places) page(ref inventory.Ref) pageID {
	n, ok := p.numbers[ref]
	if !ok {
		n = pageID(len(p.pages))
		p.pages = append(p.pages, subject{ref: ref})
		p.numbers[ref] = n
	}
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

// boundTo returns the page to which this very address belongs.
func (p *places) boundTo(a address.Address) (pageID, bool) {
	n, ok := p.addresses[a]
	if !ok {
		return 0, false
	}
	return p.boundPage[n], true
}

// bind notes to which page an address belongs, and with it those that mean the same, if they belong to none.
// It returns the number of the address.
func (p *places) bind(a address.Address, s spot, n pageID) int32 {
	i, ok := p.addresses[a]
	if !ok {
		i = int32(len(p.boundPage))
		p.addresses[a] = i
		p.boundPage, p.spotOf, p.inBook = append(p.boundPage, 0), append(p.spotOf, s), append(p.inBook, false)
	}
	p.boundPage[i] = n
	if p.owners[s].page == 0 {
		p.owners[s].page = n
	}
	return i
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

// owner returns the page to which addresses that mean this belong.
func (p *places) owner(m meaning) pageID { return p.owners[p.spots[m]].page }

// root returns the spot that stands for all translations of one.
func (p *places) root(s spot) spot {
	for p.owners[s].group != 0 && p.owners[s].group != s {
		above := p.owners[s].group
		if next := p.owners[above].group; next != 0 {
			p.owners[s].group = next // the way is shorter next time
		}
		s = above
	}
	return s
}

// join makes two spots translations of one another.
func (p *places) join(a, b spot) {
	if x, y := p.root(a), p.root(b); x != y {
		p.owners[max(x, y)].group = min(x, y)
		p.owners[min(x, y)].group = min(x, y)
	}
}

// groupName returns the key of the page whose translations have an address that means this; empty if there is none.
func (p *places) groupName(m meaning) string { return p.owners[p.root(p.spots[m])].key }

// nameGroup gives translations a key, unless they have one.
func (p *places) nameGroup(s spot, key string) {
	if root := &p.owners[p.root(s)]; root.key == "" {
		root.key = key
	}
}

// groups returns the translations of each page, as a list of spots by the one that stands for them.
func (p *places) groups() map[spot][]spot {
	members := map[spot][]spot{}
	for i := range p.owners {
		if s := spot(i); p.owners[s].group != 0 {
			root := p.root(s)
			members[root] = append(members[root], s)
		}
	}
	return members
}

// group finds which addresses are translations of one another.
func (m *merger) group() {
	meanings := map[spot]meaning{}
	met := func(a address.Address) spot {
		meaning := m.meaning(a)
		s := m.spot(meaning)
		meanings[s] = meaning
		return s
	}
	for _, r := range m.records {
		if !r.has {
			continue
		}
		for _, alternate := range r.alternates {
			if a, err := address.Reference(r.at, alternate.address); err == nil && m.Settings.Site.Has(a.Host) {
				m.join(met(r.at), met(a))
			}
		}
	}
	groups := m.groups()
	if len(groups) == 0 {
		return
	}
	for root, list := range groups {
		slices.SortFunc(list, func(a, b spot) int { return meanings[a].compare(meanings[b]) })
		for _, s := range list {
			if n := m.owners[s].page; n != 0 {
				m.nameGroup(root, m.pages[n].ref.Key)
				break
			}
		}
	}
	m.nameGroups(groups)
}

// nameGroups gives translations that nothing names yet a key of the words of the default language's address.
func (m *merger) nameGroups(groups map[spot][]spot) {
	taken := map[string]bool{}
	for i := range m.Pages.Pages {
		taken[m.Pages.Pages[i].Key] = true
	}
	for _, r := range m.records {
		taken[r.key] = true
	}
	for _, r := range m.records {
		if !r.has || r.key != "" {
			continue
		}
		root := m.root(m.spots[m.meaning(r.at)])
		if m.owners[root].key != "" || groups[root] == nil ||
			m.pageLanguage(r, r.at) != m.Settings.Languages.Default {
			continue
		}
		if key := m.keyOf(r.at); !taken[key] {
			taken[key] = true
			m.nameGroup(root, key)
		}
	}
}
