// Package cli is the command line: flags, reading files, printing. It computes
// nothing.
package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/safefile"
	"young-compass/internal/spelling"
	"young-compass/internal/table"
	"young-compass/internal/term"
)

// The exit statuses.
const (
	exitFine       = 0
	exitFindings   = 1
	exitUsage      = 2
	exitUnfinished = 3
)

// errFindings ends a command whose findings are bad enough; they are printed
// already.
var errFindings = errors.New("findings")

// unfinished marks an error of the network or the disk.
type unfinished struct{ error }

func (u unfinished) Unwrap() error { return u.error }

// app is one run of the program.
type app struct {
	stdin          io.Reader
	stdout, stderr io.Writer
	now            time.Time

	project, format, output, color, failOn string
	quiet, noWait, all                     bool
	limit                                  finding.Severity
	folder                                 project.Folder // as it was read

	ctx    context.Context // ends when the user interrupts the run
	saving sync.Mutex      // held while something is written that must not be cut short
	names  []string        // of files that were written
}

// Main runs the program and returns its exit status.
func Main(ctx context.Context, args []string, stdin io.Reader, stdout, stderr io.Writer) int {
	now, err := clock()
	if err != nil {
		_, _ = fmt.Fprintln(stderr, "young-compass:", err)
		return exitUsage
	}
	a := &app{stdin: stdin, stdout: stdout, stderr: stderr, now: now}
	return a.run(ctx, args)
}

// clock returns the time, or what SOURCE_DATE_EPOCH says (reproducible-builds.org).
func clock() (time.Time, error) {
	s := os.Getenv("SOURCE_DATE_EPOCH")
	if s == "" {
		return time.Now(), nil
	}
	seconds, err := strconv.ParseInt(s, 10, 64)
	if err != nil {
		return time.Time{}, fmt.Errorf("SOURCE_DATE_EPOCH is %s; write seconds since 1970", address.Printable(s))
	}
	return time.Unix(seconds, 0), nil
}

// grace is how long an interrupted command has to end by itself, as those do that ask a site and keep what they know.
const grace = 2 * time.Second

// run runs a command. When ctx ends it is left alone where it is, unless it ends by itself: nothing is written any
// more, and what is being written is finished first.
func (a *app) run(ctx context.Context, args []string) int {
	root := a.root()
	root.SetArgs(args)
	a.ctx = ctx
	ended := make(chan error, 1)
	go func() {
		command, err := root.ExecuteContextC(ctx)
		if err == nil {
			a.tellNext(command)
		}
		ended <- err
	}()
	var err error
	select {
	case err = <-ended:
	case <-ctx.Done():
		select {
		case err = <-ended:
		case <-time.After(grace):
			a.saving.Lock() // for good
			err = ctx.Err()
		}
	}
	var input *finding.Input
	var broken unfinished
	switch {
	case err == nil:
		return exitFine
	case errors.Is(err, errFindings):
		return exitFindings
	case errors.As(err, &input):
		a.sayLine(input.Finding.String())
		return exitUsage
	case ctx.Err() != nil && errors.Is(err, context.Canceled):
		said := strings.ReplaceAll(oneLine(err), context.Canceled.Error(), "interrupted")
		switch {
		case said != "interrupted":
		case len(a.names) > 0:
			said += "; written before: " + strings.Join(a.names, ", ")
		default:
			said += "; nothing is written"
		}
		a.sayLine("young-compass: " + said)
		return exitUnfinished
	case errors.As(err, &broken), errors.Is(err, context.Canceled):
		a.sayLine("young-compass: " + oneLine(err))
		return exitUnfinished
	}
	a.sayLine("young-compass: " + oneLine(err))
	return exitUsage
}

