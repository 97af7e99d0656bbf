package redirect

import (
	"bytes"
	"fmt"
	"iter"
	"runtime"
	"strconv"

	"young-compass/internal/address"
	"young-compass/internal/route"
	"young-compass/internal/table"
)

// Encode writes a list as a table. Targets are pages, paths on the site, or
// addresses; columns that hold nothing are left out, but for the first three. Long lists are written side by side.
func (l *List) Encode() []byte {
	columns := l.used()
	parts := make([]bytes.Buffer, runtime.GOMAXPROCS(0))
	parts[0].Grow(l.size(0, l.Len()))
	table.WriteHeader(&parts[0], columns)
	route.Parallel(l.Len(), func(part, from, to int) {
		if part > 0 {
			parts[part].Grow(l.size(from, to))
		}
		_ = table.WriteRecords(&parts[part], l.fields(columns, from, to)) // a bytes.Buffer doesn't fail
	})
	for i := range parts[1:] {
		_, _ = parts[i+1].WriteTo(&parts[0])
	}
	return parts[0].Bytes()
}

// size returns about how many bytes some of the rows are as text.
func (l *List) size(from, to int) int {
	n := 64
	for i := from; i < to; i++ {
		n += len(l.at(i).from) + len(l.at(i).to) + len(",,301\n")
	}
	return n + n/16
}

// used returns the columns in which something stands, and the first three.
func (l *List) used() []string {
	columns := []string{"from", "to", "status"}
	holds := map[string]bool{}
	for i := range l.Len() {
		if l.at(i).drop {
			holds["query"] = true
			break
		}
	}
	for _, notes := range l.notes {
		for _, n := range notes {
			holds[n.column] = true
		}
	}
	for _, name := range append([]string{"query"}, l.Columns...) {
		if holds[name] {
			columns = append(columns, name)
		}
	}
	return columns
}

// fields yields what stands in the columns of some rows. The slice is the same each time.
func (l *List) fields(columns []string, from, to int) iter.Seq[[]string] {
	return func(yield func([]string) bool) {
		record := make([]string, len(columns))
		for i := from; i < to; i++ {
			if r := l.at(i); l.flatAlready(i) && !r.drop && l.notes[i] == nil {
				clear(record)
				record[0], record[1], record[2] = r.from, r.to, statusText(int(r.status))
			} else {
				row := l.Row(i)
				record[0], record[1], record[2] = row.From, row.goalText(l.Site), statusText(row.Status)
				for k, name := range columns[3:] {
					record[3+k] = row.Note(name)
				}
			}
			if !yield(record) {
				return
			}
		}
	}
}

// statusText is a status as it is written into a list; empty where nobody wrote one.
func statusText(status int) string {
	if status == 0 {
		return ""
	}
	return strconv.Itoa(status)
}

// EncodeAside writes the rows that a flat map can't have: those of a list, and
// rows that can't be read, with what is wrong with them.
func EncodeAside(refused *List, unread []Unread) []byte {
	return table.EncodeRecords([]string{"from", "to", "status", "problem"}, func(put func([]string) bool) {
		yield := func(cells []string) bool {
			for i := range cells {
				cells[i] = table.Guard(address.Printable(cells[i]))
			}
			return put(cells)
		}
		for _, r := range refused.All() {
			if !yield([]string{r.From, r.goalText(refused.Site), statusText(r.Status),
				"leads round in a circle, or contradicts another row"}) {
				return
			}
		}
		for _, u := range unread {
			if !yield([]string{u.From, u.To, u.Status, string(u.Problem.Code) + ": " + u.Problem.What}) {
				return
			}
		}
	})
}

// goalText returns the target as it is written into a list.
func (r Redirect) goalText(site address.Site) string {
	switch {
	case r.Gone():
		return ""
	case r.Pattern != nil:
		return r.To
	case r.ToPage():
		if r.Target.Fragment != "" {
			return fmt.Sprintf("%s#%s", r.Page, r.Target.Fragment)
		}
		return r.Page.String()
	case r.Target.Origin() == site.Origin:
		return r.Target.Local()
	}
	return r.Target.String()
}
