// Manual writes what is made from the program's commands: man pages, completions for shells, and the page of the docs
// with every command and option.
//
//	go run ./cmd/manual man DIR
//	go run ./cmd/manual completions DIR
//	go run ./cmd/manual commands FILE
package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"young-compass/internal/cli"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		_, _ = fmt.Fprintln(os.Stderr, "manual:", err)
		os.Exit(1)
	}
}

func run(args []string) error {
	if len(args) != 2 {
		return errors.New("say man, completions or commands, and where to write")
	}
	root := cli.Commands()
	root.DisableAutoGenTag = true
	switch args[0] {
	case "man":
		return man(root, args[1])
	case "completions":
		return completions(root, args[1])
	case "commands":
		return os.WriteFile(args[1], []byte(commands(root)), 0o644)
	}
	return fmt.Errorf("%s is nothing to write; say man, completions or commands", args[0])
}

// man writes a man page for each command. They have no date, so that they are the same whenever they are made.
func man(root *cobra.Command, dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	return doc.GenManTree(root, &doc.GenManHeader{Title: "YOUNG-COMPASS", Section: "1", Source: "Young Compass",
		Manual: "Young Compass", Date: &time.Time{}}, dir)
}

func completions(root *cobra.Command, dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	return errors.Join(root.GenBashCompletionFileV2(filepath.Join(dir, "young-compass.bash"), true),
		root.GenZshCompletionFile(filepath.Join(dir, "_young-compass")),
		root.GenFishCompletionFile(filepath.Join(dir, "young-compass.fish"), true))
}

// commands returns a page with every command, its options and its examples.
func commands(root *cobra.Command) string {
	var b strings.Builder
	b.WriteString("# Commands\n\nThis page is made from the program: `go run ./cmd/manual commands docs/commands.md`. " +
		"`young-compass COMMAND --help` says the same.\n\n## Options of every command\n\n")
	options(&b, root.PersistentFlags())
	var each func(c *cobra.Command)
	each = func(c *cobra.Command) {
		if c.Name() == "help" || c.Name() == "completion" {
			return
		}
		if c.HasParent() {
			fmt.Fprintf(&b, "\n## %s\n\n%s.\n", strings.TrimPrefix(c.CommandPath(), root.Name()+" "), c.Short)
			if c.Long != "" {
				fmt.Fprintf(&b, "\n```text\n%s\n```\n", c.Long)
			}
			fmt.Fprintf(&b, "\n```text\n%s\n```\n\nFor example:\n\n```text\n%s\n```\n\n", c.UseLine(),
				strings.ReplaceAll(c.Example, "  young", "young"))
			options(&b, c.LocalNonPersistentFlags())
		}
		for _, sub := range c.Commands() {
			each(sub)
		}
	}
	each(root)
	return b.String()
}

func options(b *strings.Builder, flags *pflag.FlagSet) {
	some := false
	flags.VisitAll(func(f *pflag.Flag) {
		if f.Name == "help" || f.Name == "version" {
			return
		}
		if !some {
			b.WriteString("| option | what it does |\n|---|---|\n")
			some = true
		}
		name, usage := pflag.UnquoteUsage(f)
		if name != "" {
			name = " " + name
		}
		if f.DefValue != "" && f.DefValue != "false" && f.DefValue != "[]" && f.DefValue != "0" {
			usage += " (default `" + f.DefValue + "`)"
		}
		fmt.Fprintf(b, "| `--%s%s` | %s |\n", f.Name, name, strings.ReplaceAll(usage, "|", "\\|"))
	})
}
