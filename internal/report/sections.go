package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/design"
	"young-compass/internal/figure"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/lint"
	"young-compass/internal/probe"
	"young-compass/internal/step"
)

// mostRows is how many rows of a table the page has; a file beside it has the others.
const mostRows = 200

// add adds a row.
func (t *Table) add(row []Cell) {
	text := make([]string, len(row))
	for i := range row {
		text[i] = address.Printable(row[i].Text)
		row[i].Text = shown(row[i].Text)
	}
	t.all = append(t.all, text)
	if len(t.Rows) == mostRows {
		t.More++
		return
	}
	t.Rows = append(t.Rows, row)
}

func plain(n int) Cell { return Cell{Text: fmt.Sprint(n)} }

// number is a cell with a bar that is as long as n is of all.
func number(n, all int) Cell {
	return Cell{Text: fmt.Sprint(n), Share: 1, Of: float64(n) / float64(max(all, 1))}
}

// moves are the addresses of the live pages: those that they had before, and those that they have or are to have.
type moves struct {
	olds, news []address.Address
	changed    []address.Address // those of news that were another before
}

func movesOf(e *step.Evidence) (m moves) {
	formers := e.Plan.Book.Formers()
	proposals, _ := design.Propose(e.Plan, design.Options{})
	for _, q := range proposals {
		m.news = append(m.news, q.New)
		old, ok := formers[q.Page.Ref]
		if !q.IsNew() && (q.Moves() || !ok) {
			old, ok = *q.Old, true
		}
		if ok {
			m.olds = append(m.olds, old)
		}
		if ok && old != q.New {
			m.changed = append(m.changed, q.New)
		}
	}
	return m
}

// treeLines is how many lines of a tree are shown.
const treeLines = 26

// trees is the section with the tree of addresses before and after.
func trees(m moves) *Section {
	s := &Section{Title: "The tree of addresses, before and after"}
	if len(m.news) == 0 {
		s.Missing = "young-compass gather SOURCE..."
		s.Lead = "There are no pages yet."
		return s
	}
	s.Lead = fmt.Sprintf("%s, of which %d had another address before.", plural(len(m.news), "live page", "live pages"),
		len(m.changed))
	s.Trees = []Tree{{"Before", linesOf(design.Tree(m.olds), nil)},
		{"After", linesOf(design.Tree(m.news), design.Tree(m.changed))}}
	return s
}

// linesOf writes a tree in some lines: the branches with most pages are opened first. changed is the tree of the pages
// that had another address before; nil: that isn't asked.
func linesOf(root, changed *design.Node) (lines []Line) {
	open := root.Opened(treeLines)
	moved := map[string]int{}
	var note func(n *design.Node, path string)
	note = func(n *design.Node, path string) {
		moved[path] = n.Pages
		for _, c := range n.Children {
			note(c, path+"/"+c.Segment)
		}
	}
	if changed != nil {
		note(changed, "")
	}
	var write func(n *design.Node, path string, depth int)
	write = func(n *design.Node, path string, depth int) {
		line := Line{Depth: depth, Segment: shown(n.Segment), Pages: n.Pages, Moved: moved[path],
			Share: float64(n.Pages) / float64(max(root.Pages, 1))}
		if depth > 0 && moved[""] == root.Pages {
			line.Moved = 0 // the first line says it of all
		}
		lines = append(lines, line)
		if !open[n] {
			return
		}
		for _, c := range n.Branches() {
			write(c, path+"/"+c.Segment, depth+1)
		}
		if rest := n.Rest(); rest > 0 {
			lines = append(lines, Line{Depth: depth + 1, Pages: rest, Rest: true, Share: float64(rest) / float64(max(root.Pages, 1))})
		}
	}
	write(root, "", 0)
	return lines
}

