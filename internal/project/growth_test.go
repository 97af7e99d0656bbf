package project_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"young-compass/internal/address"
	"young-compass/internal/compile"
	"young-compass/internal/coverage"
	"young-compass/internal/judge"
	"young-compass/internal/plan"
	"young-compass/internal/project"
	"young-compass/internal/redirect"
)

// grown returns a project of n pages, n redirects from old scripts to the home page, and some patterns.
func grown(b *testing.B, n int) *plan.Plan {
	b.Helper()
	dir := b.TempDir()
	words := strings.Fields("ferry quay tide island harbour lamp rope gull deck anchor storm winter bell chart " +
		"compass sheep cabin pier wave")
	var config, pages, book, rows strings.Builder
	config.WriteString("site: {origin: https://skerrywick.example}\nrules:\n")
	for i := range n / 10 {
		fmt.Fprintf(&config, "  - {from: '/archive-%d/{x}', to: '/stories-%d/{x}'}\n", i, i)
	}
	pages.WriteString("key,language,title,state\nhome,en,Home,live\n")
	book.WriteString("address,page,state\nhttps://skerrywick.example/,home@en,current\n")
	rows.WriteString("from,to,status\n")
	for i := range n {
		title := fmt.Sprintf("%s %s %s %d", words[i%len(words)], words[i/7%len(words)], words[i/31%len(words)], i)
		fmt.Fprintf(&pages, "p%d,en,%s,live\n", i, title)
		fmt.Fprintf(&book, "https://skerrywick.example/pages/%s,p%d@en,current\n", strings.ReplaceAll(title, " ", "-"),
			i)
		fmt.Fprintf(&rows, "/old-%d.htm,/,301\n/script-%d.php?id=1,/pages/%s,301\n", i, i,
			strings.ReplaceAll(title, " ", "-"))
	}
	for i := range n / 10 {
		fmt.Fprintf(&rows, "/before-%d/{x},/after-%d/{x},301\n/after-%d/y,/script-%d.php?id=1,301\n", i, i, i, i)
	}
	for name, text := range map[string]string{
		project.PlanFile: config.String(), project.PagesFile: pages.String(), project.AddressesFile: book.String(),
		project.RedirectsFile: rows.String(),
	} {
		require.NoError(b, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	p, _, err := project.Load(dir)
	require.NoError(b, err)
	return p
}

// BenchmarkGrowth shows that nothing costs more for each row or page when there are more of them.
func BenchmarkGrowth(b *testing.B) {
	for _, part := range []struct {
		name string
		do   func(p *plan.Plan)
	}{
		{"judge", func(p *plan.Plan) { judge.Redirects(p, redirect.Examine(p.Redirects, p.World())) }},
		{"flatten", func(p *plan.Plan) { redirect.Flatten(p.Redirects, p.World(), redirect.Straight) }},
		{"compile", func(p *plan.Plan) { _, _, _ = compile.Plan(p) }},
		{"coverage", func(p *plan.Plan) {
			var lost []coverage.Known
			for _, page := range p.Pages.Pages {
				a := p.Site.Origin
				a.Path = "/gone/" + strings.ReplaceAll(page.Title, " ", "_") + ".htm"
				lost = append(lost, coverage.Known{Address: a})
			}
			coverage.Of(p, lost)
		}},
		{"add-one-row", func(p *plan.Plan) {
			more := redirect.NewList(p.Site)
			more.Append(redirect.Redirect{From: "/x", To: "/pages",
				Target: address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/pages"}, Status: 301})
			_, _, _ = project.Take(p, more, nil)
		}},
	} {
		for _, n := range []int{1000, 2000, 4000, 8000} {
			b.Run(fmt.Sprintf("%s/%d", part.name, n), func(b *testing.B) {
				p := grown(b, n)
				b.ResetTimer()
				for b.Loop() {
					part.do(p)
				}
				b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/page")
			})
		}
	}
}
