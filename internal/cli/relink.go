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
	"young-compass/internal/relink"
	"young-compass/internal/source"
	"young-compass/internal/term"
)

// relinking is a run of relink: its flags, and what it met.
type relinking struct {
	*app
	base               string
	absolute, root     bool
	write, undo, check bool
	all                bool
	journal            *relink.Journal
	summary            relink.Summary
	written            int
	documents          []relinked
	found              []finding.Finding
	differences        bytes.Buffer
	paint              term.Paint
}

// relinked is a file as JSON.
type relinked struct {
	File    string        `json:"file"`
	Form    relink.Form   `json:"form"`
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
		Short: "Bring the links in files to their final addresses",
		Long: `Reads files only. In files, and in all files of folders, each link to a page of the
site is made to lead straight to where the plan answers it: links that are redirected
for good, and those in another spelling (http, another host of the site, capitals, an
index file, a noise parameter). All other bytes stay as they are, also in JSON, in
dumps of databases and in serialised values, whose lengths are made right. What a file
is shows in its name and its content; FORM:PATH says it (html, css, json, xml,
markdown, text, sql, php).

Prints what would change. --write changes it, and keeps each file beside the new one
under a dated name; --undo puts back what the last run wrote. Links to addresses that
are gone, unknown, or redirected for now are told and stay. See docs/relink.md.`,
		RunE: func(_ *cobra.Command, paths []string) error { return r.run(paths) },
	}
	c.Flags().StringVar(&r.base, "base", "", "the paths stand at `URL` on the site, so that relative links lead somewhere")
	c.Flags().BoolVar(&r.absolute, "absolute", false, "write all links with scheme and host")
	c.Flags().BoolVar(&r.root, "root", false, "write all links from the root, as /routes")
	c.Flags().BoolVar(&r.write, "write", false, "write the files")
	c.Flags().BoolVar(&r.undo, "undo", false, "put back what the last run wrote")
	c.Flags().BoolVar(&r.check, "check", false, "exit with 1 while there is a link to change")
	c.Flags().BoolVar(&r.all, "all", false, "print every finding, not five of each kind")
	return c
}

func (r *relinking) run(paths []string) error {
	journal := r.in(relink.JournalFile)
	switch {
	case r.undo && (len(paths) > 0 || r.write || r.check):
		return errors.New("--undo stands alone: it knows what the last run wrote")
	case r.undo:
		return r.takeBack(journal)
	case len(paths) == 0:
		return errors.New("name the files or folders in which links are")
	case r.absolute && r.root:
		return errors.New("--absolute and --root contradict each other")
	case r.write && r.check:
		return errors.New("--write and --check contradict each other")
	}
	p, _, err := r.load()
	if err != nil {
		return err
	}
	var base *address.Address
	if r.base != "" {
		at, err := address.Resolve(p.Site.Origin, r.base)
		if err != nil {
			return fmt.Errorf("--base: %w", err)
		}
		if !p.Site.Has(at.Host) {
			return fmt.Errorf("--base: %s is not one of the site's hosts", at.Host)
		}
		base = &at
	}
	way := relink.AsWritten
	if r.absolute {
		way = relink.Absolute
	} else if r.root {
		way = relink.Root
	}
	r.journal = relink.NewJournal(journal, r.now)
	r.paint = r.app.paint(r.stdout)
	linker := relink.New(p, way)
	if err := r.journal.Known(linker); err != nil {
		return unfinished{err}
	}
	for _, path := range paths {
		form, file := source.Told(path, relink.Forms())
		if err := linker.Files(file, form, base, r.document); err != nil {
			var of *fs.PathError
			if errors.As(err, &of) && r.summary.Files == 0 {
				return finding.Unreadable(finding.Place{File: file}, of.Err.Error(), "check the name")
			}
			return unfinished{fmt.Errorf("reading %s: %w", file, err)}
		}
	}
	return r.tell()
}

// document takes up one file, and writes it if that was asked for.
func (r *relinking) document(d relink.Document) error {
	r.summary.Add(&d)
	r.found = append(r.found, d.Findings()...)
	if !d.Changed() {
		return nil
	}
	item := relinked{File: d.Path, Form: d.Form}
	for _, link := range d.Links {
		if link.Reason.Changes() {
			item.Changes = append(item.Changes, linkChanged{link.Line, link.Column, link.From, link.To, link.Reason})
		}
	}
	r.documents = append(r.documents, item)
	if !r.write {
		writeDifference(&r.differences, r.paint, bool(r.paint) || term.IsTerminal(r.stdout), d)
		return nil
	}
	if _, err := r.journal.Write(d); err != nil {
		r.found = append(r.found, d.Unwritten(err))
		return nil
	}
	r.written++
	return nil
}

// shownSwaps is how many changes are listed, the most frequent ones.
const shownSwaps = 10

// tell prints what was done, or would be.
func (r *relinking) tell() error {
	out := report{columns: []string{"times", "from", "to"}, name: "changes", findings: r.found}
	frequent := r.summary.MostFrequent(shownSwaps)
	for _, f := range frequent {
		out.rows = append(out.rows, []string{fmt.Sprint(f.Times), address.Printable(f.From), address.Printable(f.To)})
	}
	if r.documents == nil {
		r.documents = []relinked{}
	}
	out.items = frequent
	out.more = map[string]any{"files": r.documents}
	out.counts = []count{{"files", "files", r.summary.Files}, {"changed_files", "of them with links to change", r.summary.Changed},
		{"changed_links", "links to change", r.summary.Links}}
	if r.write {
		out.counts[1].words, out.counts[2].words = "of them with changed links", "changed links"
		out.counts = append(out.counts, count{"written", "written", r.written})
	}
	for _, reason := range slices.Sorted(maps.Keys(r.summary.Reasons)) {
		if reason.Changes() {
			out.counts = append(out.counts, count{string(reason), string(reason), r.summary.Reasons[reason]})
		}
	}
	for _, form := range slices.Sorted(maps.Keys(r.summary.Forms)) {
		out.counts = append(out.counts, count{string(form), "in " + string(form), r.summary.Forms[form]})
	}
	out.shown = firstOfEach(r.found, r.all)
	if r.format == "table" && !r.quiet {
		if r.differences.Len() > 0 {
			r.differences.WriteByte('\n')
		}
		if _, err := io.Copy(r.stdout, &r.differences); err != nil {
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
func writeDifference(b *bytes.Buffer, paint term.Paint, person bool, d relink.Document) {
	_, _ = fmt.Fprintf(b, "%s\n%s\n", paint.Bold("--- "+d.Path), paint.Bold("+++ "+d.Path))
	hunks, ok := d.Hunks()
	if !ok {
		_, _ = fmt.Fprintln(b, "(too long to be shown line by line)")
	}
	colors := map[byte]func(string, bool) string{'-': paint.Old, '+': paint.New,
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
			if !bytes.HasSuffix(line.Text, []byte("\n")) {
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
