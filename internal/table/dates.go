package table

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// ISODates writes the dates of a column as 2026-11-23, if all of them are written in one way that can be told: with dots,
// day first; with slashes or hyphens, by a number above twelve anywhere in the column. Where it can't be told, it returns
// one of them, and changes nothing; other texts stay.
//
//	12.03.2019 -> 2019-03-12    3/12/2019, 3/25/2019 -> 2019-03-12, 2019-03-25
func ISODates(sheet *Table, column string) (ambiguous string) {
	var rows []Row
	var dates [][3]int // first, second, year
	dayFirst, monthFirst := false, false
	for _, row := range sheet.Rows {
		first, second, year, dots, ok := numbersOf(row.Get(column))
		if !ok {
			continue
		}
		rows, dates = append(rows, row), append(dates, [3]int{first, second, year})
		dayFirst = dayFirst || dots || first > 12
		monthFirst = monthFirst || !dots && second > 12
	}
	switch {
	case len(rows) == 0:
		return ""
	case dayFirst == monthFirst:
		return rows[0].Get(column)
	}
	for i, row := range rows {
		day, month := dates[i][0], dates[i][1]
		if monthFirst {
			day, month = month, day
		}
		iso := fmt.Sprintf("%04d-%02d-%02d", dates[i][2], month, day)
		if _, err := time.Parse(time.DateOnly, iso); err == nil {
			row.Set(column, iso)
		}
	}
	return ""
}

// numbersOf reads the three numbers of a date that ends in its year, with or without a time behind it.
func numbersOf(text string) (first, second, year int, dots, ok bool) {
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