// readability is the section that says how well people read the addresses.
func readability(e *step.Evidence, m moves) *Section {
	s := &Section{Title: "How readable the addresses are"}
	olds, news := m.olds, m.news
	if len(news) == 0 {
		s.Missing, s.Lead = "young-compass gather SOURCE...", "There are no pages yet."
		return s
	}
	j := lint.Judge{Limits: lint.Limits{Depth: e.Plan.Paths.Depth, Length: e.Plan.Paths.Length},
		DefaultLanguage: e.Plan.Languages.Default}
	subjects := func(list []address.Address) (all []lint.Subject) {
		for _, a := range list {
			all = append(all, lint.Subject{Address: a, Text: a.Readable()})
		}
		return all
	}
	then, now := j.Summarise(subjects(olds)), j.Summarise(subjects(news))
	s.Lead = fmt.Sprintf("From %d to %d of 100: 100 is an address that anybody can read out, type and guess.", then.Readability,
		now.Readability)
	t := Table{Caption: "Addresses before and after", Columns: []Column{{"", false}, {"before", true}, {"after", true}}}
	t.add([]Cell{{Text: "readability, of 100"}, number(then.Readability, 100), number(now.Readability, 100)})
	t.add([]Cell{{Text: "with parameters"}, number(then.Queries, len(olds)), number(now.Queries, len(news))})
	ranges := func(what string, a, b []lint.Range) {
		for i := range a {
			if i < len(b) && a[i].Count+b[i].Count > 0 {
				t.add([]Cell{{Text: what + " " + rangeOf(a, i)}, number(a[i].Count, len(olds)), number(b[i].Count, len(news))})
			}
		}
	}
	ranges("characters", then.Lengths, now.Lengths)
	ranges("segments", then.Depths, now.Depths)
	s.Tables = []Table{t}
	s.Figures = []figure.Figure{figure.Bars("readability", "Readability of addresses, of 100", "points",
		[]figure.Bar{{Name: "before", Good: then.Readability, Of: then.Readability}, {Name: "after", Good: now.Readability,
			Of: now.Readability}})}
	return s
}

func rangeOf(list []lint.Range, i int) string {
	switch r := list[i]; {
	case r.From == r.To:
		return fmt.Sprint(r.From)
	case i == len(list)-1:
		return fmt.Sprintf("%d or more", r.From)
	default:
		return fmt.Sprintf("%d to %d", r.From, r.To)
	}
}

// coverageOf is the section that says what of the known addresses, by visits, the plan answers.
func coverageOf(e *step.Evidence) *Section {
	s := &Section{Title: "Which visits find something"}
	if e.Coverage == nil {
		s.Missing, s.Lead = "young-compass gather access.log", "No logs were gathered, so that nobody knows what people ask for."
		return s
	}
	byVisits, byAddress := e.Coverage.Percent()
	s.Lead = fmt.Sprintf("The plan answers %.1f %% of %d visits, and %.1f %% of %d known addresses.", byVisits, e.Coverage.Visits,
		byAddress, e.Coverage.Addresses)
	t := Table{Caption: "By kind, language and state", Columns: []Column{{"by", false}, {"", false},
		{"visits", true}, {"answered", true}, {"addresses", true}, {"answered", true}, {"pages now", true}}}
	most := 1
	for _, g := range e.Coverage.Groups {
		most = max(most, g.Visits)
	}
	var bars []figure.Bar
	for _, g := range e.Coverage.Groups {
		state := Yes
		if g.AnsweredVisits < g.Visits || g.Answered < g.Addresses {
			state = Partly
		}
		answered := Cell{Text: fmt.Sprint(g.AnsweredVisits), Of: float64(g.Visits) / float64(most),
			Share: float64(g.AnsweredVisits) / float64(max(g.Visits, 1))}
		t.add([]Cell{{Text: g.By}, {Text: g.Name, State: state}, plain(g.Visits), answered, plain(g.Addresses), plain(g.Answered),
			plain(g.Pages)})
		if g.By == "kind" {
			bars = append(bars, figure.Bar{Name: shown(g.Name), Good: g.AnsweredVisits, Of: g.Visits})
		}
	}
	s.Tables = append(s.Tables, t)
	if len(e.Coverage.Lost) > 0 {
		lost := Table{Caption: "Addresses that the plan has forgotten, the most visited first",
			Columns: []Column{{"visits", true}, {"address", false}, {"perhaps now", false}}}
		for _, l := range e.Coverage.Lost {
			perhaps := "nothing is like it"
			if l.Proposed.Key != "" {
				perhaps = l.Proposed.String() + " (" + l.Title + ")"
			}
			lost.add([]Cell{plain(l.Visits), {Text: strings.TrimPrefix(l.Address.Readable(), e.Plan.Site.Origin.Base())}, {Text: perhaps}})
		}
		s.Tables = append(s.Tables, lost)
	}
	s.Figures = []figure.Figure{figure.Bars("coverage", "Visits that the plan answers, by kind", "visits", bars)}
	return s
}

// titleOf returns the heading of a section that a probe fills, and what the section shows.
func titleOf(kind string) (title, lead string) {
	switch kind {
	case probe.Canonicals:
		return "Which addresses show the same page", "Addresses that show the same or nearly the same text, and the one canonical address that they name."
	case probe.Parameters:
		return "What parameters do", "Each parameter, what the plan takes it for, and what trials on the site showed."
	case probe.Hosts:
		return "Every spelling on every host", "The home page and one page of each kind, in every spelling on every host, and where each ends."
	case probe.Secure:
		return "Certificates and the way to https", "The certificates of the site's hosts."
	case probe.Languages:
		return "Languages", "Which page names which translation."
	}
	return "What search engines are told", "The site's sitemaps, as they were read."
}

