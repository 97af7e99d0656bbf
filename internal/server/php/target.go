package php

import (
	"young-compass/internal/server"
	"young-compass/internal/server/httpd"
)

// Name returns "php".
func (Target) Name() string { return "php" }

// Title says what it is.
func (Target) Title() string { return "A script in PHP, with a short per-folder file" }

// Checker names httpd's program.
func (Target) Checker() string { return httpd.Folder{}.Checker() }

// Differences returns what is answered otherwise: httpd looks at a request before the script does.
func (Target) Differences() []server.Difference {
	var list []server.Difference
	for _, d := range server.Everywhere() {
		if d.Code != "spelling" { // the script writes addresses in normal form
			list = append(list, d)
		}
	}
	return append(list, server.RefusedPaths(), server.LongSegment())
}

// Limits returns what can't be done.
func (Target) Limits() map[server.Feature]string {
	return map[server.Feature]string{server.AboveRoot: "400 or 404", server.LongAddresses: "refused above 8 kB"}
}

// Insert puts the lines in front of everything.
func (Target) Insert(into server.Into) ([]server.Insertion, error) {
	return []server.Insertion{{Text: server.Piece(into.Files, FolderFile)}}, nil
}

// Pieces reports that other files lie beside it.
func (Target) Pieces() bool { return true }

// Beside reports whether a file is the script, or one that it reads.
func (Target) Beside(name string) bool { return name != FolderFile }

// Visible reports that the pieces lie below the document root.
func (Target) Visible() bool { return true }

// Script reports that a script answers before rules of the site's own are asked.
func (Target) Script() bool { return true }

// Below finds the per-folder files below a folder that switch rewriting on, and with it the rules of the folders above off.
func (Target) Below(root string) ([]string, error) { return httpd.Folder{}.Below(root) }

// Check lets httpd read the lines as those of a folder.
func (Target) Check(c server.Checked) (server.Check, error) { return httpd.Folder{}.Check(c) }

// Whole reports that httpd can't be asked about a per-folder file: it reads those when visitors come.
func (Target) Whole(string, string) (server.Whole, bool) { return server.Whole{}, false }
