package deploy

import (
	"archive/zip"
	"bytes"
	"fmt"
	"path"
	"regexp"
	"strings"
	"time"

	"young-compass/internal/server"
)

// The names in an archive of what isn't uploaded under its own name: the lines for a per-folder file, since unpacking must
// not replace the one that is there; and how to go about it.
const (
	LinesFile = "htaccess.txt"
	ReadFirst = "read-first.txt"
)

// Archive packs what a target emitted for the folder Unplaced as it is to be uploaded: pieces in a folder of their own,
// and the lines for the per-folder file, or whole, the file with the lines in it. page is the instruction, in Markdown.
// The same files make the same bytes.
func Archive(target server.Target, files []server.File, host string, whole []byte, page string) ([]byte, error) {
	at := path.Join(piecesFolder, host, version(files))
	var b bytes.Buffer
	archive := zip.NewWriter(&b)
	add := func(name string, data []byte) error {
		w, err := archive.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)})
		if err == nil {
			_, err = w.Write(data)
		}
		if err != nil {
			return fmt.Errorf("packing %s: %w", name, err)
		}
		return nil
	}
	if err := add(ReadFirst, []byte(plainText(page))); err != nil {
		return nil, err
	}
	for _, f := range files {
		data := f.With(Unplaced, at)
		name := path.Join(at, f.Name)
		if !target.Beside(f.Name) {
			if name = LinesFile; whole != nil {
				data = whole
			}
		}
		if err := add(name, data); err != nil {
			return nil, err
		}
	}
	if err := archive.Close(); err != nil {
		return nil, fmt.Errorf("packing: %w", err)
	}
	return b.Bytes(), nil
}

// link is one of a page: [its text](where it leads).
var link = regexp.MustCompile(`\[([^\]]*)\]\([^)]*\)`)

// plainText writes a page in Markdown as text for people who see it in an editor.
func plainText(page string) string {
	var b strings.Builder
	for line := range strings.Lines(page) {
		line = strings.TrimRight(line, "\n")
		switch cells := strings.Split(strings.Trim(line, "|"), "|"); {
		case strings.HasPrefix(strings.TrimSpace(line), "```"), strings.HasPrefix(line, "|---"):
			continue
		case strings.HasPrefix(line, "#"):
			line = strings.ToUpper(strings.TrimLeft(line, "# "))
		case strings.HasPrefix(line, "|"):
			for i := range cells {
				cells[i] = strings.TrimSpace(cells[i])
			}
			line = "  " + strings.Join(cells, ": ")
		}
		b.WriteString(strings.NewReplacer("`", "", "**", "").Replace(link.ReplaceAllString(line, "$1")) + "\n")
	}
	return b.String()
}
