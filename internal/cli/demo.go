package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/demo"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
)

func (a *app) demoCommand() *cobra.Command {
	var keep string
	var hold bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "Run the whole work on a made-up site",
		Long: `Asks only stand-ins that it starts itself on loopback ports. Moves the made-up site
of an island ferry operator from opaque to clean addresses, printing each command
as a person would type it. --keep leaves the project in a folder to go on with,
--hold keeps the stand-ins running until it is interrupted.`,
		Args: cobra.NoArgs,
		RunE: func(command *cobra.Command, _ []string) error {
			return a.demo(command.Context(), keep, hold)
		},
	}
	c.Flags().StringVar(&keep, "keep", "", "leave the project in `DIR`, which must be new or empty")
	c.Flags().BoolVar(&hold, "hold", false, "keep the stand-ins running until interrupted")
	return c
}

// tour is a run of the demo.
type tour struct {
	*app
	ctx                 context.Context
	old, new, neglected *demo.StandIn
}

func (a *app) demo(ctx context.Context, keep string, hold bool) (err error) {
	dir, err := demoFolder(keep)
	if err != nil {
		return err
	}
	if keep == "" {
		defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	}
	back, err := os.Getwd()
	if err != nil {
		return unfinished{err}
	}
	if err := os.Chdir(dir); err != nil { // the commands are shown as they are typed in the folder
		return unfinished{err}
	}
	defer func() { err = errors.Join(err, os.Chdir(back)) }()
	t := &tour{app: a, ctx: ctx}
	defer func() { err = errors.Join(err, t.close()) }()
	for _, step := range []func() error{t.start, t.takeStock, t.mend, t.askOld, t.design, t.guide, t.relink, t.emit, t.check,
		t.neglect} {
		if err := step(); err != nil {
			return err
		}
	}
	if keep != "" {
		t.tell("The project is in %s.", keep)
	}
	if hold {
		t.tell("The old site answers at %s, the new one at %s, the neglected one at %s. Interrupt to end.", t.old.At(),
			t.new.At(), t.neglected.At())
		<-ctx.Done()
	}
	return nil
}

func demoFolder(keep string) (string, error) {
	if keep == "" {
		dir, err := os.MkdirTemp("", "young-compass-demo")
		if err != nil {
			return "", unfinished{err}
		}
		return dir, nil
	}
	if entries, err := os.ReadDir(keep); err == nil && len(entries) > 0 {
		return "", fmt.Errorf("--keep: %s is not empty; name a new folder", keep)
	}
	if err := os.MkdirAll(keep, 0o755); err != nil {
		return "", unfinished{err}
	}
	return keep, nil
}

func (t *tour) close() (err error) {
	for _, s := range []*demo.StandIn{t.old, t.new, t.neglected} {
		if s != nil {
			err = errors.Join(err, s.Close())
		}
	}
	return err
}

// tell explains, as a comment between commands.
func (t *tour) tell(format string, args ...any) {
	_, _ = fmt.Fprintf(t.stdout, "\n# %s\n", fmt.Sprintf(format, args...))
}

// run shows a command, runs it and shows what it says: the lines that hold
// filter, if one is given. The exit status must be the one expected.
func (t *tour) run(command string, filter string, status int) error {
	shown := "young-compass " + command
	if filter != "" {
		shown += " | grep " + filter
	}
	_, _ = fmt.Fprintf(t.stdout, "\n$ %s\n", t.style(t.stdout).Bold(shown))
	var out bytes.Buffer
	sub := &app{stdin: strings.NewReader(""), stdout: &out, stderr: &out, now: t.now}
	color := "never"
	if t.style(t.stdout).Colour {
		color = "always"
	}
	args := append(split(command), "--color", color)
	got := sub.run(t.ctx, args)
	for line := range strings.Lines(out.String()) {
		if strings.Contains(line, filter) {
			if _, err := fmt.Fprint(t.stdout, line); err != nil {
				return unfinished{err}
			}
		}
	}
	if got != exitFine {
		_, _ = fmt.Fprintf(t.stdout, "(exit status %d)\n", got)
	}
	if got != status {
		return fmt.Errorf("the demo's command %q ended with %d, not with %d\n%s", command, got, status, out.String())
	}
	return nil
}

