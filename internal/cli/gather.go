package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/book"
	"young-compass/internal/crawl"
	"young-compass/internal/fetch"
	"young-compass/internal/finding"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/project"
	"young-compass/internal/propose"
	"young-compass/internal/source"
	"young-compass/internal/spelling"
	"young-compass/internal/term"
	"young-compass/internal/visits"
)

// gathering is a run of gather: its flags.
type gathering struct {
	*app
	content contentDatabase
	query   string
	columns []string
	states  []string // what words mean
	fields  []string // given values
	kind    string
	base    string
	compare []string
	pages   int
	asking  asking

	told  []gather.Mapping
	means map[string]string
	given map[string]string
	at    address.Address

	ignored bool            // all of them are wanted
	origin  address.Address // as --origin of propose says it
	evident bool            // what sources say of addresses is wanted
}

func (a *app) gatherCommand() *cobra.Command {
	g := &gathering{app: a, asking: asking{rate: 5, parallel: 2, retries: 3}}
	c := &cobra.Command{
		Use:   "gather SOURCE...",
		Short: "Build the inventory and the address book from whatever there is",
		Long: `Reads files, and asks the site when a source is its https:// address. Merges
tables (CSV, TSV, a workbook, JSON, JSON lines), feeds (RSS, Atom), sitemaps, access
logs, folders of HTML pages, per-folder files (.htaccess), all of them also packed with gzip or zstd, into
pages.csv and addresses.csv; logs also into visits.csv. What a source is shows in
its content; FORM:SOURCE says it (table, list, feed, html, sitemap, log, rules).
What a person wrote into pages.csv stays; then the word of a table counts most, then
that of a feed, a page, a sitemap, a log. A page's first address becomes its current
one, others variants. --db and --query read pages from a
database (mysql://USER@HOST/NAME, postgres://USER@HOST/NAME, sqlite:FILE), in which
nothing is changed. --compare sets the sources, or the project when none is
given, beside another side of a move and writes nothing.`,
		RunE: func(command *cobra.Command, sources []string) error {
			if len(g.compare) == 0 {
				end, err := g.alone(command)
				if err != nil {
					return err
				}
				defer end()
			}
			return g.run(sources)
		},
	}
	g.sourceFlags(c)
	f := c.Flags()
	f.BoolVar(&g.ignored, "ignored", false, "print every record that was ignored, not only five for each reason")
	f.StringArrayVar(&g.compare, "compare", nil, "set beside `OTHER`: a source, or the folder of a project")
	return c
}

// sourceFlags adds the flags that say how sources are read.
func (g *gathering) sourceFlags(c *cobra.Command) {
	f := c.Flags()
	f.StringArrayVar(&g.columns, "column", nil, "take a column for another: `address=URL`")
	f.StringArrayVar(&g.states, "state", nil, "what a word of a table says of a page: `offline=draft`")
	f.StringVar(&g.kind, "kind", "", "pages of which a source says no kind are of this `KIND`")
	f.StringArrayVar(&g.fields, "field", nil, "a value for pages of which a source says none: `season=summer`")
	f.StringVar(&g.base, "base", "", "the `URL` on which paths in sources stand; the site's origin if not given")
	f.IntVar(&g.pages, "pages", 10000, "ask for at most `N` addresses of a site")
	g.asking.flags(c)
	g.content.flags(c)
	f.StringVar(&g.query, "query", "", "read what this `SQL` brings from the database, as a table")
}

func (g *gathering) run(sources []string) error {
	p, fresh, err := g.loadOrStart(sources)
	if err != nil || p == nil {
		return err
	}
	if err := g.readFlags(p); err != nil {
		return err
	}
	if len(g.compare) > 0 && fresh {
		return errors.New("gather: --compare needs a plan; young-compass propose works one out")
	}
	if len(g.compare) > 0 {
		return g.compareWith(p, sources)
	}
	if len(sources) == 0 && g.query == "" {
		return errors.New("gather: name a source: a table, a feed, a sitemap, a log, a folder of pages, or the " +
			"site's https:// address")
	}
	all, err := g.gather(p, fresh, sources)
	if err != nil {
		return err
	}
	said := all.report()
	if finding.Worst(all.found, finding.Error) {
		g.say("nothing written while there are errors")
		return g.print(said)
	}
	if err := g.writeGathered(all.Gatherer); err != nil {
		return err
	}
	return g.print(said)
}

