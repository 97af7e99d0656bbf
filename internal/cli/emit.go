package cli

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"young-compass/internal/address"
	"young-compass/internal/block"
	"young-compass/internal/compile"
	"young-compass/internal/coverage"
	"young-compass/internal/deploy"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/publish"
	"young-compass/internal/safefile"
	"young-compass/internal/server"
	"young-compass/internal/spelling"
	"young-compass/internal/term"
)

// emitting is one run of emit.
type emitting struct {
	installing
	target            server.Target
	directory, pieces string
	options           server.Options
	heads             bool
	root, zip         string
	hosts             []string
}

// installing is what is said of putting something into a file that is there already.
type installing struct {
	install, undo   string
	yes, dry, links bool
}

// flags adds the flags; what is what is put in.
func (i *installing) flags(f *pflag.FlagSet, what string) {
	f.StringVar(&i.install, "install", "", "put the "+what+" into this `FILE`")
	f.StringVar(&i.undo, "undo", "", "take out of this `FILE` what was installed")
	f.BoolVar(&i.yes, "yes", false, "install without asking")
	f.BoolVar(&i.dry, "dry-run", false, "with --install or --undo: show what would change, and write nothing")
	f.BoolVar(&i.links, "follow-links", false, "install into the file that a symbolic link leads to")
}

func (i *installing) usable() error {
	if i.install != "" && i.undo != "" {
		return errors.New("say either --install or --undo")
	}
	return nil
}

// editedByHand says that what was installed in a file isn't as it was.
func editedByHand(file string, edited *block.EditedError) error {
	return fmt.Errorf("%s:%d: what was installed here has been edited by hand; put it back, or take the lines "+
		"between the marks out yourself", file, edited.Line)
}

func (a *app) emitCommand() *cobra.Command {
	var e emitting
	c := &cobra.Command{
		Use:   "emit [FORM]",
		Short: "Write the plan for a web server: htaccess, apache, nginx, caddy, haproxy or php; or for search engines",
		Long: `Reads files only. Writes the files for a server into a folder: htaccess (Apache's
per-folder file), apache (its own configuration), nginx, caddy, haproxy or php (a
script and a short per-folder file, for rented hosting). Without a form, prints
what each can do.

emit sitemap, robots and head write what the plan tells search engines.

--install puts the pieces into a file that the server has already: every other
line stays as it is, and what was there is kept under a dated name. --undo takes
out exactly what was installed.`,
		Args:      cobra.MaximumNArgs(1),
		ValidArgs: formNames(),
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				for _, name := range []string{"install", "undo", "directory", "trial", "pieces", "links", "dry-run", "yes", "force",
					"guard", "root", "zip"} {
					if c.Flags().Changed(name) {
						forms := formNames()
						last := len(forms) - 1
						return fmt.Errorf("emit: --%s needs a form; say %s or %s", name, strings.Join(forms[:last], ", "), forms[last])
					}
				}
				return a.print(featureReport())
			}
			target, ok := deploy.TargetOf(args[0])
			if !ok {
				forms := append(formNames(), "sitemap", "robots", "head")
				return fmt.Errorf("emit: %s is not a form; %s", address.Printable(args[0]), spelling.Choices(args[0], forms))
			}
			e.target = target
			if err := errors.Join(e.usable(), e.guarded()); err != nil {
				return err
			}
			if e.undo != "" {
				return a.undo(e)
			}
			return a.emit(e)
		},
	}
	f := c.Flags()
	f.StringVar(&e.directory, "directory", "", "the folder to write to (out/FORM in the project)")
	f.BoolVar(&e.options.Trial, "trial", false,
		"temporary statuses and short caching, until the plan has proved itself")
	f.StringVar((*string)(&e.options.Guard), "guard", "",
		"of the form php, which requests its per-folder file sends to the script: `full`, host or none")
	f.BoolVar(&e.options.Anyway, "force", false, "write a per-folder file that costs too much; install beside rules that lead round in a circle")
	e.flags(f, "pieces")
	f.StringVar(&e.pieces, "pieces", "",
		"the `DIR` for the pieces of this site that FILE includes (young-compass/HOST beside FILE's folder)")
	f.BoolVar(&e.heads, "links", false, "also add a header Link to each page: its canonical address, its translations")
	f.StringVar(&e.root, "root", "", "say what becomes of the real files in `DIR`, the site's document root, or in a file that lists them")
	f.StringVar(&e.zip, "zip", "", "of the form php: pack what is to be uploaded into `FILE`, with a page on how to go about it")
	c.AddCommand(a.emitSitemapCommand(), a.emitRobotsCommand(), a.emitHeadCommand())
	return c
}

