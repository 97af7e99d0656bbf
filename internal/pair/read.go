package pair

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"net/url"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/accesslog"
	"young-compass/internal/address"
	"young-compass/internal/feed"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/sitefile"
	"young-compass/internal/source"
	"young-compass/internal/table"
)

// maxText is how much of a page's text is looked at, in bytes.
const maxText = 20 << 10

// usualNames are those that the columns of a table of pages go by elsewhere.
func usualNames() []source.Usual {
	return append(source.UsualNames(),
		source.Usual{Column: "heading", Names: []string{"h1", "main heading"}},
		source.Usual{Column: "visits", Names: []string{"visitors", "hits", "views", "page views", "pageviews",
			"clicks", "sessions", "requests", "besuche", "aufrufe"}},
		source.Usual{Column: "text", Names: []string{"body", "content", "description", "summary", "excerpt"}})
}

// reader collects the pages of a file. Paths stand on the base.
type reader struct {
	file  string
	base  address.Address
	pages []Page
	found []finding.Finding
}

// Read reads the pages of one side from a table, a list of addresses, a sitemap, a feed, or an access log, packed or
// not; paths stand on the site at base. What can't be read
// as an address becomes a finding. Errors are a *finding.Input, or those of r.
func Read(file string, r io.Reader, base address.Address) ([]Page, []finding.Finding, error) {
	text, done, err := source.Unpack(file, r)
	if err != nil {
		return nil, nil, err
	}
	defer done()
	sample, err := text.Peek(64 << 10)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, nil, fmt.Errorf("reading %s: %w", file, err)
	}
	p := &reader{file: file, base: base}
	form := source.Detect(sample)
	if first, _, _ := strings.Cut(string(sample), "\n"); form == source.Table && strings.HasPrefix(first, "/") &&
		!strings.ContainsAny(first, ",;\t") {
		form = source.List // of paths
	}
	switch form {
	case source.Table:
		err = p.table(text)
	case source.List:
		err = source.Lines(file, text, func(line int, at string) { p.add(line, at, Page{}) })
	case source.Feed:
		err = feed.Read(file, text, func(e feed.Item) error {
			p.add(0, e.Link, Page{Title: e.Title, Language: e.Language, Date: e.Date,
				Kind: strings.Join(e.Categories, "/")})
			return nil
		})
	case source.Log:
		err = p.log(text)
	case source.HTML:
		err = p.page(text)
	case source.Sitemap:
		var s sitefile.Sitemap
		s, err = sitefile.ReadSitemap(file, text, func(u sitefile.URL) error {
			p.add(u.Line, u.Location, Page{})
			return nil
		})
		if err == nil && len(s.Parts) > 0 {
			err = finding.Unreadable(finding.Place{File: file}, "this is an index of sitemaps, not a sitemap",
				"name the sitemaps that it lists")
		}
	default:
		err = finding.Unreadable(finding.Place{File: file}, "this is not a table, list, sitemap, feed or log",
			"gather it into a project, and name that")
	}
	if err == nil && len(p.pages)+len(p.found) == 0 {
		err = finding.Unreadable(finding.Place{File: file}, "there are no pages in it",
			"name a table with the column address")
	}
	return p.pages, p.found, err
}

// add adds a page at an address, or a finding where that is none.
func (p *reader) add(line int, at string, page Page) {
	var err error
	page.Line, page.Written = line, at
	if page.Address, err = address.Resolve(p.base, at); err != nil {
		p.found = append(p.found, table.BadRow(p.file, line, err.Error(), "write a path or an http(s) address"))
		return
	}
	page.Address.Fragment = ""
	p.pages = append(p.pages, page)
}

func (p *reader) table(r io.Reader) error {
	sheet, found, err := table.Read(p.file, r)
	if err != nil {
		return err
	}
	p.found = found
	for _, usual := range usualNames() {
		sheet.Take(usual.Column, usual.Names)
	}
	if err := sheet.Require("address"); err != nil {
		return err
	}
	for _, row := range sheet.Rows {
		if state := inventory.State(strings.ToLower(row.Get("state"))); state == inventory.Draft ||
			state == inventory.Gone {
			continue
		}
		page := Page{Language: row.Get("language"), Kind: row.Get("kind"), Title: row.Get("title"),
			Heading: row.Get("heading"), Text: cut(row.Get("text")), Date: row.Get("date")}
		if n, err := strconv.Atoi(row.Get("visits")); err == nil && n > 0 {
			page.Visits = n
		}
		if key := row.Get("key"); key != "" {
			page.IDs = []string{key}
		}
		p.add(row.Line, row.Get("address"), page)
	}
	return nil
}

// log adds the pages that visitors got, or that were missing, with how many visitors asked for each. Pictures, styles
// and scripts of pages are passed over.
func (p *reader) log(r io.Reader) error {
	log, err := accesslog.Read(p.file, r)
	if err != nil {
		return err
	}
	for _, target := range slices.Sorted(maps.Keys(log.Tallies)) {
		visitors := 0
		for _, h := range log.Tallies[target].ByStatus {
			if h.Status < 500 {
				visitors += h.Visitors
			}
		}
		path, _, _ := strings.Cut(target, "?")
		if visitors == 0 || slices.Contains(planfile.AssetSuffixes(), strings.ToLower(filepath.Ext(path))) {
			continue
		}
		if strings.HasPrefix(target, "//") { // a path (RFC 9112 section 3.2.1)
			target = p.base.Base() + target
		}
		p.add(0, target, Page{Visits: visitors})
	}
	return nil
}

// page adds the one page of an HTML file, at the file's name.
func (p *reader) page(r io.Reader) error {
	q, err := readPage(r)
	if err != nil {
		return err
	}
	p.add(0, (&url.URL{Path: "/" + filepath.Base(p.file)}).EscapedPath(), q)
	return nil
}

func cut(text string) string {
	if len(text) <= maxText {
		return text
	}
	return strings.ToValidUTF8(text[:maxText], "")
}

// OfPlan returns the pages of a project that have an address: the live ones and
// those that are away.
func OfPlan(p *plan.Plan) []Page {
	var pages []Page
	for i := range p.Pages.Pages {
		q := &p.Pages.Pages[i]
		a, ok := p.CurrentAddress(q.Ref)
		if !ok || q.State != inventory.Live && q.State != inventory.Away {
			continue
		}
		page := Page{Address: a, Written: a.Local(), Ref: q.Ref, Language: q.Language, Kind: q.Kind, Title: q.Title,
			Heading: q.Field("heading"), Text: cut(q.Field("text")), Date: q.Field("date"), Line: q.Line}
		page.IDs = []string{q.Key}
		pages = append(pages, page)
	}
	return pages
}
