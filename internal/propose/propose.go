// Package propose works a plan out from evidence: from the addresses of a site, from what sources say of its pages, and
// from how often each address is asked for.
//
// It goes in two steps. Survey needs addresses alone, and finds the site's hosts, languages and parameters; gathering
// needs these to tell which addresses are one page. Of needs the pages too, and finds the kinds of pages, their
// templates, files and patterns.
package propose

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/parameter"
	"young-compass/internal/shape"
)

// Nowhere is the host of paths as long as nobody knows the site's.
const Nowhere = "nowhere.invalid"

// Says is what kind of source speaks of an address. Several may.
type Says uint16

// The kinds of sources.
const (
	Table     Says = 1 << iota // a table, or a list of addresses
	Feed                       // RSS or Atom
	Page                       // a page that was read
	Sitemap                    // a sitemap
	Canonical                  // a page's canonical link
	Alternate                  // a link to a translation
	Log                        // an access log
	Known                      // the address book
	Elsewhere                  // its page calls another address its own
)

// listed are the kinds of sources that list pages, and not whatever anybody asks for.
const listed = Table | Feed | Page | Sitemap | Canonical | Alternate | Known

// Seen is an address, and what is known of it.
type Seen struct {
	Address  address.Address
	Says     Says
	Language string // of its page, as said; empty: nobody says
	Page     string // the key of its page, which translations share; empty: nobody gives it one
	Title    string
	Visits   int
	Status   int // that visitors got most often; 0: no log has it
	Bytes    int // of each answer with status 200; 0: unknown, -1: they differ
}

// Move is a redirect that exists, to an address, or to a page: then To is the zero value.
type Move struct{ From, To address.Address }

// Proved is what a probe of the live site showed of a parameter.
type Proved struct {
	Name        string
	Class       parameter.Class
	Agree, Told int // trials that speak for it, of those that tell anything
}

// Evidence is all that is known of a site.
type Evidence struct {
	Seen       []Seen
	Moves      []Move
	Translated []Translated // of addresses that are seen
	Asked      []string     // paths that forms send to, and that robots.txt names
	Linked     []string     // paths of scripts that pages link to
	Proved     []Proved
	Origin     address.Address // that a person says; the zero value: nobody does
	XDefault   string          // the host and path of links for visitors of no language; empty: there are none

	// After gathering, besides:
	Pages *inventory.Inventory
	Book  *book.Book
}

// Translated says that a page, in a language, stands at an address.
type Translated struct {
	Language string
	Address  address.Address
}

// Line is one thing that a plan should say.
type Line struct {
	Key      string   `json:"key"`             // site.hosts, kinds.route, parameters.noise
	Value    string   `json:"value"`           // as it is written in YAML
	Item     bool     `json:"item,omitempty"`  // of a list, which may have others
	Doubt    string   `json:"doubt,omitempty"` // the question that a person has to answer; empty: the line is sure
	Why      string   `json:"evidence"`
	Examples []string `json:"examples,omitempty"`
}

// Sure reports whether the evidence leaves no doubt.
func (l Line) Sure() bool { return l.Doubt == "" }

// Draft is a proposed plan.
type Draft struct {
	Lines []Line
	Fill  []Filling // columns of pages that the templates need
}

// Filling is a value that a page gets, where it has none.
type Filling struct {
	Page          inventory.Ref
	Column, Value string
}

// draft collects lines.
type draft struct {
	lines []Line
}

func (d *draft) add(key, value, doubt string, examples []string, why string, args ...any) {
	d.lines = append(d.lines, Line{Key: key, Value: value, Doubt: doubt, Examples: examples, Why: fmt.Sprintf(why,
		args...)})
}

func (d *draft) item(key, value, doubt string, examples []string, why string, args ...any) {
	d.add(key, value, doubt, examples, why, args...)
	d.lines[len(d.lines)-1].Item = true
}

// maxExamples is how many examples a line has.
const maxExamples = 3

// example adds to examples, as long as there are few.
func example(list []string, a string) []string {
	if len(list) < maxExamples && !slices.Contains(list, a) {
		list = append(list, a)
	}
	return list
}

// show adds an address to examples, without scheme and host.
func show(list []string, a address.Address) []string {
	if len(list) >= maxExamples {
		return list
	}
	return example(list, a.Local())
}

// quoted writes a text as YAML does: plain where it can't be taken for anything else.
func quoted(s string) string {
	plain := s != "" && !strings.ContainsFunc(s, func(r rune) bool {
		return !('a' <= r|0x20 && r|0x20 <= 'z' || '0' <= r && r <= '9' || strings.ContainsRune("./_-", r))
	}) && !strings.HasPrefix(s, "-") && s != "." && !slices.Contains([]string{"no", "yes", "on", "off", "true", "false",
		"null", "y", "n", "nan"}, strings.ToLower(s)) &&
		strings.Trim(s, "0123456789._-eExX") != ""
	if plain {
		return s
	}
	return fmt.Sprintf("%q", s)
}

// many writes a number with its noun.
//
//	1 address, 2 addresses
func many(n int, noun string) string {
	if n != 1 {
		noun = shape.Plural(noun)
	}
	return fmt.Sprintf("%d %s", n, noun)
}

// percent writes a share.
func percent(n, of int) string {
	if of == 0 {
		return "0 %"
	}
	return fmt.Sprintf("%d %%", (100*n+of/2)/of)
}

// tally counts texts.
type tally map[string]int

// most returns what was counted most; the first by name of equals.
func (t tally) most() (name string, n int) {
	for k, v := range t {
		if v > n || v == n && cmp.Compare(k, name) < 0 {
			name, n = k, v
		}
	}
	return name, n
}

func (t tally) sum() (n int) {
	for _, v := range t {
		n += v
	}
	return n
}

// sorted returns what was counted, those counted most first.
func (t tally) sorted() []string {
	var names []string
	for name := range t {
		names = append(names, name)
	}
	slices.SortFunc(names, func(a, b string) int { return cmp.Or(cmp.Compare(t[b], t[a]), strings.Compare(a, b)) })
	return names
}
