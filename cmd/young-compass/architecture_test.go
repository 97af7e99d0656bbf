//go:build linux

package main

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every package has its sentence in docs/architecture.md, and imports only packages above it.
func TestImportsGoOneWay(t *testing.T) {
	const root = "../.."
	page, err := os.ReadFile(filepath.Join(root, "docs", "architecture.md"))
	require.NoError(t, err)
	_, rest, _ := strings.Cut(string(page), "```\n")
	listing, _, _ := strings.Cut(rest, "```")
	place := map[string]int{}
	for i, line := range strings.Split(listing, "\n") {
		if name, sentence, ok := strings.Cut(line, " "); ok && !strings.HasPrefix(line, "-") {
			assert.NotEmpty(t, strings.TrimSpace(sentence))
			place[name] = i + 1
		}
	}
	folder := func(path string) string { // server/nginx stands with server
		name, _, _ := strings.Cut(strings.TrimPrefix(path, "internal/"), "/")
		return name
	}
	err = filepath.WalkDir(filepath.Join(root, "internal"), func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		local, err := filepath.Rel(root, path)
		require.NoError(t, err)
		own := folder(filepath.ToSlash(local))
		if strings.Contains(local, "demotest") || strings.Contains(local, "databasetest") {
			return nil // for tests alone
		}
		require.NotZero(t, place[own], "%s has no sentence in docs/architecture.md", own)
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, imported := range file.Imports {
			text := strings.Trim(imported.Path.Value, `"`)
			if other, ok := strings.CutPrefix(text, "young-compass/"); ok && folder(other) != own {
				assert.Less(t, place[folder(other)], place[own], "%s imports %s, which stands below it", own,
					folder(other))
			}
		}
		return nil
	})
	require.NoError(t, err)
}