// oneLine returns what an error says; several that were joined stand one behind the other.
func oneLine(err error) string {
	return address.Printable(strings.ReplaceAll(strings.TrimSpace(err.Error()), "\n", "; "))
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "young-compass",
		Short: "Design a site's addresses, move them without losing anyone, and check the result",
		Long: `Young Compass helps the administrator of a web site to design clean, readable
addresses, to redirect every former one, and to check that the live site answers
as planned. A project is a folder with a plan (young-compass.yaml), the pages,
the address book and the redirects.`,
		Version:       version() + commit(),
		SilenceErrors: true, SilenceUsage: true,
		PersistentPreRunE: func(c *cobra.Command, _ []string) error { return a.checkFlags(c.Name()) },
	}
	root.Args = func(c *cobra.Command, args []string) error {
		if len(args) == 0 {
			return nil
		}
		var names []string
		for _, command := range c.Commands() {
			if command.IsAvailableCommand() {
				names = append(names, command.Name())
			}
		}
		return fmt.Errorf("%s is not a command; %s", address.Printable(args[0]), spelling.Choices(args[0], names))
	}
	root.RunE = func(c *cobra.Command, _ []string) error { return c.Help() }
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		unknown, ok := strings.CutPrefix(err.Error(), "unknown flag: --")
		if !ok {
			return err
		}
		var names []string
		c.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		if near := spelling.Nearest(unknown, names); near != "" {
			return fmt.Errorf("%s has no option --%s; did you mean --%s?", c.CommandPath(), address.Printable(unknown), near)
		}
		return fmt.Errorf("%s has no option --%s; %[1]s --help names them", c.CommandPath(), address.Printable(unknown))
	})
	root.SetOut(a.stdout)
	root.SetErr(a.stderr)
	f := root.PersistentFlags()
	f.StringVar(&a.project, "project", ".", "the project's `DIR`")
	f.StringVar(&a.format, "format", "table",
		"table, json or csv; trace also ndjson; where there are findings also junit or sarif")
	f.StringVar(&a.output, "output", "", "write the result to `FILE` instead of standard output")
	f.BoolVar(&a.quiet, "quiet", false, "print findings only")
	f.BoolVar(&a.all, "all", false, "print every finding, not five of each cause")
	f.BoolVar(&a.noWait, "no-wait", false, "end at once when another run changes the project, instead of waiting")
	f.StringVar(&a.color, "color", "auto", "auto, always or never")
	f.StringVar(&a.failOn, "fail-on", "error", "exit with 1 from this severity on: error, warning, note or never")
	root.AddCommand(a.initCommand(), a.stepsCommand(), a.gatherCommand(), a.proposeCommand(), a.pagesCommand(),
		a.lintCommand(), a.designCommand(), a.pairCommand(),
		a.redirectsCommand(), a.relinkCommand(), a.traceCommand(), a.emitCommand(), a.serveCommand(), a.probeCommand(),
		a.reportCommand(), a.findingsCommand(), a.demoCommand())
	exemplify(root)
	a.complete(root)
	return root
}

// Commands returns the program's commands, for pages that are made of them.
func Commands() *cobra.Command { return (&app{stdout: io.Discard, stderr: io.Discard}).root() }

func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok || info.Main.Version == "" {
		return "(unknown)"
	}
	return info.Main.Version
}

// commit names the commit that the program was made from, where that is known.
func commit() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return ""
	}
	of := map[string]string{}
	for _, s := range info.Settings {
		of[s.Key] = s.Value
	}
	revision := of["vcs.revision"]
	if revision == "" {
		return ""
	}
	day, _, _ := strings.Cut(of["vcs.time"], "T")
	text := fmt.Sprintf(", commit %.12s of %s", revision, day)
	if of["vcs.modified"] == "true" {
		text += ", changed since"
	}
	return text
}

// formatsOf returns the formats that --format knows of a command.
func formatsOf(command string) []string {
	if command == "trace" {
		return []string{"table", "json", "csv", "ndjson"}
	}
	return []string{"table", "json", "csv", "junit", "sarif"}
}

