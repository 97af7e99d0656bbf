package resolve

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

// By says what took a step.
type By uint8

// What takes steps.
const (
	ByRule    By = iota // one of the site's own rules
	BySource            // a redirect or an address of the book, by its number
	ByPattern           // a pattern, by its position
)

// Step is one step of a way.
type Step struct {
	From    address.Address
	By      By
	Number  int
	Status  int
	Derived bool // nobody wrote the status
}

// EndKind says how a way ends.
type EndKind uint8

// The ends of a way.
const (
	Onward    EndKind = iota // it goes on
	AtPage                   // a live page is served
	AtFile                   // a listed file is served
	AtGone                   // 410
	AtNothing                // no page has this address
	Outside                  // a host that isn't the site's, or where the plan leaves addresses alone
	Stopped                  // whoever follows the way has seen enough
)

// End is where a way ends.
type End struct {
	Kind   EndKind
	Number int // of the source, for AtPage and AtGone
	Cause  Cause
}

// Walker follows one way after another. It keeps what it has worked out about patterns for the next ones, so that it
// must not be used by two at a time.
type Walker struct {
	Rules *Rules
	Way

	patterns *template.Automaton
	plain    bool
	nothing  Cause
}

// Way is a request on its way, with the steps it has taken.
type Way struct {
	Method    string
	At        address.Address
	Steps     []Step
	Causes    []Cause  // of the steps; some have two
	Travelled bool     // a redirect was taken, not only rules about spelling
	Stripped  []string // parameters that steps took away or gave a value of their own
	Dropped   bool     // a step took all parameters away
	Idle      By       // what takes all parameters away and led to where the way stood, so that it leads on with some
	Still     int      // the number, from 1 on, of the redirect or address that led to where the way began; 0: there is none

	rounds int    // patterns
	query  string // that was split last
	split  []address.Param
}

// Walker returns a new one, for as long as the rules don't change.
func (r *Rules) Walker() *Walker {
	return &Walker{Rules: r, patterns: r.Automaton(), plain: r.Plain(), nothing: r.says("site", NoPage)}
}

// NoPage is the rule that decides where no other does.
const NoPage = "no page has this address"

// Start begins a way, and keeps the room that the last one had.
func (w *Walker) Start(method string, at address.Address) {
	w.Way = Way{Method: method, At: at, query: w.query, split: w.split, Steps: w.Steps[:0], Causes: w.Causes[:0],
		Stripped: w.Stripped[:0]}
}

// LongWays makes the walker do without its short ways.
func (w *Walker) LongWays() { w.plain = false }

// Plain reports whether the walker takes short ways: see Rules.Plain.
func (w *Walker) Plain() bool { return w.plain }

// Reading returns the patterns, by their positions, that read a path.
func (w *Walker) Reading(path string) []int32 { return w.patterns.Find(route.PatternPath(path)) }

// Named returns the parameters, sorted, that give a path a meaning: those that any redirect, address of the book or
// pattern for it names.
func (w *Walker) Named(path string) []string { return w.Rules.named(path, w.Reading(path)) }

// Params returns the parameters where the way stands.
func (w *Way) Params() []address.Param {
	if w.query != w.At.Query {
		w.query, w.split = w.At.Query, address.SplitQuery(w.At.Query)
	}
	return w.split
}

// Rounds returns how many patterns the way has met.
func (w *Way) Rounds() int { return w.rounds }

// Status returns the one status of all steps.
func (w *Way) Status() int {
	statuses := make([]int, 0, 8)
	for i := range w.Steps {
		statuses = append(statuses, w.Steps[i].Status)
	}
	return Compose(statuses...)
}

// Written returns the status of all steps as it would be written: 0 where GET is answered with 301 and other
// methods with 308.
func (w *Way) Written() int {
	var statuses []int
	for _, s := range w.Steps {
		if s.Derived {
			s.Status = 0
		}
		statuses = append(statuses, s.Status)
	}
	return ComposeWritten(statuses...)
}

// Stood returns the address at which the way stood after so many steps; after all, it is the one where it stands.
func (w *Way) Stood(steps int) address.Address {
	if steps < len(w.Steps) {
		return w.Steps[steps].From
	}
	return w.At
}

// trail writes the last steps.
func (w *Way) trail() string {
	var b strings.Builder
	for _, s := range w.Steps[max(0, len(w.Steps)-6):] {
		b.WriteString(s.From.String() + " -> ")
	}
	return b.String() + w.At.String()
}