// loadOrStart loads the project; where it has no plan yet, a plan that says nothing but a host to begin with. It
// returns
// no plan if rows of the project can't be read, after it has said so.
func (g *gathering) loadOrStart(sources []string) (p *plan.Plan, fresh bool, err error) {
	if _, err := os.Stat(g.in(project.PlanFile)); errors.Is(err, fs.ErrNotExist) {
		start := "https://" + propose.Nowhere
		for _, s := range append(slices.Clone(sources), g.base) {
			if a, err := address.Parse(s); err == nil {
				start = a.Base()
				break
			}
		}
		hosts, err := project.SourceHosts(g.project)
		if err != nil {
			return nil, true, err
		}
		hosts = slices.DeleteFunc(hosts, func(host string) bool { return strings.HasSuffix(start, "://"+host) })
		settings, err := planfile.Read(project.PlanFile, fmt.Appendf(nil, "site: {origin: %s, hosts: [%s]}", start,
			strings.Join(hosts, ", ")))
		if err != nil {
			return nil, true, err
		}
		p, found, err := g.folder.Under(settings)
		return g.checked(p, found, true, err)
	}
	p, found, err := g.load()
	return g.checked(p, found, false, err)
}

// checked says which rows of a project can't be read.
func (g *gathering) checked(p *plan.Plan, found []finding.Finding, fresh bool, err error) (*plan.Plan, bool, error) {
	if err != nil {
		return nil, fresh, err
	}
	if bad := only(found, finding.BadRow); len(bad) > 0 {
		return nil, fresh, g.print(report{findings: bad})
	}
	return p, fresh, nil
}

// readFlags reads what flags say of the sources.
func (g *gathering) readFlags(p *plan.Plan) (err error) {
	for _, text := range g.columns {
		m, err := gather.ParseColumn(text)
		if err != nil {
			return fmt.Errorf("--column: %w", err)
		}
		g.told = append(g.told, m)
	}
	g.means, g.given = map[string]string{}, map[string]string{}
	for _, text := range g.states {
		word, state, err := gather.ParseState(text)
		if err != nil {
			return fmt.Errorf("--state: %w", err)
		}
		g.means[word] = state
	}
	for _, text := range g.fields {
		name, value, ok := strings.Cut(text, "=")
		if name = strings.ToLower(strings.TrimSpace(name)); !ok || name == "" || slices.Contains([]string{"key", "address",
			"state"}, name) {
			return fmt.Errorf("--field: %s gives no field a value; write season=summer", address.Printable(text))
		}
		g.given[name] = value
	}
	if g.kind != "" {
		if _, ok := p.KindOf(g.kind); !ok && len(p.Kinds) > 0 {
			var kinds []string
			for _, k := range p.Kinds {
				kinds = append(kinds, k.Name)
			}
			return fmt.Errorf("--kind: %s is not a kind of the plan; %s", address.Printable(g.kind), spelling.Choices(g.kind,
				kinds))
		}
		g.given["kind"] = g.kind
	}
	if g.base != "" {
		if g.at, err = address.Parse(g.base); err != nil {
			return fmt.Errorf("--base: %w", err)
		}
	}
	if (g.query == "") != (g.content.url == "") {
		return errors.New("--db and --query belong together: which database, and what to read from it")
	}
	return nil
}

// gathered is what sources brought.
type gathered struct {
	*gather.Gatherer
	summaries []gather.Summary
	found     []finding.Finding
	evidence  propose.Evidence // what they said before they were merged, where that was wanted
}

