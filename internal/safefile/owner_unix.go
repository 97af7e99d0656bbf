//go:build linux || darwin || freebsd

package safefile

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"syscall"

	"golang.org/x/sys/unix"
)

// likeOld gives a new file the owner, the group and the extended attributes (access control lists, security labels) of the
// file in whose place it comes, so that whoever could read that can read this. Where that isn't allowed it is an error:
// a server that can't read its configuration any more is worse than one that has the old one.
func likeOld(to *os.File, path string) error {
	info, err := os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	old, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return nil
	}
	now, err := to.Stat()
	if err != nil {
		return err
	}
	if own, ok := now.Sys().(*syscall.Stat_t); ok && (own.Uid != old.Uid || own.Gid != old.Gid) {
		if err := to.Chown(int(old.Uid), int(old.Gid)); err != nil {
			return fmt.Errorf("%s belongs to user %d and group %d, and would belong to others: run this as its owner: %w", path,
				old.Uid, old.Gid, err)
		}
		if err := to.Chmod(info.Mode().Perm()); err != nil { // which a change of owner may have cut
			return err
		}
	}
	return attributes(to, path)
}

// maxAttributes bounds what is read of a file's extended attributes, in bytes.
const maxAttributes = 64 << 10

// attributes copies the extended attributes of a file, as far as its file system has any.
func attributes(to *os.File, path string) error {
	list := make([]byte, maxAttributes)
	n, err := unix.Listxattr(path, list)
	if err != nil {
		return nil // this file system has none
	}
	value := make([]byte, maxAttributes)
	for len(list[:n]) > 0 {
		end := 0
		for end < n && list[end] != 0 {
			end++
		}
		name := string(list[:end])
		list, n = list[min(end+1, n):], n-min(end+1, n)
		size, err := unix.Getxattr(path, name, value)
		if err != nil {
			continue // gone meanwhile, or not for us to read
		}
		err = unix.Fsetxattr(int(to.Fd()), name, value[:size], 0)
		if err != nil && !errors.Is(err, unix.ENOTSUP) && !errors.Is(err, unix.EPERM) {
			return fmt.Errorf("keeping the attribute %q of %s: %w", name, path, err)
		}
	}
	return nil
}

// oneName reports an error for a file that has several names (hard links): only one of them would change.
func oneName(path string) error {
	info, err := os.Stat(path)
	if err != nil {
		return nil // there is none yet, which is seen later
	}
	if s, ok := info.Sys().(*syscall.Stat_t); ok && s.Nlink > 1 {
		return fmt.Errorf("%s has %d names (hard links), and only one would change; make it a file of its own", path,
			s.Nlink)
	}
	return nil
}
