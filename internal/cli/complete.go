package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/finding"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/probe"
	"young-compass/internal/step"
)

// complete lets a shell complete what the program knows: kinds, languages and pages of the project in which the person
// stands, codes of findings, steps, forms. Other arguments are files.
func (a *app) complete(root *cobra.Command) {
	fixed := func(words []string) cobra.CompletionFunc {
		return cobra.FixedCompletions(words, cobra.ShellCompDirectiveNoFileComp)
	}
	ofPlan := func(words func(p *plan.Plan) []string) cobra.CompletionFunc {
		return func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			a.folder.Dir = a.project
			p, _, err := a.folder.Load()
			if err != nil { // there is nothing to complete from
				return nil, cobra.ShellCompDirectiveNoFileComp
			}
			return words(p), cobra.ShellCompDirectiveNoFileComp
		}
	}
	of := func(path ...string) *cobra.Command {
		c, _, err := root.Find(path)
		if err != nil {
			return root
		}
		return c
	}
	flag := func(c *cobra.Command, name string, f cobra.CompletionFunc) { _ = c.RegisterFlagCompletionFunc(name, f) }
	flag(root, "format", func(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
		return formatsOf(c.Name()), cobra.ShellCompDirectiveNoFileComp
	})
	flag(root, "fail-on", fixed([]string{"error", "warning", "note", "never"}))
	flag(root, "color", fixed([]string{"auto", "always", "never"}))
	flag(of("design"), "only", ofPlan(kindsOf))
	flag(of("design"), "language", ofPlan(func(p *plan.Plan) []string { return p.Languages.Tags() }))
	flag(of("design"), "collide", fixed([]string{"number", "parent", "date", "ask"}))
	of("findings").ValidArgsFunction = func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		if len(args) > 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return codes(), cobra.ShellCompDirectiveNoFileComp
	}
	pages := ofPlan(pagesOf)
	of("pages", "join").ValidArgsFunction = pages
	add := of("redirects", "add")
	add.ValidArgsFunction = func(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
		if len(args) != 1 { // the first is an address
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return pages(c, args, begun)
	}
	of("probe").ValidArgsFunction = fixed(probe.Kinds())
	of("steps", "tell").ValidArgsFunction = fixed(step.Outside())
	of("steps", "forget").ValidArgsFunction = fixed(step.Outside())
}

// codes returns the codes of all findings, each with what it means.
func codes() (list []string) {
	for _, d := range finding.Catalogue() {
		list = append(list, string(d.Code)+"\t"+strings.TrimSuffix(d.What, "."))
	}
	return list
}

func kindsOf(p *plan.Plan) (list []string) {
	for _, k := range p.Kinds {
		list = append(list, k.Name)
	}
	return list
}

func pagesOf(p *plan.Plan) (list []string) {
	for i := range p.Pages.Pages {
		if page := &p.Pages.Pages[i]; page.State != inventory.Gone {
			list = append(list, page.Ref.String()+"\t"+page.Title)
		}
	}
	slices.Sort(list)
	return list
}
