//go:build !linux && !darwin && !freebsd && !windows

package safefile

import (
	"errors"
	"os"
)

// tryLock says so where there are no such locks.
func tryLock(*os.File, bool) (busy bool, err error) { return false, errors.ErrUnsupported }
