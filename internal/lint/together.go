package lint

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"young-compass/internal/finding"
)

// together finds what only many addresses show.
func (j Judge) together(subjects []Subject) []finding.Finding {
	var found []finding.Finding
	found = append(found, mixed(subjects, finding.MixedSlash, "a slash at the end",
		"the other spelling is one more address, and people mix them up", "choose one and redirect the other",
		func(s Subject) bool {
			return s.Address.Path != "/" && strings.HasSuffix(s.Address.Path, "/")
		})...)
	found = append(found, mixed(subjects, finding.MixedExtensions, "an extension", "nobody knows which pages have one",
		"leave it out everywhere", func(s Subject) bool {
			segments := segmentsOf(s.Address.Path)
			if len(segments) == 0 {
				return false
			}
			_, extension := splitExtension(segments[len(segments)-1])
			return technical(extension)
		})...)
	found = append(found, sharedWords(subjects)...)
	found = append(found, sameLast(subjects)...)
	return found
}

// mixed tells of the addresses that are written otherwise than most of the others.
//
//	/ferry-guide /walking-tours /island_map    one with an underscore among hyphens
func mixed(subjects []Subject, code finding.Code, what, why, advice string, has func(Subject) bool) []finding.Finding {
	var with, without []Subject
	for _, s := range subjects {
		switch {
		case s.Address.Path == "/":
		case has(s):
			with = append(with, s)
		default:
			without = append(without, s)
		}
	}
	if len(with) == 0 || len(without) == 0 {
		return nil
	}
	fewer := with
	if len(without) < len(with) {
		fewer = without
	}
	f := finding.Finding{Code: code, Severity: finding.Warning, Where: fewer[0].Where,
		What: fmt.Sprintf("%s: %d addresses with it, %d without", what, len(with), len(without)), Why: why,
		Advice: advice}
	f.Where.URL = fewer[0].Address.String()
	for _, s := range fewer[:min(5, len(fewer))] {
		f.Evidence = append(f.Evidence, s.Text)
	}
	return []finding.Finding{f}
}

// minShared is how many pages of a kind must share a word before it counts.
const minShared = 3

// sharedWords finds a segment behind the first that all pages of a kind share,
// and that is the name of a field: it should have been the field.
//
//	/routes/island/kvitsund  /routes/island/hildafjord    "island", where the island's name was meant
func sharedWords(subjects []Subject) []finding.Finding {
	var found []finding.Finding
	byKind := map[string][]Subject{}
	for _, s := range subjects {
		if s.Kind != "" {
			byKind[s.Kind] = append(byKind[s.Kind], s)
		}
	}
	fields := []string{"slug", "title", "name", "category", "section", "region", "year", "month", "day", "date", "id",
		"key", "language", "lang", "author", "field"}
	for _, kind := range sortedKeys(byKind) {
		pages := byKind[kind]
		if len(pages) < minShared {
			continue
		}
		first := segmentsOf(pages[0].Address.Path)
		for i, word := range first {
			if !slices.Contains(fields, strings.ToLower(word)) {
				continue
			}
			if slices.ContainsFunc(pages, func(s Subject) bool {
				segments := segmentsOf(s.Address.Path)
				return len(segments) <= i || segments[i] != word
			}) {
				continue
			}
			f := finding.Finding{Code: finding.Placeholder, Severity: finding.Error, Where: pages[0].Where,
				What: fmt.Sprintf("all %d pages of the kind %s have the word %q in their address", len(pages), kind,
					word),
				Why: "it is the name of a field, typed where the field was meant", Advice: "write {" + word +
					"} in the kind's template"}
			f.Where.URL = pages[0].Address.String()
			found = append(found, f)
		}
	}
	return found
}

