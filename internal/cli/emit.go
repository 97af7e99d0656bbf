package cli

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/deploy"
	"young-compass/internal/finding"
	"young-compass/internal/safefile"
	"young-compass/internal/server"
	"young-compass/internal/term"
)

// emitting is one run of emit.
type emitting struct {
	form                             deploy.Form
	directory, install, undo, pieces string
	options                          server.Options
	yes, dry, links                  bool
}

func (a *app) emitCommand() *cobra.Command {
	var e emitting
	c := &cobra.Command{
		Use:   "emit [FORM]",
		Short: "Write the plan for a web server: htaccess, apache, nginx, caddy or haproxy",
		Long: `Reads files only. Writes the files for a server into a folder: htaccess (Apache's
per-folder file), apache (its own configuration), nginx, caddy or haproxy. Without
a form, prints what each can do.

--install puts the pieces into a file that the server has already: every other
line stays as it is, and the old file stays beside it under a dated name. --undo
takes out exactly what was installed.`,
		Args:      cobra.MaximumNArgs(1),
		ValidArgs: []string{"htaccess", "apache", "nginx", "caddy", "haproxy"},
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return a.print(featureReport())
			}
			form, ok := deploy.FormOf(args[0])
			if !ok {
				return fmt.Errorf("emit: %s is no form; say htaccess, apache, nginx, caddy or haproxy", address.Printable(args[0]))
			}
			e.form = form
			if e.install != "" && e.undo != "" {
				return errors.New("say either --install or --undo")
			}
			if e.undo != "" {
				return a.undo(e)
			}
			return a.emit(e)
		},
	}
	f := c.Flags()
	f.StringVar(&e.directory, "directory", "", "the folder to write to (out/FORM in the project)")
	f.BoolVar(&e.options.Trial, "trial", false, "temporary statuses and short caching, until the plan has proved itself")
	f.BoolVar(&e.options.Anyway, "force", false, "write a per-folder file of more than 300 rules")
	f.StringVar(&e.install, "install", "", "put the pieces into this `FILE` of the server")
	f.StringVar(&e.undo, "undo", "", "take out of this `FILE` what was installed")
	f.StringVar(&e.pieces, "pieces", "", "the `DIR` for the pieces that FILE includes (young-compass beside FILE's folder)")
	f.BoolVar(&e.yes, "yes", false, "install without asking")
	f.BoolVar(&e.dry, "dry-run", false, "with --install or --undo: show what would change, and write nothing")
	f.BoolVar(&e.links, "follow-links", false, "install into the file that a symbolic link leads to")
	return c
}

// featureReport is the table of what each form can do.
func featureReport() report {
	r := report{columns: []string{"feature"}, name: "features", items: deploy.Features()}
	items := []map[string]string{}
	for _, form := range deploy.Forms() {
		r.columns = append(r.columns, form.Name)
	}
	for _, f := range deploy.Features() {
		row, item := []string{f.Name}, map[string]string{"feature": f.Name}
		for _, form := range deploy.Forms() {
			row = append(row, f.In[form.Name])
			item[form.Name] = f.In[form.Name]
		}
		r.rows = append(r.rows, row)
		items = append(items, item)
	}
	r.items = items
	return r
}

