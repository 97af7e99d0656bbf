//go:build linux || darwin || freebsd

package safefile

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// tryLock locks a file, for others that write alone or for all; busy is true while another process has it. An error is
// that of a file system without locks.
func tryLock(f *os.File, write bool) (busy bool, err error) {
	if f == nil {
		return false, nil
	}
	how := unix.LOCK_SH
	if write {
		how = unix.LOCK_EX
	}
	for {
		switch err := unix.Flock(int(f.Fd()), how|unix.LOCK_NB); {
		case errors.Is(err, unix.EWOULDBLOCK):
			return true, nil
		case !errors.Is(err, unix.EINTR):
			return false, err
		}
	}
}
