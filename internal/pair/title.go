package pair

import (
	"strings"
	"unicode/utf8"
)

// heads is what titles have in front and behind that isn't the pages' own: the site's name, a section's, a version.
// What isn't a page's own on one side isn't on the other either, so that equal titles stay equal.
//
//	Walks | Skerrywick Ferries   ->  " | Skerrywick Ferries" on most pages
type heads [2]titleParts

// titleParts counts what the titles of one side begin and end with.
type titleParts struct {
	first, last map[string]int // how many titles begin, or end, with a part
	titles      int
	numbered    int       // how many have a number of a section in front, or behind the first separator
	usual       [2]string // what parts the first, and the last, part from the rest on nearly all titles; empty: nothing
}

// separators part a page's own title from the site's.
func separators() []string {
	return []string{" | ", " - ", " – ", " — ", " -- ", " :: ", " · ", " » ", " « ", " • ", ": ", " ("}
}

// firstPart returns the part of a title in front of the first separator, what is behind it, and the separator; empty:
// there is none.
func firstPart(title string) (part, rest, separator string) {
	at := len(title)
	for _, s := range separators() {
		if i := strings.Index(title, s); i >= 0 && i < at {
			at, separator = i, s
		}
	}
	if separator == "" {
		return "", "", ""
	}
	return title[:at], title[at+len(separator):], separator
}

// lastPart returns the part behind the last separator, what is in front of it, and the separator.
func lastPart(title string) (part, rest, separator string) {
	at := -1
	for _, s := range separators() {
		if i := strings.LastIndex(title, s); i > at {
			at, separator = i, s
		}
	}
	if at < 0 {
		return "", "", ""
	}
	return strings.TrimSuffix(title[at+len(separator):], ")"), title[:at], separator
}

// headsOf counts the parts of the titles of both sides.
func headsOf(before, after []Page) *heads { return &heads{partsOf(before), partsOf(after)} }

func partsOf(pages []Page) titleParts {
	h := titleParts{first: map[string]int{}, last: map[string]int{}}
	parted := [2]map[string]int{{}, {}}
	for i := range pages {
		title := spaced(pages[i].Title)
		if title == "" {
			continue
		}
		h.titles++
		first, behind, separator := firstPart(title)
		if separator != "" {
			h.first[first]++
			parted[0][separator]++
			last, _, separator := lastPart(title)
			h.last[last]++
			parted[1][separator]++
		}
		_, front := section(title, true)
		if _, inside := section(behind, true); front || inside {
			h.numbered++
		}
	}
	for end := range parted {
		for separator, n := range parted[end] {
			if n*10 >= 9*h.titles {
				h.usual[end] = separator
			}
		}
	}
	return h
}

// common reports whether so many titles have a part that it isn't a page's own; fewer do for one behind what few others
// begin with.
func (h *titleParts) common(n, others int) bool {
	return n >= 3 && (n*25 >= h.titles || n*150 >= h.titles && others <= 2)
}

// most reports whether a part is on so many titles that it is the site's, and says nothing.
func (h *titleParts) most(n int) bool { return n >= 3 && n*10 >= 3*h.titles }

// sections reports whether many titles have a number of a section.
func (h *titleParts) sections() bool { return h.numbered >= 5 && h.numbered*5 >= h.titles }

// last returns how many titles end in a part behind a separator, and whether most do; 0: it is a page's own.
func (h *heads) last(part, before, separator string) (n int, most bool) {
	for k := range h {
		s := &h[k]
		if c := s.last[part]; separator != "" && (s.common(c, s.first[before]) || separator == s.usual[1] && c >= 3) {
			n, most = max(n, c), most || s.most(c)
		}
	}
	return n, most
}

// first returns how many titles begin with a part in front of a separator, and whether most do; 0: it is a page's own.
func (h *heads) first(part, separator string) (n int, most bool) {
	for k := range h {
		s := &h[k]
		if c := s.first[part]; separator != "" && (s.common(c, 3) || separator == s.usual[0] && c >= 3) {
			n, most = max(n, c), most || s.most(c)
		}
	}
	return n, most
}

