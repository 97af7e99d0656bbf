package nginx

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"young-compass/internal/server"
)

// Target is nginx.
type Target struct{}

// Name returns "nginx".
func (Target) Name() string { return "nginx" }

// Title returns the server's name.
func (Target) Title() string { return "nginx" }

// Checker names nginx's program.
func (Target) Checker() string { return "nginx" }

// Differences returns what nginx answers otherwise.
func (Target) Differences() []server.Difference {
	return append(server.Everywhere(), server.SlashesFirst(), server.BoundedRuns(), server.RefusedPaths(),
		server.CapitalsStay())
}

// Limits returns what nginx can't do.
func (Target) Limits() map[server.Feature]string {
	return map[server.Feature]string{
		server.LongAddresses: "refused", server.OtherLetters: "letters stay", server.DotSegments: "slashes first",
		server.AboveRoot:      "400",
		server.ManyParameters: "two hops", server.OtherBytes: "as sent",
	}
}

// Insert puts one include into the http block, and one at the beginning of each server block of the site.
func (Target) Insert(into server.Into) ([]server.Insertion, error) { return servers(into) }

// Pieces reports that other files lie beside it.
func (Target) Pieces() bool { return true }

// Beside reports whether a file is one of those that nginx includes.
func (Target) Beside(name string) bool { return name != ExampleFile }

// Check lets nginx test the file: as a whole configuration, or included in one.
func (Target) Check(c server.Checked) (server.Check, error) {
	text := c.Text
	if _, _, err := (Target{}).Main(string(text)); err != nil { // no http block
		text = fmt.Appendf(nil, "pid %s/pid;\nevents {}\nhttp {\n\taccess_log off;\n\tinclude %s;\n}\n", c.Folder,
			c.Path)
	}
	// Names in it are relative to the folder of the file that is checked.
	f, err := os.CreateTemp(c.Root, ".young-compass-check-*")
	if err != nil {
		return server.Check{}, err
	}
	_, err = f.Write(text)
	args := []string{"-t", "-q", "-p", c.Root, "-e", filepath.Join(c.Folder, "error.log"), "-c", f.Name()}
	return server.Check{Args: args, Remove: f.Name()}, errors.Join(err, f.Close())
}

// Whole says how nginx checks its configuration, if it begins with nginx.conf.
func (Target) Whole(_, root string) (server.Whole, bool) {
	main := filepath.Join(root, "nginx.conf")
	if _, err := os.Stat(main); err != nil {
		return server.Whole{}, false
	}
	return server.Whole{Main: main, List: []string{"-T", "-q", "-c", main}, Check: []string{"-t", "-q", "-c", main},
		Names: func(line string) (string, bool) {
			file, ok := strings.CutPrefix(line, "# configuration file ")
			return strings.TrimSuffix(file, ":"), ok
		}}, true
}
