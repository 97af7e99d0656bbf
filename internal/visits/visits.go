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

// Visit is one row of visits.csv: an address, and how often it was answered
// with a status.
type Visit struct {
	Address   address.Address
	Status    int
	Visitors  int    // requests by people
	Robots    int    // requests by programs
	Last      string // a date, YYYY-MM-DD
	Bytes     int    // of each answer with status 200; 0: unknown, -1: they differ
	Referrers string // of an address not found: the pages with links to it, with counts, most first
}

func columns() []string {
	return []string{"address", "status", "visitors", "robots", "last", "referrers", "bytes"}
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
		for _, figure := range []struct {
			name string
			into *int
		}{{"status", &v.Status}, {"visitors", &v.Visitors}, {"robots", &v.Robots}, {"bytes", &v.Bytes}} {
			text := f(figure.name)
			if n, bad := strconv.Atoi(cmp.Or(text, "0")); bad != nil || n < 0 && figure.name != "bytes" {
				err = cmp.Or(err, fmt.Errorf("%s: %s is not a number", figure.name, address.Printable(text)))
			} else {
				*figure.into = n
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
	type row struct {
		address string
		*Visit
	}
	rows := make([]row, len(list))
	for i := range list {
		rows[i] = row{list[i].Address.String(), &list[i]}
	}
	slices.SortFunc(rows, func(a, b row) int {
		return cmp.Or(strings.Compare(a.address, b.address), cmp.Compare(a.Status, b.Status))
	})
	return table.EncodeRecords(columns(), func(yield func([]string) bool) {
		for _, r := range rows {
			size := ""
			if r.Bytes != 0 {
				size = strconv.Itoa(r.Bytes)
			}
			if !yield([]string{r.address, strconv.Itoa(r.Status), strconv.Itoa(r.Visitors), strconv.Itoa(r.Robots),
				r.Last, r.Referrers, size}) {
				return
			}
		}
	})
}
