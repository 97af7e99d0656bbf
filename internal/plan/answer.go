package plan

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/redirect"
)

// Request is what a visitor asks: a method and an address without fragment.
// The host is the name alone, since the port says nothing about the site.
type Request struct {
	Method string
	address.Address
	Client    netip.Addr // who asks; the zero value: anyone
	Forwarded string     // the scheme that a proxy says it was asked by (X-Forwarded-Proto)
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
	return Request{Method: method, Address: a}, nil
}

// trusted returns the request as the visitor made it: a proxy is believed only
// when the plan lists it.
func (p *Plan) trusted(r Request) Request {
	if scheme := strings.ToLower(r.Forwarded); (scheme == "http" || scheme == "https") && within(p.Proxies, r.Client) {
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
type Cause struct {
	File string `json:"file"`
	Line int    `json:"line"`
	Rule string `json:"rule"`
}

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

// noPage is the rule that decides where no other does.
const noPage = "no page has this address"

// maxRounds is how often a pattern's target may meet a pattern again.
const maxRounds = 5

// maxSteps bounds the redirects and rules composed into one answer.
const maxSteps = 64

// way is a request on its way through the plan, with the steps taken so far.
type way struct {
	answerer     *Answerer
	method       string
	at           address.Address
	seen         []address.Address
	causes       []Cause
	statuses     []int  // of the steps
	derivedSteps []bool // whether nobody wrote the step's status
	patterns     int
	byPattern    bool // the first step was a pattern's
	joint        joint
	travelled    bool     // a redirect was taken, not only rules about spelling
	stripped     []string // parameters that steps took away or gave a value of their own
	dropped      bool     // a step took all parameters away
	query        string   // that was split last
	split        []address.Param
}

// params returns the parameters where the way stands.
func (w *way) params() []address.Param {
	if w.query != w.at.Query {
		w.query, w.split = w.at.Query, address.SplitQuery(w.at.Query)
	}
	return w.split
}

// answer answers on the site's hosts.
func (p *Plan) answer(r Request, w *way) (Answer, error) {
	if address.Unsafe(r.Path) {
		return Answer{Outcome: Unknown, Status: 404, Causes: []Cause{p.cause("site", "an encoded slash, backslash or control character matches no rule")}}, nil
	}
	if p.IsExempt(r.Path) {
		key := "only"
		if p.Except.Has(r.Path) {
			key = "except"
		}
		return Answer{Outcome: Exempt, Causes: []Cause{p.cause(key, "the plan leaves this address alone")}}, nil
	}
	if m := p.Upkeep; m != nil && !m.Admits(r.Client) && !m.Except.Has(r.Path) {
		return Answer{Outcome: Closed, Status: 503, RetryAfter: m.RetryAfter, Causes: []Cause{{File: p.File, Line: m.Where.Line, Rule: "the site is closed for maintenance"}}}, nil
	}
	a, err := p.walk(w)
	if err != nil || a.Outcome != Unknown && (a.Outcome != Served || p.IsFile(r.Path) && a.Page == inventory.Ref{}) {
		return a, err
	}
	if to, cause := p.internal(r); to != "" {
		a.Internal, a.Causes = to, append(a.Causes, cause)
		if a.Outcome == Unknown {
			a.Status = 0 // the script's
		}
	}
	return a, nil
}

// walk takes steps until the way ends.
func (p *Plan) walk(w *way) (Answer, error) {
	for {
		a, done, err := p.advance(w)
		if done || err != nil {
			return a, err
		}
		if !p.Site.Has(w.at.Host) || p.IsExempt(w.at.Path) || w.ends(p) {
			return w.moved(), nil
		}
		if a, ok := w.join(); ok {
			return a, nil
		}
		if slices.Contains(w.seen, w.at) || len(w.seen) > maxSteps {
			return Answer{}, fmt.Errorf("this leads round in a circle: %s", w.trail())
		}
	}
}

func (w *way) trail() string {
	var b strings.Builder
	for _, a := range w.seen[max(0, len(w.seen)-6):] {
		b.WriteString(a.String() + " -> ")
	}
	return b.String() + w.at.String()
}

// step moves on to another address, unless it is where the way stands.
func (w *way) step(to address.Address, status int, cause Cause) bool {
	if to == w.at {
		return false
	}
	derived := status == 0
	if derived {
		status = w.derived()
	}
	w.derivedSteps = append(w.derivedSteps, derived)
	w.seen = append(w.seen, w.at)
	w.at = to
	w.statuses = append(w.statuses, status)
	w.causes = append(w.causes, cause)
	return true
}

// derived is the status of steps that nobody wrote a status for: other methods
// than GET and HEAD must survive a redirect (RFC 9110 section 15.4.9).
func (w *way) derived() int {
	if w.method == "GET" || w.method == "HEAD" {
		return 301
	}
	return 308
}

func (w *way) written(status int) int {
	if status == 0 {
		return w.derived()
	}
	return status
}

func (w *way) moved() Answer {
	return Answer{Outcome: Moved, Status: redirect.Compose(w.statuses), To: w.at.String(), Causes: w.causes}
}

func (w *way) gone(cause Cause) Answer {
	return Answer{Outcome: Gone, Status: 410, Causes: append(w.causes, cause)}
}

// unknown ends the way at an address that no page has.
func (w *way) unknown(cause Cause) Answer {
	if len(w.statuses) > 0 {
		return w.moved()
	}
	return Answer{Outcome: Unknown, Status: 404, Causes: []Cause{cause}}
}

// advance takes one step, or ends the way. Exact entries decide first, then
// patterns, then the site's own rules.
func (p *Plan) advance(w *way) (a Answer, done bool, err error) {
	params := w.params()
	reading := w.reading()
	named := p.named(w.at.Path, reading)
	carried := redirect.Carried(params, named)
	known := len(carried) > 0 // an unknown item must not slide to another page
	for _, n := range p.index.Match(w.at.Host, w.at.Path, params, named) {
		e := p.entry(n)
		if e == nil {
			row := p.Redirects.Row(n)
			if p.ignored[n] {
				continue
			}
			if row.Gone() {
				return w.gone(rowCause(row)), true, nil
			}
			if p.follow(w, row) {
				return a, false, nil
			}
			continue
		}
		page := p.Pages.Find(e.Page)
		if page != nil && page.State == inventory.Live {
			return p.meet(w, *e)
		}
		if row := p.rowOfCurrent(e.Page); row != nil && e.State != book.Current {
			if row.Gone() {
				return w.gone(rowCause(*row)), true, nil
			}
			if p.followFormer(w, *e, *row) {
				return a, false, nil
			}
		}
		if page != nil && page.State == inventory.Gone {
			return w.gone(p.entryCause(*e, "the page "+e.Page.String()+" is gone")), true, nil
		}
		known = true
		break
	}
	if moved, err := p.pattern(w, reading, params, named); moved || err != nil {
		return a, false, err
	}
	if p.IsFile(w.at.Path) {
		if p.home(w, w.at.Path, joinParams(params, nil)) {
			return a, false, nil
		}
		if len(w.statuses) > 0 {
			return w.moved(), true, nil
		}
		return Answer{Outcome: Served, Status: 200, Causes: []Cause{p.cause("files", "a listed file is served as it is")}}, true, nil
	}
	if p.spell(w) {
		return a, false, nil
	}
	if !known && p.shape(w) || p.small(w) {
		return a, false, nil
	}
	if len(carried) > 0 {
		return w.unknown(p.cause("site", "no page has this item: the path is known with other values of "+strings.Join(named, ", "))), true, nil
	}
	return w.unknown(p.cause("site", noPage)), true, nil
}

// reading returns the rules whose paths read where the way stands.
func (w *way) reading() []int32 { return w.answerer.rules.Find(redirect.PatternPath(w.at.Path)) }

// Named returns the parameters, sorted, that give the path a meaning: those
// that any redirect, address of the book or pattern for it names.
func (p *Plan) Named(path string) []string {
	p.reader.Lock()
	defer p.reader.Unlock()
	return p.named(path, p.reader.rules.Find(redirect.PatternPath(path)))
}

// named does the same; reading are the rules that read the path.
func (p *Plan) named(path string, reading []int32) []string {
	names := p.index.Named(path)
	shared := true
	for _, n := range reading {
		for _, q := range p.Rules[n].Reader.Query() {
			if shared {
				names, shared = slices.Clone(names), false
			}
			if i, ok := slices.BinarySearch(names, q.Name); !ok {
				names = slices.Insert(names, i, q.Name)
			}
		}
	}
	return names
}

// follow takes a redirect. It reports false when it leads to where the way is.
func (p *Plan) follow(w *way, row redirect.Row) bool {
	target := row.Target
	if row.ToPage() {
		current, ok := p.CurrentAddress(row.Page)
		if !ok {
			return false
		}
		current.Fragment = row.Target.Fragment
		target = current
	}
	return w.step(p.travel(w, target, row.Names(), row.Drop), row.Status, rowCause(row))
}

// followFormer answers at a former address of a page that isn't live what the
// page's current address answers: the redirect from there.
func (p *Plan) followFormer(w *way, e book.Entry, row redirect.Row) bool {
	current, ok := p.CurrentAddress(e.Page)
	if !ok {
		return false
	}
	cause := p.entryCause(e, "was an address of "+e.Page.String())
	if !w.step(p.travel(w, current, redirect.SourceOf(e.Address).Names(), false), 0, cause) {
		return false
	}
	p.follow(w, row) // unless it leads back here
	return true
}

func rowCause(row redirect.Row) Cause {
	to := "gone"
	if !row.Gone() {
		to = "to " + row.To
	}
	return Cause{File: row.File, Line: row.Line, Rule: "redirect from " + row.From + " " + to}
}

func (p *Plan) entryCause(e book.Entry, rule string) Cause {
	return Cause{File: p.Book.File, Line: e.Line, Rule: rule}
}

// rowOfCurrent returns the redirect from the current address of a page that
// isn't live, or nil.
func (p *Plan) rowOfCurrent(r inventory.Ref) *redirect.Row {
	i, ok := p.current[r]
	if !ok {
		return nil
	}
	a := p.Book.Entries[i].Address
	for _, n := range p.index.Match(a.Host, a.Path, address.SplitQuery(a.Query), p.index.Named(a.Path)) {
		if p.entry(n) == nil && !p.ignored[n] {
			row := p.Redirects.Row(n)
			return &row
		}
	}
	return nil
}

// meet answers at an address of a live page.
func (p *Plan) meet(w *way, e book.Entry) (a Answer, done bool, err error) {
	current, ok := p.CurrentAddress(e.Page)
	if !ok {
		return w.unknown(p.entryCause(e, "the page "+e.Page.String()+" has no current address")), true, nil
	}
	if !p.serves(e) {
		what := "was the address of "
		if e.State == book.Variant {
			what = "is another address of "
		}
		names := redirect.SourceOf(e.Address).Names()
		if w.step(p.travel(w, current, names, false), 0, p.entryCause(e, what+e.Page.String())) {
			return a, false, nil
		}
	}
	path := current.Path
	if e.State == book.Shown {
		path = e.Address.Path
	}
	params := w.params()
	if address.Decode(w.at.Path) != address.Decode(path) {
		to := p.Site.Rebase(w.at)
		to.Path, to.Query = path, p.rest(w)
		w.step(to, 0, p.entryCause(e, "the address of "+e.Page.String()+" is spelled "+path))
		return a, false, nil
	}
	if p.home(w, path, p.rest(w)) || p.quiet(w) {
		return a, false, nil
	}
	if len(w.statuses) > 0 {
		return w.moved(), true, nil
	}
	return Answer{Outcome: Served, Status: 200, Page: e.Page, Canonical: p.canonical(e.Page, current, params),
		Unclassified: p.unclassified(current, params), Causes: []Cause{p.entryCause(e, "the page "+e.Page.String()+" is live")}}, true, nil
}

// pattern takes the first pattern that matches.
func (p *Plan) pattern(w *way, reading []int32, params []address.Param, named []string) (bool, error) {
	if p.Site.IsHome(w.at.Host) {
		return false, nil // patterns name no host
	}
	for _, n := range reading {
		rule := p.Rules[n]
		if rule.Except.Has(w.at.Path) {
			continue
		}
		target, ok := address.Address{}, false
		if len(named) == 0 && address.Settled(w.at.Path) {
			target, _, ok = rule.Direct(w.at.Path, p.Paths.Lower)
		}
		if !ok {
			values, ok := rule.Reads(w.at.Path, params, named, p.Paths.Lower)
			if !ok {
				continue
			}
			var err error
			if target, err = rule.Leads(values, p.Site); err != nil {
				continue // a value that makes no address
			}
		}
		first := len(w.seen) == 0
		if !w.step(p.travel(w, target, rule.Names(), rule.Drop), rule.Status, p.ruleCauses[n]) {
			continue
		}
		w.byPattern = w.byPattern || first
		if w.patterns++; w.patterns > maxRounds {
			return true, errors.New("more than five patterns lead on to one another: " + w.trail())
		}
		return true, nil
	}
	return false, nil
}

// travel returns where a redirect leads: its target, with the request's other
// parameters behind the target's own.
func (p *Plan) travel(w *way, to address.Address, named []string, drop bool) address.Address {
	w.travelled = true
	to = p.Site.Rebase(to)
	if to.Fragment == "" {
		to.Fragment = w.at.Fragment
	}
	if drop {
		w.dropped = true
		return to
	}
	if w.at.Query == "" && len(named) == 0 && to.Query == "" {
		return to
	}
	if to.Query == "" && len(named) == 0 {
		to.Query = p.rest(w)
		return to
	}
	own := address.SplitQuery(to.Query)
	leave := slices.Clone(named)
	for _, q := range own {
		leave = append(leave, q.Name)
	}
	w.stripped = append(w.stripped, leave...)
	noise := p.noiseAt(w.at.Path)
	rest := slices.DeleteFunc(slices.Clone(w.params()), func(q address.Param) bool {
		return slices.Contains(leave, q.Name) || noise(q)
	})
	to.Query = address.JoinQuery(append(own, rest...))
	return to
}

// noiseAt tells the parameters that are noise on a path.
func (p *Plan) noiseAt(path string) func(address.Param) bool {
	return func(q address.Param) bool { return p.ClassOf(q.Name, path) == Noise }
}
