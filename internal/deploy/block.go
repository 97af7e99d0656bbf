package deploy

import (
	"bytes"
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/block"
	"young-compass/internal/server"
)

// Remove takes out what was installed for a target, and leaves every other line
// as it is. The error is of type *block.EditedError when a person has edited it.
func Remove(text []byte, target string) (rest []byte, removed int, err error) {
	lines := server.Lines(string(text))
	list, err := block.Find(lines)
	if err != nil {
		return nil, 0, err
	}
	var b strings.Builder
	at := 0
	for _, x := range list {
		if x.Name != target {
			continue
		}
		if err := x.Edited(); err != nil {
			return nil, 0, err
		}
		b.WriteString(strings.Join(lines[at:x.Begin], ""))
		at = x.End
		removed++
	}
	b.WriteString(strings.Join(lines[at:], ""))
	return []byte(b.String()), removed, nil
}

// Insert puts the pieces of a target into a server's file, from which Remove has
// taken earlier ones. The folder is the one in which the other pieces lie.
func Insert(text []byte, target server.Target, files []server.File, folder string, hosts []string) ([]byte, error) {
	if bytes.HasPrefix(text, []byte("\xef\xbb\xbf")) {
		return nil, errors.New("the file begins with a byte order mark, which its server doesn't read; save it without")
	}
	lines := server.Lines(string(text))
	list, err := target.Insert(lines, files, folder, hosts)
	if err != nil {
		return nil, err
	}
	ending := "\n"
	if bytes.Contains(text, []byte("\r\n")) {
		ending = "\r\n"
	}
	var b strings.Builder
	at := 0
	for _, x := range list {
		b.WriteString(strings.Join(lines[at:x.Line], ""))
		if s := b.String(); s != "" && !strings.HasSuffix(s, "\n") {
			return nil, errors.New("the last line has no end; end it with a line break first")
		}
		b.WriteString(block.Marked(target.Name(), "", x.Text, ending))
		at = x.Line
	}
	b.WriteString(strings.Join(lines[at:], ""))
	return []byte(b.String()), nil
}

// Installed returns the lines that were installed last in a file, without the
// marks.
func Installed(text []byte, target string) string {
	list, err := block.Find(server.Lines(string(text)))
	if err != nil {
		return ""
	}
	for _, b := range slices.Backward(list) {
		if b.Name == target {
			return b.Text
		}
	}
	return ""
}

// piecesFolder is the folder in which the pieces of all sites of a server lie.
const piecesFolder = "young-compass"

// FolderFor returns the folder for the pieces that a server's file includes: one
// of their own, beside the folder whose files the server reads all. It is called
// as the file is, so that two sites on one server never share pieces.
//
//	/etc/nginx/sites-enabled/skerrywick    /etc/nginx/young-compass/skerrywick
func FolderFor(path string) string {
	folder := filepath.Dir(path)
	if base := filepath.Base(folder); strings.HasSuffix(base, "-enabled") || strings.HasSuffix(base, "-available") ||
		strings.HasSuffix(base, ".d") {
		folder = filepath.Dir(folder)
	}
	return filepath.Join(folder, piecesFolder, filepath.Base(path))
}
