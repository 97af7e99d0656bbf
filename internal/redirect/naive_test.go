package redirect

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/template"
)

// The naive reference reads lists of a few paths, hosts and parameters word by
// word, with its own types, and compares everything with everything.

// place is an address of the small world: its host, path and query.
type place struct{ host, path, query string }

const homeHost = "skerrywick.example"

func (p place) String() string {
	text := p.path
	if p.query != "" {
		text += "?" + p.query
	}
	if p.host != "" {
		text = "https://" + p.host + text
	}
	return text
}

// on is where a place is when nothing is said of a host.
func (p place) on() place {
	if p.host == "" {
		p.host = homeHost
	}
	return p
}

func (p place) home() place { p.host = homeHost; return p }

// line is a row: of one place, or of a pattern with one variable behind a
// folder.
type line struct {
	from, to place
	folder   string // of a pattern: "/", "/p/" or "/q/"
	letters  string // the values that the variable takes; empty: all
	target   string // of a pattern: a folder, or a path
	status   int
}

func (l line) pattern() bool { return l.folder != "" }

func (l line) String() string {
	if !l.pattern() {
		return fmt.Sprintf("%s,%s,%d,", l.from, l.to, l.status)
	}
	to := l.target
	if strings.HasSuffix(to, "/") {
		to += "{x}"
	}
	class := ""
	if l.letters != "" {
		class = "x=[" + l.letters + "]{1}"
	}
	return fmt.Sprintf("%s{x},%s,%d,%s", l.folder, to, l.status, class)
}

// reads returns the variable's value in a path.
func (l line) reads(path string) (string, bool) {
	value, ok := strings.CutPrefix(path, l.folder)
	if !ok || value == "" || strings.Contains(value, "/") || l.letters != "" && !strings.Contains(l.letters, value) {
		return "", false
	}
	return value, true
}

func (l line) leads(value string) place {
	if strings.HasSuffix(l.target, "/") {
		return place{homeHost, l.target + value, ""}
	}
	return place{homeHost, l.target, ""}
}

// world is a list with its answers.
type smallWorld struct {
	lines []line
	later []bool
}

// hop is a line that led a request to a place.
type hop struct {
	line int
	to   place
}

// params are the items of a query.
func params(query string) []string {
	if query == "" {
		return nil
	}
	return strings.Split(query, "&")
}

// name is the name of an item.
func name(item string) string {
	n, _, _ := strings.Cut(item, "=")
	return n
}

// carries returns the first item of that name in a query.
func carries(query, wanted string) string {
	for _, item := range params(query) {
		if name(item) == wanted {
			return item
		}
	}
	return ""
}

// meets returns the lines that a request meets, in their order.
func (w smallWorld) meets(at place) (met []int) {
	// namedElse reports whether the request carries what a row of its path names,
	// and this one doesn't.
	namedElse := func(own string) bool {
		return slices.ContainsFunc(w.lines, func(o line) bool {
			return !o.pattern() && o.from.path == at.path && o.from.query != "" && name(o.from.query) != name(own) &&
				carries(at.query, name(o.from.query)) != ""
		})
	}
	for rank := range 3 {
		for i, l := range w.lines {
			if l.pattern() || l.from.path != at.path || l.from.query != "" &&
				carries(at.query, name(l.from.query)) != l.from.query || namedElse(l.from.query) {
				continue
			}
			r := 2
			if l.from.host == "" || l.from.host == at.host {
				r = 0
			} else if l.from.host == homeHost {
				r = 1
			}
			if r == rank {
				met = append(met, i)
			}
		}
	}
	for i, l := range w.lines {
		if _, ok := l.reads(at.path); l.pattern() && !namedElse("") && ok {
			met = append(met, i)
		}
	}
	return met
}

// step is the first of the lines that a request meets which leads elsewhere.
func (w smallWorld) step(at place) (hop, bool) {
	for _, i := range w.meets(at) {
		if to := w.lines[i].travel(at); to != at {
			return hop{i, to}, true
		}
	}
	return hop{}, false
}

