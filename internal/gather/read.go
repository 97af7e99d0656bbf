package gather

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"path"
	"slices"
	"strings"
	"unicode"

	"young-compass/internal/accesslog"
	"young-compass/internal/address"
	"young-compass/internal/feed"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
	"young-compass/internal/inventory"
	"young-compass/internal/page"
	"young-compass/internal/propose"
	"young-compass/internal/sitefile"
	"young-compass/internal/source"
	"young-compass/internal/table"
)

// Read reads a source. Its form is told from its content when form is empty.
// It returns the sitemaps that an index names. Errors are a *finding.Input, or
// those of r.
func (g *Gatherer) Read(name string, form source.Form, r io.Reader) (parts []string, err error) {
	text, done, err := source.Unpack(name, r)
	if err != nil {
		return nil, err
	}
	defer done()
	sample, err := text.Peek(source.SampleSize)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, located(name, err)
	}
	if len(strings.TrimSpace(string(sample))) == 0 {
		return nil, finding.Unreadable(finding.Place{File: name}, "the file is empty",
			"name a table, a feed, a sitemap, a log or a page")
	}
	if form == "" {
		form = source.Detect(sample)
	}
	s := g.begin(name, form)
	bad := len(g.found)
	switch form {
	case source.Table:
		err = g.readTable(s, text)
	case source.List:
		err = g.readList(s, text)
	case source.Feed:
		err = g.readFeed(s, text)
	case source.Sitemap:
		parts, err = g.readSitemap(s, text)
	case source.Log:
		err = g.readLog(s, text)
	case source.Robots:
		err = g.readRobots(s, text)
	case source.Folder:
		err = g.readFolderFile(s, text)
	case source.HTML:
		err = g.readPage(name, (&url.URL{Path: "/" + path.Base(name)}).EscapedPath(), text)
	default:
		err = fmt.Errorf("%q is not a form of a source", form)
	}
	if err == nil && s.Records == 0 && s.Log == nil && form != source.Robots && len(parts) == 0 && len(g.found) == bad {
		err = finding.Unreadable(finding.Place{File: name}, "there is nothing in it but its head",
			"export it again with its rows or entries")
	}
	return parts, located(name, err)
}

// located names the file in an error that doesn't.
func located(name string, err error) error {
	var input *finding.Input
	if err == nil || errors.As(err, &input) {
		if input != nil && input.Finding.Where.File == "" {
			input.Finding.Where.File = name
		}
		return err
	}
	return fmt.Errorf("reading %s: %w", name, err)
}

// readTable reads a table: columns are found by their usual names.
func (g *Gatherer) readTable(s *Summary, r io.Reader) error {
	sheet, found, err := table.Read(s.Source, r)
	if err != nil {
		return err
	}
	g.found = append(g.found, found...)
	return g.takeTable(s, sheet)
}

// ReadRows reads what a query of a database brought, as a table, and what is wrong with
// rows of it. Errors are a *finding.Input.
func (g *Gatherer) ReadRows(sheet *table.Table, bad []finding.Finding) error {
	g.found = append(g.found, bad...)
	return g.takeTable(g.begin(sheet.File, source.Table), sheet)
}

// takeTable takes up the rows of a table.
func (g *Gatherer) takeTable(s *Summary, sheet *table.Table) (err error) {
	if w := wideColumns(sheet); w != nil && len(g.Columns) == 0 {
		if s.Columns, err = rename(sheet, nil); err != nil {
			return finding.Unreadable(finding.Place{File: s.Source, Line: 1}, err.Error(), "")
		}
		g.takeWide(s, sheet, w)
		return nil
	}
	if s.Columns, err = rename(sheet, g.Columns); err != nil {
		return finding.Unreadable(finding.Place{File: s.Source, Line: 1}, err.Error(), "")
	}
	if !slices.Contains(sheet.Columns, "key") && !slices.Contains(sheet.Columns, "address") {
		return finding.Unreadable(finding.Place{File: s.Source, Line: 1}, "no column names pages or addresses",
			"say which it is: --column address=NAME; the columns are: "+address.Printable(strings.Join(sheet.Columns[:min(20,
				len(sheet.Columns))], ", ")))
	}
	g.fields[len(g.fields)-1].add(slices.DeleteFunc(slices.Clone(sheet.Columns),
		func(name string) bool { return name == "address" })...)
	for _, column := range []string{"date", "modified"} {
		if said := table.ISODates(sheet.Cells(column)); said != "" {
			g.found = append(g.found, finding.Finding{Code: finding.AmbiguousDate, Severity: finding.Warning,
				Where: finding.Place{File: s.Source, Line: 1},
				What: fmt.Sprintf("the dates of the column %s, such as %s, can be read in two ways: they stay as they are",
					column, said),
				Advice: "write them as 2026-11-23"})
		}
	}
	for _, row := range sheet.Rows {
		f := row.Get
		r, ok := g.rowRecord(s, row, f, f("key"), f("language"), f("address"))
		if !ok {
			continue
		}
		for _, name := range sheet.Columns {
			if name != "key" && name != "language" && name != "address" && name != "state" {
				r.fields = append(r.fields, field{name, f(name)})
			}
		}
		g.add(r)
	}
	return nil
}

