package gather

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/address"
	"young-compass/internal/source"
)

// separators are what stands between a page's title and the name of its site.
func separators() []string {
	return []string{" | ", " - ", " – ", " — ", " · ", " :: ", " » ", " « ", " / ", ": "}
}

// leastTitles is how many titles of a source must agree before anything is made of it.
const leastTitles = 5

// tidyTitles makes titles of what sources call titles: the name of the site that most titles of a source end or begin
// with is taken off, and where most pages of a source have one title, their headings say more.
func (m *merger) tidyTitles() {
	bySource := make([][]*record, len(m.summaries))
	for _, r := range m.records {
		if r.get("title") != "" {
			bySource[r.source] = append(bySource[r.source], r)
		}
	}
	for i, list := range bySource {
		if len(list) < leastTitles {
			continue
		}
		m.preferHeadings(m.summaries[i], list)
		m.takeNameOff(m.summaries[i], list)
	}
}

// preferHeadings gives pages their heading for a title where a title is that of most pages.
func (m *merger) preferHeadings(s *Summary, list []*record) {
	titles, headings := map[string]int{}, map[string]int{}
	for _, r := range list {
		titles[r.get("title")]++
		headings[r.get("heading")]++
	}
	for title, n := range titles {
		if n < leastTitles || n*2 < len(list) {
			continue
		}
		changed := 0
		for _, r := range list {
			if heading := r.get("heading"); r.get("title") == title && heading != "" && headings[heading]*2 < len(list) {
				r.set("title", heading)
				changed++
			}
		}
		if changed > 0 {
			s.Notes = append(s.Notes, fmt.Sprintf("%d pages are called %q; their headings are taken for titles", n, title))
		}
	}
}

// takeNameOff takes the site's name off titles where most have it.
func (m *merger) takeNameOff(s *Summary, list []*record) {
	counts := map[[2]string]int{} // name with separator, and whether it stands at the end or at the beginning
	for _, r := range list {
		title := r.get("title")
		for _, separator := range separators() {
			if at := strings.LastIndex(title, separator); at > 0 {
				counts[[2]string{title[at:], "end"}]++
			}
			if at := strings.Index(title, separator); at > 0 {
				counts[[2]string{title[:at+len(separator)], "beginning"}]++
			}
		}
	}
	best, most := [2]string{}, 0
	for name, n := range counts {
		if n > most || n == most && slices.Compare(name[:], best[:]) < 0 {
			best, most = name, n
		}
	}
	if most < leastTitles || most*10 < len(list)*7 {
		return
	}
	for _, r := range list {
		title := r.get("title")
		if best[1] == "end" {
			title = strings.TrimSuffix(title, best[0])
		} else {
			title = strings.TrimPrefix(title, best[0])
		}
		r.set("title", title)
	}
	s.Notes = append(s.Notes, fmt.Sprintf("%q is taken off the %s of %d titles: it is the site's name",
		strings.TrimSpace(best[0]), best[1], most))
}

// set replaces a value that the record says.
func (r *said) set(name, value string) {
	for i := range r.fields {
		if r.fields[i].name == name {
			r.fields[i].value = value
		}
	}
}

// sameTexts makes one page of those that a crawl, or a folder, shows at several addresses: without a canonical link,
// but
// with the same title and, letter for letter, the same text. The shortest address is the page's own.
func (m *merger) sameTexts() {
	type text struct {
		source int
		title  string
		hash   uint64
	}
	same := map[text][]*record{}
	for _, r := range m.records {
		if form := m.summaries[r.source].Form; r.has && r.canonical == "" && r.text != 0 && (form == source.Site ||
			form == source.HTML) {
			at := text{int(r.source), r.get("title"), r.text}
			same[at] = append(same[at], r)
		}
	}
	for at, list := range same {
		if len(list) < 2 {
			continue
		}
		slices.SortFunc(list, func(a, b *record) int {
			return cmp.Or(cmp.Compare(len(a.at.Local()), len(b.at.Local())), address.Compare(a.at, b.at))
		})
		for _, r := range list[1:] {
			r.canonical, r.elsewhere = list[0].at.String(), true
		}
		s := m.summaries[at.source]
		s.Notes = append(s.Notes, fmt.Sprintf("%d addresses show the text of %s: they are taken for one page", len(list),
			list[0].at.Local()))
	}
	for _, s := range m.summaries {
		slices.Sort(s.Notes)
	}
}