// split divides a command at spaces, as a shell does; 'quoted' words stay.
func split(command string) []string {
	var args []string
	for i, part := range strings.Split(command, "'") {
		if i%2 == 1 {
			args = append(args, part)
		} else {
			args = append(args, strings.Fields(part)...)
		}
	}
	return args
}

func (t *tour) put(name string, data []byte) error {
	if err := os.WriteFile(name, data, 0o644); err != nil {
		return unfinished{err}
	}
	return nil
}

func (t *tour) give(name, as string) error {
	data, err := demo.File(name)
	if err != nil {
		return err
	}
	return t.put(as, data)
}

// serve starts a stand-in and leaves its certificate in the folder.
func (t *tour) serve(handler http.Handler, prefer [2]string, certificate string) (*demo.StandIn, error) {
	s, err := demo.Start(handler, prefer[0], prefer[1])
	if err != nil {
		return nil, unfinished{err}
	}
	return s, t.put(certificate, s.Certificate)
}

func (t *tour) start() error {
	t.tell("Skerrywick Ferries has a site at http://www.skerrywick.example with addresses like\n# " +
		"/index.php?sec=route&item=214&lang=de. It is to move to https://skerrywick.example.")
	if err := t.give(demo.OldSite, demo.OldSite); err != nil {
		return err
	}
	if err := t.give(demo.OldRedirects, demo.OldRedirects); err != nil {
		return err
	}
	if err := t.run("init --origin https://skerrywick.example", "", exitFine); err != nil {
		return err
	}
	t.tell("The plan is edited: languages, kinds of pages, parameters (see %s).", project.PlanFile)
	return t.give(demo.Config, project.PlanFile)
}

func (t *tour) takeStock() error {
	if err := t.run("gather "+demo.OldSite, "", exitFine); err != nil {
		return err
	}
	t.tell("There is more: a feed with drafts, a workbook, sitemaps, the server's logs, pages in a folder.")
	if err := demo.CopySources("."); err != nil {
		return unfinished{err}
	}
	return t.run("gather sources/notices.atom sources/ports.xlsx sources/sitemap-index.xml sources/access.log "+
		"sources/access.log.1.gz sources/pages", "", exitFine)
}

func (t *tour) askOld() error {
	handler, err := demo.OldServer()
	if err != nil {
		return err
	}
	if t.old, err = t.serve(handler, [2]string{"18080", "18443"}, "old-site.pem"); err != nil {
		return err
	}
	t.tell("Which pages does the old server show at several addresses?")
	return t.run("probe redirects --at "+t.old.At()+" --ca old-site.pem --quiet", "", exitFindings)
}

func (t *tour) mend() error {
	t.tell("There is an inherited list of redirects.")
	if err := t.run("redirects check "+demo.OldRedirects, "", exitFindings); err != nil {
		return err
	}
	t.tell("It is mended by hand, and becomes the project's %s. The difference:", project.RedirectsFile)
	if err := t.give(demo.Redirects, project.RedirectsFile); err != nil {
		return err
	}
	if err := t.difference(); err != nil {
		return err
	}
	return t.run("redirects check", "", exitFine)
}

// difference shows which rows the mended list has instead of the old ones.
func (t *tour) difference() error {
	lines := map[string][]string{}
	for _, name := range []string{demo.OldRedirects, demo.Redirects} {
		data, err := demo.File(name)
		if err != nil {
			return err
		}
		rows, _, err := redirect.Read(name, bytes.NewReader(data), demo.Site())
		if err != nil {
			return err
		}
		for _, row := range rows.All() {
			lines[name] = append(lines[name], strings.TrimSpace(fmt.Sprintf("%s -> %s %d", row.From, row.To,
				row.Status)))
		}
	}
	for _, side := range []struct{ sign, in, notIn string }{{"-", demo.OldRedirects, demo.Redirects},
		{"+", demo.Redirects, demo.OldRedirects}} {
		have := strings.Join(lines[side.notIn], "\n") + "\n"
		for _, line := range lines[side.in] {
			if !strings.Contains(have, line+"\n") {
				if _, err := fmt.Fprintln(t.stdout, side.sign, line); err != nil {
					return unfinished{err}
				}
			}
		}
	}
	return nil
}

