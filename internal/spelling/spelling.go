// Package spelling finds the word that a person meant who wrote one that isn't known.
package spelling

import "strings"

// Nearest returns the known word with the fewest changes from s, if few.
func Nearest(s string, known []string) string {
	best, bound := "", len(s)/2+1
	for _, k := range known {
		if d := distance(s, k); d < bound {
			best, bound = k, d
		}
	}
	return best
}

// Mistyped returns the known word that a longer one differs from by a letter or two; empty where it is one of them, or like
// none.
//
//	adress, langauge
func Mistyped(s string, known []string) string {
	for _, k := range known {
		if d := distance(s, k); d == 0 {
			return ""
		} else if len(k) >= 6 && (d == 1 || d == 2 && len(k) >= 8) {
			return k
		}
	}
	return ""
}

// distance counts the letters to insert, delete or replace.
func distance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diagonal := row[0]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			change := diagonal
			if a[i-1] != b[j-1] {
				change++
			}
			diagonal = row[j]
			row[j] = min(change, row[j]+1, row[j-1]+1)
		}
	}
	return row[len(b)]
}

// Choices says which words are known, and which of them was meant, as the end of a message.
//
//	did you mean nginx? There are htaccess, apache, nginx
func Choices(wrong string, known []string) string {
	list := "there are " + strings.Join(known, ", ")
	if near := Nearest(strings.ToLower(wrong), known); near != "" {
		return "did you mean " + near + "? T" + list[1:]
	}
	return list
}
