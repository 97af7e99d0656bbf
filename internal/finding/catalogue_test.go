package finding_test

import (
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
)

var update = flag.Bool("update", false, "write docs/findings.md anew")

const root = "../.."

// Each code is documented by its constant, used by the program, and produced by a test.
func TestEachCodeIsDocumentedUsedAndProduced(t *testing.T) {
	declared := constants(t)
	all := finding.Catalogue()
	require.Len(t, all, len(declared))
	uses, tests := source(t, false), source(t, true)
	seen := map[finding.Code]bool{}
	for _, d := range all {
		assert.False(t, seen[d.Code], "%s stands there twice", d.Code)
		seen[d.Code] = true
		name, ok := declared[string(d.Code)]
		assert.True(t, ok, d.Code)
		assert.Contains(t, []finding.Severity{finding.Error, finding.Warning, finding.Note}, d.Severity, d.Code)
		for _, text := range []string{d.What, d.Why, d.Mend, d.Part} {
			assert.NotEmpty(t, text, d.Code)
		}
		assert.NotEmpty(t, d.Example, d.Code)
		assert.Contains(t, uses, "finding."+name, "nothing says %s", d.Code)
		assert.True(t, strings.Contains(tests, `"`+string(d.Code)) || strings.Contains(tests, "finding."+name) ||
			strings.Contains(tests, " "+string(d.Code)+":") ||
			strings.Contains(tests, string(d.Code)+"'"), "no test meets %s", d.Code)
	}
}

// constants returns the names of the constants of codes.go by their values.
func constants(t *testing.T) map[string]string {
	file, err := parser.ParseFile(token.NewFileSet(), "codes.go", nil, parser.ParseComments)
	require.NoError(t, err)
	names := map[string]string{}
	ast.Inspect(file, func(n ast.Node) bool {
		v, ok := n.(*ast.ValueSpec)
		if !ok {
			return true
		}
		value, err := strconv.Unquote(v.Values[0].(*ast.BasicLit).Value)
		require.NoError(t, err)
		names[value] = v.Names[0].Name
		assert.True(t, strings.HasPrefix(v.Doc.Text(), v.Names[0].Name+": "), v.Names[0].Name)
		return true
	})
	return names
}

// source returns the program's text, or that of its tests.
func source(t *testing.T, tests bool) string {
	var b strings.Builder
	for _, folder := range []string{"internal", "cmd"} {
		err := filepath.WalkDir(filepath.Join(root, folder), func(path string, e fs.DirEntry, err error) error {
			ofTests := strings.HasSuffix(path, "_test.go") || strings.Contains(path, "testdata/script") ||
				strings.HasSuffix(path, "demo/trouble.go")
			if err != nil || e.IsDir() || ofTests != tests && !(strings.HasSuffix(path, "demo/trouble.go") && tests) ||
				strings.HasSuffix(path, "finding/codes.go") {
				return err
			}
			if !strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, ".txt") {
				return nil
			}
			data, err := os.ReadFile(path)
			b.Write(data)
			if strings.Contains(path, "internal/finding/") { // where a code has no package in front
				b.WriteString(strings.ReplaceAll(string(data), "Code: ", "finding."))
			}
			return err
		})
		require.NoError(t, err)
	}
	return b.String()
}

func TestThePageOfFindingsIsAsTheCatalogue(t *testing.T) {
	var b strings.Builder
	b.WriteString("# Findings\n\nEvery finding has a code, which stays as it is, so that people and programs can " +
		"filter by it. This page is made from\n" +
		"`internal/finding/codes.go`. A command may say a milder severity than stands here; the pages of the " +
		"commands say more.\n")
	part := ""
	for _, d := range finding.Catalogue() {
		if d.Part != part {
			part = d.Part
			fmt.Fprintf(&b, "\n## %s\n\n| code | severity | what | why it matters | what to do | for example "+
				"|\n|---|---|---|---|---|---|\n", part)
		}
		example := "`" + strings.Join(d.Example, "` `") + "`"
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s | %s | %s |\n", d.Code, d.Severity, d.What, d.Why, d.Mend,
			strings.ReplaceAll(example, "|", "\\|"))
	}
	page := filepath.Join(root, "docs", "findings.md")
	if *update {
		require.NoError(t, os.WriteFile(page, []byte(b.String()), 0o644))
	}
	have, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, b.String(), string(have), "run go test ./internal/finding -update")
}
