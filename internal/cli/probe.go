package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"iter"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/project"
	"young-compass/internal/spelling"
	"young-compass/internal/step"
	"young-compass/internal/store"
	"young-compass/internal/term"
	"young-compass/internal/visits"
)

// probing is one run of probe.
type probing struct {
	*app
	ask                asking
	kinds              []string
	sample, most, rows int
	obey, external     bool
	copies             []string
	elsewhere          []address.Address // the copies
	save, against      string
	list, steps, since string
	plan               *plan.Plan
	visits             []visits.Visit
	client             *fetch.Client
	comparison         probe.Comparison
	observations       []probed
	survey             *probe.Survey
	sections           []*probe.Section
}

func (a *app) probeCommand() *cobra.Command {
	p := &probing{app: a, ask: asking{parallel: 8}}
	c := &cobra.Command{
		Use:   "probe [" + strings.Join(probe.Kinds(), "|") + "]...",
		Short: "Ask the live or staged site whether every address resolves to one canonical address",
		Long: `Asks the site. Without an argument it asks everything:
  redirects   every address of the book and of the redirects, hop by hop, against the plan
  hosts       the home page and one page of every kind, in every spelling on every host
  canonicals  canonical links, and pages with the same or nearly the same text
  parameters  what each parameter does: asked with it, without it, in another order
  languages   links to translations, their codes, and whether they return
  https       certificates, http to https, what is still loaded or linked by http
  index       robots.txt, noindex, sitemaps, staging hosts
--at asks another server in the names' place. What was asked is kept in ` + store.FileName + `:
when a run is interrupted, the same command goes on where it was.
--save and --against compare with an earlier run, for a nightly job.`,
		Args: func(_ *cobra.Command, args []string) error {
			for _, kind := range args {
				if !slices.Contains(probe.Kinds(), kind) {
					return fmt.Errorf("probe: %s is none; %s", address.Printable(kind), spelling.Choices(kind, probe.Kinds()))
				}
			}
			return nil
		},
		RunE: func(command *cobra.Command, kinds []string) error {
			p.kinds = kinds
			if err := usable(command, kinds); err != nil {
				return err
			}
			if len(kinds) == 0 {
				p.kinds = probe.Kinds()
			}
			return p.run()
		},
	}
	p.flags(c)
	c.AddCommand(a.explainCommand())
	return c
}

// usable refuses an option that means nothing to the kinds that are asked for.
func usable(c *cobra.Command, kinds []string) error {
	for _, of := range []struct{ flag, kind string }{{"list", probe.Parameters}, {"steps", probe.Parameters},
		{"since", probe.Parameters}, {"external", probe.Canonicals}, {"copy", probe.Canonicals}} {
		if c.Flags().Changed(of.flag) && len(kinds) > 0 && !slices.Contains(kinds, of.kind) {
			return fmt.Errorf("--%s belongs to probe %s", of.flag, of.kind)
		}
	}
	survey := slices.ContainsFunc(kinds, func(kind string) bool { return kind != probe.Redirects && kind != probe.Hosts })
	for _, flag := range []string{"max", "obey-robots"} {
		if c.Flags().Changed(flag) && len(kinds) > 0 && !survey {
			return fmt.Errorf("--%s is for kinds that ask for all of the site, which %s isn't", flag, strings.Join(kinds,
				" and "))
		}
	}
	if c.Flags().Changed("since") && !c.Flags().Changed("steps") {
		return errors.New("--since belongs to --steps")
	}
	if c.Flags().Changed("list") && c.Flags().Changed("steps") {
		return errors.New("say either --list or --steps")
	}
	return nil
}

func (p *probing) flags(c *cobra.Command) {
	p.ask.flags(c)
	f := c.Flags()
	f.IntVar(&p.sample, "sample", 0, "ask for `N` of the known addresses, rather those that people visit; 0: all")
	f.IntVar(&p.most, "max", 50_000, "ask for `N` addresses of the site at most; again as many may be asked on http, "+
		"and without their parameters")
	f.IntVar(&p.rows, "rows", 30, "print `N` rows of a table; 0: all")
	f.BoolVar(&p.obey, "obey-robots", false, "don't ask for what robots.txt forbids, though the plan knows it")
	f.BoolVar(&p.external, "external", false, "ask once whether each link to another host leads anywhere (HEAD)")
	f.StringArrayVar(&p.copies, "copy", nil, "compare with the page at `URL` on another host, which may be a copy")
	f.StringVar(&p.save, "save", "", "keep what is found as `NAME`, in "+project.BaselinesFolder+" of the project")
	f.StringVar(&p.against, "against", "",
		"say what changed since it was kept as `NAME`; only that counts for the exit status")
	f.StringVar(&p.list, "list", "", "with parameters: write all addresses with the parameter `NAME`")
	f.StringVar(&p.steps, "steps", "", "with parameters: how addresses with the parameter `NAME` leave an index, "+
		"and how far it is")
	f.StringVar(&p.since, "since", "", "with --steps: the `DATE` since which the site says so (2026-11-23)")
}

