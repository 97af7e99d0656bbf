//go:build linux

package main

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
)

var updateDocs = flag.Bool("update-docs", false, "write into the docs what the commands print now")

// console is a block of a page that shows commands, each after "$ ", and what they print. A line "..." stands for any
// lines.
var console = regexp.MustCompile("(?s)```console\n(.*?)```")

// Every command that the pages of the docs show prints what they say. A page says with which folder it begins.
func TestCommandsOfTheDocs(t *testing.T) {
	pages, err := filepath.Glob("../../docs/*.md")
	require.NoError(t, err)
	some, program := 0, built(t)
	for _, page := range append(pages, "../../README.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		folder, ok := strings.CutPrefix(string(text), "<!-- folder: ")
		if !ok {
			assert.NotContains(t, string(text), "```console", "%s doesn't say with which folder it begins", page)
			continue
		}
		some++
		folder, _, _ = strings.Cut(folder, " ")
		t.Run(filepath.Base(page), func(t *testing.T) {
			s := shell{dir: startFolder(t, folder), program: program, ports: [2]int{freePort(t), freePort(t)}}
			got := console.ReplaceAllStringFunc(string(text), func(block string) string {
				return "```console\n" + s.block(t, console.FindStringSubmatch(block)[1]) + "```"
			})
			if *updateDocs {
				require.NoError(t, os.WriteFile(page, []byte(got), 0o644))
			}
		})
	}
	assert.GreaterOrEqual(t, some, 6)
}

// startFolder makes a folder as a page of the docs begins with.
func startFolder(t *testing.T, kind string) string {
	t.Helper()
	dir := t.TempDir()
	for _, name := range []string{demo.OldSite, demo.OldRedirects, demo.IslandGuide} {
		demotest.Write(t, filepath.Join(dir, name), demotest.File(t, name))
	}
	require.NoError(t, demo.CopySources(dir))
	if kind == "site" {
		return dir
	}
	t.Setenv("SOURCE_DATE_EPOCH", "1795428000")
	if kind == "accepted" {
		demotest.Accepted(t, dir)
		require.NoError(t, demo.CopyContent(dir))
	} else {
		demotest.Write(t, filepath.Join(dir, demo.Config), demotest.File(t, demo.Config))
		demotest.Write(t, filepath.Join(dir, demo.Redirects), demotest.File(t, demo.Redirects))
		run(t, 0, "gather", "--project", dir, filepath.Join(dir, demo.OldSite))
	}
	run(t, 0, "gather", "--project", dir, filepath.Join(dir, "sources", "access.log"), filepath.Join(dir, "sources", "access.log.1.gz"))
	old, err := filepath.Glob(filepath.Join(dir, "*.bak"))
	require.NoError(t, err)
	for _, name := range old {
		require.NoError(t, os.Remove(name))
	}
	return dir
}

func freePort(t *testing.T) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port
}

// shell runs the commands of one page in its folder.
type shell struct {
	dir, program string
	ports        [2]int // that the pages' 8080 and 8443 are
}

// block runs the commands of a block, compares what they print, and returns the block as it should be.
func (s shell) block(t *testing.T, block string) string {
	var out strings.Builder
	parts := strings.Split("\n"+block, "\n$ ")
	for i, part := range parts {
		command, shown, some := strings.Cut(part, "\n")
		if command == "" {
			continue
		}
		printed := s.run(t, command)
		if some && i < len(parts)-1 {
			shown += "\n" // which stood in front of the next command
		}
		fmt.Fprintf(&out, "$ %s\n", command)
		switch {
		case *updateDocs:
			shown = cut(printed)
		case !matches(shown, printed):
			assert.Equal(t, shown, printed, "%s; go test ./cmd/young-compass -run TestCommandsOfTheDocs -update-docs", command)
		}
		out.WriteString(shown)
	}
	return out.String()
}

// cut shortens what a page shows of a command.
func cut(printed string) string {
	const most = 22
	if lines := strings.SplitAfter(printed, "\n"); len(lines) > most+1 {
		return strings.Join(lines[:most], "") + "...\n"
	}
	return printed
}

// matches reports whether a page shows what was printed; "..." stands for any lines.
func matches(shown, printed string) bool {
	parts := strings.Split(shown, "...\n")
	if len(parts) == 1 {
		return shown == printed
	}
	if !strings.HasPrefix(printed, parts[0]) || !strings.HasSuffix(printed, parts[len(parts)-1]) {
		return false
	}
	for _, part := range parts {
		_, after, ok := strings.Cut(printed, part)
		if !ok {
			return false
		}
		printed = after
	}
	return true
}

