//go:build linux

package main

import (
	"bytes"
	"io"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"github.com/creack/pty"
	columns "github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/demo"
)

// onTerminal runs a command on a terminal of a width, and returns what the terminal is sent.
func onTerminal(t *testing.T, program, dir, command string, width int, environ ...string) string {
	t.Helper()
	c := exec.Command(program, strings.Fields(command)...)
	c.Dir = dir
	c.Env = append(environ, "PATH="+os.Getenv("PATH"), "HOME="+dir, "SOURCE_DATE_EPOCH=1795428000")
	terminal, err := pty.StartWithSize(c, &pty.Winsize{Rows: 50, Cols: uint16(width)})
	require.NoError(t, err)
	var sent bytes.Buffer
	_, _ = io.Copy(&sent, terminal) // which ends with an error when the program does
	_ = c.Wait()
	require.NoError(t, terminal.Close())
	return strings.ReplaceAll(sent.String(), "\r\n", "\n")
}

// mainCommands are those whose output a person looks at.
func mainCommands() []string {
	return []string{"lint", "design", "redirects check old-redirects.csv --all", "redirects coverage", "redirects preview",
		"redirects fold", "pair island-guide.csv . --output pairs.csv", "trace --explain /Guides/Tides.html", "steps", "steps move",
		"gather old-site.csv sources/access.log --ignored", "gather --compare island-guide.csv", "propose old-site.csv", "relink content",
		"emit sitemap", "emit robots", "emit head --as csv", "emit nginx --directory out/nginx", "report", "findings", "findings chain",
		"report --output report.html", "relink --db sqlite:content.db"}
}

// No line is wider than the terminal, whatever its width.
func TestLinesFitTheTerminal(t *testing.T) {
	program, dir := built(t), startFolder(t, "accepted")
	require.NoError(t, demo.MakeDatabase(dir))
	for _, command := range mainCommands() {
		for _, width := range []int{20, 80, 120} {
			out := onTerminal(t, program, dir, command, width, "TERM=xterm", "LANG=C.UTF-8")
			for line := range strings.Lines(out) {
				line = strings.TrimSuffix(line, "\n")
				if i := strings.LastIndexByte(line, '\r'); i >= 0 { // a bar was there before
					line = line[i+1:]
				}
				line = strings.ReplaceAll(line, "\x1b[K", "")
				if at := columns.StringWidthWithoutEscSequences(line); at > width && !strings.Contains(line, ".bak") {
					assert.Fail(t, "too wide", "%s at %d: %d: %s", command, width, at, line)
				}
			}
		}
	}
}

// What is sent suits the terminal: colours and drawn rules only where they are shown, and the next command for a
// person alone.
func TestTheTerminalIsAskedWhatItCan(t *testing.T) {
	program, dir := built(t), startFolder(t, "accepted")
	const command = "redirects check old-redirects.csv"
	escape := regexp.MustCompile("\x1b\\[[0-9;]*m")
	all := onTerminal(t, program, dir, command, 100, "TERM=xterm", "LANG=en_GB.UTF-8")
	assert.Regexp(t, escape, all)
	assert.NotContains(t, all, "next: ", "there are errors, and the last line says where to begin")
	assert.Contains(t, onTerminal(t, program, dir, "redirects check", 100, "TERM=xterm"), "next: young-compass redirects coverage")
	for name, environ := range map[string][]string{"NO_COLOR": {"NO_COLOR=1", "TERM=xterm", "LANG=C.UTF-8"},
		"dumb": {"TERM=dumb", "LANG=C.UTF-8"}} {
		t.Run(name, func(t *testing.T) {
			assert.NotRegexp(t, escape, onTerminal(t, program, dir, command, 100, environ...))
		})
	}
	assert.NotContains(t, onTerminal(t, program, dir, "redirects check --quiet", 100, "TERM=xterm"), "next: ")
	assert.Contains(t, onTerminal(t, program, dir, "design", 100, "TERM=xterm", "LANG=C.UTF-8"), "──")
	plain := onTerminal(t, program, dir, "design", 100, "TERM=xterm", "LANG=C")
	assert.NotContains(t, plain, "─")
	assert.Contains(t, plain, "----")
	out, errors := run(t, 0, "design", "--project", dir)
	assert.NotRegexp(t, escape, out+errors)
	assert.NotContains(t, out+errors, "next: ")
}

// Completion knows the project in which the person stands.
func TestCompletion(t *testing.T) {
	dir := startFolder(t, "accepted")
	for command, want := range map[string]string{
		"design --only ":        "timetable",
		"design --language ":    "nb",
		"findings ":             "canonical-chain\tA canonical link names a page that names another",
		"redirects add /x ":     "contact@en\tContact",
		"pages join ":           "contact@de\tKontakt",
		"probe ":                "canonicals",
		"emit ":                 "haproxy",
		"steps ":                "duplicates",
		"report --section ":     "readability",
		"steps tell ":           "hand-in",
		"design --fail-on ":     "never",
		"redirects coverage x ": ":0",
	} {
		t.Run(command, func(t *testing.T) {
			words := strings.Fields(command)
			args := append([]string{"__complete", words[0], "--project=" + dir}, words[1:]...)
			out, _ := run(t, 0, append(args, "")...)
			assert.Contains(t, strings.Split(out, "\n"), want)
		})
	}
	for _, shell := range []string{"bash", "zsh", "fish"} {
		out, _ := run(t, 0, "completion", shell)
		assert.Contains(t, out, "__complete", shell)
	}
}