// open loads the plan and what belongs to it, and makes the client.
func (p *probing) open() error {
	var found []finding.Finding
	var err error
	if p.plan, found, err = p.judged(); err != nil {
		return err
	}
	if finding.Worst(found, finding.Error) {
		return p.print(report{findings: found})
	}
	if p.visits, err = p.app.visits(); err != nil {
		return err
	}
	also := slices.Clone(p.plan.Staging)
	for _, text := range p.copies {
		a, err := address.Parse(text)
		if err != nil {
			return fmt.Errorf("--copy: %w", err)
		}
		p.elsewhere = append(p.elsewhere, a)
		also = append(also, a.Host)
	}
	if p.since != "" {
		if _, err := time.Parse(time.DateOnly, p.since); err != nil {
			return fmt.Errorf("--since: %s is not a date; write it as 2026-11-23", address.Printable(p.since))
		}
	}
	p.client, err = p.ask.client(p.plan.Site, also...)
	return err
}

func (p *probing) run() (err error) {
	if err := p.open(); err != nil {
		return err
	}
	db, err := store.Open(p.project)
	if err != nil {
		return unfinished{err}
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	var before probe.Baseline
	if p.against != "" {
		if before, err = p.baseline(db); err != nil {
			return err
		}
	}
	if p.save != "" && !probe.IsName(p.save) {
		return fmt.Errorf("--save: %s is no name for a file; write letters, digits, - and _", address.Printable(p.save))
	}
	if p.list != "" || p.steps != "" {
		p.kinds = []string{probe.Parameters}
	}
	if slices.ContainsFunc(p.kinds, func(kind string) bool { return kind != probe.Redirects && kind != probe.Hosts }) {
		if err := p.askSite(db); err != nil {
			return err
		}
	}
	switch {
	case p.list != "":
		return p.printList()
	case p.steps != "":
		return p.printSteps()
	}
	if err := p.askRest(); err != nil {
		return err
	}
	return p.tell(db, before)
}

// askSite asks for all of the site, or goes on doing so.
func (p *probing) askSite(db *store.Store) error {
	s := probe.Surveyor{Plan: p.plan, Client: p.client, Agent: product, Max: p.most, Together: p.ask.parallel,
		Obey: p.obey, Sample: p.sample,
		External: p.external, Copies: p.elsewhere, Visits: p.visits, Now: p.now}
	run, err := db.Begin(s.Identity(p.ask.at, p.client.Sends()), func() time.Time { return p.now })
	if err != nil {
		return unfinished{err}
	}
	if run.Late != "" {
		p.say("a run that was broken off began on %s, which is too long ago to go on with it; all is asked anew", run.Late)
	}
	if run.Resumed > 0 {
		p.say("going on: %d addresses were asked already", run.Resumed)
	}
	bar := term.NewProgress(p.stderr, "asking", int64(p.most), term.Plain)
	done := 0
	s.Keeper, s.Progress = run, func(n, _ int) { bar.Add(int64(n - done)); done = n }
	p.survey, err = s.Run(p.ctx)
	bar.Done()
	if err != nil {
		if p.ctx.Err() != nil {
			err = fmt.Errorf("interrupted: what %d addresses answered is kept, and the same command goes on from there", done)
		}
		return unfinished{errors.Join(err, run.Pause())}
	}
	if err := run.Finish(); err != nil {
		return unfinished{err}
	}
	if p.survey.Full {
		p.say("there is more than %d addresses; --max asks for more", p.most)
	}
	return nil
}

// askRest asks what the kinds want besides the survey, and puts the sections in
// order.
func (p *probing) askRest() error {
	judged := map[string]*probe.Section{}
	if p.survey != nil {
		judged = p.survey.Judge()
	}
	for _, kind := range probe.Kinds() {
		if !slices.Contains(p.kinds, kind) {
			continue
		}
		var section *probe.Section
		var err error
		switch kind {
		case probe.Redirects:
			section, err = p.askRedirects()
		case probe.Hosts:
			section, err = p.askHosts()
		default:
			section = judged[kind]
		}
		if err != nil {
			return unfinished{err}
		}
		p.sections = append(p.sections, section)
	}
	surveyed := slices.DeleteFunc(slices.Clone(p.sections), func(s *probe.Section) bool {
		return s.Kind == probe.Redirects || s.Kind == probe.Hosts
	})
	if len(surveyed) > 0 {
		surveyed[0].Findings = append(surveyed[0].Findings, p.survey.Untold(surveyed)...)
		finding.Sort(surveyed[0].Findings)
	}
	return nil
}

// askRedirects asks for every address that the plan knows.
func (p *probing) askRedirects() (*probe.Section, error) {
	marks, err := p.marks()
	if err != nil {
		return nil, err
	}
	targets := probe.Sample(p.plan.KnownAddresses(), p.sample, probe.Weights(p.visits))
	if len(marks) > 0 {
		targets = both(targets, slices.Values(marks))
	}
	known := len(p.plan.Book.Entries) + p.plan.Redirects.Len()
	if p.sample > 0 {
		known = min(known, p.sample)
	}
	bar := term.NewProgress(p.stderr, "redirects", int64(known), term.Plain)
	defer bar.Done()
	err = probe.Run(p.ctx, p.plan, p.client, targets, func() { bar.Add(1) }, func(o probe.Observation) {
		p.comparison.Add(p.plan, o)
		if p.format != "table" {
			p.observations = append(p.observations, observed(o))
		}
	})
	if err != nil {
		return nil, err
	}
	return p.comparison.Section(p.survey), nil
}

// marks returns the addresses by which search services know the site's owner, as steps.csv tells them.
func (p *probing) marks() (list []plan.Known, err error) {
	told, _, err := p.told()
	if err != nil {
		return nil, err
	}
	for _, id := range slices.Sorted(maps.Keys(told)) {
		if at := p.plan.Site.Origin; told[id].Mark != "" {
			at.Path = told[id].Mark
			list = append(list, plan.Known{Address: at, Where: finding.Place{File: p.in(step.File), Line: told[id].Line}})
		}
	}
	return list, nil
}

// both yields the elements of one sequence, then those of another.
func both[T any](a, b iter.Seq[T]) iter.Seq[T] {
	return func(yield func(T) bool) {
		for _, seq := range []iter.Seq[T]{a, b} {
			for x := range seq {
				if !yield(x) {
					return
				}
			}
		}
	}
}

func (p *probing) askHosts() (*probe.Section, error) {
	pages := probe.SampleOfKinds(p.plan)
	if p.sample > 0 {
		pages = pages[:min(len(pages), p.sample)]
	}
	bar := term.NewProgress(p.stderr, "hosts", 0, term.Plain)
	defer bar.Done()
	return probe.AskHosts(p.ctx, p.plan, p.client, pages, func() { bar.Add(1) })
}

// tell prints the sections, and what changed since a baseline.
func (p *probing) tell(db *store.Store, before probe.Baseline) error {
	r := report{name: "sections", more: map[string]any{}}
	items := []section{}
	for _, s := range p.sections {
		r.findings = append(r.findings, s.Findings...)
		item := section{Kind: s.Kind}
		if item.Columns, item.Rows = s.Table(p.plan.Site.Origin); len(p.sections) == 1 && len(item.Rows) > 0 {
			r.columns, r.rows = item.Columns, item.Rows
		}
		for _, c := range s.Counts {
			if p.format != "table" { // a person sees them below the tables
				r.counts = append(r.counts, count{s.Kind + "_" + c.Name, "", c.N})
			}
		}
		items = append(items, item)
	}
	r.items = items
	if slices.Contains(p.kinds, probe.Redirects) && p.format != "table" {
		r.more["observations"] = p.observations
		if len(p.sections) == 1 {
			r.columns = []string{"address", "answer"}
			for _, o := range p.observations {
				r.rows = append(r.rows, []string{o.Address, o.way})
			}
		}
	}
	if p.survey != nil && slices.Contains(p.kinds, probe.Parameters) {
		r.more["parameters"] = p.survey.Parameters
	}
	if err := p.keepProofs(db); err != nil {
		return unfinished{err}
	}
	judge.Weigh(p.plan, p.visits, r.findings)
	finding.Sort(r.findings)
	if p.save != "" {
		if err := p.keep(r.findings); err != nil {
			return err
		}
	}
	r.text = func(w io.Writer, style term.Style) error { return p.text(w, style, items) }
	if p.against != "" {
		r.changes(before.Compare(r.findings))
	}
	return p.print(r)
}

// keepProofs keeps what was found, for steps.
func (p *probing) keepProofs(db *store.Store) error {
	sum, err := project.Sum(p.project)
	if err != nil {
		return err
	}
	for _, s := range p.sections {
		content, err := probe.ProofOf(s, p.plan.Site.Origin, sum, p.ask.at, p.sample).Encode()
		if err == nil {
			err = db.Save(probe.ProofName(s.Kind), content, p.now)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// section is a probe.Section as JSON.
type section struct {
	Kind    string     `json:"kind"`
	Columns []string   `json:"columns,omitempty"`
	Rows    [][]string `json:"rows,omitempty"`
}

// text prints the tables, a heading over each.
func (p *probing) text(w io.Writer, style term.Style, tables []section) error {
	for i, s := range p.sections {
		if _, err := fmt.Fprintf(w, "%s\n", style.Bold(s.Kind)); err != nil {
			return err
		}
		all := tables[i].Rows
		rows := all
		if p.rows > 0 {
			rows = rows[:min(len(rows), p.rows)]
		}
		if len(rows) > 0 {
			if err := term.Table(w, style, tables[i].Columns, rows); err != nil {
				return err
			}
			if len(rows) < len(all) {
				_, _ = fmt.Fprintf(w, "%d more rows; --rows 0 prints all\n", len(all)-len(rows))
			}
		}
		var counts []count
		for _, c := range s.Counts {
			counts = append(counts, count{words: c.Words, n: c.N})
		}
		if err := printCounts(w, style, counts); err != nil {
			return err
		}
		_, _ = fmt.Fprintln(w)
	}
	return nil
}

// known refuses the name of a parameter that no address has.
func (p *probing) known(name string) error {
	var names []string
	for _, q := range p.survey.Parameters {
		if len(p.survey.With(q.Name)) > 0 {
			names = append(names, q.Name)
		}
	}
	if len(names) > 0 && !slices.Contains(names, name) {
		return fmt.Errorf("no address has the parameter %s; %s", address.Printable(name), spelling.Choices(name, names))
	}
	return nil
}

func (p *probing) printList() error {
	if err := p.known(p.list); err != nil {
		return err
	}
	r := report{columns: []string{"address"}, name: "addresses"}
	items := []string{}
	for _, a := range p.survey.With(p.list) {
		items = append(items, a.String())
		r.rows = append(r.rows, []string{a.String()})
	}
	r.items = items
	r.counts = []count{{"addresses", "addresses", len(items)}}
	return p.print(r)
}

func (p *probing) printSteps() error {
	if err := p.known(p.steps); err != nil {
		return err
	}
	r := report{columns: []string{"", "state", "step", "seen"}, name: "steps"}
	steps := leaving(p.survey.Leaving(p.steps, p.since), p.steps, p.since)
	for i, s := range steps {
		r.rows = append(r.rows, []string{fmt.Sprint(i + 1), s.State, s.What, s.Seen})
	}
	r.items = steps
	return p.print(r)
}

// step is one step of taking the addresses with a parameter out of an index.
type leavingStep struct {
	What  string `json:"what"`
	State string `json:"state"` // done, next or later
	Seen  string `json:"seen"`
}

// leaving says in words how far the addresses with a parameter have come.
func leaving(l probe.Leaving, name, since string) []leavingStep {
	steps := []leavingStep{
		{What: "let each redirect, name its address without the parameter, or say noindex",
			Seen: fmt.Sprintf("%d of %d do", l.Marked, l.Asked)},
		{What: "let robots.txt allow them, so that this is seen",
			Seen: fmt.Sprintf("%d of %d are blocked, %d with unseen signals", l.Blocked, l.Asked, l.Unseen)},
		{What: "wait until crawlers have been there again",
			Seen: fmt.Sprintf("%d of %d in the logs since %s", l.Crawled, l.Addresses, cmp.Or(since, "--since"))},
		{What: "then, if crawlers still lose time, in robots.txt: Disallow: /*?*" + name + "=", Seen: "not before"},
	}
	state := "done"
	for i, done := range l.Done() {
		if state == "done" && !done {
			state = "next"
		}
		steps[i].State = state
		if state == "next" {
			state = "later"
		}
	}
	return steps
}

// probed is an observation as JSON.
type probed struct {
	Address string      `json:"address"`
	Page    string      `json:"page,omitempty"`
	Hops    []probe.Hop `json:"hops"`
	Status  int         `json:"final_status,omitempty"`
	Error   string      `json:"error,omitempty"`
	way     string
}

func observed(o probe.Observation) probed {
	item := probed{Address: o.Target.Address.String(), Hops: o.Hops, Status: o.Status, way: way(o)}
	if o.Target.Page.Key != "" {
		item.Page = o.Target.Page.String()
	}
	if o.Err != nil {
		item.Error = o.Err.Error()
	}
	if item.Hops == nil {
		item.Hops = []probe.Hop{}
	}
	return item
}

// way says in words which way an address led.
func way(o probe.Observation) string {
	var b strings.Builder
	for _, hop := range o.Hops {
		fmt.Fprintf(&b, "%d %s ", hop.Status, hop.To)
	}
	switch {
	case o.Err != nil:
		b.WriteString(o.Err.Error())
	case o.Foreign:
		b.WriteString("(not asked)")
	default:
		fmt.Fprint(&b, o.Status)
	}
	return b.String()
}
