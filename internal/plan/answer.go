package plan

import (
	"net/netip"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/inventory"
	"young-compass/internal/planfile"
	"young-compass/internal/resolve"
)

// Request is what a visitor asks: a method and an address without fragment.
// The host is the name alone, since the port says nothing about the site.
type Request struct {
	Method string
	address.Address
	Client    netip.Addr // who asks; the zero value: anyone
	Forwarded string     // the scheme that a proxy says it was asked by (X-Forwarded-Proto)

	unsafe bool // its path, as it was sent, is one that servers disagree about
}

// NewRequest reads a request for an absolute URL.
func NewRequest(method, url string) (Request, error) {
	a, err := address.Parse(url)
	if err != nil {
		return Request{}, err
	}
	a.Fragment = ""
	if i := strings.LastIndexByte(a.Host, ':'); i >= 0 && !strings.HasSuffix(a.Host, "]") {
		a.Host = a.Host[:i]
	}
	return Request{Method: method, Address: a, unsafe: unsafe(url)}, nil
}

// unsafe reports whether the path of a URL, as it was sent, holds what servers disagree about, also in a segment that a
// dot segment takes away.
//
//	https://skerrywick.example/a%2F/../routes
func unsafe(url string) bool {
	_, rest, _ := strings.Cut(url, "://")
	path := rest[min(strings.IndexByte(rest+"/", '/'), len(rest)):]
	if i := strings.IndexAny(path, "?#"); i >= 0 {
		path = path[:i]
	}
	return address.Unsafe(path)
}

// trusted returns the request as the visitor made it: a proxy is believed only
// when the plan lists it.
func (p *Plan) trusted(r Request) Request {
	scheme := strings.ToLower(r.Forwarded)
	if (scheme == "http" || scheme == "https") && planfile.Within(p.Proxies, r.Client) {
		r.Scheme = scheme
	}
	return r
}

// Outcome is the kind of an answer.
type Outcome string

// The outcomes.
const (
	Served  Outcome = "served"      // a live page or a file, 200
	Moved   Outcome = "redirect"    // 301, 302, 303, 307 or 308
	Gone    Outcome = "gone"        // 410
	Unknown Outcome = "unknown"     // 404
	Foreign Outcome = "foreign"     // a host that isn't the site's; no rule applies
	Exempt  Outcome = "exempt"      // left alone by the plan's only: and except:; no rule applies
	Closed  Outcome = "maintenance" // 503 with Retry-After
)

// Cause is one reason for an answer: a line of the plan, and its rule in words.
type Cause = resolve.Cause

// Answer is what the plan answers to a request.
type Answer struct {
	Outcome      Outcome
	Status       int           // 0 where the plan doesn't decide it
	To           string        // for Moved: the Location
	Page         inventory.Ref // for Served: the page, if it isn't a file
	Canonical    string        // for Served: the page's one address
	Unclassified []string      // for Served: parameters that the plan gives no class
	Internal     string        // for Served and Unknown: the address by which the server makes it
	RetryAfter   int           // for Closed: seconds
	Headers      []Field       // that rules add
	Causes       []Cause
}

// answer answers on the site's hosts. The walker stands at the request.
func (a *Answerer) answer(r Request) (Answer, error) {
	p := a.plan
	if r.unsafe || address.Unsafe(r.Path) {
		cause := p.Says("site", "an encoded slash, backslash or control character matches no rule")
		return Answer{Outcome: Unknown, Status: 404, Causes: []Cause{cause}}, nil
	}
	if p.Scope.Leaves(r.Path) {
		key := "only"
		if p.Scope.Except.Has(r.Path) {
			key = "except"
		}
		return Answer{Outcome: Exempt, Causes: []Cause{p.Says(key, "the plan leaves this address alone")}}, nil
	}
	if m := p.Upkeep; m != nil && !m.Admits(r.Client) && !m.Except.Has(r.Path) {
		cause := Cause{File: p.File, Line: m.Where.Line, Rule: "the site is closed for maintenance"}
		return Answer{Outcome: Closed, Status: 503, RetryAfter: m.RetryAfter, Causes: []Cause{cause}}, nil
	}
	var joined Answer
	end, err := a.walker.Walk(func() (ok bool) {
		joined, ok = a.join()
		return ok
	})
	if err != nil {
		return Answer{}, err
	}
	if end.Kind == resolve.Stopped {
		return joined, nil
	}
	answer := a.ended(end)
	if answer.Outcome != Unknown && (answer.Outcome != Served || p.IsFile(r.Path) && answer.Page == inventory.Ref{}) {
		return answer, nil
	}
	if to, cause := p.internal(r); to != "" {
		answer.Internal, answer.Causes = to, append(answer.Causes, cause)
		if answer.Outcome == Unknown {
			answer.Status = 0 // the script's
		}
	}
	return answer, nil
}

// ended is the answer where a way has ended.
func (a *Answerer) ended(end resolve.End) Answer {
	w := a.walker
	switch {
	case end.Kind == resolve.AtGone:
		return Answer{Outcome: Gone, Status: 410, Causes: append(w.Causes, end.Cause)}
	case len(w.Steps) > 0:
		return Answer{Outcome: Moved, Status: w.Status(), To: w.At.String(), Causes: w.Causes}
	case end.Kind == resolve.AtFile:
		return Answer{Outcome: Served, Status: 200, Causes: []Cause{end.Cause}}
	case end.Kind == resolve.AtPage:
		page := a.plan.bookEntry(end.Number).Page
		current, _ := a.plan.CurrentAddress(page) // a live page that is served has one
		params := w.Params()
		return Answer{Outcome: Served, Status: 200, Page: page, Canonical: a.plan.canonical(page, current, params),
			Unclassified: a.plan.unclassified(current, params), Causes: []Cause{end.Cause}}
	}
	return Answer{Outcome: Unknown, Status: 404, Causes: []Cause{end.Cause}}
}