func (t *tour) design() error {
	if err := t.run("design --sample 14", "", exitFindings); err != nil {
		return err
	}
	t.tell("Two pages have one title. The second gets an address by hand, in the column fixed of %s.",
		project.PagesFile)
	f, err := os.Open(project.PagesFile)
	if err != nil {
		return unfinished{err}
	}
	pages, _, err := inventory.Read(project.PagesFile, f, "en")
	_ = f.Close()
	if err != nil {
		return err
	}
	pages.Find(inventory.Ref{Key: demo.CollidingKey, Language: "en"}).Fixed = demo.FixedAddress
	if err := t.put(project.PagesFile, pages.Encode()); err != nil {
		return err
	}
	if err := t.run("design --write --sample 14", "", exitFine); err != nil {
		return err
	}
	return t.run("trace 'http://www.skerrywick.example/index.php?sid=8f3&item=214&lang=de&sec=route&utm_source=letter' "+
		"/Guides/Tides.html '/index.php?item=999'", "", exitFine)
}

// guide takes in the pages of another site, of which no list says where they went.
func (t *tour) guide() error {
	t.tell("A guide to the islands, written by volunteers on a host of its own, is given up: its pages\n# are " +
		"here too, under other titles. The doubtful pairs are for a person: pair --review.")
	if err := t.give(demo.IslandGuide, demo.IslandGuide); err != nil {
		return err
	}
	if err := t.run("pair "+demo.IslandGuide+" . --output pairs.csv --sample 4", "", exitFine); err != nil {
		return err
	}
	if err := t.run("redirects merge pairs.csv --sure 0.9", "", exitFine); err != nil {
		return err
	}
	if err := t.run("redirects check", "", exitFine); err != nil {
		return err
	}
	if err := t.run("redirects coverage --sample 3", "", exitFine); err != nil {
		return err
	}
	t.tell("People still come to three addresses that nobody has listed.")
	for _, command := range []string{"redirects add /ferry-times.html section-timetables@en", "redirects add /old/prices.htm tickets@en",
		"redirects add '/index.php?sec=route&item=999' --status 410"} {
		if err := t.run(command, "", exitFine); err != nil {
			return err
		}
	}
	return nil
}

// relink brings the links of the site's content to the new addresses.
func (t *tour) relink() error {
	t.tell("The site's own pages, and the dump of its database, still link to the old addresses.")
	if err := demo.CopyContent("."); err != nil {
		return unfinished{err}
	}
	if err := demo.MakeDatabase("."); err != nil {
		return unfinished{err}
	}
	const rows = "relink --db sqlite:" + demo.Database + " --table post --columns body,settings"
	for _, command := range []string{"relink content", "relink content --write --quiet", "relink content --check",
		"relink --db sqlite:" + demo.Database, rows, rows + " --write --quiet", rows + " --check --quiet"} {
		if err := t.run(command, "", exitFine); err != nil {
			return err
		}
	}
	return nil
}

func (t *tour) emit() error {
	if err := t.run("emit nginx --directory out/nginx", "", exitFine); err != nil {
		return err
	}
	if err := t.run("emit apache --directory out/apache", "", exitFine); err != nil {
		return err
	}
	for _, form := range []string{"htaccess", "php"} { // for rented hosting
		if err := t.run("emit "+form+" --directory out/"+form, "", exitFine); err != nil {
			return err
		}
	}
	t.tell("What search engines are told: the sitemap, the lines of each page's head, and those of robots.txt.")
	for _, command := range []string{"emit sitemap", "emit head --as csv", "emit robots", "steps move"} {
		if err := t.run(command, "", exitFine); err != nil {
			return err
		}
	}
	t.tell("For the owner, before the switch: a page with the plan and what is still to be done.")
	return t.run("report --output report-before.html --title 'Skerrywick Ferries: before the switch'", "", exitFine)
}

