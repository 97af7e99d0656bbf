package propose

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"young-compass/internal/address"
)

// sections are the keys of a plan, in the order in which they are written.
func sections() []string {
	return []string{"site.origin", "site.hosts", "site.staging", "site.known", "site.paths.slash", "site.paths.letters",
		"site.paths.extension",
		"site.paths.index", "site.files", "languages.default", "languages.parameter", "languages.others", "languages.words",
		"parameters.identity", "parameters.pagination",
		"parameters.display", "parameters.tracking", "parameters.noise", "slugs.collide", "kinds", "rules"}
}

func section(key string) int {
	if strings.HasPrefix(key, "kinds.") {
		key = "kinds"
	}
	return slices.Index(sections(), key)
}

// ordered returns lines in the order of a plan, those of one list as they were found.
func ordered(lines []Line) []Line {
	slices.SortStableFunc(lines, func(a, b Line) int { return section(a.Key) - section(b.Key) })
	return lines
}

// listKey reports whether a key's items are those of a list, and not of a mapping.
func listKey(key string) bool { return key != "languages.others" && key != "languages.words" }

// width is how long a line with its comment gets, in letters, unless the line alone is longer.
const width = 140

// comment writes what stands behind a line: the evidence, and an example if there is room.
func comment(line string, l Line) string {
	room := max(width-utf8.RuneCountInString(line), 40)
	text := address.Printable(l.Why)
	if len(l.Examples) > 0 {
		if with := text + ": " + address.Printable(l.Examples[0]); utf8.RuneCountInString(with) <= room {
			return with
		}
	}
	if r := []rune(text); len(r) > room {
		text = string(r[:room-1]) + "…"
	}
	return text
}

// YAML returns the draft as a new plan, with the evidence as comments; what is doubtful is a comment with its question.
func (d Draft) YAML() []byte {
	var b bytes.Buffer
	b.WriteString("# The plan of a site, as proposed from evidence: how its addresses look. See docs/plan.md.\n" +
		"# A line that begins with \"# ?\" is a question. Answer it by taking the \"#\" away from the line below, or delete both.\n")
	open := []string{} // the keys that are open
	for i, l := range d.Lines {
		parts := strings.SplitN(l.Key, ".", 3)
		if len(parts) == 2 && parts[0] == "kinds" || !l.Item {
			// the last part is the key of the value
		} else {
			parts = append(parts, "")
		}
		above := parts[:len(parts)-1]
		for n, key := range above {
			if n < len(open) && open[n] == key {
				continue
			}
			open = append(slices.Clone(open[:n]), key)
			commented := ""
			if !d.sureBelow(i, above[:n+1]) {
				commented = "# " // nothing but questions stands there
			}
			if n == 0 {
				b.WriteByte('\n')
			}
			fmt.Fprintf(&b, "%s%s%s:\n", commented, strings.Repeat("  ", n), key)
		}
		open = slices.Clone(above)
		indent := strings.Repeat("  ", len(above))
		text := l.Value
		switch {
		case !l.Item:
			text = parts[len(parts)-1] + ": " + l.Value
		case listKey(l.Key):
			text = "- " + l.Value
		}
		if l.Sure() {
			fmt.Fprintf(&b, "%s%s  # %s\n", indent, text, comment(indent+text, l))
			continue
		}
		fmt.Fprintf(&b, "%s# ? %s (%s)\n", indent, address.Printable(l.Doubt), comment(l.Doubt, l))
		if l.Item {
			fmt.Fprintf(&b, "%s# %s\n", indent, text)
		} else {
			fmt.Fprintf(&b, "%s%s\n", indent, text) // a plan needs it
		}
	}
	return b.Bytes()
}

// sureBelow reports whether one of the lines from a position on, below a key, isn't doubtful.
func (d Draft) sureBelow(from int, above []string) bool {
	prefix := strings.Join(above, ".")
	for _, l := range d.Lines[from:] {
		if (l.Key == prefix || strings.HasPrefix(l.Key, prefix+".")) && (l.Sure() || !l.Item) {
			return true
		}
	}
	return false
}
