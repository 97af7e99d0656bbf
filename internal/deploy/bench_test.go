package deploy_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"young-compass/internal/compile"
	"young-compass/internal/deploy"
	"young-compass/internal/judge"
	"young-compass/internal/project"
	"young-compass/internal/server"
)

// BenchmarkEmit reads, checks, compiles and writes a plan of many redirects for
// each form, as the command does.
func BenchmarkEmit(b *testing.B) {
	const rows = 300_000
	dir := b.TempDir()
	var list strings.Builder
	list.WriteString("from,to,status\n")
	for i := range rows {
		fmt.Fprintf(&list, "/old/section-%d/page-%06d,/new/area-%d/article-%06d,301\n", i%97, i, i%31, i)
	}
	for name, text := range map[string]string{project.PlanFile: "site: {origin: https://skerrywick.example, " +
		"hosts: [www.skerrywick.example]}\n", project.RedirectsFile: list.String()} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			b.Fatal(err)
		}
	}
	for _, form := range deploy.Targets() {
		b.Run(form.Name(), func(b *testing.B) {
			for b.Loop() {
				p, _, err := project.Load(dir)
				if err != nil {
					b.Fatal(err)
				}
				judge.Plan(p)
				g, _, err := compile.Plan(p)
				if err != nil {
					b.Fatal(err)
				}
				form.Emit(g, server.Options{Anyway: true})
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/rows, "ns/row")
		})
	}
}
