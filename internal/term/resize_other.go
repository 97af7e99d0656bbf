//go:build !unix

package term

import "os"

// resized does nothing where no signal says that a terminal gets another size: the next key draws the screen anew.
func resized(chan<- os.Signal) {}

func isResize(os.Signal) bool { return false }
