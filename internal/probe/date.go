package probe

import "time"

// dated reports whether a text is empty or a date as sitemaps have them: W3C
// date and time, a day at least.
func dated(s string) bool {
	if s == "" {
		return true
	}
	for _, layout := range []string{"2006-01-02", "2006-01-02T15:04Z07:00", time.RFC3339} {
		if _, err := time.Parse(layout, s); err == nil {
			return true
		}
	}
	return s != "" && len(s) == 7 && dated(s+"-01") || len(s) == 4 && dated(s+"-01-01")
}