func (g *gathered) report() report { return gatherReport(g.summaries, g.found, g.Gatherer) }

// gather reads the sources and merges them. Where there is no plan yet, what they say of hosts, languages and
// parameters
// counts.
func (g *gathering) gather(p *plan.Plan, fresh bool, sources []string) (all gathered, err error) {
	gatherer := g.gatherer(p)
	gatherer.Pages, gatherer.Book = p.Pages, p.Book
	if gatherer.Memory, err = g.memory(); err != nil {
		return all, err
	}
	err = g.readAll(gatherer, p, sources)
	if err == nil && g.query != "" {
		err = g.readRows(gatherer)
	}
	if g.ctx.Err() != nil {
		return all, fmt.Errorf("%w: nothing is written; the same command begins again", g.ctx.Err())
	}
	if err != nil {
		return all, err
	}
	all.Gatherer = gatherer
	if fresh || g.evident {
		all.evidence = gatherer.Evidence()
		all.evidence.Origin = g.origin
	}
	if fresh {
		if gatherer.Settings, err = planfile.Read(project.PlanFile, propose.Survey(all.evidence).YAML()); err != nil {
			return all, err
		}
		g.say("there is no plan yet: %s is taken for the site's origin, %s for the language without a mark; "+
			"young-compass propose works the plan out", gatherer.Settings.Site.Origin.Base(),
			gatherer.Settings.Languages.Default)
	}
	all.summaries, all.found = gatherer.Merge()
	for _, s := range all.summaries {
		g.tell(s)
	}
	return all, nil
}

// writeGathered writes the files of the project that gathering changes, and others with them. There may be millions of
// pages: what is written is let go of, and the gatherer holds it no more.
func (g *gathering) writeGathered(gatherer *gather.Gatherer, more ...project.Change) error {
	var changes project.Gathered
	var wait sync.WaitGroup
	wait.Go(func() {
		changes.Memory, gatherer.Memory = gatherer.Memory.Encode(), nil
		if gatherer.HasLog() {
			changes.Visits, gatherer.Visits = visits.Encode(gatherer.Visits), nil
		}
	})
	changes.Pages, gatherer.Pages = gatherer.Pages.Encode(), nil
	changes.Addresses, gatherer.Book = gatherer.Book.Encode(), nil
	wait.Wait()
	return changes.Write(func(list ...project.Change) error { return g.change(append(list, more...)...) })
}

func (g *gathering) gatherer(p *plan.Plan) *gather.Gatherer {
	return &gather.Gatherer{Settings: p.Settings, Base: g.at, Today: g.today(), Columns: g.told, States: g.means,
		Given: g.given, AllIgnored: g.ignored,
		Pages: &inventory.Inventory{File: project.PagesFile}, Book: &book.Book{File: project.AddressesFile}}
}

// memory reads gathered.csv, if there is one.
func (g *gathering) memory() (*gather.Memory, error) {
	m := &gather.Memory{}
	err := g.readIfThere(project.GatheredFile, func(path string, r io.Reader) (found []finding.Finding, err error) {
		m, found, err = gather.ReadMemory(path, r)
		return found, err
	})
	return m, err
}

// readAll reads sources, each once.
func (g *gathering) readAll(gatherer *gather.Gatherer, p *plan.Plan, sources []string) error {
	seen := map[string]bool{}
	for _, source := range sources {
		seen[filepath.Clean(source)] = true
	}
	for i := 0; i < len(sources); i++ {
		parts, err := g.read(gatherer, p, sources[i])
		if err != nil {
			return err
		}
		for _, part := range parts { // of an index of sitemaps: those that lie beside it
			beside := filepath.Join(filepath.Dir(sources[i]), path.Base(part))
			switch _, err := os.Stat(beside); {
			case seen[beside]:
			case err == nil && sources[i] != "-":
				seen[beside] = true
				sources = append(sources, beside)
			default:
				gatherer.Ignore("a sitemap that is not beside its index", part, 0)
			}
		}
	}
	return nil
}

