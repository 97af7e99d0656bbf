//go:build linux

package main

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/testscript"
	_ "modernc.org/sqlite" // registers the driver

	"young-compass/internal/cli"
	"young-compass/internal/demo"
)

// tests are all tests of the package; the program that they built is deleted behind them.
type tests struct{ *testing.M }

func (t tests) Run() int {
	defer func() { _ = os.RemoveAll(builtFolder()) }()
	return t.M.Run()
}

func TestMain(m *testing.M) {
	testscript.Main(tests{m}, map[string]func(){
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
			return errors.Join(demo.CopySources(env.WorkDir), demo.MakeDatabase(env.WorkDir))
		},
		Cmds: map[string]func(ts *testscript.TestScript, neg bool, args []string){"sqlite": runSQL},
	})
}

// runSQL is a command of scripts: it runs a statement, or those of a file, or requires that a query brings a text.
//
//	sqlite site.db site.sql
//	sqlite site.db 'SELECT count(*) FROM post' 5
func runSQL(ts *testscript.TestScript, _ bool, args []string) {
	db, err := sql.Open("sqlite", ts.MkAbs(args[0]))
	ts.Check(err)
	defer func() { _ = db.Close() }()
	if len(args) == 2 {
		script := args[1]
		if strings.HasSuffix(script, ".sql") {
			script = ts.ReadFile(script)
		}
		_, err := db.Exec(script)
		ts.Check(err)
		return
	}
	var got string
	ts.Check(db.QueryRow(args[1]).Scan(&got))
	if want := strings.Join(args[2:], " "); got != want {
		ts.Fatalf("%s brings %q, not %q", args[1], got, want)
	}
}
