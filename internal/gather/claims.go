package gather

import (
	"fmt"
	"maps"
	"slices"

	"young-compass/internal/finding"
	"young-compass/internal/inventory"
)

// claims are what sources say of a page.
type claims struct {
	first  int // the source that spoke of it first
	fields map[string]*claim
}

// claim is the word that counts on one field.
type claim struct {
	value   string
	source  int
	where   finding.Place
	against string // another word that counts as much
	other   finding.Place
}

// claim notes what a record says of a page.
func (m *merger) claim(r *record, ref inventory.Ref) {
	m.spoken[r.source][ref] = true
	c := m.claims[ref]
	if c == nil {
		c = &claims{first: r.source, fields: make(map[string]*claim, len(r.fields))}
		m.claims[ref] = c
	}
	rank := m.summaries[r.source].Form.Rank()
	for _, f := range r.fields {
		if f.value == "" {
			continue
		}
		have := c.fields[f.name]
		switch {
		case have == nil:
			c.fields[f.name] = &claim{value: f.value, source: r.source, where: r.where}
		case m.summaries[have.source].Form.Rank() == rank && have.value != f.value && have.against == "":
			have.against, have.other = f.value, r.where
		}
	}
}

// apply takes the claims over into the inventory, as far as nobody edited it.
func (m *merger) apply() {
	for _, ref := range slices.SortedFunc(maps.Keys(m.claims), inventory.Ref.Compare) {
		c := m.claims[ref]
		old := m.Pages.Find(ref)
		switch {
		case old == nil:
			m.summaries[c.first].New++
			m.Pages.Add(m.made(ref, c))
		case m.Memory.pages[ref] == nil && old.Same(m.made(ref, c)):
			// A run before wrote the page, and broke off before it wrote what it
			// remembers of it; made has said it again.
		default:
			m.update(old, c)
		}
	}
}

// made returns a page as sources say it, and remembers what they said.
func (m *merger) made(ref inventory.Ref, c *claims) inventory.Page {
	p := inventory.Page{Ref: ref, Kind: "page", State: inventory.Live}
	if s := c.fields["state"]; s != nil && s.against != "" {
		p.State = inventory.Draft // sources differ: nothing is published by a guess
	}
	notes := map[string]remembered{"kind": {value: p.Kind}, "state": {value: string(p.State)}}
	for _, name := range slices.Sorted(maps.Keys(c.fields)) {
		f := c.fields[name]
		if f.against != "" {
			if m.Pages.Find(ref) == nil {
				m.differ(ref, name, f)
			}
			continue
		}
		p.Set(name, f.value)
		notes[name] = remembered{f.value, m.summaries[f.source].Form}
	}
	if old := m.Pages.Find(ref); old == nil || old.Same(p) {
		for name, v := range notes {
			m.Memory.note(ref, name, v.value, v.form)
		}
	}
	return p
}

// update gives a known page what sources say of it now.
func (m *merger) update(p *inventory.Page, c *claims) {
	changed := map[int]bool{}
	for _, name := range slices.Sorted(maps.Keys(c.fields)) {
		if m.set(p, name, c.fields[name]) {
			changed[c.fields[name].source] = true
		}
	}
	for source := range changed {
		m.summaries[source].Changed++
	}
}

// differ reports that two sources whose word counts the same differ.
func (m *merger) differ(ref inventory.Ref, name string, c *claim) {
	m.found = append(m.found, finding.Finding{Code: finding.SourcesDiffer, Severity: finding.Warning, Where: c.where,
		Related: []finding.Place{c.other},
		What: fmt.Sprintf("the %s of %s is %q here and %q in %s; neither is taken", name, ref, c.value, c.against,
			c.other),
		Advice: "write the right one into " + m.Pages.File})
}

// set gives a page's field the value that sources say, and reports whether it
// changed. What a person wrote stays.
func (m *merger) set(p *inventory.Page, name string, c *claim) bool {
	form := m.summaries[c.source].Form
	have := p.Field(name)
	was, known := m.Memory.value(p.Ref, name)
	edited := known && was.value != have || !known && have != ""
	switch {
	case edited && (have != c.value || c.against != ""):
		m.summaries[c.source].Kept++
		return false
	case edited:
		// It is what the source says: a run before wrote it, or a person did.
	case c.against != "":
		m.differ(p.Ref, name, c)
		return false
	case known && form.Rank() < was.form.Rank():
		return false
	}
	p.Set(name, c.value)
	m.Memory.note(p.Ref, name, c.value, form)
	return have != c.value
}
