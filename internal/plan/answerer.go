package plan

import (
	"slices"
	"strings"
	"sync"

	"young-compass/internal/address"
	"young-compass/internal/redirect"
	"young-compass/internal/template"
)

// Answerer answers one request after the other. It keeps what it has worked out
// for the next ones, so that it must not be used by two at a time.
type Answerer struct {
	plan   *Plan
	rules  *template.Automaton
	way    way
	known  []*known // by the number of an entry
	noPage Cause
	plain  bool // nothing but entries and patterns decides about plain paths
}

// known is what was answered to a request without parameters that met an entry.
type known struct {
	method string          // GET for HEAD too, else POST
	at     address.Address // for Served: the one address that is answered so
	answer Answer
}

// Answerer returns a new one, for as long as the plan doesn't change.
func (p *Plan) Answerer() *Answerer {
	return &Answerer{plan: p, rules: p.automaton(), plain: p.plain(), noPage: p.cause("site", noPage), known: make([]*known, p.Redirects.Len()+len(p.Book.Entries))}
}

// plain reports whether nothing but entries and patterns decides about plain
// paths.
func (p *Plan) plain() bool {
	dotted := !slices.ContainsFunc(p.Paths.Index, func(name string) bool { return !strings.Contains(name, ".") })
	return dotted && !p.files.dotless && p.Paths.Slash != SlashAlways && p.Upkeep == nil && len(p.Serves) == 0 && p.Front == nil && len(p.Only.list)+len(p.Except.list)+len(p.Site.Homes) == 0
}

// automaton returns one that reads the patterns of the plan.
func (p *Plan) automaton() *template.Automaton {
	readers := make([]*template.Reader, len(p.Rules))
	for i, rule := range p.Rules {
		readers[i] = rule.Reader
	}
	return template.NewAutomaton(readers, p.Paths.Lower)
}

// reader reads the patterns of a plan, for whoever asks next.
type reader struct {
	sync.Mutex
	rules *template.Automaton
}

