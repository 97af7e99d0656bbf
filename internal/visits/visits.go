// Package visits holds how often each address of a site was asked for, as its
// server's logs say: the content of visits.csv.
package visits

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/table"
)

// FileName is where a project keeps visits.
const FileName = "visits.csv"

// Visit is one row of visits.csv: an address, and how often it was answered
// with a status.
type Visit struct {
	Address   address.Address
	Status    int
	Visitors  int    // requests by people
	Robots    int    // requests by programs
	Last      string // a date, YYYY-MM-DD
	Referrers string // of an address not found: the pages with links to it, with counts, most first
}

func columns() []string {
	return []string{"address", "status", "visitors", "robots", "last", "referrers"}
}

// Read reads visits.csv. Rows that can't be read become findings.
func Read(file string, r io.Reader) ([]Visit, []finding.Finding, error) {
	sheet, found, err := table.Read(file, r, "address", "status", "visitors")
	if err != nil {
		return nil, nil, err
	}
	var list []Visit
	for _, row := range sheet.Rows {
		f := row.Get
		v := Visit{Last: f("last"), Referrers: f("referrers")}
		v.Address, err = address.Parse(f("address"))
		for name, into := range map[string]*int{"status": &v.Status, "visitors": &v.Visitors, "robots": &v.Robots} {
			if n, bad := strconv.Atoi(cmp.Or(f(name), "0")); bad != nil || n < 0 {
				err = cmp.Or(err, fmt.Errorf("%s: %s is no number", name, address.Printable(f(name))))
			} else {
				*into = n
			}
		}
		if err != nil {
			found = append(found, table.BadRow(file, row.Line, err.Error(), "gather the logs again"))
			continue
		}
		list = append(list, v)
	}
	return list, found, nil
}

// Encode returns visits.csv, by address and status.
func Encode(list []Visit) []byte {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b Visit) int {
		return cmp.Or(strings.Compare(a.Address.String(), b.Address.String()), cmp.Compare(a.Status, b.Status))
	})
	rows := make([]map[string]string, len(list))
	for i, v := range list {
		rows[i] = map[string]string{"address": v.Address.String(), "status": strconv.Itoa(v.Status), "visitors": strconv.Itoa(v.Visitors),
			"robots": strconv.Itoa(v.Robots), "last": v.Last, "referrers": v.Referrers}
	}
	return table.Encode(columns(), rows)
}
