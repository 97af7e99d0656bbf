package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/coverage"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/project"
	"young-compass/internal/propose"
	"young-compass/internal/store"
	"young-compass/internal/term"
)

// proposing is a run of propose: its flags.
type proposing struct {
	gathering
	said    string // the origin
	accept  bool
	explain bool
	moved   []finding.Finding // scripts that the plan, as it is, leads away
}

func (a *app) proposeCommand() *cobra.Command {
	p := &proposing{gathering: gathering{app: a, asking: asking{rate: 5, parallel: 2, retries: 3}}}
	c := &cobra.Command{
		Use:   "propose [SOURCE...]",
		Short: "Work the plan out from what was gathered",
		Long: `Reads the project's files, or sources as gather does; asks the site when a source is
its https:// address. Works out what a plan should say: the origin and the other hosts,
the languages and how addresses show them, what parameters are for, the kinds of pages
with their templates, scripts and files that must stay, patterns for old addresses.
Prints it as a commented young-compass.yaml; what is doubtful stands there as a question.
--explain prints the evidence for each line. --write puts it in place, or adds to the
plan that there is only what it doesn't say, and fills in what pages lack: their kind,
and the name, section and date that their addresses show. Addresses that people can
read stay as they are.`,
		RunE: func(command *cobra.Command, sources []string) error {
			if p.accept {
				end, err := p.alone(command)
				if err != nil {
					return err
				}
				defer end()
			}
			return p.run(sources)
		},
	}
	p.sourceFlags(c)
	f := c.Flags()
	f.StringVar(&p.said, "origin", "", "the `URL` of scheme and host that every address is to end on, such as https://skerrywick.example")
	f.BoolVar(&p.accept, "write", false, "write "+project.PlanFile+", and what pages lack")
	f.BoolVar(&p.explain, "explain", false, "print the evidence for each line")
	return c
}

func (p *proposing) run(sources []string) error {
	if p.said != "" {
		a, err := address.Parse(p.said)
		if err != nil || a != a.Origin() {
			return fmt.Errorf("--origin: %s is not an origin; write scheme and host, such as https://skerrywick.example",
				address.Printable(p.said))
		}
		p.origin = a
	}
	now, fresh, err := p.loadOrStart(sources)
	if err != nil || now == nil {
		return err
	}
	if !fresh && p.said != "" && p.origin != now.Site.Origin {
		return fmt.Errorf("--origin: the plan says %s; change it in %s", now.Site.Origin.Base(), p.in(project.PlanFile))
	}
	if err := p.readFlags(now); err != nil {
		return err
	}
	evidence, write, err := p.evidence(now, fresh, sources)
	if err != nil || write == nil {
		return err
	}
	var taken []string
	if !fresh {
		evidence.Origin = now.Site.Origin
		for _, kind := range now.Kinds {
			taken = append(taken, kind.Name)
		}
	}
	draft := propose.Of(evidence, taken...)
	if !fresh {
		asked, err := p.visits()
		if err != nil {
			return err
		}
		p.moved = coverage.Scripts(now, asked)
	}
	return p.tellDraft(draft, evidence.Pages, fresh, write)
}

// evidence returns what is known of the site, and what writes what was gathered for it; nothing if sources have errors,
// after it has said so.
func (p *proposing) evidence(now *plan.Plan, fresh bool, sources []string) (propose.Evidence,
	func(...project.Change) error, error) {
	var e propose.Evidence
	write := p.change
	if len(sources) > 0 || p.query != "" {
		p.evident = true
		all, err := p.gather(now, fresh, sources)
		if err != nil {
			return e, nil, err
		}
		if finding.Worst(all.found, finding.Error) {
			p.say("nothing proposed while there are errors")
			return e, nil, p.print(all.report())
		}
		e = all.evidence
		e.Pages, e.Book = all.Pages, all.Book
		write = func(more ...project.Change) error { return p.writeGathered(all.Gatherer, more...) }
	} else {
		if len(now.Pages.Pages) == 0 {
			return e, nil, errors.New("propose: there are no pages yet; name what you have (a table, a sitemap, a log, a folder of pages, " +
				"the site's https:// address), or gather it first")
		}
		asked, err := p.visits()
		if err != nil {
			return e, nil, err
		}
		e = propose.Gathered(now.Pages, now.Book, asked)
	}
	e.Origin = p.origin
	e.Moves = append(e.Moves, propose.Moves(now.Redirects, now.Site)...)
	proved, err := p.proved()
	e.Proved = proved
	return e, write, err
}

// proved returns what the last probe showed of parameters.
func (p *proposing) proved() (list []propose.Proved, err error) {
	if _, err := os.Stat(p.in(store.FileName)); errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	db, err := store.Open(p.project)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	content, _, ok, err := db.Saved(probe.ProofName("parameters"))
	if err != nil || !ok {
		return nil, err
	}
	proof, err := probe.DecodeProof(content)
	for _, q := range proof.Parameters {
		list = append(list, propose.Proved{Name: q.Name, Class: q.Class, Agree: q.Agree, Told: q.Told})
	}
	return list, err
}

