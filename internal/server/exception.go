package server

import (
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/parameter"
	"young-compass/internal/plan"
	"young-compass/internal/route"
)

// Asked is a request as it was sent, with what the plan reads in it.
type Asked struct {
	plan.Request
	RawPath string
}

// NewAsked reads a request for an absolute URL, keeping the path as sent.
func NewAsked(method, url string) (Asked, error) {
	r, err := plan.NewRequest(method, url)
	if err != nil {
		return Asked{}, err
	}
	_, rest, _ := strings.Cut(url, "://")
	raw := "/"
	if i := strings.IndexAny(rest, "/?#"); i >= 0 && rest[i] == '/' {
		raw = rest[i:]
	}
	if i := strings.IndexAny(raw, "?#"); i >= 0 {
		raw = raw[:i]
	}
	return Asked{r, raw}, nil
}

// Difference is a documented difference between a server and the plan: which requests it concerns, and what the server
// does instead. Applies is a predicate on requests; the tests hold the real server to it, and to leading where the plan
// leads in the end.
type Difference struct {
	Code    string
	What    string
	Applies func(g *compile.Program, r Asked) bool
	// Reads returns what the server takes the request for; nil: what the plan does.
	Reads func(g *compile.Program, r Asked) plan.Request
	// Instead returns a path to which the server may lead for good; nil: there is none.
	Instead func(g *compile.Program, r Asked) string
}

// Everywhere returns the differences that all servers have.
func Everywhere() []Difference {
	return []Difference{
		{Code: "spelling", What: "an address nobody listed, with bytes other than A-Z a-z 0-9 - . _ ~ that aren't " +
			"written in normal form: it is redirected as it was sent", Applies: spelling},
		{Code: "two-hops", What: "a parameter that travels means something only at the target: it is followed " +
			"there, with a second hop; or not any more, where the target without it is gone or leads on",
			Applies: twoHops, Reads: withoutTravellers, Instead: barePath},
		{Code: "pattern-value", What: "a value that a pattern takes over makes its target an address that is " +
			"redirected again: it is, with a second hop", Applies: patternValue},
	}
}

// SlashesFirst is the difference of servers that merge doubled slashes themselves.
func SlashesFirst() Difference {
	return Difference{Code: "slashes-and-dots", What: "doubled slashes are merged before dot segments are removed",
		Applies: slashesAndDots, Reads: mergedFirst}
}

// BoundedRuns is the difference of servers that leave parameters out in a bounded number of stages.
func BoundedRuns() Difference {
	return Difference{Code: "many-parameters",
		What: "parameters that are left out stand between more than eight others: those further on stay until the " +
			"next hop", Applies: manyParameters}
}

// RefusedPaths is the difference of servers that refuse some paths before any rule.
func RefusedPaths() Difference {
	return Difference{Code: "refused", What: "the path climbs above the root or holds %00: the server refuses it " +
		"before any rule", Applies: refused}
}

// LostAmpersand is the difference of servers that take an & at the end away.
func LostAmpersand() Difference {
	return Difference{Code: "last-ampersand", What: "an & at the end of the query doesn't reach the internal address",
		Applies: lastAmpersand}
}

// LongSegment is the difference of servers that look for a file before they read the rules of its folder.
func LongSegment() Difference {
	return Difference{Code: "long-segment",
		What: "a segment of the path has more than 255 bytes, the longest name of a file: " +
			"the server answers 403 before any rule of a folder", Applies: longSegment}
}

// maxName is the longest name of a file, in bytes, on the file systems of servers.
const maxName = 255

func longSegment(_ *compile.Program, r Asked) bool { return longName(r.Path) }

func longName(path string) bool {
	if len(path) <= maxName {
		return false
	}
	return slices.ContainsFunc(strings.Split(address.Decode(path), "/"),
		func(segment string) bool { return len(segment) > maxName })
}

// CapitalsStay is the difference of servers that can't make letters small.
func CapitalsStay() Difference {
	return Difference{Code: "letters", What: "capital letters in an address nobody listed stay", Applies: letters}
}

func refused(_ *compile.Program, r Asked) bool {
	if strings.Contains(r.Path, "%00") {
		return true
	}
	depth := 0
	raw := address.MergeSlashes(dots(r.RawPath))
	for _, segment := range strings.Split(raw[1:], "/") {
		switch segment {
		case ".", "":
		case "..":
			if depth--; depth < 0 {
				return true
			}
		default:
			depth++
		}
	}
	return false
}

// listed reports whether the path, or what the site's own rules make of it, is
// in the plan.
func listed(g *compile.Program, host, path string) bool {
	return slices.ContainsFunc(g.Plan.Forms(host, path), func(form string) bool {
		return len(g.At(g.Plan.Key(form))) > 0
	})
}

func lastAmpersand(g *compile.Program, r Asked) bool {
	a, err := g.Plan.Answer(r.Request)
	return err == nil && a.Internal != "" && strings.HasSuffix(r.Query, "&")
}

func letters(g *compile.Program, r Asked) bool {
	_, item := matched(g, r)
	return g.Plan.Paths.Lower && address.HasCapitals(r.Path) && (!listed(g, r.Host, r.Path) || !item)
}

