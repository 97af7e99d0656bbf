// Package crawl walks through a site by its links, politely: it obeys
// robots.txt (RFC 9309), asks for each address once, and stays within bounds.
package crawl

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/page"
	"young-compass/internal/sitefile"
)

// Visitor returns what is at an address; Live is one. An error ends the walk.
type Visitor interface {
	Visit(context.Context, address.Address) (Page, error)
}

// Crawler walks through a site.
type Crawler struct {
	Asker   Asker   // for robots.txt
	Visitor Visitor // for all else; nil: Live
	// Elsewhere asks another host for the robots.txt to which the site's redirects (RFC 9309 section 2.3.1.2); nil: none is.
	Elsewhere func(context.Context, address.Address) (fetch.Reply, error)
	Site      address.Site
	Agent     string // the product token that robots.txt may name
	Max       int    // addresses that are asked for
	// Together is how many addresses are asked for at a time; 0: 8.
	Together int
	// Queue says in which form an address is asked for, and whether at all. It is
	// called in the order in which addresses are met.
	Queue func(address.Address) (address.Address, bool)
	// Known says which addresses are asked for whatever robots.txt says; may be nil.
	Known func(address.Address) bool
	// Progress is told how many addresses were asked for, and how many are known.
	Progress func(asked, known int)

	rules map[address.Address]Rules
}

// Rules are what robots.txt of a host says, and how it was answered.
type Rules struct {
	sitefile.Robots
	Status  int // 0: no answer
	Failure fetch.Failure
	Size    int // bytes that were read
	More    bool
}

// together is how many addresses are asked for at a time.
const together = 8

// Run walks from these addresses and returns what it met, level by level, in
// the order of addresses. It ends early, with what it has, when ctx does.
func (c *Crawler) Run(ctx context.Context, start []address.Address) ([]Page, error) {
	var met []Page
	err := c.Walk(ctx, start, func(p Page, _ []address.Address) { met = append(met, p) })
	return met, err
}

// Walk does what Run does, and passes each page on with the addresses where it
// leads.
func (c *Crawler) Walk(ctx context.Context, start []address.Address, meet func(Page, []address.Address)) error {
	if c.Visitor == nil {
		c.Visitor = Live{c.Asker}
	}
	known, met := map[address.Address]bool{}, 0
	level := c.queue(nil, start, known)
	for len(level) > 0 {
		inOrder(level)
		var next []address.Address
		for part := range slices.Chunk(level, batch) {
			pages, err := c.askAll(ctx, part, func(done int) {
				if c.Progress != nil {
					c.Progress(met+done, len(known))
				}
			})
			for _, p := range pages {
				leads := p.Leads()
				next = c.queue(next, leads, known)
				meet(p, leads)
			}
			met += len(pages)
			if err != nil {
				return err
			}
		}
		level = next
	}
	return nil
}

// batch is how many pages are held at a time.
const batch = 1000

// Leads returns where a page leads.
func (p Page) Leads() []address.Address {
	if p.To != (address.Address{}) {
		return []address.Address{p.To}
	}
	if !p.HTML {
		return nil
	}
	base := p.Base()
	var list []address.Address
	add := func(link string) {
		if link == "" {
			return
		}
		if a, err := address.Reference(base, link); err == nil {
			list = append(list, a)
		}
	}
	for _, canonical := range p.Signals.Canonicals {
		add(canonical.Link)
	}
	add(p.Header.Canonical)
	for _, a := range slices.Concat(p.Header.Alternates, p.Signals.Alternates) {
		add(a.Link)
	}
	add(p.Signals.Refresh)
	if !page.Says(p.Robots(), "nofollow") {
		for _, link := range p.Signals.Links {
			add(link)
		}
	}
	return list
}