// rowRecord begins the record of a row, or says what is wrong with it.
func (g *Gatherer) rowRecord(s *Summary, row table.Row, f func(string) string, key, language,
	address string) (r record, ok bool) {
	key, language = strings.TrimSpace(table.Clean(key)), strings.TrimSpace(table.Clean(language))
	if key != "" && !names(key, language) {
		said := fmt.Sprintf("key %q", key)
		if names(key, "") {
			said += fmt.Sprintf(" with language %q", language)
		}
		g.found = append(g.found, table.BadRow(s.Source, row.Line, said+" names no page",
			"write it without @ / : ? # or spaces, and without = + or - at its beginning"))
		return r, false
	}
	state, reason := g.state(f("state"))
	if reason != "" {
		g.Ignore(reason, cmp.Or(address, f("title"), key), row.Line)
		return r, false
	}
	if state == "?" {
		g.found = append(g.found, table.BadRow(s.Source, row.Line, fmt.Sprintf("%q is not a state", f("state")),
			fmt.Sprintf("say live, draft, away or gone; or what it means: --state '%s=draft'",
				strings.ReplaceAll(f("state"), "'", ""))))
		return r, false
	}
	return record{line: int32(row.Line), address: address,
		said: &said{key: key, language: language, fields: []field{{"state", state}}}}, true
}

// names reports whether a key, and a language if there is one, can name a page in every file of a project.
func names(key, language string) bool {
	for _, word := range []string{key, language} {
		if table.GuardText(word) != word || strings.ContainsFunc(word, func(r rune) bool {
			return unicode.IsSpace(r) || address.Hidden(r)
		}) {
			return false
		}
	}
	_, ok := inventory.ParseRef(key + "@" + cmp.Or(language, "x"))
	return ok
}

// readList reads addresses, one a line.
func (g *Gatherer) readList(s *Summary, r io.Reader) error {
	return source.Lines(s.Source, r, func(line int, text string) {
		g.add(record{line: int32(line), address: text, said: &said{}})
	})
}

func (g *Gatherer) readFeed(s *Summary, r io.Reader) error {
	return feed.Read(s.Source, r, func(e feed.Item) error {
		if reason := e.NoPage(); reason != "" {
			g.Ignore(reason, cmp.Or(e.Link, e.Title, e.ID), e.Line)
			return nil
		}
		state, reason := g.state(e.Status)
		switch {
		case reason != "":
			g.Ignore(reason, cmp.Or(e.Link, e.Title, e.ID), e.Line)
			return nil
		case e.Draft:
			state = string(inventory.Draft)
		case state == "" || state == "?":
			state = string(inventory.Live)
		}
		for i, c := range e.Categories {
			e.Categories[i] = strings.TrimSpace(strings.ReplaceAll(c, "/", " "))
		}
		g.add(record{line: int32(e.Line), address: e.Link, said: &said{language: e.Language, id: e.ID,
			fields: []field{{"title", e.Title}, {"state", state}, {"date", e.Date},
				{"categories", strings.Join(e.Categories, "/")}, {"guid", e.ID}, {"slug", e.Slug}, {"kind", e.Kind}}}})
		return nil
	})
}

func (g *Gatherer) readSitemap(s *Summary, r io.Reader) ([]string, error) {
	m, err := sitefile.ReadSitemap(s.Source, r, func(u sitefile.URL) error {
		modified, _, _ := strings.Cut(u.Modified, "T")
		record := record{line: int32(u.Line), address: u.Location, said: &said{
			fields: []field{{"modified", modified}, {"images", strings.Join(u.Images, " ")}}}}
		for _, a := range u.Alternates {
			record.alternates = append(record.alternates, alternate{a.Language, a.Location})
		}
		g.add(record)
		return nil
	})
	return m.Parts, err
}

func (g *Gatherer) readLog(s *Summary, r io.Reader) error {
	log, err := accesslog.Read(s.Source, r)
	if err != nil {
		return err
	}
	s.Log = &LogSummary{Lines: log.Lines, Malformed: log.Malformed, Empty: log.Empty, Samples: log.Samples,
		Parameters: []Parameter{}}
	g.logs = append(g.logs, logged{len(g.summaries) - 1, log})
	return nil
}

