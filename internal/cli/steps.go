package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/coverage"
	"young-compass/internal/deploy"
	"young-compass/internal/design"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/project"
	"young-compass/internal/publish"
	"young-compass/internal/sitefile"
	"young-compass/internal/spelling"
	"young-compass/internal/step"
	"young-compass/internal/store"
	"young-compass/internal/term"
)

// stepJSON is a step as JSON.
type stepJSON struct {
	Job      string     `json:"job"`
	ID       string     `json:"id"`
	What     string     `json:"what"`
	State    step.State `json:"state"`
	Told     bool       `json:"told"`
	When     string     `json:"when,omitempty"`
	Evidence string     `json:"evidence,omitempty"`
	Why      string     `json:"why,omitempty"`
	Command  string     `json:"command,omitempty"`
	Needs    []string   `json:"needs"`
	Early    []string   `json:"early,omitempty"`
}

func (a *app) stepsCommand() *cobra.Command {
	var least float64
	c := &cobra.Command{
		Use:   "steps [" + strings.Join(step.Jobs(), "|") + "]",
		Short: "Say which steps of a job are done, as the evidence shows, and which is next",
		Long: `Reads files only. Shows the steps of a job in their order, each with how far it is: done,
open, failing or unknown. That is worked out from the plan, from what emit wrote and
installed, from the logs that gather counted, and from what the last probe of each kind
found; evidence about another plan counts as unknown. Nobody ticks a step off. What
can't be seen is told with steps tell, and shown as told. Without a job, shows how far
each of them is.`,
		Args:      cobra.MaximumNArgs(1),
		ValidArgs: step.Jobs(),
		RunE: func(_ *cobra.Command, args []string) error {
			if least < 0 || least > 100 {
				return errors.New("--at-least: write a percentage from 0 to 100")
			}
			if len(args) == 1 && !slices.Contains(step.Jobs(), args[0]) {
				return fmt.Errorf("steps: %s is none; %s", address.Printable(args[0]), spelling.Choices(args[0], step.Jobs()))
			}
			jobs := args
			if len(args) == 0 {
				jobs = step.Jobs()
			}
			return a.steps(jobs, least)
		},
	}
	c.Flags().Float64Var(&least, "at-least", 0, "exit with 1 when less than `PERCENT` of the steps that can be shown are done")
	c.AddCommand(a.tellCommand(), a.forgetCommand())
	return c
}

func (a *app) steps(jobs []string, least float64) error {
	e, found, err := a.evidence()
	if err != nil {
		return err
	}
	r := report{name: "steps", findings: found, more: map[string]any{}}
	items := []stepJSON{}
	states := map[step.State]int{}
	worst := 100.0
	next := map[string]string{}
	for _, job := range jobs {
		list, err := step.Judge(e, job)
		if err != nil {
			return err
		}
		counts := map[step.State]int{}
		for _, s := range list {
			items = append(items, stepOf(job, s))
			states[s.State]++
			counts[s.State]++
		}
		worst = min(worst, step.Percent(list))
		what := ""
		if n := step.Next(list); n != nil {
			what = n.ID
			next[job] = n.Command
		}
		if len(jobs) == 1 {
			a.tellJob(&r, list)
			continue
		}
		r.columns = []string{"job", "done", "open", "failing", "unknown", "next", "command"}
		r.rows = append(r.rows, []string{job, fmt.Sprint(counts[step.Done]), fmt.Sprint(counts[step.Open]),
			fmt.Sprint(counts[step.Failing]), fmt.Sprint(counts[step.Unknown]), what, shownCommand(next[job])})
	}
	r.items, r.more["next"] = items, next
	if len(jobs) == 1 {
		for _, state := range []step.State{step.Done, step.Open, step.Failing, step.Unknown} {
			r.counts = append(r.counts, count{string(state), string(state), states[state]})
		}
		r.more["percent"] = worst
	}
	if worst < least {
		r.findings = append(r.findings, finding.Finding{Code: finding.StepsOpen, Severity: finding.Error,
			Where:  finding.Place{File: a.in(project.PlanFile)},
			What:   fmt.Sprintf("%.0f %% of the steps that can be shown are done; at least %.0f %% are wanted", worst, least),
			Advice: "see steps " + strings.Join(jobs[:1], "")})
	}
	return a.print(r)
}

