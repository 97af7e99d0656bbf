// Package resolve says where a request leads. It is the only place where redirects, patterns and the site's own rules
// compose: everything that answers, checks, flattens or compiles takes its steps here.
//
// A way is a request that takes one step after another until nothing changes:
//
//	http://www.skerrywick.example/Old/?utm_source=a
//	  site's own rules   https://skerrywick.example/Old?utm_source=a
//	  source /old        https://skerrywick.example/routes/new?utm_source=a
//	  end: a live page
//
// The visitor makes one hop, from the first of these to the last.
package resolve

import (
	"slices"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/parameter"
	"young-compass/internal/route"
	"young-compass/internal/template"
)

// MaxRounds is how often a pattern may lead on to a pattern in one way.
const MaxRounds = 5

// maxSteps bounds the steps of one way, so that long chains cost each answer little.
const maxSteps = 64

// Cause is one reason for an answer: a line of the plan, and its rule in words.
type Cause struct {
	File string `json:"file"`
	Line int    `json:"line"`
	Rule string `json:"rule"`
}

// Kind says what becomes of a request that meets a source.
type Kind uint8

// The kinds of decisions.
const (
	Passed   Kind = iota // nothing: the next source or rule decides
	Redirect             // it is led to Target
	Gone                 // 410
	Live                 // a live page is served, at Path
	Former               // it is led to Target, where a page lives
	Away                 // it is led to Target, where Then decides; where it stands there already, Else holds
	Held                 // no live page: 404, and neither the index nor the extension rule applies
)

// Decision is what becomes of a request that meets a source: of a redirect, or of an address of the book.
type Decision struct {
	Kind   Kind
	Names  []string        // the parameters that the source names
	Target address.Address // where it leads; for Live the page's current address
	Path   string          // for Live and Former: the path as it is served
	Page   string          // the page that lives there, or that the redirect names, as key@language; empty: none
	Status int             // 0: nobody wrote one
	Drop   bool            // the request's parameters don't travel
	Cause  Cause
	Then   *Decision
	Else   Kind
}

// Decisions gives what is decided at each source, by the number under which the index knows it.
type Decisions interface {
	Decision(number int) Decision
	Ignored(number int) bool // its Kind is Passed, whoever asks
}

// Pattern is a redirect of all the addresses that a template reads.
type Pattern struct {
	*route.Pattern
	Status int // 0: nobody wrote one
	Drop   bool
	Except address.Places
	Cause  Cause
	Row    int // in the list of redirects; -1 for a rule of the plan
	Where  finding.Place
}

// Rules is everything that decides where a request leads: sources first, then patterns in their order, then the
// site's own rules.
type Rules struct {
	address.Speller
	Scope      address.Scope
	Parameters *parameter.List
	Index      *route.Index
	Decisions  Decisions
	Patterns   []Pattern
	Says       func(key, rule string) Cause // names one of the site's own rules, by its key in the plan
}

// says names one of the site's own rules.
func (r *Rules) says(key, rule string) Cause {
	if r.Says == nil {
		return Cause{Rule: rule}
	}
	return r.Says(key, rule)
}

// Automaton returns a new one that reads the patterns.
func (r *Rules) Automaton() *template.Automaton {
	readers := make([]*template.Reader, len(r.Patterns))
	for i, p := range r.Patterns {
		readers[i] = p.Reader
	}
	return template.NewAutomaton(readers, r.Paths.Lower)
}

// Plain reports whether nothing but sources and patterns decides about plain paths: those without a dot, in small
// letters, with nothing encoded and no slash at the end.
func (r *Rules) Plain() bool {
	return r.Dotted() && r.Paths.Slash != address.SlashAlways && r.Scope.All() && len(r.Site.LanguageHosts) == 0
}

// named returns the parameters, sorted, that give a path a meaning: those that a source names, or one of
// the patterns that read the path.
func (r *Rules) named(path string, reading []int32) []string {
	names := r.Index.Named(path)
	shared := true
	for _, n := range reading {
		for _, q := range r.Patterns[n].Reader.Query() {
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

// Decides returns the number of the source that decides about a request on a host, or -1.
func (r *Rules) Decides(host, path string, params []address.Param, named []string) int {
	for _, n := range r.Index.Match(host, path, params, named) {
		if !r.Decisions.Ignored(n) {
			return n
		}
	}
	return -1
}
