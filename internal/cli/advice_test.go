//go:build linux

package cli

import (
	"context"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Advice is a part of the answer: no text of the program and no page of its documentation names a command, a word
// behind it, or an option that isn't there.
func TestAdviceNamesOnlyWhatIsThere(t *testing.T) {
	root := (&app{ctx: context.Background(), stdout: os.Stdout, stderr: os.Stderr}).root()
	commands, options := map[string]*cobra.Command{}, map[string]bool{"help": true, "version": true,
		"connect-to": true} // the last is curl's
	var visit func(c *cobra.Command)
	visit = func(c *cobra.Command) {
		commands[c.CommandPath()] = c
		for flag := range flagNames(c) {
			options[flag] = true
		}
		for _, sub := range c.Commands() {
			visit(sub)
		}
	}
	visit(root)
	named := regexp.MustCompile(`young-compass ([a-z]+)(?: ([a-z]+))?`)
	option := regexp.MustCompile(`(?:^|[ (\x60])--([a-z][a-z-]+)`)
	known := func(where, text string) {
		for _, m := range named.FindAllStringSubmatch(text, -1) {
			c, ok := commands["young-compass "+m[1]]
			if !ok {
				assert.Contains(t, []string{"begins", "ends", "from", "needs", "is", "to", "and", "for", "beside", "replaced"},
					m[1], "%s: %s", where, text)
				continue
			}
			_, sub := commands["young-compass "+m[1]+" "+m[2]]
			if c.HasSubCommands() && m[2] != "" && !c.Runnable() {
				assert.True(t, sub, "%s: there is no %s: %s", where, m[0], text)
			}
			if m[1] == "emit" && m[2] != "" {
				assert.True(t, sub || slices.Contains(c.ValidArgs, m[2]) || m[2] == "writes", "%s: there is no %s: %s", where,
					m[0], text)
			}
		}
		for _, m := range option.FindAllStringSubmatch(text, -1) {
			assert.True(t, options[m[1]], "%s: there is no option --%s: %s", where, m[1], text)
		}
	}
	for _, folder := range []string{"..", "../../cmd"} {
		err := filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			files := token.NewFileSet()
			file, err := parser.ParseFile(files, path, nil, parser.SkipObjectResolution)
			require.NoError(t, err)
			ast.Inspect(file, func(n ast.Node) bool {
				if literal, ok := n.(*ast.BasicLit); ok && literal.Kind == token.STRING {
					text, err := strconv.Unquote(literal.Value)
					require.NoError(t, err)
					if !strings.Contains(path, "server/") && !strings.Contains(path,
						"deploy/") && !strings.Contains(path, "databasetest") { // which speak of servers' programs too
						known(files.Position(n.Pos()).String(), text)
					}
				}
				return true
			})
			return nil
		})
		require.NoError(t, err)
	}
	for _, page := range pages(t) {
		data, err := os.ReadFile(page)
		require.NoError(t, err)
		for i, line := range strings.Split(string(data), "\n") {
			for _, m := range named.FindAllStringSubmatch(line, -1) {
				if strings.Contains(line, "`"+m[0]) || strings.HasPrefix(strings.TrimSpace(line), m[0]) ||
					strings.Contains(line, "$ "+m[0]) {
					known(page+":"+strconv.Itoa(i+1), m[0])
				}
			}
		}
	}
}

// pages returns the documentation.
func pages(t *testing.T) []string {
	t.Helper()
	list, err := filepath.Glob("../../docs/*.md")
	require.NoError(t, err)
	return append(list, "../../README.md")
}

// flagNames returns the options of a command.
func flagNames(c *cobra.Command) map[string]bool {
	names := map[string]bool{}
	for _, line := range strings.Split(c.LocalFlags().FlagUsages()+c.InheritedFlags().FlagUsages(), "\n") {
		if _, rest, ok := strings.Cut(line, "--"); ok {
			name, _, _ := strings.Cut(rest, " ")
			names[name] = true
		}
	}
	return names
}