// travel is where a line leads a request: what the line doesn't name, and its
// target doesn't have, travels on.
func (l line) travel(at place) place {
	to := l.to.home()
	if l.pattern() {
		value, _ := l.reads(at.path)
		to = l.leads(value)
	}
	items := params(to.query)
	for _, item := range params(at.query) {
		if name(item) != name(l.from.query) && carries(to.query, name(item)) == "" {
			items = append(items, item)
		}
	}
	to.query = strings.Join(items, "&")
	return to
}

// way follows on to the end; round says that there is none, and gives the lines
// of the circle.
func (w smallWorld) way(h hop) (way []hop, round []int) {
	for {
		if i := slices.Index(way, h); i >= 0 {
			for _, n := range way[i:] {
				round = append(round, n.line)
			}
			slices.Sort(round)
			return way, slices.Compact(round)
		}
		way = append(way, h)
		n, ok := w.step(h.to)
		if !ok {
			return way, nil
		}
		h = n
	}
}

// values are what a variable may be; the last is the program's own example of
// the class segment.
func values() []string { return []string{"a", "b", "c", "d", "e", exampleValue()} }

// exampleValue is the value that a variable without a class takes as an example.
func exampleValue() string { return template.Default().Example() }

// count counts what is wrong with a list.
func (w smallWorld) count() map[string]int {
	want := map[string]int{}
	w.later = make([]bool, len(w.lines))
	w.sources(want)
	w.patterns(want)
	for _, l := range w.lines {
		if l.pattern() && !strings.HasSuffix(l.target, "/") {
			want["unused-variables"]++
		}
	}
	circles := map[string]bool{}
	for i, l := range w.lines {
		if w.later[i] {
			continue
		}
		var starts []hop
		alone := false // a row whose own way leads back to it at once
		if !l.pattern() {
			starts = []hop{{i, l.to.home()}}
			alone = w.spelled(l.from.on(), l.to.on(), starts[0], want)
		} else {
			example := exampleValue()
			if l.letters != "" {
				example = l.letters[:1]
			}
			for _, v := range values() {
				at := place{homeHost, l.folder + v, ""}
				if h, ok := w.step(at); ok && h.line == i {
					starts = append(starts, h)
					if v == example {
						w.spelled(at, h.to, h, want)
					}
				}
			}
		}
		var inCircle, loops, chain, mixed bool
		for _, h := range starts {
			way, round := w.way(h)
			if round != nil {
				if !alone || len(round) > 1 {
					circles[fmt.Sprint(round)] = true
				}
				loops = true
				inCircle = inCircle || slices.Contains(round, i)
				continue
			}
			if !slices.ContainsFunc(way, func(n hop) bool { return n.line != i }) {
				continue
			}
			chain = true
			kinds := map[bool]bool{}
			for _, n := range way {
				kinds[w.lines[n.line].status == 302] = true
			}
			mixed = mixed || len(kinds) > 1
		}
		switch {
		case inCircle:
		case loops:
			want["into-loop"]++
		case chain:
			want["chain"]++
			if mixed {
				want["wrong-status"]++
			}
		}
	}
	want["loop"] = len(circles)
	for code, n := range want {
		if n == 0 {
			delete(want, code)
		}
	}
	return want
}

// spelled counts what scheme and host make of a row; it reports whether the row
// leads to itself.
func (w smallWorld) spelled(from, to place, h hop, want map[string]int) (self bool) {
	next, on := w.step(to.home())
	switch self = to.home() == from || to == from || on && next == h; {
	case self:
		want["self"]++
	case from.home() == to:
		want["redundant"]++
	}
	if (self && len(w.meets(to.home())) == 0 || !on && !self) && to.home() != to {
		want["hidden-chain"]++
	}
	return self
}