// own returns a title as the page alone has it, what was taken off that only some pages have (a section's name), and
// whether the title was cut off.
//
//	9.1.5. Landing at Kvitsund | Harbours | Skerrywick  ->  Landing at Kvitsund, Harbours
func (h *heads) own(title string) (core, context string, cut bool) {
	core = spaced(title)
	for range 3 { // at either end, what more titles have first
		part, rest, separator := lastPart(core)
		n, most := h.last(part, rest, separator)
		first, behind, separator := firstPart(core)
		if others, mostFirst := h.first(first, separator); others > n {
			n, most, part, rest = others, mostFirst, first, behind
		}
		if n == 0 {
			break
		}
		if core = rest; !most {
			context += " " + part
		}
	}
	numbered := h[0].sections() || h[1].sections()
	first, behind, separator := firstPart(core)
	if rest, ok := section(core, numbered); ok {
		core = rest
	} else if rest, ok := section(behind, numbered); ok {
		core = first + separator + rest
	}
	for _, end := range []string{"...", "…", ".."} {
		if short, ok := strings.CutSuffix(core, end); ok && utf8.RuneCountInString(short) >= 5 {
			return strings.TrimSpace(short), context, true
		}
	}
	return core, context, false
}

func spaced(s string) string {
	s = strings.TrimRight(s, " ¶#\u00a0\uf0c1\t\r\n")
	if strings.ContainsAny(s, "\t\n\r\u00a0") || strings.Contains(s, "  ") || strings.HasPrefix(s, " ") {
		s = strings.Join(strings.Fields(s), " ")
	}
	return s
}

// section takes the number of a section off a title: its position among others, which changes with any page before it.
// Without always, one needs a point at its end.
//
//	9.1.5. Landing at Kvitsund, Chapter 3. Fares, A.2. Tides  ->  Landing at Kvitsund, Fares, Tides
func section(title string, always bool) (rest string, ok bool) {
	text := title
	worded := false
	for _, word := range []string{"Chapter ", "Appendix ", "Section ", "Part ", "Kapitel ", "Anhang ", "Abschnitt ", "Teil ",
		"Chapitre ", "Annexe ", "Capítulo ", "Kapittel ", "Hoofdstuk ", "Capitolo ", "Rozdział ", "Глава "} {
		if after, found := strings.CutPrefix(text, word); found {
			text, worded = after, true
			break
		}
	}
	end, parts, digits := 0, 0, false
	for end < len(text) {
		start := end
		for end < len(text) && text[end] >= '0' && text[end] <= '9' {
			end++
		}
		switch {
		case end > start && end-start <= 3:
			digits = true
		case end == start && end < len(text) && (parts == 0 || digits) && roman(text[end:]) > 0 && (worded || parts == 0):
			end += roman(text[end:])
		default:
			return title, false
		}
		parts++
		if end < len(text) && text[end] == '.' && end+1 < len(text) && text[end+1] != ' ' {
			end++
			continue
		}
		break
	}
	if end >= len(text) || parts == 0 {
		return title, false
	}
	pointed := text[end] == '.' || text[end] == ')' || worded && text[end] == ':'
	if pointed {
		end++
	}
	rest = strings.TrimLeft(text[end:], " ")
	switch {
	case rest == "" || len(rest) == len(text[end:]): // nothing is left, or no space was there
		return title, false
	case worded, pointed && digits && parts > 1:
		return rest, true
	case pointed && (digits || parts > 1):
		return rest, !monthName(rest)
	case always && digits && parts > 1:
		return rest, true
	}
	return title, false
}

// roman returns how many letters a text begins with that are the number of a chapter: a Roman number, or one capital.
func roman(text string) int {
	n := 0
	for n < len(text) && n < 6 && strings.IndexByte("IVXL", text[n]) >= 0 {
		n++
	}
	if n == 0 && text != "" && text[0] >= 'A' && text[0] <= 'Z' {
		n = 1
	}
	if n < len(text) && (text[n]|0x20) >= 'a' && (text[n]|0x20) <= 'z' {
		return 0
	}
	return n
}

// monthName reports whether a text begins with a month, so that a number before it is a day: "14. Juli".
func monthName(text string) bool {
	word, _, _ := strings.Cut(strings.ToLower(text), " ")
	word = strings.TrimRight(word, ".,")
	for _, start := range []string{"jan", "feb", "mär", "mar", "apr", "mai", "may", "maj", "jun", "jul", "aug", "sep", "okt",
		"oct", "nov", "dez", "des", "dec", "kvě", "čer"} {
		if strings.HasPrefix(word, start) && len(word) <= 10 {
			return true
		}
	}
	return false
}
