package plan

import (
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/resolve"
)

// Answerer answers one request after the other. It keeps what it has worked out
// for the next ones, so that it must not be used by two at a time.
type Answerer struct {
	plan   *Plan
	walker *resolve.Walker
	plain  bool     // nothing but sources and patterns decides about plain paths
	known  []*known // by the number of a source
	joint  joint
	noPage Cause
}

// known is what was answered to a request without parameters that met a source.
type known struct {
	method string          // GET for HEAD too, else POST
	at     address.Address // for Served: the one address that is answered so
	answer Answer
}

// Answerer returns a new one, for as long as the plan doesn't change.
func (p *Plan) Answerer() *Answerer {
	return &Answerer{
		plan: p, walker: p.rules.Walker(), known: make([]*known, p.rules.Index.Len()),
		noPage: p.Says("site", resolve.NoPage),
		plain:  p.rules.Plain() && p.Upkeep == nil && len(p.Serves) == 0 && p.Front == nil,
	}
}

// Named returns the parameters, sorted, that give the path a meaning: those
// that any redirect, address of the book or pattern for it names.
func (p *Plan) Named(path string) []string {
	a := p.borrow()
	defer p.answerers.Put(a)
	return a.walker.Named(path)
}

// borrow returns an answerer that nobody else uses, to be put back into answerers.
func (p *Plan) borrow() *Answerer {
	if a, ok := p.answerers.Get().(*Answerer); ok {
		return a
	}
	return p.Answerer()
}

// Answer composes redirects and the site's own rules until nothing changes, so
// that a visitor makes one hop. An error means that the plan contradicts
// itself: it says which addresses lead in a circle. It can be called by many at
// a time.
func (p *Plan) Answer(r Request) (Answer, error) {
	a := p.borrow()
	defer p.answerers.Put(a)
	answer, err := a.Answer(r)
	answer.Causes = slices.Clone(answer.Causes)
	return answer, err
}

// Answer answers as Plan.Answer does. Its Causes hold until the next call.
func (a *Answerer) Answer(r Request) (Answer, error) {
	p := a.plan
	r = p.trusted(r)
	if !p.Site.Has(r.Host) {
		return Answer{Outcome: Foreign, Causes: []Cause{p.Says("hosts", r.Host+" is not one of the site's hosts")}}, nil
	}
	answer, ok, source := a.quick(r)
	var err error
	if !ok {
		a.walker.Start(r.Method, r.Address)
		a.joint = joint{}
		answer, err = a.answer(r)
		from := joint{found: source >= 0, source: source}
		at := r.Address
		if a.joint.found {
			from, at = a.joint, a.walker.Stood(a.joint.steps)
		}
		if from.found && err == nil {
			a.keep(from, r.Method, at, answer)
		}
	}
	if answer.Outcome != Exempt && len(p.Headers) > 0 {
		answer.Headers = p.fields(r)
	}
	return answer, err
}

// derivedMethod is the method of those that are answered alike.
func derivedMethod(method string) string {
	if method == "GET" || method == "HEAD" {
		return "GET"
	}
	return "POST"
}

// quick answers requests without parameters for settled paths: what meets an
// source as it did before, and what nothing knows. Where it can't, it returns the
// source whose answer could be kept, or -1.
func (a *Answerer) quick(r Request) (answer Answer, ok bool, source int) {
	p := a.plan
	if !a.plain || r.Query != "" || !address.Settled(r.Path) {
		return answer, false, -1
	}
	source = p.rules.Index.FirstBare(r.Host, r.Path)
	if source >= 0 {
		if k := a.known[source]; k != nil && k.method == derivedMethod(r.Method) &&
			(k.answer.Outcome != Served || k.at == r.Address) {
			return k.answer, true, source
		}
		if p.ignored[source] {
			source = -1
		}
		return answer, false, source
	}
	reading := a.walker.Reading(r.Path)
	if len(reading) > 0 {
		answer, ok = a.direct(r, reading)
		return answer, ok, -1
	}
	if !resolve.Bare(r.Path) || r.Scheme != p.Site.Origin.Scheme || r.Host != p.Site.Origin.Host ||
		p.WithoutPrefix(r.Path) != r.Path {
		return answer, false, -1
	}
	a.walker.Causes = append(a.walker.Causes[:0], a.noPage)
	return Answer{Outcome: Unknown, Status: 404, Causes: a.walker.Causes}, true, -1
}

// direct answers where the first of the patterns that read a plain path leads
// straight to the end.
func (a *Answerer) direct(r Request, reading []int32) (answer Answer, ok bool) {
	p, w := a.plan, a.walker
	patterns := p.rules.Patterns
	for _, n := range reading {
		if len(patterns[n].Reader.Query()) > 0 {
			return answer, false
		}
	}
	pattern := &patterns[reading[0]]
	to, text, ok := pattern.Direct(r.Path, p.Paths.Lower)
	if !ok || !pattern.Except.Empty() || len(p.rules.Index.NamedAt(r.Path)) > 0 || to == r.Address {
		return answer, false
	}
	home := p.Site.Rebase(to)
	w.Start(r.Method, home)
	if p.Site.Has(home.Host) && !w.Nothing() {
		return answer, false
	}
	status := pattern.Status
	if status == 0 {
		status = w.Derived()
	}
	w.Causes = append(w.Causes, pattern.Cause)
	if home != to || to.Query != "" || to.Fragment != "" {
		text = home.String()
	}
	return Answer{Outcome: Moved, Status: resolve.Compose(status), To: text, Causes: w.Causes}, true
}

// joint is where rules about spelling have led a way to a source: behind how
// many steps.
type joint struct {
	found                 bool
	source, steps, causes int
}

// join ends a way that nothing but rules about spelling has led to a source as
// the way that is remembered from there, or notes where it could. What is
// remembered doesn't come back to the source, so that the two make no circle.
func (a *Answerer) join() (Answer, bool) {
	w, p := a.walker, a.plan
	if !a.plain || w.Travelled || a.joint.found || w.At.Query != "" || w.At.Fragment != "" {
		return Answer{}, false
	}
	source := p.rules.Index.FirstBare(w.At.Host, p.Key(w.At.Path))
	if source < 0 || p.ignored[source] {
		return Answer{}, false
	}
	known := a.known[source]
	if known == nil || known.method != derivedMethod(w.Method) || known.answer.Outcome != Moved {
		a.joint = joint{true, source, len(w.Steps), len(w.Causes)}
		return Answer{}, false
	}
	answer := known.answer
	w.Causes = append(w.Causes, answer.Causes...)
	answer.Status, answer.Causes = resolve.Compose(w.Status(), answer.Status), w.Causes
	return answer, true
}

// keep remembers what an answer is from a joint on, if that is the same for
// every request that gets there: it doesn't come back to the path that was asked
// there, of this key.
func (a *Answerer) keep(from joint, method string, at address.Address, answer Answer) {
	p, w := a.plan, a.walker
	key := p.Key(at.Path)
	for i := from.steps + 1; i <= len(w.Steps); i++ {
		if later := w.Stood(i); p.Site.Has(later.Host) && p.Key(later.Path) == key {
			return
		}
	}
	switch {
	case answer.Outcome == Moved:
		if len(w.Steps) == from.steps || !w.Travelled {
			return
		}
		rest := resolve.Way{Steps: w.Steps[from.steps:]}
		answer.Status = rest.Status()
	case from.steps > 0, answer.Outcome != Gone && answer.Outcome != Served:
		return
	}
	answer.Causes = slices.Clone(answer.Causes[from.causes:])
	a.known[from.source] = &known{derivedMethod(method), at, answer}
}
