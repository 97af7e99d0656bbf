package probe

import (
	"context"
	"fmt"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/crawl"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
)

// Signal is one thing that an address says of itself.
type Signal struct {
	Name string `json:"name"`
	Says string `json:"says"`
}

// Explanation is all that is known of one address.
type Explanation struct {
	Address  address.Address      `json:"-"`
	Asked    string               `json:"address"`
	Signals  []Signal             `json:"signals"`
	Steps    []Signal             `json:"steps"`  // by what, and to where
	Ends     string               `json:"ends"`   // where the signals end
	Planned  string               `json:"plan"`   // what the plan says
	Change   []Signal             `json:"change"` // where, and what to write there
	Findings []finding.Finding    `json:"-"`
	Page     *crawl.Page          `json:"-"`
	Web      canonical.Web        `json:"-"`
	Result   canonical.Resolution `json:"-"`
}

// maxFollowed bounds how many addresses are asked to explain one.
const maxFollowed = 20

// Explain asks for an address and for those it names, and says how it resolves
// and what to change.
func (s *Surveyor) Explain(ctx context.Context, a address.Address) (*Explanation, error) {
	e := &Explanation{Address: a, Asked: a.String(), Signals: []Signal{}, Steps: []Signal{}, Change: []Signal{},
		Web: canonical.Web{}}
	s.walker = crawl.Crawler{Asker: s.Client, Elsewhere: s.Client.Elsewhere, Site: s.Plan.Site, Agent: s.Agent}
	for next := []address.Address{a}; len(next) > 0 && len(e.Web) < maxFollowed; next = next[1:] {
		at := next[0]
		at.Fragment = ""
		if e.Web[at] != nil || !s.Plan.Site.Has(at.Host) {
			continue
		}
		p, err := crawl.Live{Asker: s.Client}.Visit(ctx, at)
		if err != nil {
			return nil, err
		}
		p.Blocked = !s.walker.Rules(ctx, at.Origin()).Allows(s.Agent, at.Local())
		e.Web[at] = &p
		if p.To != (address.Address{}) {
			next = append(next, p.To)
		}
		for _, n := range canonical.NamedBy(&p) {
			if n.Err == nil {
				next = append(next, n.To)
			}
		}
		if at == a {
			for _, n := range canonical.Alternates(&p) {
				if n.Err == nil {
					next = append(next, n.To)
				}
			}
		}
	}
	e.Page = e.Web[a]
	if e.Page == nil {
		return nil, fmt.Errorf("%s is not on the site", a)
	}
	e.Result = e.Web.Resolve(a)
	e.Ends = e.Result.End.String()
	e.signals()
	e.advise(s.Plan)
	return e, nil
}

// signals lists what the address says.
func (e *Explanation) signals() {
	p := e.Page
	say := func(name, says string) {
		if says != "" {
			e.Signals = append(e.Signals, Signal{name, address.Printable(says)})
		}
	}
	status := fmt.Sprint(p.Status)
	if p.Failure != "" {
		status = string(p.Failure) + ": " + p.Problem
	}
	say("status", status)
	say("Location", p.Location)
	if p.Blocked {
		say("robots.txt", "blocks it")
	} else {
		say("robots.txt", "allows it")
	}
	say("X-Robots-Tag", p.Header.Robots)
	say("<meta name=robots>", p.Signals.Robots)
	for _, n := range canonical.NamedBy(p) {
		where := ""
		if n.Outside {
			where = " (outside the head, where it doesn't count)"
		}
		say("canonical by "+n.By, n.Link+where)
	}
	for _, n := range canonical.Alternates(p) {
		say("translation by "+n.By, n.Language+" "+n.Link)
	}
	say("prev", p.Signals.Prev)
	say("next", p.Signals.Next)
	say("refresh", p.Signals.Refresh)
	say("<html lang>", p.Signals.Language)
	say("Content-Language", p.Header.Language)
	say("title", p.Signals.Title)
	for _, step := range e.Result.Steps {
		e.Steps = append(e.Steps, Signal{step.By, step.At.String() + " -> " + step.To.String()})
	}
}

// advise says what the plan wants, and what to change where.
func (e *Explanation) advise(p *plan.Plan) {
	change := func(where, what string) {
		e.Change = append(e.Change, Signal{where, what})
	}
	answer, err := p.Answer(plan.Request{Method: "GET", Address: e.Address})
	if err != nil {
		e.Planned = err.Error()
		return
	}
	switch answer.Outcome {
	case plan.Moved:
		e.Planned = fmt.Sprintf("%d to %s", answer.Status, answer.To)
		if e.Page.Status != answer.Status || e.Page.To.String() != answer.To {
			change("redirect", fmt.Sprintf("%s,%s,%d   (redirects.csv; or put what young-compass emit writes into "+
				"the server)", e.Address, answer.To, answer.Status))
		}
	case plan.Served:
		e.Planned = "served; canonical " + answer.Canonical
		e.adviseServed(answer, change)
	default:
		e.Planned = fmt.Sprintf("%s %d", answer.Outcome, answer.Status)
	}
	if f := (canonical.Checker{Web: e.Web, Plan: p}).Page(e.Page); f != nil {
		e.Findings = append(e.Findings, *f)
	}
}

func (e *Explanation) adviseServed(answer plan.Answer, change func(where, what string)) {
	if e.Page.Status != 200 {
		change("server", "let it answer 200")
		return
	}
	choice, ok := canonical.Choice(e.Page)
	if answer.Canonical != "" && (!ok || choice.To.String() != answer.Canonical) {
		change("head", fmt.Sprintf(`<link rel="canonical" href="%s">`, answer.Canonical))
		change("or header", fmt.Sprintf(`Link: <%s>; rel="canonical"`, answer.Canonical))
	}
	if e.Page.NoIndex() && answer.Canonical == e.Address.String() {
		where := "head: delete"
		if strings.Contains(e.Page.Header.Robots, "noindex") {
			where = "header: delete"
		}
		change(where, "noindex")
	}
	if e.Page.Blocked {
		change("robots.txt", "Allow: "+e.Address.Local())
	}
}