// Walk takes steps until the way ends. An error means that the rules contradict themselves: it says which addresses
// lead round in a circle, or that the way is longer than any should be. After each step stop, which may be nil, says whether that is enough.
func (w *Walker) Walk(stop func() bool) (End, error) {
	for {
		end, err := w.Step()
		if end.Kind != Onward || err != nil {
			return end, err
		}
		if w.Nothing() {
			return End{Kind: AtNothing}, nil
		}
		if stop != nil && stop() {
			return End{Kind: Stopped}, nil
		}
		switch {
		case slices.ContainsFunc(w.Steps, func(s Step) bool { return s.From == w.At }):
			return End{}, fmt.Errorf("this leads round in a circle: %s", w.trail())
		case len(w.Steps) > maxSteps:
			return End{}, fmt.Errorf("more than %d redirects follow one another: %s", maxSteps, w.trail())
		}
	}
}

// Nothing reports, where that can be told at once, that a way ends where it stands: at a plain address on the origin
// that nothing knows. False says nothing.
func (w *Walker) Nothing() bool {
	r := w.Rules
	path := w.At.Path
	if !w.plain || w.At.Scheme != r.Site.Origin.Scheme || w.At.Host != r.Site.Origin.Host || !isPlain(path) ||
		r.WithoutPrefix(path) != path {
		return false
	}
	if w.At.Query != "" && slices.ContainsFunc(w.Params(), r.Parameters.Noisy(path)) {
		return false
	}
	return len(r.Index.NamedAt(path)) == 0 && r.Index.FirstBare(w.At.Host, path) < 0 && w.patterns.Find(path) == nil
}

// isPlain reports whether no rule about spelling concerns a path: nothing in it is to be folded, decoded or merged,
// there is no dot and no slash at its end.
func isPlain(path string) bool { return address.Settled(path) && Bare(path) }

// Bare reports whether a path has no dot and no slash at its end.
func Bare(path string) bool {
	return strings.IndexByte(path, '.') < 0 && path[len(path)-1] != '/'
}

// take moves on to another address, unless it is where the way stands. A fragment makes no other address: no request
// carries one, so that a visitor who was led there would ask the same again.
func (w *Way) take(to address.Address, by By, number, status int, cause Cause) bool {
	fragment := to.Fragment
	if to.Fragment = w.At.Fragment; to == w.At {
		return false
	}
	to.Fragment = fragment
	derived := status == 0
	if derived {
		status = w.Derived()
	}
	w.Steps = append(w.Steps, Step{w.At, by, number, status, derived})
	w.At = to
	w.Causes = append(w.Causes, cause)
	return true
}

// Derived is the status of steps that nobody wrote a status for: other methods than GET and HEAD must survive a
// redirect (RFC 9110 section 15.4.9).
func (w *Way) Derived() int {
	if w.Method == "GET" || w.Method == "HEAD" {
		return 301
	}
	return 308
}

// Step takes one step, or ends the way. Sources decide first, then patterns, then the site's own rules.
func (w *Walker) Step() (End, error) {
	r := w.Rules
	if !r.Site.Has(w.At.Host) || r.Scope.Leaves(w.At.Path) || len(w.Steps) > 0 && address.Unsafe(w.At.Path) {
		return End{Kind: Outside}, nil
	}
	params := w.Params()
	reading := w.Reading(w.At.Path)
	named := r.named(w.At.Path, reading)
	carried := route.Carried(params, named)
	known := len(carried) > 0 // an unknown item must not slide to another page
	for _, n := range r.Index.Match(w.At.Host, w.At.Path, params, named) {
		e := r.Decisions.Decision(n)
		end, moved := w.meet(n, &e)
		if moved || end.Kind != Onward {
			return end, nil
		}
		if e.Kind == Held || e.Kind == Away {
			known = true
			break
		}
	}
	if moved, err := w.pattern(reading, params, named); moved || err != nil {
		return End{}, err
	}
	if r.IsFile(w.At.Path) {
		if w.toOrigin(w.At.Path, address.JoinQuery(params)) {
			return End{}, nil
		}
		return End{Kind: AtFile, Cause: r.says("files", "a listed file is served as it is")}, nil
	}
	if w.spell() || !known && w.shape() || w.small() {
		return End{}, nil
	}
	if len(carried) > 0 {
		cause := r.says("site", "no page has this item: the path is known with other values of "+strings.Join(named,
			", "))
		return End{Kind: AtNothing, Cause: cause}, nil
	}
	return End{Kind: AtNothing, Cause: w.nothing}, nil
}