// formNames returns the forms for servers.
func formNames() (names []string) {
	for _, t := range deploy.Targets() {
		names = append(names, t.Name())
	}
	return names
}

// guarded says whether the guard that is wanted, if any, can be had.
func (e *emitting) guarded() error {
	guard := e.options.Guard
	if e.zip != "" && e.target.Name() != "php" {
		return fmt.Errorf("--zip is for the form php; %s isn't uploaded", e.target.Name())
	}
	if guard == "" {
		return nil
	}
	if !slices.Contains(server.Guards(), guard) {
		var names []string
		for _, g := range server.Guards() {
			names = append(names, string(g))
		}
		return fmt.Errorf("--guard: %s is not a guard; %s", address.Printable(string(guard)), spelling.Choices(string(guard), names))
	}
	if e.target.Name() != "php" {
		return fmt.Errorf("--guard is for the form php; %s has none", e.target.Name())
	}
	return nil
}

// featureReport is the table of what each form can do.
func featureReport() report {
	r := report{columns: []string{"feature"}, name: "features"}
	targets := deploy.Targets()
	for _, t := range targets {
		r.columns = append(r.columns, t.Name())
	}
	items := []map[string]string{}
	for _, f := range server.Features() {
		row, item := []string{string(f)}, map[string]string{"feature": string(f)}
		for _, t := range targets {
			row = append(row, deploy.Can(t, f))
			item[t.Name()] = deploy.Can(t, f)
		}
		r.rows = append(r.rows, row)
		items = append(items, item)
	}
	r.items = items
	return r
}

// compile works the plan out, with a header Link for each page if heads says so. It reports false when there are
// errors, which it has printed.
func (a *app) compile(heads bool) (g *compile.Program, found []finding.Finding, ok bool, err error) {
	p, found, err := a.judged()
	if err != nil {
		return nil, nil, false, err
	}
	if heads && !finding.Worst(found, finding.Error) {
		pages, more := publish.Pages(p)
		found = append(found, more...)
		if p, more, err = publish.WithLinks(p, pages); err != nil {
			return nil, nil, false, fmt.Errorf("--links: %w", err)
		}
		found = append(found, more...)
	}
	if !finding.Worst(found, finding.Error) {
		var more []finding.Finding
		bar := term.NewProgress(a.stderr, "addresses", int64(p.Rules().Index.Len()), term.Plain)
		g, more, err = compile.Watched(p, func(n int) { bar.Add(int64(n)) })
		bar.Done()
		if err != nil {
			return nil, nil, false, err
		}
		found = append(found, more...)
	}
	if finding.Worst(found, finding.Error) {
		a.say("nothing written while there are errors")
		return nil, nil, false, a.print(report{findings: found})
	}
	return g, found, true, nil
}

func (a *app) emit(e emitting) error {
	g, found, ok, err := a.compile(e.heads)
	if !ok || err != nil {
		return err
	}
	if e.install != "" {
		if err := a.prepare(&e, g.Plan.Site.All()); err != nil {
			return err
		}
	}
	if e.zip != "" {
		e.options.Folder = deploy.Unplaced
	}
	files, more := e.target.Emit(g, e.options)
	touched, err := deploy.Touched(g, e.target)
	if err != nil {
		return err
	}
	known, err := a.visits()
	if err != nil {
		return err
	}
	lying, err := a.realFiles(e, g.Plan)
	if err != nil {
		return err
	}
	found = slices.Concat(found, more, touched, coverage.Scripts(g.Plan, known), lying, judge.Unmade(g.Plan))
	if len(files) == 0 {
		a.say("nothing written while there are errors")
		return a.print(report{findings: found})
	}
	r := report{columns: []string{"file", "bytes"}, name: "files", findings: found, text: told}
	r.counts = []count{{"addresses", "known addresses", len(g.Listed)}, {"patterns", "patterns", len(g.Patterns)}}
	if e.install != "" {
		return a.install(e, g, files, r)
	}
	if e.zip != "" {
		return a.pack(e, g, files, nil, r)
	}
	if e.directory == "" {
		e.directory = filepath.Join(a.project, "out", e.target.Name())
	}
	items := []map[string]any{}
	var set []safefile.File
	for _, f := range files {
		set = append(set, safefile.File{Path: filepath.Join(e.directory, f.Name), Data: f.Data})
		r.rows = append(r.rows, []string{f.Name, fmt.Sprint(len(f.Data))})
		items = append(items, map[string]any{"file": f.Name, "bytes": len(f.Data)})
	}
	if err := a.writeAll(set...); err != nil {
		return err
	}
	r.items = items
	return a.print(r)
}

