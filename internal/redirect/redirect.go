// Package redirect holds the redirects that a person wrote: reading them,
// finding the one that a request meets, and checking that they make sense
// together.
package redirect

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/resolve"
	"young-compass/internal/route"
	"young-compass/internal/table"
)

// Redirect leads from an address, or from all that a pattern reads, to a
// page, to an address, or to nothing when what was there is gone.
type Redirect struct {
	route.Source                // empty for a pattern
	Pattern      *route.Pattern // nil for one address
	From         string         // as written
	To           string         // as written
	Page         inventory.Ref
	Target       address.Address // with Page its fragment alone; empty for a pattern
	Status       int             // 301, 302, 303, 307, 308 or 410; 0 when not written: permanent
	Drop         bool            // the request's parameters don't travel
	File         string
	Line         int

	notes []note
}

// note is what a row says in a further column.
type note struct{ column, text string }

// ToPage reports whether the target is a page.
func (r Redirect) ToPage() bool { return r.Page != inventory.Ref{} }

// Gone reports whether the row says that nothing is there any more.
func (r Redirect) Gone() bool { return r.Status == 410 }

// Note returns what a row says in a further column.
func (r Redirect) Note(column string) string {
	if column == "query" {
		if r.Drop {
			return "drop"
		}
		return ""
	}
	for _, n := range r.notes {
		if n.column == column {
			return n.text
		}
	}
	return ""
}

// SetNote says something in a further column.
func (r *Redirect) SetNote(column, text string) {
	r.notes = slices.DeleteFunc(slices.Clone(r.notes), func(n note) bool { return n.column == column })
	r.notes = append(r.notes, note{column, text})
}

// Place returns where the row stands.
func (r Redirect) Place() finding.Place { return finding.Place{File: r.File, Line: r.Line} }

// Cause names the row as the cause of an answer.
func (r Redirect) Cause() resolve.Cause {
	to := "gone"
	if !r.Gone() {
		to = "to " + r.To
	}
	return resolve.Cause{File: r.File, Line: r.Line, Rule: "redirect from " + r.From + " " + to}
}

// goal says target and status in words, equal exactly for rows that agree.
func (r Redirect) goal() string {
	how := " (" + strconv.Itoa(cmp.Or(r.Status, 301)) + ")"
	if r.Drop {
		how = how[:len(how)-1] + ", query: drop)"
	}
	switch {
	case r.Gone():
		return "nothing (410)"
	case r.ToPage(), r.Pattern != nil:
		return r.To + how
	}
	return r.Target.String() + how
}

// fields are the columns of a row that say where it leads from and to.
type fields struct{ from, to, status, query, class string }

// problem makes a finding of a text "what; advice".
func problem(code finding.Code, format string, args ...any) *finding.Finding {
	what, advice, _ := strings.Cut(fmt.Sprintf(format, args...), "; ")
	f := table.BadRow("", 0, what, advice)
	f.Code = code
	return &f
}

// held returns an address or a template as a file of a project can hold it: with control characters beyond ASCII
// (U+0080 to U+009F) encoded, as browsers send them.
func held(text string) string {
	hidden := func(r rune) bool { return r >= 0x80 && r < 0xa0 }
	if !strings.ContainsFunc(text, hidden) {
		return text
	}
	var b strings.Builder
	for _, r := range text {
		if hidden(r) {
			fmt.Fprintf(&b, "%%C2%%%02X", r)
		} else {
			b.WriteRune(r)
		}
	}
	return b.String()
}

// parse reads a row, or says what is wrong with it.
func (f *fields) parse(row *Redirect, site address.Site) *finding.Finding {
	f.from, f.to = held(f.from), held(f.to)
	*row = Redirect{From: f.from, To: f.to}
	bad := problem
	pattern := strings.IndexByte(f.from, '{') >= 0
	var err error
	if !pattern {
		if row.Source, err = route.ReadSource(f.from, site); err != nil {
			return bad(finding.UnreachableSource, "from: %v; write a path, or an address on one of the site's hosts",
				err)
		}
	}
	switch f.status {
	case "":
	case "301":
		row.Status = 301
	default:
		if row.Status, err = strconv.Atoi(f.status); err != nil || !resolve.ValidStatus(row.Status) {
			return bad(finding.BadRow, "%q is not a status of a redirect; write 301, 302, 303, 307, 308 or 410",
				address.Printable(f.status))
		}
	}
	switch f.query {
	case "", "keep":
	case "drop":
		row.Drop = true
	default:
		return bad(finding.BadRow, "query: %q; write keep or drop", address.Printable(f.query))
	}
	switch {
	case row.Gone() && f.to != "":
		return bad(finding.WrongStatus, "410 says that the page is gone, but there is a target; leave the target "+
			"empty or write 301")
	case row.Gone() && pattern:
		return bad(finding.BadRow, "a pattern can't say that pages are gone; list their addresses, or lead it to "+
			"another page")
	case row.Gone():
		return nil
	case f.to == "":
		return bad(finding.WrongStatus, "there is no target; write one, or the status 410")
	}
	if strings.HasPrefix(f.to, "//") || strings.HasPrefix(f.to, "/\\") {
		return bad(finding.UnsafeTarget, "to: %s names a host without saying so, and browsers go there; write "+
			"https:// in front, or one slash", address.Printable(f.to))
	}
	if path, _, _ := strings.Cut(f.to, "?"); pattern || strings.IndexByte(path, '{') >= 0 {
		classes, err := route.ParseClasses(f.class)
		if err != nil {
			return bad(finding.BadRow, "class: %v; write such as id=digits", err)
		}
		var wrong *route.PatternError
		if row.Pattern, err = route.NewPattern(f.from, f.to, classes, site); errors.As(err, &wrong) && wrong.Unsafe {
			return bad(finding.UnsafeTarget, "%v", err)
		} else if err != nil {
			return bad(finding.BadRow, "%v", err)
		}
		return nil
	}
	if breaks(f.to) {
		return bad(finding.UnsafeTarget, "to: %s holds an encoded line's end or zero byte, with which headers are forged; "+
			"take it out", address.Printable(f.to))
	}
	row.Page, row.Target, err = readTarget(f.to, site)
	if err != nil {
		return bad(finding.UnsafeTarget, "to: %v; write key@language, a path, or an http(s) address", err)
	}
	return nil
}

// breaks reports whether a target holds %0D, %0A or %00: a server that decodes it would send a header of somebody else's,
// or half an address.
func breaks(to string) bool {
	small := strings.ToLower(to)
	return strings.Contains(small, "%0d") || strings.Contains(small, "%0a") || strings.Contains(small, "%00")
}

// readTarget reads where a redirect leads: a page, of which the address holds
// the fragment alone, or an address.
func readTarget(to string, site address.Site) (inventory.Ref, address.Address, error) {
	if to[0] != '/' {
		page, fragment, _ := strings.Cut(to, "#")
		if ref, ok := inventory.ParseRef(page); ok {
			return ref, address.Address{Fragment: fragment}, nil
		}
	}
	a, err := address.Resolve(site.Origin, to)
	return inventory.Ref{}, a, err
}