// readRows reads what --query brings.
func (g *gathering) readRows(gatherer *gather.Gatherer) error {
	sheet, bad, err := g.content.query(g.ctx, g.query)
	if err != nil {
		return err
	}
	return gatherer.ReadRows(sheet, bad)
}

// read reads one source.
func (g *gathering) read(gatherer *gather.Gatherer, p *plan.Plan, name string) (parts []string, err error) {
	if strings.HasPrefix(name, "https://") || strings.HasPrefix(name, "http://") {
		return nil, g.crawl(gatherer, p, name)
	}
	form, name := source.Told(name, source.Forms())
	if info, err := os.Stat(name); err == nil && info.IsDir() && name != "-" {
		root, err := os.OpenRoot(name) // what lies outside can't be reached through it
		if err != nil {
			return nil, unfinished{err}
		}
		defer func() { _ = root.Close() }()
		return nil, gatherer.ReadFolder(name, root.FS())
	}
	f, err := g.open(name)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	return gatherer.Read(name, form, interruptible{g.ctx, f})
}

// interruptible ends reading when its context does.
type interruptible struct {
	ctx context.Context
	r   io.Reader
}

func (i interruptible) Read(p []byte) (int, error) {
	if err := i.ctx.Err(); err != nil {
		return 0, err
	}
	return i.r.Read(p)
}

// crawl asks the site for its pages.
func (g *gathering) crawl(gatherer *gather.Gatherer, p *plan.Plan, source string) error {
	start, err := address.Parse(source)
	if err != nil {
		return fmt.Errorf("gather: %w", err)
	}
	if !p.Site.Has(start.Host) {
		return fmt.Errorf("gather: %s is %w; add it to the hosts of the plan", start.Host, fetch.ErrForeign)
	}
	client, err := g.asking.client(p.Site)
	if err != nil {
		return err
	}
	bar := term.NewProgress(g.stderr, start.Host, int64(g.pages), term.Plain)
	asked := 0
	crawler := crawl.Crawler{Asker: client, Elsewhere: client.Elsewhere, Site: p.Site, Agent: product, Max: g.pages,
		Queue:    gatherer.Ask,
		Progress: func(n, _ int) { bar.Add(int64(n - asked)); asked = n }}
	pages, err := crawler.Run(g.ctx, []address.Address{start})
	bar.Done()
	if err != nil {
		return unfinished{err}
	}
	gatherer.BeginSite(source)
	answered := false
	for _, page := range pages {
		answered = answered || page.Status > 0
		switch {
		case page.HTML:
			page.Signals.Robots = page.Robots()
			gatherer.AddPage("", page.Address.String(), page.Signals)
		case page.To != (address.Address{}):
			gatherer.AddMoved(page.Address.String(), page.To.String())
		default:
			gatherer.Ignore(page.Why, page.Address.String(), 0)
		}
	}
	if !answered {
		return unfinished{fmt.Errorf("%s: %s", source, pages[0].Why)}
	}
	return nil
}

// tell says which columns of a table were taken for what.
func (g *gathering) tell(s gather.Summary) {
	for _, m := range s.Columns {
		g.say("%s: the column %q is taken for %s", s.Source, m.From, m.Column)
	}
}