func (a *app) checkFlags(command string) (err error) {
	a.folder.Dir = filepath.Clean(a.project)
	if a.limit, err = finding.ParseSeverity(a.failOn); err != nil {
		return fmt.Errorf("--fail-on: %w", err)
	}
	formats := formatsOf(command)
	if !slices.Contains(formats, a.format) {
		return fmt.Errorf("--format: %s is not known to %s; say %s", address.Printable(a.format), command,
			strings.Join(formats, ", "))
	}
	switch a.color {
	case "auto", "always", "never":
	default:
		return fmt.Errorf("--color: %s is not known; say auto, always or never", address.Printable(a.color))
	}
	return nil
}

func (a *app) style(w io.Writer) term.Style {
	s := term.StyleOf(w, os.Getenv)
	switch a.color {
	case "always":
		s.Colour = true
	case "never":
		s.Colour = false
	}
	return s
}

// say prints a message for a person.
func (a *app) say(format string, args ...any) {
	if !a.quiet {
		a.sayLine(address.Printable(fmt.Sprintf(format, args...)))
	}
}

// sayLine prints a line on standard error, broken where it is longer than the terminal is wide.
func (a *app) sayLine(line string) {
	w := term.Wrapping(a.stderr, a.style(a.stderr))
	_, _ = fmt.Fprintln(w, line)
}

func (a *app) today() string { return a.now.UTC().Format("2006-01-02") }

// in returns the path of a file in the project.
func (a *app) in(name string) string { return filepath.Join(a.project, name) }

// write replaces a file and says what became of the one that was there.
func (a *app) write(path string, data []byte) error {
	return a.writeAll(safefile.File{Path: path, Data: data})
}

// writeAll replaces files, all or none, and says what became of those that were there.
func (a *app) writeAll(files ...safefile.File) error {
	all, err := a.writeSet(files...)
	if err != nil {
		return err
	}
	for _, became := range all {
		switch {
		case !became.Written:
			a.say("%s: unchanged", became.Path)
		case became.Kept != "":
			a.say("%s: written; what was there is now %s", became.Path, filepath.Base(became.Kept))
		default:
			a.say("%s: written", became.Path)
		}
	}
	return nil
}

// writeSet replaces files, all or none, and returns what became of them.
func (a *app) writeSet(files ...safefile.File) (all []safefile.Became, err error) {
	err = a.save(func() (err error) {
		all, err = a.folder.Write(a.now, files...)
		for _, became := range all {
			if became.Written {
				a.names = append(a.names, filepath.Base(became.Path))
			}
		}
		return err
	})
	if err != nil {
		return nil, unfinished{err}
	}
	return all, nil
}

// save writes something that must not be cut short, unless the run was interrupted before.
func (a *app) save(write func() error) error {
	a.saving.Lock()
	defer a.saving.Unlock()
	if err := a.ctx.Err(); err != nil {
		return err
	}
	return write()
}

// change changes files of the project, all or none.
func (a *app) change(changes ...project.Change) error {
	var files []safefile.File
	var wait sync.WaitGroup
	wrong := make([]error, len(changes))
	for i, c := range changes {
		if strings.HasSuffix(c.Name, ".csv") {
			wait.Go(func() { wrong[i] = table.Check(c.Name, c.Data) })
		}
		files = append(files, safefile.File{Path: a.in(c.Name), Data: c.Data})
	}
	if wait.Wait(); cmp.Or(wrong...) != nil {
		return unfinished{cmp.Or(wrong...)}
	}
	return a.writeAll(files...)
}

// patience is how long a run waits for another one to end that changes the project.
const patience = 30 * time.Second

// alone waits until no other run changes the project. A command that writes to the project calls it before it reads
// anything of it.
func (a *app) alone(c *cobra.Command) (end func(), err error) {
	wait := patience
	if a.noWait {
		wait = 0
	}
	end, err = a.folder.Lock(c.Context(), fmt.Sprintf("%s (process %d)", c.CommandPath(), os.Getpid()), wait,
		func(holder string) {
			a.say("%s is at work in this project; waiting for it to end, for at most %v", holder, patience)
		})
	if err != nil {
		return nil, unfinished{err}
	}
	return end, nil
}