// readRobots reads robots.txt: it lists no pages, but names scripts and where the sitemaps are.
func (g *Gatherer) readRobots(s *Summary, r io.Reader) error {
	return source.Lines(s.Source, r, func(line int, text string) {
		key, value, _ := strings.Cut(text, ":")
		value, _, _ = strings.Cut(value, "#")
		value = strings.TrimSpace(value)
		switch strings.ToLower(strings.TrimSpace(key)) {
		case "allow", "disallow":
			if strings.HasPrefix(value, "/") && !strings.ContainsAny(value, "*$") && len(g.asked) < maxAsked {
				g.asked = append(g.asked, value)
			}
		case "sitemap":
			if a, err := address.Parse(value); err == nil {
				g.sitemaps = append(g.sitemaps, a)
			}
		}
	})
}

// readFolderFile reads the redirects of a per-folder file: where each leads is the page of its address.
func (g *Gatherer) readFolderFile(s *Summary, r io.Reader) error {
	text, err := io.ReadAll(io.LimitReader(r, folderfile.MaxSize+1))
	if err != nil {
		return err
	}
	file, err := folderfile.Read(s.Source, text)
	if err != nil {
		return finding.Unreadable(finding.Place{File: s.Source}, err.Error(), "look at its text")
	}
	rows, unread := file.Rows(folderfile.HabitsOf(g.Settings.Paths))
	for _, row := range rows {
		switch {
		case strings.ContainsAny(row.From, "{}"):
			g.Ignore("a redirect by pattern", row.From+" to "+row.To, row.Line)
		case row.Status == 410:
			g.add(record{line: int32(row.Line), address: row.From, said: &said{fields: []field{{"state", string(inventory.Gone)}}}})
		default:
			g.add(record{line: int32(row.Line), address: row.From, said: &said{canonical: row.To}})
		}
	}
	for _, u := range unread {
		g.Ignore("a rule that is no row of a list", u.Text, u.Line)
	}
	return nil
}

// readPage reads one HTML page that stands at a path of the site.
func (g *Gatherer) readPage(file, at string, r io.Reader) error {
	signals, err := page.Read(r, "")
	if err != nil {
		return err
	}
	g.AddPage(file, at, signals)
	return nil
}

// AddPage adds what a page says of itself; at is its address, or a path.
func (g *Gatherer) AddPage(file, at string, signals page.Signals) {
	heading := ""
	if len(signals.Headings) > 0 {
		heading = signals.Headings[0]
	}
	title := signals.Title
	if title == "" {
		title = heading
	}
	r := record{address: at, said: &said{file: file, language: signals.Language, canonical: signals.Canonical(),
		fields: []field{{"title", title}, {"heading", heading}, {"robots", signals.Robots}}}}
	for _, a := range signals.Alternates {
		r.alternates = append(r.alternates, alternate{a.Language, a.Link})
	}
	if len(signals.Text.Runs) >= leastText {
		r.text = signals.Text.All()
	}
	g.ask(at, signals)
	g.add(r)
}

// leastText is how many runs of words a page must have before another with the same text is taken for it.
const leastText = 12

// maxAsked bounds what is kept of forms.
const maxAsked = 10000

// ask notes where the forms of a page are sent, and the scripts that it links to, as far as they are on its site.
func (g *Gatherer) ask(at string, signals page.Signals) {
	base, err := address.Resolve(address.Address{Scheme: "https", Host: propose.Nowhere, Path: "/"}, at)
	if err != nil {
		return
	}
	for _, form := range signals.Forms {
		if to, err := address.Reference(base, form); err == nil && to.Host == base.Host && len(g.asked) < maxAsked {
			g.asked = append(g.asked, to.Path)
		}
	}
	for _, link := range signals.Links {
		if to, err := address.Reference(base, link); err == nil && to.Host == base.Host && address.Script(to.Path) &&
			len(g.linked) < maxAsked {
			g.linked = append(g.linked, to.Path)
		}
	}
}

// BeginSite starts a source whose pages AddPage brings.
func (g *Gatherer) BeginSite(name string) { g.begin(name, source.Site) }

// AddMoved adds an address that was seen to redirect to another.
func (g *Gatherer) AddMoved(at, to string) {
	g.add(record{address: at, said: &said{canonical: to}})
}

// Ignore counts a record of the last source that can't be used: its address or title, and its line if it has one.
func (g *Gatherer) Ignore(reason, record string, line int) {
	s := g.summaries[len(g.summaries)-1]
	s.Records++
	g.ignore(s, reason, record, line)
}

// ReadFolder reads the HTML pages of a folder; their paths in it are their
// paths on the site. Other files are counted as ignored, and so are links,
// since they may lead outside.
func (g *Gatherer) ReadFolder(name string, folder fs.FS) error {
	g.begin(name, source.HTML)
	err := source.Pages(name, folder, func(file string, text io.Reader) error {
		return g.readPage(path.Join(name, file), (&url.URL{Path: "/" + file}).EscapedPath(), text)
	}, func(file, why string) { g.Ignore(why, file, 0) })
	if err != nil {
		return located(name, err)
	}
	if g.summaries[len(g.summaries)-1].Records == 0 {
		return finding.Unreadable(finding.Place{File: name}, "the folder is empty", "name a folder of HTML files")
	}
	return nil
}
