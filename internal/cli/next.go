package cli

import (
	"github.com/spf13/cobra"

	"young-compass/internal/term"
)

// next returns the command that a person usually runs after another one, in the order of the work; written says that
// the one before has written what it proposes.
func next(command string, written bool) string {
	if written {
		switch command {
		case "propose":
			return "young-compass design"
		case "design":
			return "young-compass redirects coverage"
		case "relink":
			return "young-compass relink PATH --check"
		}
	}
	return map[string]string{
		"init":               "young-compass gather SOURCE..., once the plan names the site's languages and kinds of pages",
		"gather":             "young-compass lint, or young-compass design",
		"propose":            "young-compass propose SOURCE... --write",
		"lint":               "young-compass design",
		"design":             "young-compass design --write",
		"pair":               "young-compass redirects merge PAIRS --sure 0.9, and pair --review for the doubtful ones",
		"redirects check":    "young-compass redirects coverage",
		"redirects flatten":  "young-compass redirects merge LIST",
		"redirects fold":     "young-compass redirects fold --write 1,2",
		"redirects merge":    "young-compass redirects check",
		"redirects add":      "young-compass redirects check",
		"redirects coverage": "young-compass redirects add FROM TO, or young-compass emit FORM",
		"relink":             "young-compass relink PATH --write",
		"emit":               "young-compass probe redirects hosts --at ADDRESS",
		"emit sitemap":       "young-compass emit robots",
		"emit robots":        "young-compass emit head",
		"emit head":          "young-compass probe canonicals languages index",
		"probe":              "young-compass steps",
		"trace":              "young-compass trace URL --explain",
		"report":             "young-compass steps",
	}[command]
}

// tellNext says on a terminal which command comes next.
func (a *app) tellNext(c *cobra.Command) {
	if a.quiet || a.format != "table" || !term.IsTerminal(a.stderr) {
		return
	}
	name := c.CommandPath()[len(c.Root().Name()):]
	written := c.Flags().Changed("write")
	if name == "" || c.Flags().Changed("help") {
		return
	}
	if command := next(name[1:], written); command != "" {
		a.sayLine(a.style(a.stderr).Dim("next: " + command))
	}
}
