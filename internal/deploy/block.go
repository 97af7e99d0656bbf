package deploy

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"young-compass/internal/server"
)

// The lines around what was installed. The first holds the name of the target
// and a sum of the lines between them.
const (
	beginMark = "# young-compass begins: "
	endMark   = "# young-compass ends"
)

// block is a stretch of lines that was installed.
type block struct {
	begin, end int // lines: the first mark, and the one behind the last mark
	target     string
	sum        string
	text       string // between the marks
}

// EditedError says that an installed block was edited by hand.
type EditedError struct {
	Line int
	Text string // the lines as they are now
}

// Error names the line.
func (e *EditedError) Error() string {
	return fmt.Sprintf("line %d: what was installed here has been edited by hand", e.Line)
}

// blocks finds what was installed in a file.
func blocks(lines []string) ([]block, error) {
	var list []block
	for i := 0; i < len(lines); i++ {
		mark, ok := strings.CutPrefix(strings.TrimSpace(lines[i]), beginMark)
		if !ok {
			continue
		}
		target, sum, _ := strings.Cut(mark, " ")
		end := slices.IndexFunc(lines[i:], func(l string) bool { return strings.TrimSpace(l) == endMark })
		if end < 0 {
			return nil, fmt.Errorf("line %d: what was installed here has no end: the line %q is missing", i+1, endMark)
		}
		b := block{begin: i, end: i + end + 1, target: target, sum: sum, text: strings.Join(lines[i+1:i+end], "")}
		list = append(list, b)
		i += end
	}
	return list, nil
}

func sumOf(text string) string {
	sum := sha256.Sum256([]byte(strings.ReplaceAll(text, "\r\n", "\n")))
	return fmt.Sprintf("%x", sum[:8])
}

// Remove takes out what was installed for a target, and leaves every other line
// as it is. The error is of type *EditedError when a person has edited it.
func Remove(text []byte, target string) (rest []byte, removed int, err error) {
	lines := server.Lines(string(text))
	list, err := blocks(lines)
	if err != nil {
		return nil, 0, err
	}
	var b strings.Builder
	at := 0
	for _, x := range list {
		if x.target != target {
			continue
		}
		if sumOf(x.text) != x.sum {
			return nil, 0, &EditedError{x.begin + 1, x.text}
		}
		b.WriteString(strings.Join(lines[at:x.begin], ""))
		at = x.end
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
		marked := beginMark + target.Name() + " " + sumOf(x.Text) + "\n" + x.Text + endMark + "\n"
		b.WriteString(strings.ReplaceAll(marked, "\n", ending))
		at = x.Line
	}
	b.WriteString(strings.Join(lines[at:], ""))
	return []byte(b.String()), nil
}

// Installed returns the lines that were installed last in a file, without the
// marks.
func Installed(text []byte, target string) string {
	list, err := blocks(server.Lines(string(text)))
	if err != nil {
		return ""
	}
	for _, b := range slices.Backward(list) {
		if b.target == target {
			return b.text
		}
	}
	return ""
}

// FolderFor returns the folder for the pieces that a server's file includes: one
// of their own, beside the folder whose files the server reads all.
func FolderFor(path string) string {
	folder := filepath.Dir(path)
	if base := filepath.Base(folder); strings.HasSuffix(base, "-enabled") || strings.HasSuffix(base, "-available") ||
		strings.HasSuffix(base, ".d") {
		folder = filepath.Dir(folder)
	}
	return filepath.Join(folder, "young-compass")
}
