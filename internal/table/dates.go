package table

import (
	"fmt"
	"iter"
	"strconv"
	"strings"
	"time"
)

// ISODates writes the dates of a column as 2026-11-23, if all of them are written in one way that can be told: with dots,
// day first; with slashes or hyphens, by a number above twelve anywhere in the column. Where it can't be told, it returns
// one of them, and changes nothing; other texts stay.
//
//	12.03.2019 -> 2019-03-12    3/12/2019, 3/25/2019 -> 2019-03-12, 2019-03-25
func ISODates(column iter.Seq[*string]) (ambiguous string) {
	var cells []*string
	dayFirst, monthFirst := false, false
	for cell := range column {
		if first, second, _, dots, ok := numbersOf(*cell); ok {
			cells = append(cells, cell)
			dayFirst = dayFirst || dots || first > 12
			monthFirst = monthFirst || !dots && second > 12
		}
	}
	switch {
	case len(cells) == 0:
		return ""
	case dayFirst == monthFirst:
		return *cells[0]
	}
	for _, cell := range cells {
		day, month, year, _, _ := numbersOf(*cell)
		if monthFirst {
			day, month = month, day
		}
		iso := fmt.Sprintf("%04d-%02d-%02d", year, month, day)
		if _, err := time.Parse(time.DateOnly, iso); err == nil {
			*cell = iso
		}
	}
	return ""
}

// Cells returns the cells of a column, as far as rows have them.
func (t *Table) Cells(column string) iter.Seq[*string] {
	i := t.Column(column)
	return func(yield func(*string) bool) {
		for _, row := range t.Rows {
			if i >= 0 && i < len(row.values) && !yield(&row.values[i]) {
				return
			}
		}
	}
}

// numbersOf reads the three numbers of a date that ends in its year, with or without a time behind it.
func numbersOf(text string) (first, second, year int, dots, ok bool) {
	if year, _, _ := strings.Cut(text, "-"); len(year) == 4 {
		return 0, 0, 0, false, false // as it is to be
	}
	text, _, _ = strings.Cut(strings.TrimSpace(text), " ")
	separator := ""
	for _, s := range []string{".", "/", "-"} {
		if strings.Count(text, s) == 2 {
			separator = s
		}
	}
	if separator == "" {
		return 0, 0, 0, false, false
	}
	parts := strings.Split(text, separator)
	var n [3]int
	for i, part := range parts {
		var err error
		if n[i], err = strconv.Atoi(part); err != nil || n[i] < 1 {
			return 0, 0, 0, false, false
		}
	}
	return n[0], n[1], n[2], separator == ".", len(parts[2]) == 4 && n[0] <= 31 && n[1] <= 31
}
