// Package step knows the steps of the jobs that change a site's addresses, in the order in which practitioners take
// them, and works out from evidence how far each is. Nobody ticks a step off: it is done when the plan, what was
// installed, or the last probe of the site shows it. What can't be seen, such as a sitemap that was handed in, is
// shown as told.
package step

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/visits"
)

// State is how far a step is.
type State string

// The states.
const (
	Done    State = "done"
	Open    State = "open"    // it wasn't taken yet, or not to its end
	Failing State = "failing" // what is there is wrong
	Unknown State = "unknown" // nothing shows it
)

// Step is a step of one job or of several.
type Step struct {
	ID      string
	What    string   // in words
	Needs   []string // steps that come before it, wherever it stands
	Command string   // that takes it, or shows how far it is
	Outside bool     // it is taken elsewhere, and can only be told

	proof string         // the kind of probe that shows it
	codes []finding.Code // of findings that speak against it; of notes too
	notes bool           // notes speak against it, too
	harms bool           // visitors meet errors where it is taken before what it needs
	state State          // when they are there; empty: Failing
	look  func(*Evidence, *Status)
}

// Status is how far a step is, and what shows it.
type Status struct {
	Step
	State State
	Told  bool      // somebody said so; nothing shows it
	When  time.Time // of the evidence; zero: there is none
	Where string    // the evidence
	Why   string    // in words
	Early []string  // needs that aren't done, though the step is
}

// Shown says in words what shows how far the step is, and since when.
func (s Status) Shown() string {
	text := s.Where
	switch {
	case text != "" && s.Why != "":
		text = s.Why + " (" + text + ")"
	case text == "":
		text = s.Why
	}
	if !s.When.IsZero() {
		text = s.When.UTC().Format(time.DateOnly) + " " + text
	}
	return text
}

// Word names the state for people: a step that was told is so.
func (s Status) Word() string {
	if s.Told && s.State == Done {
		return "told"
	}
	return string(s.State)
}

// Evidence is what is known of a site and the work on it.
type Evidence struct {
	Plan      *plan.Plan
	Sum       string            // of the plan: evidence about another one is old
	Judged    []finding.Finding // what is wrong with the plan
	Now       time.Time
	Proofs    map[string]Proof // by kind of probe
	Moving    []inventory.Ref  // pages for which the design proposes another address than they have
	Installed []Installed
	Written   map[string]Written // what emit wrote, by form: sitemap
	Coverage  *coverage.Coverage // nil: no logs were gathered
	Visits    []visits.Visit
	Told      map[string]Told // by step
}

// Proof is what a probe found, and when.
type Proof struct {
	probe.Proof
	When time.Time
}

// Installed is what was put into a server's own file.
type Installed struct {
	Form    string
	When    time.Time
	Where   string
	Lost    bool // it isn't there any more as it was
	Changed int  // known addresses that the plan answers otherwise by now
}

// Written is what emit wrote into files.
type Written struct {
	When  time.Time
	Where string
	Same  bool // it is what the plan gives now
}

// Told is what somebody says of a step.
type Told struct {
	Step string
	On   time.Time
	Mark string // a path by which a search service knows the site's owner; empty: none
	Note string
	Line int // in steps.csv
}

// Judge returns the steps of a job in their order, each with how far it is. An error names a job that there isn't.
func Judge(e *Evidence, job string) ([]Status, error) {
	ids, ok := jobs()[job]
	if !ok {
		return nil, fmt.Errorf("%s is no job", job)
	}
	known := map[string]*Status{}
	var of func(id string) *Status
	of = func(id string) *Status {
		if s := known[id]; s != nil {
			return s
		}
		s := e.alone(id)
		known[id] = s
		for _, need := range s.Needs {
			if n := of(need); n.State != Done && s.State == Done && !n.Outside {
				s.Early = append(s.Early, need)
			}
		}
		if s.Told && s.harms && len(s.Early) > 0 {
			s.State = Failing
			s.Why = fmt.Sprintf("it was taken, and %s isn't done: visitors meet errors", strings.Join(s.Early, ", "))
		}
		return s
	}
	var list []Status
	for _, id := range ids {
		list = append(list, *of(id))
	}
	return list, nil
}

// alone finds out how far a step is, whatever those before it are.
func (e *Evidence) alone(id string) *Status {
	all := catalogue()
	i := slices.IndexFunc(all, func(s Step) bool { return s.ID == id })
	s := &Status{Step: all[i], State: Unknown}
	switch {
	case s.Outside:
		e.told(s)
	case s.look != nil:
		s.look(e, s)
	default:
		e.proven(s)
	}
	return s
}

// proven judges a step by the last probe.
func (e *Evidence) proven(s *Status) {
	p, ok := e.usable(s)
	if !ok {
		return
	}
	found := p.Findings
	if s.proof == probe.Redirects { // marks are a step of their own
		found = slices.DeleteFunc(slices.Clone(found), func(f finding.Finding) bool { return e.isMark(f.Where.URL) })
	}
	e.against(s, found)
}

