// Package demotest builds the demo's project for tests.
package demotest

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/book"
	"young-compass/internal/demo"
	"young-compass/internal/design"
	"young-compass/internal/finding"
	"young-compass/internal/gather"
	"young-compass/internal/inventory"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
)

// Today is the date on which the demo's addresses enter the book.
const Today = "2026-11-23"

// Gathered writes the demo's project as it is after gathering.
func Gathered(t testing.TB, dir string) *plan.Plan {
	t.Helper()
	Write(t, filepath.Join(dir, demo.Config), File(t, demo.Config))
	g := gather.Gatherer{Settings: Load(t, dir).Settings, Today: Today, Pages: &inventory.Inventory{},
		Book: &book.Book{}}
	_, err := g.Read(demo.OldSite, "", bytes.NewReader(File(t, demo.OldSite)))
	require.NoError(t, err)
	_, found := g.Merge()
	require.Empty(t, found)
	g.Pages.Find(inventory.Ref{Key: demo.CollidingKey, Language: "en"}).Fixed = demo.FixedAddress
	Write(t, filepath.Join(dir, project.PagesFile), g.Pages.Encode())
	Write(t, filepath.Join(dir, project.AddressesFile), g.Book.Encode())
	Write(t, filepath.Join(dir, demo.Redirects), File(t, demo.Redirects))
	return Load(t, dir)
}

// Accepted writes the demo's project as it is after the design is accepted.
func Accepted(t testing.TB, dir string) *plan.Plan {
	t.Helper()
	p := Gathered(t, dir)
	Accept(t, dir, p)
	return Load(t, dir)
}

// Accept accepts what the plan proposes.
func Accept(t testing.TB, dir string, p *plan.Plan) {
	t.Helper()
	proposals, found := design.Propose(p, design.Options{})
	require.False(t, finding.Worst(found, finding.Error), "%v", found)
	Write(t, filepath.Join(dir, project.AddressesFile), design.Accept(p.Book, proposals, Today).Encode())
}

// Load reads a project that has no errors.
func Load(t testing.TB, dir string) *plan.Plan {
	t.Helper()
	p, found, err := project.Load(dir)
	require.NoError(t, err)
	found = append(found, judge.Plan(p)...)
	require.False(t, finding.Worst(found, finding.Warning), "%v", found)
	return p
}

// File returns a file of the demo.
func File(t testing.TB, name string) []byte {
	t.Helper()
	data, err := demo.File(name)
	require.NoError(t, err)
	return data
}

// Write writes a file.
func Write(t testing.TB, path string, data []byte) {
	t.Helper()
	require.NoError(t, os.WriteFile(path, data, 0o644))
}

// Expected is a row of testdata/expected.tsv.
type Expected struct {
	Line                                              int
	Plan                                              string // a folder of testdata; empty: the demo's
	Method, URL, Outcome, Status, Location, Canonical string
	Internal, Headers, Forwarded                      string
}

// ReadExpected reads the rows of testdata/expected.tsv for a plan; root is the
// way to the repository.
func ReadExpected(t testing.TB, root, plan string) []Expected {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(root, "testdata", "expected.tsv"))
	require.NoError(t, err)
	var rows []Expected
	all, at := 0, ""
	for i, line := range strings.Split(string(data), "\n") {
		if line == "" || line[0] == '#' {
			continue
		}
		if name, ok := strings.CutPrefix(line, "@ "); ok {
			at = name
			continue
		}
		f := strings.Split(line, "\t")
		require.GreaterOrEqual(t, len(f), 6, "testdata/expected.tsv:%d", i+1)
		all++
		if at != plan {
			continue
		}
		for len(f) < 9 {
			f = append(f, "-")
		}
		headers := strings.Replace(f[7], "+", "Strict-Transport-Security: max-age=31536000", 1)
		rows = append(rows, Expected{i + 1, at, f[0], full(f[1]), f[2], f[3], full(f[4]), full(f[5]),
			strings.Replace(f[6], "~", "/inside/front.shtml", 1), headers, strings.TrimPrefix(f[8], "-")})
	}
	require.GreaterOrEqual(t, all, 400)
	return rows
}

// Plan loads one of the plans in testdata.
func Plan(t testing.TB, root, name string) *plan.Plan {
	t.Helper()
	return Load(t, filepath.Join(root, "testdata", name))
}

// full writes out the abbreviated origins.
func full(s string) string {
	origins := map[string]string{"O": "https://skerrywick.example", "W": "http://www.skerrywick.example",
		"S": "https://www.skerrywick.example",
		"H": "http://skerrywick.example", "F": "http://ferries.skerrywick.example",
		"G": "https://ferries.skerrywick.example",
		"C": "https://skerrywick-ch.example", "D": "http://skerrywick-ch.example"}
	if s != "" && origins[s[:1]] != "" && (len(s) == 1 || s[1] == '/') {
		return origins[s[:1]] + s[1:]
	}
	return s
}