// compile works the plan out. It reports false when there are errors, which it
// has printed.
func (a *app) compile() (g *compile.Program, found []finding.Finding, ok bool, err error) {
	p, found, err := a.judged()
	if err != nil {
		return nil, nil, false, err
	}
	if !finding.Worst(found, finding.Error) {
		var more []finding.Finding
		g, more, err = compile.Plan(p)
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
	g, found, ok, err := a.compile()
	if !ok || err != nil {
		return err
	}
	if e.install != "" {
		if err := a.prepare(&e); err != nil {
			return err
		}
	}
	files, more := e.form.Emit(g, e.options)
	touched, err := deploy.Touched(g, e.form.Name)
	if err != nil {
		return err
	}
	found = append(found, append(more, touched...)...)
	if len(files) == 0 {
		a.say("nothing written while there are errors")
		return a.print(report{findings: found})
	}
	r := report{columns: []string{"file", "bytes"}, name: "files", findings: found, text: told}
	r.counts = []count{{"addresses", "known addresses", len(g.Entries)}, {"patterns", "patterns", len(g.Patterns)}}
	if e.install != "" {
		return a.install(e, g, files, r)
	}
	if e.directory == "" {
		e.directory = filepath.Join(a.project, "out", e.form.Name)
	}
	items := []map[string]any{}
	for _, f := range files {
		if err := a.write(filepath.Join(e.directory, f.Name), f.Data); err != nil {
			return err
		}
		r.rows = append(r.rows, []string{f.Name, fmt.Sprint(len(f.Data))})
		items = append(items, map[string]any{"file": f.Name, "bytes": len(f.Data)})
	}
	r.items = items
	return a.print(r)
}

// prepare finds out where things are to be installed.
func (a *app) prepare(e *emitting) error {
	path, err := real(e.install, e.links)
	if err != nil {
		return err
	}
	e.install = path
	if e.pieces == "" {
		e.pieces = deploy.FolderFor(path)
	}
	if e.pieces, err = filepath.Abs(e.pieces); err != nil {
		return unfinished{err}
	}
	if strings.Trim(e.pieces, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/._-") != "" {
		return fmt.Errorf("--pieces: %s has characters that mean something in a configuration; choose a folder named by letters, digits and . _ -", address.Printable(e.pieces))
	}
	e.options.Folder = e.pieces
	return nil
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
		return "", fmt.Errorf("%s is no file", path)
	}
	return path, nil
}

// maxConfiguration bounds the file that pieces are put into, in bytes.
const maxConfiguration = 16 << 20

// readConfiguration reads a server's file; one that isn't there yet is empty.
func readConfiguration(path string) ([]byte, error) {
	f, err := os.Open(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, unfinished{err}
	}
	defer func() { _ = f.Close() }()
	data, err := io.ReadAll(io.LimitReader(f, maxConfiguration+1))
	if err != nil {
		return nil, unfinished{err}
	}
	if len(data) > maxConfiguration {
		return nil, fmt.Errorf("%s is larger than 16 MiB", path)
	}
	return data, nil
}

// clean takes earlier pieces out of a file; where a person has edited them it
// shows how.
func (a *app) clean(e emitting, path string, text []byte) ([]byte, int, error) {
	rest, removed, err := deploy.Remove(text, e.form.Name)
	var edited *deploy.EditedError
	if errors.As(err, &edited) {
		if was, err := os.ReadFile(a.installed(e.form.Name, "block")); err == nil {
			for _, line := range deploy.Difference(string(was), edited.Text) {
				a.say("%s", address.Printable(line))
			}
		}
		return nil, 0, fmt.Errorf("%s:%d: what was installed here has been edited by hand; put it back, or take the lines between the marks out yourself", path, edited.Line)
	}
	if err != nil {
		return nil, 0, fmt.Errorf("%s: %w", path, err)
	}
	return rest, removed, nil
}

// installed is where the project keeps what it installed for a form.
func (a *app) installed(form, what string) string {
	return filepath.Join(a.project, "out", form, "installed-"+what+".txt")
}

