package cli

import (
	"fmt"
	"io"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/spelling"
)

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "young-compass",
		Short: "Design a site's addresses, move them without losing anyone, and check the result",
		Long: `Young Compass helps the administrator of a web site to design clean, readable
addresses, to redirect every former one, and to check that the live site answers
as planned. A project is a folder with a plan (young-compass.yaml), the pages,
the address book and the redirects.`,
		Version:       version() + commit(),
		SilenceErrors: true, SilenceUsage: true,
		PersistentPreRunE: func(c *cobra.Command, _ []string) error { return a.checkFlags(c.Name()) },
	}
	root.Args = func(c *cobra.Command, args []string) error {
		if len(args) == 0 {
			return nil
		}
		var names []string
		for _, command := range c.Commands() {
			if command.IsAvailableCommand() {
				names = append(names, command.Name())
			}
		}
		return fmt.Errorf("%s is not a command; %s", address.Printable(args[0]), spelling.Choices(args[0], names))
	}
	root.RunE = func(c *cobra.Command, _ []string) error { return c.Help() }
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		unknown, ok := strings.CutPrefix(err.Error(), "unknown flag: --")
		if !ok {
			return err
		}
		var names []string
		c.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		if near := spelling.Nearest(unknown, names); near != "" {
			return fmt.Errorf("%s has no option --%s; did you mean --%s?", c.CommandPath(), address.Printable(unknown), near)
		}
		return fmt.Errorf("%s has no option --%s; %[1]s --help names them", c.CommandPath(), address.Printable(unknown))
	})
	root.SetOut(a.stdout)
	root.SetErr(a.stderr)
	f := root.PersistentFlags()
	f.StringVar(&a.project, "project", ".", "the project's `DIR`")
	f.StringVar(&a.format, "format", "table",
		"table, json or csv; trace also ndjson; where there are findings also junit or sarif")
	f.StringVar(&a.output, "output", "", "write the result to `FILE` instead of standard output")
	f.BoolVar(&a.quiet, "quiet", false, "print findings only")
	f.BoolVar(&a.all, "all", false, "print every finding, not five of each cause")
	f.BoolVar(&a.noWait, "no-wait", false, "end at once when another run changes the project, instead of waiting")
	f.StringVar(&a.color, "color", "auto", "auto, always or never")
	f.StringVar(&a.failOn, "fail-on", "error", "exit with 1 from this severity on: error, warning, note or never")
	root.AddCommand(a.initCommand(), a.stepsCommand(), a.gatherCommand(), a.proposeCommand(), a.pagesCommand(),
		a.lintCommand(), a.designCommand(), a.pairCommand(),
		a.redirectsCommand(), a.relinkCommand(), a.traceCommand(), a.emitCommand(), a.serveCommand(), a.probeCommand(),
		a.reportCommand(), a.findingsCommand(), a.demoCommand())
	exemplify(root)
	a.complete(root)
	return root
}

// Commands returns the program's commands, for pages that are made of them.
func Commands() *cobra.Command { return (&app{stdout: io.Discard, stderr: io.Discard}).root() }

func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok || info.Main.Version == "" {
		return "(unknown)"
	}
	return info.Main.Version
}

// commit names the commit that the program was made from, where that is known.
func commit() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return ""
	}
	of := map[string]string{}
	for _, s := range info.Settings {
		of[s.Key] = s.Value
	}
	revision := of["vcs.revision"]
	if revision == "" {
		return ""
	}
	day, _, _ := strings.Cut(of["vcs.time"], "T")
	text := fmt.Sprintf(", commit %.12s of %s", revision, day)
	if of["vcs.modified"] == "true" {
		text += ", changed since"
	}
	return text
}

// formatsOf returns the formats that --format knows of a command.
func formatsOf(command string) []string {
	if command == "trace" {
		return []string{"table", "json", "csv", "ndjson"}
	}
	return []string{"table", "json", "csv", "junit", "sarif"}
}

func (a *app) checkFlags(command string) (err error) {
	a.folder.Dir = filepath.Clean(a.project)
	if a.limit, err = finding.ParseSeverity(a.failOn); err != nil {
		return fmt.Errorf("--fail-on: %w", err)
	}
	formats := formatsOf(command)
	if !slices.Contains(formats, a.format) {
		return fmt.Errorf("--format: %s is not known to %s; say %s", address.Printable(a.format), command,
			strings.Join(formats, ", "))
	}
	switch a.color {
	case "auto", "always", "never":
	default:
		return fmt.Errorf("--color: %s is not known; say auto, always or never", address.Printable(a.color))
	}
	return nil
}
