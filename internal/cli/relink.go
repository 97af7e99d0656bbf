package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/relink"
	"young-compass/internal/source"
	"young-compass/internal/term"
)

// relinking is a run of relink: its flags, and what it met.
type relinking struct {
	*app
	plan               *plan.Plan
	base               string
	absolute, root     bool
	write, undo, check bool
	content            contentDatabase
	table, address     string
	columns            []string
	journal            *relink.Journal
	summary            relink.Summary
	written            int
	documents          []relinked
	found              []finding.Finding
	differences        bytes.Buffer
	style              term.Style
}

// relinked is a file, or a value of a row, as JSON.
type relinked struct {
	File    string        `json:"file"`
	Form    relink.Form   `json:"form,omitempty"` // of a file
	Changes []linkChanged `json:"changes"`
}

type linkChanged struct {
	Line   int           `json:"line"`
	Column int           `json:"column"`
	From   string        `json:"from"`
	To     string        `json:"to"`
	Reason relink.Reason `json:"reason"`
}

func (a *app) relinkCommand() *cobra.Command {
	r := &relinking{app: a}
	c := &cobra.Command{
		Use:   "relink PATH...",
		Short: "Bring the links in files and databases to their final addresses",
		Long: `In files, in all files of folders, and in the rows of a database, each link to a page
of the site is made to lead straight to where the plan answers it: links that are
redirected for good, and those in another spelling (http, another host of the site,
capitals, an index file, a noise parameter). All other bytes stay as they are, also in
JSON, in dumps of databases and in serialised values, whose lengths are made right.
What a file is shows in its name and its content; FORM:PATH says it (html, css, json,
xml, markdown, text, sql, php). - reads standard input, and with --write writes it with
its new links to standard output.

Prints what would change. --write changes it, and keeps each file beside the new one
under a dated name; --undo puts back what the last run wrote. Links to addresses that
are gone, unknown, or redirected for now are told and stay.

--db URL (mysql://USER@HOST/NAME, postgres://USER@HOST/NAME, sqlite:FILE) says which of
its columns hold links; with --table and --columns it works on those. --write keeps
what it overwrites in a journal; --undo JOURNAL brings it back. See docs/relink.md.`,
		RunE: func(command *cobra.Command, paths []string) error {
			return r.run(paths)
		},
	}
	c.Flags().StringVar(&r.base, "base", "", "the paths stand at `URL` on the site, so that relative links lead somewhere")
	c.Flags().BoolVar(&r.absolute, "absolute", false, "write all links with scheme and host")
	c.Flags().BoolVar(&r.root, "root", false, "write all links from the root, as /routes")
	c.Flags().BoolVar(&r.write, "write", false, "write the files, or the rows")
	c.Flags().BoolVar(&r.undo, "undo", false, "put back what the last run wrote")
	c.Flags().BoolVar(&r.check, "check", false, "exit with 1 while there is a link to change")
	r.content.flags(c)
	c.Flags().StringVar(&r.table, "table", "", "change rows of this `TABLE`")
	c.Flags().StringSliceVar(&r.columns, "columns", nil, "in these `COLUMNS`, with commas between them")
	c.Flags().StringVar(&r.address, "address", "", "the `COLUMN` with the address of a row's page; address, if there is one")
	return c
}

func (r *relinking) run(paths []string) error {
	journal := r.in(relink.JournalFile)
	switch {
	case r.absolute && r.root:
		return errors.New("--absolute and --root contradict each other")
	case r.write && r.check:
		return errors.New("--write and --check contradict each other")
	case r.content.url != "":
		return r.database(paths)
	case r.table != "" || len(r.columns) > 0 || r.address != "":
		return errors.New("--table, --columns and --address belong to --db")
	case r.undo && (len(paths) > 0 || r.write || r.check):
		return errors.New("--undo stands alone: it knows what the last run wrote")
	case r.undo:
		return r.takeBack(journal)
	case len(paths) == 0:
		return errors.New("name the files or folders in which links are, or a database with --db")
	}
	linker, base, err := r.linker()
	if err != nil {
		return err
	}
	r.journal = relink.NewJournal(journal, r.now)
	if err := r.journal.Known(linker); err != nil {
		return unfinished{err}
	}
	if r.write {
		if err := r.journal.Settle(); err != nil {
			return unfinished{err}
		}
	}
	bar := term.NewProgress(r.stderr, "files", 0, term.Plain)
	defer bar.Done()
	each := func(d relink.Document) error {
		bar.Add(1)
		return r.document(d)
	}
	for _, path := range paths {
		form, file := source.Told(path, relink.Forms())
		if file == "-" {
			if len(paths) > 1 {
				return errors.New("standard input (-) stands alone")
			}
			return r.filter(linker, form, base)
		}
		if err := linker.Files(file, form, base, each); err != nil {
			var of *fs.PathError
			if errors.As(err, &of) && r.summary.Files == 0 {
				return finding.Unreadable(finding.Place{File: file}, of.Err.Error(), "check the name")
			}
			return unfinished{fmt.Errorf("reading %s: %w", file, err)}
		}
	}
	bar.Done()
	return r.tell()
}

