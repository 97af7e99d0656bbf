package finding

import (
	"cmp"
	"slices"
	"strings"
)

// Group is findings of one cause: they have one code, and are equally bad.
type Group struct {
	Code     Code
	Severity Severity
	What     string     // what the catalogue says of the code
	Why      string     // what all say; else what the catalogue says
	Advice   string     // what all say; empty where they differ
	Mend     string     // what the catalogue says to do
	Visits   int        // of all places, each once
	Findings []*Finding // the costliest first
}

// Groups puts findings together by their cause: the worst first, then those that cost most visits, then the most
// frequent. The list itself gets the order of Sort.
func Groups(list []Finding) []*Group {
	Sort(list)
	type cause struct {
		code     Code
		severity Severity
	}
	type counted struct {
		in    *Group
		where Place // without a column
	}
	groups, seen := map[cause]*Group{}, map[counted]bool{}
	var all []*Group
	for i := range list {
		f := &list[i]
		of := cause{f.Code, f.Severity}
		g := groups[of]
		if g == nil {
			g = &Group{Code: f.Code, Severity: f.Severity, Why: f.Why, Advice: f.Advice}
			groups[of] = g
			all = append(all, g)
		}
		if g.Why != f.Why {
			g.Why = ""
		}
		if g.Advice != f.Advice {
			g.Advice = ""
		}
		at := counted{g, Place{File: f.Where.File, Line: f.Where.Line, URL: f.Where.URL}}
		if f.Visits > 0 && !seen[at] {
			seen[at] = true
			g.Visits += f.Visits
		}
		g.Findings = append(g.Findings, f)
	}
	if len(all) > 0 {
		for _, d := range Catalogue() {
			for _, severity := range []Severity{Error, Warning, Note} {
				if g := groups[cause{d.Code, severity}]; g != nil {
					g.What, g.Why, g.Mend = d.What, cmp.Or(g.Why, d.Why), d.Mend
				}
			}
		}
	}
	slices.SortStableFunc(all, func(a, b *Group) int {
		return cmp.Or(cmp.Compare(b.Severity.rank(), a.Severity.rank()), cmp.Compare(b.Visits, a.Visits),
			cmp.Compare(len(b.Findings), len(a.Findings)), strings.Compare(string(a.Code), string(b.Code)))
	})
	return all
}

// Find returns what the catalogue says of a code.
func Find(code string) (Description, bool) {
	list := Catalogue()
	i := slices.IndexFunc(list, func(d Description) bool { return string(d.Code) == code })
	if i < 0 {
		return Description{}, false
	}
	return list[i], true
}
