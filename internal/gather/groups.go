package gather

import (
	"slices"

	"young-compass/internal/address"
)

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
func (p *places) groupName(s spot) string { return p.owners[p.root(s)].key }

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
