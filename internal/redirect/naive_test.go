package redirect

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

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

// met is a line met at a place.
type metAt struct {
	line int
	at   place // of a pattern; empty for a row of one place
}

// meets returns what a request meets.
func (w smallWorld) meets(at place) (metAt, bool) {
	// namedElse reports whether the request carries what a row of its path names,
	// and this one doesn't.
	namedElse := func(own string) bool {
		return slices.ContainsFunc(w.lines, func(o line) bool {
			name, _, _ := strings.Cut(o.from.query, "=")
			return !o.pattern() && o.from.path == at.path && name != "" && strings.HasPrefix(at.query, name+"=") && !strings.HasPrefix(own, name+"=")
		})
	}
	best, rank := -1, 9
	for i, l := range w.lines {
		if l.pattern() || l.from.path != at.path {
			continue
		}
		fits := (l.from.query == at.query || l.from.query == "") && !namedElse(l.from.query)
		r := map[bool]int{true: 0, false: map[string]int{homeHost: 1}[l.from.host]}[l.from.host == "" || l.from.host == at.host]
		if r == 0 && l.from.host != "" && l.from.host != at.host {
			r = 2
		}
		if fits && r < rank {
			best, rank = i, r
		}
	}
	if best >= 0 {
		return metAt{line: best}, true
	}
	for i, l := range w.lines {
		if l.pattern() && !w.later[i] && !namedElse("") {
			if _, ok := l.reads(at.path); ok {
				return metAt{i, place{homeHost, at.path, ""}}, true // what it doesn't name travels on
			}
		}
	}
	return metAt{}, false
}

// target is where what was met leads.
func (w smallWorld) target(m metAt) place {
	l := w.lines[m.line]
	if !l.pattern() {
		return l.to
	}
	value, _ := l.reads(m.at.path)
	return l.leads(value)
}

// next is what the target of what was met meets; nothing when that is itself.
func (w smallWorld) next(m metAt) (metAt, bool) {
	n, ok := w.meets(w.target(m).on())
	return n, ok && n != m
}

// way follows on to the end; round says that there is none, and gives the rows
// of the circle.
func (w smallWorld) way(m metAt) (way []metAt, round []int) {
	for {
		if i := slices.Index(way, m); i >= 0 {
			for _, n := range way[i:] {
				round = append(round, n.line)
			}
			slices.Sort(round)
			return way, slices.Compact(round)
		}
		way = append(way, m)
		n, ok := w.next(m)
		if !ok {
			return way, nil
		}
		m = n
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
	circles := map[string]bool{}
	for i, l := range w.lines {
		if w.later[i] {
			continue
		}
		var starts []metAt
		if !l.pattern() {
			starts = []metAt{{line: i}}
			w.spelled(l.from.on(), l.to.on(), metAt{line: i}, want)
		} else {
			for _, v := range values() {
				at := place{homeHost, l.folder + v, ""}
				if m, ok := w.meets(at); ok && m.line == i {
					starts = append(starts, m)
				}
			}
			example := exampleValue()
			if l.letters != "" {
				example = l.letters[:1]
			}
			at := place{homeHost, l.folder + example, ""}
			if m, ok := w.meets(at); ok && m.line == i {
				w.spelled(at, w.target(m), m, want)
			}
		}
		var inCircle, loops, chain, mixed bool
		for _, m := range starts {
			way, round := w.way(m)
			if round != nil {
				circles[fmt.Sprint(round)] = true
				loops = true
				inCircle = inCircle || slices.Contains(round, i)
				continue
			}
			if !slices.ContainsFunc(way, func(n metAt) bool { return n.line != i }) {
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

// spelled counts what scheme and host make of a row.
func (w smallWorld) spelled(from, to place, m metAt, want map[string]int) {
	switch {
	case to.home() == from, to == from:
		want["self"]++
	case from.home() == to:
		want["redundant"]++
	}
	if _, ok := w.meets(to); !ok && to.home() != to {
		want["hidden-chain"]++
	}
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
				if same(p) && (p.from.host == o.from.host || p.from.host == "" || o.from.host == "") && goal(p) != goal(o) {
					differs = differs || l.from.host == o.from.host || l.from.host == "" || o.from.host == "" || p.from.host == "" || slices.ContainsFunc(w.lines, func(q line) bool { return same(q) && q.from.host == "" })
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
		return place{one("", "", homeHost, "www."+homeHost), one("/a", "/b", "/c", "/d"), one("", "", "", "k=1", "k=2", "m=1")}
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
				l = line{folder: one("/", "/", "/p/", "/q/"), letters: one("", "", "ab", "bc"), target: one("/", "/p/", "/q/", "/a", "/b"), status: l.status}
			}
			w.lines = append(w.lines, l)
			text += l.String() + "\n"
		}
		list, found, err := Read("list.csv", strings.NewReader(text), skerrywick())
		require.NoError(t, err)
		require.Empty(t, found)
		got := Check(list, World{Site: skerrywick(), Fold: true})
		require.Equal(t, w.count(), finding.Count(got), "round %d:\n%s\n%v", round, text, got)
	}
}