// gatherReport says what each source brought, and how many pages of each kind,
// language and state it speaks of.
func gatherReport(summaries []gather.Summary, found []finding.Finding, g *gather.Gatherer) report {
	r := report{columns: []string{"source", "form", "records", "new", "merged", "changed", "kept", "ignored",
		"new addresses"}, name: "sources", items: summaries, findings: found}
	for _, s := range summaries {
		row := []string{s.Source, string(s.Form)}
		ignored := 0
		for _, n := range s.Ignored {
			ignored += n
		}
		for _, n := range []int{s.Records, s.New, s.Merged, s.Changed, s.Kept, ignored, s.Addresses} {
			row = append(row, fmt.Sprint(n))
		}
		r.rows = append(r.rows, row)
	}
	r.counts = []count{{"pages", "pages", len(g.Pages.Pages)}, {"addresses", "addresses", len(g.Book.Entries)}}
	pages := gather.CountPages(g.Pages)
	r.text = func(w io.Writer, style term.Style) error {
		if err := term.Table(w, style, r.columns, r.rows); err != nil {
			return err
		}
		_, _ = fmt.Fprintln(w)
		for _, s := range summaries {
			if err := printRest(w, style, s); err != nil {
				return err
			}
		}
		if err := printBreakdown(w, style, summaries, pages); err != nil {
			return err
		}
		_, err := fmt.Fprintln(w)
		return err
	}
	return r
}

// printRest says in a few lines what of a source was not used, and what a log
// says.
func printRest(w io.Writer, style term.Style, s gather.Summary) error {
	var lines []string
	lines = append(lines, s.Notes...)
	for _, reason := range slices.Sorted(maps.Keys(s.Ignored)) {
		lines = append(lines, fmt.Sprintf("ignored: %d %s", s.Ignored[reason], reason))
		for _, left := range s.Left {
			if left.Reason != reason {
				continue
			}
			text := "  " + left.Record
			if left.Line > 0 {
				text = fmt.Sprintf("  line %d: %s", left.Line, left.Record)
			}
			lines = append(lines, text)
		}
	}
	if l := s.Log; l != nil {
		lines = append(lines, fmt.Sprintf("%d lines, %d malformed, %d without a request; the last on %s", l.Lines,
			l.Malformed, l.Empty, l.Last),
			fmt.Sprintf("%d requests by visitors, of which %d found nothing; %d by robots", l.Visitors, l.NotFound,
				l.Robots))
		var words []string
		for _, p := range l.Parameters[:min(6, len(l.Parameters))] {
			words = append(words, fmt.Sprintf("%s (%s) %d", p.Name, cmp.Or(p.Class, "no class"), p.Visitors))
		}
		if len(words) > 0 {
			lines = append(lines, "parameters, by visits: "+strings.Join(words, ", "))
		}
		for _, bad := range l.Samples {
			lines = append(lines, fmt.Sprintf("line %d is in neither log format: %s", bad.Line, bad.Text))
		}
	}
	if len(lines) == 0 {
		return nil
	}
	_, err := fmt.Fprintln(w, style.Bold(address.Printable(s.Source)))
	for _, line := range lines {
		_, _ = fmt.Fprintln(w, "  "+address.Printable(line))
	}
	_, _ = fmt.Fprintln(w)
	return err
}

// printBreakdown prints the pages that each source speaks of, and those of the
// project, by kind and state, each with its languages.
func printBreakdown(w io.Writer, style term.Style, summaries []gather.Summary, all []gather.Count) error {
	var rows [][]string
	add := func(source string, counts []gather.Count) {
		last := [2]string{}
		for _, c := range byState(counts) {
			languages := fmt.Sprintf("%s %d", c.Language, c.Pages)
			if this := [2]string{c.Kind, c.State}; this == last {
				rows[len(rows)-1][3] += ", " + languages
				continue
			}
			last = [2]string{c.Kind, c.State}
			rows = append(rows, []string{source, c.Kind, c.State, languages})
			source = ""
		}
	}
	for _, s := range summaries {
		if len(summaries) > 1 || !slices.Equal(s.Pages, all) { // else it is said once
			add(s.Source, s.Pages)
		}
	}
	add("all pages of the project", all)
	return term.Table(w, style, []string{"source", "kind", "state", "languages"}, rows)
}

// byState orders counts by kind, state and language.
func byState(counts []gather.Count) []gather.Count {
	return slices.SortedStableFunc(slices.Values(counts), func(a, b gather.Count) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.State, b.State))
	})
}