// sources counts what several rows of one place say, and notes the later ones.
func (w smallWorld) sources(want map[string]int) {
	told := map[string]bool{}
	for i, l := range w.lines {
		if l.pattern() {
			continue
		}
		same := func(o line) bool {
			return !o.pattern() && o.from.path == l.from.path && o.from.query == l.from.query
		}
		goal := func(o line) string { return fmt.Sprint(o.to.on(), o.status) }
		duplicate := false
		everywhere, differs := false, false
		for j, o := range w.lines {
			if !same(o) {
				continue
			}
			everywhere = everywhere || o.from.host == ""
			for _, p := range w.lines {
				if same(p) && (p.from.host == o.from.host || p.from.host == "" || o.from.host == "") &&
					goal(p) != goal(o) {
					differs = differs || l.from.host == o.from.host || l.from.host == "" || o.from.host == "" ||
						p.from.host == "" || slices.ContainsFunc(w.lines,
						func(q line) bool { return same(q) && q.from.host == "" })
				}
			}
			if j < i && o.from.host == l.from.host {
				w.later[i] = true
				duplicate = duplicate || goal(o) == goal(l)
			}
		}
		if duplicate {
			want["duplicate"]++
		}
		cluster := l.from.path + "?" + l.from.query
		if !everywhere {
			cluster += " " + l.from.host
		}
		if differs && !told[cluster] {
			told[cluster] = true
			want["conflict"]++
		}
	}
}

// patterns counts what patterns do to each other, and notes the later ones.
func (w smallWorld) patterns(want map[string]int) {
	reads := func(l line) map[string]bool {
		set := map[string]bool{}
		for _, folder := range []string{"/", "/p/", "/q/"} {
			for _, v := range values() {
				if _, ok := l.reads(folder + v); ok {
					set[folder+v] = true
				}
			}
		}
		return set
	}
	within := func(a, b map[string]bool) bool {
		for path := range a {
			if !b[path] {
				return false
			}
		}
		return true
	}
	goal := func(l line) string { return fmt.Sprint(l.target, l.status) }
	var before []line
	for i, l := range w.lines {
		if !l.pattern() {
			continue
		}
		differs, duplicate := false, false
		for j, o := range w.lines {
			if !o.pattern() || o.folder != l.folder || o.letters != l.letters {
				continue
			}
			differs = differs || goal(o) != goal(l)
			duplicate = duplicate || j < i && goal(o) == goal(l)
			w.later[i] = w.later[i] || j < i
		}
		if duplicate {
			want["duplicate"]++
		}
		if w.later[i] {
			continue
		}
		if differs {
			want["conflict"]++
		}
		own, covered := reads(l), map[string]bool{}
		for _, o := range before {
			for path := range reads(o) {
				covered[path] = true
			}
		}
		if within(own, covered) {
			want["shadowed"]++
		} else if slices.ContainsFunc(before, func(o line) bool {
			shared := ""
			for path := range own {
				if reads(o)[path] {
					shared = path
				}
			}
			one, _ := l.reads(shared)
			return shared != "" && !within(reads(o), own) && (o.status != l.status || o.leads(one) != l.leads(one))
		}) {
			want["conflict"]++
		}
		before = append(before, l)
	}
}

func TestCheckAgreesWithANaiveOne(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 2026))
	one := func(list ...string) string { return list[random.IntN(len(list))] }
	anywhere := func() place {
		return place{one("", "", homeHost, "www."+homeHost), one("/a", "/b", "/c", "/d"),
			one("", "", "", "k=1", "k=2", "m=1")}
	}
	rounds := 10000
	if testing.Short() {
		rounds = 500
	}
	for round := range rounds {
		var w smallWorld
		text := "from,to,status,class\n"
		for range 1 + random.IntN(7) {
			l := line{from: anywhere(), to: anywhere(), status: []int{301, 301, 302}[random.IntN(3)]}
			if random.IntN(4) == 0 {
				l = line{folder: one("/", "/", "/p/", "/q/"), letters: one("", "", "ab", "bc"),
					target: one("/", "/p/", "/q/", "/a", "/b"), status: l.status}
			}
			w.lines = append(w.lines, l)
			text += l.String() + "\n"
		}
		list, found, err := Read("list.csv", strings.NewReader(text), skerrywick())
		require.NoError(t, err)
		require.Empty(t, found)
		got := Check(list, Alone(list, address.Speller{Site: skerrywick()}))
		require.Equal(t, w.count(), finding.Count(got), "round %d:\n%s\n%v", round, text, got)
	}
}