// linker reads the project, and what --base says.
func (r *relinking) linker() (*relink.Linker, *address.Address, error) {
	p, _, err := r.load()
	if err != nil {
		return nil, nil, err
	}
	r.plan = p
	var base *address.Address
	if r.base != "" {
		at, err := address.Resolve(p.Site.Origin, r.base)
		if err != nil {
			return nil, nil, fmt.Errorf("--base: %w", err)
		}
		if !p.Site.Has(at.Host) {
			return nil, nil, fmt.Errorf("--base: %s is not one of the site's hosts", at.Host)
		}
		base = &at
	}
	r.style = r.app.style(r.stdout)
	return relink.New(p, r.way()), base, nil
}

func (r *relinking) way() relink.Way {
	switch {
	case r.absolute:
		return relink.Absolute
	case r.root:
		return relink.Root
	}
	return relink.AsWritten
}

// filter relinks standard input. Written, it goes to standard output, and what there is to say of it to standard error.
func (r *relinking) filter(linker *relink.Linker, form relink.Form, base *address.Address) error {
	text, err := io.ReadAll(io.LimitReader(r.stdin, relink.MaxFile+1))
	if err != nil {
		return unfinished{fmt.Errorf("reading standard input: %w", err)}
	}
	if len(text) > relink.MaxFile {
		return fmt.Errorf("standard input has more than %d MiB; put it into a file", relink.MaxFile>>20)
	}
	d := linker.Document("-", text, form, base)
	if !r.write {
		if err := r.document(d); err != nil {
			return err
		}
		return r.tell()
	}
	if _, err := r.stdout.Write(d.After); err != nil {
		return unfinished{fmt.Errorf("writing standard output: %w", err)}
	}
	found := d.Findings()
	relink.Propose(r.plan, found)
	for _, f := range found {
		r.say("%s", f)
	}
	return nil
}

// document takes up one file, and writes it if that was asked for.
func (r *relinking) document(d relink.Document) error {
	switch err := r.ctx.Err(); {
	case err != nil && r.write:
		return fmt.Errorf("%w: %d files are written; the same command goes on, and --undo puts them back", err, r.written)
	case err != nil:
		return fmt.Errorf("%w: nothing is written", err)
	}
	r.summary.Add(&d)
	r.found = append(r.found, d.Findings()...)
	if !d.Changed() {
		return nil
	}
	r.documents = append(r.documents, changesOf(d))
	if !r.write {
		writeDifference(&r.differences, r.style, r.style.Colour || term.IsTerminal(r.stdout), d)
		return nil
	}
	err := r.save(func() error {
		_, err := r.journal.Write(d)
		return err
	})
	switch {
	case r.ctx.Err() != nil && errors.Is(err, r.ctx.Err()):
		return r.document(d)
	case err != nil:
		r.found = append(r.found, d.Unwritten(err))
		return nil
	}
	r.written++
	return nil
}

// changesOf returns the links of a document that change.
func changesOf(d relink.Document) relinked {
	item := relinked{File: d.Path, Form: d.Form}
	if d.Row {
		item.Form = ""
	}
	for _, link := range d.Links {
		if link.Reason.Changes() {
			item.Changes = append(item.Changes, linkChanged{link.Line, link.Column, link.From, link.To, link.Reason})
		}
	}
	return item
}

// shownSwaps is how many changes are listed, the most frequent ones.
const shownSwaps = 10

// tell prints what was done, or would be.
func (r *relinking) tell() error {
	if r.documents == nil {
		r.documents = []relinked{}
	}
	out := report{more: map[string]any{"files": r.documents},
		counts: []count{{"files", "files", r.summary.Files}, {"changed_files", "of them with links to change",
			r.summary.Changed},
			{"changed_links", "links to change", r.summary.Links}}}
	if r.write {
		out.counts[1].words, out.counts[2].words = "of them with changed links", "changed links"
		out.counts = append(out.counts, count{"written", "written", r.written})
	}
	return r.tellOf(out)
}