// open reads a file, or standard input for "-". A bar shows how far that is.
func (a *app) open(path string) (io.ReadCloser, error) {
	if path == "-" {
		bar := term.NewProgress(a.stderr, path, 0, term.Bytes)
		return watched{bar.Reader(a.stdin), io.NopCloser(nil), bar}, nil
	}
	f, err := os.Open(path)
	if err != nil {
		what := err.Error()
		var pathError *os.PathError
		if errors.As(err, &pathError) {
			what = pathError.Err.Error()
		}
		return nil, finding.Unreadable(finding.Place{File: path}, what, "check the name")
	}
	size := int64(0)
	if info, err := f.Stat(); err == nil {
		size = info.Size()
	}
	bar := term.NewProgress(a.stderr, path, size, term.Bytes)
	return watched{bar.Reader(f), f, bar}, nil
}

// watched is a file whose reading a bar shows.
type watched struct {
	io.Reader
	io.Closer
	bar *term.Progress
}

// Close wipes the bar, and closes the file.
func (w watched) Close() error {
	w.bar.Done()
	return w.Closer.Close()
}

// readIfThere reads a file of the project that gather makes, if there is one. A
// bad row of it makes all of it unreadable: it is made anew by gathering again.
func (a *app) readIfThere(name string, read func(path string, r io.Reader) ([]finding.Finding, error)) error {
	path := a.in(name)
	f, err := a.folder.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return unfinished{err}
	}
	defer func() { _ = f.Close() }()
	found, err := read(path, f)
	if err == nil && len(found) > 0 {
		err = &finding.Input{Finding: found[0]}
	}
	return err
}

// judged reads the project, and says what is wrong with its plan.
func (a *app) judged() (*plan.Plan, []finding.Finding, error) {
	p, found, err := a.load()
	if err != nil {
		return nil, nil, err
	}
	return p, append(found, judge.Plan(p)...), nil
}

// load reads the project. Findings are of reading alone.
func (a *app) load() (*plan.Plan, []finding.Finding, error) {
	p, found, err := a.folder.Load()
	var input *finding.Input
	if errors.As(err, &input) {
		a.locate(&input.Finding.Where)
	}
	return p, found, err
}

// locate turns the name of one of the project's files into its path.
func (a *app) locate(where *finding.Place) {
	switch where.File {
	case project.PlanFile, project.PagesFile, project.AddressesFile, project.RedirectsFile:
		where.File = a.in(where.File)
	}
}

// count is one figure of a summary. Without a name it isn't in the JSON, where
// findings are counted by their codes anyway.
type count struct {
	name, words string
	n           int
}

// report is what a command has to say, in every format.
type report struct {
	columns  []string
	rows     [][]string
	items    any // the rows as JSON
	name     string
	more     map[string]any // further lists as JSON, by name
	changed  [2]int         // columns of what was and what is to be
	counts   []count
	findings []finding.Finding
	text     func(w io.Writer, style term.Style) error // instead of a table
}

// told is the text of a report whose rows a person doesn't want to see: they
// are there as CSV and JSON.
func told(io.Writer, term.Style) error { return nil }

// print writes a report and returns errFindings when it is bad enough.
func (a *app) print(r report) error {
	if err := a.ctx.Err(); err != nil {
		return err
	}
	for i := range r.findings {
		a.locate(&r.findings[i].Where)
		for j := range r.findings[i].Related {
			a.locate(&r.findings[i].Related[j])
		}
	}
	finding.Sort(r.findings)
	w := a.stdout
	var file strings.Builder
	if a.output != "" {
		w = &file
	}
	if err := a.printTo(w, r); err != nil {
		return unfinished{fmt.Errorf("printing: %w", err)}
	}
	if a.output != "" {
		if err := a.write(a.output, []byte(file.String())); err != nil {
			return err
		}
	}
	if finding.Worst(r.findings, a.limit) {
		return errFindings
	}
	return nil
}

