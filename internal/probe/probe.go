// Package probe asks a live or staged site what it answers, hop by hop, and
// compares that with the plan.
package probe

import (
	"context"
	"errors"
	"fmt"
	"iter"
	"slices"

	"golang.org/x/sync/errgroup"

	"young-compass/internal/address"
	"young-compass/internal/canonical"
	"young-compass/internal/crawl"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
)

// Getter asks for one address without following; fetch.Client is one.
type Getter interface {
	Get(ctx context.Context, a address.Address) (fetch.Reply, error)
}

// Hop is one answer that led on.
type Hop struct {
	Status int    `json:"status"`
	To     string `json:"to"`
}

// Observation is what a site answered to one address.
type Observation struct {
	Target  plan.Known
	Hops    []Hop
	Final   address.Address
	Status  int             // at the end; 0 when it wasn't asked
	Names   address.Address // the canonical address that the page at the end names; the zero value: none, or its own
	Foreign bool            // the way leaves the site's hosts
	Err     error
	Plan    plan.Trace
}

// errItself says that an address is redirected to itself.
var errItself = errors.New("is redirected to itself")

// maxHops is how far a way is followed.
const maxHops = 10

// asking is how many addresses are asked at a time.
const asking = 8

// Run asks for every target and follows it. Observations are passed on in the
// order of the targets; progress is called after each.
func Run(ctx context.Context, p *plan.Plan, client Getter, targets iter.Seq[plan.Known], progress func(),
	meet func(Observation)) error {
	for part := range batches(targets) {
		observations := make([]Observation, len(part))
		done, reported := make(chan struct{}), make(chan struct{})
		go func() {
			defer close(reported)
			for range done {
				progress()
			}
		}()
		group, ctx := errgroup.WithContext(ctx)
		group.SetLimit(asking)
		for i, target := range part {
			group.Go(func() error {
				observations[i] = follow(ctx, p, client, target)
				done <- struct{}{}
				return ctx.Err()
			})
		}
		err := group.Wait()
		close(done)
		<-reported
		if err != nil {
			return err
		}
		for _, o := range observations {
			meet(o)
		}
	}
	return nil
}

// batches yields targets by the thousand.
func batches(targets iter.Seq[plan.Known]) iter.Seq[[]plan.Known] {
	return func(yield func([]plan.Known) bool) {
		var part []plan.Known
		for t := range targets {
			if part = append(part, t); len(part) == together {
				if !yield(part) {
					return
				}
				part = part[:0]
			}
		}
		if len(part) > 0 {
			yield(part)
		}
	}
}

// together is how many observations are held at a time.
const together = 1000

// follow asks for an address and for each that it is led to.
func follow(ctx context.Context, p *plan.Plan, client Getter, t plan.Known) Observation {
	o := Observation{Target: t, Final: t.Address}
	if o.Plan, o.Err = p.Trace(plan.Request{Method: "GET", Address: t.Address}); o.Err != nil {
		return o
	}
	for {
		reply, err := client.Get(ctx, o.Final)
		if errors.Is(err, fetch.ErrForeign) {
			o.Foreign = true
			return o
		}
		if err != nil {
			o.Err = err
			return o
		}
		if reply.Status < 300 || reply.Status > 399 || reply.Location == "" {
			o.Status = reply.Status
			if p := crawl.Read(o.Final, reply, nil); p.HTML && reply.Status == 200 {
				if choice, ok := canonical.Choice(&p); ok && choice.To != o.Final {
					o.Names = choice.To
				}
			}
			return o
		}
		o.Hops = append(o.Hops, Hop{reply.Status, reply.Location})
		asked := o.Final
		if o.Final, err = address.Resolve(asked.Origin(), reply.Location); err != nil {
			o.Err = fmt.Errorf("it leads to %s: %w", address.Printable(reply.Location), err)
			return o
		}
		if o.Final == asked {
			o.Err = fmt.Errorf("%s %w", asked, errItself)
			return o
		}
		if len(o.Hops) > maxHops {
			o.Err = fmt.Errorf("still being redirected after %d hops", maxHops)
			return o
		}
	}
}