// Answer composes redirects and the site's own rules until nothing changes, so
// that a visitor makes one hop. An error means that the plan contradicts
// itself: it says which addresses lead in a circle. It can be called by many at
// a time.
func (p *Plan) Answer(r Request) (Answer, error) {
	a, _ := p.answerers.Get().(*Answerer)
	if a == nil || a.plan != p || a.rules == nil {
		a = p.Answerer()
	}
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
		return Answer{Outcome: Foreign, Causes: []Cause{p.cause("hosts", r.Host+" is not one of the site's hosts")}}, nil
	}
	answer, ok, entry := a.quick(r)
	var err error
	if !ok {
		a.way.start(a, r.Method, r.Address)
		answer, err = p.answer(r, &a.way)
		from := joint{found: entry >= 0, entry: entry}
		at := r.Address
		if a.way.joint.found {
			from, at = a.way.joint, append(a.way.seen, a.way.at)[a.way.joint.seen]
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
// entry as it did before, and what nothing knows. Where it can't, it returns the
// entry whose answer could be kept, or -1.
func (a *Answerer) quick(r Request) (answer Answer, ok bool, entry int) {
	p := a.plan
	if !a.plain || r.Query != "" || !address.Settled(r.Path) {
		return answer, false, -1
	}
	entry = p.index.FirstBare(r.Host, r.Path)
	if entry >= 0 {
		if k := a.known[entry]; k != nil && k.method == derivedMethod(r.Method) && (k.answer.Outcome != Served || k.at == r.Address) {
			return k.answer, true, entry
		}
		if entry < len(p.ignored) && p.ignored[entry] {
			entry = -1
		}
		return answer, false, entry
	}
	reading := a.rules.Find(r.Path)
	if len(reading) > 0 {
		answer, ok = a.direct(r, reading)
		return answer, ok, -1
	}
	if !bare(r.Path) || r.Scheme != p.Site.Origin.Scheme || r.Host != p.Site.Origin.Host || p.withoutPrefix(r.Path) != r.Path {
		return answer, false, -1
	}
	a.way.causes = append(a.way.causes[:0], a.noPage)
	return Answer{Outcome: Unknown, Status: 404, Causes: a.way.causes}, true, -1
}

// direct answers where the first of the patterns that read a plain path leads
// straight to the end.
func (a *Answerer) direct(r Request, reading []int32) (answer Answer, ok bool) {
	p, w := a.plan, &a.way
	for _, n := range reading {
		if len(p.Rules[n].Reader.Query()) > 0 {
			return answer, false
		}
	}
	rule := &p.Rules[reading[0]]
	to, text, ok := rule.Direct(r.Path, p.Paths.Lower)
	if !ok || len(rule.Except.list) > 0 || len(p.index.NamedAt(r.Path)) > 0 || to == r.Address {
		return answer, false
	}
	home := p.Site.Rebase(to)
	w.start(a, r.Method, home)
	if p.Site.Has(home.Host) && !w.ends(p) {
		return answer, false
	}
	w.statuses = append(w.statuses, w.written(rule.Status))
	w.causes = append(w.causes, p.ruleCauses[reading[0]])
	if home != to || to.Query != "" || to.Fragment != "" {
		return w.moved(), true
	}
	return Answer{Outcome: Moved, Status: w.statuses[0], To: text, Causes: w.causes}, true
}

// isPlain reports whether no rule about spelling concerns a path: nothing in it
// is to be folded, decoded or merged, there is no dot and no slash at its end.
func isPlain(path string) bool {
	return address.Settled(path) && bare(path)
}

func bare(path string) bool { return strings.IndexByte(path, '.') < 0 && path[len(path)-1] != '/' }

// ends reports whether a way ends where it stands: a plain path on the origin
// that nothing knows.
func (w *way) ends(p *Plan) bool {
	if !w.answerer.plain || w.at.Scheme != p.Site.Origin.Scheme || w.at.Host != p.Site.Origin.Host || !isPlain(w.at.Path) || p.withoutPrefix(w.at.Path) != w.at.Path {
		return false
	}
	if w.at.Query != "" && slices.ContainsFunc(w.params(), p.noiseAt(w.at.Path)) {
		return false
	}
	return len(p.index.NamedAt(w.at.Path)) == 0 && p.index.FirstBare(w.at.Host, w.at.Path) < 0 && w.answerer.rules.Find(w.at.Path) == nil
}

// joint is where rules about spelling have led a way to an entry: behind how
// many steps.
type joint struct {
	found                  bool
	entry                  int
	seen, causes, statuses int
}

// join ends a way that nothing but rules about spelling has led to an entry as
// the way that is remembered from there, or notes where it could. What is
// remembered doesn't come back to the entry, so that the two make no circle.
func (w *way) join() (Answer, bool) {
	a := w.answerer
	if !a.plain || w.travelled || w.joint.found || w.at.Query != "" || w.at.Fragment != "" {
		return Answer{}, false
	}
	entry := a.plan.index.FirstBare(w.at.Host, a.plan.index.Key(w.at.Path))
	if entry < 0 || entry < len(a.plan.ignored) && a.plan.ignored[entry] {
		return Answer{}, false
	}
	known := a.known[entry]
	if known == nil || known.method != derivedMethod(w.method) || known.answer.Outcome != Moved {
		w.joint = joint{true, entry, len(w.seen), len(w.causes), len(w.statuses)}
		return Answer{}, false
	}
	answer := known.answer
	w.causes = append(w.causes, answer.Causes...)
	answer.Status, answer.Causes = redirect.Compose(append(w.statuses, answer.Status)), w.causes
	return answer, true
}

// keep remembers what an answer is from a joint on, if that is the same for
// every request that gets there: it doesn't come back to the path that was asked
// there, of this key.
func (a *Answerer) keep(from joint, method string, at address.Address, answer Answer) {
	p, w := a.plan, &a.way
	key := p.Key(at.Path)
	for _, later := range append(w.seen, w.at)[from.seen+1:] {
		if p.Site.Has(later.Host) && p.Key(later.Path) == key {
			return
		}
	}
	switch {
	case answer.Outcome == Moved:
		if len(w.statuses) == from.statuses || !w.travelled {
			return
		}
		answer.Status = redirect.Compose(w.statuses[from.statuses:])
	case from.seen > 0, answer.Outcome != Gone && answer.Outcome != Served:
		return
	}
	answer.Causes = slices.Clone(answer.Causes[from.causes:])
	a.known[from.entry] = &known{derivedMethod(method), at, answer}
}

// start puts a way to its beginning, and keeps the room it has.
func (w *way) start(a *Answerer, method string, at address.Address) {
	*w = way{answerer: a, method: method, at: at, query: w.query, split: w.split, seen: w.seen[:0], causes: w.causes[:0], statuses: w.statuses[:0], derivedSteps: w.derivedSteps[:0], stripped: w.stripped[:0]}
}
