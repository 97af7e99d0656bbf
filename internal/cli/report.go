package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	page "young-compass/internal/report"
	"young-compass/internal/safefile"
	"young-compass/internal/spelling"
	"young-compass/internal/store"
	"young-compass/internal/term"
)

// reporting is one run of report.
type reporting struct {
	*app
	title, figures string
	sections       []string
}

func (a *app) reportCommand() *cobra.Command {
	r := &reporting{app: a}
	c := &cobra.Command{
		Use:   "report",
		Short: "Show the owner the plan and the result: one page with all that was found",
		Long: `Reads files only. Works out what the site's owner asks first: is every old address
answered in one hop, does every duplicate resolve to one address, what share of
visits is safe, and what is to be done next. With --output it writes all of it as
one page that needs no network: the tree of addresses before and after, where old
addresses lead, what visits find, languages, parameters, hosts, the steps with
their evidence, and the findings, what costs most first. Tables that are too long
for the page are written into a folder beside it, as CSV.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return r.run() },
	}
	f := c.Flags()
	f.StringVar(&r.title, "title", "", "the page's `TITLE` (default the site's origin)")
	f.StringVar(&r.figures, "figures", "", "write the figures into `DIR` too, as SVG and PNG")
	f.StringArrayVar(&r.sections, "section", nil,
		"write the section `NAME` only; again for further ones: "+strings.Join(page.IDs(), ", "))
	_ = c.RegisterFlagCompletionFunc("section", cobra.FixedCompletions(page.IDs(), cobra.ShellCompDirectiveNoFileComp))
	return c
}

func (r *reporting) run() error {
	for _, id := range r.sections {
		if !slices.Contains(page.IDs(), id) {
			return fmt.Errorf("--section: %s is none; %s", address.Printable(id), spelling.Choices(id, page.IDs()))
		}
	}
	const less = 100 // a report holds all of a site at once: rather less memory than time
	defer debug.SetGCPercent(debug.SetGCPercent(less))
	e, found, err := r.evidence()
	if err != nil {
		return err
	}
	e.Judged = append(e.Judged, found...)
	in := page.Input{Title: r.title, Evidence: e}
	if in.Stopped, err = r.stopped(); err != nil {
		return err
	}
	bar := term.NewProgress(r.stderr, "sections", int64(len(page.IDs())), term.Plain)
	in.Each = func() { bar.Add(1) }
	made, err := page.Make(in, r.sections)
	bar.Done()
	if err != nil {
		return err
	}
	if r.output != "" && r.format == "table" {
		if err := r.writePage(made); err != nil {
			return err
		}
		r.output = "" // what follows is for the terminal
	}
	if r.figures != "" {
		if err := r.writeFigures(made); err != nil {
			return err
		}
	}
	return r.print(reportReport(made))
}

// stopped returns how many addresses a probe asked for that was broken off.
func (a *app) stopped() (answers int, err error) {
	if _, err := os.Stat(a.in(store.FileName)); errors.Is(err, fs.ErrNotExist) {
		return 0, nil
	}
	db, err := store.Open(a.project)
	if err != nil {
		return 0, unfinished{err}
	}
	answers, err = db.Stopped(a.now)
	if err = errors.Join(err, db.Close()); err != nil {
		return 0, unfinished{err}
	}
	return answers, nil
}

// writePage writes the page, and the tables beside it.
func (r *reporting) writePage(made *page.Report) error {
	folder := strings.TrimSuffix(r.output, filepath.Ext(r.output)) + "-tables"
	beside, err := made.Beside(filepath.Base(folder))
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := made.HTML(&b); err != nil {
		return err
	}
	files, err := r.into(folder, beside)
	if err != nil {
		return err
	}
	return r.writeAll(append(files, safefile.File{Path: r.output, Data: b.Bytes()})...)
}

func (r *reporting) writeFigures(made *page.Report) error {
	drawn, err := made.Figures()
	if err != nil {
		return err
	}
	files, err := r.into(r.figures, drawn)
	if err != nil {
		return err
	}
	return r.writeAll(files...)
}

// into returns files of a report as they are written into a folder, which is made if there are some.
func (r *reporting) into(folder string, list []page.File) (files []safefile.File, err error) {
	if len(list) == 0 {
		return nil, nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, unfinished{err}
	}
	for _, f := range list {
		files = append(files, safefile.File{Path: filepath.Join(folder, f.Name), Data: f.Data})
	}
	return files, nil
}

// answered is an answer of the report, as JSON.
type answered struct {
	Question string       `json:"question"`
	Verdict  page.Verdict `json:"verdict"`
	Figure   string       `json:"figure"`
	Text     string       `json:"text"`
	Seen     string       `json:"seen,omitempty"`
}

// todo is a thing to do next, as JSON.
type todo struct {
	What string       `json:"what"`
	Why  string       `json:"why,omitempty"`
	Do   string       `json:"do"`
	Code finding.Code `json:"code,omitempty"`
}

// part is a section of the report, as JSON: its tables are those of other commands too.
type part struct {
	ID      string   `json:"section"`
	Lead    string   `json:"lead"`
	Notes   []string `json:"notes,omitempty"`
	Missing string   `json:"filled_by,omitempty"`
}

func reportReport(made *page.Report) report {
	answers, next, parts := []answered{}, []todo{}, []part{}
	r := report{name: "answers", columns: []string{"question", "", "answer"}, more: map[string]any{}}
	for _, x := range made.Answers {
		answers = append(answers, answered(x))
		r.rows = append(r.rows, []string{x.Question, string(x.Verdict), x.Figure})
	}
	for _, x := range made.Next {
		next = append(next, todo{x.What, x.Why, x.Do, x.Code})
	}
	for _, s := range made.Sections {
		parts = append(parts, part{s.ID, s.Lead, s.Notes, s.Missing})
	}
	r.items, r.more["next"], r.more["sections"] = answers, next, parts
	r.text = func(w io.Writer, style term.Style) error {
		for _, x := range made.Answers {
			_, _ = fmt.Fprintf(w, "%s %s: %s\n    %s\n", style.Bold(x.Question), string(x.Verdict), style.Bold(x.Figure), x.Text)
			if x.Seen != "" {
				_, _ = fmt.Fprintf(w, "    %s\n", style.Dim(x.Seen))
			}
		}
		_, err := fmt.Fprintln(w)
		for i, x := range made.Next {
			_, err = fmt.Fprintf(w, "%d. %s\n    => %s\n", i+1, style.Bold(x.What), x.Do)
		}
		return err
	}
	return r
}