// Comparison compares what a site answers with the plan, one observation after
// the other.
type Comparison struct {
	Summary  Summary
	Former   Summary // of addresses that are no live page's own
	findings []finding.Finding
	outages  outages
	at       map[inventory.Ref][]plan.Known // where pages answer themselves
	itself   []Observation                  // that end at an https address which is redirected to itself
}

// Add takes up an observation.
func (c *Comparison) Add(p *plan.Plan, o Observation) {
	c.Summary.add(o)
	if !o.ofLive(p) {
		c.Former.add(o)
	}
	if c.outages == nil {
		c.outages = outages{}
	}
	if errors.Is(o.Err, errItself) && o.Final.Scheme == "https" {
		c.itself = append(c.itself, o)
		return
	}
	if f := o.difference(); f != nil && !o.out(c.outages) {
		c.findings = append(c.findings, *f)
	}
	if o.Status == 200 && len(o.Hops) == 0 && o.Target.Page != (inventory.Ref{}) {
		if c.at == nil {
			c.at = map[inventory.Ref][]plan.Known{}
		}
		c.at[o.Target.Page] = append(c.at[o.Target.Page], o.Target)
	}
}

// Section sums up what was asked. Findings that follow from what a survey says of a page are left out; there may be no
// survey.
func (c *Comparison) Section(survey *Survey) *Section {
	s := c.Summary
	section := &Section{Kind: Redirects, Counts: []Count{{"asked", "addresses asked", s.Asked},
		{"one_hop_200", "reach 200 in one hop", s.OneHop}, {"direct_200", "answer 200 themselves", s.Direct},
		{"one_hop_temporary", "lead to a temporary page in one hop", s.Temporary},
		{"one_hop_to_known_host", "lead to another host in one hop", s.Elsewhere}, {"gone_410", "say 410", s.Gone},
		{"other", "end otherwise", s.Other}}}
	for _, f := range c.Findings() {
		if f.Code != finding.FinalNotCanonical || survey == nil || !survey.IsConsequence(f) {
			section.Findings = append(section.Findings, f)
		}
	}
	section.Counts = append(section.Counts, Count{"differences", "findings against the plan", len(section.Findings)})
	return section
}

// Findings says where the site and the plan differ, each difference with its
// hop, and which pages answer at several addresses.
func (c *Comparison) Findings() []finding.Finding {
	found := append(slices.Clone(c.findings), c.outages.findings()...)
	if len(c.itself) > 0 {
		found = append(found, finding.Finding{Code: finding.ProxyEndsTLS, Severity: finding.Error, Where: c.itself[0].place(),
			What: fmt.Sprintf("%d addresses end at an https address that is redirected to itself, such as %s", len(c.itself), c.itself[0].Final),
			Why:  "the server is asked over http by a proxy that ends TLS, and takes the visitor for one of http",
			Advice: "name the proxy's addresses in site.trusted-proxies and emit again; with a per-folder file, take out its own " +
				"rule that leads to https"})
	}
	for page, list := range c.at {
		if len(list) < 2 {
			continue
		}
		f := finding.Finding{Code: finding.ManyAddresses, Severity: finding.Error,
			Where:  Observation{Target: list[0]}.place(),
			What:   fmt.Sprintf("the page %s answers at %d addresses itself", page, len(list)),
			Why:    "a search engine sees the same page several times and chooses one on its own",
			Advice: "let all but one redirect; young-compass emit writes the rules"}
		for _, t := range list {
			f.Evidence = append(f.Evidence, t.Address.String())
		}
		found = append(found, f)
	}
	finding.Sort(found)
	return found
}