func shownCommand(command string) string {
	if command == "" {
		return ""
	}
	return "young-compass " + command
}

// tellJob makes the table of one job, and says what is next.
func (a *app) tellJob(r *report, list []step.Status) {
	r.columns = []string{"number", "state", "step", "what", "evidence"}
	style := a.style(a.stdout)
	for i, s := range list {
		r.rows = append(r.rows, []string{fmt.Sprint(i + 1), s.Word(), s.ID, s.What, address.Printable(s.Shown())})
	}
	rows := r.rows
	r.text = func(w io.Writer, p term.Style) error {
		if err := term.Table(w, p, []string{"", "state", "step", "", "evidence"}, rows); err != nil {
			return err
		}
		_, err := fmt.Fprintln(w)
		if n := step.Next(list); n != nil && err == nil {
			_, err = fmt.Fprintf(w, "next: %s: %s\n", style.Bold(n.ID),
				cmp.Or(shownCommand(n.Command), address.Printable(n.Why)))
		}
		return err
	}
}

func stepOf(job string, s step.Status) stepJSON {
	item := stepJSON{Job: job, ID: s.ID, What: s.What, State: s.State, Told: s.Told, Evidence: s.Where, Why: s.Why,
		Command: s.Command, Needs: s.Needs, Early: s.Early}
	if item.Needs == nil {
		item.Needs = []string{}
	}
	if !s.When.IsZero() {
		item.When = s.When.UTC().Format(time.RFC3339)
	}
	return item
}

// evidence collects what is known of the site and the work on it.
func (a *app) evidence() (*step.Evidence, []finding.Finding, error) {
	p, judged, err := a.load()
	if err != nil {
		return nil, nil, err
	}
	e := &step.Evidence{Plan: p, Now: a.now, Proofs: map[string]step.Proof{}, Written: map[string]step.Written{}}
	if e.Visits, err = a.visits(); err != nil {
		return nil, nil, err
	}
	var wait sync.WaitGroup
	defer wait.Wait()
	if len(e.Visits) > 0 {
		wait.Go(func() { // it takes as long as all the rest
			of := coverage.Of(p, coverage.OfVisits(e.Visits))
			e.Coverage = &of
		})
	}
	judged = append(judged, judge.Plan(p)...)
	e.Judged = judged
	for i := range e.Judged {
		a.locate(&e.Judged[i].Where)
	}
	if e.Sum, err = project.Sum(a.project); err != nil {
		return nil, nil, unfinished{err}
	}
	if err := a.proofs(e); err != nil {
		return nil, nil, err
	}
	e.Moving = design.Moving(p)
	var found []finding.Finding
	if e.Told, found, err = a.told(); err != nil {
		return nil, nil, err
	}
	if err := a.written(e); err != nil {
		return nil, nil, err
	}
	return e, found, a.installed(e, judged)
}

// proofs reads what the last probes showed.
func (a *app) proofs(e *step.Evidence) error {
	if _, err := os.Stat(a.in(store.FileName)); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	db, err := store.Open(a.project)
	if err != nil {
		return unfinished{err}
	}
	for _, kind := range probe.Kinds() {
		content, at, ok, err := db.Saved(probe.ProofName(kind))
		if err == nil && ok {
			var one step.Proof
			if one.Proof, err = probe.DecodeProof(content); err == nil {
				one.When, err = time.Parse(time.RFC3339, at)
			}
			e.Proofs[kind] = one
		}
		if err != nil {
			return errors.Join(unfinished{err}, db.Close())
		}
	}
	return db.Close()
}

// told reads steps.csv.
func (a *app) told() (told map[string]step.Told, found []finding.Finding, err error) {
	told = map[string]step.Told{}
	f, err := a.folder.Open(step.File)
	if errors.Is(err, fs.ErrNotExist) {
		return told, nil, nil
	}
	if err != nil {
		return nil, nil, unfinished{err}
	}
	defer func() { _ = f.Close() }()
	return step.ReadTold(a.in(step.File), f)
}

