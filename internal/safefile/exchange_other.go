//go:build !linux

package safefile

// exchange makes two files change their names.
func exchange(a, b string) error { return exchangeInSteps(a, b) }
