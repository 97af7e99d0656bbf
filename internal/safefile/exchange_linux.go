package safefile

import (
	"errors"

	"golang.org/x/sys/unix"
)

// exchange makes two files change their names, at once where the file system can.
func exchange(a, b string) error {
	err := exchangeAtOnce(a, b)
	if errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EINVAL) {
		return exchangeInSteps(a, b)
	}
	return err
}

func exchangeAtOnce(a, b string) error {
	return unix.Renameat2(unix.AT_FDCWD, a, unix.AT_FDCWD, b, unix.RENAME_EXCHANGE)
}