// install puts the pieces into the server's file.
func (a *app) install(e emitting, g *compile.Program, files []server.File, r report) error {
	old, err := readConfiguration(e.install)
	if err != nil {
		return err
	}
	rest, _, err := a.clean(e, e.install, old)
	if err != nil {
		return err
	}
	hosts := append([]string{g.Plan.Site.Origin.Host}, append(g.Plan.Site.Hosts, g.Plan.Site.Homes...)...)
	text, err := deploy.Insert(rest, e.form.Name, files, e.pieces, hosts)
	if err != nil {
		return fmt.Errorf("%s: %w", e.install, err)
	}
	pieces := deploy.Pieces(e.form.Name, files)
	answers, err := deploy.Answers(g)
	if err != nil {
		return err
	}
	before, err := os.ReadFile(a.installed(e.form.Name, "answers"))
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return unfinished{err}
	}
	changed, known := deploy.Changed(before, answers)
	if before == nil {
		a.say("%d of %d known addresses are answered by the plan from now on", changed, known)
	} else {
		a.say("the answer changes for %d of %d known addresses", changed, known)
	}
	if e.form.Name == "htaccess" {
		below, err := deploy.FoldersBelow(filepath.Dir(e.install))
		if err != nil {
			return unfinished{err}
		}
		for _, path := range below {
			r.findings = append(r.findings, finding.Finding{Code: "rules-below", Severity: finding.Warning, Where: finding.Place{File: path},
				What: "this per-folder file switches rewriting on, and with it the rules of the folders above off", Advice: "write RewriteOptions InheritBefore into it, or take its RewriteEngine out"})
		}
	}
	checked, err := deploy.Check(e.form.Name, text, e.install, e.pieces, pieces)
	var invalid *deploy.InvalidError
	switch {
	case errors.As(err, &invalid):
		a.say("nothing written: the server's own check fails")
		r.findings = append(r.findings, finding.Finding{Code: "server-check", Severity: finding.Error, Where: finding.Place{File: e.install}, What: address.Printable(invalid.Output), Advice: "mend the file, or tell us when it is what was installed"})
		return a.print(r)
	case err != nil:
		return unfinished{err}
	}
	a.say("%s", checked)
	if e.dry {
		for _, line := range deploy.Difference(string(old), string(text)) {
			a.say("%s", address.Printable(line))
		}
		return a.print(r)
	}
	if !e.yes {
		if err := a.confirm(fmt.Sprintf("Put it into %s?", e.install)); err != nil {
			return err
		}
	}
	items := []map[string]any{}
	put := func(path string, data []byte) error {
		r.rows = append(r.rows, []string{path, fmt.Sprint(len(data))})
		items = append(items, map[string]any{"file": path, "bytes": len(data)})
		return a.write(path, data)
	}
	for _, f := range pieces {
		if err := put(filepath.Join(e.pieces, f.Name), f.Data); err != nil {
			return err
		}
	}
	if done, err := deploy.Convert(e.form.Name, e.pieces, pieces); err != nil {
		return unfinished{err}
	} else if !done {
		return unfinished{errors.New("httxt2dbm is not installed here, and httpd needs what it makes (package apache2-utils)")}
	}
	if err := put(e.install, text); err != nil {
		return err
	}
	block := deploy.Installed(text, e.form.Name)
	for what, data := range map[string][]byte{"block": []byte(block), "answers": answers} {
		if err := safefile.Replace(a.installed(e.form.Name, what), data); err != nil {
			return unfinished{err}
		}
	}
	r.items = items
	return a.print(r)
}

// confirm asks on a terminal, and refuses elsewhere.
func (a *app) confirm(question string) error {
	if in, ok := a.stdin.(*os.File); !ok || !term.IsTerminal(in) {
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
	if err := a.prepare(&e); err != nil {
		return err
	}
	old, err := readConfiguration(e.install)
	if err != nil {
		return err
	}
	rest, removed, err := a.clean(e, e.install, old)
	if err != nil {
		return err
	}
	if removed == 0 {
		return fmt.Errorf("%s: nothing of the form %s was installed here", e.install, e.form.Name)
	}
	if e.dry {
		for _, line := range deploy.Difference(string(old), string(rest)) {
			a.say("%s", address.Printable(line))
		}
		return nil
	}
	if len(bytes.TrimSpace(rest)) == 0 && e.form.Name == "htaccess" && len(bytes.TrimSpace(old)) > 0 {
		a.say("%s is empty now", e.install)
	}
	if err := a.write(e.install, rest); err != nil {
		return err
	}
	for _, what := range []string{"block", "answers"} {
		if err := os.Remove(a.installed(e.form.Name, what)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return unfinished{err}
		}
	}
	a.say("%d pieces taken out; what they included in %s is not read any more", removed, e.pieces)
	return nil
}