// tellOf prints a report, with the most frequent changes and the counts by reason and form.
func (r *relinking) tellOf(out report) error {
	relink.Propose(r.plan, r.found)
	out.columns, out.name, out.findings = []string{"times", "from", "to"}, "changes", r.found
	out.changed = [2]int{1, 2}
	frequent := r.summary.MostFrequent(shownSwaps)
	for _, f := range frequent {
		out.rows = append(out.rows, []string{fmt.Sprint(f.Times), address.Printable(f.From), address.Printable(f.To)})
	}
	out.items = frequent
	for _, reason := range slices.Sorted(maps.Keys(r.summary.Reasons)) {
		if reason.Changes() {
			out.counts = append(out.counts, count{string(reason), string(reason), r.summary.Reasons[reason]})
		}
	}
	for _, form := range slices.Sorted(maps.Keys(r.summary.Forms)) {
		out.counts = append(out.counts, count{string(form), "in " + string(form), r.summary.Forms[form]})
	}
	if r.format == "table" && !r.quiet {
		if r.differences.Len() > 0 {
			r.differences.WriteByte('\n')
		}
		shown := term.Wrapping(r.stdout, r.style)
		if _, err := io.Copy(shown, &r.differences); err != nil {
			return unfinished{err}
		}
		if err := shown.Flush(); err != nil {
			return unfinished{err}
		}
	}
	if err := r.print(out); err != nil {
		return err
	}
	if r.check && r.summary.Links > 0 {
		return errFindings
	}
	return nil
}

// takeBack undoes the last run.
func (r *relinking) takeBack(journal string) error {
	list, err := relink.Undo(journal, r.now)
	if errors.Is(err, relink.ErrNothingWritten) {
		return fmt.Errorf("--undo: %w", err)
	}
	if err != nil {
		return unfinished{err}
	}
	out := report{columns: []string{"file"}, name: "files"}
	items := []string{}
	for _, f := range list {
		if f.Problem != "" {
			out.findings = append(out.findings, finding.Finding{Code: finding.FileLeft, Severity: finding.Error,
				Where: finding.Place{File: f.Path}, What: "this file isn't put back: " + f.Problem,
				Advice: "the copy beside it, with a date in its name, is what it was"})
			continue
		}
		out.rows = append(out.rows, []string{f.Path})
		items = append(items, f.Path)
	}
	out.items = items
	out.counts = []count{{"restored", "put back", len(items)}}
	return r.print(out)
}

// longLine is how many bytes of a line a person is shown.
const longLine = 300

// writeDifference writes the lines of a file that change as a unified difference. A person is shown some of a long
// line, and no control characters.
//
//	--- content/site.css
//	+++ content/site.css
//	@@ -1,2 +1,2 @@
//	-body { background: url("/old.png") }
//	+body { background: url("/new.png") }
//	 p { margin: 0 }
func writeDifference(b *bytes.Buffer, style term.Style, person bool, d relink.Document) {
	_, _ = fmt.Fprintf(b, "%s\n%s\n", style.Bold("--- "+d.Path), style.Bold("+++ "+d.Path))
	hunks, ok := d.Hunks()
	if !ok {
		_, _ = fmt.Fprintln(b, "(too long to be shown line by line)")
	}
	colors := map[byte]func(string, bool) string{'-': style.Old, '+': style.New,
		' ': func(s string, _ bool) string { return s }}
	for _, h := range hunks {
		n := 0 // lines before, which are as many as those after
		for _, line := range h.Lines {
			if line.Mark != '+' {
				n++
			}
		}
		_, _ = fmt.Fprintf(b, "@@ -%d,%d +%d,%d @@\n", h.Start, n, h.Start, n)
		for _, line := range h.Lines {
			parts := [3]string{string(line.Mark) + string(line.Text[:line.From]), string(line.Text[line.From:line.To]),
				strings.TrimSuffix(string(line.Text[line.To:]), "\n")}
			if person {
				parts = shortened(string(line.Mark), line.Text, line.From, line.To)
			}
			color := colors[line.Mark]
			_, _ = fmt.Fprintln(b, color(parts[0], false)+color(parts[1], true)+color(parts[2], false))
			if !d.Row && !bytes.HasSuffix(line.Text, []byte("\n")) {
				_, _ = fmt.Fprintln(b, `\ No newline at end of file`)
			}
		}
	}
}

// shortened returns a line as a person can read it: what is before, in and behind a part of it, and not all of it where
// it is long.
func shortened(mark string, line []byte, from, to int) [3]string {
	begin, end := 0, len(bytes.TrimRight(line, "\r\n"))
	from, to = min(from, end), min(to, end)
	before, behind := mark, ""
	if end > longLine {
		begin = max(0, from-longLine/3)
		end = min(end, max(to, begin+longLine))
		if end-begin > 2*longLine { // what changes is long itself
			end = begin + 2*longLine
			to = min(to, end)
		}
		if begin > 0 {
			before += "..."
		}
		if end < len(bytes.TrimRight(line, "\r\n")) {
			behind = "..."
		}
	}
	shown := func(b []byte) string { return address.Printable(strings.ToValidUTF8(string(b), "")) }
	return [3]string{before + shown(line[begin:from]), shown(line[from:to]), shown(line[to:end]) + behind}
}
