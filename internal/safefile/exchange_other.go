//go:build !linux

package safefile

import "errors"

// exchange makes two files change their names.
func exchange(a, b string) error { return exchangeInSteps(a, b) }

func exchangeAtOnce(string, string) error { return errors.ErrUnsupported }
