package safefile

import (
	"errors"
	"os"

	"golang.org/x/sys/windows"
)

// tryLock locks a file, for others that write alone or for all; busy is true while another process has it. An error is
// that of a file system without locks. What is locked is a byte far behind the file's end: a lock of Windows keeps
// others from reading what it holds, and they are to read there who has it.
func tryLock(f *os.File, write bool) (busy bool, err error) {
	if f == nil {
		return false, nil
	}
	how := uint32(windows.LOCKFILE_FAIL_IMMEDIATELY)
	if write {
		how |= windows.LOCKFILE_EXCLUSIVE_LOCK
	}
	const one, farBehind = 1, 1 << 30
	err = windows.LockFileEx(windows.Handle(f.Fd()), how, 0, one, 0, &windows.Overlapped{OffsetHigh: farBehind})
	if errors.Is(err, windows.ERROR_LOCK_VIOLATION) || errors.Is(err, windows.ERROR_IO_PENDING) {
		return true, nil
	}
	return false, err
}
