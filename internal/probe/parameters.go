package probe

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/crawl"
	"young-compass/internal/finding"
	"young-compass/internal/fingerprint"
	"young-compass/internal/parameter"
)

// Parameter is what is known of a parameter.
type Parameter struct {
	Name      string            `json:"name"`
	Addresses []address.Address `json:"-"` // that have it
	Visits    int               `json:"visits"`
	Indexable int               `json:"indexable"` // addresses that a search engine may take for pages
	Class     parameter.Class   `json:"class"`     // the plan's; empty: none
	Proposed  parameter.Class   `json:"proposed"`  // from evidence; empty: there is none
	Agree     int               `json:"agree"`     // trials that speak for it
	Told      int               `json:"told"`      // trials that tell anything
	Trials    []Trial           `json:"trials"`
}

// Effect is what a parameter does to a page.
type Effect string

// The effects.
const (
	Nothing   Effect = "same page"
	Order     Effect = "same text in another order"
	Content   Effect = "another page"
	Away      Effect = "redirected away"
	Carried   Effect = "carried along"
	NoTelling Effect = "no telling"
)

// Trial is an address that was asked with and without a parameter.
type Trial struct {
	With    string `json:"with"`
	Without string `json:"without"`
	Effect  Effect `json:"effect"`
	value   string
}

// maxTrials is how many addresses with a parameter are asked without it.
const maxTrials = 5

// without returns an address without a parameter.
//
//	/routes?page=2&sort=price  without page    /routes?sort=price
func without(a address.Address, name string) address.Address {
	a.Query = address.JoinQuery(slices.DeleteFunc(address.SplitQuery(a.Query),
		func(q address.Param) bool { return q.Name == name }))
	return a
}

// turned returns an address with its parameters in another order.
//
//	/routes?page=2&sort=price    /routes?sort=price&page=2
func turned(a address.Address) address.Address {
	params := address.SplitQuery(a.Query)
	slices.Reverse(params)
	a.Query = address.JoinQuery(params)
	return a
}

// parameters returns every parameter of the addresses that were met, by name.
func (v *Survey) parameters() map[string]*Parameter {
	list := map[string]*Parameter{}
	at := func(name, path string) *Parameter {
		p := list[name]
		if p == nil {
			p = &Parameter{Name: name, Class: v.Plan.Parameters.ClassOf(name, path)}
			list[name] = p
		}
		return p
	}
	for _, a := range v.Web.Sorted() {
		var seen []string
		for _, q := range address.SplitQuery(a.Query) {
			if q.Raw == "" || slices.Contains(seen, q.Name) {
				continue
			}
			seen = append(seen, q.Name)
			p := at(q.Name, a.Path)
			p.Addresses = append(p.Addresses, a)
			if v.Web.Indexable(a) {
				p.Indexable++
			}
		}
	}
	for _, visit := range v.Visits {
		for _, q := range address.SplitQuery(visit.Address.Query) {
			if q.Raw != "" && v.Plan.Site.Has(visit.Address.Host) {
				at(q.Name, visit.Address.Path).Visits += visit.Visitors
			}
		}
	}
	return list
}

// askParameters asks for some addresses with each parameter without it, and with
// the parameters in another order.
func (s *Surveyor) askParameters(ctx context.Context, v *Survey, visitor crawl.Visitor) error {
	parameters := v.parameters()
	most := slices.SortedFunc(maps.Keys(parameters), func(a, b string) int { // those most asked for first
		p, q := parameters[a], parameters[b]
		return cmp.Or(cmp.Compare(q.Visits, p.Visits), cmp.Compare(len(q.Addresses), len(p.Addresses)), strings.Compare(a, b))
	})
	asked := map[address.Address]bool{}
	for _, name := range most {
		for _, a := range trials(v, parameters[name]) {
			for _, other := range []address.Address{without(a, name), turned(a)} {
				if v.Web[other] == nil && len(asked) < s.Max {
					asked[other] = true
				}
			}
		}
	}
	list := slices.SortedFunc(maps.Keys(asked), address.Compare)
	return s.visitAll(ctx, visitor, list, v.Without)
}

// trials returns the addresses with a parameter that are tried without it: those
// that show a page themselves, of different paths as far as possible.
func trials(v *Survey, p *Parameter) []address.Address {
	var first, more []address.Address
	paths := map[string]bool{}
	for _, a := range p.Addresses {
		switch page := v.Web[a]; {
		case page == nil || page.Failure != "":
		case paths[a.Path]:
			more = append(more, a)
		default:
			paths[a.Path] = true
			first = append(first, a)
		}
	}
	list := append(first, more...)
	return list[:min(len(list), maxTrials)]
}