// prepare finds out where things are to be installed, for these hosts.
func (a *app) prepare(e *emitting, hosts []string) error {
	path, err := real(e.install, e.links)
	if err != nil {
		return err
	}
	e.install, e.hosts = path, hosts
	if e.pieces == "" {
		e.pieces = deploy.FolderFor(e.target, path, hosts[0])
	}
	if e.pieces, err = filepath.Abs(e.pieces); err != nil {
		return unfinished{err}
	}
	if strings.Trim(e.pieces, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/._-") != "" {
		return fmt.Errorf("--pieces: %s has characters that mean something in a configuration; choose a folder "+
			"named by letters, digits and . _ -", address.Printable(e.pieces))
	}
	place := a.place(*e)
	e.options.Folder, e.options.Shared = deploy.Unplaced, place.Shares()
	e.options.First, err = place.Lasting()
	return err
}

// real returns the file to install into, which must not be a link unless a
// person says so.
func real(path string, links bool) (string, error) {
	info, err := os.Lstat(path)
	if errors.Is(err, os.ErrNotExist) {
		return path, nil
	}
	if err != nil {
		return "", unfinished{err}
	}
	if info.Mode()&os.ModeSymlink != 0 {
		target, err := filepath.EvalSymlinks(path)
		if err != nil {
			return "", unfinished{err}
		}
		if !links {
			return "", fmt.Errorf("%s is a link to %s; name that file, or say --follow-links", path, target)
		}
		return target, nil
	}
	if !info.Mode().IsRegular() {
		return "", fmt.Errorf("%s is not a file", path)
	}
	return path, nil
}

// place is where an installation goes.
func (a *app) place(e emitting) deploy.Place {
	return deploy.Place{Target: e.target, File: e.install, Folder: e.pieces, Project: a.project, Hosts: e.hosts}
}

// edited says how what was installed was edited by hand, if that is what an error means.
func (a *app) edited(place deploy.Place, err error) error {
	var edited *block.EditedError
	if !errors.As(err, &edited) {
		return err
	}
	for _, line := range place.Edits(edited) {
		a.say("%s", address.Printable(line))
	}
	return editedByHand(place.File, edited)
}

// install puts the pieces into the server's file.
func (a *app) install(e emitting, g *compile.Program, files []server.File, r report) error {
	place := a.place(e)
	x, err := place.Prepare(g, files, e.options.Trial)
	if err != nil {
		return a.edited(place, err)
	}
	if x.First {
		a.say("%d of %d known addresses are answered by the plan from now on", x.Changed, x.Known)
	} else {
		a.say("the answer changes for %d of %d known addresses", x.Changed, x.Known)
	}
	r.findings = append(r.findings, x.Findings...)
	r = withExisting(r, x.Existing)
	if finding.Worst(x.Findings, finding.Error) && !e.options.Anyway {
		a.say("nothing written: mend what is in the file first, or say --force")
		return a.print(r)
	}
	checked, err := x.Check()
	if err != nil {
		a.say("nothing written: the server's own check fails")
		return a.refused(e, r, err)
	}
	a.say("%s", checked)
	if e.dry {
		a.show(x.Difference())
		return a.print(r)
	}
	if e.zip != "" {
		return a.pack(e, g, files, x.New, r)
	}
	if !e.yes {
		question := "Put it into " + e.install
		if main := x.Main(); main != "" {
			question += ", and what all sites share into " + main
		}
		if err := a.confirm(question + "?"); err != nil {
			return err
		}
	}
	items := []map[string]any{}
	err = a.save(func() error {
		return x.Make(a.now, func(path string, data []byte, kept string) {
			r.rows = append(r.rows, []string{path, fmt.Sprint(len(data))})
			items = append(items, map[string]any{"file": path, "bytes": len(data)})
			a.wrote(path, kept)
		})
	})
	if err != nil {
		a.say("%s is as it was", e.install)
		return a.refused(e, report{}, err)
	}
	if said := x.Accepted(); said != "" {
		a.say("%s", said)
	}
	r.items = items
	a.say("prove it on the live site, every known address on every host: young-compass probe redirects hosts%s", a.projectFlag())
	if e.options.Trial {
		a.say("on trial it says wrong-status: 302 in the place of 301, 307 in that of 308")
	}
	return a.print(r)
}