// run runs a command as a person would type it. One that ends in & goes on until the test ends.
func (s shell) run(t *testing.T, command string) string {
	t.Helper()
	swap := strings.NewReplacer("127.0.0.1:8080,8443", fmt.Sprintf("127.0.0.1:%d,%d", s.ports[0], s.ports[1]),
		"young-compass serve", fmt.Sprintf("young-compass serve --admin '' --http 127.0.0.1:%d --https 127.0.0.1:%d", s.ports[0], s.ports[1]))
	back := strings.NewReplacer(fmt.Sprintf("127.0.0.1:%d,%d", s.ports[0], s.ports[1]), "127.0.0.1:8080,8443")
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	line, background := strings.CutSuffix(swap.Replace(command), " &")
	var out bytes.Buffer
	c := exec.CommandContext(ctx, "sh", "-c", line)
	if background {
		c = exec.CommandContext(ctx, "sh", "-c", "exec "+line)
	}
	c.Dir = s.dir
	c.Env = append(os.Environ(), "PATH="+filepath.Dir(s.program)+":"+os.Getenv("PATH"), "SOURCE_DATE_EPOCH=1795428000", "COLUMNS=")
	if background {
		require.NoError(t, c.Start())
		t.Cleanup(func() { cancel(); _ = c.Wait() })
		require.Eventually(t, func() bool {
			peer, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", s.ports[1]))
			if err == nil {
				_ = peer.Close()
			}
			return err == nil
		}, 20*time.Second, 20*time.Millisecond)
		return ""
	}
	defer cancel()
	c.Stdout = &out
	if !strings.Contains(line, "|") {
		c.Stderr = &out
	}
	err := c.Run()
	require.NoError(t, ctx.Err(), command)
	if exit, ok := err.(*exec.ExitError); ok {
		require.Less(t, exit.ExitCode(), 2, "%s: %s", command, out.String())
	}
	return back.Replace(out.String())
}

// Every command that the docs name, shown or within a sentence, is there with its options.
func TestCommandsNamedInTheDocs(t *testing.T) {
	pages, err := filepath.Glob("../../docs/*.md")
	require.NoError(t, err)
	named := regexp.MustCompile("(?m)(?:`|^\\$ |^)(young-compass [^`\n]*)")
	some := 0
	for _, page := range append(pages, "../../README.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, m := range named.FindAllStringSubmatch(string(text), -1) {
			command, _, _ := strings.Cut(m[1], " # ")
			command, _, _ = strings.Cut(command, " | ")
			words := strings.Fields(strings.NewReplacer("...", "", "''", "none", "'", "", `"`, "", " &", "", "2>/dev/null", "", ";", "").Replace(command))[1:]
			if len(words) == 0 || strings.HasPrefix(words[0], "-") || words[0] == "COMMAND" {
				continue
			}
			var out, errors bytes.Buffer
			status := cli.Main(context.Background(), append(words, "--help"), strings.NewReader(""), &out, &errors)
			assert.Equal(t, 0, status, "%s: %s: %s", page, command, errors.String())
			assert.Contains(t, out.String(), "young-compass "+words[0], "%s: %s", page, command)
			some++
		}
	}
	assert.Greater(t, some, 100)
}

// Each command's help has two examples, and they run in the demo's folder.
func TestExamples(t *testing.T) {
	s := shell{dir: startFolder(t, "accepted"), program: built(t), ports: [2]int{freePort(t), freePort(t)}}
	require.NoError(t, demo.MakeDatabase(s.dir))
	s.run(t, "young-compass serve --write-ca plan.pem &")
	s.run(t, "young-compass pair island-guide.csv . --output pairs.csv")
	s.run(t, "young-compass steps tell hand-in")
	s.run(t, "young-compass steps tell registration")
	kept, err := os.MkdirTemp(t.TempDir(), "")
	require.NoError(t, err)
	require.NoError(t, os.CopyFS(filepath.Join(kept, "start"), os.DirFS(s.dir)))
	var each func(c *cobra.Command)
	each = func(c *cobra.Command) {
		if c.Name() == "help" || c.Name() == "completion" {
			return
		}
		for _, sub := range c.Commands() {
			each(sub)
		}
		if !c.HasParent() {
			return
		}
		lines := strings.Split(c.Example, "\n")
		require.Len(t, lines, 2, c.CommandPath())
		dir := filepath.Join(kept, strings.ReplaceAll(c.CommandPath(), " ", "-"))
		require.NoError(t, os.CopyFS(dir, os.DirFS(filepath.Join(kept, "start"))))
		own := shell{dir: dir, program: s.program, ports: s.ports}
		for _, line := range lines {
			line = strings.TrimSpace(line)
			require.True(t, strings.HasPrefix(line, c.Root().Name()+" "), line)
			if c.Name() == "serve" {
				own.ports = [2]int{freePort(t), freePort(t)}
				line += " &"
			}
			own.run(t, line)
		}
	}
	each(cli.Commands())
}

// The files that the demo writes have the columns that the docs say; pages have fields of their own besides.
func TestFilesAreAsDocumented(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "demo")
	run(t, 0, "demo", "--keep", dir)
	text, err := os.ReadFile("../../docs/files.md")
	require.NoError(t, err)
	sections := regexp.MustCompile("(?s)## ([a-z]+\\.csv)\n\n```text\n(.*?)\n```").FindAllStringSubmatch(string(text), -1)
	require.Len(t, sections, 7)
	for _, m := range sections {
		data, err := os.ReadFile(filepath.Join(dir, m[1]))
		require.NoError(t, err)
		header, _, _ := strings.Cut(string(data), "\n")
		if m[1] == "pages.csv" {
			own := strings.Split(m[2], ",")
			all := strings.Split(header, ",")
			assert.Equal(t, own[:5], all[:5])
			assert.Equal(t, own[5:], all[len(all)-3:])
			continue
		}
		assert.Equal(t, m[2], header, m[1])
	}
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, e := range entries {
		if name := e.Name(); strings.HasPrefix(name, "young-compass.") && !e.IsDir() {
			assert.Contains(t, string(text), "`"+name+"`")
		}
	}
}