// tellDraft prints a draft, after writing it if that is wanted.
func (p *proposing) tellDraft(d propose.Draft, pages *inventory.Inventory, fresh bool,
	write func(...project.Change) error) error {
	text, added := d.YAML(), d.Lines
	if !fresh {
		old, err := os.ReadFile(p.in(project.PlanFile))
		if err != nil {
			return unfinished{err}
		}
		if text, added, err = d.Into(project.PlanFile, old); err != nil {
			return err
		}
	}
	if p.accept {
		if err := p.writeDraft(d, pages, text, write); err != nil {
			return err
		}
	}
	r := report{columns: []string{"key", "value", "sure", "evidence", "example"}, name: "lines", items: d.Lines,
		more: map[string]any{"plan": string(text)}, findings: p.moved}
	doubtful := 0
	for _, l := range d.Lines {
		sure := "yes"
		if !l.Sure() {
			sure, doubtful = "no: "+l.Doubt, doubtful+1
		}
		r.rows = append(r.rows, []string{l.Key, l.Value, sure, l.Why, strings.Join(l.Examples, " ")})
	}
	filled := map[string]int{}
	for _, f := range d.Fill {
		filled[f.Column]++
	}
	r.counts = []count{{"lines", "lines", len(d.Lines)}, {"doubtful", "of them doubtful", doubtful}}
	if !fresh {
		r.counts = append(r.counts, count{"added", "that the plan doesn't say", len(added)})
	}
	r.counts = append(r.counts, count{"filled", "cells of pages filled in", len(d.Fill)})
	r.text = func(w io.Writer, style term.Style) error {
		switch {
		case p.explain:
			if err := printEvidence(w, style, d.Lines); err != nil {
				return err
			}
		case fresh:
			if err := printPlan(w, style, text); err != nil {
				return err
			}
		default:
			if err := printEvidence(w, style, added); err != nil {
				return err
			}
		}
		var words []string
		for _, column := range inventoryOrder(filled) {
			words = append(words, fmt.Sprintf("%s %d", column, filled[column]))
		}
		if len(words) > 0 {
			_, _ = fmt.Fprintf(w, "\npages lack: %s\n", strings.Join(words, ", "))
		}
		_, err := fmt.Fprintln(w)
		return err
	}
	return p.print(r)
}

// inventoryOrder returns columns in the order in which people think of them.
func inventoryOrder(filled map[string]int) (list []string) {
	for _, column := range []string{"kind", "slug", "section", "folder", "year", "month", "day", "fixed"} {
		if filled[column] > 0 {
			list = append(list, column)
		}
	}
	return list
}

// writeDraft writes the plan and the pages.
func (p *proposing) writeDraft(d propose.Draft, pages *inventory.Inventory, plan []byte,
	write func(...project.Change) error) error {
	d.Apply(pages)
	changes := []project.Change{{Name: project.PlanFile, Data: plan}}
	if !p.evident && len(d.Fill) > 0 { // else they were gathered just now, and are written
		changes = append(changes, project.Change{Name: project.PagesFile, Data: pages.Encode()})
	}
	return write(changes...)
}

// printPlan prints a plan, its comments dim and its questions marked.
func printPlan(w io.Writer, style term.Style, text []byte) error {
	for line := range bytes.Lines(text) {
		s := strings.TrimSuffix(string(line), "\n")
		switch trimmed := strings.TrimLeft(s, " "); {
		case strings.HasPrefix(trimmed, "# ?"):
			s = style.Doubt(s)
		case strings.HasPrefix(trimmed, "#"):
			s = style.Dim(s)
		default:
			if i := strings.Index(s, "  # "); i >= 0 {
				s = s[:i] + style.Dim(s[i:])
			}
		}
		if _, err := fmt.Fprintln(w, s); err != nil {
			return err
		}
	}
	return nil
}

// printEvidence prints lines with what speaks for them.
func printEvidence(w io.Writer, style term.Style, lines []propose.Line) error {
	for _, l := range lines {
		sign := " "
		if !l.Sure() {
			sign = style.Doubt("?")
		}
		if _, err := fmt.Fprintf(w, "%s %s %s\n      %s\n", sign, style.Bold(address.Printable(l.Key+":")),
			address.Printable(l.Value),
			address.Printable(l.Why)); err != nil {
			return err
		}
		if !l.Sure() {
			_, _ = fmt.Fprintln(w, "      "+style.Doubt(address.Printable(l.Doubt)))
		}
		for _, e := range l.Examples {
			_, _ = fmt.Fprintln(w, "      "+style.Dim(address.Printable(e)))
		}
	}
	return nil
}
