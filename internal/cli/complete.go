package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/deploy"
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
	flag(root, "format", fixed([]string{"table", "json", "csv", "ndjson", "junit", "sarif"}))
	flag(root, "fail-on", fixed([]string{"error", "warning", "note", "never"}))
	flag(root, "color", fixed([]string{"auto", "always", "never"}))
	flag(of("design"), "only", ofPlan(kindsOf))
	flag(of("design"), "language", ofPlan(languagesOf))
	flag(of("design"), "collide", fixed([]string{"number", "parent", "date", "ask"}))
	of("findings").ValidArgsFunction = firstArgument(fixed(codes()))
	of("pages", "join").ValidArgsFunction = ofPlan(pagesOf)
	pages := ofPlan(pagesOf)
	add := of("redirects", "add")
	add.ValidArgsFunction = func(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
		if len(args) != 1 { // the first is an address
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return pages(c, args, begun)
	}
	var forms []string
	for _, target := range deploy.Targets() {
		forms = append(forms, target.Name())
	}
	of("emit").ValidArgsFunction = fixed(forms)
	of("probe").ValidArgsFunction = fixed(probe.Kinds())
	of("steps").ValidArgsFunction = fixed(step.Jobs())
	of("steps", "tell").ValidArgsFunction = fixed(step.Outside())
	of("steps", "forget").ValidArgsFunction = fixed(step.Outside())
}

// firstArgument completes one argument alone.
func firstArgument(f cobra.CompletionFunc) cobra.CompletionFunc {
	return func(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
		if len(args) > 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return f(c, args, begun)
	}
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

func languagesOf(p *plan.Plan) []string {
	list := []string{p.Languages.Default}
	for _, l := range p.Languages.Others {
		list = append(list, l.Tag)
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