// matched returns the parameters that give the path a meaning, and whether
// the plan knows what they mean together, in any of the path's forms.
func matched(g *compile.Program, r Asked) ([]address.Param, bool) {
	for i, form := range g.Plan.Forms(r.Host, r.Path) {
		carried, ok := entryAt(g, r.Host, form, r.Query)
		if ok {
			return carried, true
		}
		if i == 1 && len(carried) > 0 {
			break // an unknown item: extension and index file stay
		}
	}
	return nil, false
}

// entryAt does the same for one form of the path.
func entryAt(g *compile.Program, host, form, query string) ([]address.Param, bool) {
	carried := route.Carried(address.SplitQuery(query), g.Plan.Named(form))
	signature := route.Signature(carried)
	return carried, slices.ContainsFunc(g.At(g.Plan.Key(form)), func(e compile.Listed) bool {
		return e.Signature == signature && (e.Host == host || e.Host == "" && !g.Plan.Site.IsLanguageHost(host))
	})
}

func spelling(g *compile.Program, r Asked) bool {
	_, item := matched(g, r)
	return !address.Reflectable(r.Path) && !item && (r.RawPath != r.Path || strings.Contains(r.RawPath, "//") ||
		address.HasCapitals(r.Path))
}

func slashesAndDots(_ *compile.Program, r Asked) bool {
	if !strings.Contains(r.RawPath, "//") {
		return false
	}
	return slices.ContainsFunc(strings.Split(dots(r.RawPath), "/"),
		func(segment string) bool { return segment == "." || segment == ".." })
}

// dots returns a path with its encoded dots decoded.
func dots(path string) string { return strings.NewReplacer("%2e", ".", "%2E", ".").Replace(path) }

func mergedFirst(_ *compile.Program, r Asked) plan.Request {
	if path, err := address.Path(address.MergeSlashes(r.RawPath)); err == nil {
		r.Path = path
	}
	return r.Request
}

func manyParameters(g *compile.Program, r Asked) bool {
	carried, _ := matched(g, r)
	return RunsOf(r.Query, func(q address.Param) bool {
		_, named := address.First(carried, q.Name)
		return named || g.Plan.Parameters.ClassOf(q.Name, r.Path) == parameter.Noise
	}) > Runs
}

// twoHops compares where the request leads with where it would lead without
// the parameters that travel.
func twoHops(g *compile.Program, r Asked) bool {
	full, err := g.Plan.Answer(r.Request)
	alone, known := bare(g, r)
	if err != nil || !known || full.Outcome != plan.Moved {
		return false
	}
	path := func(s string) string {
		a, _ := address.Parse(s)
		return a.Path
	}
	return alone.Outcome != full.Outcome || path(full.To) != path(alone.To)
}

// bare returns the answer without the parameters that travel; false when the
// plan doesn't know the address.
func bare(g *compile.Program, r Asked) (plan.Answer, bool) {
	carried, ok := matched(g, r)
	r.Query = address.JoinQuery(carried)
	a, err := g.Plan.Answer(r.Request)
	return a, ok && err == nil
}

// barePath returns the path to which the request leads without the parameters
// that travel.
func barePath(g *compile.Program, r Asked) string {
	a, ok := bare(g, r)
	to, err := address.Parse(a.To)
	if !ok || err != nil {
		return ""
	}
	return to.Path
}

func withoutTravellers(g *compile.Program, r Asked) plan.Request {
	if a, ok := bare(g, r); ok && a.Outcome == plan.Gone {
		carried, _ := matched(g, r)
		r.Query = address.JoinQuery(carried)
	}
	return r.Request
}

// patternValue follows the pattern that the request meets by itself.
func patternValue(g *compile.Program, r Asked) bool {
	for _, form := range lettered(g, r.Host, r.Path) {
		if _, item := entryAt(g, r.Host, form, r.Query); item {
			return false
		}
		path := address.DecodeMarks(address.MergeSlashes(form))
		for _, q := range g.Patterns {
			values, ok := q.Reader.ReadPath(path, g.Plan.Paths.Lower)
			if !ok || q.Except.Has(form) || !q.Reader.ReadQuery(address.SplitQuery(r.Query), values) {
				continue
			}
			to, err := address.Resolve(g.Plan.Site.Origin, q.Target.Expand(values))
			if err != nil || !g.Plan.Site.Has(to.Host) {
				return false
			}
			to.Fragment = ""
			a, err := g.Plan.Answer(plan.Request{Method: r.Method, Address: to})
			return err == nil && a.Outcome != plan.Served && a.Outcome != plan.Unknown
		}
	}
	return false
}

// lettered returns the forms in which a path is looked up (address.Speller.Forms) with its letters as they were asked:
// a pattern takes these over.
func lettered(g *compile.Program, host, path string) []string {
	p := g.Plan
	spelled := p.Single(p.WithoutNoise(path))
	if p.Site.IsLanguageHost(host) {
		spelled = p.EndSlash(spelled)
		return []string{path, spelled, p.Shape(spelled)}
	}
	spelled = p.EndSlash(p.WithoutPrefix(spelled))
	return []string{path, spelled, p.WithoutPrefix(p.Shape(spelled))}
}

// Simple reports whether no exception can concern a known address: its path is
// in small letters that mean the same encoded and decoded, without parameters,
// and no segment of it is longer than a name of a file.
func Simple(a address.Address) bool {
	return a.Query == "" && address.Reflectable(a.Path) && !address.HasCapitals(a.Path) &&
		!strings.Contains(a.Path, "//") && !longName(a.Path)
}
