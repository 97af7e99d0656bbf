package term

import (
	"bytes"
	"io"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
)

// Lines breaks a text into lines of a width at most: at spaces, else in front of the marks that part an address, else
// anywhere. An empty text is one line.
func Lines(s string, width int) []string {
	var lines []string
	for text.StringWidthWithoutEscSequences(s) > width {
		cut, next := breakAt(s, width)
		lines = append(lines, s[:cut])
		if s = s[next:]; s == "" {
			return lines
		}
	}
	return append(lines, s)
}

// breakAt returns where a line that is too long ends, and where the next one begins. Escape sequences take no room.
func breakAt(s string, width int) (end, next int) {
	used, full := 0, len(s) // bytes that fit
	space, mark := -1, -1
	escaped := false
	before := ' '
	begun := false // something other than spaces has been met
	for i, r := range s {
		switch {
		case escaped:
			escaped = r != 'm'
			continue
		case r == '\x1b':
			escaped = true
			continue
		}
		if r == ' ' && begun && used <= width {
			space = i
		}
		if (strings.ContainsRune("/?&", r) || before == '-') && begun {
			mark = i
		}
		before = r
		if used += text.RuneWidth(r); used > width {
			full = i
			break
		}
		begun = begun || r != ' '
	}
	switch {
	case space > 0:
		return space, space + len(" ")
	case mark > 0:
		return mark, mark
	case full == 0: // not even one character fits
		full = len(string([]rune(s)[:1]))
	}
	return full, full
}

// Wrapping returns a writer that breaks lines which are longer than the style's width; what goes on stands further in
// than the line that it goes on from. Flush ends the last line.
func Wrapping(w io.Writer, style Style) *Wrapper { return &Wrapper{w: w, width: style.Width} }

// Wrapper breaks lines that are too long.
type Wrapper struct {
	w     io.Writer
	width int    // 0: nothing is too long
	rest  []byte // a line without its end
}

// Write writes the lines that end in p.
func (w *Wrapper) Write(p []byte) (int, error) {
	if w.width == 0 {
		return w.w.Write(p)
	}
	w.rest = append(w.rest, p...)
	var out bytes.Buffer
	for {
		line, rest, ended := bytes.Cut(w.rest, []byte("\n"))
		if !ended {
			break
		}
		out.WriteString(w.broken(string(line)) + "\n")
		w.rest = rest
	}
	w.rest = bytes.Clone(w.rest)
	if _, err := w.w.Write(out.Bytes()); err != nil {
		return 0, err
	}
	return len(p), nil
}

// Flush writes a last line that has no end.
func (w *Wrapper) Flush() error {
	if len(w.rest) == 0 {
		return nil
	}
	_, err := io.WriteString(w.w, w.broken(string(w.rest)))
	w.rest = nil
	return err
}

// hanging is how much further in a line goes on.
const hanging = 4

func (w *Wrapper) broken(line string) string {
	if text.StringWidthWithoutEscSequences(line) <= w.width {
		return line
	}
	in := len(line) - len(strings.TrimLeft(line, " "))
	if in = min(in+hanging, w.width/2); in < hanging {
		in = hanging
	}
	cut, next := breakAt(line, w.width)
	rest := Lines(line[next:], w.width-in)
	indent := "\n" + strings.Repeat(" ", in)
	return line[:cut] + indent + strings.Join(rest, indent)
}