// projectFlag is how a command line names the project.
func (a *app) projectFlag() string {
	switch {
	case a.project == ".":
		return ""
	case strings.Trim(a.project, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/._-") == "":
		return " --project " + a.project
	}
	return " --project '" + strings.ReplaceAll(address.Printable(a.project), "'", `'\''`) + "'"
}

// wrote tells of a file that was written into a server's configuration.
func (a *app) wrote(path, kept string) {
	if kept != "" {
		a.say("%s: written; what was there is now %s", path, kept)
		return
	}
	a.say("%s: written", path)
}

// refused prints what a server's own check says against its configuration; other errors it returns.
func (a *app) refused(e emitting, r report, err error) error {
	var invalid *deploy.InvalidError
	if !errors.As(err, &invalid) {
		return unfinished{err}
	}
	what := address.Printable(invalid.Output)
	if invalid.Already {
		what = "before anything is installed: " + what
	}
	r.findings = append(r.findings, finding.Finding{Code: finding.ServerCheck, Severity: finding.Error,
		Where:  finding.Place{File: e.install},
		What:   what,
		Advice: "mend the file, or tell us when it is what was installed"})
	return a.print(r)
}

// show prints the lines of a difference.
func (a *app) show(lines []string) {
	for _, line := range lines {
		a.say("%s", address.Printable(line))
	}
}

// confirm asks on a terminal, and refuses elsewhere.
func (a *app) confirm(question string) error {
	if !term.IsTerminal(a.stdin) {
		return errors.New("say --yes to install without being asked, or --dry-run to see what would change")
	}
	_, _ = fmt.Fprintf(a.stderr, "%s [y/N] ", question)
	answer, err := bufio.NewReader(a.stdin).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return unfinished{err}
	}
	if strings.ToLower(strings.TrimSpace(answer)) != "y" {
		return unfinished{errors.New("nothing was written")}
	}
	return nil
}

// undo takes out what was installed.
func (a *app) undo(e emitting) error {
	e.install = e.undo
	hosts, err := a.undone(e)
	if err != nil {
		return err
	}
	if err := a.prepare(&e, hosts); err != nil {
		return err
	}
	place := a.place(e)
	x, err := place.Remove()
	if err != nil {
		return a.edited(place, err)
	}
	if e.dry {
		a.show(deploy.Difference(string(x.Old), string(x.New)))
		return nil
	}
	if len(bytes.TrimSpace(x.New)) == 0 && len(bytes.TrimSpace(x.Old)) > 0 {
		a.say("%s is empty now", e.install)
	}
	kept := ""
	err = a.save(func() (err error) {
		kept, err = x.Make(a.now)
		return err
	})
	if err != nil {
		return unfinished{err}
	}
	a.wrote(e.install, kept)
	left := ""
	if place.HasPieces() {
		left = fmt.Sprintf("; what they included in %s is not read any more", e.pieces)
	}
	a.say("%d pieces taken out%s", x.Blocks, left)
	return nil
}

// undone returns the hosts for which something was installed in a file: what the project remembers, or else the plan's.
func (a *app) undone(e emitting) ([]string, error) {
	path, err := real(e.install, e.links)
	if err != nil {
		return nil, err
	}
	site, ok, err := deploy.Place{Target: e.target, File: path, Project: a.project}.Site()
	if err != nil {
		return nil, unfinished{err}
	}
	if ok {
		return []string{site}, nil
	}
	p, _, err := a.judged()
	if err != nil {
		return nil, err
	}
	return p.Site.All(), nil
}
