package haproxy

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/block"
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

// Insert puts the lines into the frontend: those that work out the answer behind its own lines for the content of
// requests, and those that give it before its own lines for requests.
func (Target) Insert(into server.Into) ([]server.Insertion, error) {
	work, answer, _ := strings.Cut(server.Piece(into.Files, FrontendFile), answerNote+"\n")
	at, err := places(server.Lines(into.Text))
	if err != nil {
		return nil, err
	}
	return []server.Insertion{{At: at.work, Text: work}, {At: at.answer, Text: answerNote + "\n" + answer}}, nil
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

// place is where lines go in a file, in bytes.
type place struct{ work, answer int }

// places finds where lines go in the file's one frontend. HAProxy reads all lines of "tcp-request content" before those
// of "http-request", and ours pass over what follows them for most requests.
func places(lines []string) (place, error) {
	blocks, err := block.Find(lines)
	if err != nil {
		return place{}, err
	}
	section, conditions, frontends, work, answer := "", 0, 0, 0, -1
	for i := 0; i < len(lines); i++ {
		first, w := i, server.Words(lines[i])
		b := slices.IndexFunc(blocks, func(b block.Block) bool { return b.Begin == i })
		if b >= 0 { // another site's lines
			w = []string{"http-request"}
			if strings.Contains(blocks[b].Text, "\ntcp-request ") {
				w = []string{"tcp-request", "content"}
			}
			i = blocks[b].End - 1
		}
		if len(w) == 0 {
			continue
		}
		switch w[0] {
		case ".if":
			conditions++
		case ".endif":
			conditions--
		case "global", "defaults", "frontend", "listen", "backend":
			section = w[0]
			if section == "frontend" {
				frontends, work, answer = frontends+1, i+1, -1
			}
		case "http-request":
			if section == "frontend" && answer < 0 {
				answer = first
			}
		case "tcp-request":
			content := len(w) > 1 && (w[1] == "content" || w[1] == "inspect-delay")
			switch {
			case !content || section != "frontend" && section != "defaults":
			case len(w) > 2 && w[2] == "accept":
				return place{}, fmt.Errorf(`line %d: "tcp-request content accept" lets requests past the lines of the `+
					`plan; take it out, or put them in by hand`, i+1)
			case section == "defaults":
			case conditions > 0:
				return place{}, fmt.Errorf("line %d stands under a condition, and the lines of the plan belong behind "+
					"it; put them in by hand", i+1)
			case answer >= 0:
				return place{}, fmt.Errorf(`line %d: HAProxy reads "tcp-request" before the "http-request" of line %d; `+
					`put it above that, since the lines of the plan belong between the two`, i+1, answer+1)
			default:
				work = i + 1
			}
		}
	}
	if frontends == 0 {
		return place{}, errors.New("the file has no frontend; name the one that does")
	}
	if frontends > 1 {
		return place{}, errors.New("the file has several frontends; put the lines into the site's own by hand")
	}
	if answer < 0 {
		answer = work
	}
	starts := server.LineStarts(lines)
	return place{starts[work], starts[answer]}, nil
}