// judgeParameters looks at what parameters do.
func (v *Survey) judgeParameters(s *Section) {
	texts := map[address.Address]fingerprint.Text{}
	all := maps.Clone(v.Web)
	maps.Copy(all, v.Without)
	list, found := all.Texts()
	for i, a := range list {
		texts[a] = found[i]
	}
	parameters := v.parameters()
	for _, name := range slices.Sorted(maps.Keys(parameters)) {
		p := parameters[name]
		for _, a := range trials(v, p) {
			t := Trial{With: a.String(), Without: without(a, name).String(), Effect: effect(all, texts, a, name)}
			q, _ := address.First(address.SplitQuery(a.Query), name)
			t.value = strings.TrimPrefix(q.Value, "=")
			p.Trials = append(p.Trials, t)
		}
		p.propose()
		v.judgeParameter(s, p, all, texts)
		v.Parameters = append(v.Parameters, *p)
	}
	v.judgeOrder(s, all, texts)
	for _, declared := range v.Plan.Parameters.All {
		if !slices.ContainsFunc(v.Parameters,
			func(p Parameter) bool { return declared.Matches(p.Name, declared.For) }) {
			s.add(finding.ParameterUnused, finding.Note, v.Plan.Site.Origin,
				fmt.Sprintf("the plan declares the parameter %s, which was met nowhere",
					address.Printable(declared.Name)), "", "gather logs of a longer time, or delete it from the plan")
		}
	}
	s.Parameters = v.Parameters
	s.Counts = []Count{{"parameters", "parameters", len(v.Parameters)}}
}

// judgeOrder finds pages that are there once for each order of their parameters.
func (v *Survey) judgeOrder(s *Section, all canonical.Web, texts map[address.Address]fingerprint.Text) {
	var twice []address.Address
	for _, a := range v.Web.Sorted() {
		other := turned(a)
		p := all[other]
		if other == a || p == nil || !p.HTML || p.Status != 200 || !v.Web.Indexable(a) || v.explained[a] ||
			texts[a].Exact != texts[other].Exact {
			continue
		}
		if all.Resolve(other).End == other && !p.NoIndex() && (v.Web[other] == nil || address.Compare(a, other) < 0) {
			twice = append(twice, a)
		}
	}
	s.many(finding.ParameterOrder, finding.Error, twice,
		fmt.Sprintf("%d addresses show the same with their parameters in another order, and name themselves in both",
			len(twice)), "each order is a page of its own for a search engine",
		"name one order as the canonical one on both")
}

// effect tells what a parameter does by an address with and without it.
func effect(web canonical.Web, texts map[address.Address]fingerprint.Text, with address.Address, name string) Effect {
	bare := without(with, name)
	p, q := web[with], web[bare]
	if p == nil || q == nil {
		return NoTelling
	}
	if p.To != (address.Address{}) {
		switch to := p.To; {
		case to == bare || q.To == to:
			return Away
		case q.To != (address.Address{}) && without(to, name) == q.To:
			return Carried
		}
		return NoTelling
	}
	if p.Status != 200 || !p.HTML {
		return NoTelling
	}
	if q.Status != 200 || !q.HTML {
		return Content
	}
	a, b := texts[with], texts[bare]
	switch {
	case a.Exact == b.Exact:
		return Nothing
	case a.Bag == b.Bag:
		return Order
	case fingerprint.Likeness(a, b) > 0.95:
		return Nothing
	}
	return Content
}

// propose tells the class of a parameter by what most trials say.
func (p *Parameter) propose() {
	count := map[Effect]int{}
	for _, t := range p.Trials {
		count[t.Effect]++
	}
	told := len(p.Trials) - count[NoTelling] - count[Carried]
	if told == 0 {
		told = count[Carried] // redirects alone
	}
	p.Told = told
	for _, effect := range []Effect{Away, Order, Nothing, Content, Carried} {
		if told == 0 || count[effect]*10 < told*6 {
			continue
		}
		p.Agree = count[effect]
		switch effect {
		case Carried:
			p.Proposed = parameter.Tracking
			if p.Class != "" {
				p.Proposed = p.Class // any but noise is carried
			}
		case Away:
			p.Proposed = parameter.Noise
		case Order:
			p.Proposed = parameter.Display
		case Nothing:
			p.Proposed = parameter.Noise
			if campaign(p.Name) {
				p.Proposed = parameter.Tracking
			} else if p.Class == parameter.Display || p.Class == parameter.Tracking {
				p.Proposed = p.Class // what it does doesn't tell these apart
			}
		case Content:
			p.Proposed = parameter.Identity
			if p.counts() {
				p.Proposed = parameter.Pagination
			}
		}
		return
	}
}

// campaign reports whether a name is one by which campaigns are told.
func campaign(name string) bool {
	return strings.HasPrefix(name, "utm_") || strings.HasSuffix(name, "clid") || strings.HasSuffix(name, "ref") ||
		slices.Contains([]string{"source", "campaign", "medium"}, name)
}

// counts reports whether a parameter counts the pages of a list: its name says
// so, and its values are small numbers.
func (p *Parameter) counts() bool {
	if !slices.Contains([]string{"page", "p", "pg", "seite", "side", "start", "offset", "paged"},
		strings.ToLower(p.Name)) {
		return false
	}
	for _, t := range p.Trials {
		if n, err := strconv.Atoi(t.value); err != nil || n < 0 || n > 100_000 {
			return false
		}
	}
	return true
}

