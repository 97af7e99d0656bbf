package main

import (
	"context"
	"os"
	"testing"

	"github.com/rogpeppe/go-internal/testscript"

	"young-compass/internal/cli"
	"young-compass/internal/demo"
)

func TestMain(m *testing.M) {
	testscript.Main(m, map[string]func(){
		"young-compass": func() {
			os.Exit(cli.Main(context.Background(), os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
		},
	})
}

// TestScripts drives the program in a temporary folder that holds the demo's
// files, on a fixed day.
func TestScripts(t *testing.T) {
	testscript.Run(t, testscript.Params{
		Dir:                 "testdata/script",
		RequireExplicitExec: true,
		Setup: func(env *testscript.Env) error {
			env.Setenv("SOURCE_DATE_EPOCH", "1795428000") // 2026-11-23
			for name, as := range map[string]string{
				demo.Config: "plan.yaml", demo.OldSite: "old-site.csv", demo.OldRedirects: "old-redirects.csv",
				demo.Redirects: "mended.csv", demo.IslandGuide: "island-guide.csv",
			} {
				data, err := demo.File(name)
				if err != nil {
					return err
				}
				if err := os.WriteFile(env.WorkDir+"/"+as, data, 0o644); err != nil {
					return err
				}
			}
			return demo.CopySources(env.WorkDir)
		},
	})
}
