package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/planfile"
	"young-compass/internal/project"
	"young-compass/internal/safefile"
)

// firstPlan is what init writes; %s is the origin.
const firstPlan = `# The plan of a site: how its addresses look. See docs/plan.md.
site:
  origin: %s
  hosts: [%s]          # lead there, on http and https
  # known: [media.skerrywick.example]  # foreign hosts that redirects may lead to
  paths:
    slash: never                       # or keep: no slash at the end of an address
    letters: lower                     # or keep: small letters only
    extension: none                    # or keep: no .html, .htm, .php at the end
    index: [index.html, index.php]     # never show
    # depth: 4                         # segments, at most
    # length: 75                       # characters of the path, at most
  # files: [/assets/, .pdf]            # served as they are, besides images, styles and the like
languages:
  default: en                          # has no prefix
  # others: {de: {prefix: de}}
  # words: {news: {de: nachrichten}}   # words of the templates below, by language
# parameters:                          # what they are for
#   identity: [season]                 # selects the content
#   pagination: [page]
#   display: [sort]                    # sorts or filters; the canonical address leaves it out
#   tracking: ["utm_*"]                # carried along, never a reason to redirect
#   noise: [sid]                       # redirected away
# slugs:                               # how titles become words of addresses
#   length: 60
#   fillers: {en: [a, the, of]}
#   spelling: {nb: {ø: oe}}
#   collide: number                    # how pages with one address are told apart
kinds:                                 # the address of each kind of page
  page: {address: "/{slug}"}
# rules:                               # redirects by pattern
#   - {from: "/news/{id}.htm", to: "/articles/{id}", class: {id: digits}}
`

func (a *app) initCommand() *cobra.Command {
	var origin string
	var schema bool
	c := &cobra.Command{
		Use:   "init",
		Short: "Start a project: write a commented plan",
		Long:  "Reads files only. Writes a commented young-compass.yaml into the project folder, unless there is one.",
		Args:  cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			o, err := address.Parse(origin)
			if err != nil || o != o.Origin() {
				return fmt.Errorf("--origin: %s is not an origin; write scheme and host, such as "+
					"https://skerrywick.example",
					address.Printable(origin))
			}
			path := a.in(project.PlanFile)
			if _, err := os.Stat(path); !errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("%s is there already; edit it, or choose another folder with --project", path)
			}
			other := "www." + o.Host
			if bare, ok := strings.CutPrefix(o.Host, "www."); ok {
				other = bare
			}
			text := fmt.Appendf(nil, firstPlan, o.Base(), other)
			if !schema {
				return a.writeAll(safefile.File{Path: path, Data: text, Was: &safefile.Sum{}})
			}
			text = append([]byte("# yaml-language-server: $schema="+schemaFile+"\n"), text...)
			return a.writeAll(safefile.File{Path: a.in(schemaFile), Data: planfile.Schema()},
				safefile.File{Path: path, Data: text, Was: &safefile.Sum{}})
		},
	}
	c.Flags().StringVar(&origin, "origin", "https://www.example.org", "the scheme and host that every address ends on")
	c.Flags().BoolVar(&schema, "schema", false,
		"write "+schemaFile+" beside it, by which editors complete keys and mark mistakes")
	return c
}

// schemaFile is the JSON Schema of a plan. The first line of the plan names it, as editors read it.
const schemaFile = "young-compass.schema.json"

// only returns the findings with one code.
func only(list []finding.Finding, code finding.Code) []finding.Finding {
	var out []finding.Finding
	for _, f := range list {
		if f.Code == code {
			out = append(out, f)
		}
	}
	return out
}
