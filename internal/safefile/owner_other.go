//go:build !linux && !darwin && !freebsd

package safefile

import "os"

// likeOld does nothing where files have no owners as on Unix.
func likeOld(*os.File, string) error { return nil }

// oneName does nothing where files have one name.
func oneName(string) error { return nil }
