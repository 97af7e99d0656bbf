package redirect

import (
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
)

// Check looks for redirects that contradict or undo each other:
//
//   - loop: a cycle of two or more rows, once for each cycle
//   - chain: a row whose target another row redirects again; rows in or into a
//     cycle are none
//   - conflict: a source with different targets or statuses, once for each
//
// Of several rows with one source the first stands in the ways.
func Check(rows []Row, site address.Site, fold bool) []finding.Finding {
	index := &Index{Site: site, Fold: fold}
	for i, row := range rows {
		index.Add(row.Source, i)
	}
	found, later := conflicts(rows, index)
	next := make([]int, len(rows))
	for i, row := range rows {
		next[i] = follow(rows, index, row)
		if next[i] == i || later[i] {
			next[i] = -1 // to itself, or never met: nothing leads on
		}
	}
	found = append(found, ways(rows, next)...)
	finding.Sort(found)
	return found
}

// follow returns the row that the target of row meets, or -1.
func follow(rows []Row, index *Index, row Row) int {
	if row.Gone() || row.ToPage() || !index.Site.Has(row.Target.Host) {
		return -1
	}
	t := row.Target
	hits := index.Match(t.Host, t.Path, address.SplitQuery(t.Query), index.Named(t.Path))
	if len(hits) == 0 {
		return -1
	}
	return hits[0]
}

// conflicts also returns which rows stand behind another with their source.
func conflicts(rows []Row, index *Index) (found []finding.Finding, later []bool) {
	later = make([]bool, len(rows))
	done := make([]bool, len(rows))
	for i, row := range rows {
		if done[i] {
			continue
		}
		differs := false
		related := []finding.Place{}
		for _, j := range index.Match(row.Host, row.Path, address.SplitQuery(row.Query), index.Named(row.Path)) {
			other := rows[j]
			if j <= i || other.Host != row.Host && other.Host != "" && row.Host != "" {
				continue
			}
			done[j] = true
			later[j] = later[j] || other.Host == row.Host
			if other.goal() != row.goal() {
				differs = true
				related = append(related, other.place())
			}
		}
		if differs {
			found = append(found, finding.Finding{Code: "conflict", Severity: finding.Error, Where: row.place(), Related: related,
				What:   fmt.Sprintf("%s leads to %s here and elsewhere in line %s", row.From, row.goal(), lines(related)),
				Why:    "a server takes one of them, and not every server the same",
				Advice: "keep the one that is right and delete the others"})
		}
	}
	return found, later
}

// ways finds loops and chains by walking from every row once.
func ways(rows []Row, next []int) []finding.Finding {
	const unseen, onWay, done = 0, 1, 2
	state := make([]int, len(rows))
	looping := make([]bool, len(rows)) // in a cycle or leading into one
	var found []finding.Finding
	for start := range rows {
		var way []int
		at := start
		for at >= 0 && state[at] == unseen {
			state[at] = onWay
			way = append(way, at)
			at = next[at]
		}
		loops := at >= 0 && (state[at] == onWay || looping[at])
		if at >= 0 && state[at] == onWay {
			found = append(found, loop(rows, way[slices.Index(way, at):]))
		}
		for _, i := range way {
			state[i], looping[i] = done, loops
		}
	}
	for i, row := range rows {
		if looping[i] || next[i] < 0 {
			continue
		}
		steps := []string{row.From}
		related := []finding.Place{}
		last := i
		for at := next[i]; at >= 0; at = next[at] {
			steps = append(steps, rows[at].From)
			related = append(related, rows[at].place())
			last = at
		}
		found = append(found, finding.Finding{Code: "chain", Severity: finding.Error, Where: row.place(), Related: related,
			What:   fmt.Sprintf("%s leads to %s, which line %s redirects again", row.From, row.To, lines(related[:1])),
			Why:    "each further hop costs the visitor time, and some give up following",
			Advice: "lead it straight to " + rows[last].goal(), Evidence: append(steps, rows[last].goal())})
	}
	return found
}

// loop is the finding for a cycle, told from its first line.
func loop(rows []Row, cycle []int) finding.Finding {
	first := slices.Index(cycle, slices.Min(cycle))
	cycle = slices.Concat(cycle[first:], cycle[:first])
	f := finding.Finding{Code: "loop", Severity: finding.Error, Where: rows[cycle[0]].place(),
		Why: "a visitor never arrives; browsers give up with an error", Advice: "decide which of these addresses is right and delete its row"}
	for _, i := range cycle {
		f.Evidence = append(f.Evidence, rows[i].From)
	}
	for _, i := range cycle[1:] {
		f.Related = append(f.Related, rows[i].place())
	}
	f.Evidence = append(f.Evidence, rows[cycle[0]].From)
	f.What = "these lead round in a circle: " + strings.Join(f.Evidence, " -> ")
	return f
}

func (r Row) place() finding.Place { return finding.Place{File: r.File, Line: r.Line} }

// goal says target and status in words, equal exactly for rows that agree.
func (r Row) goal() string {
	status := r.Status
	if status == 0 {
		status = 301
	}
	switch {
	case r.Gone():
		return "nothing (410)"
	case r.ToPage():
		return fmt.Sprintf("%s (%d)", r.To, status)
	}
	return fmt.Sprintf("%s (%d)", r.Target, status)
}

func lines(places []finding.Place) string {
	text := make([]string, len(places))
	for i, p := range places {
		text[i] = fmt.Sprint(p.Line)
	}
	return strings.Join(text, ", ")
}
