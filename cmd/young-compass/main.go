// Young-compass designs a site's addresses, redirects every former one, and
// checks that the live site answers as planned.
package main

import (
	"context"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"

	"young-compass/internal/cli"
)

func main() {
	// A run ends soon: rather more memory than time.
	debug.SetGCPercent(200)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop) // a second signal ends the program at once
	status := cli.Main(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(status)
}
