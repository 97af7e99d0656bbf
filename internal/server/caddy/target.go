package caddy

import (
	"errors"
	"path/filepath"
	"slices"

	"young-compass/internal/server"
)

// Target is Caddy.
type Target struct{}

// Name returns "caddy".
func (Target) Name() string { return "caddy" }

// Title returns the server's name.
func (Target) Title() string { return "Caddy" }

// Checker names Caddy's program.
func (Target) Checker() string { return "caddy" }

// Differences returns what Caddy answers otherwise.
func (Target) Differences() []server.Difference {
	return append(server.Everywhere(), server.SlashesFirst(), server.BoundedRuns(), server.CapitalsStay())
}

// Limits returns what Caddy can't do.
func (Target) Limits() map[server.Feature]string {
	return map[server.Feature]string{
		server.ListedRedirects: "slow from 200", server.RawBytes: "refused", server.Braces: "refused",
		server.OtherLetters: "letters stay",
		server.DotSegments:  "slashes first", server.ManyParameters: "two hops", server.OtherBytes: "as sent",
		server.Installing: "into a route block",
	}
}

// Insert puts an import at the beginning of each route block of the site.
func (Target) Insert(into server.Into) ([]server.Insertion, error) {
	return routes(server.Lines(into.Text), into.Hosts, "import "+filepath.Join(into.Folder, RouteFile)+"\n")
}

// Pieces reports that other files lie beside it.
func (Target) Pieces() bool { return true }

// Beside reports whether a file is one of those that Caddy imports.
func (Target) Beside(name string) bool { return name != ExampleFile }

// Check lets Caddy validate the file.
func (Target) Check(c server.Checked) (server.Check, error) {
	return server.Check{Args: []string{"validate", "--config", c.Path, "--adapter", "caddyfile"}}, nil
}

// Whole says how Caddy checks the file.
func (Target) Whole(file, _ string) (server.Whole, bool) {
	return server.Whole{Main: file, Check: []string{"validate", "--config", file, "--adapter", "caddyfile"}}, true
}

// routes finds the route blocks of a Caddyfile's sites. Without one there is no
// place where the lines would surely come first.
func routes(lines, hosts []string, text string) ([]server.Insertion, error) {
	var list []server.Insertion
	starts := server.LineStarts(lines)
	depth, ours := 0, false
	for i, line := range lines {
		w := server.Words(line)
		if depth == 0 && slices.Contains(w, "{") {
			ours = server.NamesHost(w, hosts)
		}
		if depth == 1 && ours && slices.Equal(w, []string{"route", "{"}) {
			list = append(list, server.Insertion{At: starts[i+1], Text: text})
		}
		for _, word := range w {
			switch word {
			case "{":
				depth++
			case "}":
				depth--
			}
		}
	}
	if len(list) == 0 {
		return nil, errors.New("no site of the file that answers for one of the site's hosts has a route block; " +
			"put its directives into one: route { ... }")
	}
	return list, nil
}
