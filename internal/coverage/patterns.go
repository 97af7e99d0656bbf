package coverage

import (
	"cmp"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
)

// Catch is what a pattern does to the addresses that are known.
type Catch struct {
	Where      finding.Place
	From, To   string
	Visits     int
	Caught     []Caught // most visited first
	Exceptions int      // addresses that it reads, and that a listed row, a page or an earlier pattern answers
}

// Mistakes returns the addresses that the pattern leads nowhere, or to a home
// page.
func (c Catch) Mistakes() []Caught {
	return slices.DeleteFunc(slices.Clone(c.Caught), func(a Caught) bool { return a.Mistake == "" })
}

// Caught is a known address that a pattern answers.
type Caught struct {
	Address address.Address
	Visits  int
	To      string // where the way ends
	Mistake string // what is wrong with that; empty when nothing is
}

// Patterns says which of the known addresses each pattern of the plan answers,
// in the order of the patterns.
func Patterns(p *plan.Plan, known []Known) []Catch {
	catches := make([]Catch, len(p.Rules().Patterns))
	for i, rule := range p.Rules().Patterns {
		catches[i] = Catch{Where: rule.Where, From: rule.From, To: rule.To}
	}
	for _, k := range merged(p, known) {
		a := k.Address
		if !p.Site.Has(a.Host) || p.Site.IsLanguageHost(a.Host) {
			continue
		}
		params, named := address.SplitQuery(a.Query), p.Named(a.Path)
		answered := false
		for i, rule := range p.Rules().Patterns {
			if _, reads := rule.Reads(a.Path, params, named, p.Paths.Lower); !reads {
				continue
			}
			if answered {
				catches[i].Exceptions++
				continue
			}
			t, err := p.Trace(plan.Request{Method: "GET", Address: a})
			if err != nil || len(t.Hops) == 0 || !slices.ContainsFunc(t.Hops[0].Causes,
				func(c plan.Cause) bool { return c.File == rule.Where.File && c.Line == rule.Where.Line }) {
				catches[i].Exceptions++
				continue
			}
			answered = true
			catches[i].Visits += k.Visits
			catches[i].Caught = append(catches[i].Caught, Caught{a, k.Visits, t.Hops[len(t.Hops)-1].To, mistake(p, t)})
		}
	}
	for i := range catches {
		slices.SortStableFunc(catches[i].Caught, func(a, b Caught) int {
			return cmp.Or(cmp.Compare(b.Visits, a.Visits), strings.Compare(a.Address.String(), b.Address.String()))
		})
	}
	return catches
}

// mistake says what is wrong with where a way ends.
func mistake(p *plan.Plan, t plan.Trace) string {
	switch {
	case t.Answer.Outcome == plan.Unknown:
		return "no page is there"
	case t.Answer.Outcome == plan.Served && t.Answer.Page.Key != "" && p.IsHomePage(t.Answer.Page):
		return "that is a home page"
	}
	return ""
}
