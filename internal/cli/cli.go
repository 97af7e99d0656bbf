// Package cli is the command line: flags, reading files, printing. It computes
// nothing.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/project"
	"young-compass/internal/term"
)

// The exit statuses.
const (
	exitFine       = 0
	exitFindings   = 1
	exitUsage      = 2
	exitUnfinished = 3
)

// errFindings ends a command whose findings are bad enough; they are printed
// already.
var errFindings = errors.New("findings")

// unfinished marks an error of the network or the disk.
type unfinished struct{ error }

func (u unfinished) Unwrap() error { return u.error }

// app is one run of the program.
type app struct {
	stdin          io.Reader
	stdout, stderr io.Writer
	now            time.Time

	project, format, output, color, failOn string
	quiet, noWait, all                     bool
	limit                                  finding.Severity
	folder                                 project.Folder // as it was read

	ctx    context.Context // ends when the user interrupts the run
	saving sync.Mutex      // held while something is written that must not be cut short
	names  []string        // of files that were written
}

// Main runs the program and returns its exit status.
func Main(ctx context.Context, args []string, stdin io.Reader, stdout, stderr io.Writer) int {
	now, err := clock()
	if err != nil {
		_, _ = fmt.Fprintln(stderr, "young-compass:", err)
		return exitUsage
	}
	a := &app{stdin: stdin, stdout: stdout, stderr: stderr, now: now}
	return a.run(ctx, args)
}

// clock returns the time, or what SOURCE_DATE_EPOCH says (reproducible-builds.org).
func clock() (time.Time, error) {
	s := os.Getenv("SOURCE_DATE_EPOCH")
	if s == "" {
		return time.Now(), nil
	}
	seconds, err := strconv.ParseInt(s, 10, 64)
	if err != nil {
		return time.Time{}, fmt.Errorf("SOURCE_DATE_EPOCH is %s; write seconds since 1970", address.Printable(s))
	}
	return time.Unix(seconds, 0), nil
}

// grace is how long an interrupted command has to end by itself, as those do that ask a site and keep what they know.
const grace = 2 * time.Second

// run runs a command. When ctx ends it is left alone where it is, unless it ends by itself: nothing is written any
// more, and what is being written is finished first.
func (a *app) run(ctx context.Context, args []string) int {
	root := a.root()
	root.SetArgs(args)
	a.ctx = ctx
	ended := make(chan error, 1)
	go func() {
		command, err := root.ExecuteContextC(ctx)
		if err == nil {
			a.tellNext(command)
		}
		ended <- err
	}()
	var err error
	select {
	case err = <-ended:
	case <-ctx.Done():
		select {
		case err = <-ended:
		case <-time.After(grace):
			a.saving.Lock() // for good
			err = ctx.Err()
		}
	}
	var input *finding.Input
	var broken unfinished
	switch {
	case err == nil:
		return exitFine
	case errors.Is(err, errFindings):
		return exitFindings
	case errors.As(err, &input):
		a.sayLine(input.Finding.String())
		return exitUsage
	case ctx.Err() != nil && errors.Is(err, context.Canceled):
		said := strings.ReplaceAll(oneLine(err), context.Canceled.Error(), "interrupted")
		switch {
		case said != "interrupted":
		case len(a.names) > 0:
			said += "; written before: " + strings.Join(a.names, ", ")
		default:
			said += "; nothing is written"
		}
		a.sayLine("young-compass: " + said)
		return exitUnfinished
	case errors.As(err, &broken), errors.Is(err, context.Canceled):
		a.sayLine("young-compass: " + oneLine(err))
		return exitUnfinished
	}
	a.sayLine("young-compass: " + oneLine(err))
	return exitUsage
}

// oneLine returns what an error says; several that were joined stand one behind the other.
func oneLine(err error) string {
	return address.Printable(strings.ReplaceAll(strings.TrimSpace(err.Error()), "\n", "; "))
}

func (a *app) style(w io.Writer) term.Style {
	s := term.StyleOf(w, os.Getenv)
	switch a.color {
	case "always":
		s.Colour = true
	case "never":
		s.Colour = false
	}
	return s
}

// say prints a message for a person.
func (a *app) say(format string, args ...any) {
	if !a.quiet {
		a.sayLine(address.Printable(fmt.Sprintf(format, args...)))
	}
}

// sayLine prints a line on standard error, broken where it is longer than the terminal is wide.
func (a *app) sayLine(line string) {
	w := term.Wrapping(a.stderr, a.style(a.stderr))
	_, _ = fmt.Fprintln(w, line)
}

func (a *app) today() string { return a.now.UTC().Format("2006-01-02") }

// in returns the path of a file in the project.
func (a *app) in(name string) string { return filepath.Join(a.project, name) }