// out notes that the host at which the way ends can't be asked; false where that isn't why there is no answer.
func (o Observation) out(list outages) bool {
	return o.Err != nil && list.add(o.Final, o.place(), fetch.FailureOf(o.Err), fetch.CertificateProblem(o.Err))
}

func (o Observation) place() finding.Place {
	where := o.Target.Where
	where.URL = o.Target.Address.String()
	return where
}

// difference returns how the site differs from the plan, or nil.
func (o Observation) difference() *finding.Finding {
	differ := func(code finding.Code, what, advice string) *finding.Finding {
		return &finding.Finding{Code: code, Severity: finding.Error, Where: o.place(), What: o.Target.Address.String() +
			": " + what, Advice: advice}
	}
	if o.Err != nil {
		return differ(finding.NoAnswer, o.Err.Error(), "ask again; if it stays so, look at the server")
	}
	want := o.Plan
	for i, hop := range want.Hops {
		switch {
		case i >= len(o.Hops):
			return differ(finding.NotRedirected, fmt.Sprintf("hop %d answers %d itself; the plan says %d to %s", i+1,
				o.Status, hop.Status, hop.To), "put the emitted rules into the server")
		case o.Hops[i].To != hop.To:
			return differ(finding.WrongTarget, fmt.Sprintf("hop %d leads to %s; the plan says %s", i+1, o.Hops[i].To,
				hop.To), "emit again, or look for another rule in the server")
		case o.Hops[i].Status != hop.Status:
			return differ(finding.WrongStatus, fmt.Sprintf("hop %d has the status %d; the plan says %d", i+1,
				o.Hops[i].Status, hop.Status), "emit again, or look for another rule in the server")
		}
	}
	if len(o.Hops) > len(want.Hops) {
		hop := o.Hops[len(want.Hops)]
		return differ(finding.MoreHops, fmt.Sprintf("hop %d leads on to %s (%d); the plan ends before it",
			len(want.Hops)+1, hop.To, hop.Status), "look for another rule in the server")
	}
	if names := o.Names.String(); o.Names != (address.Address{}) && want.Answer.Outcome == plan.Served &&
		want.Answer.Page.Key != "" && names != want.Answer.Canonical && o.Status == 200 {
		return differ(finding.FinalNotCanonical,
			fmt.Sprintf("the page at the end, %s, names %s as its canonical address; the plan says %s", o.Final, names,
				want.Answer.Canonical), fmt.Sprintf(`write there <link rel="canonical" href="%s">`,
				want.Answer.Canonical))
	}
	if status := want.Answer.Status; status != 0 && status != o.Status {
		return differ(finding.WrongAnswer, fmt.Sprintf("it ends with %d; the plan says %d", o.Status, status),
			"look at the page on the server")
	}
	return nil
}

// ofLive reports whether the address is a live page's own.
func (o Observation) ofLive(p *plan.Plan) bool {
	page := p.Pages.Find(o.Target.Page)
	current, ok := p.CurrentAddress(o.Target.Page)
	return page != nil && page.State == inventory.Live && ok && current == o.Target.Address
}

// Summary counts how addresses end.
type Summary struct {
	Asked     int `json:"asked"`
	Direct    int `json:"direct_200"`
	OneHop    int `json:"one_hop_200"`
	Temporary int `json:"one_hop_temporary"`
	Elsewhere int `json:"one_hop_to_known_host"`
	Gone      int `json:"gone_410"`
	Other     int `json:"other"`
}

func (s *Summary) add(o Observation) {
	s.Asked++
	hops := len(o.Hops)
	switch {
	case o.Err != nil || hops > 1:
		s.Other++
	case o.Foreign && hops == 1:
		s.Elsewhere++
	case o.Status == 410 && hops == 0:
		s.Gone++
	case o.Status == 200 && hops == 0:
		s.Direct++
	case o.Status == 200 && slices.Contains([]int{302, 303, 307}, o.Hops[0].Status):
		s.Temporary++
	case o.Status == 200:
		s.OneHop++
	default:
		s.Other++
	}
}
