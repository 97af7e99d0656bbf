// Package block puts lines into a file that somebody else owns, between marks by which they are found again, and takes
// them out. It tells whether a person has edited them since.
//
//	# young-compass begins: nginx 1f2e3d4c5b6a7988
//	include /etc/nginx/young-compass/*.conf;
//	# young-compass ends
package block

import (
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"
)

const (
	begins = "# young-compass begins: "
	ends   = "# young-compass ends"
)

// Block is a stretch of lines that was put into a file.
type Block struct {
	Begin, End int // lines, from 0: the first mark, and the one behind the last mark
	Name       string
	Note       string // what else the first mark says
	Text       string // between the marks
	sum        string
}

// EditedError says that lines between marks were edited by hand.
type EditedError struct {
	Line int
	Text string // the lines as they are now
}

// Error names the line.
func (e *EditedError) Error() string {
	return fmt.Sprintf("line %d: what was installed here has been edited by hand", e.Line)
}

// Edited returns an *EditedError if the lines were edited by hand.
func (b *Block) Edited() error {
	if Sum(b.Text) != b.sum {
		return &EditedError{b.Begin + 1, b.Text}
	}
	return nil
}

// Find returns the blocks of a file, whose lines keep their ends. The error says that one has no end.
func Find(lines []string) (list []Block, err error) {
	for i := 0; i < len(lines); i++ {
		mark, ok := strings.CutPrefix(strings.TrimSpace(lines[i]), begins)
		if !ok {
			continue
		}
		end := slices.IndexFunc(lines[i:], func(l string) bool { return strings.TrimSpace(l) == ends })
		if end < 0 {
			return nil, fmt.Errorf("line %d: what was installed here has no end: the line %q is missing", i+1, ends)
		}
		b := Block{Begin: i, End: i + end + 1, Text: strings.Join(lines[i+1:i+end], "")}
		b.Name, mark, _ = strings.Cut(mark, " ")
		b.sum, b.Note, _ = strings.Cut(mark, " ")
		list = append(list, b)
		i += end
	}
	return list, nil
}

// Sum is by which an edit is seen; how lines end doesn't count.
func Sum(text string) string {
	sum := sha256.Sum256([]byte(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)))
	return fmt.Sprintf("%x", sum[:8])
}

// Marked returns lines, each with its end, between marks. ending is how lines of the file end.
func Marked(name, note, text, ending string) string {
	if note != "" {
		note = " " + note
	}
	marked := begins + name + " " + Sum(text) + note + "\n" + text + ends + "\n"
	return strings.ReplaceAll(marked, "\n", ending)
}