func (a *app) printTo(w io.Writer, r report) error {
	switch a.format {
	case "json":
		return a.printJSON(&visibleJSON{w: w}, r)
	case "csv":
		return printCSV(w, r)
	case "junit":
		return printJUnit(w, r.findings, a.limit)
	case "sarif":
		return printSARIF(&visibleJSON{w: w}, r.findings)
	}
	style := a.style(w)
	if a.output != "" {
		style.Width = 0 // of a file
	}
	out := term.Wrapping(w, style)
	if err := a.printText(out, style, r); err != nil {
		return err
	}
	return out.Flush()
}

// printText prints a report for a person.
func (a *app) printText(w io.Writer, style term.Style, r report) error {
	if !a.quiet {
		switch {
		case r.text != nil:
			if err := r.text(w, style); err != nil {
				return err
			}
		case len(r.rows) > 0:
			if err := term.Changes(w, style, r.columns, r.rows, r.changed[0], r.changed[1]); err != nil {
				return err
			}
			_, _ = fmt.Fprintln(w)
		}
		if err := printCounts(w, style, r.counts); err != nil {
			return err
		}
	}
	return term.Findings(w, style, r.findings, a.all)
}

// printCounts prints the summary: in one line while it is short.
func printCounts(w io.Writer, style term.Style, counts []count) error {
	if len(counts) > 6 {
		for _, c := range counts {
			if _, err := fmt.Fprintf(w, "%s %s\n", style.Bold(fmt.Sprintf("%6d", c.n)), c.words); err != nil {
				return err
			}
		}
		return nil
	}
	var words []string
	for _, c := range counts {
		words = append(words, style.Bold(fmt.Sprint(c.n))+" "+c.words)
	}
	if len(words) == 0 {
		return nil
	}
	_, err := fmt.Fprintln(w, strings.Join(words, ", "))
	return err
}

func (a *app) printJSON(w io.Writer, r report) error {
	summary := map[string]any{"findings": finding.Count(r.findings)}
	for _, c := range r.counts {
		if c.name != "" {
			summary[c.name] = c.n
		}
	}
	parts := map[string]any{"summary": summary, "findings": nil}
	if r.items != nil {
		parts[r.name] = r.items
	}
	maps.Copy(parts, r.more)
	out := bufio.NewWriter(w)
	mark := "{\n"
	for _, name := range slices.Sorted(maps.Keys(parts)) {
		_, _ = fmt.Fprintf(out, "%s  %q: ", mark, name)
		mark = ",\n"
		if name == "findings" {
			if err := writeList(out, "  ", r.findings, func(f finding.Finding) any { return f }); err != nil {
				return err
			}
			continue
		}
		var b bytes.Buffer
		e := json.NewEncoder(&b)
		e.SetIndent("  ", "  ")
		e.SetEscapeHTML(false)
		if err := e.Encode(parts[name]); err != nil {
			return err
		}
		_, _ = out.Write(bytes.TrimSuffix(b.Bytes(), []byte("\n")))
	}
	_, _ = out.WriteString("\n}\n")
	return out.Flush()
}

// printCSV writes the rows, or the findings where there are no rows, one after the other.
func printCSV(w io.Writer, r report) error {
	out := csv.NewWriter(w)
	write := func(row ...string) error {
		for i, cell := range row {
			row[i] = table.Guard(address.Visible(cell))
		}
		return out.Write(row)
	}
	if r.columns == nil {
		if err := write("code", "severity", "where", "what", "advice"); err != nil {
			return err
		}
		for _, f := range r.findings {
			if err := write(string(f.Code), string(f.Severity), f.Where.String(), f.What, f.Advice); err != nil {
				return err
			}
		}
	} else {
		if err := write(slices.Clone(r.columns)...); err != nil {
			return err
		}
		for _, row := range r.rows {
			if err := write(slices.Clone(row)...); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}
