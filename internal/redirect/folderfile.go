package redirect

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/folderfile"
)

// ReadFolderFile appends the redirects of a per-folder file of Apache httpd, those of one address and those that are exactly
// a pattern. The others become findings, each with its line.
func (l *List) ReadFolderFile(file string, text []byte, site folderfile.Habits) ([]finding.Finding, error) {
	read, err := folderfile.Read(file, text)
	if err != nil {
		return nil, finding.Unreadable(finding.Place{File: file}, err.Error(), "look at its text")
	}
	rows, unread := read.Rows(site)
	var found []finding.Finding
	no := func(line int, text, why string) {
		found = append(found, finding.Finding{Code: finding.UnreadRule, Severity: finding.Warning,
			Where: finding.Place{File: file, Line: line}, What: address.Printable(text) + ": " + address.Printable(why),
			Advice: "write its rows yourself, if they are wanted, or leave it where it is"})
	}
	for _, u := range unread {
		no(u.Line, u.Text, u.Why)
	}
	number := l.file(file)
	for _, r := range rows {
		query := ""
		if r.Drop {
			query = "drop"
		}
		written := fields{from: r.From, to: r.To, status: strconv.Itoa(r.Status), query: query, class: r.Class}
		var row Redirect
		if problem := written.parse(&row, l.Site); problem != nil {
			no(r.Line, r.From+" to "+r.To, strings.TrimSuffix(problem.What, "."))
			continue
		}
		if r.Class != "" {
			row.SetNote("class", r.Class)
			l.addColumn("class")
		}
		kept := l.record(&row)
		kept.line, kept.file = uint32(r.Line), number
		l.addExtra(l.Len(), row.Pattern, row.notes)
		l.records.add(kept)
	}
	slices.SortStableFunc(found, func(a, b finding.Finding) int { return cmp.Compare(a.Where.Line, b.Where.Line) })
	return found, nil
}