func (t *tour) check() error {
	p, _, err := project.Load(".")
	if err != nil {
		return err
	}
	if t.new, err = t.serve(demo.NewSite(p), [2]string{"18081", "18444"}, "new-site.pem"); err != nil {
		return err
	}
	t.tell("The new server is asked for every address there ever was, before the name leads to it.")
	if err := t.run("probe redirects hosts --at "+t.new.At()+" --ca new-site.pem", "", exitFine); err != nil {
		return err
	}
	if err := t.summary(p); err != nil {
		return err
	}
	t.tell("Does every other address resolve to one canonical address too?")
	if err := t.run("probe canonicals parameters languages https index --rows 6 --at "+t.new.At()+" --ca new-site.pem", "",
		exitFine); err != nil {
		return err
	}
	t.tell("The parameter fbref gets its class in the plan; with another plan, all is asked again.")
	config, err := os.ReadFile(project.PlanFile)
	if err != nil {
		return unfinished{err}
	}
	if err := t.put(project.PlanFile, bytes.Replace(config, []byte(`["utm_*"]`), []byte(`["utm_*", fbref]`), 1)); err != nil {
		return err
	}
	if err := t.run("probe --quiet --at "+t.new.At()+" --ca new-site.pem", "", exitFine); err != nil {
		return err
	}
	t.tell("All that can be shown is done. What is done elsewhere is told.")
	for _, command := range []string{"report --output report-after.html --title 'Skerrywick Ferries: after the switch'",
		"steps move", "steps tell registration --note 'both services'", "steps tell hand-in",
		"steps https", "steps duplicates --at-least 100 --quiet", "steps languages --at-least 100 --quiet", "steps"} {
		if err := t.run(command, "", exitFine); err != nil {
			return err
		}
	}
	return nil
}

// neglect asks a site in which nobody looked after such things for a year.
func (t *tour) neglect() error {
	p, _, err := project.Load(".")
	if err != nil {
		return err
	}
	site, _ := demo.Neglected(p, demo.NeglectSeed, nil)
	if t.neglected, err = t.serve(site, [2]string{"18082", "18445"}, "neglected-site.pem"); err != nil {
		return err
	}
	at := t.neglected.At()
	t.tell("A year later nobody has looked after it (docs/demo.md lists the troubles).")
	if err := t.run("probe canonicals parameters languages https index "+
		"--rows 6 --at "+at+" --at "+demo.StagingHost+"="+at+" --at "+demo.CopyHost+"="+at+" --copy "+
		"https://"+demo.CopyHost+"/ --ca neglected-site.pem", "", exitFindings); err != nil {
		return err
	}
	if err := t.run("steps duplicates", "", exitFine); err != nil {
		return err
	}
	return t.run("report --output report-later.html --title 'Skerrywick Ferries: a year later'", "", exitFine)
}

// summary says where each former address ends.
func (t *tour) summary(p *plan.Plan) error {
	client, err := (&asking{at: []string{t.new.At()}, ca: "new-site.pem"}).client(p.Site)
	if err != nil {
		return err
	}
	var comparison probe.Comparison
	if err := probe.Run(t.ctx, p, client, p.KnownAddresses(), func() {},
		func(o probe.Observation) { comparison.Add(p, o) }); err != nil {
		return unfinished{err}
	}
	s := comparison.Former
	t.tell("Summary: %d old addresses. In one hop %d reach a page (200), %d their listed temporary page,\n# %d "+
		"their listed temporary page on another host; %d say that the page is gone (410); %d end otherwise.",
		s.Asked, s.OneHop, s.Temporary, s.Elsewhere, s.Gone, s.Direct+s.Other)
	if s.Direct+s.Other > 0 {
		return errFindings
	}
	return nil
}
