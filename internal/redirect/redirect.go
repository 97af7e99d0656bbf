// Package redirect holds the redirects that a person wrote: reading them,
// finding the one that a request meets, and checking that they make sense
// together.
package redirect

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/table"
)

// Row is one redirect: from an address to a page, to an address, or to nothing
// when what was there is gone.
type Row struct {
	Source
	From   string        // as written
	To     string        // as written
	Page   inventory.Ref // the target, when it is a page
	Target address.Address
	Status int  // 301, 302, 303, 307, 308 or 410; 0 when not written: permanent
	Drop   bool // the request's parameters don't travel
	File   string
	Line   int

	notes map[string]string // further columns, as far as they hold something
}

// ToPage reports whether the target is a page.
func (r Row) ToPage() bool { return r.Page != inventory.Ref{} }

// Gone reports whether the row says that nothing is there any more.
func (r Row) Gone() bool { return r.Status == 410 }

// usualNames are those that the columns of a list go by elsewhere.
func usualNames() map[string][]string {
	return map[string][]string{
		"from":   {"old", "old url", "old address", "source url", "source address", "redirect from", "request"},
		"to":     {"new", "new url", "new address", "target", "target url", "destination", "destination url", "redirect to", "location"},
		"status": {"code", "status code", "type", "http status", "http code"},
	}
}

// headless returns the columns of a list whose first row is no header: it
// begins with a path or an address, and none of its fields is a column's name.
func headless(first []string) []string {
	if len(first) < 2 || len(first) > 3 || !strings.HasPrefix(first[0], "/") && !strings.Contains(first[0], "://") {
		return nil
	}
	return []string{"from", "to", "status"}[:len(first)]
}

// Read reads a table with the columns from, to, status and, if it likes,
// reason, query, source, since. The first three are also known by their usual
// names elsewhere, and a list of two or three columns needs no header. Rows that
// can't be read become findings.
func Read(file string, r io.Reader, site address.Site) ([]Row, []finding.Finding, error) {
	sheet, found, err := table.ReadHeadless(file, r, headless)
	if err != nil {
		return nil, nil, err
	}
	for _, column := range []string{"from", "to", "status"} {
		sheet.Take(column, usualNames()[column])
	}
	if err := sheet.Require("from", "to"); err != nil {
		return nil, nil, err
	}
	var rows []Row
	for _, record := range sheet.Rows {
		row, bad := readRow(record, site)
		if bad != nil {
			bad.Where = finding.Place{File: file, Line: record.Line}
			found = append(found, *bad)
			continue
		}
		row.File = file
		rows = append(rows, row)
	}
	return rows, found, nil
}

func readRow(record table.Row, site address.Site) (Row, *finding.Finding) {
	f := record.Get
	as := func(code, format string, args ...any) *finding.Finding {
		what, advice, _ := strings.Cut(fmt.Sprintf(format, args...), "; ")
		finding := table.BadRow("", 0, what, advice)
		finding.Code = code
		return &finding
	}
	bad := func(format string, args ...any) *finding.Finding { return as("bad-row", format, args...) }
	row := Row{From: f("from"), To: f("to"), Line: record.Line}
	for _, name := range []string{"reason", "source", "since"} {
		if text := f(name); text != "" {
			if row.notes == nil {
				row.notes = map[string]string{}
			}
			row.notes[name] = text
		}
	}
	var err error
	if row.Source, err = ReadSource(f("from"), site); err != nil {
		return row, as("unreachable-source", "from: %v; write a path, or an address on one of the site's hosts", err)
	}
	if f("status") != "" {
		if row.Status, err = strconv.Atoi(f("status")); err != nil || !ValidStatus(row.Status) {
			return row, bad("%q is no status of a redirect; write 301, 302, 303, 307, 308 or 410", address.Printable(f("status")))
		}
	}
	switch f("query") {
	case "", "keep":
	case "drop":
		row.Drop = true
	default:
		return row, bad("query: %q; write keep or drop", address.Printable(f("query")))
	}
	switch {
	case row.Gone() && row.To != "":
		return row, as("wrong-status", "410 says that the page is gone, but there is a target; leave the target empty or write 301")
	case row.Gone():
	case row.To == "":
		return row, as("wrong-status", "there is no target; write one, or the status 410")
	default:
		page, fragment, _ := strings.Cut(row.To, "#")
		if ref, ok := inventory.ParseRef(page); ok {
			row.Page, row.Target.Fragment = ref, fragment
			break
		}
		if strings.HasPrefix(row.To, "//") || strings.HasPrefix(row.To, "/\\") {
			return row, as("unsafe-target", "to: %s names a host without saying so, and browsers go there; write https:// in front, or one slash", address.Printable(row.To))
		}
		if row.Target, err = address.Resolve(site.Origin, row.To); err != nil {
			return row, as("unsafe-target", "to: %v; write key@language, a path, or an http(s) address", err)
		}
	}
	return row, nil
}

// ValidStatus reports whether a redirect may carry the status.
func ValidStatus(status int) bool {
	switch status {
	case 301, 302, 303, 307, 308, 410:
		return true
	}
	return false
}

// Temporary reports whether the status is one that says "for now".
func Temporary(status int) bool { return status == 302 || status == 303 || status == 307 }

// ReadSource reads where a redirect starts: a path, which stands for itself on
// all the site's hosts, or an address on one of them.
func ReadSource(s string, site address.Site) (Source, error) {
	a, err := address.Resolve(site.Origin, s)
	if err != nil {
		return Source{}, err
	}
	if a.Fragment != "" {
		return Source{}, fmt.Errorf("%s has a fragment, which no request carries", address.Printable(s))
	}
	if address.Unsafe(a.Path) {
		return Source{}, fmt.Errorf("%s has an encoded slash, backslash or control character, which no rule matches", address.Printable(s))
	}
	source := SourceOf(a)
	if strings.HasPrefix(s, "/") {
		source.Host = ""
	} else if !site.Has(a.Host) {
		return Source{}, fmt.Errorf("%s is not on one of the site's hosts", address.Printable(s))
	}
	return source, nil
}
