//go:build unix

package term

import (
	"os"
	"os/signal"
	"syscall"
)

// resized tells a channel when the terminal gets another size.
func resized(signals chan<- os.Signal) { signal.Notify(signals, syscall.SIGWINCH) }

func isResize(s os.Signal) bool { return s == syscall.SIGWINCH }