// meet does what is decided at a source. It reports whether that was a step; an end that isn't Onward ends the way.
func (w *Walker) meet(number int, e *Decision) (End, bool) {
	follow := func(e *Decision) bool {
		return w.follow(e.Target, e.Names, e.Drop, BySource, number, e.Status, e.Cause)
	}
	switch e.Kind {
	case Gone:
		return End{Kind: AtGone, Number: number, Cause: e.Cause}, false
	case Redirect:
		return End{}, follow(e)
	case Former:
		if follow(e) {
			return End{}, true
		}
		return w.serve(number, e)
	case Live:
		return w.serve(number, e)
	case Away:
		if e.Then.Kind == Gone {
			return End{Kind: AtGone, Number: number, Cause: e.Then.Cause}, false
		}
		if follow(e) {
			follow(e.Then) // unless it leads back here
			return End{}, true
		}
		if e.Else == Gone {
			return End{Kind: AtGone, Number: number, Cause: e.Cause}, false
		}
	}
	return End{}, false
}

// serve answers at an address of a live page, or takes the step to the one spelling that is served.
func (w *Walker) serve(number int, e *Decision) (End, bool) {
	r := w.Rules
	if e.Path == "" {
		return End{Kind: AtNothing, Cause: e.Cause}, false
	}
	if address.Decode(w.At.Path) != address.Decode(e.Path) {
		to := r.Site.Rebase(w.At)
		to.Path, to.Query = e.Path, w.rest()
		cause := Cause{e.Cause.File, e.Cause.Line, "the address of " + e.Page + " is spelled " + e.Path}
		return End{}, w.take(to, BySource, number, 0, cause)
	}
	if w.toOrigin(e.Path, w.rest()) || w.quiet() {
		return End{}, true
	}
	return End{Kind: AtPage, Number: number, Cause: Cause{e.Cause.File, e.Cause.Line, "the page " + e.Page +
		" is live"}}, false
}

// pattern takes the first pattern that reads the request and leads elsewhere.
func (w *Walker) pattern(reading []int32, params []address.Param, named []string) (bool, error) {
	r := w.Rules
	if r.Site.IsLanguageHost(w.At.Host) {
		return false, nil // patterns name no host
	}
	for _, n := range reading {
		p := &r.Patterns[n]
		if p.Except.Has(w.At.Path) {
			continue
		}
		target, ok := address.Address{}, false
		if len(named) == 0 && address.Settled(w.At.Path) {
			target, _, ok = p.Direct(w.At.Path, r.Paths.Lower)
		}
		if !ok {
			values, reads := p.Reads(w.At.Path, params, named, r.Paths.Lower)
			if !reads {
				continue
			}
			var err error
			if target, err = p.Leads(values, r.Site); err != nil {
				continue // a value that makes no address
			}
		}
		if !w.follow(target, p.Names(), p.Drop, ByPattern, int(n), p.Status, p.Cause) {
			continue
		}
		if w.rounds++; w.rounds > MaxRounds {
			return true, errors.New("more than five patterns lead on to one another: " + w.trail())
		}
		return true, nil
	}
	return false, nil
}

// follow takes the step of a redirect: to its target, with the request's other parameters behind the target's own. It
// reports false where that is no step.
//
//	/old?id=7&sort=price  with  /old?id=7 -> /new?view=map  ->  /new?view=map&sort=price
func (w *Walker) follow(to address.Address, names []string, drop bool, by By, number, status int, cause Cause) bool {
	to = w.Rules.Site.Rebase(to)
	if to.Fragment == "" {
		to.Fragment = w.At.Fragment
	}
	var leave []string
	if !drop {
		to.Query, leave = w.travel(to.Query, names)
	}
	if !w.take(to, by, number, status, cause) {
		if drop && w.Idle == ByRule {
			w.Idle = by
		}
		if by == BySource && len(w.Steps) == 0 {
			w.Still = number + 1
		}
		return false
	}
	w.Travelled, w.Dropped = true, w.Dropped || drop
	w.Stripped = append(w.Stripped, leave...)
	return true
}

// travel returns the query of a redirect's target with the parameters that travel, and the names of those that don't.
func (w *Walker) travel(query string, names []string) (joined string, leave []string) {
	if len(names) == 0 && query == "" {
		return w.rest(), nil
	}
	own := address.SplitQuery(query)
	leave = slices.Clone(names)
	for _, q := range own {
		leave = append(leave, q.Name)
	}
	noise := w.Rules.Parameters.Noisy(w.At.Path)
	rest := slices.DeleteFunc(slices.Clone(w.Params()), func(q address.Param) bool {
		return slices.Contains(leave, q.Name) || noise(q)
	})
	return address.JoinQuery(append(own, rest...)), leave
}
