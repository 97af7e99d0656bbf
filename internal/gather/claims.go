package gather

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/finding"
	"young-compass/internal/inventory"
)

// claim is the word that counts on one field of a page.
type claim struct {
	name    string
	value   string
	from    *record
	against string // another word that counts as much
	other   *record
}

// claims are what records say of a page, by the names of the fields.
type claims []claim

// claimsOn returns what sources say of a page; it uses the room of those before.
func (m *merger) claimsOn(s *subject, room claims) claims {
	all := room[:0]
	for r := s.first; r != nil; r = r.next {
		for _, f := range r.fields {
			if f.value != "" {
				all = append(all, claim{name: f.name, value: f.value, from: r})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b claim) int { return strings.Compare(a.name, b.name) })
	rank := func(c *claim) int { return m.summaries[c.from.source].Form.Rank() }
	list := all[:0] // the first word on each field, which counts
	for _, c := range all {
		if len(list) == 0 || list[len(list)-1].name != c.name {
			list = append(list, c)
			continue
		}
		if have := &list[len(list)-1]; rank(have) == rank(&c) && have.value != c.value && have.against == "" {
			have.against, have.other = c.value, c.from
		}
	}
	return list
}

// find returns what is claimed of a field, or nil.
func (c claims) find(name string) *claim {
	i, ok := slices.BinarySearchFunc(c, name, func(c claim, name string) int { return strings.Compare(c.name, name) })
	if !ok {
		return nil
	}
	return &c[i]
}

// apply takes what records say over into the inventory, as far as nobody edited it, and into the book, page by page,
// and sums up the pages that each source spoke of. The records go.
func (m *merger) apply() {
	order := make([]pageID, 0, len(m.pages))
	fresh := 0
	for i := range m.pages {
		if m.pages[i].first == nil {
			continue
		}
		order = append(order, pageID(i))
		if !m.pages[i].before {
			fresh++
		}
	}
	slices.SortFunc(order, func(a, b pageID) int { return m.pages[a].ref.Compare(m.pages[b].ref) })
	m.Pages.Grow(fresh)
	m.Memory.grow(fresh)
	m.Book.Entries = slices.Grow(m.Book.Entries, fresh)
	counts := make([]map[Count]int, len(m.summaries))
	for i := range counts {
		counts[i] = map[Count]int{}
	}
	var all claims
	for _, n := range order {
		s := &m.pages[n]
		all = m.claimsOn(s, all)
		var page *inventory.Page
		if s.before {
			page = m.Pages.Find(s.ref)
		}
		switch {
		case page == nil:
			m.summaries[s.first.source].New++
			page = m.Pages.Add(m.made(s.ref, nil, all))
		case !m.Memory.knows(s.ref) && page.Same(m.made(s.ref, page, all)):
			// A run before wrote the page, and broke off before it wrote what it
			// remembers of it; made has said it again.
		default:
			m.update(page, all)
		}
		m.count(s, page, counts)
		for r := s.first; r != nil; r = r.next {
			m.enter(r, page.State)
		}
		s.first, s.last = nil, nil
	}
	for _, r := range m.late {
		if page := m.Pages.Find(m.pages[r.page].ref); page != nil {
			m.enter(r, page.State)
		}
	}
	for i, s := range m.summaries {
		s.Pages = listed(counts[i])
	}
}

// count counts a page for each source that speaks of it.
func (m *merger) count(s *subject, p *inventory.Page, counts []map[Count]int) {
	where := countOf(p)
	var counted []int32
	for r := s.first; r != nil; r = r.next {
		if slices.Contains(counted, r.source) {
			continue
		}
		counted = append(counted, r.source)
		counts[r.source][where]++
		if s.before || s.first.source != r.source {
			m.summaries[r.source].Merged++
		}
	}
}

// made returns a page as sources say it, and remembers what they said if there is no other page of that name.
func (m *merger) made(ref inventory.Ref, old *inventory.Page, all claims) inventory.Page {
	p := inventory.Page{Ref: ref, Kind: "page", State: inventory.Live}
	if s := all.find("state"); s != nil && s.against != "" {
		p.State = inventory.Draft // sources differ: nothing is published by a guess
	}
	notes := append(make([]note, 0, 8), note{topic{field: "kind"}, p.Kind}, note{topic{field: "state"}, string(p.State)})
	for i := range all {
		c := &all[i]
		if c.against != "" {
			if old == nil {
				m.differ(ref, c)
			}
			continue
		}
		p.Set(c.name, c.value)
		notes = append(notes, note{topic{c.name, m.summaries[c.from.source].Form}, c.value})
	}
	if old == nil || old.Same(p) {
		m.Memory.note(ref, notes...)
	}
	return p
}

// update gives a known page what sources say of it now.
func (m *merger) update(p *inventory.Page, all claims) {
	changed := map[int32]bool{}
	for i := range all {
		if m.set(p, &all[i]) {
			changed[all[i].from.source] = true
		}
	}
	for source := range changed {
		m.summaries[source].Changed++
	}
}

// differ reports that two sources whose word counts the same differ.
func (m *merger) differ(ref inventory.Ref, c *claim) {
	m.found = append(m.found, finding.Finding{Code: finding.SourcesDiffer, Severity: finding.Warning, Where: m.where(c.from),
		Related: []finding.Place{m.where(c.other)},
		What: fmt.Sprintf("the %s of %s is %q here and %q in %s; neither is taken", c.name, ref, c.value, c.against,
			m.where(c.other)),
		Advice: "write the right one into " + m.Pages.File})
}

// set gives a page's field the value that sources say, and reports whether it
// changed. What a person wrote stays.
func (m *merger) set(p *inventory.Page, c *claim) bool {
	form := m.summaries[c.from.source].Form
	have := p.Field(c.name)
	was, known := m.Memory.value(p.Ref, c.name)
	edited := known && was.value != have || !known && have != ""
	switch {
	case edited && (have != c.value || c.against != ""):
		m.summaries[c.from.source].Kept++
		return false
	case edited:
		// It is what the source says: a run before wrote it, or a person did.
	case c.against != "":
		m.differ(p.Ref, c)
		return false
	case known && form.Rank() < was.form.Rank():
		return false
	}
	p.Set(c.name, c.value)
	m.Memory.note(p.Ref, note{topic{c.name, form}, c.value})
	return have != c.value
}
