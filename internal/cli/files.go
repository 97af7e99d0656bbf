package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"young-compass/internal/address"
	"young-compass/internal/finding"
	"young-compass/internal/plan"
	"young-compass/internal/server"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/nginx"
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
	c := &cobra.Command{
		Use:   "init",
		Short: "Start a project: write a commented plan",
		Long:  "Reads files only. Writes a commented young-compass.yaml into the project folder, unless there is one.",
		Args:  cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			o, err := address.Parse(origin)
			if err != nil || o != o.Origin() {
				return fmt.Errorf("--origin: %s is no origin; write scheme and host, such as https://skerrywick.example", address.Printable(origin))
			}
			path := a.in(plan.ConfigFile)
			if _, err := os.Stat(path); !errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("%s is there already; edit it, or choose another folder with --project", path)
			}
			other := "www." + o.Host
			if bare, ok := strings.CutPrefix(o.Host, "www."); ok {
				other = bare
			}
			return a.write(path, fmt.Appendf(nil, firstPlan, o.Base(), other))
		},
	}
	c.Flags().StringVar(&origin, "origin", "https://www.example.org", "the scheme and host that every address ends on")
	return c
}

// only returns the findings with one code.
func only(list []finding.Finding, code string) []finding.Finding {
	var out []finding.Finding
	for _, f := range list {
		if f.Code == code {
			out = append(out, f)
		}
	}
	return out
}

func (a *app) emitCommand() *cobra.Command {
	var directory string
	c := &cobra.Command{
		Use:       "emit FORM",
		Short:     "Write the plan for a web server: htaccess or nginx",
		Long:      "Reads files only. Writes the files for a server into a folder: htaccess (Apache's per-folder file) or nginx.",
		Args:      cobra.ExactArgs(1),
		ValidArgs: []string{"htaccess", "nginx"},
		RunE: func(_ *cobra.Command, args []string) error {
			forms := map[string]func(*plan.Program) ([]server.File, []finding.Finding){"htaccess": func(g *plan.Program) ([]server.File, []finding.Finding) { return httpd.Folder(g, true) }, "nginx": nginx.Emit}
			emit, ok := forms[args[0]]
			if !ok {
				return fmt.Errorf("emit: %s is no form; say htaccess or nginx", address.Printable(args[0]))
			}
			p, found, err := a.load()
			if err != nil {
				return err
			}
			if finding.Worst(found, finding.Error) {
				a.say("nothing written while there are errors")
				return a.print(report{findings: found})
			}
			program, more, err := p.Compile()
			if err != nil {
				return err
			}
			found = append(found, more...)
			if finding.Worst(more, finding.Error) {
				a.say("nothing written while there are errors")
				return a.print(report{findings: found})
			}
			files, more := emit(program)
			found = append(found, more...)
			if directory == "" {
				directory = filepath.Join(a.project, "out", args[0])
			}
			r := report{columns: []string{"file", "bytes"}, name: "files", findings: found, text: told}
			items := []map[string]any{}
			for _, f := range files {
				if err := a.write(filepath.Join(directory, f.Name), f.Data); err != nil {
					return err
				}
				r.rows = append(r.rows, []string{f.Name, fmt.Sprint(len(f.Data))})
				items = append(items, map[string]any{"file": f.Name, "bytes": len(f.Data)})
			}
			r.items = items
			r.counts = []count{{"addresses", "known addresses", len(program.Entries)}, {"patterns", "patterns", len(program.Patterns)}}
			return a.print(r)
		},
	}
	c.Flags().StringVar(&directory, "directory", "", "the folder to write to (out/FORM in the project)")
	return c
}