// written compares the sitemaps that were written with those that the plan gives now.
func (a *app) written(e *step.Evidence) error {
	folder := a.siteFolder("sitemap")
	same, when, ok, err := publish.Compare(e.Plan, folder)
	if ok {
		e.Written["sitemap"] = step.Written{When: when, Where: filepath.Join(folder, sitefile.Index), Same: same}
	}
	if err != nil {
		return unfinished{err}
	}
	return nil
}

// installed finds what was put into a server's own file, and at how many addresses the plan answers otherwise by now.
func (a *app) installed(e *step.Evidence, judged []finding.Finding) error {
	var notes []deploy.Note
	var forms []string
	for _, target := range deploy.Targets() {
		more, err := deploy.Place{Target: target, Project: a.project}.Noted()
		if err != nil {
			return unfinished{err}
		}
		for _, note := range more {
			notes, forms = append(notes, note), append(forms, target.Name())
		}
	}
	if len(notes) == 0 {
		return nil
	}
	var answers []byte
	if !finding.Worst(judged, finding.Error) {
		var err error
		if answers, err = a.answers(e.Plan); err != nil {
			return err
		}
	}
	for i, note := range notes {
		one := step.Installed{Form: forms[i], When: note.When, Where: note.Where, Lost: !note.Whole, Changed: 1}
		if answers != nil {
			one.Changed, _ = deploy.Changed(note.Answers, answers)
		}
		e.Installed = append(e.Installed, one)
	}
	return nil
}

func (a *app) answers(p *plan.Plan) ([]byte, error) {
	g, _, err := compile.Plan(p)
	if err != nil {
		return nil, err
	}
	return deploy.Answers(g, false)
}

// oneStep wants the name of one step.
func oneStep(c *cobra.Command, args []string) error {
	if len(args) != 1 {
		return fmt.Errorf("%s: name one step: %s", strings.TrimPrefix(c.CommandPath(), "young-compass "), strings.Join(step.Outside(), ", "))
	}
	return nil
}

func (a *app) tellCommand() *cobra.Command {
	var on, mark, note string
	c := &cobra.Command{
		Use:   "tell STEP",
		Short: "Note that a step was taken where nothing can be seen: " + strings.Join(step.Outside(), ", "),
		Long: `Writes ` + step.File + `. The step is shown as told, with the day, not as proven. --mark names the
path of a file by which a search service knows the site's owner: the plan must serve it,
and probe redirects asks for it.`,
		Args: oneStep,
		RunE: func(c *cobra.Command, args []string) error {
			if on == "" {
				on = a.now.UTC().Format(time.DateOnly)
			}
			t, err := step.NewTold(args[0], on, mark, note)
			if err != nil {
				return fmt.Errorf("steps tell: %w", err)
			}
			return a.changeTold(c, func(told map[string]step.Told) error {
				told[t.Step] = t
				return nil
			})
		},
	}
	c.Flags().StringVar(&on, "on", "", "the `DATE` of that day (2026-11-23); today, if it isn't said")
	c.Flags().StringVar(&mark, "mark", "", "the `PATH` of a file by which a service knows the site's owner")
	c.Flags().StringVar(&note, "note", "", "a `TEXT` to remember")
	return c
}

func (a *app) forgetCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "forget STEP",
		Short: "Take back what was told of a step",
		Long:  `Writes ` + step.File + `.`,
		Args:  oneStep,
		RunE: func(c *cobra.Command, args []string) error {
			return a.changeTold(c, func(told map[string]step.Told) error {
				if _, ok := told[args[0]]; !ok {
					return fmt.Errorf("steps forget: nothing was told of %s", address.Printable(args[0]))
				}
				delete(told, args[0])
				return nil
			})
		},
	}
}

// changeTold changes steps.csv, which must be readable as a whole.
func (a *app) changeTold(c *cobra.Command, change func(map[string]step.Told) error) error {
	end, err := a.alone(c)
	if err != nil {
		return err
	}
	defer end()
	told, found, err := a.told()
	if err != nil {
		return err
	}
	if len(found) > 0 {
		return &finding.Input{Finding: found[0]}
	}
	if err := change(told); err != nil {
		return err
	}
	return a.write(a.in(step.File), step.EncodeTold(told))
}
