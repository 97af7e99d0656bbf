//go:build linux

package main

import (
	"bytes"
	"context"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/cli"
	"young-compass/internal/demo"
	"young-compass/internal/demo/demotest"
)

func TestExitStatus(t *testing.T) {
	dir := t.TempDir()
	demotest.Accepted(t, dir)
	list := filepath.Join(dir, demo.OldRedirects)
	demotest.Write(t, list, demotest.File(t, demo.OldRedirects))
	demotest.Write(t, filepath.Join(dir, "no-table.csv"), []byte("a,b\n"))
	cancelled, cancel := context.WithCancel(context.Background())
	cancel()
	for args, want := range map[string]int{
		"design":                  0,
		"redirects check":         0,
		"redirects check " + list: 1,
		"redirects check --fail-on never " + list:      0,
		"lint --fail-on note":                          1,
		"lint --fail-on warning":                       0,
		"probe --at 127.0.0.1:1,1":                     1, // no server answers: each is a finding
		"probe --at 127.0.0.1":                         2,
		"redirects check missing.csv":                  2,
		"gather " + filepath.Join(dir, "no-table.csv"): 2,
		"emit tomcat":                                  2,
		"emit nginx htaccess":                          2,
		"emit htaccess --undo /nowhere":                2,
		"design --nonsense":                            2,
		"trace":                                        2,
		"design --output " + dir:                       3, // a folder can't be written as a file
	} {
		t.Run(args, func(t *testing.T) {
			var stdout, stderr bytes.Buffer
			got := cli.Main(context.Background(), append(strings.Fields(args), "--project", dir), strings.NewReader(""),
				&stdout, &stderr)
			assert.Equal(t, want, got, "%s\n%s%s", args, stdout.String(), stderr.String())
			if want >= 2 {
				assert.Equal(t, 1, strings.Count(stderr.String(), "\n"), "one clear line: %s", stderr.String())
			}
		})
	}
	assert.Equal(t, 3, cli.Main(cancelled, []string{"probe", "--project", dir, "--at", "127.0.0.1:1,1"}, nil,
		&bytes.Buffer{}, &bytes.Buffer{}), "interrupted")
}