// probed is a section that the last probe of a kind fills.
func probed(in Input, kind string) *Section {
	e := in.Evidence
	s := &Section{}
	s.Title, s.Lead = titleOf(kind)
	stopped := in.Stopped
	if kind == probe.Hosts { // which are asked anew each time
		stopped = 0
	}
	p, ok := e.Proofs[kind]
	switch {
	case !ok:
		s.Missing = "young-compass probe " + kind
		s.Lead = "The site wasn't asked yet."
		if stopped > 0 {
			s.Lead = fmt.Sprintf("The last run was broken off after %s; the same command goes on from there.",
				plural(stopped, "address", "addresses"))
		}
		return s
	case p.Origin != e.Plan.Site.Origin.String():
		s.Missing = "young-compass probe " + kind
		s.Lead = "What was asked is another site, " + shown(p.Origin) + "."
		return s
	}
	asked := "Asked on " + p.When.UTC().Format(time.DateOnly)
	if len(p.At) > 0 {
		asked += " at " + shown(strings.Join(p.At, ", "))
	}
	if p.Sample > 0 {
		asked += fmt.Sprintf(", a sample of %d", p.Sample)
	}
	s.Notes = append(s.Notes, asked+".")
	if p.Plan != e.Sum {
		s.Notes = append(s.Notes, "The plan changed since: young-compass probe "+kind+" asks again.")
	}
	if stopped > 0 {
		s.Notes = append(s.Notes, fmt.Sprintf("A later run was broken off after %s, and isn't in here.", plural(stopped, "address",
			"addresses")))
	}
	if p.Columns == nil { // kept by an older version
		s.Missing = "young-compass probe " + kind
		return s
	}
	if len(p.Rows) == 0 {
		s.Notes = append(s.Notes, "There was nothing to show.")
		return s
	}
	t := Table{Caption: captionOf(kind), More: p.More}
	for i, c := range p.Columns {
		t.Columns = append(t.Columns, Column{shown(c), !slices.ContainsFunc(p.Rows, func(row []string) bool {
			return strings.Trim(row[i], "0123456789") != ""
		})})
	}
	for _, row := range p.Rows {
		cells := make([]Cell, len(row))
		for i, text := range row {
			cells[i] = Cell{Text: strings.TrimPrefix(text, e.Plan.Site.Origin.Base()), State: stateOf(kind, p.Columns[i], text)}
		}
		t.add(cells)
	}
	s.Tables = []Table{t}
	return s
}

// stateOf says how good what a cell says is.
func stateOf(kind, column, text string) Verdict {
	switch {
	case kind == probe.Hosts && column != "page" && column != "spelling":
		if strings.HasSuffix(text, "!") {
			return No
		}
		return Yes
	case kind == probe.Languages && column != "page" && column != "lang":
		switch text {
		case "yes", "self":
			return Yes
		case "":
			return ""
		}
		return No
	case column == "in robots.txt" && text == "no":
		return No
	}
	return ""
}

// captionOf names the table of what a probe of a kind saw.
func captionOf(kind string) string {
	return map[string]string{probe.Canonicals: "Addresses with one text", probe.Parameters: "Parameters, and what trials showed",
		probe.Hosts: "Where each spelling ends", probe.Secure: "Certificates", probe.Languages: "Links to translations",
		probe.Index: "Sitemaps"}[kind]
}

// languages is the section that says which pages are there in which language.
func languages(in Input) *Section {
	e := in.Evidence
	tags := e.Plan.Languages.Tags()
	s := probed(in, probe.Languages)
	if len(tags) == 1 {
		if s.Missing != "" {
			s.Missing = ""
			s.Lead = "The site has one language."
		}
		return s
	}
	kinds := map[string]map[string]int{}
	groups := map[string]map[string]bool{}
	kindOf := map[string]string{}
	for i := range e.Plan.Pages.Pages {
		page := &e.Plan.Pages.Pages[i]
		if page.State != inventory.Live {
			continue
		}
		if kinds[page.Kind] == nil {
			kinds[page.Kind] = map[string]int{}
		}
		kinds[page.Kind][page.Language]++
		if groups[page.Key] == nil {
			groups[page.Key] = map[string]bool{}
		}
		groups[page.Key][page.Language], kindOf[page.Key] = true, page.Kind
	}
	matrix := Table{Caption: "Live pages by kind and language, and the pages that every language has",
		Columns: []Column{{"kind", false}}}
	for _, tag := range tags {
		matrix.Columns = append(matrix.Columns, Column{tag, true})
	}
	matrix.Columns = append(matrix.Columns, Column{"pages", true}, Column{"in every language", true})
	whole, all := map[string]int{}, map[string]int{}
	for key, have := range groups {
		all[kindOf[key]]++
		if len(have) == len(tags) {
			whole[kindOf[key]]++
		}
	}
	complete := 0
	for _, kind := range slices.Sorted(maps.Keys(kinds)) {
		row := []Cell{{Text: kind}}
		for _, tag := range tags {
			row = append(row, plain(kinds[kind][tag]))
		}
		state := Yes
		if whole[kind] < all[kind] {
			state = Partly
		}
		complete += whole[kind]
		matrix.add(append(row, plain(all[kind]), Cell{Text: fmt.Sprint(whole[kind]), State: state}))
	}
	s.Lead = fmt.Sprintf("%d of %s are there in all of %s. Below, which page names which translation.", complete,
		plural(len(groups), "page", "pages"), plural(len(tags), "language", "languages"))
	s.Tables = append([]Table{matrix}, s.Tables...)
	if s.Missing != "" {
		s.Lead = strings.TrimSuffix(s.Lead, " Below, which page names which translation.")
		s.Notes = append(s.Notes, "Whether the pages name one another wasn't asked yet: "+s.Missing)
		s.Missing = ""
	}
	return s
}

