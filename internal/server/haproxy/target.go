package haproxy

import (
	"errors"

	"young-compass/internal/server"
)

// Target is HAProxy.
type Target struct{}

// Name returns "haproxy".
func (Target) Name() string { return "haproxy" }

// Title returns the server's name.
func (Target) Title() string { return "HAProxy" }

// Checker names HAProxy's program.
func (Target) Checker() string { return "haproxy" }

// Differences returns what HAProxy answers otherwise.
func (Target) Differences() []server.Difference { return server.Everywhere() }

// Limits returns what HAProxy can't do.
func (Target) Limits() map[server.Feature]string {
	return map[server.Feature]string{server.LongAddresses: "refused above 8 kB", server.OtherBytes: "as sent"}
}

// Insert puts the lines at the beginning of the frontend.
func (Target) Insert(into server.Into) ([]server.Insertion, error) {
	return frontends(server.Lines(into.Text), server.Piece(into.Files, FrontendFile))
}

// Pieces reports that other files lie beside it.
func (Target) Pieces() bool { return true }

// Beside reports whether a file is the table that HAProxy reads.
func (Target) Beside(name string) bool { return name == MapFile }

// Check lets HAProxy check the file.
func (Target) Check(c server.Checked) (server.Check, error) {
	return server.Check{Args: []string{"-c", "-q", "-f", c.Path}}, nil
}

// Whole says how HAProxy checks the file.
func (Target) Whole(file, _ string) (server.Whole, bool) {
	return server.Whole{Main: file, Check: []string{"-c", "-q", "-f", file}}, true
}

// frontends finds HAProxy's frontends. A comment says so where only some are
// the site's.
func frontends(lines []string, text string) ([]server.Insertion, error) {
	var list []server.Insertion
	starts := server.LineStarts(lines)
	for i, line := range lines {
		if w := server.Words(line); len(w) > 1 && w[0] == "frontend" {
			list = append(list, server.Insertion{At: starts[i+1], Text: text})
		}
	}
	if len(list) == 0 {
		return nil, errors.New("the file has no frontend; name the one that does")
	}
	if len(list) > 1 {
		return nil, errors.New("the file has several frontends; put the lines into the site's own by hand")
	}
	return list, nil
}
