package sitefile

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/block"
)

// RobotsLines are the lines that a plan has in a robots.txt that others write, too.
type RobotsLines struct {
	Sitemaps []string                  // addresses
	Blocked  []string                  // patterns that no crawler shall ask for (RFC 9309 section 2.2.2)
	Ours     func(sitemap string) bool // whether a sitemap that is named already is the site's; nil: none is
}

const (
	robotsBlock = "robots"
	joined      = "joined" // the line before the block had no end
	replaced    = "# young-compass replaced: "
)

// ErrRobotsTooLong says that crawlers wouldn't read all of a file (RFC 9309 section 2.5).
var ErrRobotsTooLong = errors.New("it would be longer than 500 KiB, and crawlers read no more; shorten it")

// Put brings the lines into a robots.txt, in the place of those that were put there before. Sitemaps of the site that
// are named otherwise become comments; every other line stays, byte for byte. So does what it answers to each crawler, but
// for the patterns. Errors name the line that is in the way.
//
//	Sitemap: http://www.skerrywick.example/map.xml     # young-compass replaced: Sitemap: http://...
func (l RobotsLines) Put(text []byte) ([]byte, error) {
	text, err := TakeOut(text)
	if err != nil {
		return nil, err
	}
	mark, text := cutMark(text)
	missing := slices.Clone(l.Sitemaps)
	var out strings.Builder
	for _, line := range endedLines(text) {
		key, value := robotsLine(line)
		if at := slices.Index(missing, value); key == "sitemap" && at >= 0 {
			missing = slices.Delete(missing, at, at+1)
		} else if key == "sitemap" && l.Ours != nil && l.Ours(value) && !slices.Contains(l.Sitemaps, value) {
			out.WriteString(replaced)
		}
		out.WriteString(line)
	}
	var own strings.Builder
	for _, s := range missing {
		fmt.Fprintf(&own, "Sitemap: %s\n", s)
	}
	if len(l.Blocked) > 0 {
		robots, err := ReadRobots(bytes.NewReader(text))
		if err != nil {
			return nil, err
		}
		// A crawler that is named has rules of its own, and those for all don't count for it (section 2.2.1).
		for _, agent := range robots.agents() {
			fmt.Fprintf(&own, "User-agent: %s\n", agent)
		}
		for _, pattern := range l.Blocked {
			fmt.Fprintf(&own, "Disallow: %s\n", pattern)
		}
	}
	if own.Len() > 0 {
		ending, note := endingOf(text), ""
		if s := out.String(); s != "" && !strings.HasSuffix(s, "\n") && !strings.HasSuffix(s, "\r") {
			note = joined
			out.WriteString(ending)
		}
		out.WriteString(block.Marked(robotsBlock, note, own.String(), ending))
	}
	if out.Len() > maxRobots {
		return nil, ErrRobotsTooLong
	}
	return append(mark, out.String()...), nil
}

// TakeOut returns a robots.txt as it was before lines were put into it. Errors name the line that is in the way; one of
// type *block.EditedError says that somebody edited what was put there.
func TakeOut(text []byte) ([]byte, error) {
	mark, text := cutMark(text)
	lines := endedLines(text)
	list, err := block.Find(lines)
	if err != nil {
		return nil, err
	}
	var out strings.Builder
	at := 0
	for _, b := range list {
		if b.Name != robotsBlock {
			continue
		}
		if err := b.Edited(); err != nil {
			return nil, err
		}
		if strings.Contains(b.Text, "User-agent:") {
			if n := strayRule(lines[b.End:]); n >= 0 {
				return nil, fmt.Errorf("line %d: this rule belongs to what was installed above; write a line User-agent before it",
					b.End+n+1)
			}
		}
		before := strings.Join(lines[at:b.Begin], "")
		if b.Note == joined {
			before = strings.TrimSuffix(strings.TrimSuffix(before, "\n"), "\r")
		}
		out.WriteString(before)
		at = b.End
	}
	out.WriteString(strings.Join(lines[at:], ""))
	restored := mark
	for _, line := range endedLines([]byte(out.String())) {
		restored = append(restored, strings.TrimPrefix(line, replaced)...)
	}
	return restored, nil
}

// HasLines reports whether lines were put into a robots.txt.
func HasLines(text []byte) bool {
	_, text = cutMark(text)
	list, err := block.Find(endedLines(text))
	return err != nil || slices.ContainsFunc(list, func(b block.Block) bool { return b.Name == robotsBlock }) ||
		bytes.Contains(text, []byte(replaced))
}

// strayRule returns the first line that belongs to a group which begins before the lines, or -1.
func strayRule(lines []string) int {
	for i, line := range lines {
		switch key, _ := robotsLine(line); key {
		case "allow", "disallow":
			return i
		case "user-agent":
			return -1
		}
	}
	return -1
}

// agents returns the names of crawlers for which there are rules, all crawlers first.
func (r Robots) agents() []string {
	list := []string{"*"}
	for _, g := range r.groups {
		for _, a := range g.agents {
			if a != "" && !slices.Contains(list, a) {
				list = append(list, a)
			}
		}
	}
	return list
}

// robotsLine returns what a line says, its key in small letters.
func robotsLine(line string) (key, value string) {
	line, _, _ = strings.Cut(line, "#")
	key, value, ok := strings.Cut(line, ":")
	if !ok {
		return "", ""
	}
	return strings.ToLower(strings.TrimSpace(key)), strings.TrimSpace(value)
}

// endedLines cuts a text into lines that keep their ends: CR, LF or both.
func endedLines(text []byte) (lines []string) {
	for len(text) > 0 {
		i := bytes.IndexAny(text, "\r\n") + 1
		switch {
		case i == 0:
			i = len(text)
		case text[i-1] == '\r' && i < len(text) && text[i] == '\n':
			i++
		}
		lines = append(lines, string(text[:i]))
		text = text[i:]
	}
	return lines
}

// endingOf returns how the first line of a text ends.
func endingOf(text []byte) string {
	if i := bytes.IndexAny(text, "\r\n"); i >= 0 && text[i] == '\r' {
		if bytes.HasPrefix(text[i:], []byte("\r\n")) {
			return "\r\n"
		}
		return "\r"
	}
	return "\n"
}

const byteOrderMark = "\ufeff"

// cutMark returns a byte order mark, if the text begins with one, and the text behind it.
func cutMark(text []byte) (mark, rest []byte) {
	if rest, ok := bytes.CutPrefix(text, []byte(byteOrderMark)); ok {
		return []byte(byteOrderMark), rest
	}
	return nil, text
}