// usable returns the proof of a step, if it is one of this site and of the plan as it is.
func (e *Evidence) usable(s *Status) (Proof, bool) {
	s.Command = cmp.Or(s.Command, "probe "+s.proof)
	p, ok := e.Proofs[s.proof]
	why := ""
	switch {
	case !ok:
		why = "the site wasn't asked yet"
	case p.Origin != e.Plan.Site.Origin.String():
		why = "what was asked is another site, " + p.Origin
	case p.When.After(e.Now.Add(time.Hour)):
		why = "it was asked in the future, on " + p.When.Format(time.DateOnly) + ": look at the clock"
	case p.Plan != e.Sum:
		why = "the plan changed since " + p.When.Format(time.DateOnly)
	}
	if why != "" {
		s.Why = why + "; probe " + s.proof + " tells"
		return p, false
	}
	s.When, s.Where = p.When, "probe "+s.proof
	if len(p.At) > 0 {
		s.Where += " at " + strings.Join(p.At, ", ")
	}
	if p.Sample > 0 {
		s.Where += fmt.Sprintf(", a sample of %d", p.Sample)
	}
	return p, true
}

// against judges a step by findings.
func (e *Evidence) against(s *Status, found []finding.Finding) {
	s.State = Done
	n := 0
	for i := range found {
		f := &found[i]
		if !slices.Contains(s.codes, f.Code) || f.Severity == finding.Note && !s.notes {
			continue
		}
		if n++; n == 1 {
			s.State, s.Why = cmp.Or(s.state, Failing), string(f.Code)+": "+f.What
		}
	}
	if n > 1 {
		s.Why += fmt.Sprintf(" (and %d more)", n-1)
	}
}

// told judges a step that is taken elsewhere.
func (e *Evidence) told(s *Status) {
	t, ok := e.Told[s.ID]
	s.Command = cmp.Or(s.Command, "steps tell "+s.ID)
	if !ok {
		s.State, s.Why = Open, "nobody said that it was done"
		return
	}
	s.State, s.Told, s.When, s.Where = Done, true, t.On, fmt.Sprintf("steps.csv:%d", t.Line)
	if t.On.After(e.Now.Add(24 * time.Hour)) {
		s.State, s.Told, s.Why = Unknown, false, "told for the future, "+t.On.Format(time.DateOnly)
		return
	}
	if t.Mark != "" {
		e.mark(s, t.Mark)
	}
	if s.ID == handIn || s.ID == visit {
		s.Why = e.crawled(t.On)
	}
}

// mark looks whether a mark is answered, by the plan and on the site.
func (e *Evidence) mark(s *Status, path string) {
	at := e.Plan.Site.Origin
	at.Path = path
	answer, err := e.Plan.Answer(plan.Request{Method: "GET", Address: at})
	if err != nil || answer.Outcome != plan.Served {
		s.State, s.Why = Failing, fmt.Sprintf("the plan doesn't serve its mark %s; add it to site.files", path)
		return
	}
	p, ok := e.Proofs[probe.Redirects]
	if !ok || p.Plan != e.Sum {
		s.Why = "its mark wasn't asked for since; probe redirects does"
		return
	}
	for _, f := range p.Findings {
		if f.Where.URL == at.String() {
			s.State, s.Why = Failing, "its mark: "+f.What
			return
		}
	}
	s.Why = "its mark answers"
}

func (e *Evidence) isMark(url string) bool {
	for _, t := range e.Told {
		at := e.Plan.Site.Origin
		if at.Path = t.Mark; t.Mark != "" && at.String() == url {
			return true
		}
	}
	return false
}

// crawled says whether crawlers came since a day.
func (e *Evidence) crawled(since time.Time) string {
	n, last := 0, ""
	for _, v := range e.Visits {
		if v.Robots > 0 && v.Last >= since.Format(time.DateOnly) {
			n, last = n+1, max(last, v.Last)
		}
	}
	switch {
	case n > 0:
		return fmt.Sprintf("crawlers asked for %d addresses since, last on %s", n, last)
	case len(e.Visits) > 0:
		return "the logs show no crawler since"
	}
	return "no logs were gathered"
}

// Next returns the first step that isn't done, though all that it needs is; nil when there is none.
func Next(list []Status) *Status {
	states := map[string]State{}
	for _, s := range list {
		states[s.ID] = s.State
	}
	for i := range list {
		s := &list[i]
		waits := slices.ContainsFunc(s.Needs, func(need string) bool {
			state, here := states[need]
			return here && state != Done
		})
		if s.State != Done && !waits {
			return s
		}
	}
	return nil
}

// Percent returns how many of the steps that can be shown are done, of a hundred.
func Percent(list []Status) float64 {
	done, all := 0, 0
	for _, s := range list {
		if s.Outside {
			continue
		}
		if all++; s.State == Done {
			done++
		}
	}
	if all == 0 {
		return 100
	}
	return 100 * float64(done) / float64(all)
}