// steps is the section that says how far each job is, and what shows it.
func steps(e *step.Evidence) (*Section, error) {
	s := &Section{Title: "How far the work is", Lead: "Nobody ticks a step off: what shows it stands beside each."}
	sums := Table{Caption: "Jobs", Columns: []Column{{"job", false}, {"done", true}, {"open", true}, {"failing", true},
		{"not known", true}}}
	all := Table{Caption: "Steps, and what shows them", Columns: []Column{{"job", false}, {"step", false}, {"state", false}, {"evidence", false}}}
	for _, job := range step.Jobs() {
		list, err := step.Judge(e, job)
		if err != nil {
			return nil, err
		}
		counts := map[step.State]int{}
		for _, one := range list {
			counts[one.State]++
			state := map[step.State]Verdict{step.Done: Yes, step.Failing: No, step.Open: Partly, step.Unknown: Unknown}[one.State]
			all.add([]Cell{{Text: job}, {Text: one.What}, {Text: one.Word(), State: state}, {Text: one.Shown()}})
		}
		sums.add([]Cell{{Text: job}, number(counts[step.Done], len(list)), plain(counts[step.Open]), plain(counts[step.Failing]),
			plain(counts[step.Unknown])})
	}
	s.Tables = []Table{sums, all}
	return s, nil
}

// mostPlaces is how many findings of one cause the page has, and fewPlaces how many once it has mostInAll;
// mostEvidence is how many lines of evidence each has.
const mostPlaces, fewPlaces, mostInAll, mostEvidence = 100, 10, 2000, 5

// findings is the section with all that is wrong, by cause, what costs most first.
func findings(e *step.Evidence, groups []*finding.Group) *Section {
	s := &Section{Title: "What is wrong, and how to mend it"}
	n, on, visited := 0, 0, false
	for _, g := range groups {
		most := mostPlaces
		if on >= mostInAll {
			most = fewPlaces
		}
		n += len(g.Findings)
		visited = visited || g.Visits > 0
		one := Group{Group: *g}
		one.Why, one.Advice = capital(shown(g.Why)), shown(g.Advice)
		for _, f := range g.Findings {
			if len(one.Places) == most {
				one.More = len(g.Findings) - most
				break
			}
			p := Place{Where: shown(strings.TrimPrefix(f.Where.String(), e.Plan.Site.Origin.Base())), What: shown(f.What),
				Advice: shown(f.Advice), Visits: f.Visits}
			for _, line := range f.Evidence[:min(len(f.Evidence), mostEvidence)] {
				p.Evidence = append(p.Evidence, shown(line))
			}
			one.Places = append(one.Places, p)
		}
		on += len(one.Places)
		s.Groups = append(s.Groups, one)
	}
	s.Lead = "Nothing was found."
	if n > 0 {
		s.Lead = fmt.Sprintf("%s of %s. The worst stand first", plural(n, "finding", "findings"), plural(len(groups), "cause", "causes"))
		if visited {
			s.Lead += ", then those that touch most visits"
		}
		s.Lead += "."
	}
	for _, kind := range probe.Kinds() {
		if p, ok := e.Proofs[kind]; ok && p.Plan != e.Sum && len(p.Findings) > 0 {
			s.Notes = append(s.Notes, fmt.Sprintf("What probe %s found on %s is of an earlier plan.", kind,
				p.When.UTC().Format(time.DateOnly)))
		}
	}
	if len(e.Proofs) == 0 {
		s.Notes = append(s.Notes, "The site wasn't asked yet, so that these are of the plan alone: young-compass probe")
	}
	return s
}