// judgeParameter finds pages that a parameter makes twice, and what contradicts
// the plan.
func (v *Survey) judgeParameter(s *Section, p *Parameter, all canonical.Web,
	texts map[address.Address]fingerprint.Text) {
	if p.Class != parameter.Identity && p.Class != parameter.Pagination {
		var twice []address.Address
		for _, a := range p.Addresses {
			if v.tracked[a] { // another parameter told of it
				continue
			}
			if e := effect(all, texts, a, p.Name); v.Web.Indexable(a) && (e == Nothing || e == Order) {
				twice = append(twice, a)
			}
		}
		if len(twice) > 0 {
			bare := without(twice[0], p.Name)
			if planned, ok := v.planned(bare); ok { // without other marks that it carries, too
				bare = planned
			}
			f := s.add(finding.ParameterDuplicates, finding.Error, twice[0],
				fmt.Sprintf("the parameter %s makes pages of their own: what it shows (%d) is shown without it "+
					"too, and names itself", address.Printable(p.Name), len(twice)),
				"a search engine lists the page several times, and no preferred address",
				fmt.Sprintf(`write there <link rel="canonical" href="%s">`, bare), bare)
			for i, a := range twice {
				v.tracked[a], v.explained[a] = true, true
				if i < maxEvidence {
					f.Evidence = append(f.Evidence, a.String())
				}
			}
		}
	}
	used := slices.ContainsFunc(p.Addresses, func(a address.Address) bool { return v.Web[a].Status == 200 })
	switch {
	case p.Class == "" && used:
		f := s.add(finding.ParameterUnclassified, finding.Warning, p.Addresses[0],
			fmt.Sprintf("the plan gives the parameter %s no class", address.Printable(p.Name)), "",
			"add it to parameters: in young-compass.yaml")
		if p.Proposed != "" {
			f.Advice = fmt.Sprintf("evidence says %s (%d of %d): add it to parameters: in young-compass.yaml",
				p.Proposed, p.Agree, p.Told)
		}
	case p.Class != "" && p.Proposed != "" && p.Proposed != p.Class && p.Agree >= 3:
		f := s.add(finding.ParameterClass, finding.Warning, p.Addresses[0],
			fmt.Sprintf("the plan says that the parameter %s is %s; the site says %s (%d of %d)",
				address.Printable(p.Name), p.Class, p.Proposed, p.Agree, p.Told), "",
			"change its class in young-compass.yaml, or the site")
		for _, t := range p.Trials {
			f.Evidence = append(f.Evidence, fmt.Sprintf("%s: %s", t.With, t.Effect))
		}
	}
}

// With returns all addresses with a parameter, of the site and of its logs.
func (v *Survey) With(name string) []address.Address {
	seen := map[address.Address]bool{}
	for a := range v.Web {
		seen[a] = true
	}
	for _, visit := range v.Visits {
		seen[visit.Address] = v.Plan.Site.Has(visit.Address.Host)
	}
	var list []address.Address
	for a, ok := range seen {
		if _, has := address.First(address.SplitQuery(a.Query), name); ok && has {
			list = append(list, a)
		}
	}
	slices.SortFunc(list, address.Compare)
	return list
}

// Leaving says how far the addresses with a parameter have come on their way out of an index.
type Leaving struct {
	Addresses int // with the parameter, on the site and in its logs
	Asked     int // of them, those that answered
	Marked    int // that redirect, name another address, say noindex, or are gone
	Blocked   int // that robots.txt forbids
	Unseen    int // that are marked and blocked, so that no crawler sees it
	Crawled   int // that crawlers asked for since the day on which the marks were visible
}

// Done reports, in the order that matters, which steps are done: all are marked, none is blocked, crawlers have been
// there since, and all are blocked at last.
func (l Leaving) Done() [4]bool {
	return [4]bool{
		l.Asked > 0 && l.Marked == l.Asked,
		l.Blocked == 0,
		l.Addresses > 0 && l.Crawled >= l.Addresses,
		l.Asked > 0 && l.Blocked == l.Asked && l.Unseen == 0,
	}
}

// Leaving counts the addresses with a parameter. since is the day from which on their marks were visible, as
// 2006-01-02, or empty where nobody said; logs tell whether crawlers came after it.
func (v *Survey) Leaving(name, since string) Leaving {
	list := v.With(name)
	l := Leaving{Addresses: len(list)}
	for _, a := range list {
		p := v.Web[a]
		if p == nil || p.Failure != "" {
			continue
		}
		l.Asked++
		elsewhere := v.Web.Resolve(a).End != a
		if p.To != (address.Address{}) || p.NoIndex() || p.Status == 404 || p.Status == 410 || elsewhere {
			l.Marked++
		}
		if p.Blocked {
			l.Blocked++
			if p.NoIndex() || elsewhere {
				l.Unseen++
			}
		}
	}
	for _, visit := range v.Visits {
		if _, has := address.First(address.SplitQuery(visit.Address.Query), name); has && visit.Robots > 0 &&
			since != "" && visit.Last >= since {
			l.Crawled++
		}
	}
	return l
}
