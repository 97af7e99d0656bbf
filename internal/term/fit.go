package term

import (
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"young-compass/internal/address"
)

// Cut returns text for one line of a width, printable; "..." says that there was
// more.
func Cut(s string, width int) string {
	s = address.Printable(s)
	if text.StringWidth(s) <= width {
		return s
	}
	const more = "..."
	return text.Trim(s, max(0, width-len(more))) + more
}

// CutMiddle returns a text that takes no more columns, without its middle where it is longer: addresses differ at their
// ends.
func CutMiddle(s string, width int) string {
	s = address.Printable(s)
	if text.StringWidth(s) <= width {
		return s
	}
	const dots = "..."
	half := (width - len(dots)) / 2
	runes := []rune(s)
	from, to := 0, len(runes)
	for used := 0; from < to; from++ {
		if used += text.RuneWidth(runes[from]); used > half {
			break
		}
	}
	for used := 0; to > from; to-- {
		if used += text.RuneWidth(runes[to-1]); used > half {
			break
		}
	}
	return string(runes[:from]) + dots + string(runes[to:])
}

// Pad returns text cut or filled to a width.
func Pad(s string, width int) string {
	s = Cut(s, width)
	return s + strings.Repeat(" ", max(0, width-text.StringWidth(s)))
}

// Wrap returns text in so many lines of a width at most, printable, broken
// between words where it can be.
func Wrap(s string, width, most int) []string {
	s = strings.Join(strings.Fields(address.Printable(s)), " ")
	var lines []string
	for s != "" && len(lines) < most-1 && text.StringWidth(s) > width {
		start := text.Trim(s, width)
		if space := strings.LastIndexByte(start, ' '); space > width/2 {
			start = start[:space]
		}
		lines = append(lines, start)
		s = strings.TrimSpace(s[len(start):])
	}
	if s != "" {
		lines = append(lines, Cut(s, width))
	}
	return lines
}