// sameLast finds one last segment under several sections among pages of one
// kind and language: perhaps one page in two places. A date tells pages apart.
//
//	/guides/winter  /tips/winter           perhaps one page
//	/2025/11/winter /2026/11/winter        two pages
func sameLast(subjects []Subject) []finding.Finding {
	var found []finding.Finding
	byLast := map[string][]Subject{}
	for _, s := range subjects {
		if segments := segmentsOf(s.Address.Path); len(segments) > 1 && s.Address.Query == "" && !s.Dated {
			key := s.Kind + "/" + s.Language + " " + strings.ToLower(segments[len(segments)-1])
			byLast[key] = append(byLast[key], s)
		}
	}
	for _, key := range sortedKeys(byLast) {
		list := byLast[key]
		sections := map[string]bool{}
		for _, s := range list {
			sections[s.Address.Path[:strings.LastIndexByte(strings.TrimRight(s.Address.Path, "/"), '/')]] = true
		}
		if len(sections) < 2 {
			continue
		}
		_, last, _ := strings.Cut(key, " ")
		f := finding.Finding{Code: finding.SameLastSegment, Severity: finding.Note, Where: list[0].Where,
			What:   fmt.Sprintf("%s stands under %d sections", last, len(sections)),
			Why:    "it may be one page in several places, and search engines choose one of them on their own",
			Advice: "if it is one page, choose one section and let the others redirect"}
		f.Where.URL = list[0].Address.String()
		for _, s := range list[:min(5, len(list))] {
			f.Evidence = append(f.Evidence, s.Text)
		}
		found = append(found, f)
	}
	return found
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// Summary is a site's addresses at a glance.
type Summary struct {
	Addresses   int     `json:"addresses"`
	Readability int     `json:"readability"` // 0 to 100
	Queries     int     `json:"with_parameters"`
	Lengths     []Range `json:"lengths"` // characters of the path
	Depths      []Range `json:"depths"`  // segments
	First       []Count `json:"first_segments"`
}

// Range counts addresses between two figures, both included.
type Range struct {
	From  int `json:"from"`
	To    int `json:"to"`
	Count int `json:"count"`
}

// Count counts a word.
type Count struct {
	Word  string `json:"word"`
	Count int    `json:"count"`
}

// Readable returns the readability of one address: 100, less the weights of
// its faults, at least 0.
func (j Judge) Readable(s Subject) int {
	points := 100
	for _, f := range j.faults(s) {
		points -= f.weight
	}
	return max(0, points)
}

// Summarise returns the figures of all addresses. The site's readability is the
// mean of its addresses'.
func (j Judge) Summarise(subjects []Subject) Summary {
	s := Summary{Addresses: len(subjects)}
	for _, edge := range [][2]int{{1, 20}, {21, 40}, {41, 60}, {61, 75}, {76, 100}, {101, 8000}} {
		s.Lengths = append(s.Lengths, Range{From: edge[0], To: edge[1]})
	}
	for _, edge := range [][2]int{{0, 0}, {1, 1}, {2, 2}, {3, 3}, {4, 4}, {5, 1000}} {
		s.Depths = append(s.Depths, Range{From: edge[0], To: edge[1]})
	}
	points := 0
	first := map[string]int{}
	for _, subject := range subjects {
		points += j.Readable(subject)
		if subject.Address.Query != "" {
			s.Queries++
		}
		segments := segmentsOf(subject.Address.Path)
		enter(s.Lengths, len(subject.Address.Path))
		enter(s.Depths, len(segments))
		if len(segments) > 0 {
			first[segments[0]]++
		}
	}
	if len(subjects) > 0 {
		s.Readability = (points + len(subjects)/2) / len(subjects)
	}
	for word, n := range first {
		s.First = append(s.First, Count{word, n})
	}
	slices.SortFunc(s.First, func(a, b Count) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count),
			strings.Compare(a.Word, b.Word))
	})
	s.First = s.First[:min(8, len(s.First))]
	return s
}

func enter(ranges []Range, n int) {
	for i := range ranges {
		if ranges[i].From <= n && n <= ranges[i].To {
			ranges[i].Count++
		}
	}
}
