package nginx

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

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
func (Target) Insert(lines []string, _ []server.File, folder string, hosts []string) ([]server.Insertion, error) {
	return servers(lines, hosts, folder)
}

// Beside reports whether a file is one of those that nginx includes.
func (Target) Beside(name string) bool { return name != ExampleFile }

// Check lets nginx test the file: as a whole configuration, or included in one.
func (Target) Check(c server.Checked) (server.Check, error) {
	text := c.Text
	if !slices.ContainsFunc(server.Lines(string(text)), func(l string) bool {
		w := server.Words(l)
		return len(w) > 0 &&
			w[0] == "http"
	}) {
		text = fmt.Appendf(nil, "pid %s/pid;\nevents {}\nhttp {\n\tinclude %s;\n}\n", c.Folder, c.Path)
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

// servers finds the server blocks for the hosts.
func servers(lines, hosts []string, folder string) ([]server.Insertion, error) {
	within := "include " + filepath.Join(folder, ServerFile) + ";\n"
	before := server.Insertion{Text: "include " + filepath.Join(folder, HTTPFile) + ";\n"}
	var list []server.Insertion
	depth, open, openDepth, ours := 0, -1, 0, false
	inNames := false
	for i, line := range lines {
		w := server.Words(line)
		for j, word := range w {
			switch {
			case word == "{":
				depth++
				if j > 0 && w[j-1] == "http" {
					before.Line = i + 1
				}
				if j > 0 && w[j-1] == "server" {
					if j != len(w)-1 {
						return nil, fmt.Errorf("line %d: write the server's { as the last word of its line", i+1)
					}
					open, openDepth, ours = i+1, depth, false
				}
			case word == "}":
				if depth == openDepth && open >= 0 {
					if ours {
						list = append(list, server.Insertion{Line: open, Text: within})
					}
					open = -1
				}
				depth--
			case word == "server_name":
				inNames = true
			case word == ";":
				inNames = false
			case inNames && open >= 0:
				ours = ours || server.NamesHost([]string{word}, hosts)
			}
		}
	}
	if len(list) == 0 {
		return nil, server.ErrNoHost
	}
	return append([]server.Insertion{before}, list...), nil
}
