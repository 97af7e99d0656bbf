// Young-compass designs a site's addresses, redirects every former one, and
// checks that the live site answers as planned.
package main

import (
	"context"
	"math"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"

	"young-compass/internal/cli"
)

// softLimit is from how many bytes of memory on garbage is collected more often. What must be held is held beyond it
// too.
const softLimit = 960 << 20

func main() {
	// A run ends soon: rather more memory than time, as long as there is enough.
	debug.SetGCPercent(200)
	if debug.SetMemoryLimit(-1) == math.MaxInt64 { // nobody said otherwise
		debug.SetMemoryLimit(softLimit)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop) // a second signal ends the program at once
	status := cli.Main(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(status)
}
