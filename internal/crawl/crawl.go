// Package crawl walks through a site by its links, politely: it obeys
// robots.txt (RFC 9309), asks for each address once, and stays within bounds.
package crawl

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"mime"
	"slices"
	"strings"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/page"
	"young-compass/internal/sitefile"
)

// Asker asks for addresses, without following redirects.
type Asker interface {
	Get(context.Context, address.Address) (fetch.Reply, error)
}

// Page is what was met at an address.
type Page struct {
	Address address.Address
	Status  int             // 0: the server was not asked, or didn't answer
	To      address.Address // where it redirects, on http or https; else the zero value
	HTML    bool
	Signals page.Signals
	Why     string // why nothing was read
}

// Crawler walks through a site.
type Crawler struct {
	Asker Asker
	Site  address.Site
	Agent string // the product token that robots.txt may name
	Max   int    // addresses that are asked for
	// Queue says in which form an address is asked for, and whether at all.
	Queue func(address.Address) (address.Address, bool)
	// Progress is told how many addresses were asked for, and how many are known.
	Progress func(asked, known int)

	robots map[address.Address]sitefile.Robots
}

// together is how many addresses are asked for at a time.
const together = 8

// Run walks from these addresses and returns what it met, level by level, in
// the order of addresses. It ends early, with what it has, when ctx does.
func (c *Crawler) Run(ctx context.Context, start []address.Address) ([]Page, error) {
	c.robots = map[address.Address]sitefile.Robots{}
	known := map[address.Address]bool{}
	var met []Page
	level := c.queue(start, known)
	for len(level) > 0 {
		level = level[:min(len(level), c.Max-len(met))]
		pages, err := c.askAll(ctx, level, func(done int) {
			if c.Progress != nil {
				c.Progress(len(met)+done, len(known))
			}
		})
		met = append(met, pages...)
		if err != nil || len(met) >= c.Max {
			return met, err
		}
		var links []address.Address
		for _, p := range pages {
			links = append(links, p.links()...)
		}
		level = c.queue(links, known)
	}
	return met, nil
}

// links returns where a page leads.
func (p Page) links() []address.Address {
	if p.To != (address.Address{}) {
		return []address.Address{p.To}
	}
	base := p.Address
	if b, err := address.Reference(p.Address, p.Signals.Base); err == nil && p.Signals.Base != "" {
		base = b
	}
	var list []address.Address
	add := func(link string) {
		if a, err := address.Reference(base, link); err == nil {
			list = append(list, a)
		}
	}
	if canonical := p.Signals.Canonical(); canonical != "" {
		add(canonical)
	}
	for _, a := range p.Signals.Alternates {
		add(a.Link)
	}
	if !strings.Contains(p.Signals.Robots, "nofollow") && !strings.Contains(p.Signals.Robots, "none") {
		for _, link := range p.Signals.Links {
			add(link)
		}
	}
	return list
}

// queue returns the addresses that are to be asked for next, in order.
func (c *Crawler) queue(links []address.Address, known map[address.Address]bool) []address.Address {
	var next []address.Address
	for _, a := range links {
		a.Fragment = ""
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
	slices.SortFunc(next, func(a, b address.Address) int { return strings.Compare(a.String(), b.String()) })
	return next
}

// askAll asks for the addresses of a level.
func (c *Crawler) askAll(ctx context.Context, level []address.Address, done func(int)) ([]Page, error) {
	for _, a := range level { // the rules of each host, before it is asked for anything else
		if _, ok := c.robots[a.Origin()]; !ok {
			c.robots[a.Origin()] = c.rules(ctx, a.Origin())
		}
	}
	pages := make([]Page, len(level))
	var asked atomic.Int32
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(together)
	for i, a := range level {
		group.Go(func() error {
			pages[i] = c.ask(ctx, a)
			asked.Add(1)
			return ctx.Err()
		})
		done(int(asked.Load()))
	}
	err := group.Wait()
	done(int(asked.Load()))
	return slices.DeleteFunc(pages, func(p Page) bool { return p.Address == address.Address{} }), err
}

// rules reads a host's robots.txt: where there is none all is allowed, where it
// can't be had nothing is (RFC 9309 section 2.3.1).
func (c *Crawler) rules(ctx context.Context, origin address.Address) sitefile.Robots {
	nothing, _ := sitefile.ReadRobots(strings.NewReader("user-agent: *\ndisallow: /"))
	at := origin
	at.Path = "/robots.txt"
	for range 6 {
		reply, err := c.Asker.Get(ctx, at)
		switch {
		case err != nil || reply.Status >= 500:
			return nothing
		case reply.Status >= 300 && reply.Status < 400:
			to, err := address.Reference(at, reply.Location)
			if err != nil || !c.Site.Has(to.Host) {
				return sitefile.Robots{}
			}
			at = to
		case reply.Status == 200:
			robots, err := sitefile.ReadRobots(bytes.NewReader(reply.Body))
			if err != nil {
				return nothing
			}
			return robots
		default:
			return sitefile.Robots{}
		}
	}
	return sitefile.Robots{}
}

// ask asks for one address and reads the page there.
func (c *Crawler) ask(ctx context.Context, a address.Address) Page {
	p := Page{Address: a}
	if !c.robots[a.Origin()].Allows(c.Agent, a.Local()) {
		p.Why = "robots.txt forbids it"
		return p
	}
	reply, err := c.Asker.Get(ctx, a)
	switch {
	case errors.Is(err, context.Canceled):
		return Page{}
	case err != nil:
		p.Why = "no answer"
		return p
	}
	p.Status = reply.Status
	if reply.Status >= 300 && reply.Status < 400 && reply.Location != "" {
		if to, err := address.Reference(a, reply.Location); err == nil {
			p.To = to
		}
		return p
	}
	if reply.Status != 200 {
		p.Why = fmt.Sprintf("answered %d", reply.Status)
		return p
	}
	kind, _, err := mime.ParseMediaType(reply.Header.Get("Content-Type"))
	if err == nil && kind != "text/html" && kind != "application/xhtml+xml" {
		p.Why = "no HTML page"
		return p
	}
	if p.Signals, err = page.Read(bytes.NewReader(reply.Body), reply.Header.Get("Content-Type")); err != nil {
		p.Why = "no HTML page"
		return p
	}
	p.HTML = true
	if header := strings.ToLower(reply.Header.Get("X-Robots-Tag")); header != "" && !strings.Contains(p.Signals.Robots, header) {
		p.Signals.Robots = strings.Trim(p.Signals.Robots+", "+header, ", ")
	}
	return p
}