// queue adds the addresses that are to be asked for next, as long as there are not more of them in all than are asked for.
func (c *Crawler) queue(next, links []address.Address, known map[address.Address]bool) []address.Address {
	for _, a := range links {
		a.Fragment = ""
		if len(known) >= c.Max {
			break
		}
		if !c.Site.Has(a.Host) {
			continue
		}
		a, ok := c.Queue(a)
		if !ok || known[a] {
			continue
		}
		known[a] = true
		next = append(next, a)
	}
	return next
}

func inOrder(list []address.Address) {
	slices.SortFunc(list, func(a, b address.Address) int { return strings.Compare(a.String(), b.String()) })
}

// askAll asks for the addresses of a level.
func (c *Crawler) askAll(ctx context.Context, level []address.Address, done func(int)) ([]Page, error) {
	for _, a := range level { // the rules of each host, before it is asked for anything else
		c.Rules(ctx, a.Origin())
	}
	pages := make([]Page, len(level))
	var asked atomic.Int32
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(c.Together, together))
	for i, a := range level {
		group.Go(func() (err error) {
			if pages[i], err = c.ask(ctx, a); err != nil {
				pages[i] = Page{}
			}
			asked.Add(1)
			return err
		})
		done(int(asked.Load()))
	}
	err := group.Wait()
	done(int(asked.Load()))
	return slices.DeleteFunc(pages, func(p Page) bool { return p.Address == address.Address{} }), err
}

// Rules returns what the robots.txt of a host says: where there is none all is
// allowed, where it can't be had nothing is (RFC 9309 section 2.3.1). It is
// asked for once.
func (c *Crawler) Rules(ctx context.Context, origin address.Address) Rules {
	if r, ok := c.rules[origin]; ok {
		return r
	}
	if c.rules == nil {
		c.rules = map[address.Address]Rules{}
	}
	r := c.askRules(ctx, origin)
	if ctx.Err() == nil {
		c.rules[origin] = r
	}
	return r
}

func (c *Crawler) askRules(ctx context.Context, origin address.Address) Rules {
	nothing, _ := sitefile.ReadRobots(strings.NewReader("user-agent: *\ndisallow: /"))
	at := origin
	at.Path = "/robots.txt"
	for range 6 {
		get := c.Asker.Get
		if !c.Site.Has(at.Host) {
			get = c.Elsewhere
		}
		reply, err := get(ctx, at)
		r := Rules{Status: reply.Status, Failure: fetch.FailureOf(err), Size: len(reply.Body), More: reply.Truncated}
		switch {
		case err != nil || reply.Status >= 500:
			r.Robots = nothing
			return r
		case reply.Status >= 300 && reply.Status < 400:
			to, err := address.Reference(at, reply.Location)
			if err != nil || !c.Site.Has(to.Host) && c.Elsewhere == nil {
				return r
			}
			at = to
		case reply.Status == 200:
			if r.Robots, err = sitefile.ReadRobots(bytes.NewReader(reply.Body)); err != nil {
				r.Robots = nothing
			}
			return r
		default:
			return r
		}
	}
	return Rules{}
}

// why says why a page isn't asked for.
func (r Rules) why() string {
	switch {
	case r.Failure == fetch.NoName:
		return "the host's name leads nowhere"
	case r.Failure == fetch.Closed:
		return "nobody listens there"
	case r.Failure == fetch.Certificate:
		return "the host's certificate is not valid; --ca trusts one of your own"
	case r.Failure != "":
		return fmt.Sprintf("robots.txt can't be had (%s)", r.Failure)
	case r.Status >= 500:
		return fmt.Sprintf("robots.txt answers %d, which forbids all", r.Status)
	}
	return "robots.txt forbids it"
}

// ask asks for one address and reads the page there.
func (c *Crawler) ask(ctx context.Context, a address.Address) (Page, error) {
	blocked := !c.rules[a.Origin()].Allows(c.Agent, a.Local())
	if blocked && (c.Known == nil || !c.Known(a)) {
		return Page{Address: a, Blocked: true, Why: c.rules[a.Origin()].why()}, ctx.Err()
	}
	p, err := c.Visitor.Visit(ctx, a)
	p.Blocked = blocked
	return p, err
}
