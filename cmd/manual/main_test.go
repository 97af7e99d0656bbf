package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/cli"
)

func TestTheCommandsPageIsCurrent(t *testing.T) {
	have, err := os.ReadFile("../../docs/commands.md")
	require.NoError(t, err)
	assert.Equal(t, commands(cli.Commands()), string(have), "run go run ./cmd/manual commands docs/commands.md")
}

// What is packed is there for every command and shell, and the same whenever it is made.
func TestManPagesAndCompletions(t *testing.T) {
	var made [2]map[string]string
	for i := range made {
		dir := t.TempDir()
		require.NoError(t, run([]string{"man", dir}))
		require.NoError(t, run([]string{"completions", dir}))
		made[i] = map[string]string{}
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		for _, e := range entries {
			data, err := os.ReadFile(filepath.Join(dir, e.Name()))
			require.NoError(t, err)
			made[i][e.Name()] = string(data)
		}
	}
	assert.Equal(t, made[0], made[1])
	for _, name := range []string{"young-compass.1", "young-compass-redirects-check.1", "young-compass-report.1", "young-compass.bash",
		"_young-compass", "young-compass.fish"} {
		assert.NotEmpty(t, made[0][name], name)
	}
	assert.Contains(t, made[0]["young-compass-design.1"], "collide")
	assert.True(t, strings.HasPrefix(made[0]["_young-compass"], "#compdef young-compass"))
	assert.Error(t, run(nil))
	assert.Error(t, run([]string{"nothing", "x"}))
}
