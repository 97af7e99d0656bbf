package cli

import (
	"strings"

	"github.com/spf13/cobra"
)

// examples returns two commands for each command's help, as they are run in the demo's folder. A test runs them.
func examples() map[string][]string {
	return map[string][]string{
		"init": {"init --origin https://skerrywick.example --project new-site",
			"init --origin https://skerrywick.example --project second-site --schema"},
		"gather": {"gather old-site.csv",
			"gather sources/access.log sources/sitemap-index.xml sources/pages"},
		"propose": {"propose old-site.csv sources/access.log",
			"propose old-site.csv --origin https://skerrywick.example --project new-site --write"},
		"pages": {"pages join tickets@en contact@en",
			"pages join guide-weather@en guide-tides@en --quiet"},
		"pages join": {"pages join tickets@en contact@en",
			"pages join guide-weather@en guide-tides@en --quiet"},
		"lint":   {"lint", "lint old-site.csv --all"},
		"design": {"design --sample 5", "design --collide parent --write"},
		"pair": {"pair island-guide.csv . --output pairs.csv",
			"pair old-site.csv island-guide.csv --output pairs.csv --sample 3"},
		"redirects": {"redirects check", "redirects coverage --sample 3"},
		"redirects add": {"redirects add /ferry-times.html section-timetables@en",
			"redirects add /old/prices.htm --status 410"},
		"redirects check":    {"redirects check", "redirects check old-redirects.csv"},
		"redirects coverage": {"redirects coverage", "redirects coverage island-guide.csv --at-least 80"},
		"redirects flatten": {"redirects flatten old-redirects.csv",
			"redirects flatten old-redirects.csv --output flat.csv"},
		"redirects fold":    {"redirects fold", "redirects fold --format csv"},
		"redirects merge":   {"redirects merge old-redirects.csv", "redirects merge pairs.csv --sure 0.9"},
		"redirects preview": {"redirects preview", "redirects preview old-site.csv"},
		"relink":            {"relink content", "relink --db sqlite:content.db"},
		"trace":             {"trace '/index.php?sec=route&item=214&lang=de'", "trace --explain /Guides/Tides.html"},
		"emit":              {"emit nginx", "emit htaccess --trial --directory out/trial"},
		"emit head":         {"emit head", "emit head --as csv"},
		"emit robots":       {"emit robots", "emit robots --directory out"},
		"emit sitemap":      {"emit sitemap", "emit sitemap --directory out"},
		"serve":             {"serve", "serve --write-ca plan.pem --admin ''"},
		"probe": {"probe redirects hosts --at 127.0.0.1:8080,8443 --ca plan.pem",
			"probe https --at 127.0.0.1:8080,8443 --ca plan.pem --save monday"},
		"probe explain": {"probe explain /contact --at 127.0.0.1:8080,8443 --ca plan.pem",
			"probe explain '/index.php?sec=route&item=214' --at 127.0.0.1:8080,8443 --ca plan.pem"},
		"steps":        {"steps", "steps move"},
		"steps tell":   {"steps tell hand-in", "steps tell registration --note 'both services'"},
		"steps forget": {"steps forget hand-in", "steps forget registration"},
		"report":       {"report", "report --output report.html --title 'Skerrywick Ferries: the new addresses'"},
		"findings":     {"findings", "findings chain"},
		"demo":         {"demo", "demo --keep demo"},
	}
}

// exemplify gives each command its examples.
func exemplify(root *cobra.Command) {
	all := examples()
	var give func(c *cobra.Command)
	give = func(c *cobra.Command) {
		path := strings.TrimPrefix(strings.TrimPrefix(c.CommandPath(), root.Name()), " ")
		for i, line := range all[path] {
			if i > 0 {
				c.Example += "\n"
			}
			c.Example += "  " + root.Name() + " " + line
		}
		for _, sub := range c.Commands() {
			give(sub)
		}
	}
	give(root)
}
