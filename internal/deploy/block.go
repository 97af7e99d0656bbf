package deploy

import (
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/block"
	"young-compass/internal/server"
)

// joined says of a block that it was put behind a word, on a line of its own for which the line was parted.
const joined = "joined"

// ours reports whether a block is a target's, for one of these hosts; with no hosts, for any.
func ours(b block.Block, target string, hosts []string) bool {
	site, _, _ := strings.Cut(b.Note, " ")
	if site == "" || len(hosts) == 0 {
		return b.Name == target && site != allSites
	}
	return b.Name == target && slices.Contains(hosts, site)
}

// Remove takes out what was installed for a target and these hosts, and leaves every other line as it is. The error is
// of type *block.EditedError when a person has edited it.
func Remove(text []byte, target string, hosts []string) (rest []byte, removed int, err error) {
	lines := server.Lines(string(text))
	list, err := block.Find(lines)
	if err != nil {
		return nil, 0, err
	}
	var b strings.Builder
	at := 0
	for _, x := range list {
		if !ours(x, target, hosts) {
			continue
		}
		if err := x.Edited(); err != nil {
			return nil, 0, err
		}
		before := strings.Join(lines[at:x.Begin], "")
		if strings.HasSuffix(x.Note, " "+joined) {
			before = strings.TrimSuffix(strings.TrimSuffix(before, "\n"), "\r")
		}
		b.WriteString(before)
		at = x.End
		removed++
	}
	b.WriteString(strings.Join(lines[at:], ""))
	return []byte(b.String()), removed, nil
}

// Insert puts the pieces of a target into a server's file, from which Remove has taken earlier ones. The marks name the
// first of the hosts.
func Insert(target server.Target, into server.Into) ([]byte, error) {
	if strings.HasPrefix(into.Text, "\xef\xbb\xbf") {
		return nil, errors.New("the file begins with a byte order mark, which its server doesn't read; save it without")
	}
	list, err := target.Insert(into)
	if err != nil {
		return nil, err
	}
	ending := "\n"
	if strings.Contains(into.Text, "\r\n") {
		ending = "\r\n"
	}
	var b strings.Builder
	at := 0
	for _, x := range list {
		b.WriteString(into.Text[at:x.At])
		note := into.Hosts[0]
		if x.At > 0 && into.Text[x.At-1] != '\n' {
			if x.At == len(into.Text) {
				return nil, errors.New("the last line has no end; end it with a line break first")
			}
			note += " " + joined
			b.WriteString(ending)
		}
		b.WriteString(block.Marked(target.Name(), note, x.Text, ending))
		at = x.At
	}
	b.WriteString(into.Text[at:])
	return []byte(b.String()), nil
}

// Installed returns the lines that are installed in a file for a target and these hosts, without the marks.
func Installed(text []byte, target string, hosts []string) string {
	list, err := block.Find(server.Lines(string(text)))
	if err != nil {
		return ""
	}
	var lines strings.Builder
	for _, b := range list {
		if ours(b, target, hosts) {
			lines.WriteString(b.Text)
		}
	}
	return lines.String()
}

// piecesFolder is the folder in which the pieces of all sites of a server lie.
const piecesFolder = "young-compass"

// FolderFor returns the folder for the pieces that a server's file includes: one of the site's own, beside the folder
// whose files the server reads all; or below the file's own, where visitors are to reach them. Two sites on one server
// never share pieces.
//
//	/etc/nginx/sites-enabled/ferries, skerrywick.example    /etc/nginx/young-compass/skerrywick.example
func FolderFor(target server.Target, path, host string) string {
	folder := filepath.Dir(path)
	if seen(target) {
		return filepath.Join(folder, piecesFolder, host)
	}
	if base := filepath.Base(folder); strings.HasSuffix(base, "-enabled") || strings.HasSuffix(base, "-available") ||
		strings.HasSuffix(base, ".d") {
		folder = filepath.Dir(folder)
	}
	return filepath.Join(folder, piecesFolder, host)
}

// Unplaced stands for the folder of the pieces until it is known, which is named by what is in them: no file has it,
// since no control character ever gets into one.
const Unplaced = "\x01"
